"""Symbols of parts, drawn along a wire: on it, hanging from it, beside one another, or on a second wire below."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from pigtail.desktop import theme
from pigtail.desktop.stations.base import say
from pigtail.language import tr

#: How far under the wire a second one runs, and that of the feedback's foot.
LOWER, FOOT = 20.0, 32.0
Draw = Callable[[QPainter, float, float], None]


class Spot(NamedTuple):
    """Where a part is drawn: its own slot and the one before, the height of the wire, whether it is the first and the last of
    its kind there, and where a second wire begins at the left."""

    rect: QRectF
    before: QRectF
    line: float
    first: bool
    last: bool
    start: float

    @property
    def x(self) -> float:
        """The middle of the slot."""
        return float(self.rect.center().x())


def name_rect(place: Spot, where: str) -> QRectF:
    """Where the name of a part stands."""
    rect, x, line = place.rect, place.x, place.line
    aside = rect.width() / 2 - 10
    if where in ("hanging", "middle"):
        return QRectF(x + 12, line + 10, aside, 16)
    if where in ("second", "cold", "branch", "mirror", "returned"):
        return QRectF(x + 16, line + LOWER + 5, aside, 13)
    if where == "beside":
        return QRectF(x + 14, line + LOWER - 16, aside, 13)
    if where == "foot":
        return QRectF(x - 8, line + 12, rect.width() / 2, 13)
    return QRectF(rect.left(), line - 28, rect.width(), 14)


def pens(painter: QPainter, *, wire: bool = False, thick: float = 0.0) -> None:
    """The pen of wires or of symbols."""
    t = theme.current()
    painter.setPen(QPen(t.color("copper" if wire else "ink"), thick or (2 if wire else 1.6)))
    painter.setBrush(t.color("field"))


def _wires(painter: QPainter, points: list[tuple[float, float]], thick: float = 2.0) -> None:
    pens(painter, wire=True, thick=thick)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF(QPointF(x, y) for x, y in points))


def _ground(painter: QPainter, x: float, y: float) -> None:
    pens(painter)
    painter.drawLine(QPointF(x - 7, y), QPointF(x + 7, y))


def _body(painter: QPainter, x: float, y: float, capacitor_here: bool) -> None:
    """A small part lying on a second wire."""
    if capacitor_here:
        _plates(painter, QRectF(x - 3, y - 7, 6, 14), lying=False)
    else:
        pens(painter)
        painter.drawRect(QRectF(x - 13, y - 5.5, 26, 11))


def _hang(painter: QPainter, x: float, line: float, above: float, below: float) -> None:
    """The wire down to a part that hangs, and from it to the common."""
    _wires(painter, [(x, line), (x, line + above)])
    _wires(painter, [(x, line + below), (x, line + 35)])
    _ground(painter, x, line + 35)


def resistor(painter: QPainter, x: float, line: float) -> None:
    """A resistor on the wire."""
    pens(painter)
    painter.drawRect(QRectF(x - 15, line - 7, 30, 14))


def resistor_down(painter: QPainter, x: float, line: float) -> None:
    """A resistor from the wire to the common."""
    _hang(painter, x, line, 7, 29)
    pens(painter)
    painter.drawRect(QRectF(x - 6, line + 7, 12, 22))


def _plates(painter: QPainter, box: QRectF, *, lying: bool) -> None:
    painter.fillRect(box, theme.current().color("panel"))
    pens(painter)
    if lying:
        for y in (box.top(), box.bottom()):
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
    else:
        for x in (box.left(), box.right()):
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))


def capacitor(painter: QPainter, x: float, line: float) -> None:
    """A capacitor on the wire."""
    _plates(painter, QRectF(x - 3, line - 10, 6, 20), lying=False)


def capacitor_down(painter: QPainter, x: float, line: float) -> None:
    """A capacitor from the wire to the common."""
    _hang(painter, x, line, 15, 21)
    _plates(painter, QRectF(x - 10, line + 15, 20, 6), lying=True)


def knob(painter: QPainter, x: float, line: float, turn: float) -> None:
    """A volume control from above, its pointer where it is turned to: three quarters of a round, the gap below."""
    pens(painter)
    painter.drawEllipse(QPointF(x, line), 11, 11)
    angle = math.radians(225 - 270 * min(max(turn, 0.0), 1.0))
    tip = QPointF(x + 10 * math.cos(angle), line - 10 * math.sin(angle))
    painter.setPen(QPen(theme.current().color("ink"), 2.5))
    painter.drawLine(QPointF(x, line), tip)


def amplifier(painter: QPainter, x: float, line: float) -> None:
    """An amplifier on the wire."""
    pens(painter)
    painter.drawPolygon(QPointF(x - 16, line - 14), QPointF(x - 16, line + 14), QPointF(x + 16, line))


def amplifier_with_feedback(painter: QPainter, x: float, line: float) -> None:
    """An amplifier on the wire, the feedback from its output to its input below it."""
    _wires(
        painter,
        [
            (x + 16, line),
            (x + 26, line),
            (x + 26, line + 21),
            (x - 24, line + 21),
            (x - 24, line + 7),
            (x - 16, line + 7),
        ],
    )
    amplifier(painter, x, line)
    painter.drawRect(QRectF(x - 13, line + 16, 26, 10))


def rail(painter: QPainter, x: float, line: float) -> None:
    """A supply: a short bar over the wire."""
    pens(painter)
    painter.drawLine(QPointF(x, line - 3), QPointF(x, line - 11))
    painter.drawLine(QPointF(x - 9, line - 11), QPointF(x + 9, line - 11))


def transformer(painter: QPainter, x: float, line: float) -> None:
    """Two windings with a core between them; nothing but the field joins them."""
    painter.fillRect(QRectF(x - 14, line - 4, 28, 8), theme.current().color("panel"))
    pens(painter)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for side, start in ((-1, 270), (1, 90)):
        for k in range(3):
            painter.drawArc(QRectF(x + side * 11 - 5, line - 2 + 10 * k, 10, 10), start * 16, 180 * 16)
    for dx in (-2, 2):
        painter.drawLine(QPointF(x + dx, line - 2), QPointF(x + dx, line + 28))


# -- parts that do not lie on the wire ----------------------------------------------------------------------


def _second(painter: QPainter, place: Spot, capacitor_here: bool) -> None:
    """The second of two outputs comes in below the first, through its own part, and meets it."""
    low, right = place.line + LOWER, place.rect.right() - 8
    _wires(painter, [(place.start, low), (right, low), (right, place.line)], 3.0)
    _body(painter, place.x, low, capacitor_here)


def _beside(painter: QPainter, place: Spot, capacitor_here: bool) -> None:
    """Parallel to the part before it: from before that one to behind it."""
    low, left, right = place.line + LOWER, place.before.left() + 8, place.rect.right() - 8
    _wires(painter, [(left, place.line), (left, low), (right, low), (right, place.line)])
    _body(painter, place.x, low, capacitor_here)


def _foot(painter: QPainter, place: Spot, capacitor_here: bool) -> None:
    """From the point of the feedback to the common, one after another on a wire of their own."""
    low, end, from_amplifier = place.line + FOOT, place.rect.right() - 12, place.before.center().x() - 24
    if place.first:
        _wires(painter, [(from_amplifier, place.line + LOWER + 1), (from_amplifier, low), (end, low)])
    else:
        _wires(painter, [(place.before.right() - 12, low), (end, low)])
    _body(painter, place.x, low, capacitor_here)
    if place.last:
        pens(painter)
        painter.drawLine(QPointF(end, low - 6), QPointF(end, low + 6))


def _middle(painter: QPainter, place: Spot, _capacitor_here: bool) -> None:
    """From the wire to the middle of the supply, not to the common."""
    x, line = place.x, place.line
    _wires(painter, [(x, line), (x, line + 34)])
    pens(painter)
    painter.drawRect(QRectF(x - 6, line + 6, 12, 20))
    painter.drawEllipse(QPointF(x, line + 34), 2.5, 2.5)
    say(painter, QRectF(x + 7, line + 26, 30, 13), "½", px=11)


def _returned(painter: QPainter, place: Spot, capacitor_here: bool) -> None:
    """From the source's return to the amplifier's other input."""
    low = place.line + LOWER + 1
    _wires(painter, [(place.rect.left() + 6, low), (place.rect.right() + place.rect.width() / 2 - 24, low)])
    _body(painter, place.x, low, capacitor_here)
    say(painter, QRectF(place.rect.left() + 4, low - 15, 60, 13), tr("return"), use="dim", px=10)


def _branch(painter: QPainter, place: Spot, capacitor_here: bool) -> None:
    """Off the wire onto a second one."""
    low, left = place.line + LOWER, place.rect.left() + 8
    _wires(painter, [(left, place.line), (left, low), (place.rect.right(), low)])
    _body(painter, place.x, low, capacitor_here)


def _mirror(painter: QPainter, place: Spot, _capacitor_here: bool) -> None:
    """An amplifier on the second wire that turns the signal round."""
    low, x = place.line + LOWER, place.x
    _wires(painter, [(place.rect.left(), low), (place.rect.right(), low)])
    pens(painter)
    painter.drawPolygon(QPointF(x - 12, low - 10), QPointF(x - 12, low + 10), QPointF(x + 10, low))
    painter.drawEllipse(QPointF(x + 13, low), 2.5, 2.5)


def _over(painter: QPainter, place: Spot, _capacitor_here: bool) -> None:
    """On the wire, the second one passing below."""
    low = place.line + LOWER
    _wires(painter, [(place.rect.left(), low), (place.rect.right(), low)])
    resistor(painter, place.x, place.line)


def _cold(painter: QPainter, place: Spot, capacitor_here: bool) -> None:
    """On the second wire, which goes on to the input's other side."""
    low = place.line + LOWER
    _wires(painter, [(place.rect.left(), low), (place.rect.right() - 4, low)])
    _body(painter, place.x, low, capacitor_here)
    say(painter, QRectF(place.rect.right() - 34, low - 15, 32, 13), tr("cold"), use="dim", px=10)


ELSEWHERE: dict[str, Callable[[QPainter, Spot, bool], None]] = {
    "second": _second, "beside": _beside, "foot": _foot, "middle": _middle, "returned": _returned, "branch": _branch,
    "mirror": _mirror, "over": _over, "cold": _cold,
}  # fmt: skip
