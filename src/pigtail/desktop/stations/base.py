"""What all stations share: a picture that paints from a study, signals for edits, and small painting helpers."""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from pigtail.desktop import theme

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from pigtail.job.document import Job, Reading
    from pigtail.studies.found import Studies

Align = Qt.AlignmentFlag


class Station(QWidget):
    """A station. `edited` carries a Change; `refused` one sentence; `wants` one of the wants that the window answers.

    `folder` gives the folder of the job's file, None while it has none; the window sets it.
    """

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)
    wants = pyqtSignal(object)
    key = ""

    def __init__(self) -> None:
        super().__init__()
        self.folder: Callable[[], Path | None] = lambda: None

    def show_job(self, job: Job, studies: Studies) -> None:
        """Paint a job and its studies."""
        raise NotImplementedError

    def glance(self, job: Job) -> bool:
        """Another job is current and its studies are still to come: show at once what can be shown; whether there is any."""
        return False

    def chosen_reading(self) -> Reading | None:
        """The reading that is chosen on view, if there is one."""
        return None


class Painting(QWidget):
    """A picture that computes: keeps what it paints, and a description for those who cannot see it."""

    def __init__(self, name: str, least: QSize) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setMinimumSize(least)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def describe(self, words: str) -> None:
        """Say in words what the picture shows."""
        self.setAccessibleName(words)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = theme.current()
        painter.setPen(QPen(t.color("line"), 1))
        painter.setBrush(t.color("panel"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6)
        self.paint(painter, QRectF(self.rect()).adjusted(12, 10, -12, -10))

    def paint(self, painter: QPainter, box: QRectF) -> None:
        """Paint into a box."""
        raise NotImplementedError


def say(
    painter: QPainter,
    rect: QRectF,
    text: str,
    *,
    use: str = "ink",
    px: int = theme.SMALL_PX,
    bold: bool = False,
    align: Align = Align.AlignLeft | Align.AlignVCenter,
    color: QColor | None = None,
    wrap: bool = False,
    middle: bool = False,
) -> None:
    """Write text into a rectangle, cut with an ellipsis where it does not fit."""
    painter.setFont(theme.font(px, bold=bold))
    painter.setPen(color or theme.current().color(use))
    mode = Qt.TextElideMode.ElideMiddle if middle else Qt.TextElideMode.ElideRight
    room, elided = max(int(rect.width()), 0), painter.fontMetrics().elidedText
    if wrap:  # a word that is longer than a line is cut at its end, not at both
        shown = " ".join(elided(word, mode, room) for word in text.split(" "))
        painter.drawText(rect, int(align) | int(Qt.TextFlag.TextWordWrap), shown)
        return
    painter.drawText(rect, int(align), elided(text, mode, room))


def say_over(
    painter: QPainter,
    rect: QRectF,
    text: str,
    *,
    px: int,
    color: QColor | None = None,
    align: Align = Align.AlignCenter,
) -> None:
    """Write a number, bold, on a plate of the paper's colour, so that no line runs through it."""
    painter.setFont(theme.font(px, bold=True))
    taken = painter.fontMetrics().size(0, text)
    left = rect.left() if align & Align.AlignLeft else rect.center().x() - taken.width() / 2
    plate = theme.current().color("panel")
    plate.setAlpha(225)
    painter.fillRect(QRectF(left - 2, rect.center().y() - px / 2 - 1, taken.width() + 4, px + 2), plate)
    say(painter, rect, text, px=px, bold=True, align=align, color=color)


def wire(painter: QPainter, points: list[QPointF], *, use: str = "copper", width: float = 3.0) -> None:
    """A wire through points."""
    painter.setPen(
        QPen(theme.current().color(use), width, cap=Qt.PenCapStyle.RoundCap, join=Qt.PenJoinStyle.RoundJoin)
    )
    for a, b in itertools.pairwise(points):
        painter.drawLine(a, b)


def board(painter: QPainter, rect: QRectF, title: str, line: str = "") -> None:
    """A board or box with its name."""
    t = theme.current()
    painter.setPen(QPen(t.color("dim"), 1.5))
    painter.setBrush(t.color("field"))
    painter.drawRoundedRect(rect, 5, 5)
    say(painter, QRectF(rect.left() + 8, rect.top() + 4, rect.width() - 14, 18), title, bold=True, px=12)
    if line:
        say(painter, QRectF(rect.left() + 8, rect.top() + 21, rect.width() - 14, 16), line, use="dim")


def gauge(
    painter: QPainter, bar: QRectF, parts: list[tuple[float, str]], full: float, limit: float | None = None
) -> None:
    """A horizontal bar of stacked parts (value, use of colour) on a scale to `full`, with a limit mark."""
    t = theme.current()
    painter.setPen(QPen(t.color("line"), 1))
    painter.setBrush(t.color("ground"))
    painter.drawRect(bar)
    x = bar.left()
    for value, use in parts:
        width = bar.width() * min(max(value, 0.0) / full, 1.0) if full > 0 else 0.0
        width = min(width, bar.right() - x)
        painter.fillRect(QRectF(x, bar.top() + 1, width, bar.height() - 2), t.color(use))
        x += width
    if limit is not None and full > 0:
        at = bar.left() + bar.width() * min(limit / full, 1.0)
        painter.setPen(QPen(t.color("ink"), 2))
        painter.drawLine(QPointF(at, bar.top() - 4), QPointF(at, bar.bottom() + 4))
