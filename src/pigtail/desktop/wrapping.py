"""A row of controls that goes on in the next line where the window is too narrow, so that no word on a button is cut."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QLabel,
    QLayout,
    QLayoutItem,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)


class Wrapping(QLayout):
    """A layout that sets its widgets beside one another at their own width, and begins a new line when one is full."""

    def __init__(self, spacing: int = 6) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self.setContentsMargins(0, 0, 0, 0)
        self.setSpacing(spacing)

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._place(QRect(0, 0, width, 0), move=False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._place(rect, move=True)

    def sizeHint(self) -> QSize:
        """All in one line."""
        shown = [i.sizeHint() for i in self._items if not i.isEmpty()]
        width = sum(s.width() for s in shown) + self.spacing() * max(len(shown) - 1, 0)
        return QSize(width, max((s.height() for s in shown), default=0))

    def minimumSize(self) -> QSize:
        """As wide as the widest of them."""
        least = QSize()
        for item in self._items:
            if not item.isEmpty():
                least = least.expandedTo(item.sizeHint())
        return least

    def _together(self, k: int) -> int:
        """What must stand in one line from this item on [px]: a label and what it names are not parted."""
        width = self._items[k].sizeHint().width()
        label = self._items[k].widget()
        if isinstance(label, QLabel) and label.buddy() is not None and k + 1 < len(self._items):
            width += self.spacing() + self._items[k + 1].sizeHint().width()
        return width

    def _place(self, rect: QRect, *, move: bool) -> int:
        """Set the widgets into the lines of a rectangle, or only tell how high [px] they come."""
        lines: list[list[QLayoutItem]] = [[]]
        x = 0
        for k, item in enumerate(self._items):
            if item.isEmpty():
                continue
            if x and x + self._together(k) > rect.width():
                lines.append([])
                x = 0
            lines[-1].append(item)
            x += item.sizeHint().width() + self.spacing()
        y = rect.y()
        for line in lines:
            height = max((i.sizeHint().height() for i in line), default=0)
            x = rect.x()
            for item in line if move else ():
                size = item.sizeHint()
                item.setGeometry(QRect(QPoint(x, y + (height - size.height()) // 2), size))
                x += size.width() + self.spacing()
            y += height + self.spacing()
        return y - self.spacing() - rect.y()


def row_of(*items: QWidget | str) -> Wrapping:
    """A row of words and widgets; words stay in one line with the widget they name."""
    row = Wrapping()
    for k, item in enumerate(items):
        if isinstance(item, str):
            label = QLabel(item)
            following = next((w for w in items[k + 1 :] if isinstance(w, QWidget)), None)
            if following is not None:
                label.setBuddy(following)
            row.addWidget(label)
        else:
            row.addWidget(item)
    return row


def add_buttons(row: QLayout, given: Iterable[tuple[str, str, Callable[[], None]]]) -> None:
    """Put buttons into a row: their words, their name and what each does."""
    for words, name, run in given:
        button = QPushButton(words)
        button.setObjectName(name)
        button.clicked.connect(lambda _c, run=run: run())
        row.addWidget(button)


def add_choices(row: QLayout, group: QButtonGroup, given: Iterable[tuple[str, str, str]]) -> None:
    """Put buttons of which one is on into a row and their group, from nought: words, name and what a screen reader calls each."""
    for number, (words, name, called) in enumerate(given):
        button = QPushButton(words)
        button.setObjectName(name)
        button.setCheckable(True)
        button.setAccessibleName(called)
        group.addButton(button, number)
        row.addWidget(button)


def scrolled_layout(page: QWidget) -> QVBoxLayout:
    """A column for a page's contents, which scrolls where the window is too low for all of them."""
    area, inside = QScrollArea(), QWidget()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(inside)
    outside = QVBoxLayout(page)
    outside.setContentsMargins(0, 0, 0, 0)
    outside.addWidget(area)
    column = QVBoxLayout(inside)
    column.setContentsMargins(0, 0, 0, 0)
    return column
