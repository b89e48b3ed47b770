"""What an AC supply does over a period of the mains: the winding, the reservoir with its valley, the line below which the regulator drops
out, the module; at nominal mains drawn strong, at low mains thin. Of a battery how its volts fall, with the retrofit and without."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from pigtail.catalogue.topologies import Does, topology
from pigtail.desktop import theme
from pigtail.desktop.stations.base import Align, Painting, say
from pigtail.desktop.stations.power.river import value
from pigtail.desktop.stations.power.states import hours_of
from pigtail.job.wiring import rails_of
from pigtail.language import tr
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.job.document import Job
    from pigtail.studies.power.found import BatteryDetail, SupplyDetail, Waves

#: A plot narrower than this tells less [px].
NARROW_PX = 320.0
LEFT, BOTTOM, TOP, RIGHT = 42.0, 20.0, 20.0, 8.0


class CoursePainting(Painting):
    """A period of the supply on view, or the discharge of its battery."""

    def __init__(self) -> None:
        super().__init__("supply_course", QSize(220, 116))
        self.waves: tuple[Waves, ...] = ()
        self.battery: BatteryDetail | None = None
        self.drops_at: float | None = None
        self.needs: float | None = None
        self.beside = False
        self.setVisible(False)

    def show_supply(self, job: Job, supply: SupplyDetail | None) -> None:
        """Show a supply: its waves if it comes from a winding, the discharge if from a battery, else nothing."""
        self.waves = supply.waves if supply is not None else ()
        self.battery = supply.battery if supply is not None else None
        self.drops_at, self.needs = None, None
        link = job.link(supply.link) if supply is not None else None
        self.beside = link is not None and len(rails_of(job, link)) > 1
        if supply is not None:
            n = supply.numbers
            if "dropout_margin_v" in n and self.waves:
                # the valley less the room above dropout is where the regulator drops out
                deepest = min(min(w.reservoir) for w in self.waves)
                self.drops_at = (
                    deepest - n["dropout_margin_v"].low if n["dropout_margin_v"].value is not None else None
                )
            pin = job.terminal(supply.supply)
            least = getattr(pin, "minimum", None)
            straight = Does.CONVERTS not in topology(supply.converter).does
            self.needs = least.nominal if least is not None and straight else None
        self.setVisible(bool(self.waves or self.battery))
        self._describe(supply)

    def _describe(self, supply: SupplyDetail | None) -> None:
        if supply is None or not (self.waves or self.battery):
            self.describe("")
            return
        n = supply.numbers
        if self.waves:
            self.describe(
                tr(
                    "A period: reservoir {short} in the valley, {short2} at the most, ripple {short3}; "
                    "charging current {short4} at its crest",
                    short=n["valley_v"].short(),
                    short2=n["crest_v"].short(),
                    short3=n["ripple_v"].short(),
                    short4=n["charging_a"].short(),
                )
            )
        elif self.battery is not None:
            self.describe(tr("Discharge of {battery}", battery=self.battery.name))

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if self.waves:
            self._waves(painter, box)
        elif self.battery is not None:
            self._discharge(painter, box, self.battery, beside=self.beside)

    # -- waves ------------------------------------------------------------------------------------------------

    def _waves(self, painter: QPainter, box: QRectF) -> None:
        plot = box.adjusted(LEFT, TOP, -RIGHT, -BOTTOM)
        most = max(max(w.reservoir) for w in self.waves)
        most = 1.12 * max([most, *(abs(v) for v in self.waves[0].winding)])
        period = self.waves[0].times[-1]
        highest = max(max(abs(c) for c in w.current) for w in self.waves) or 1.0
        crest = format_quantity(highest, "A", 2)
        told = tr(
            "one period, {value:.3g} ms · charging current {crest} at the crest",
            value=1000.0 * period,
            crest=crest,
        )
        if plot.width() < NARROW_PX:
            told = tr("{value:.3g} ms · charging {crest} at the crest", value=1000.0 * period, crest=crest)
        _grid(painter, plot, most, "V", told)
        t = theme.current()

        def place(time: float, volts: float) -> QPointF:
            return QPointF(
                plot.left() + plot.width() * time / period,
                plot.bottom() - plot.height() * max(volts, 0.0) / most,
            )

        first = self.waves[0]
        current = t.color("ivory")
        current.setAlpha(150)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(current)
        foot = [QPointF(plot.right(), plot.bottom()), QPointF(plot.left(), plot.bottom())]
        flow = [
            place(x, 0.35 * most * abs(c) / highest) for x, c in zip(first.times, first.current, strict=True)
        ]
        painter.drawPolygon(QPolygonF([*flow, *foot]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for wave, style, width in ((w, s, k) for w, s, k in zip(self.waves, STYLES, WIDTHS, strict=False)):
            painter.setPen(QPen(t.color("dim"), 1.0, Qt.PenStyle.DotLine))
            if wave is first:
                painter.drawPolyline(
                    QPolygonF([place(x, abs(v)) for x, v in zip(wave.times, wave.winding, strict=True)])
                )
            painter.setPen(QPen(t.color("copper"), width, style))
            painter.drawPolyline(
                QPolygonF([place(x, v) for x, v in zip(wave.times, wave.reservoir, strict=True)])
            )
        painter.setPen(QPen(t.color("accent"), 2.0))
        painter.drawPolyline(QPolygonF([place(x, v) for x, v in zip(first.times, first.module, strict=True)]))
        if self.drops_at is not None and 0 < self.drops_at < most:
            y = place(0, self.drops_at).y()
            painter.setPen(QPen(t.color("fix"), 1.5, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
        self._names(painter, plot, most)

    def _names(self, painter: QPainter, plot: QRectF, most: float) -> None:
        """What each line is, beside its end."""
        first = self.waves[0]
        low = min(self.waves, key=lambda w: min(w.reservoir))
        head = QRectF(plot.left(), plot.top() - 18, plot.width(), 15)
        valley = format_quantity(min(low.reservoir), "V", 3)
        drops = (
            tr(" · drops out below {drops_at}", drops_at=format_quantity(self.drops_at, "V", 3))
            if self.drops_at is not None
            else ""
        )
        told = tr("valley {valley} at low mains{drops}", valley=valley, drops=drops)
        if plot.width() < NARROW_PX:
            short = (
                tr(", drop-out {drops_at}", drops_at=format_quantity(self.drops_at or 0.0, "V", 3))
                if drops
                else ""
            )
            told = tr("valley {valley}{drops}", valley=valley, drops=short)
        say(painter, head, told, px=11, bold=True, use="copper")
        least = min(first.module)
        line = plot.bottom() - plot.height() * least / most
        module = QRectF(plot.left() + 6, line + 1, plot.width() - 10, 14)
        say(
            painter,
            module,
            tr("module {least}", least=format_quantity(least, "V", 3)),
            px=10,
            bold=True,
            use="accent",
        )

    # -- a battery --------------------------------------------------------------------------------------------

    def _discharge(self, painter: QPainter, box: QRectF, battery: BatteryDetail, *, beside: bool) -> None:
        plot = box.adjusted(LEFT, TOP, -RIGHT, -BOTTOM)
        playing = [x for x in battery.lasting if x.powered and x.hours.value is not None] or [
            x for x in battery.lasting if x.hours.value
        ]
        if not playing:
            say(
                painter,
                box,
                tr("How long it lasts cannot be told: capacity or currents are not known."),
                use="unknown",
                wrap=True,
                align=Align.AlignCenter,
            )
            return
        # where it lasts the least: beside another rail it is there that the battery feeds
        state = min(playing, key=lambda x: value({"x": x.hours}, "x")) if beside else playing[-1]
        now, before = value({"x": state.hours}, "x"), value({"x": state.before}, "x")
        longest = 1.05 * max(now, before, 1e-6)
        highest, lowest = battery.falling[0][1], battery.falling[-1][1]
        foot = 0.75 * lowest
        most = highest + 0.1 * (highest - foot)
        _grid(painter, plot, most, "V", tr("hours while “{state}”", state=state.name), foot)
        t = theme.current()

        def place(hours: float, volts: float) -> QPointF:
            return QPointF(
                plot.left() + plot.width() * hours / longest,
                plot.bottom() - plot.height() * (volts - foot) / (most - foot),
            )

        for hours, use, width in ((before, "dim", 1.5), (now, "copper", 2.6)):
            if hours <= 0 or (use == "dim" and abs(before - now) < ALIKE * now):
                continue
            points = [place(part * hours, volts) for part, volts in battery.falling]
            painter.setPen(QPen(t.color(use), width))
            painter.drawPolyline(QPolygonF(points))
        least = battery.numbers.get("end_margin_v")
        end = battery.numbers.get("end_v")
        if least is not None and end is not None and least.value is not None and end.value is not None:
            needed = end.value - least.value
            y = place(0.0, needed).y()
            if plot.top() < y < plot.bottom():
                painter.setPen(QPen(t.color("fix"), 1.5, Qt.PenStyle.DashLine))
                painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
                say(
                    painter,
                    QRectF(plot.left() + 6, y - 15, plot.width(), 14),
                    tr("the module needs {needed}", needed=format_quantity(needed, "V", 3)),
                    px=10,
                    use="fix",
                )
        self._lasts(painter, plot, battery, now, before)

    def _lasts(
        self, painter: QPainter, plot: QRectF, battery: BatteryDetail, now: float, before: float
    ) -> None:
        """How long it lasts, now and before, over the curves."""
        told = tr("{hours_of} with the module", hours_of=hours_of(now))
        if battery.days is not None:
            told = tr("{hours_of} now", hours_of=hours_of(now))
        if before > 0 and abs(before - now) >= ALIKE * now:
            told += tr(", {hours_of} before", hours_of=hours_of(before))
        if battery.days is not None and battery.days[0].value is not None:
            days, was = battery.days[0].value, battery.days[1].value or 0.0
            told += tr(" · {days:.2g} days of the stated use, was {was:.2g}", days=days, was=was)
        head = QRectF(plot.left(), plot.top() - 18, plot.width(), 15)
        say(painter, head, told, px=11, bold=True, use="copper")


#: Hours that differ by less than this part of them are the same [1].
ALIKE = 0.02
STYLES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine)
WIDTHS = (2.6, 1.4, 1.4)


def _grid(painter: QPainter, plot: QRectF, most: float, unit: str, words: str, foot: float = 0.0) -> None:
    """The ground of a plot with a few marks from its foot up [unit], and what runs along it."""
    t = theme.current()
    painter.setPen(QPen(t.color("line"), 1))
    painter.setBrush(t.color("field"))
    painter.drawRect(plot)
    step = next(s for s in (0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 1e9) if (most - foot) / s <= 5)
    marks = [k * step for k in range(int(most / step) + 1) if k * step >= foot]
    for mark in marks:
        y = plot.bottom() - plot.height() * (mark - foot) / (most - foot)
        painter.setPen(QPen(t.color("line"), 1))
        painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
        rect = QRectF(plot.left() - LEFT, y - 8, LEFT - 6, 16)
        say(painter, rect, f"{mark:g} {unit}", px=10, use="dim", align=Align.AlignRight | Align.AlignVCenter)
    say(
        painter,
        QRectF(plot.left(), plot.bottom() + 3, plot.width(), 15),
        words,
        px=10,
        use="dim",
        align=Align.AlignCenter,
    )
