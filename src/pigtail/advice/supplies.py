"""Finding the supply of a module: all that can be tried (`supply_candidates`), solved with all studies of supplies over the whole spread in
every state, filtered and ranked.

A search is a row of steps: a rail, a rectifier behind a winding, an adapter. What is certain is solved first, what is in doubt only where
nothing else is left. What breaks a hard limit (a stop or a fix of Power) is not offered; if nothing is left, the limit that stops most
is named.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from itertools import groupby
from typing import NamedTuple

import msgspec
from msgspec.structs import replace

from pigtail.advice.found import Supplied, SuppliesFound
from pigtail.advice.supply_candidates import SupplyCandidate, candidates_of, sources_of
from pigtail.advice.weighing import bought, not_held, unbettered
from pigtail.catalogue.kinds import adapter_kinds
from pigtail.catalogue.stock import Stock
from pigtail.catalogue.topologies import Does, does, topology
from pigtail.circuit import CircuitError
from pigtail.job.document import HOST, Job, Link, Mode, Purpose, SupplyIn
from pigtail.job.errors import EditError
from pigtail.job.windings import winding_named
from pigtail.job.wiring import supply_links
from pigtail.language import tr, trn
from pigtail.model.model import Model
from pigtail.studies.findings import ORDER, Finding, Severity, worst
from pigtail.studies.power.found import PowerFound
from pigtail.studies.power.study import study_power
from pigtail.studies.returns.study import study_returns
from pigtail.units import format_quantity

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
    "power.over_voltage": tr("the module would get too many volts"),
    "power.input_over_voltage": tr("the converter does not stand its input"),
    "power.under_voltage": tr("the module gets too few volts in a burst"),
    "power.dropout": tr("the regulator drops out at the valley, at low mains"),
    "power.overheats": tr("the regulator overheats"),
    "power.regulator_overload": tr("the converter cannot give the burst"),
    "power.rail_overload": tr("the rail cannot give the current"),
    "power.winding_overload": tr("the winding cannot give the current"),
    "power.reference_trap": tr("the winding stands on the host's ground"),
    "power.reverse_beyond": tr("the diodes break down backward"),
    "power.battery_sags": tr("the battery sags below what the module needs"),
    "power.standby_drains": tr("the battery is flat in days"),
    "power.always_on": tr("it would stay on while the host is off"),
    "power.living_low": tr("the module gets too few volts in a state or in what it does"),
    "power.living_rail_overload": tr(
        "the rail cannot give the current in a state or in what the module does"
    ),
    "power.living_overload": tr("the converter cannot give what the module draws in what it does"),
    "power.living_overheats": tr("the converter overheats in a state or in what the module does"),
    "power.dead_rail": tr("it is dead while the module should play"),
    "power.capacitor_rating": tr("the reservoir does not stand the crest"),
}
CHANGES = {
    "power.dropout": tr(
        "A larger reservoir, a Schottky rectifier, a low-dropout regulator or a winding of more "
        "volts is needed."
    ),
    "power.under_voltage": tr(
        "A source of more volts, or a converter closer to the module's middle, is needed."
    ),
    "power.overheats": tr("A converter that chops, a heatsink, or a source of fewer volts is needed."),
    "power.rail_overload": tr("Another rail, or a supply of its own, is needed."),
    "power.winding_overload": tr("Another winding, or a supply of its own, is needed."),
    "power.always_on": tr("A rail that is switched, or a switch on its control line, is needed."),
    "power.standby_drains": tr("A rail that is switched, or a switch on its control line, is needed."),
    "power.battery_sags": tr(
        "A converter that steps up, or a module that works from fewer volts, is needed."
    ),
}


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
        raise EditError(
            tr("there is no supply {name}; name a supply, a module or its supply pin", name=name), value=name
        )
    return pins[0]


#: What a larger reservoir may mend.
SIZED = {"power.dropout", "power.ripple_current"}
#: What it may mend too where nothing converts; what another case or heatsink may.
PINS, HEAT = (
    {"power.under_voltage", "power.living_low"},
    {"power.hot", "power.living_hot", "power.regulator_current", "power.living_given"},
)


def take_step(job: Job, pin: str, source: str, before: SupplyStep, stock: Stock | None = None) -> SupplyStep:
    """One step of a search: its ways solved, those in doubt only where there are no others; its findings added to those before."""
    doubtful: list[SupplyCandidate] = []

    def certain() -> Iterator[SupplyCandidate]:
        for candidate in candidates_of(job, pin, source):
            if candidate.doubtful:
                doubtful.append(candidate)
            else:
                yield candidate

    step = _all_solved(job, pin, certain(), before, stock)
    return step if step.options or not doubtful else _all_solved(job, pin, iter(doubtful), step, stock)


def _all_solved(
    job: Job, pin: str, every: Iterator[SupplyCandidate], before: SupplyStep, stock: Stock | None
) -> SupplyStep:
    """Candidates solved one kind after the other, added to what was found before."""
    found: list[Supplied] = []
    broken, solved, enough = Counter(before.broken), before.solved, Counter[tuple[object, ...]]()
    for keys, group in groupby(every, key=lambda c: c.keys):
        kind = _kind(keys)
        best: Supplied | None = None
        last = Outcome()
        for candidate in group if enough[kind] < OF_A_KIND else ():
            solved += 1
            last = Outcome(candidate.stopped) if candidate.stopped else _solved(job, pin, candidate, stock)
            if last.option is None:
                broken[last.stops] += 1
            elif best is None or _rank(last.option) < _rank(best):
                best = last.option
            if not last.sized:
                break  # a larger reservoir costs more and mends nothing that is left
        if best is not None:
            found.append(best)
        enough[kind] += OF_A_KIND if last.alike else best is not None and best.severity is Severity.GOOD
    kept = sorted(found, key=_rank)[:OF_A_SOURCE]
    return SupplyStep((*before.options, *kept), solved, dict(broken))


class Outcome(NamedTuple):
    """What came of a candidate: what stops it, or the option that it is; whether a larger reservoir may mend what is left; whether another
    converter of its kind, which differs in heat and in what it can give alone, would have the same left."""

    stops: str = ""
    option: Supplied | None = None
    sized: bool = True
    alike: bool = False


def _kind(keys: tuple[str, ...]) -> tuple[object, ...]:
    """What converters have in common that differ in heat and in what they can give alone."""
    shape = topology(keys[-1])
    return (*keys[:-1], shape.does, *(p.default for p in shape.parts if p.name in ("vout", "dropout")))


def _solved(job: Job, pin: str, candidate: SupplyCandidate, stock: Stock | None) -> Outcome:
    """A candidate with its numbers, or what stops it."""
    try:
        trial = candidate.edit(job)
        model = Model.of(trial)
        power = study_power(model, painted=False)
        own = _about(trial, pin, power)
        severity = worst([f.severity for f in own])
        left = {f.judgement for f in own if f.severity is severity} - {"power.winding", "power.inrush"}
        straight = topology(candidate.keys[-1]).does & {Does.RECTIFIES, Does.CONDUCTS}
        sized = severity is not Severity.GOOD and bool(left & (SIZED | (PINS if straight else set())))
        alike = severity is not Severity.GOOD and bool(left) and not left & (SIZED | HEAT)
        if severity in (Severity.STOP, Severity.FIX):
            stops = next(f.code for f in own if f.severity is severity)
            return Outcome(stops, sized=sized, alike=alike)
        return Outcome("", _option(trial, pin, candidate, power, own, model, stock), sized, alike)
    except (CircuitError, EditError):
        return Outcome("power.unsolved")


def _about(job: Job, pin: str, power: PowerFound) -> list[Finding]:
    """The findings that a supply answers for: all of Power but what is told of the supplies of others."""
    others = {x.id for x in job.links if x.purpose is Purpose.SUPPLY and pin not in x.at("out")}
    pins = {a for a in job.addresses() if isinstance(job.terminal(a), SupplyIn) and a != pin}
    stores = any(does(s, Does.STORES) for x in supply_links(job, pin) for s in x.sections)
    aside = NOT_OURS if stores else (*NOT_OURS, *OF_CHARGE)
    return [f for f in power.findings if f.subject not in others | pins and f.code not in aside]


#: Findings of Power that no choice of a supply decides.
NOT_OURS = (
    "power.foot_unknown",
    "power.stage_not_supplied",
    "power.behind",
    "power.cell_unprotected",
    "power.cell_protection_unknown",
)
#: And of charging, where the cell is the host's.
OF_CHARGE = ("power.charge_rate", "power.charge_too_high", "power.charger_hot")


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
        if Does.RECTIFIES in shape.does:
            name = f"{name.replace(' rectifier', '')}, {format_quantity(values['c1'].nominal, 'F')}"
        told.append(f"{name[:1].lower()}{name[1:]}")
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
    of_source = Counter[str]()
    every: list[Supplied] = []
    for option in sorted(step.options, key=_rank):
        of_source[option.source] += 1
        if of_source[option.source] <= OF_A_SOURCE and len(every) < OFFERED:
            every.append(option)
    best = unbettered([_figures(o) for o in every])
    marked = tuple(replace(o, pareto=alone) for o, alone in zip(every, best, strict=True))
    return SuppliesFound(pin, marked, step.solved, "" if marked else _in_the_way(job, step))


def _in_the_way(job: Job, step: SupplyStep) -> str:
    if not step.broken:
        return tr(
            "The host has no rail and no winding that is alive while it should play. Add one in "
            "Survey, or take an adapter of its own."
        )
    code = max(step.broken, key=lambda c: step.broken[c])
    count = step.broken[code]
    stopped = trn(
        "{count:,} is stopped since {why}",
        "{count:,} are stopped since {why}",
        count,
        why=WORDS.get(code, tr("they cannot be solved")),
    )
    return tr(
        "No supply fits: of {solved:,} ways, {stopped}. {get}",
        solved=step.solved,
        stopped=stopped,
        get=CHANGES.get(code, tr("Another source is needed.")),
    )


def search_supplies(job: Job, pin: str, stock: Stock | None = None) -> SuppliesFound:
    """The supplies that fit a module's pin, ranked: all steps. Raises EditError for a module of which nobody knows what it needs."""
    step = SupplyStep()
    for source in sources_of(job, pin):
        step = take_step(job, pin, source, step, stock)
    return ranked(job, pin, step)
