"""What can be tried for the supply of a module: every rail and winding of the host and an adapter of its own, through every rectifier,
reservoir and converter of the trade, less what arithmetic and a first look rule out.

Of a winding every rectifier with every reservoir is run at what a converter draws, at low and at high mains; what leaves a converter no
room there is stopped, and what leaves it room at the best end of its spread alone is in doubt.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from pigtail.catalogue.kinds import adapter_kinds
from pigtail.catalogue.topologies import Does, Task, Topology, converters, first, those
from pigtail.circuit import ConvergenceError
from pigtail.edits.change import Edit
from pigtail.edits.plan import adapter_for, put_supply
from pigtail.edits.usual import rails
from pigtail.job.document import Job, Module, Rail, SupplyIn
from pigtail.job.energy import Earthed, Winding
from pigtail.job.errors import EditError
from pigtail.job.measured import Measured
from pigtail.job.quantities import DOINGS
from pigtail.job.windings import unknown_of, winding_named
from pigtail.job.wiring import supply_links
from pigtail.language import tr
from pigtail.model.course import COARSE, CORNERS, Course
from pigtail.model.terminals import winding_live
from pigtail.studies.power.trap import short_amps
from pigtail.units import Basis, Known
from pigtail.units.series import members

Array = NDArray[np.float64]
#: Sizes of reservoirs that are tried [F].
RESERVOIRS = tuple(members("E3", 220e-6, 10e-3))
#: Of each rectifier and converter so many reservoirs are solved whole; what a linear converter draws itself [A], how much of a winding's
#: volts a converter that chops has before it, at least [1], and what the first look may be off [V].
SIZES, OWN_A, CHOPPING, SLACK_V = 2, 10e-3, 1.0, 0.2
#: The finding of a winding that stands on the host's ground; what no other reservoir would change.
TRAP = "power.reference_trap"
WHATEVER_SIZE = (TRAP, "power.regulator_overload", "power.input_over_voltage", "power.over_voltage")


class SupplyCandidate(NamedTuple):
    """One way to supply a pin: its source, the networks in a row, the reservoir [F], the edit that makes it; what stops it before it is
    solved whole; whether arithmetic leaves it in doubt over the whole spread."""

    source: str
    keys: tuple[str, ...]
    reservoir: float | None
    edit: Edit
    stopped: str = ""
    doubtful: bool = False


def sources_of(job: Job, pin: str) -> tuple[str, ...]:
    """The steps that a search goes through: rails, windings by their ids each with the key of a rectifier behind a stroke, and adapters by
    the keys of their kinds. Raises EditError for a module of which nobody knows what it needs."""
    measured = Measured(job).job
    terminal = measured.terminal(pin)
    assert isinstance(terminal, SupplyIn)
    lacking = [
        w
        for w, k in (
            (tr("lowest supply"), terminal.minimum),
            (tr("highest supply"), terminal.maximum),
            ("current", terminal.average),
        )
        if k is None
    ]
    if lacking:
        raise EditError(
            tr(
                "a search rests on what is not known: {pin}: {listed}; type it in Survey",
                pin=job.label(pin),
                listed=", ".join(lacking),
            ),
            value=pin,
        )
    windings = [w for w in measured.host.windings if winding_live(measured, w, measured.working_state())]
    rectified = [f"{w.id}/{r.key}" for w in windings for r in _rectifiers(w)]
    return (*rails(measured, pin), *rectified, *(k.key for k in adapter_kinds()))


def _rectifiers(winding: Winding) -> list[Topology]:
    """What can stand behind a winding: nothing that wants a tap where there is none."""
    return [r for r in those("supply", Does.RECTIFIES) if len(r.inputs) < 3 or winding.tap]


def candidates_of(job: Job, pin: str, step: str) -> Iterator[SupplyCandidate]:
    """All ways to supply a pin by one step of a search, or from a winding by all its rectifiers, that arithmetic does not rule out."""
    source, _, rectifier = step.partition("/")
    measured = Measured(job).job
    terminal = measured.terminal(pin)
    assert isinstance(terminal, SupplyIn)
    suiting = [c for c in converters() if _makes(c, terminal)]
    winding = winding_named(measured, source)
    rail = measured.terminal(source)
    if winding is not None:
        behind = [r for r in _rectifiers(winding) if rectifier in ("", r.key)]
        yield from _from_winding(measured, pin, winding, behind, suiting)
    elif isinstance(rail, Rail):
        for converter in suiting:
            if rail.voltage is None and converter.does & {Does.CONDUCTS, Does.SEPARATES}:
                continue
            if rail.voltage is None or _within(converter, abs(rail.voltage.low), abs(rail.voltage.high)):
                yield SupplyCandidate(
                    source,
                    (converter.key,),
                    None,
                    partial(put_supply, pin=pin, source=source, keys=(converter.key,)),
                )
    elif any(k.key == source for k in adapter_kinds()):
        link = next(iter(supply_links(job, pin)), None)
        straight = (first("supply", Does.CONDUCTS).key,)
        yield SupplyCandidate(source, straight, None, partial(adapter_for, pin=pin, key=source, link=link))


def _from_winding(
    job: Job, pin: str, winding: Winding, behind: list[Topology], suiting: list[Topology]
) -> Iterator[SupplyCandidate]:
    """The ways from a winding whose reservoir leaves the converter its room, at low mains in a burst and at high mains with nothing drawn;
    of each rectifier and converter the smallest reservoir that does, and the next; the largest where nobody knows the winding."""
    terminal = job.terminal(pin)
    assert isinstance(terminal, SupplyIn)
    known = not unknown_of(winding)
    for rectifier in behind:
        reservoirs: dict[bool, _Reservoirs] = {}
        trapped: dict[bool, bool] = {}
        for converter in suiting:
            keys = (rectifier.key,) if Does.CONDUCTS in converter.does else (rectifier.key, converter.key)
            fitting, apart, chops = 0, Does.SEPARATES in converter.does, Does.CHOPS in converter.does
            for farads in RESERVOIRS if known else RESERVOIRS[-1:]:
                made = SupplyCandidate(
                    winding.id,
                    keys,
                    farads,
                    partial(put_supply, pin=pin, source=winding.id, keys=keys, reservoir=farads),
                )
                if apart not in trapped:
                    trapped[apart] = _trapped(job, pin, winding, made)
                if known and chops not in reservoirs and not trapped[apart]:
                    reservoirs[chops] = _Reservoirs(job, pin, winding, rectifier, chops=chops)
                levels = reservoirs[chops].of(farads) if known and not trapped[apart] else None
                stopped = TRAP if trapped[apart] else _stopped(converter, terminal, levels)
                doubtful = not stopped and bool(_stopped(converter, terminal, levels, at_worst=True))
                yield made._replace(stopped=stopped, doubtful=doubtful)
                fitting += not stopped and not doubtful
                if fitting == SIZES or stopped in WHATEVER_SIZE:
                    break


def _trapped(job: Job, pin: str, winding: Winding, candidate: SupplyCandidate) -> bool:
    """Whether a plan shorts a winding of which it is known where it is earthed."""
    if winding.earthed is Earthed.UNKNOWN:
        return False
    trial = Measured(candidate.edit(job)).job
    return short_amps(trial, supply_links(trial, pin)[0], winding) > 0


class Levels(NamedTuple):
    """What a rectifier leaves on its reservoir: the valley in a burst at low mains, the crest with nothing drawn at high mains [V]."""

    valley: float
    crest: float


class _Reservoirs:
    """What a rectifier with reservoirs of some sizes leaves to a converter: one course, its reservoir turned from size to size, so that
    each settles from where the last one did. It is drawn from what the module draws, less where the converter chops."""

    def __init__(self, job: Job, pin: str, winding: Winding, rectifier: Topology, *, chops: bool) -> None:
        terminal = job.terminal(pin)
        assert isinstance(terminal, SupplyIn)
        amperes, own = terminal.largest.high if terminal.largest is not None else 0.0, OWN_A
        if chops and terminal.maximum is not None and winding.open is not None:
            amperes, own = amperes * min(terminal.maximum.nominal / (CHOPPING * winding.open.low), 1.0), 0.0
        load = Known.of(amperes + own, "A", Basis.TYPICAL)
        bare = replace(terminal, average=load, burst=load, minimum=None, **dict.fromkeys(DOINGS))
        module = job.device(pin.partition(".")[0])
        assert isinstance(module, Module)
        changed = replace(module, terminals=tuple(bare if t is terminal else t for t in module.terminals))
        trial = replace(job, modules=tuple(changed if m is module else m for m in job.modules))
        trial = put_supply(trial, pin, winding.id, (rectifier.key,))
        self.course = Course(Measured(trial).job, supply_links(trial, pin)[0])
        self.sized = [r for r in rectifier.bought() if r.role in (Task.RESERVOIR, Task.PUMP)]
        self.found: dict[float, Levels] = {}
        self.crest: float | None = None

    def of(self, farads: float) -> Levels:
        """The levels with a reservoir of a size [F]."""
        if farads not in self.found:
            try:
                if self.crest is None:  # with nothing drawn, any size is charged to the same crest
                    self.crest = float(self._on("highest", farads).max())
                self.found[farads] = Levels(float(self._on("sagging", farads).min()), self.crest)
            except ConvergenceError:
                self.found[farads] = Levels(0.0, 0.0)
        return self.found[farads]

    def _on(self, name: str, farads: float) -> Array:
        """The volts on the reservoir over a period in a corner [V]."""
        corner, course = CORNERS[name], self.course
        sizes = {}
        for rule in self.sized:
            known = rule.known(farads)
            sizes[course.rectifier.parameter(rule.name)] = (known.low, known.nominal, known.high)[
                corner.store
            ]
        run = course.settled(course.corner(corner) | sizes, steps=COARSE).solution
        return course.probe(run, course.rectifier, "dc_v")[course.last_period(run, COARSE)]


def _stopped(converter: Topology, pin: SupplyIn, levels: Levels | None, *, at_worst: bool = False) -> str:
    """What stops a converter on a reservoir, at the best end of its spread or at the worst: that it does not stand the crest, cannot give
    the burst, has no room at the valley; empty for nothing. Of the straight join, whether the module stands it."""
    slack = 0.0 if at_worst else SLACK_V
    values = converter.values(converter.section())

    def at_least(known: Known) -> float:
        return known.low if at_worst else known.high

    def at_most(known: Known) -> float:
        return known.high if at_worst else known.low

    wanted = pin.largest.nominal if pin.largest is not None else 0.0
    if "imax" in values and at_least(values["imax"]) < wanted:
        return "power.regulator_overload"
    assert pin.minimum is not None
    assert pin.maximum is not None
    if levels is None:
        return ""
    if Does.CONDUCTS in converter.does:
        over = levels.crest > at_least(pin.maximum) + slack
        under = levels.valley < at_most(pin.minimum) - slack
        return "power.over_voltage" if over else "power.under_voltage" if under else ""
    most, least, volts, dropout = (values.get(k) for k in ("vin_max", "vin_min", "vout", "dropout"))
    if most is not None and levels.crest > at_least(most) + slack:
        return "power.input_over_voltage"
    if at_worst and volts is not None and (volts.low < pin.minimum.high or volts.high > pin.maximum.low):
        return "power.under_voltage" if volts.low < pin.minimum.high else "power.over_voltage"
    needed = (
        at_most(least)
        if least is not None
        else at_most(volts) + at_most(dropout)
        if volts and dropout
        else 0.0
    )
    return "power.dropout" if levels.valley < needed - slack else ""


def _makes(converter: Topology, pin: SupplyIn) -> bool:
    """Whether a converter's output can lie within what a pin may have; the straight join makes nothing by itself."""
    volts = converter.values(converter.section()).get("vout")
    assert pin.minimum is not None
    assert pin.maximum is not None
    return volts is None or (pin.minimum.low <= volts.high and volts.low <= pin.maximum.high)


def _within(converter: Topology, low: float, high: float) -> bool:
    """Whether a source may lie within what a converter needs and stands at its input, at some end of its spread [V]."""
    values = converter.values(converter.section())
    most, least, volts, dropout = (values.get(k) for k in ("vin_max", "vin_min", "vout", "dropout"))
    if most is not None and low > most.high:
        return False
    if least is not None:
        return high >= least.low
    return volts is None or dropout is None or high >= volts.low
