"""One table model for all tables: rows of text, some cells editable; an edit is told, never kept here."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, NamedTuple, overload

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QHeaderView,
    QLabel,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from pigtail.desktop import glyphs, theme
from pigtail.desktop.wrapping import Wrapping, add_buttons


class Cell(NamedTuple):
    """A cell: its text, what editing it does (None: not editable), a severity word for a mark, a use of colour."""

    text: str
    edit: Callable[[str], None] | None = None
    mark: str = ""
    use: str = "ink"
    tip: str = ""


class Lazy(Sequence[tuple[Cell, ...]]):
    """Rows that are made when they are looked at, and kept: a long table shows a few of its rows only."""

    def __init__(self, count: int, make: Callable[[int], tuple[Cell, ...]]) -> None:
        self._count, self._make = count, make
        self._made: dict[int, tuple[Cell, ...]] = {}

    def __len__(self) -> int:
        return self._count

    @overload
    def __getitem__(self, row: int) -> tuple[Cell, ...]: ...

    @overload
    def __getitem__(self, row: slice) -> tuple[tuple[Cell, ...], ...]: ...

    def __getitem__(self, row: int | slice) -> tuple[Cell, ...] | tuple[tuple[Cell, ...], ...]:
        if isinstance(row, slice):
            return tuple(self[k] for k in range(*row.indices(self._count)))
        if not -self._count <= row < self._count:
            raise IndexError(row)
        row %= self._count
        if row not in self._made:
            self._made[row] = self._make(row)
        return self._made[row]


class RowsModel(QAbstractTableModel):
    """Rows of cells under column headings."""

    def __init__(self, columns: Sequence[str]) -> None:
        super().__init__()
        self.columns = tuple(columns)
        self.rows: Sequence[tuple[Cell, ...]] = ()
        #: Texts that were refused, by row and column, each with what the cell had; they stay to be mended until its value changes.
        self._refused: dict[tuple[int, int], tuple[str, str, str]] = {}
        self._reason = ""

    def show_rows(self, rows: Sequence[Sequence[Cell]]) -> None:
        """Replace the rows; when their count stays, only their contents change, so selection and scroll stay."""
        fresh: Sequence[tuple[Cell, ...]] = rows if isinstance(rows, Lazy) else tuple(tuple(r) for r in rows)
        if len(fresh) == len(self.rows):
            self.rows = fresh
            self._refused = {k: v for k, v in self._refused.items() if fresh[k[0]][k[1]].text == v[1]}
            if fresh:
                self.dataChanged.emit(self.index(0, 0), self.index(len(fresh) - 1, len(self.columns) - 1))
            return
        self.beginResetModel()
        self.rows, self._refused = fresh, {}
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.columns)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid() or not index.row() < len(self.rows):
            return None
        cell = self.rows[index.row()][index.column()]
        refused = self._refused.get((index.row(), index.column()))
        if refused is not None:
            cell = cell._replace(text=refused[0], tip=refused[2], use="fix")
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return cell.text
        if role == Qt.ItemDataRole.ToolTipRole:
            return cell.tip or cell.text
        if role == Qt.ItemDataRole.DecorationRole and cell.mark:
            return glyphs.pixmap(cell.mark, 14)
        if role == Qt.ItemDataRole.ForegroundRole:
            return theme.current().color(cell.use)
        return None

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if not index.isValid() or role != Qt.ItemDataRole.EditRole or not index.row() < len(self.rows):
            return False
        cell, at, text = self.rows[index.row()][index.column()], (index.row(), index.column()), str(value)
        if text == cell.text:
            self._refused.pop(at, None)
        if cell.edit is None or text == cell.text:
            return False
        self._reason = ""
        cell.edit(text)
        if self._reason:
            self._refused[at] = (text, cell.text, self._reason)
        else:
            self._refused.pop(at, None)
        return True

    def note_refusal(self, reason: str) -> None:
        """Take note that what is being typed was refused, and why."""
        self._reason = reason

    @property
    def was_refused(self) -> bool:
        """Whether the text put in last was refused."""
        return bool(self._reason)

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        plain = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if index.isValid() and index.row() < len(self.rows) and self.rows[index.row()][index.column()].edit:
            return plain | Qt.ItemFlag.ItemIsEditable
        return plain if index.isValid() else Qt.ItemFlag.NoItemFlags

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return self.columns[section] if section < len(self.columns) else None
        return None


class RowsView(QTableView):
    """A table whose rows can be copied, and into which a column of values can be pasted."""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.matches(QKeySequence.StandardKey.Copy):
            self.copy_rows()
        elif event is not None and event.matches(QKeySequence.StandardKey.Paste):
            self.paste_column()
        else:
            super().keyPressEvent(event)

    def _rows(self) -> Sequence[tuple[Cell, ...]]:
        model = self.model()
        return model.rows if isinstance(model, RowsModel) else ()

    def copy_rows(self) -> None:
        """Put the chosen rows on the clipboard under their headings, the cells parted by tabs."""
        model, chosen, clipboard = self.model(), self.selectionModel(), QApplication.clipboard()
        if not isinstance(model, RowsModel) or chosen is None or clipboard is None:
            return
        rows = sorted(i.row() for i in chosen.selectedRows())
        shown = [k for k in range(len(model.columns)) if not self.isColumnHidden(k)]
        lines = [[model.columns[k] for k in shown]]
        lines += [[" ".join(model.rows[r][k].text.split()) for k in shown] for r in rows]
        if rows:
            clipboard.setText("\n".join("\t".join(line) for line in lines))

    def paste_column(self) -> None:
        """Type the lines of the clipboard into the column on, from the row on downwards; stops at the first that is refused."""
        clipboard, at, model = QApplication.clipboard(), self.currentIndex(), self.model()
        if clipboard is None or not at.isValid() or not isinstance(model, RowsModel):
            return
        column = at.column()
        if model.rows[at.row()][column].edit is None:
            column = next((k for k, cell in enumerate(model.rows[at.row()]) if cell.edit is not None), column)
        for row, text in enumerate(column_of(clipboard.text()), at.row()):
            if row >= model.rowCount() or (
                text and not model.setData(model.index(row, column), text) and model.was_refused
            ):
                return
            if model.was_refused:
                self.setCurrentIndex(model.index(row, column))
                return


def column_of(text: str) -> list[str]:
    """The values of a copied column: the first cell of each line.

    >>> column_of("4k7\\t1 %\\r\\n10k\\n")
    ['4k7', '10k']
    """
    return [line.split("\t")[0].strip() for line in text.strip("\r\n").splitlines()]


def make_table(model: RowsModel, name: str, accessible: str, stretch: int) -> QTableView:
    """A table view in the house's manner; the column `stretch` takes the room that is left."""
    view = RowsView()
    view.setObjectName(name)
    view.setAccessibleName(accessible)
    view.setModel(model)
    view.setAlternatingRowColors(True)
    view.setShowGrid(False)
    view.setWordWrap(False)
    view.setTabKeyNavigation(False)
    view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    triggers = QAbstractItemView.EditTrigger
    view.setEditTriggers(triggers.DoubleClicked | triggers.EditKeyPressed | triggers.AnyKeyPressed)
    across, down = view.horizontalHeader(), view.verticalHeader()
    assert across is not None
    assert down is not None
    across.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    across.setSectionResizeMode(stretch, QHeaderView.ResizeMode.Stretch)
    across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    across.setHighlightSections(False)
    down.setVisible(False)
    down.setDefaultSectionSize(25)
    return view


def set_widths(view: QTableView, widths: Sequence[int | None]) -> None:
    """Give the first columns starting widths that the person can change; None shares the room that is left."""
    across = view.horizontalHeader()
    assert across is not None
    for column, width in enumerate(widths):
        if width is None:
            across.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
            continue
        across.setSectionResizeMode(column, QHeaderView.ResizeMode.Interactive)
        across.resizeSection(column, width)


def lay_out_page(
    page: QWidget,
    table: QWidget,
    hint: str,
    buttons: Iterable[tuple[str, str, Callable[[], None]]],
    *,
    before: QWidget | None = None,
) -> None:
    """A page of a table that is typed into: what to type over it, and under it buttons by words, name and what each does, `before` them a
    control of the page's own."""
    row = Wrapping()
    if before is not None:
        row.addWidget(before)
    add_buttons(row, buttons)
    told = QLabel(hint)
    told.setObjectName("dim")
    told.setWordWrap(True)
    layout = QVBoxLayout(page)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.addWidget(told)
    layout.addWidget(table, 1)
    layout.addLayout(row)
