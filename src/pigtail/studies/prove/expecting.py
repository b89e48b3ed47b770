"""What a hold point must read: from the netlist that the studies solve, with the meter and the dummy load in it."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from pigtail.catalogue.topologies import Does, does
from pigtail.circuit import CircuitError, ConvergenceError, parse
from pigtail.job.ask import Ask, unplugged
from pigtail.job.document import HOST, Function, Job, Module, Rail, WindingEnd, alive
from pigtail.job.hazards import CHARGES_V, reservoir_point
from pigtail.job.meters import meter
from pigtail.job.readings import plain, standing
from pigtail.job.safety import MOST_MAINS
from pigtail.job.steps import Hold
from pigtail.job.windings import winding_at
from pigtail.job.wiring import probe_against, return_address, supply_links
from pigtail.language import tr
from pigtail.model.errors import CompileError
from pigtail.model.estimate import Estimate, Wanted
from pigtail.model.model import Model
from pigtail.model.netlist import Netlist
from pigtail.model.spread import Samples, estimate, split
from pigtail.studies.control.meant import StateMoment, meant
from pigtail.studies.prove.plan import WorkPlan
from pigtail.studies.survey.expecting import EMPTY_V, expected
from pigtail.units import format_quantity, format_spread
from pigtail.units.series import nearest

#: A supply that is no short reads more than this, and less is a short [Ω]. Common practice.
CLEAR_OHM, SHORT_OHM = 1000.0, 10.0
#: What a point may have moved by since it was found, as a part, and in any case [V].
MOVED_PART, MOVED_V = 0.1, 0.02
#: Where the plan has a module off, less than this is off [V].
OFF_V = 0.4
#: Ratings that dummy loads come in [W]; one is taken for twice its heat.
WATTS = (0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0)
NOTHING_OHM = 1e12


class Dummy(NamedTuple):
    """A resistor that stands for a module: its value [Ω], the heat in it and its rating [W]."""

    ohm: float
    heat: float
    watts: float


def dummy_of(plan: WorkPlan, address: str) -> Dummy | None:
    """The dummy load of a pin: it draws what the module does at most, at the middle of what it takes; None where that is not known."""
    pin = plan.pin(address)
    if pin.largest is None or pin.largest.nominal <= 0 or pin.minimum is None or pin.maximum is None:
        return None
    volts = (pin.minimum.nominal + pin.maximum.nominal) / 2
    ohm = nearest(volts / pin.largest.nominal, "E12")
    heat = pin.maximum.nominal**2 / ohm
    return Dummy(ohm, heat, next((w for w in WATTS if w >= 2 * heat), WATTS[-1]))


class Case(NamedTuple):
    """One reading of the model: the pin or point, the host state, and what stands across it: `open` (the meter alone), `load` (a dummy
    load), `joined` (the module)."""

    address: str
    state: str
    how: str


class Predicted:
    """What the meter will show at plugs and taps, with its spread: one batch for all of them."""

    def __init__(self, plan: WorkPlan) -> None:
        self._plan = plan
        self._found: dict[Case, Estimate] | None = None

    def of(self, case: Case) -> Estimate | None:
        """What a reading will be; None where it cannot be solved."""
        if self._found is None:
            self._found = self._all()
        return self._found.get(case)

    def _cases(self) -> list[Case]:
        job, found = self._plan.papers, []
        live = [s.id for s in job.live_states()]
        for pin in self._plan.pins:
            found += [Case(pin, s, "open") for s in live]
            found += [Case(pin, job.working_state(), how) for how in ("load", "joined")]
        return found + [Case(tap, s, "open") for tap, _ in self._plan.taps for s in live]

    def _all(self) -> dict[Case, Estimate]:
        model, found = self._plan.model, dict[Case, Estimate]()
        about = dict(self._plan.taps)
        groups: dict[int, tuple[Model, list[Case]]] = {}
        for case in self._cases():
            link = about.get(case.address)
            part = model.about(link.id if link is not None else "")
            groups.setdefault(id(part), (part, []))[1].append(case)
        for part, cases in groups.values():
            found |= self._of_part(part, cases)
        return found

    def _of_part(self, part: Model, cases: list[Case]) -> dict[Case, Estimate]:
        """The cases that one part of the plan is solved for."""
        places = tuple(dict.fromkeys(c.address for c in cases))
        try:
            net = self._probed(part, places)
            cases = [c for c in cases if c.state in net.switches]
            wanted = {str(k): Wanted("V", tr("the reading")) for k in range(len(cases))}
            inputs = [i for i in net.inputs if i.in_deck]
            found = (
                estimate(inputs, lambda samples: self._solved(net, places, cases, samples), wanted)
                if cases
                else {}
            )
        except (CompileError, CircuitError, ConvergenceError):
            return {}
        return {c: found[str(k)] for k, c in enumerate(cases)}

    def _probed(self, part: Model, places: tuple[str, ...]) -> Netlist:
        """The netlist with a resistor at every plug and tap: the meter, and the dummy load beside it."""
        net = part.netlist()
        lines = []
        for k, address in enumerate(places):
            lines += [
                f".param probe_{k}={NOTHING_OHM:g}",
                f"Rprobe_{k} {net.node(address)} {net.reference(address)} {{probe_{k}}}",
            ]
        text = net.text.replace("\n.op\n", "\n" + "\n".join(lines) + "\n.op\n", 1) if lines else net.text
        return replace(net, text=text, circuit=parse(text))

    def _solved(
        self, net: Netlist, probed: tuple[str, ...], cases: list[Case], samples: Samples
    ) -> dict[str, np.ndarray]:
        places = {a: k for k, a in enumerate(probed)}
        instrument = meter(self._plan.papers.meter).load_ohm(Function.DC_VOLTS)
        rows = []
        for case in cases:
            row = dict(net.switches[case.state]) | {f"probe_{k}": NOTHING_OHM for k in places.values()}
            load = dummy_of(self._plan, case.address) if case.how == "load" else None
            across = instrument if load is None else 1 / (1 / instrument + 1 / load.ohm)
            row |= {
                "bursting": 0.0,
                "asleep": float(case.how != "joined"),
                f"probe_{places[case.address]}": across,
            }
            if case.address.startswith(
                f"{HOST}."
            ):  # its module is not joined yet: nothing of it stands at the tap
                row |= {n: 1.0 for n in net.known if n.endswith("__pulled")}
            rows.append(row)
        solved = net.each(samples, *rows)
        found = {}
        for k, case in enumerate(cases):
            volts = solved.v(net.node(case.address), net.reference(case.address))
            found[str(k)] = split(np.broadcast_to(volts, (len(cases) * _size(samples),)), len(cases))[k]
        return found


def _size(samples: Samples) -> int:
    return max((v.size for v in samples.values()), default=1)


class HeldAt(NamedTuple):
    """What a hold point is for: a pin, tap or point, in a host state."""

    plan: WorkPlan
    predicted: Predicted
    address: str
    state: str


def _ask(held: HeldAt, function: Function, load: float | None = None) -> Ask:
    job = held.plan.papers
    return Ask(held.address, return_address(job, held.address), held.state, function, load=load)


def _span(estimate: Estimate | None) -> tuple[float, float] | None:
    return None if estimate is None or estimate.value is None else (estimate.low, estimate.high)


def _plug(held: HeldAt, how: str) -> Hold:
    """The volts at a pin: what the module takes is what must never be left; within it what the model says."""
    job, pin = held.plan.papers, held.plan.pin(held.address)
    load = dummy_of(held.plan, held.address) if how == "load" else None
    ask = _ask(held, Function.DC_VOLTS, load.ohm if load is not None else None)
    kind = "joined" if how == "joined" else "plug"
    if not held.state:
        return Hold(kind, ask, unknown=tr("the host has no states yet: say in Survey which there are"))
    if how == "load" and load is None:
        return Hold(
            kind,
            ask,
            unknown=tr(
                "what {owner} draws is not known: look it up in its papers",
                owner=held.plan.owner(held.address),
            ),
        )
    if pin.minimum is None or pin.maximum is None:
        return Hold(
            kind,
            ask,
            unknown=tr(
                "what {owner} takes is not known: look it up in its papers",
                owner=held.plan.owner(held.address),
            ),
        )
    least, most = pin.minimum.high, pin.maximum.low
    found = held.predicted.of(Case(held.address, held.state, how))
    said = _span(found)
    if said is None:
        missing = (
            tr("{words} is not known", words=found.missing[0].words)
            if found is not None and found.missing
            else tr("the model has no answer")
        )
        return _ranged(
            Hold(kind, ask, least=least, most=most),
            least,
            most,
            None,
            tr("what the module takes; {missing}", missing=missing),
        )
    low, high = said
    if _from_winding(job, held.address):
        high = max(high, _crest(held.plan.job, held.address))
    instrument = meter(job.meter)
    low, high = instrument.value(Function.DC_VOLTS, low).low, instrument.value(Function.DC_VOLTS, high).high
    if high < least or low > most:
        return Hold(kind, ask, least=least, most=most, expected=found.value if found else None,
                    unknown=tr(
                        "the plan itself gives {gives}, and the module takes {least:g} to {most:g} V: mend that in Power first",
                        gives=format_spread(found.value or 0.0, low, high, "V") if found else "?",
                        least=least,
                        most=most,
                    ))  # fmt: skip
    hold = Hold(kind, ask, least=least, most=most)
    return _ranged(
        hold,
        max(low, least),
        min(high, most),
        found.value if found else None,
        tr("the model, within what the module takes"),
    )


def _ranged(hold: Hold, low: float, high: float, expected_v: float | None, source: str) -> Hold:
    """A hold point with its range, to a microvolt: the last digits of two solutions of one circuit may differ."""
    low, high = round(low, 6), round(high, 6)
    expected_v = round(expected_v, 6) if expected_v is not None else None
    words = tr("{low} to {high}", low=format_quantity(low, "V"), high=format_quantity(high, "V"))
    if expected_v is not None:
        words += tr(", most likely {expected_v}", expected_v=format_quantity(expected_v, "V"))
    return replace(hold, low=low, high=high, expected=expected_v, words=words, source=source)


def _from_winding(job: Job, pin: str) -> bool:
    return any(
        isinstance(job.terminal(a), WindingEnd) for x in supply_links(job, pin) for a in x.starts
    ) and not any(does(s, Does.CONVERTS) for x in supply_links(job, pin) for s in x.sections)


def _crest(job: Job, pin: str) -> float:
    """The most that a rectifier without a converter gives with nothing drawn: the crest of its winding at high mains [V]."""
    level = job.mains.level.high if job.mains.level is not None else MOST_MAINS
    starts = [a for x in supply_links(job, pin) for a in x.starts]
    found = [w.open.high for a in starts if (w := winding_at(job, a)) is not None and w.open is not None]
    return float(np.sqrt(2)) * level * max(found, default=0.0)


def plug_open(held: HeldAt) -> Hold:
    """The supply at a free plug in the state in which the retrofit plays."""
    return _plug(held, "open")


def plug_loaded(held: HeldAt) -> Hold:
    """The supply at a free plug with a dummy load across."""
    return _plug(held, "load")


def joined(held: HeldAt) -> Hold:
    """The supply at the pins of a module that is joined and on."""
    return _plug(held, "joined")


def plug_state(held: HeldAt) -> Hold:
    """The supply at a free plug in another state: there, or gone, as the plan has it."""
    job, device = held.plan.job, held.plan.papers.device(held.address.partition(".")[0])
    off = isinstance(device, Module) and meant(job, device, StateMoment(held.state, device.id, "")) is False
    if not off:
        said = _span(held.predicted.of(Case(held.address, held.state, "open")))
        off = said is not None and max(abs(said[0]), abs(said[1])) < OFF_V
    if off:
        ask = _ask(held, Function.DC_VOLTS)
        return Hold("plug", ask, low=-OFF_V, high=OFF_V, expected=0.0,
                    words=tr("0 V, less than {off_v:g} V: it is to be off here", off_v=OFF_V),
                    source=tr("the plan"))  # fmt: skip
    return _plug(held, "open")


def no_short(held: HeldAt) -> Hold:
    """No short at a free plug."""
    ask = replace(_ask(held, Function.RESISTANCE), state=unplugged(held.plan.papers))
    return Hold("no_short", ask, low=CLEAR_OHM, high=1e12, least=CLEAR_OHM, words=tr("more than 1 kΩ, rising as capacitors charge"),
                source=tr("common practice"))  # fmt: skip


def tap_dc(held: HeldAt) -> Hold:
    """DC at a tap, the network joined and the module not."""
    job, ask = held.plan.job, _ask(held, Function.DC_VOLTS)
    if not held.state:
        return Hold("tap", ask, unknown=tr("the host has no states yet: say in Survey which there are"))
    wanted = expected(job, ask)
    found = held.predicted.of(Case(held.address, held.state, "open"))
    said = _span(found)
    if said is None and wanted is None:
        return Hold(
            "tap",
            ask,
            unknown=tr(
                "what DC {address} has is not known: read it before anything is joined",
                address=job.label(held.address),
            ),
        )
    ends = [e for e in (said, (wanted.low, wanted.high) if wanted is not None else None) if e is not None]
    instrument = meter(job.meter)
    low = instrument.value(Function.DC_VOLTS, min(e[0] for e in ends)).low - MOVED_V / 2
    high = instrument.value(Function.DC_VOLTS, max(e[1] for e in ends)).high + MOVED_V / 2
    source = tr("the model") if wanted is None else tr("{source}, and the model", source=wanted.source)
    return _ranged(Hold("tap", ask), low, high, found.value if found is not None else None, source)


def as_found(held: HeldAt) -> Hold:
    """A point before anything is altered: what it reads is what it must read again."""
    job = held.plan.job
    ask = Ask(held.address, probe_against(held.plan.papers, held.address), held.state, Function.DC_VOLTS)
    if not held.state:
        return Hold("found", ask, unknown=tr("the host has no states yet: say in Survey which there are"))
    wanted = expected(job, ask)
    low, high = (wanted.low, wanted.high) if wanted is not None else (-1e6, 1e6)
    words = wanted.words if wanted is not None else tr("whatever it reads: it is kept to compare with")
    read = standing(held.plan.papers, held.address, Function.DC_VOLTS)
    first = next((r for r in read if plain(r) and ask.answered_by(r)), None)
    return Hold("found", ask, low=low, high=high, expected=first.value.nominal if first is not None else None, words=words,
                source=wanted.source if wanted is not None else "")  # fmt: skip


def empty(held: HeldAt) -> Hold:
    """The reservoir before anything inside is touched."""
    return Hold("empty", replace(_ask(held, Function.DC_VOLTS), state=unplugged(held.plan.papers)), low=-EMPTY_V, high=EMPTY_V,
                least=-EMPTY_V, most=EMPTY_V, words=tr("below {empty_v:g} V", empty_v=EMPTY_V), source=tr("common practice"))  # fmt: skip


RULES: dict[str, Callable[[HeldAt], Hold]] = {
    f.__name__: f for f in (plug_open, plug_loaded, plug_state, no_short, tap_dc, as_found, joined, empty)
}


def as_it_was(hold: Hold, job: Job) -> Hold:
    """The hold point of a reading that is to be as it was found: about what was read then."""
    if hold.ask is None or hold.kind != "found":
        return hold
    read = [
        r for r in standing(job, hold.ask.point, hold.ask.function) if plain(r) and hold.ask.answered_by(r)
    ]
    if not read:
        return replace(hold, unknown=tr("it was not read before the work began: nobody can tell how it was"))
    then = read[0].value
    slack = max(MOVED_PART * abs(then.nominal), MOVED_V)
    low, high = then.low - slack, then.high + slack
    span = tr("{low} to {high}", low=format_quantity(low, "V"), high=format_quantity(high, "V"))
    words = tr(
        "as it was found, {nominal} (reading {id}): {span}",
        nominal=format_quantity(then.nominal, "V"),
        id=read[0].id,
        span=span,
    )
    return replace(
        hold,
        kind="again",
        low=low,
        high=high,
        expected=then.nominal,
        words=words,
        source=f"reading {read[0].id}",
    )


def reservoir(plan: WorkPlan) -> str:
    """Where the reservoir is read before anything is touched; empty where nothing in the host holds a charge that matters."""
    job = plan.job
    found = reservoir_point(job)
    terminal = job.terminal(found)
    known = (
        isinstance(terminal, Rail) and terminal.voltage is not None and abs(terminal.voltage.high) < CHARGES_V
    )
    return "" if known else found


def alive_words(job: Job, addresses: tuple[str, ...]) -> str:
    """Where points are alive in some states only: said, so that a dead reading elsewhere is taken for no fault; empty where all are."""
    live = [s.id for s in job.live_states()]
    terminals = [t for a in addresses if (t := job.terminal(a)) is not None]
    states = [s for s in live if all(alive(t, s) for t in terminals)]
    if not states or len(states) == len(live):
        return ""
    names = tr(" or ").join(f"“{s.name}”" for s in job.host.states if s.id in states)
    return tr(" Dark and silent until {names}: elsewhere that is no fault.", names=names)
