"""The course of an AC supply in time: winding, rectifier, what converts and what is drawn, until one period is like the next.

The circuit is the job's own netlist with all else left out: the windings, the supply links that start at them, the supply pins that those
end at, the returns. It is run by equal steps from charged capacitors; after each run the volts of every capacitor are led to where their
moves from period to period tend (Aitken), until they repeat. Free of judgement: `studies.power` asks it what it needs.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from pigtail.catalogue.topologies import Does, does
from pigtail.circuit import ConvergenceError, Solution, transient
from pigtail.job.document import HOST, Job, Link, Purpose, Return, SupplyIn, WindingEnd
from pigtail.job.windings import unknown_of, winding_of
from pigtail.job.wiring import pin_of, return_links
from pigtail.model import subjects
from pigtail.model.average import Average
from pigtail.model.cascade import Network, networks
from pigtail.model.netlist import Netlist, compile_job
from pigtail.units import Basis, Known
from pigtail.units.store import Store, cached_property

Array = NDArray[np.float64]
#: Steps of a period: for what is judged, and to learn which way things move.
FINE, COARSE = 200, 100
#: Periods of the first run from uncharged, and of each run after it; runs until it is given up as settled well enough.
CHARGING, BETWEEN, RUNS = 6, 2, 8
#: Capacitors repeat when a period moves them by less than this part of the winding's crest.
REPEATS = 2e-4
#: How far a move may be led on, as a multiple of itself.
LED_ON = 12.0
#: Over what part of what it would give at plausible values a supply of an unknown winding is tried [1].
LOWER, HIGHER = 0.5, 1.5
#: From which part of the volts wanted a run is tried to start [1].
BESIDE = (1.0, 1.02, 0.97, 1.1)
#: Harmonics of the mains that are told of a charging current.
HARMONICS = 24
#: Currents that differ by less tell no slope [A]; the least slope [Ω].
STEP_A, LEAST_SLOPE_OHM = 1e-3, 0.05


def alternating(job: Job, link: Link) -> bool:
    """Whether a supply link starts at an AC winding and rectifies."""
    return (
        link.purpose is Purpose.SUPPLY
        and winding_of(job, link) is not None
        and any(does(s, Does.RECTIFIES) for s in link.sections)
    )


def supply_alone(job: Job, link: Link) -> Job:
    """The job with nothing but a winding, the supplies that start at it, the pins that they end at, which draw the most that they are told
    to, and the returns."""
    winding = winding_of(job, link)
    assert winding is not None
    links = [x for x in job.links if x.purpose is Purpose.SUPPLY and winding_of(job, x) == winding]
    pins = {pin_of(job, x) for x in links}
    fed = {p.partition(".")[0] for p in pins if p}
    homes = [x for m in sorted(fed) for x in return_links(job, m)]
    modules = tuple(
        replace(
            m,
            terminals=tuple(
                replace(t, average=t.lasting, burst=t.burst and t.largest) if isinstance(t, SupplyIn) else t
                for t in m.terminals
                if isinstance(t, SupplyIn | Return)
            ),
            throughs=(),
        )
        for m in job.modules
        if m.id in fed
    )
    there = {j.terminal for x in (*links, *homes) for j in x.joins}
    kept = tuple(
        t for t in job.host.terminals if isinstance(t, Return | WindingEnd) or f"{HOST}.{t.id}" in there
    )
    return replace(
        job, host=replace(job.host, terminals=kept, stages=(), windings=(winding,)), modules=modules, readings=(), pictures=(),
        links=tuple(x for x in (*links, *homes) if all(_there(j.terminal, kept, modules) for j in x.joins)),
    )  # fmt: skip


def _there(address: str, kept: tuple[object, ...], modules: tuple[object, ...]) -> bool:
    device, _, point = address.partition(".")
    if device == HOST:
        return any(t.id == point for t in kept)  # type: ignore[attr-defined]
    return any(m.id == device and any(t.id == point for t in m.terminals) for m in modules)  # type: ignore[attr-defined]


class Corner(NamedTuple):
    """One case of a course: the switches, where the mains stand, and at which end (0 low, 1 nominal, 2 high) each kind of input stands."""

    switches: Mapping[str, float]
    mains: int
    supply: int = 1
    ohm: int = 1
    store: int = 1
    load: int = 1


AVERAGE, BURST, ASLEEP = ({"bursting": b, "asleep": a} for b, a in ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0)))
#: What is not known of a supply is a spread; that the mains go low and high is certain: the valley is told at low mains, crest and heat at
#: high mains, each with the ends of what is not known.
CORNERS = {
    "average": Corner(AVERAGE, 1),
    "burst": Corner(BURST, 1),
    "low": Corner(BURST, 0),
    "sagging": Corner(BURST, 0, 0, 2, 0, 2),
    "low, at best": Corner(BURST, 0, 2, 0, 2, 0),
    "unloaded": Corner(ASLEEP, 2),
    "highest": Corner(ASLEEP, 2, 2, 0, 2, 0),
    "warm": Corner(AVERAGE, 2),
    "stiff": Corner(AVERAGE, 2, 2, 0, 2, 2),
    "weak": Corner(AVERAGE, 2, 0, 2, 0, 0),
}
#: The cases that a quick look has.
QUICK = ("average", "burst")


class Settled(NamedTuple):
    """A period that repeats: its solution, and the volts of the capacitors at its end by their names."""

    solution: Solution
    charges: Mapping[str, float]


class Course:
    """The course of one AC supply.

    `netlist` is the circuit; all runs are of plain numbers by parameter name [SI]. quick: by coarse steps, from volts of the capacitors
    where a course much like it settled.
    """

    def __init__(self, job: Job, link: Link, *, quick: Mapping[str, float] | None = None) -> None:
        self.job, self.link = supply_alone(job, link), link
        self.steps, self.like = (FINE, {}) if quick is None else (COARSE, dict(quick))
        self.netlist: Netlist = compile_job(self.job, job.working_state(), alone=True)
        self.rectifier = next(n for n in networks(link) if Does.RECTIFIES in n.shape.does)
        winding = winding_of(job, link)
        assert winding is not None
        self.winding = subjects.winding(winding.id)
        self.kept: dict[tuple[tuple[str, float], ...], Settled] = {}

    @cached_property
    def nominal(self) -> dict[str, float]:
        """The inputs of the circuit at their nominal values [SI], with the switches of the state."""
        return {i.name: i.ends[1] for i in self.netlist.inputs if i.in_deck} | self.netlist.here

    def corner(self, corner: Corner) -> dict[str, float]:
        """The parameters of the circuit in a corner [SI]: what rests on the mains, the winding, the diodes, the reservoir and the load."""
        w, part = self.winding.parameter, self.rectifier.parameter
        pin = subjects.terminal(pin_of(self.job, self.link)).parameter
        at = {
            subjects.MAINS.parameter("level"): corner.mains,
            w("open"): corner.supply,
            w("resistance"): corner.ohm,
            part("isat"): corner.supply,
            part("tesr"): corner.ohm,
            part("c1"): corner.store,
            part("c2"): corner.store,
            pin("average"): corner.load,
            pin("burst"): corner.load,
        }
        own = (n.parameter("iq") for n in networks(self.link))
        at |= dict.fromkeys(own, corner.load)
        ends = {i.name: i.ends for i in self.netlist.inputs if i.in_deck}
        return {name: ends[name][end] for name, end in at.items() if name in ends} | dict(corner.switches)

    @cached_property
    def capacitors(self) -> dict[str, tuple[str, str]]:
        """The capacitors by their names, with their nodes."""
        return {e.name: e.nodes for e in self.netlist.circuit.elements if e.kind == "c"}  # type: ignore[misc]

    def crest(self, values: Mapping[str, float]) -> float:
        """The winding's crest with nothing drawn [V]."""
        level = values[subjects.MAINS.parameter("level")]
        return math.sqrt(2) * values[self.winding.parameter("open")] * level

    def settled(self, values: Mapping[str, float], *, steps: int = 0) -> Settled:
        """A period that repeats, for values of parameters [SI]; steps of the period, 0 for those of the course. Raises ConvergenceError,
        CircuitError."""
        steps = steps or self.steps
        values = self.nominal | AVERAGE | dict(values)
        key = (*sorted(values.items()), ("steps", float(steps)))
        if key not in self.kept:
            self.kept[key] = self._settle(values, steps)
        return self.kept[key]

    def _settle(self, values: Mapping[str, float], steps: int) -> Settled:
        """Coarse runs until the capacitors repeat, then a period at the steps that are asked for."""
        charges = self._beside(values)
        periods = BETWEEN if charges else CHARGING
        allowed = REPEATS * self.crest(values)
        for _ in range(RUNS):
            run = self._run(values, periods, COARSE, charges)
            marks = {n: self._at_periods(run, nodes, periods) for n, nodes in self.capacitors.items()}
            if all(abs(m[-1] - m[-2]) <= allowed for m in marks.values()):
                charges = {n: m[-1] for n, m in marks.items()}
                break
            charges = {n: _led(m) for n, m in marks.items()}
            periods = BETWEEN
        if steps != COARSE:
            run = self._run(values, 1, steps, charges)
        return Settled(run, charges)

    def _beside(self, values: Mapping[str, float]) -> dict[str, float]:
        """Volts of the capacitors where a run nearby settled, in proportion to the crest; empty where none has."""
        nearest = next(reversed(self.kept.items()), None) if self.kept else None
        if nearest is None:
            return self.like if self.like.keys() == self.capacitors.keys() else {}
        there = dict(nearest[0])
        part = self.crest(values) / max(self.crest(there), 1e-9)
        return {n: v * part for n, v in nearest[1].charges.items()}

    def _run(
        self, values: Mapping[str, float], periods: int, steps: int, charges: Mapping[str, float]
    ) -> Solution:
        """A run by equal steps from given volts of the capacitors, or, where a supply that is nearly empty has no solution there, from
        volts close by. Raises ConvergenceError, CircuitError."""
        period = 1 / values[subjects.MAINS.parameter("hertz")]
        empty = dict.fromkeys(self.capacitors, 0.0)
        for part in (*BESIDE, 0.0):
            try:
                return transient(
                    self.netlist.circuit,
                    periods * period,
                    period / steps,
                    fixed=True,
                    samples={k: np.array([v]) for k, v in values.items()},
                    initial=empty | {n: part * v for n, v in charges.items()},
                )
            except ConvergenceError:
                if part == 0.0:
                    raise
        raise AssertionError  # the last attempt returns or raises

    def _at_periods(self, run: Solution, nodes: tuple[str, str], periods: int) -> list[float]:
        """Volts of a capacitor at the start and after each period."""
        volts = run.v(*nodes)[0]
        size = (len(volts) - 1) // periods
        return [float(volts[k * size]) for k in range(1 if periods > 2 else 0, periods + 1)]

    # -- what a period tells ----------------------------------------------------------------------------------

    def last_period(self, run: Solution, steps: int = 0) -> slice:
        """The last period of a run of so many steps a period, 0 for those of the course; both ends in it."""
        steps = steps or self.steps
        return slice(run.times.size - steps - 1, run.times.size)  # type: ignore[union-attr]

    def probe(self, run: Solution, network: Network, name: str) -> Array:
        """What a network's probe reads over a run: volts [V] or a current [A], shape [T]."""
        return np.asarray(np.asarray(self.netlist.probe(run, network, name))[0])

    def average(self, *, quick: bool = False) -> Average:
        """What the rectifier gives at rest, over its spread, or for a quick look at nominal values alone: the mean of its volts with what
        is drawn, and their slope."""
        volts, drawn = self.mean(AVERAGE)
        other = self.mean(BURST)
        if abs(other[1] - drawn) < STEP_A:
            other = self.mean(ASLEEP)
        step = other[1] - drawn
        ohm = max((volts - other[0]) / step, LEAST_SLOPE_OHM) if abs(step) > 1e-6 else LEAST_SLOPE_OHM
        volts += ohm * drawn
        corners = (self.mean(self.corner(CORNERS[c])) for c in (() if quick else ("sagging", "stiff")))
        ends = [mean + ohm * current for mean, current in corners]
        low, high = min([*ends, volts]), max([*ends, volts])
        told = Known(
            nominal=volts, low=low, high=high, unit="V", basis=Basis.TYPICAL, source="its course in time"
        )
        return Average(told, Known.of(ohm, "Ω", Basis.TYPICAL, source="its course in time"))

    def harmonics(self) -> tuple[float, ...]:
        """The current that the diodes pass on, in a burst at nominal values, by its harmonics of the mains from the first on [A r.m.s.]."""
        run = self.settled(BURST).solution
        period = self.last_period(run)
        current = self.drawn(run)[period] + self.probe(run, self.rectifier, "cap_current")[period]
        lines = np.fft.rfft(current[:-1]) / (current.size - 1)
        return tuple((np.sqrt(2) * np.abs(lines[1 : HARMONICS + 1])).tolist())

    def mean(self, values: Mapping[str, float]) -> tuple[float, float]:
        """The mean of what the rectifier gives [V] and of the current drawn from it [A]."""
        run = self.settled(values).solution
        period = self.last_period(run)
        return mean_of(self.probe(run, self.rectifier, "dc_v")[period]), mean_of(self.drawn(run)[period])

    def drawn(self, run: Solution) -> Array:
        """The current drawn from the rectifier's output [A], shape [T]."""
        node = self.rectifier.behind
        later = [n for n in networks(self.link) if n.at == self.rectifier.at + 1]
        # into what follows: its own probe, or what flows in its resistors
        if later and "in_current" in later[0].shape.probes:
            return self.probe(run, later[0], "in_current")
        return self._out_of(run, node)

    def _out_of(self, run: Solution, node: str) -> Array:
        """The current out of a node into resistors that are not the rectifier's own [A]."""
        own = f".{self.rectifier.element}"
        total = np.zeros(run.times.size)  # type: ignore[union-attr]
        for element in self.netlist.circuit.elements:
            if element.kind == "r" and node in element.nodes[:2] and not element.name.endswith(own):
                sign = 1.0 if element.nodes[0] == node else -1.0
                total = total + sign * np.asarray(run.i(element.name))[0]
        return total


def _led(marks: list[float]) -> float:
    """Where the volts at the ends of periods lead (Aitken's rule), never further than their moves allow."""
    if len(marks) < 3:
        return marks[-1]
    one, two = marks[-2] - marks[-3], marks[-1] - marks[-2]
    if one == two or one * two <= 0:
        return marks[-1]
    on = two * two / (one - two)
    return marks[-1] + math.copysign(min(abs(on), LED_ON * abs(two)), two)


def mean_of(values: Array) -> float:
    """Mean over a period whose both ends are there, trapezoidal; values [T] in any unit, the mean in theirs."""
    return float((values[:-1] + values[1:]).mean() / 2)


def rms_of(values: Array) -> float:
    """Root of the mean square over a period whose both ends are there; values [T] in any unit, the root in theirs."""
    return math.sqrt(mean_of(values**2))


#: The courses of supplies, by what of the job they rest on: kept for the next study, since most edits leave them as they are.
_COURSES: Store[bytes, Course] = Store(f"{__name__}._COURSES", 24)


#: Where the capacitors of the last quick look at a link settled [V], by its id.
_LOOKED: Store[str, Mapping[str, float]] = Store(f"{__name__}._LOOKED", 32)


def course_of(job: Job, link: Link, *, quick: bool = False) -> Course:
    """The course of an AC supply of a measured job; a quick one begins where the last look at the same link ended."""
    alone = supply_alone(job, link)
    key = msgspec.msgpack.encode(
        (alone.host, alone.modules, alone.links, alone.mains, link.id, job.working_state(), quick)
    )
    found = _COURSES.get(key)
    if found is None:
        found = _COURSES.put(key, Course(job, link, quick=(_LOOKED.get(link.id) or {}) if quick else None))
    if quick and found.kept:
        _LOOKED.put(link.id, next(iter(found.kept.values())).charges)
    return found


def averages_of(job: Job, *, quick: bool = False) -> dict[str, Average]:
    """What each rectifier of a measured job gives at rest, by the name of its element, with its spread unless quick; none where its course
    does not settle or nothing is known of its winding."""
    found = {}
    for link in job.links:
        if not alternating(job, link) or not pin_of(job, link):
            continue
        try:
            course = course_of(job, link, quick=quick)
            average = course.average(quick=quick)
            winding = winding_of(job, link)
            if winding is not None and unknown_of(winding) and average.volts is not None:
                wide = (LOWER * average.volts.low, HIGHER * average.volts.high)
                average = average._replace(volts=None, plausible=wide)
            found[course.rectifier.element] = average
        except ConvergenceError:
            continue
    return found
