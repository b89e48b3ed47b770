"""The table of states: host states and what modules do in them down, what matters across; each cell a mark, a word, its number and what is
wanted there. What is wanted is typed into it: + for yes, − for no, Delete for nothing in particular."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QPoint, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QPainter, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QMenu,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
)

from pigtail.desktop import glyphs, theme
from pigtail.desktop.stations.base import Align, say
from pigtail.job.control import OFF, WantedOf
from pigtail.job.document import Job
from pigtail.language import tr
from pigtail.studies.control.found import ColumnKind, ControlFound

if TYPE_CHECKING:
    from pigtail.studies.control.found import Column, Row, StateCell

#: What can be wanted of a column, by its kind: the wish, and how yes and no are called.
WISHES = {
    ColumnKind.MODULE: (WantedOf.POWERED, tr("on"), tr("off")),
    ColumnKind.OUTPUT: (WantedOf.HEARD, tr("heard"), tr("mute")),
    ColumnKind.LIGHT: (WantedOf.LIT, tr("lit"), tr("dark")),
}
ROW_PX, LEAST_PX, SIDE_PX = 30, 84, 210
#: The most of a table that the names of its rows take [1]; narrower than this it leaves out what rails give [px].
SIDE_PART, NARROW_PX = 0.28, 640


class CellWish(NamedTuple):
    """A wish typed into a cell: of what, what, in which state, while what is done (empty for all), yes, no or nothing."""

    of: str
    what: WantedOf
    state: str
    doing: str
    yes: bool | None


class TableModel(QAbstractTableModel):
    """The rows and columns of a study of control, with what is wanted."""

    def __init__(self) -> None:
        super().__init__()
        self.job: Job | None = None
        self.found: ControlFound | None = None

    def show(self, job: Job, found: ControlFound) -> None:
        """Show a study; while its rows and columns stay, so do selection and scroll."""
        old = self.found
        same = (
            old is not None
            and [c.key for c in old.columns] == [c.key for c in found.columns]
            and [r.key for r in old.rows] == [r.key for r in found.rows]
        )
        if same:
            self.job, self.found = job, found
            if found.rows and found.columns:
                self.dataChanged.emit(
                    self.index(0, 0), self.index(len(found.rows) - 1, len(found.columns) - 1)
                )
            return
        self.beginResetModel()
        self.job, self.found = job, found
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if self.found is None or (parent is not None and parent.isValid()) else len(self.found.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return (
            0 if self.found is None or (parent is not None and parent.isValid()) else len(self.found.columns)
        )

    def at(self, index: QModelIndex) -> tuple[Row, Column, StateCell] | None:
        """Row, column and cell of an index."""
        if self.found is None or not index.isValid() or index.row() >= len(self.found.rows):
            return None
        row = self.found.rows[index.row()]
        return row, self.found.columns[index.column()], row.cells[index.column()]

    def wanted(self, row: Row, column: Column) -> str:
        """What the person wants in a cell, in a word; empty for nothing."""
        if self.job is None or column.kind not in WISHES:
            return ""
        what, yes, no = WISHES[column.kind]
        said = [w for w in self.job.wants if (w.of, w.what, w.state) == (column.subject, what, row.state)]
        told = next((w for w in said if w.doing == row.doing), None) or next(
            (w for w in said if not w.doing), None
        )
        return "" if told is None else yes if told.yes else no

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        found = self.at(index)
        if found is None:
            return None
        row, column, cell = found
        wanted = self.wanted(row, column)
        words = " ".join(x for x in (cell.word, cell.text) if x)
        if role == Qt.ItemDataRole.DisplayRole:
            return words
        if role == Qt.ItemDataRole.ToolTipRole:
            return (
                "\n".join(x for x in (cell.why, tr("wanted {wanted}", wanted=wanted) if wanted else "") if x)
                or words
            )
        if role == Qt.ItemDataRole.AccessibleTextRole:
            verdict = cell.severity.value if cell.severity is not None else ""
            return ", ".join(
                x
                for x in (
                    column.words,
                    row_words(row, self.job),
                    words,
                    verdict,
                    tr("wanted {wanted}", wanted=wanted) if wanted else "",
                )
                if x
            )
        return None

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if self.found is None:
            return None
        if orientation == Qt.Orientation.Horizontal:
            if section < len(self.found.columns) and role in (
                Qt.ItemDataRole.DisplayRole,
                Qt.ItemDataRole.ToolTipRole,
            ):
                column = self.found.columns[section]
                return short(column.words) if role == Qt.ItemDataRole.DisplayRole else column.words
            return None
        if section < len(self.found.rows) and role == Qt.ItemDataRole.DisplayRole:
            return row_words(self.found.rows[section], self.job)
        return None


def short(words: str) -> str:
    """The last part of a name: what tells a pin from the others of its module."""
    return words.rpartition(" · ")[2].partition(",")[0]


def row_words(row: Row, job: Job | None) -> str:
    """How a row is called."""
    if not row.module or row.doing == OFF:
        return row.name
    several = job is not None and len(job.modules) > 1
    device = job.device(row.module) if job is not None else None
    who = f"{short(device.name)} " if several and device is not None else ""
    return f"{row.name} · {who}{row.doing}"


class _Painter(QStyledItemDelegate):
    """A cell: its mark, its word, its number, and what is wanted."""

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        model = index.model()
        found = model.at(index) if isinstance(model, TableModel) else None
        if painter is None or found is None or not isinstance(model, TableModel):
            return
        row, column, cell = found
        t, box = theme.current(), QRectF(option.rect).adjusted(0, 0, -1, -1)
        painter.save()
        picked = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.fillRect(box, t.color("picked" if picked else "field" if cell.yes else "panel"))
        if cell.yes:
            painter.fillRect(QRectF(box.left(), box.top(), 4, box.height()), t.color("copper"))
        left = box.left() + 9
        if cell.severity is not None:
            glyphs.paint(painter, QRectF(left, box.center().y() - 7, 14, 14), cell.severity.value)
        left += 19
        wanted = model.wanted(row, column)
        right = box.right() - 4
        if wanted:
            tag = tr("want {wanted}", wanted=wanted)
            wide = 11.0 + 6.2 * len(tag)
            say(
                painter,
                QRectF(right - wide, box.top(), wide, box.height()),
                tag,
                use="accent",
                px=10,
                bold=True,
                align=Align.AlignRight | Align.AlignVCenter,
            )
            right -= wide
        painter.setFont(theme.font(12, bold=True))
        word = painter.fontMetrics().horizontalAdvance(cell.word) + 6 if cell.word else 0
        color = (
            t.severity(cell.severity.value)
            if cell.severity is not None and cell.severity.value in ("stop", "fix", "unknown")
            else None
        )
        say(
            painter,
            QRectF(left, box.top(), max(right - left, 0), box.height()),
            cell.word,
            px=12,
            bold=True,
            color=color,
        )
        say(
            painter,
            QRectF(left + word, box.top(), max(right - left - word, 0), box.height()),
            cell.text,
            px=11,
            use="dim" if cell.word else "ink",
        )
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(t.color("accent"))
            painter.drawRect(box.adjusted(1, 1, -1, -1))
        painter.restore()

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(LEAST_PX, ROW_PX)


class StateTable(QTableView):
    """The table. `wished` carries a CellWish; `picked` tells that another cell is chosen."""

    wished = pyqtSignal(object)
    picked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("state_table")
        self.setAccessibleName(
            tr("Host states and what modules do in them, with what is on, heard and seen in each")
        )
        self.model_ = TableModel()
        self.setModel(self.model_)
        self.setItemDelegate(_Painter(self))
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectItems)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        across, down = self.horizontalHeader(), self.verticalHeader()
        assert across is not None
        assert down is not None
        across.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        across.setMinimumSectionSize(LEAST_PX)
        across.setHighlightSections(False)
        across.setTextElideMode(Qt.TextElideMode.ElideRight)
        down.setTextElideMode(Qt.TextElideMode.ElideRight)
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        down.setDefaultSectionSize(ROW_PX)
        self.setTextElideMode(Qt.TextElideMode.ElideRight)
        down.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        down.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        selection = self.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(lambda *_: self.picked.emit())

    def show_found(self, job: Job, found: ControlFound) -> None:
        """Show a study, and pick a cell where none is."""
        self.model_.show(job, found)
        self._fit()
        if not self.currentIndex().isValid() and found.rows and found.columns:
            self.setCurrentIndex(self._first(job, found))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """The names of the rows as wide as they need, up to a part of the table; a narrow table does without what rails give."""
        found, down, metrics = self.model_.found, self.verticalHeader(), self.fontMetrics()
        if found is None or down is None:
            return
        widest = max(
            (metrics.horizontalAdvance(row_words(r, self.model_.job)) for r in found.rows), default=0
        )
        down.setFixedWidth(min(max(widest + 30, LEAST_PX), SIDE_PX, int(SIDE_PART * self.width())))
        narrow = self.width() < NARROW_PX and len(found.columns) > 3
        for k, column in enumerate(found.columns):
            self.setColumnHidden(k, narrow and column.kind is ColumnKind.RAIL)

    def _first(self, job: Job, found: ControlFound) -> QModelIndex:
        """The worst cell, else the first of the state that it is to play in."""
        from pigtail.studies.findings import ORDER, Severity

        cells = [
            (ORDER.index(c.severity or Severity.GOOD), r, k)
            for r, row in enumerate(found.rows)
            for k, c in enumerate(row.cells)
        ]
        worst, row, column = min(cells)
        if ORDER[worst] in (Severity.GOOD, Severity.WATCH):
            row, column = next((k for k, r in enumerate(found.rows) if r.state == job.working_state()), 0), 0
        return self.model_.index(row, column)

    def needed(self) -> int:
        """How high it is with all its rows [px]."""
        across = self.horizontalHeader()
        return (
            ROW_PX * max(self.model_.rowCount(), 1)
            + (across.sizeHint().height() if across is not None else 0)
            + 4
        )

    def here(self) -> tuple[Row, Column, StateCell] | None:
        """The row, column and cell picked."""
        return self.model_.at(self.currentIndex())

    def pick(self, row: int, column: int) -> None:
        """Pick a cell."""
        self.setCurrentIndex(self.model_.index(row, column))

    # -- what is wanted ---------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """+ wants it, − does not, Delete takes that back."""
        if event is None:
            return
        typed = {"+": True, "y": True, "-": False, "−": False, "n": False}.get(event.text().lower())
        if typed is not None:
            self.want(typed)
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.want(None)
        else:
            super().keyPressEvent(event)

    def want(self, yes: bool | None, *, always: bool = False) -> None:
        """Want what is picked, or not, or nothing in particular; in its state alone while the same is done, or whatever is."""
        here = self.here()
        if here is None or here[1].kind not in WISHES:
            return
        row, column, _ = here
        doing = "" if always or column.kind is ColumnKind.MODULE or row.doing == OFF else row.doing
        self.wished.emit(CellWish(column.subject, WISHES[column.kind][0], row.state, doing, yes))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        menu = self.menu()
        if menu is not None:
            menu.popup(
                event.globalPos() if event.reason() is QContextMenuEvent.Reason.Mouse else self._corner()
            )

    def _corner(self) -> QPoint:
        rect: QRect = self.visualRect(self.currentIndex())
        view = self.viewport()
        return view.mapToGlobal(rect.bottomLeft()) if view is not None else QPoint()

    def menu(self) -> QMenu | None:
        """What can be wanted of the cell picked; None where nothing can."""
        here = self.here()
        if here is None or here[1].kind not in WISHES:
            return None
        _, yes, no = WISHES[here[1].kind]
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for words, value, always in (
            (tr("Want it {yes} here (+)", yes=yes), True, False), (tr("Want it {no} here (−)", no=no), False, False),
            (tr("Nothing in particular (Delete)"), None, False),
            (tr("Want it {yes} in this state, whatever is done", yes=yes), True, True),
            (tr("Want it {no} in this state, whatever is done", no=no), False, True),
        ):  # fmt: skip
            action = menu.addAction(words)
            assert action is not None
            action.triggered.connect(lambda _c, v=value, a=always: self.want(v, always=a))
        return menu
