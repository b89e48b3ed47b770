"""What modders disagree on about a feed: both ways solved for the job in hand, side by side, ours marked, with its reason."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from pigtail.edits.change import Change
from pigtail.language import tr

if TYPE_CHECKING:
    from pigtail.advice.found import Contest, Side


class _Method(QFrame):
    """One way of doing it: its name, its figures, and the button that takes it."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.title = QLabel()
        self.figures = QGridLayout()
        self.figures.setHorizontalSpacing(10)
        self.figures.setVerticalSpacing(0)
        self.use = QPushButton(tr("Use this way"))
        self.use.setObjectName(name)
        head = QHBoxLayout()
        head.addWidget(self.title, 1)
        head.addWidget(self.use)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 4, 8, 4)
        layout.setSpacing(2)
        layout.addLayout(head)
        layout.addLayout(self.figures)
        layout.addStretch(1)

    def show_side(self, side: Side, ours: bool) -> None:
        """Show one side of the argument."""
        marks = [m for m, there in ((tr("our pick"), ours), (tr("as it is now"), side.edit is None)) if there]
        self.title.setText(" · ".join((f"<b>{side.label}</b>", *marks)))
        self.use.setVisible(side.edit is not None)
        self.use.setAccessibleName(tr("Use this way: {label}", label=side.label))
        while (item := self.figures.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        for k, (words, value) in enumerate(side.figures):
            name = QLabel(words)
            name.setObjectName("dim")
            row, column = divmod(k, 2)
            self.figures.addWidget(name, row, 2 * column)
            self.figures.addWidget(QLabel(value), row, 2 * column + 1)
        self.figures.setColumnStretch(3, 1)


class Schools(QWidget):
    """Shows contests one at a time. `edited` carries a Change; `reasoned` why we take one side; `closed` that they are
    to be put away."""

    edited = pyqtSignal(object)
    reasoned = pyqtSignal(str)
    closed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.question = QComboBox()
        self.question.setObjectName("contest")
        self.question.setAccessibleName(tr("What is argued about"))
        self.question.currentIndexChanged.connect(self._show)
        self.away = QPushButton(tr("Put away"))
        self.away.clicked.connect(self.closed)
        self.sides = (_Method("use_first_way"), _Method("use_second_way"))
        for k, side in enumerate(self.sides):
            side.use.clicked.connect(lambda _c, k=k: self._use(k))
        self._contests: tuple[Contest, ...] = ()
        head = QHBoxLayout()
        head.addWidget(self.question)
        head.addStretch(1)
        head.addWidget(self.away)
        ways = QHBoxLayout()
        ways.setSpacing(8)
        for side in self.sides:
            ways.addWidget(side, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(head)
        layout.addLayout(ways, 1)

    def show_contests(self, contests: tuple[Contest, ...]) -> None:
        """Show contests, the first on view."""
        self._contests = contests
        self.question.blockSignals(True)
        self.question.clear()
        self.question.addItems([c.question for c in contests])
        self.question.blockSignals(False)
        self._show(0)

    def _show(self, at: int) -> None:
        if not 0 <= at < len(self._contests):
            return
        contest = self._contests[at]
        for k, (view, side) in enumerate(zip(self.sides, contest.sides, strict=True)):
            view.show_side(side, contest.pick == k)
        self.reasoned.emit(
            tr("Our pick: {label}, because {why}.", label=contest.sides[contest.pick].label, why=contest.why)
        )

    def _use(self, k: int) -> None:
        side = self._contests[self.question.currentIndex()].sides[k]
        if side.edit is not None:
            self.edited.emit(Change(side.label, side.edit))
