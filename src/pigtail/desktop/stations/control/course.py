"""A transition in time: how supplies, lines and inputs move as the host goes from state to state, and what happens in which order."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF

from pigtail.desktop import theme
from pigtail.desktop.stations.base import Align, Painting, say
from pigtail.desktop.stations.control.table import short
from pigtail.language import tr
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.studies.control.found import Curve, Transition

#: The most events that are told below the curves, and the height of a line [px].
EVENTS, LINE_PX = 4, 15


class CourseView(Painting):
    """One transition at a time; a click or the arrow keys go to the next. `turned` tells that another is on view."""

    turned = pyqtSignal()

    def __init__(self) -> None:
        super().__init__("transition", QSize(176, 150))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(tr("Click, or press an arrow key, for the next transition"))
        self.transitions: tuple[Transition, ...] = ()
        self.at = 0

    @property
    def here(self) -> Transition | None:
        """The transition on view."""
        return self.transitions[self.at % len(self.transitions)] if self.transitions else None

    def show_transitions(self, transitions: tuple[Transition, ...]) -> None:
        """Show transitions, the same one as before if it is still there."""
        words = self.here.words if self.here is not None else ""
        self.transitions = transitions
        self.at = next((k for k, t in enumerate(transitions) if t.words == words), 0)
        self._tell()

    def turn(self, by: int) -> None:
        """Go to another transition."""
        if self.transitions:
            self.at = (self.at + by) % len(self.transitions)
            self._tell()
            self.turned.emit()

    def _tell(self) -> None:
        here = self.here
        if here is None:
            self.describe(tr("No transition to show"))
            return
        events = "; ".join(f"{_time(t)} {w}" for t, w in here.events)
        self.describe(
            tr("Transition {here}: {value}", here=here.words, value=events or tr("nothing passes a level"))
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.turn(1)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}
        step = next((by for key, by in steps.items() if event is not None and event.key() == key), None)
        if step is None:
            super().keyPressEvent(event)
        else:
            self.turn(step)

    def paint(self, painter: QPainter, box: QRectF) -> None:
        here = self.here
        if here is None:
            say(painter, box, tr("Nothing to see in time yet."), use="dim", px=12, align=Align.AlignCenter)
            return
        title = f"{here.words[:1].upper()}{here.words[1:]}"
        say(painter, QRectF(box.left(), box.top() - 4, box.width() - 34, 16), title, bold=True, px=11)
        count = tr("{value} of {count} ▸", value=self.at + 1, count=len(self.transitions))
        say(
            painter,
            QRectF(box.right() - 60, box.top() - 4, 60, 16),
            count,
            px=11,
            use="dim",
            align=Align.AlignRight | Align.AlignVCenter,
        )
        foot = LINE_PX * min(len(here.events), EVENTS) + 16
        area = box.adjusted(0, 16, 0, -foot)
        high = area.height() / max(len(here.curves), 1)
        for k, curve in enumerate(here.curves):
            self._curve(
                painter, here, curve, QRectF(area.left(), area.top() + k * high, area.width(), high - 4)
            )
        zero = self._x(here, 0.0, area)
        painter.setPen(QPen(theme.current().color("dim"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(zero, area.top()), QPointF(zero, area.bottom()))
        end = QRectF(area.left(), area.bottom() - 1, area.width(), 15)
        say(
            painter,
            end,
            format_quantity(here.times[-1], "s", 2),
            px=10,
            use="dim",
            align=Align.AlignRight | Align.AlignVCenter,
        )
        for k, (when, words) in enumerate(here.events[:EVENTS]):
            line = QRectF(box.left(), box.bottom() - foot + 16 + LINE_PX * k, box.width(), LINE_PX)
            say(painter, line, f"{_time(when)}   {short(words)}", px=11)

    def _x(self, here: Transition, time: float, rect: QRectF) -> float:
        first, last = here.times[0], here.times[-1]
        return float(rect.left() + rect.width() * (time - first) / (last - first))

    def _curve(self, painter: QPainter, here: Transition, curve: Curve, rect: QRectF) -> None:
        t = theme.current()
        top = max(*curve.volts, curve.mark or 0.0, 0.1)
        low = min(*curve.volts, 0.0)
        plot = rect.adjusted(0, 13, 0, -2)

        def y(volts: float) -> float:
            return float(plot.bottom() - plot.height() * (volts - low) / (top - low))

        say(
            painter,
            QRectF(rect.left(), rect.top() - 1, rect.width(), 14),
            short(curve.words),
            px=10,
            use="dim",
        )
        ends = f"{format_quantity(_nought(curve.volts[0]), 'V', 2)} → {format_quantity(_nought(curve.volts[-1]), 'V', 2)}"
        say(
            painter,
            QRectF(rect.left(), rect.top() - 1, rect.width(), 14),
            ends,
            px=10,
            bold=True,
            align=Align.AlignRight | Align.AlignVCenter,
        )
        painter.setPen(QPen(t.color("line"), 1))
        painter.drawLine(QPointF(plot.left(), y(0.0)), QPointF(plot.right(), y(0.0)))
        if curve.mark is not None:
            painter.setPen(QPen(t.color("accent"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(plot.left(), y(curve.mark)), QPointF(plot.right(), y(curve.mark)))
        painter.setPen(QPen(t.color("copper"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(
            QPolygonF(
                QPointF(self._x(here, a, plot), y(b)) for a, b in zip(here.times, curve.volts, strict=True)
            )
        )


def _nought(volts: float) -> float:
    return 0.0 if abs(volts) < 5e-3 else volts


def _time(seconds: float) -> str:
    return (
        tr("at once") if seconds < 1e-6 else tr("after {seconds}", seconds=format_quantity(seconds, "s", 2))
    )
