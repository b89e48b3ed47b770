"""The way of the energy: from where it comes through what turns part of it into heat to the module, as broad as it is strong."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPolygonF

from pigtail.catalogue.topologies import Does, topology
from pigtail.desktop import theme
from pigtail.desktop.stations.base import Align, Painting, say, say_over
from pigtail.job.document import Job, Rail
from pigtail.job.measured import Measured
from pigtail.job.windings import winding_at
from pigtail.job.wiring import rails_of
from pigtail.language import tr
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.model.estimate import Estimate
    from pigtail.studies.power.found import SupplyDetail

#: The broadest and the narrowest the way is drawn, and how far a branch of heat goes down [px].
BROAD, NARROW, DOWN = 26.0, 3.0, 22.0
#: How high it stands, and on a low window [px].
HIGH_PX, LOW_PX = 122, 106


class Step(NamedTuple):
    """A place on the way: its name, what stands there in few words, what it turns into heat [W] and passes on [W]."""

    name: str
    tells: str
    heat: float
    passes: float


def value(numbers: dict[str, Estimate], name: str) -> float:
    """The nominal value of a number, nought where it is not known [its unit]."""
    found = numbers.get(name)
    return found.value if found is not None and found.value is not None else 0.0


def steps_of(job: Job, supply: SupplyDetail) -> tuple[Step, ...]:
    """The places on the way of a supply, the source first."""
    n = supply.numbers
    given = value(n, "module_v") * value(n, "module_current_a")
    converter = topology(supply.converter)
    converts = Does.CONVERTS in converter.does
    heat = value(n, "regulator_w") if converts else 0.0
    lost = value(n, "diodes_w")
    device = job.device(supply.module)
    winding = winding_at(Measured(job).job, supply.rail)
    found = []
    if winding is not None:
        volts = format_quantity(winding.open.nominal, "V", 3) if winding.open else "?"
        found.append(
            Step(winding.name, tr("{volts} AC with nothing drawn", volts=volts), 0.0, given + heat + lost)
        )
        rectifier = topology(supply.rectifier) if supply.rectifier else converter
        found.append(
            Step(
                rectifier.short,
                tr("{short} on the reservoir", short=n["reservoir_v"].short()),
                lost,
                given + heat,
            )
        )
    else:
        link = job.link(supply.link)
        others = [r for r in rails_of(job, link) if r != supply.rail] if link is not None else []
        names = tr(" or ").join(job.label(r) for r in (supply.rail, *others))
        lost = (
            (value(n, "rail_v") - value(n, "module_v")) * value(n, "module_current_a")
            if others and not converts
            else 0.0
        )
        found.append(Step(names, n["rail_v"].short(), 0.0, given + heat + lost))
        if others:
            found.append(Step(tr("two diodes"), tr("the higher feeds"), lost, given + heat))
    if converts:
        name = tr("charger and cell") if Does.STORES in converter.does else converter.title.partition(",")[0]
        found.append(Step(name, tr("{short} out", short=n["module_v"].short()), heat, given))
    found.append(
        Step(
            device.name if device else tr("module"),
            tr("{short} in a burst", short=n["module_v_burst"].short()),
            0.0,
            given,
        )
    )
    return tuple(found)


class River(Painting):
    """The way of the energy of the supply on view."""

    def __init__(self) -> None:
        super().__init__("supply_picture", QSize(360, 90))
        self.setFixedHeight(HIGH_PX)
        self.steps: tuple[Step, ...] = ()
        self.currents = ""

    def take_less(self, low: bool) -> None:
        """Take less height on a low window."""
        self.setFixedHeight(LOW_PX if low else HIGH_PX)

    def show_supply(self, job: Job, supply: SupplyDetail | None) -> None:
        """Show a supply."""
        self.steps = steps_of(job, supply) if supply is not None else ()
        if supply is None:
            self.describe(tr("No supply reaches a module yet"))
            return
        n = supply.numbers
        average, burst = n["module_current_a"].short(), n["module_current_burst_a"].short()
        self.currents = tr("{average}, bursts {burst}", average=average, burst=burst)
        rail = job.terminal(supply.rail)
        source = n["rail_v"].short() if isinstance(rail, Rail) else n["reservoir_v"].short()
        self.describe(
            tr(
                "Supply: {listed}; {source}, {currents}; module {short}",
                listed=" → ".join(s.name for s in self.steps),
                source=source,
                currents=self.currents,
                short=n["module_v"].short(),
            )
        )

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if not self.steps:
            say(
                painter, box, tr("No supply reaches a module yet."), use="dim", px=13, align=Align.AlignCenter
            )
            return
        t, count = theme.current(), len(self.steps)
        most = max(s.passes + s.heat for s in self.steps) or 1.0
        width = box.width() / count
        line = box.top() + 48.0 - (6.0 if self.height() <= LOW_PX else 0.0)
        painter.setPen(Qt.PenStyle.NoPen)
        for k, step in enumerate(self.steps):
            left = box.left() + k * width
            comes = self.steps[k - 1].passes if k else step.passes
            start, ends = (
                left + (0.12 * width if k == 0 else 0.0),
                left + (width if k + 1 < count else 0.88 * width),
            )
            middle = left + width / 2
            broad, thin = _broad(comes, most), _broad(step.passes, most)
            painter.setBrush(t.color("copper"))
            painter.drawPolygon(_band(start, middle, line, broad, broad))
            painter.drawPolygon(_band(middle, ends, line, thin, thin))
            if step.heat > 0:
                self._heat(painter, middle, line + broad / 2, _broad(step.heat, most))
            painter.setBrush(t.color("panel"))
            painter.setPen(t.color("copper"))
            painter.drawEllipse(QPointF(middle, line), 5.0, 5.0)
            painter.setPen(Qt.PenStyle.NoPen)
        for k, step in enumerate(self.steps):
            rect = QRectF(box.left() + k * width + 3, box.top() - 2, width - 6, 17)
            say(
                painter,
                rect,
                f"{step.name[:1].upper()}{step.name[1:]}",
                bold=True,
                px=12,
                align=Align.AlignCenter,
                middle=True,
            )
            say(painter, rect.translated(0, 16), step.tells, px=11, use="dim", align=Align.AlignCenter)
            below = QRectF(rect.left(), line + BROAD / 2 + DOWN - 4, rect.width(), 16)
            if step.heat > 0:
                words = tr("{heat} heat", heat=format_quantity(step.heat, "W", 2))
                say_over(painter, below, words, px=12, color=t.color("fix"))
            elif k + 1 == count:
                say(painter, below, self.currents, px=11, use="dim", align=Align.AlignCenter)

    def _heat(self, painter: QPainter, x: float, top: float, width: float) -> None:
        """A branch that goes down and ends: what becomes heat."""
        t = theme.current()
        painter.setBrush(t.color("fix"))
        width = max(width, NARROW)
        painter.drawPolygon(
            QPolygonF([QPointF(x - width / 2, top), QPointF(x + width / 2, top), QPointF(x, top + DOWN - 8)])
        )


def _broad(watts: float, most: float) -> float:
    return max(NARROW, BROAD * watts / most) if watts > 0 else NARROW


def _band(left: float, right: float, line: float, broad: float, thin: float) -> QPolygonF:
    return QPolygonF(
        [
            QPointF(left, line - broad / 2),
            QPointF(right, line - thin / 2),
            QPointF(right, line + thin / 2),
            QPointF(left, line + broad / 2),
        ]
    )
