"""What comes near its limit, as bars: from the least to the most that it may be, with the limit drawn across."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QColor, QPainter, QPen

from pigtail.desktop import theme
from pigtail.desktop.stations.base import Align, Painting, say
from pigtail.job.document import Job, Rail, SupplyIn
from pigtail.job.windings import winding_at
from pigtail.language import tr
from pigtail.model.estimate import Estimate
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.studies.power.found import SupplyDetail

#: A bar needs so much height; it is no higher than the second [px].
LEAST, MOST = 30.0, 118.0
#: A bar of a height of the mains is named from this height on [px].
NAMED = 10.0
#: A row from this height on is written larger [px].
TALL = 50.0


class Bar(NamedTuple):
    """A number against its limits: its words, where the scale begins and ends, the least, nominal and most of it, its limits, what it
    starts with (what the host draws already), what is told beside it; whether it is known and within its limits; what it is at each height
    of the mains, where it differs."""

    words: str
    start: float
    end: float
    low: float
    value: float
    high: float
    limits: tuple[float, ...]
    before: float
    told: str
    known: bool
    within: bool
    heights: tuple[tuple[str, float], ...] = ()


def _bar(
    words: str,
    number: Estimate,
    start: float,
    end: float,
    limits: tuple[float, ...],
    told: str,
    *,
    before: float = 0.0,
) -> Bar:
    if number.value is None:
        return Bar(words, start, end, 0.0, 0.0, 0.0, limits, before, tr("not known"), False, True)
    least, most = limits if len(limits) == 2 else (number.low, min(limits))
    within = least <= number.low and number.high <= most
    return Bar(words, start, end, number.low, number.value, number.high, limits, before, told, True, within)


def bars_of(job: Job, supply: SupplyDetail) -> tuple[Bar, ...]:
    """The bars of a supply."""
    n, found = supply.numbers, []
    pin = job.terminal(supply.supply)
    if isinstance(pin, SupplyIn) and pin.minimum is not None and pin.maximum is not None:
        low, high = pin.minimum.nominal, pin.maximum.nominal
        span = max(high - low, 0.1)
        told = tr("{short} of {low:g}–{high:g} V", short=n["module_v_burst"].short(), low=low, high=high)
        found.append(
            _bar(
                tr("module's pins"),
                n["module_v_burst"],
                low - 0.6 * span,
                high + 0.6 * span,
                (low, high),
                told,
            )
        )
    if "regulator_tj_c" in n:
        limit = _hottest(n)
        told = tr("{short} of {limit:.0f} °C", short=n["regulator_tj_c"].short(), limit=limit)
        junction = _bar(tr("converter's junction"), n["regulator_tj_c"], 0.0, 1.35 * limit, (limit,), told)
        found.append(junction._replace(heights=tuple((h.mains, h.junction_c) for h in supply.heat)))
    found += _budget(job, supply)
    found += _elsewhere(job, supply)
    if "diode_tj_c" in n and n["diode_room_c"].value is not None and n["diode_tj_c"].value is not None:
        limit = n["diode_tj_c"].value + n["diode_room_c"].value
        found.append(
            _bar(
                tr("a diode's junction"),
                n["diode_tj_c"],
                0.0,
                1.35 * limit,
                (limit,),
                tr("{short} of {limit:.0f} °C", short=n["diode_tj_c"].short(), limit=limit),
            )
        )
    if "capacitor_a" in n and n["ripple_room_a"].value is not None and n["capacitor_a"].value is not None:
        limit = n["capacitor_a"].value + n["ripple_room_a"].value
        told = tr("{short} of {limit}", short=n["capacitor_a"].short(), limit=format_quantity(limit, "A", 2))
        found.append(
            _bar(tr("reservoir's ripple current"), n["capacitor_a"], 0.0, 1.35 * limit, (limit,), told)
        )
    return tuple(found)


def _hottest(n: dict[str, Estimate]) -> float:
    hot, room = n["regulator_tj_c"].value, n["regulator_room_c"].value
    return hot + room if hot is not None and room is not None else 125.0


def _budget(job: Job, supply: SupplyDetail) -> list[Bar]:
    """What the rail or the winding gives, of what it can."""
    n = supply.numbers
    winding = winding_at(job, supply.rail)
    if winding is not None:
        number = n["rail_current_a"]
        if winding.rated is None or number.value is None:
            return [
                Bar(
                    f"{winding.name}, r.m.s.",
                    0.0,
                    1.0,
                    0.0,
                    0.0,
                    0.0,
                    (),
                    0.0,
                    tr("rating or use not known"),
                    False,
                    True,
                )
            ]
        limit = winding.rated.nominal
        told = tr("{short} of {limit}", short=number.short(), limit=format_quantity(limit, "A", 2))
        used = winding.used.nominal if winding.used is not None else 0.0
        name = f"{winding.name}, r.m.s."
        return [_bar(name, number, 0.0, 1.35 * limit, (limit,), told, before=used)]
    rail = job.terminal(supply.rail)
    limit_known = rail.limit if isinstance(rail, Rail) else None
    number = n["rail_current_burst_a"]
    name = tr("{rail}: used and burst", rail=job.label(supply.rail))
    if limit_known is None:
        return [Bar(name, 0.0, 1.0, 0.0, 0.0, 0.0, (), 0.0, tr("limit not known"), False, True)]
    limit = limit_known.nominal
    used = rail.used.nominal if isinstance(rail, Rail) and rail.used is not None else 0.0
    told = tr("{short} of {limit}", short=number.short(), limit=format_quantity(limit, "A", 2))
    most = max(1.35 * limit, 1.05 * (number.value or 0.0))
    return [_bar(name, number, 0.0, most, (limit,), told, before=used)]


def _elsewhere(job: Job, supply: SupplyDetail) -> list[Bar]:
    """What each rail gives in the other states, of what it can."""
    found = []
    for use in supply.uses:
        state = job.state(use.state)
        words = tr(
            "{rail} while “{more}”",
            rail=job.label(use.rail),
            more=state.name if state is not None else use.state,
        )
        if use.limit is None or use.amperes.value is None:
            found.append(
                Bar(words, 0.0, 1.0, 0.0, 0.0, 0.0, (), 0.0, tr("not known"), known=False, within=True)
            )
            continue
        told = tr("{short} of {limit}", short=use.amperes.short(), limit=format_quantity(use.limit, "A", 2))
        most = max(1.35 * use.limit, 1.05 * use.amperes.value)
        found.append(_bar(words, use.amperes, 0.0, most, (use.limit,), told, before=use.used or 0.0))
    return found


def _told(bar: Bar) -> str:
    heights = "".join(tr(", {at:.0f} °C at {name} mains", at=at, name=name) for name, at in bar.heights)
    return f"{bar.words}: {bar.told}{heights}"


class Bars(Painting):
    """The bars of the supply on view."""

    def __init__(self) -> None:
        super().__init__("supply_bars", QSize(190, 100))
        self.bars: tuple[Bar, ...] = ()

    def show_supply(self, job: Job, supply: SupplyDetail | None) -> None:
        """Show a supply."""
        self.bars = bars_of(job, supply) if supply is not None else ()
        self.describe("; ".join(map(_told, self.bars)) or tr("No supply to show"))

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if not self.bars:
            say(painter, box, tr("No supply to show."), use="dim", align=Align.AlignCenter)
            return
        count = min(len(self.bars), max(int(box.height() // LEAST), 1))
        pitch = min(box.height() / count, MOST)
        for k, bar in enumerate(self.bars[:count]):
            self._bar(painter, QRectF(box.left(), box.top() + k * pitch, box.width(), pitch), bar)

    def _bar(self, painter: QPainter, row: QRectF, bar: Bar) -> None:
        t = theme.current()
        px = 14 if row.height() >= TALL else 11
        head = QRectF(row.left(), row.top(), row.width(), px + 4)
        use = "ink" if bar.within else "fix"
        use = use if bar.known else "unknown"
        say(painter, head, bar.told, px=px, bold=True, use=use, align=Align.AlignRight | Align.AlignVCenter)
        room = head.width() - painter.fontMetrics().horizontalAdvance(bar.told) - 8
        say(
            painter,
            QRectF(head.left(), head.top(), room, 15),
            f"{bar.words[:1].upper()}{bar.words[1:]}",
            px=11,
        )
        gauge = QRectF(
            row.left(),
            head.bottom() + 3,
            row.width(),
            min(max(row.height() - head.height() - 16, 11.0), 38.0),
        )
        painter.setPen(QPen(t.color("line"), 1))
        painter.setBrush(t.color("field"))
        painter.drawRect(gauge)
        span = bar.end - bar.start

        def x(value: float) -> float:
            return gauge.left() + gauge.width() * min(max((value - bar.start) / span, 0.0), 1.0)

        colour = t.color("accent" if bar.within else "fix")
        if bar.known and bar.heights:
            self._heights(painter, gauge, bar, x)
        elif bar.known:
            if len(bar.limits) == 1:
                painter.fillRect(
                    QRectF(gauge.left(), gauge.top() + 1, x(bar.before) - gauge.left(), gauge.height() - 2),
                    t.color("ivory"),
                )
                painter.fillRect(
                    QRectF(x(bar.before), gauge.top() + 1, x(bar.value) - x(bar.before), gauge.height() - 2),
                    colour,
                )
            pale = QColor(colour)
            pale.setAlpha(90)
            painter.fillRect(
                QRectF(x(bar.low), gauge.top() + 1, max(x(bar.high) - x(bar.low), 2.0), gauge.height() - 2),
                pale,
            )
            painter.fillRect(QRectF(x(bar.value) - 1.5, gauge.top() - 2, 3, gauge.height() + 4), colour)
        painter.setPen(QPen(t.color("ink"), 2))
        for limit in bar.limits:
            painter.drawLine(QPointF(x(limit), gauge.top() - 3), QPointF(x(limit), gauge.bottom() + 3))

    def _heights(self, painter: QPainter, gauge: QRectF, bar: Bar, x: Callable[[float], float]) -> None:
        """A bar in the gauge for each height of the mains, its name in it; the spread pale behind them."""
        t, part = theme.current(), gauge.height() / len(bar.heights)
        pale = t.color("accent" if bar.within else "fix")
        pale.setAlpha(60)
        painter.fillRect(
            QRectF(x(bar.low), gauge.top() + 1, max(x(bar.high) - x(bar.low), 2.0), gauge.height() - 2), pale
        )
        for k, (name, at) in enumerate(bar.heights):
            row = QRectF(gauge.left(), gauge.top() + k * part + 0.5, x(at) - gauge.left(), part - 1)
            painter.fillRect(row, t.color("accent" if at < bar.limits[0] else "fix"))
            if part >= NAMED:
                beside = QRectF(row.right() + 4, row.top(), gauge.right() - row.right() - 6, part - 1)
                say(painter, beside, tr("{name} mains, {at:.0f} °C", name=name, at=at), px=9, use="ink")
