"""One table model for all tables: rows of text, some cells editable; an edit is told, never kept here."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, NamedTuple, overload

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from pigtail.desktop import glyphs, theme


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

    def show_rows(self, rows: Sequence[Sequence[Cell]]) -> None:
        """Replace the rows; when their count stays, only their contents change, so selection and scroll stay."""
        fresh: Sequence[tuple[Cell, ...]] = rows if isinstance(rows, Lazy) else tuple(tuple(r) for r in rows)
        if len(fresh) == len(self.rows):
            self.rows = fresh
            if fresh:
                self.dataChanged.emit(self.index(0, 0), self.index(len(fresh) - 1, len(self.columns) - 1))
            return
        self.beginResetModel()
        self.rows = fresh
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.columns)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid() or not index.row() < len(self.rows):
            return None
        cell = self.rows[index.row()][index.column()]
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
        cell = self.rows[index.row()][index.column()]
        if cell.edit is None or str(value) == cell.text:
            return False
        cell.edit(str(value))
        return True

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


def make_table(model: RowsModel, name: str, accessible: str, stretch: int) -> QTableView:
    """A table view in the house's manner; the column `stretch` takes the room that is left."""
    view = QTableView()
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
    page: QWidget, table: QWidget, hint: str, buttons: Iterable[tuple[str, str, Callable[[], None]]]
) -> None:
    """A page of a table that is typed into: what to type over it, and under it buttons by words, name and what each does."""
    row = QHBoxLayout()
    for words, name, run in buttons:
        button = QPushButton(words)
        button.setObjectName(name)
        button.clicked.connect(run)
        row.addWidget(button)
    row.addStretch(1)
    told = QLabel(hint)
    told.setObjectName("dim")
    told.setWordWrap(True)
    layout = QVBoxLayout(page)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.addWidget(told)
    layout.addWidget(table, 1)
    layout.addLayout(row)
