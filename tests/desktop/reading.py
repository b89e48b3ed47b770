"""Every word that stands on a window: labels, buttons, lists, tables, what is said to those who hear the screen."""

from __future__ import annotations

import re
from collections.abc import Iterator

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QAbstractItemView, QComboBox, QLabel, QLineEdit, QWidget

from pigtail.desktop.tables import RowsModel

#: So many rows of a table are read.
MOST_ROWS = 200
WORD = re.compile(r"[A-Za-z][A-Za-z’']+(?:-[A-Za-z]+)*")


def texts(root: QWidget) -> Iterator[str]:
    """All texts that are visible below a widget, and the names that a screen reader says."""
    for widget in (root, *root.findChildren(QWidget)):
        if not widget.isVisible():
            continue
        yield widget.accessibleName()
        if isinstance(widget, QLabel):
            yield re.sub("<[^>]*>", " ", widget.text())
        elif isinstance(widget, QAbstractButton):
            yield widget.text().replace("&", "")
        elif isinstance(widget, QComboBox):
            yield from (widget.itemText(k) for k in range(widget.count()))
        elif isinstance(widget, QLineEdit):
            yield widget.placeholderText()
        elif isinstance(widget, QAbstractItemView):
            yield from _cells(widget)


def _cells(view: QAbstractItemView) -> Iterator[str]:
    model = view.model()
    if model is None:
        return
    columns = model.columnCount() if isinstance(model, RowsModel) else 1
    for column in range(columns):
        head = model.headerData(column, Qt.Orientation.Horizontal)
        if isinstance(head, str) and columns > 1:
            yield head
        for row in range(min(model.rowCount(), MOST_ROWS)):
            value = model.index(row, column).data()
            if isinstance(value, str):
                yield value


def words(root: QWidget) -> set[str]:
    """The words of all texts below a widget, small and without the s of belonging."""
    return {w.lower().removesuffix("'s").removesuffix("’s") for t in texts(root) for w in WORD.findall(t)}
