"""Finding the supply of a module: every rail and winding of the host and an adapter of its own, through every rectifier, reservoir and
converter of the trade, solved with all studies of supplies over the whole spread in every state, filtered and ranked.

A search is a row of steps, one a source. What a source cannot be by arithmetic is not solved: a rail that is dead while it should play, a
converter that cannot make the module's volts or does not stand the source's. Of a winding every rectifier with every reservoir is run at
what a converter draws, at low and at high mains; what leaves a converter its room there is solved whole. What breaks a hard limit (a stop
or a fix of Power) is not offered; if nothing is left, the limit that stops most is named.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from functools import partial
from typing import NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from pigtail.advice.found import Supplied, SuppliesFound
from pigtail.advice.weighing import bought, not_held, unbettered
from pigtail.catalogue.kinds import adapter_kinds
from pigtail.catalogue.stock import Stock
from pigtail.catalogue.topologies import Does, Topology, converters, does, first, those, topology
from pigtail.circuit import CircuitError, ConvergenceError
from pigtail.edits.change import Edit
from pigtail.edits.plan import own_adapter, put_supply
from pigtail.edits.usual import rails
from pigtail.job.document import HOST, Job, Link, Mode, Module, Purpose, Rail, SupplyIn
from pigtail.job.energy import Earthed, Winding
from pigtail.job.errors import EditError
from pigtail.job.measured import Measured
from pigtail.job.quantities import DOINGS
from pigtail.job.windings import unknown_of, winding_named
from pigtail.job.wiring import supply_links
from pigtail.model.course import COARSE, CORNERS, Course
from pigtail.model.model import Model
from pigtail.model.terminals import winding_live
from pigtail.studies.findings import ORDER, Finding, Severity, worst
from pigtail.studies.power.found import PowerFound
from pigtail.studies.power.study import study_power
from pigtail.studies.power.trap import short_amps
from pigtail.studies.returns.study import study_returns
from pigtail.units import Basis, Known, format_quantity
from pigtail.units.series import members

Array = NDArray[np.float64]
#: Sizes of reservoirs that are tried [F].
RESERVOIRS = tuple(members("E3", 220e-6, 10e-3))
#: Of each rectifier and converter so many reservoirs are solved whole; what a linear converter draws itself [A], how much of a winding's
#: volts a converter that chops has before it, at least [1], and what the first look may be off [V].
SIZES, OWN_A, CHOPPING, SLACK_V = 2, 10e-3, 1.0, 0.2
#: Options that are offered at most, and of one source.
OFFERED, OF_A_SOURCE = 14, 6
#: So many good ones of one kind of rectifier and converter are enough.
OF_A_KIND = 2
#: Rough prices beside a resistor's 0.1: a rectifier of a diode, a large capacitor per millifarad, a converter that has none told.
DIODE, PER_MILLIFARAD, CONVERTER, ADAPTER = 0.1, 0.8, 0.5, 6.0
#: Two options are alike in heat, in ripple and in noise within these [W, V, dB].
SAME_W, SAME_V, SAME_DB = 0.1, 0.2, 3.0
#: By so much heat one is taken before another [W].
WARM_W = 0.5
WORDS = {
    "power.over_voltage": "the module would get too many volts",
    "power.input_over_voltage": "the converter does not stand its input",
    "power.under_voltage": "the module gets too few volts in a burst",
    "power.dropout": "the regulator drops out at the valley, at low mains",
    "power.overheats": "the regulator overheats",
    "power.regulator_overload": "the converter cannot give the burst",
    "power.rail_overload": "the rail cannot give the current",
    "power.winding_overload": "the winding cannot give the current",
    "power.reference_trap": "the winding stands on the host's ground",
    "power.reverse_beyond": "the diodes break down backward",
    "power.battery_sags": "the battery sags below what the module needs",
    "power.standby_drains": "the battery is flat in days",
    "power.always_on": "it would stay on while the host is off",
    "power.living_low": "the module gets too few volts in a state or in what it does",
    "power.living_rail_overload": "the rail cannot give the current in a state or in what the module does",
    "power.living_overload": "the converter cannot give what the module draws in what it does",
    "power.living_overheats": "the converter overheats in a state or in what the module does",
    "power.dead_rail": "it is dead while the module should play",
    "power.capacitor_rating": "the reservoir does not stand the crest",
}
CHANGES = {
    "power.dropout": "A larger reservoir, a Schottky rectifier, a low-dropout regulator or a winding of more volts is needed.",
    "power.under_voltage": "A source of more volts, or a converter closer to the module's middle, is needed.",
    "power.overheats": "A converter that chops, a heatsink, or a source of fewer volts is needed.",
    "power.rail_overload": "Another rail, or a supply of its own, is needed.",
    "power.winding_overload": "Another winding, or a supply of its own, is needed.",
    "power.always_on": "A rail that is switched, or a switch on its control line, is needed.",
    "power.standby_drains": "A rail that is switched, or a switch on its control line, is needed.",
    "power.battery_sags": "A converter that steps up, or a module that works from fewer volts, is needed.",
}


class SupplyCandidate(NamedTuple):
    """One way to supply a pin: its source, the networks in a row, the reservoir [F], the edit that makes it; what stops it before it is
    solved whole."""

    source: str
    keys: tuple[str, ...]
    reservoir: float | None
    edit: Edit
    stopped: str = ""


class SupplyStep(msgspec.Struct, frozen=True):
    """What the steps of a search found so far: options that fit, how many were solved, what stopped the others how often."""

    options: tuple[Supplied, ...] = ()
    solved: int = 0
    broken: dict[str, int] = {}


def pin_named(job: Job, name: str) -> str:
    """The supply pin that a search is for, by its address, its supply link or its module. Raises EditError."""
    link = job.link(name)
    device = job.device(name)
    pins = [a for a in job.addresses() if isinstance(job.terminal(a), SupplyIn)]
    if link is not None and link.purpose is Purpose.SUPPLY:
        pins = [a for a in link.at("out") if a in pins]
    elif device is not None and name != HOST:
        pins = [a for a in pins if a.startswith(f"{name}.")]
    elif name in pins:
        pins = [name]
    else:
        pins = []
    if not pins:
        raise EditError(f"there is no supply {name}; name a supply, a module or its supply pin", value=name)
    return pins[0]


def sources_of(job: Job, pin: str) -> tuple[str, ...]:
    """The sources that a search goes through, one a step: rails, windings, and adapters by the keys of their kinds. Raises EditError for
    a module of which nobody knows what it needs."""
    measured = Measured(job).job
    terminal = measured.terminal(pin)
    assert isinstance(terminal, SupplyIn)
    lacking = [
        w
        for w, k in (
            ("lowest supply", terminal.minimum),
            ("highest supply", terminal.maximum),
            ("current", terminal.average),
        )
        if k is None
    ]
    if lacking:
        raise EditError(
            f"a search rests on what is not known: {job.label(pin)}: {', '.join(lacking)}; type it in Survey",
            value=pin,
        )
    windings = [w.id for w in measured.host.windings if winding_live(measured, w, measured.working_state())]
    return (*rails(measured, pin), *windings, *(k.key for k in adapter_kinds()))


def candidates_of(job: Job, pin: str, source: str) -> Iterator[SupplyCandidate]:
    """All ways to supply a pin from one source that arithmetic does not rule out."""
    measured = Measured(job).job
    terminal = measured.terminal(pin)
    assert isinstance(terminal, SupplyIn)
    suiting = [c for c in converters() if _makes(c, terminal)]
    winding = winding_named(measured, source)
    rail = measured.terminal(source)
    if winding is not None:
        yield from _from_winding(measured, pin, winding, suiting)
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
        for link in supply_links(job, pin):
            yield SupplyCandidate(
                source,
                (first("supply", Does.CONDUCTS).key,),
                None,
                partial(own_adapter, link_id=link.id, key=source),
            )


def _from_winding(job: Job, pin: str, winding: Winding, suiting: list[Topology]) -> Iterator[SupplyCandidate]:
    """The ways from a winding whose reservoir leaves the converter its room, at low mains in a burst and at high mains with nothing drawn;
    of each rectifier and converter the smallest reservoir that does, and the next; all of them where nobody knows the winding."""
    terminal = job.terminal(pin)
    assert isinstance(terminal, SupplyIn)
    known = not unknown_of(winding)
    for rectifier in those("supply", Does.RECTIFIES):
        if len(rectifier.inputs) > 2 and not winding.tap:
            continue
        levels: dict[tuple[float, bool], Levels] = {}
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
                if known and (farads, chops) not in levels and not trapped[apart]:
                    levels[farads, chops] = _levels(job, pin, winding, rectifier, farads, chops=chops)
                stopped = (
                    TRAP if trapped[apart] else _stopped(converter, terminal, levels.get((farads, chops)))
                )
                yield made._replace(stopped=stopped)
                fitting += not stopped
                if fitting == SIZES or stopped in WHATEVER_SIZE:
                    break


#: The finding of a winding that stands on the host's ground; what no other reservoir would change.
TRAP = "power.reference_trap"
WHATEVER_SIZE = (TRAP, "power.regulator_overload", "power.input_over_voltage", "power.over_voltage")


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


def _levels(
    job: Job, pin: str, winding: Winding, rectifier: Topology, farads: float, *, chops: bool
) -> Levels:
    """What a rectifier with a reservoir leaves to a converter: it is drawn from what the module draws, less where the converter chops."""
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
    trial = put_supply(trial, pin, winding.id, (rectifier.key,), farads)
    course = Course(Measured(trial).job, supply_links(trial, pin)[0])

    def on_reservoir(corner: str) -> Array:
        settled = course.settled(course.corner(CORNERS[corner]), steps=COARSE)
        return course.probe(settled.solution, course.rectifier, "dc_v")[
            course.last_period(settled.solution, COARSE)
        ]

    try:
        return Levels(float(on_reservoir("sagging").min()), float(on_reservoir("highest").max()))
    except ConvergenceError:
        return Levels(0.0, 0.0)


def _stopped(converter: Topology, pin: SupplyIn, levels: Levels | None) -> str:
    """What stops a converter on a reservoir: that it does not stand the crest, cannot give the burst, has no room at the valley; empty for
    nothing. Of the straight join, whether the module stands it."""
    values = converter.values(converter.section())
    wanted = pin.largest.nominal if pin.largest is not None else 0.0
    if "imax" in values and values["imax"].high < wanted:
        return "power.regulator_overload"
    if levels is None:
        return ""
    if Does.CONDUCTS in converter.does:
        assert pin.minimum is not None
        assert pin.maximum is not None
        over, under = levels.crest > pin.maximum.high + SLACK_V, levels.valley < pin.minimum.low - SLACK_V
        return "power.over_voltage" if over else "power.under_voltage" if under else ""
    most, least, volts, dropout = (values.get(k) for k in ("vin_max", "vin_min", "vout", "dropout"))
    if most is not None and levels.crest > most.high + SLACK_V:
        return "power.input_over_voltage"
    needed = least.low if least is not None else volts.low + dropout.low if volts and dropout else 0.0
    return "power.dropout" if levels.valley < needed - SLACK_V else ""


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


def take_step(job: Job, pin: str, source: str, before: SupplyStep, stock: Stock | None = None) -> SupplyStep:
    """One step of a search: all ways from one source, solved; its findings added to those of the steps before."""
    found: list[Supplied] = []
    broken, solved, good = Counter(before.broken), before.solved, Counter[tuple[object, ...]]()
    for keys, group in _grouped(candidates_of(job, pin, source)):
        kind = (*keys[:-1], topology(keys[-1]).does)
        best: Supplied | None = None
        for candidate in group if good[kind] < OF_A_KIND else ():
            solved += 1
            option, stops = (
                (None, candidate.stopped) if candidate.stopped else _solved(job, pin, candidate, stock)
            )
            if option is None:
                broken[stops] += 1
                continue
            if best is None or _rank(option) < _rank(best):
                best = option
            if option.severity is Severity.GOOD:
                break  # a larger reservoir costs more and mends nothing that is left
        if best is not None:
            found.append(best)
            good[kind] += best.severity is Severity.GOOD
    kept = sorted(found, key=_rank)[:OF_A_SOURCE]
    return SupplyStep((*before.options, *kept), solved, dict(broken))


def _grouped(every: Iterator[SupplyCandidate]) -> list[tuple[tuple[str, ...], list[SupplyCandidate]]]:
    """Candidates that differ in their reservoir alone, together, the smallest first."""
    groups: dict[tuple[str, ...], list[SupplyCandidate]] = {}
    for candidate in every:
        groups.setdefault(candidate.keys, []).append(candidate)
    return list(groups.items())


def _solved(
    job: Job, pin: str, candidate: SupplyCandidate, stock: Stock | None
) -> tuple[Supplied | None, str]:
    """A candidate with its numbers, or what stops it."""
    try:
        trial = candidate.edit(job)
        model = Model.of(trial)
        power = study_power(model)
        own = _about(trial, pin, power)
        severity = worst([f.severity for f in own])
        if severity in (Severity.STOP, Severity.FIX):
            return None, next(f.code for f in own if f.severity is severity)
        return _option(trial, pin, candidate, power, own, model, stock), ""
    except (CircuitError, EditError):
        return None, "power.unsolved"


def _about(job: Job, pin: str, power: PowerFound) -> list[Finding]:
    """The findings that a supply answers for: all of Power but what is told of the supplies of others."""
    others = {x.id for x in job.links if x.purpose is Purpose.SUPPLY and pin not in x.at("out")}
    pins = {a for a in job.addresses() if isinstance(job.terminal(a), SupplyIn) and a != pin}
    return [f for f in power.findings if f.subject not in others | pins and f.code not in NOT_OURS]


#: Findings of Power that no choice of a supply decides.
NOT_OURS = ("power.foot_unknown", "power.stage_not_supplied", "power.behind", "power.cell_unprotected", "power.cell_protection_unknown",
            "power.charge_rate", "power.charge_too_high", "power.charger_hot")  # fmt: skip


def _option(
    trial: Job,
    pin: str,
    candidate: SupplyCandidate,
    power: PowerFound,
    own: list[Finding],
    model: Model,
    stock: Stock | None,
) -> Supplied:
    link = supply_links(trial, pin)[0]
    detail = next(s for s in power.supplies if s.supply == pin)
    numbers = detail.numbers
    returns = study_returns(model)
    buzz = next((e for n, e in returns.numbers.items() if n.endswith("buzz_db")), None)
    heat = sum(numbers[n].value or 0.0 for n in ("regulator_w", "diodes_w") if n in numbers)
    idle = [
        s.name for s in trial.host.states if s.kind in (Mode.OFF, Mode.STANDBY) and model.powered(s.id, pin)
    ]
    ripple = numbers["ripple_v"].value if "ripple_v" in numbers else 0.0
    lacks = tuple(
        f"{rule.name.upper()} {format_quantity(value, rule.unit)}"
        for rule, value in (not_held(link, stock) if stock else ())
    )
    told = [f.sentence for f in own if f.severity in (Severity.WATCH, Severity.UNKNOWN)]
    return Supplied(
        link=link,
        source=_source_words(trial, candidate),
        words=_words(link),
        severity=worst([f.severity for f in own]),
        edit=candidate.edit,
        heat_w=heat,
        hottest=numbers.get("regulator_tj_c"),
        dropout=numbers.get("dropout_margin_v"),
        volts=numbers["module_v_burst"],
        ripple_v=ripple or 0.0,
        buzz=buzz,
        idle=tuple(idle),
        parts=len(bought(link)) + sum(does(s, Does.CONVERTS, Does.RECTIFIES) for s in link.sections),
        cost=_cost(link, candidate),
        host_joints=sum(j.terminal.startswith(f"{HOST}.") for j in link.joins),
        lacks=lacks,
        catch=" ".join([*told[:1], *(topology(s.topology).catch for s in link.sections)]),
        unknown=tuple(f.sentence for f in own if f.severity is Severity.UNKNOWN),
    )  # fmt: skip


def _cost(link: Link, candidate: SupplyCandidate) -> float:
    total = ADAPTER if candidate.source in {k.key for k in adapter_kinds()} else 0.0
    for section in link.sections:
        shape = topology(section.topology)
        values = shape.values(section)
        if Does.RECTIFIES in shape.does:
            total += DIODE * values["diodes"].nominal
        elif Does.CONVERTS in shape.does:
            total += shape.cost or (1.5 if Does.CHOPS in shape.does else CONVERTER)
        total += sum(
            PER_MILLIFARAD * 1e3 * values[r.name].nominal for r in shape.bought() if r.kind == "capacitor"
        )
    return total


def _source_words(job: Job, candidate: SupplyCandidate) -> str:
    winding = winding_named(job, candidate.source)
    if winding is not None:
        return winding.name
    kind = next((k for k in adapter_kinds() if k.key == candidate.source), None)
    return kind.summary if kind is not None else job.label(candidate.source)


def _words(link: Link) -> str:
    """The networks of a supply in a row, in few words, with the reservoir's size."""
    told = []
    for section in link.sections:
        shape = topology(section.topology)
        name = shape.title.partition(", with reservoir")[0].partition(" with reservoir")[0]
        values = shape.values(section)
        size = format_quantity(values["c1"].nominal, "F") if Does.RECTIFIES in shape.does else ""
        told.append(f"{name[:1].lower()}{name[1:]}{f' and {size}' if size else ''}")
    return ", ".join(told)


def _rank(o: Supplied) -> tuple[object, ...]:
    """The order in which a good technician would take them: what is sound, off while the host is off, quiet and cool, then the fewest
    parts and joints."""
    return (
        ORDER[::-1].index(o.severity),
        len(o.idle),
        len(o.lacks),
        round(o.noise_db / SAME_DB),
        any(does(s, Does.CHOPS) for s in o.link.sections),
        round(o.heat_w / WARM_W),
        o.parts,
        o.cost,
        o.host_joints,
        round(o.ripple_v / SAME_V),
    )


def _figures(o: Supplied) -> tuple[float, ...]:
    """What options are weighed by, less is better."""
    return (
        ORDER[::-1].index(o.severity), len(o.idle), round(o.noise_db / SAME_DB), round(o.heat_w / SAME_W), round(o.ripple_v / SAME_V),
        o.parts, round(2 * o.cost), o.host_joints, len(o.lacks),
    )  # fmt: skip


def ranked(job: Job, pin: str, step: SupplyStep) -> SuppliesFound:
    """What the steps so far come to: the options that are offered, the best first, or why there is none."""
    every = sorted(step.options, key=_rank)[:OFFERED]
    best = unbettered([_figures(o) for o in every])
    marked = tuple(replace(o, pareto=alone) for o, alone in zip(every, best, strict=True))
    return SuppliesFound(pin, marked, step.solved, "" if marked else _in_the_way(job, step))


def _in_the_way(job: Job, step: SupplyStep) -> str:
    if not step.broken:
        return "The host has no rail and no winding that is alive while it should play. Add one in Survey, or take an adapter of its own."
    code = max(step.broken, key=lambda c: step.broken[c])
    count = step.broken[code]
    return (
        f"No supply fits: of {step.solved:,} ways, {count:,} are stopped since {WORDS.get(code, 'they cannot be solved')}. "
        f"{CHANGES.get(code, 'Another source is needed.')}"
    )


def search_supplies(job: Job, pin: str, stock: Stock | None = None) -> SuppliesFound:
    """The supplies that fit a module's pin, ranked: all steps. Raises EditError for a module of which nobody knows what it needs."""
    step = SupplyStep()
    for source in sources_of(job, pin):
        step = take_step(job, pin, source, step, stock)
    return ranked(job, pin, step)
