"""A network drawn as its sketch in the catalogue tells: symbols and wires on a grid, each part with a field for its value.

A line of a sketch is a word and numbers: `w x y x y …` a wire, `r name x y h|v` a resistor two units long, `c name x y v` a capacitor,
`diode x y u|d|l|r` and `led …` with the way they point, `npn`, `pnp_h`, `nmos`, `pmos_h`, `npn_lit`, `jfet`, `amp`, `coil`, `contact`,
`contact_v`, `gnd` at x y, `dash x y x y …` what works something else, `port name x y left|right` where a terminal is joined.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from functools import cache
from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from pigtail.catalogue.topologies import Topology, topology
from pigtail.desktop import theme
from pigtail.desktop.stations.base import Align, say
from pigtail.desktop.stations.network import FIELD_HEIGHT, NetworkStrip
from pigtail.job.document import Job, Link
from pigtail.language import tr

#: Room for the names of what is joined, at either side, and above and below the drawing [px].
SIDE_PX, CLOSE_PX, EDGE_PX = 128.0, 82.0, 20.0
#: Narrower than this the names have less room [px].
NARROW_PX = 500
#: How large a unit of the grid is at most and for a legible drawing at least, the width of a field, of its button and of
#: a name [px].
MOST_PX, LEAST_PX, FIELD_PX, MORE_PX, NAME_PX = 34.0, 17.0, 64.0, 18.0, 24.0


#: How far above a part that lies its field reaches, in units of the grid.
ABOVE = 1.4


class SketchMark(NamedTuple):
    """A line of a sketch: its word, its names, its numbers."""

    word: str
    names: tuple[str, ...]
    at: tuple[float, ...]


class PortAt(NamedTuple):
    """What stands at a port in the row on view: its name, its number, and whether there is anything."""

    name: str
    tells: str
    on: bool | None


@cache
def marks_of(text: str) -> tuple[SketchMark, ...]:
    """The lines of a sketch."""
    found = []
    for line in text.strip().splitlines():
        word, *rest = line.split()
        names = tuple(x for x in rest if not _is_number(x))
        found.append(SketchMark(word, names, tuple(float(x) for x in rest if _is_number(x))))
    return tuple(found)


def _is_number(text: str) -> bool:
    return text.replace(".", "", 1).replace("-", "", 1).isdigit()


class SketchStrip(NetworkStrip):
    """The first network of a link that has a sketch, with the volts of a row at its ports."""

    def __init__(self) -> None:
        super().__init__("sketch")
        self.setMinimumSize(QSize(300, 150))
        self.setMaximumHeight(16_777_215)
        self._ports: dict[str, PortAt] = {}

    def _draws(self, shape: Topology) -> bool:
        return shape is self._sketched

    @property
    def _sketched(self) -> Topology | None:
        return sketched(self._link)

    def show_sketch(self, job: Job | None, link: Link | None, ports: Mapping[str, PortAt]) -> None:
        """Show a link with what stands at its ports."""
        changed = self._ports != dict(ports)
        self._ports = dict(ports)
        self.show_link(job, link)
        self._place()
        if changed:
            self.update()

    # -- geometry ---------------------------------------------------------------------------------------------

    @property
    def _marks(self) -> tuple[SketchMark, ...]:
        shape = self._sketched
        return marks_of(shape.sketch) if shape is not None else ()

    @property
    def _side(self) -> float:
        return CLOSE_PX if self.width() < NARROW_PX else SIDE_PX

    def _extent(self) -> tuple[float, float, float, float]:
        xs = [x for m in self._marks for x in m.at[::2]]
        ys = [
            y - (ABOVE if "h" in m.names[1:] else 0.0)  # room for the field above what lies
            for m in self._marks
            for y in m.at[1::2]
        ]
        return min(xs, default=0.0), min(ys, default=0.0), max(xs, default=1.0), max(ys, default=1.0)

    def _scale(self) -> tuple[float, float, float]:
        """Pixels a unit, and where the origin lies."""
        left, top, right, bottom = self._extent()
        wide, high = max(right - left, 1.0), max(bottom - top, 1.0)
        unit = min((self.width() - 2 * self._side) / wide, (self.height() - 2 * EDGE_PX - 8) / high, MOST_PX)
        unit = max(unit, LEAST_PX if self.height() > 150 else unit)
        across = min(max(unit, (self.width() - 2 * self._side) / wide), 1.8 * unit)
        self._across = across
        x = (self.width() - across * wide) / 2 - across * left
        y = EDGE_PX + (self.height() - 2 * EDGE_PX - unit * high) / 2 - unit * top
        return unit, x, y

    def _point(self, x: float, y: float) -> QPointF:
        unit, left, top = self._scale()
        return QPointF(left + self._across * x, top + unit * y)

    def _place(self) -> None:
        places = {m.names[0]: m for m in self._marks if m.word in ("r", "c")}
        for slot, field, more in zip(self._slots, self._fields, self._more, strict=True):
            mark = places.get(slot.rule.name)
            if mark is None:
                field.hide()
                more.hide()
                continue
            at = self._point(*mark.at[:2])
            lies = "h" in mark.names[1:]
            left = at.x() - (FIELD_PX + MORE_PX - NAME_PX) / 2 if lies else at.x() + 11
            top = at.y() - FIELD_HEIGHT - 8 if lies else at.y() - FIELD_HEIGHT / 2 + 1
            field.setGeometry(int(left), int(top), int(FIELD_PX), 21)
            more.setGeometry(int(left + FIELD_PX), int(top), int(MORE_PX), 21)
            more.setText("▾")
            more.setToolTip(tr("Locked or free, and what it is rated for"))

    # -- painting ---------------------------------------------------------------------------------------------

    def paint(self, painter: QPainter, box: QRectF) -> None:
        shape = self._sketched
        if shape is None or self._link is None:
            say(painter, box, tr("Nothing switches it."), use="dim", px=12, align=Align.AlignCenter)
            return
        say(
            painter,
            QRectF(box.left(), box.top() - 6, box.width(), 15),
            shape.title,
            use="dim",
            px=11,
            align=Align.AlignCenter,
        )
        unit, _, _ = self._scale()
        for mark in self._marks:
            if mark.word in ("w", "dash"):
                self._wire(painter, mark)
        for mark in self._marks:
            if mark.word in ("r", "c"):
                self._part(painter, mark, unit)
            elif mark.word == "port":
                self._port(painter, mark)
            elif mark.word in SYMBOLS:
                t = theme.current()
                painter.setPen(QPen(t.color("ink"), 1.6))
                painter.setBrush(t.color("field"))
                way = mark.names[0] if mark.names else ""
                SYMBOLS[mark.word](painter, self._point(*mark.at[:2]), QPointF(self._across, unit), way)

    def _wire(self, painter: QPainter, mark: SketchMark) -> None:
        points = [self._point(mark.at[k], mark.at[k + 1]) for k in range(0, len(mark.at), 2)]
        pen = QPen(
            theme.current().color("copper" if mark.word == "w" else "dim"), 2.2 if mark.word == "w" else 1.2
        )
        if mark.word == "dash":
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))

    def _part(self, painter: QPainter, mark: SketchMark, unit: float) -> None:
        """A resistor or a capacitor with the wires to both its ends, and its name."""
        at, lies = self._point(*mark.at[:2]), "h" in mark.names[1:]
        t = theme.current()
        half = self._across if lies else unit
        way = QPointF(1, 0) if lies else QPointF(0, 1)
        painter.setPen(QPen(t.color("copper"), 2.2))
        painter.drawLine(at - way * half, at + way * half)
        painter.setPen(QPen(t.color("ink"), 1.6))
        painter.setBrush(t.color("field"))
        if mark.word == "r":
            long, thick = min(half * 1.2, 30.0), 10.0
            body = (
                QRectF(at.x() - long / 2, at.y() - thick / 2, long, thick)
                if lies
                else QRectF(at.x() - thick / 2, at.y() - long / 2, thick, long)
            )
            painter.drawRect(body)
        else:
            painter.fillRect(QRectF(at.x() - 9, at.y() - 4, 18, 8), t.color("panel"))
            painter.drawLine(at + QPointF(-9, -4), at + QPointF(9, -4))
            painter.drawLine(at + QPointF(-9, 4), at + QPointF(9, 4))
        beside = at.x() - (FIELD_PX + MORE_PX + NAME_PX) / 2 - 3
        name = QRectF(beside, at.y() - 29, NAME_PX, 14) if lies else QRectF(at.x() - 44, at.y() - 8, 34, 14)
        align = Align.AlignRight | Align.AlignVCenter
        say(painter, name, mark.names[0].upper(), px=11, bold=True, align=align)

    def _port(self, painter: QPainter, mark: SketchMark) -> None:
        """Where a terminal is joined: its name, and what stands there."""
        assert self._link is not None
        assert self._job is not None
        at, left = self._point(*mark.at[:2]), "left" in mark.names
        address = next(
            (
                j.terminal
                for j in self._link.joins
                if j.port == mark.names[0] or (mark.names[0] == "in" and j.terminal in self._link.starts[:1])
            ),
            "",
        )
        told = self._ports.get(address) or PortAt(
            self._job.label(address) if address else tr("nothing joined"), "", None
        )
        t = theme.current()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(t.color("copper" if told.on else "dim"))
        painter.drawEllipse(at, 5, 5)
        align = (Align.AlignRight if left else Align.AlignLeft) | Align.AlignVCenter
        room = self._side - 14
        start = at.x() - room - 9 if left else at.x() + 9
        color = None if address else t.severity("fix")
        say(painter, QRectF(max(start, 4), at.y() - 15, room, 15), told.name, px=11, align=align, color=color)
        say(painter, QRectF(max(start, 4), at.y(), room, 15), told.tells, px=11, bold=True, align=align)


def sketched(link: Link | None) -> Topology | None:
    """The first network of a link that has a sketch; None for none."""
    shapes = [topology(s.topology) for s in link.sections] if link is not None else []
    return next((s for s in shapes if s.sketch), None)


# -- symbols -------------------------------------------------------------------------------------------------


def _line(painter: QPainter, *points: QPointF) -> None:
    painter.drawPolyline(QPolygonF(points))


def _wired(painter: QPainter, a: QPointF, b: QPointF) -> None:
    painter.save()
    painter.setPen(QPen(theme.current().color("copper"), 2.2))
    painter.drawLine(a, b)
    painter.restore()


def _arrow(painter: QPainter, tip: QPointF, back: QPointF, size: float = 6.0) -> None:
    angle = math.atan2(tip.y() - back.y(), tip.x() - back.x())
    painter.save()
    painter.setBrush(theme.current().color("ink"))
    wings = [tip - QPointF(math.cos(angle + w) * size, math.sin(angle + w) * size) for w in (0.45, -0.45)]
    painter.drawPolygon(QPolygonF([tip, *wings]))
    painter.restore()


def _upright(
    painter: QPainter, at: QPointF, u: QPointF, *, gate: bool, into: bool = False, normally: bool = False
) -> None:
    """A transistor standing: its base or gate at the left, its collector or drain above."""
    reach = min(11.0, 0.62 * u.y())
    bar = at.x() - 5
    _wired(painter, QPointF(at.x() - u.x(), at.y()), QPointF(bar - (4 if gate else 0), at.y()))
    _wired(painter, QPointF(at.x(), at.y() - u.y()), QPointF(at.x(), at.y() - reach))
    _wired(painter, QPointF(at.x(), at.y() + reach), QPointF(at.x(), at.y() + u.y()))
    painter.drawLine(QPointF(bar, at.y() - reach), QPointF(bar, at.y() + reach))
    if gate:
        painter.drawLine(QPointF(bar - 4, at.y() - reach * 0.8), QPointF(bar - 4, at.y() + reach * 0.8))
        for side in (-1, 1):
            _line(
                painter,
                QPointF(bar, at.y() + side * reach * 0.7),
                QPointF(at.x(), at.y() + side * reach * 0.7),
                QPointF(at.x(), at.y() + side * reach),
            )
        if not normally:
            _arrow(painter, QPointF(bar + 1, at.y() + reach * 0.7), QPointF(at.x(), at.y() + reach * 0.7), 5)
        else:
            _arrow(painter, QPointF(bar - 1, at.y()), QPointF(bar - 9, at.y()), 6)
        return
    painter.drawLine(QPointF(bar, at.y() - reach * 0.35), QPointF(at.x(), at.y() - reach))
    painter.drawLine(QPointF(bar, at.y() + reach * 0.35), QPointF(at.x(), at.y() + reach))
    _arrow(painter, QPointF(at.x(), at.y() + reach), QPointF(bar, at.y() + reach * 0.35))
    if into:
        for shift in (-4.0, 3.0):
            start = QPointF(at.x() - u.x() * 0.75, at.y() + shift - 7)
            painter.drawLine(start, start + QPointF(10, 6))
            _arrow(painter, start + QPointF(10, 6), start, 5)


def _lying(painter: QPainter, at: QPointF, u: QPointF, *, gate: bool) -> None:
    """A transistor lying on the plus: emitter or source at the left, collector or drain at the right, base or gate below."""
    reach = min(12.0, 0.5 * u.x())
    bar = at.y() + 6
    _wired(painter, QPointF(at.x() - u.x(), at.y()), QPointF(at.x() - reach, at.y()))
    _wired(painter, QPointF(at.x() + reach, at.y()), QPointF(at.x() + u.x(), at.y()))
    _wired(painter, QPointF(at.x(), bar + (4 if gate else 0)), QPointF(at.x(), at.y() + u.y()))
    painter.drawLine(QPointF(at.x() - reach, bar), QPointF(at.x() + reach, bar))
    if gate:
        painter.drawLine(QPointF(at.x() - reach * 0.8, bar + 4), QPointF(at.x() + reach * 0.8, bar + 4))
        for side in (-1, 1):
            _line(
                painter,
                QPointF(at.x() + side * reach * 0.7, bar),
                QPointF(at.x() + side * reach * 0.7, at.y()),
                QPointF(at.x() + side * reach, at.y()),
            )
        _arrow(painter, QPointF(at.x() - reach * 0.7, at.y()), QPointF(at.x() - reach * 0.7, bar), 5)
        return
    painter.drawLine(QPointF(at.x() - reach, at.y()), QPointF(at.x() - reach * 0.35, bar))
    painter.drawLine(QPointF(at.x() + reach, at.y()), QPointF(at.x() + reach * 0.35, bar))
    _arrow(painter, QPointF(at.x() - reach * 0.35, bar), QPointF(at.x() - reach, at.y()))


def _diode(painter: QPainter, at: QPointF, u: QPointF, way: str, *, glows: bool = False) -> None:
    angle = {"r": 0.0, "d": 90.0, "l": 180.0, "u": 270.0}.get(way, 0.0)
    span = 0.8 * (u.x() if way in "lr" else u.y())
    painter.save()
    painter.translate(at)
    painter.rotate(angle)
    size = 7.0
    _wired(painter, QPointF(-max(span, size), 0), QPointF(-size, 0))
    _wired(painter, QPointF(size, 0), QPointF(max(span, size), 0))
    painter.setBrush(theme.current().color("ink"))
    painter.drawPolygon(QPolygonF([QPointF(-size, -size), QPointF(-size, size), QPointF(size, 0)]))
    painter.drawLine(QPointF(size, -size), QPointF(size, size))
    if glows:
        for shift in (-3.0, 4.0):
            painter.drawLine(QPointF(shift, -9), QPointF(shift + 5, -16))
            _arrow(painter, QPointF(shift + 5, -16), QPointF(shift, -9), 4)
    painter.restore()


def _coil(painter: QPainter, at: QPointF, u: QPointF, _way: str) -> None:
    high = min(0.8 * u.y(), 15.0)
    _wired(painter, QPointF(at.x(), at.y() - 0.8 * u.y()), QPointF(at.x(), at.y() + 0.8 * u.y()))
    painter.drawRect(QRectF(at.x() - 12, at.y() - high, 24, 2 * high))
    painter.drawLine(QPointF(at.x() - 12, at.y() + high * 0.6), QPointF(at.x() + 12, at.y() - high * 0.6))


def _contact(painter: QPainter, at: QPointF, u: QPointF, _way: str) -> None:
    _wired(painter, QPointF(at.x() - u.x(), at.y()), QPointF(at.x() - 10, at.y()))
    _wired(painter, QPointF(at.x() + 10, at.y()), QPointF(at.x() + u.x(), at.y()))
    painter.drawLine(QPointF(at.x() - 10, at.y()), QPointF(at.x() + 9, at.y() - 8))


def _contact_v(painter: QPainter, at: QPointF, u: QPointF, _way: str) -> None:
    _wired(painter, QPointF(at.x(), at.y() - u.y()), QPointF(at.x(), at.y() - 9))
    _wired(painter, QPointF(at.x(), at.y() + 9), QPointF(at.x(), at.y() + u.y()))
    painter.drawLine(QPointF(at.x(), at.y() + 9), QPointF(at.x() + 5, at.y() - 10))
    painter.drawLine(QPointF(at.x(), at.y() - 9), QPointF(at.x() + 8, at.y() - 9))


def _ground(painter: QPainter, at: QPointF, _u: QPointF, _way: str) -> None:
    painter.drawLine(at + QPointF(-8, 0), at + QPointF(8, 0))
    painter.drawLine(at + QPointF(-4, 4), at + QPointF(4, 4))


def _amp(painter: QPainter, at: QPointF, u: QPointF, _way: str) -> None:
    left, right, high = at.x() - 0.8 * u.x(), at.x() + 0.9 * u.x(), 1.15 * u.y()
    painter.drawPolygon(
        QPolygonF([QPointF(left, at.y() - high), QPointF(left, at.y() + high), QPointF(right, at.y())])
    )
    say(painter, QRectF(left + 3, at.y() - 0.55 * u.y() - 8, 14, 16), "−", bold=True, px=13)
    say(painter, QRectF(left + 3, at.y() + 0.6 * u.y() - 8, 14, 16), "+", bold=True, px=13)


SYMBOLS: dict[str, Callable[[QPainter, QPointF, QPointF, str], None]] = {
    "npn": lambda p, at, u, _w: _upright(p, at, u, gate=False),
    "npn_lit": lambda p, at, u, _w: _upright(p, at, u, gate=False, into=True),
    "nmos": lambda p, at, u, _w: _upright(p, at, u, gate=True),
    "jfet": lambda p, at, u, _w: _upright(p, at, u, gate=True, normally=True),
    "pnp_h": lambda p, at, u, _w: _lying(p, at, u, gate=False),
    "pmos_h": lambda p, at, u, _w: _lying(p, at, u, gate=True),
    "diode": _diode,
    "led": lambda p, at, u, w: _diode(p, at, u, w, glows=True),
    "coil": _coil,
    "contact": _contact,
    "contact_v": _contact_v,
    "gnd": _ground,
    "amp": _amp,
}
