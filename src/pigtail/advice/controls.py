"""Finding the control of something: what wakes a module, what mutes an output, what shows a line.

Every line and rail that tells the wanted states apart × every topology × preferred values; first at nominal values, then what is left with
all studies of control and supply over the whole spread in all states. What is stopped or to be fixed is not offered.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from functools import partial
from typing import NamedTuple

import msgspec
from msgspec.structs import replace

from pigtail.advice.found import Controlled, ControlsFound
from pigtail.advice.telling import Teller, gates_of, is_output, not_told, of_module, tellers, wished
from pigtail.advice.weighing import bought, not_held, unbettered
from pigtail.catalogue.stock import Stock
from pigtail.catalogue.topologies import Does, Topology, those, topology
from pigtail.circuit import CircuitError
from pigtail.edits.change import Edit
from pigtail.edits.control import add_control, put_switch, set_want, supply_of_module
from pigtail.job.control import WantedOf
from pigtail.job.document import HOST, Control, ControlIn, Job, Link, Module, Rail, SupplyIn, alive
from pigtail.job.errors import EditError, JobError
from pigtail.job.measured import Measured
from pigtail.job.wiring import rail_of, star_address
from pigtail.language import tr, trn
from pigtail.model.model import Model
from pigtail.studies.control.found import ColumnKind, ControlFound
from pigtail.studies.control.study import study_control
from pigtail.studies.findings import ORDER, Finding, Severity, worst
from pigtail.studies.power.study import study_power
from pigtail.units import format_quantity
from pigtail.units.series import members

#: Options that are offered, and of one topology and line.
OFFERED, OF_A_KIND = 12, 1
#: Forced gain of a transistor that is to be wholly on, and what its base stands at [V]. Common practice.
FORCED, BASE_V = 15.0, 0.75
#: What an LED is given [A], and what it stands at [V].
GLOW_A, LED_V = 2e-3, 1.9
#: Heat of a sensitive relay's coil [W], the volts that coils are sold for.
COIL_W, COILS_V = 0.2, (5.0, 6.0, 9.0, 12.0, 24.0)
SERIES = "E12"
#: Two options are alike in what they steal and drain within these factors, in volts lost within so much [V].
SAME_V = 0.1
#: What Power tells that no way of switching decides.
NOT_OURS = ("power.every_source", "power.states")
WORDS = {
    "control.line_pulled_down": tr("the host's own line would be pulled down"),
    "control.line_need": tr("what the host itself needs of the line is not told"),
    "control.not_saturated": tr("the switch is not wholly on"),
    "control.forced_high": tr("the switch is driven too little"),
    "control.stays_on": tr("the module would not go off"),
    "control.not_powered": tr("the module would not get its volts"),
    "control.gate_low": tr("the gate drive is below its threshold"),
    "control.gate_breaks": tr("the gate does not stand the volts"),
    "control.level_too_high": tr("the input does not stand the level"),
    "control.undecided": tr("the input is neither high nor low"),
    "control.not_mute": tr("it would not be mute"),
    "control.not_heard": tr("it would not be heard"),
    "control.not_seen": tr("it would not be seen"),
    "control.sources_too_much": tr("the pin would give more than it may"),
    "control.coil_weak": tr("the relay would not be made"),
    "control.high_voltage": tr("the line stands at a hazardous voltage"),
}


class ControlWay(NamedTuple):
    """One way to be tried: its topology, the line in words, its edit, and the edit of the wish that it is judged against, if any."""

    key: str
    line: str
    edit: Edit
    wish: Edit | None = None


class ControlStep(msgspec.Struct, frozen=True):
    """What the steps of a search found so far."""

    options: tuple[Controlled, ...] = ()
    solved: int = 0
    broken: dict[str, int] = {}


def controlled(job: Job, name: str) -> str:
    """What a search is for: a module by its id or its supply, an output or a module's line by its address. Raises EditError."""
    link = job.link(name)
    if link is not None:
        pin = next((a for a in link.at("out") if isinstance(job.terminal(a), SupplyIn)), "")
        name = pin.partition(".")[0] or name
    if of_module(job, name) is not None or is_output(job, name) or isinstance(job.terminal(name), Control):
        return name
    raise EditError(
        tr("there is no module, output or line {name}; name what is to be woken, muted or shown", name=name),
        value=name,
    )


def steps_of(job: Job, of: str) -> tuple[str, ...]:
    """The steps of a search: the lines that tell, or the line that is to be shown."""
    if isinstance(job.terminal(of), Control):
        return (of,)
    return tuple(t.address for t in tellers(job, of))


def ways(job: Job, of: str, line: str) -> Iterator[ControlWay]:
    """All ways by one line."""
    measured = Measured(job).job
    module = of_module(job, of)
    if module is not None:
        teller = next(t for t in tellers(job, of) if t.address == line)
        yield from _wakes(measured, module, teller)
    elif is_output(job, of):
        teller = next(t for t in tellers(job, of) if t.address == line)
        yield from _mutes(measured, of, teller)
    else:
        yield from _shows(measured, line)


# -- what wakes a module -------------------------------------------------------------------------------------


def _wakes(job: Job, module: Module, teller: Teller) -> Iterator[ControlWay]:
    link_id = supply_of_module(job, module.id)
    link = job.link(link_id)
    if link is None:
        return
    rail = job.terminal(rail_of(job, link))
    pin = next(t for t in module.terminals if isinstance(t, SupplyIn))
    if not isinstance(rail, Rail) or rail.voltage is None or pin.largest is None:
        return
    volts, load = abs(rail.voltage.nominal), pin.largest.high
    for shape in those("supply", Does.SWITCHES):
        if Does.COILS in shape.does and Does.CATCHES not in shape.does:
            continue
        for parts in _parts(shape, volts, load, teller):
            edit = partial(put_switch, link_id=link_id, key=shape.key, line=teller.address, parts=parts)
            yield ControlWay(shape.key, job.label(teller.address), edit)


def _parts(shape: Topology, volts: float, load: float, teller: Teller) -> Iterator[dict[str, float]]:
    """Preferred values of a switch's parts for a rail [V], a load [A] and a line."""
    names = {p.name for p in shape.bought()}
    if Does.DIVIDES_HIGH in shape.does:
        if teller.yes_v > 60.0:
            yield {"r1": _below(teller.yes_v / 0.6e-3), "r2": 22e3}
        return
    if Does.COILS in shape.does:
        coil = min((v for v in COILS_V if v >= 0.9 * volts), default=COILS_V[-1])
        ohm = coil**2 / COIL_W
        for gain in (20.0, 50.0):
            yield {
                "vcoil": coil,
                "rcoil": ohm,
                "rd": _below(max(teller.yes_v - BASE_V, 0.1) / (coil / ohm) * gain),
            }
        return
    if "rb" in names:  # bipolar
        base = load / FORCED
        rb = _below(max(volts - 1.0, 0.1) / base)
        for gain in (50.0, 20.0):
            yield {"rb": rb, "rd": _below(max(teller.yes_v - BASE_V, 0.1) / (volts / rb) * gain)}
        return
    if "rd" in names and Does.APART in shape.does:
        yield {"rd": _below(max(teller.yes_v - 1.3, 0.1) / 1.5e-3)}
        return
    if any(p.name == "bn" for p in shape.parts):
        for ohm in (470e3, 100e3, 22e3):
            yield {"rd": ohm}
        return
    yield {}


def _below(ohm: float) -> float:
    """The greatest preferred value that is not above one [Ω]."""
    every = members(SERIES, 10.0, 10e6)
    return max((v for v in every if v <= ohm * 1.0001), default=every[0])


# -- what mutes an output ------------------------------------------------------------------------------------


def _mutes(job: Job, output: str, teller: Teller) -> Iterator[ControlWay]:
    wanted = wished(job, output)
    for gate in gates_of(job, output):
        pin = job.terminal(gate)
        assert isinstance(pin, ControlIn)
        name = tr("Mute of {lower}", lower=job.label(output).lower())
        for shape in those("control"):
            if shape.does & {Does.SHOWS, Does.AVERAGES, Does.DELAYS, Does.DROPS}:
                continue
            rail = _standing_rail(job) if "sup" in shape.ports else ""
            if "sup" in shape.ports and not rail:
                continue
            for parts in _pulling(shape, teller, pin):
                edit = partial(
                    add_control,
                    key=shape.key,
                    start=teller.address,
                    end=gate,
                    name=name,
                    supply=rail,
                    parts=parts,
                )
                yield ControlWay(
                    shape.key,
                    job.label(teller.address),
                    edit,
                    partial(_with_wishes, of=output, wanted=wanted),
                )


def _with_wishes(job: Job, of: str, wanted: dict[tuple[str, str], bool]) -> Job:
    """The job with a wish typed in, where nothing was said."""
    for (state, doing), yes in wanted.items():
        if not any((w.of, w.state, w.doing) == (of, state, doing) for w in job.wants):
            job = set_want(job, of, WantedOf.HEARD, state, doing, yes)
    return job


def _pulling(shape: Topology, teller: Teller, pin: ControlIn) -> Iterator[dict[str, float]]:
    if Does.PADS in shape.does:
        if (
            pin.most is not None
            and pin.high is not None
            and teller.high
            and max(teller.yes_v, teller.no_v) > pin.most.low
        ):
            part = 0.5 * (pin.most.low + pin.high.high) / max(teller.yes_v, teller.no_v)
            yield {"r1": _below(18e3 * (1 - part) / part), "r2": 18e3}
        return
    if Does.APART in shape.does:
        yield {"r1": _below(max(max(teller.yes_v, teller.no_v) - 1.3, 0.1) / 1.5e-3)}
        return
    yield {}


def _standing_rail(job: Job) -> str:
    """A rail of the host of a few volts that is there in all live states; empty for none."""
    states = [s.id for s in job.live_states()]
    rails = [
        t
        for t in job.host.terminals
        if isinstance(t, Rail) and t.voltage is not None and 3 <= t.voltage.nominal <= 15
    ]
    return next((f"{HOST}.{t.id}" for t in rails if all(alive(t, s) for s in states)), "")


# -- what shows a line ---------------------------------------------------------------------------------------


def _shows(job: Job, line: str) -> Iterator[ControlWay]:
    star = star_address(job)
    terminal = job.terminal(line)
    level = terminal.level.nominal if isinstance(terminal, Control) and terminal.level is not None else 3.3
    name = tr("Light of {rpartition}", rpartition=job.label(line).rpartition(" · ")[2])
    rails = [
        (f"{HOST}.{t.id}", t.voltage.nominal)
        for t in job.host.terminals
        if isinstance(t, Rail)
        and t.voltage is not None
        and 3 <= t.voltage.nominal <= 15
        and alive(t, job.working_state())
    ]
    plain, switched = (
        those("control", Does.SHOWS)[0].key,
        next((s.key for s in those("control", Does.SHOWS) if "sup" in s.ports), ""),
    )
    for glow in (GLOW_A, GLOW_A / 2):
        own = {"r1": _below(max(level - LED_V, 0.1) / glow)}
        show = partial(add_control, name=name)
        yield ControlWay(plain, job.label(line), partial(show, key=plain, start=line, end=star, parts=own))
        for rail, volts in rails:
            words, r1 = (
                tr("{line}, from {rail}", line=job.label(line), rail=job.label(rail)),
                {"r1": _below(max(volts - LED_V, 0.1) / glow)},
            )
            yield ControlWay(plain, words, partial(show, key=plain, start=rail, end=line, parts=r1))
            if switched:
                yield ControlWay(
                    switched, words, partial(show, key=switched, start=line, end=star, supply=rail, parts=r1)
                )


# -- solving -------------------------------------------------------------------------------------------------


def take_step(job: Job, of: str, line: str, before: ControlStep, stock: Stock | None = None) -> ControlStep:
    """One step of a search: all ways by a line, at nominal values first; its findings added to those before."""
    broken, solved, found = Counter(before.broken), before.solved, list(before.options)
    before_job = _codes(job)
    enough = Counter[str]()
    for way in ways(job, of, line):
        if enough[way.key] >= OF_A_KIND:
            continue
        solved += 1
        option = _solved(job, of, way, before_job, stock)
        if isinstance(option, str):
            broken[option] += 1
            continue
        found.append(option)
        enough[way.key] += option.severity is Severity.GOOD
    return ControlStep(tuple(found), solved, dict(broken))


def _codes(job: Job) -> frozenset[tuple[str, str]]:
    """What is not good already, whatever is done here."""
    model = Model.of(job)
    found = (*study_control(model).findings, *study_power(model, painted=False).findings)
    return frozenset(f.key for f in found if f.severity is not Severity.GOOD)


def _solved(
    job: Job, of: str, way: ControlWay, before: frozenset[tuple[str, str]], stock: Stock | None
) -> Controlled | str:
    """A way with its numbers, or the code of what stops it."""
    try:
        plain = way.edit(job)
        trial = way.wish(plain) if way.wish is not None else plain
        quick = study_control(Model.of(trial, quick=True))
        stops = _stops(quick.findings, before, of)
        if stops:
            return stops
        model = Model.of(trial)
        told = study_control(model)
        stops = _stops(told.findings, before, of)
        if stops:
            return stops
        link = _made(job, plain)
        own: list[Finding] = [f for f in told.findings if f.key not in before and f.code != "control.nothing"]
        if of_module(job, of) is not None:
            fed, about = study_power(model, painted=False).findings, (link.id, *link.at("out"))
            own += [f for f in fed if f.subject in about and f.key not in before and f.code not in NOT_OURS]
            if any(f.severity in (Severity.STOP, Severity.FIX) for f in own):
                return next(f.code for f in own if f.severity in (Severity.STOP, Severity.FIX))
    except (CircuitError, JobError):
        return "control.unsolved"
    return _option(trial, way, link, told, own, stock)


def _stops(findings: tuple[Finding, ...], before: frozenset[tuple[str, str]], of: str) -> str:
    """The code of what is stopped or to be fixed and was not before, or is about what is searched for."""
    bad = (Severity.STOP, Severity.FIX)
    return next(
        (f.code for f in findings if f.severity in bad and (f.key not in before or f.subject == of)), ""
    )


def _made(before: Job, after: Job) -> Link:
    """The link that an edit made or changed."""
    old = {x.id: x for x in before.links}
    return next(x for x in after.links if old.get(x.id) != x)


def _option(
    trial: Job, way: ControlWay, link: Link, told: ControlFound, own: list[Finding], stock: Stock | None
) -> Controlled:
    shape = topology(way.key)
    stolen = drain = 0.0
    line_key = next(
        (a for a in (*link.at("ctl"), *link.starts) if isinstance(trial.terminal(a), Control)), ""
    )
    off = {
        r.key for r in told.rows if any(c.word == "off" and c.column.startswith("module.") for c in r.cells)
    }
    for row in told.rows:
        for column in told.columns:
            if column.kind is ColumnKind.LINE and column.subject == line_key:
                stolen = max(stolen, abs(told.given.get((row.key, column.key), 0.0)))
            if column.kind is ColumnKind.RAIL and row.key in off:
                drain = max(drain, abs(told.given.get((row.key, column.key), 0.0)))
    detail = next((d for d in told.switches if d.link == link.id), None)
    lost = (
        detail.numbers["drop_v"].value
        if detail is not None and "drop_v" in detail.numbers and Does.SWITCHES in shape.does
        else 0.0
    )
    new = [(r, v) for r, v in bought(link) if r.name in {p.name for p in shape.parts}]
    lacks = (
        tuple(f"{r.name.upper()} {format_quantity(v, r.unit)}" for r, v in not_held(link, stock))
        if stock
        else ()
    )
    values = ", ".join(
        f"{r.name.upper()} {format_quantity(v, r.unit)}"
        for r, v in new
        if r.role.value in ("series", "level")
    )
    watching = [f.sentence for f in own if f.severity is Severity.WATCH]
    return Controlled(
        f"{_short(shape)}{f': {values}' if values else ''}", way.line, link, worst([f.severity for f in own]), way.edit, stolen, drain,
        lost or 0.0, len(bought(link)) + shape.netlist.lower().count("\nq") + shape.netlist.lower().count("\nm"),
        shape.cost + 0.1 * len(bought(link)) + 0.1, sum(j.terminal.startswith(f"{HOST}.") for j in link.joins), lacks,
        " ".join([*watching[:1], shape.catch]), tuple(f.sentence for f in own if f.severity is Severity.UNKNOWN),
    )  # fmt: skip


def _short(shape: Topology) -> str:
    """A topology as a list of ways has it."""
    return shape.title.removeprefix(tr("High-side switch: ")).removesuffix(tr(" that drives it"))


def _decade(value: float, least: float) -> int:
    """The size of a current in steps of three, nought below the least. Both in [A]."""
    steps, at = 0, least
    while value > at and steps < 20:
        steps, at = steps + 1, at * 3
    return steps


def _rank(o: Controlled) -> tuple[object, ...]:
    """The order in which a good technician would take them: what is sound, what leaves the host's line alone and drains nothing, then
    the fewest parts."""
    return (
        ORDER[::-1].index(o.severity), len(o.lacks), _decade(o.stolen_a, 1e-4), _decade(o.drain_a, 1e-4), round(o.lost_v / SAME_V),
        o.parts, round(o.cost, 1), o.host_joints,
    )  # fmt: skip


def _figures(o: Controlled) -> tuple[float, ...]:
    return (
        ORDER[::-1].index(o.severity), _decade(o.stolen_a, 1e-6), _decade(o.drain_a, 1e-6), round(o.lost_v / SAME_V), o.parts,
        round(2 * o.cost), o.host_joints, len(o.lacks),
    )  # fmt: skip


def ranked(job: Job, of: str, step: ControlStep) -> ControlsFound:
    """What the steps so far come to: the options that are offered, the best first, or why there is none."""
    every = sorted(step.options, key=_rank)[:OFFERED]
    best = unbettered([_figures(o) for o in every])
    marked = tuple(replace(o, pareto=alone) for o, alone in zip(every, best, strict=True))
    return ControlsFound(of, marked, step.solved, "" if marked else _in_the_way(job, of, step))


def _in_the_way(job: Job, of: str, step: ControlStep) -> str:
    module = of_module(job, of)
    if module is not None and not supply_of_module(job, of):
        return tr("The module is not supplied yet: find a supply in Power first.")
    if not step.broken:
        return not_told(job, of)
    code = max(step.broken, key=lambda c: step.broken[c])
    count = step.broken[code]
    stopped = trn(
        "{count:,} is stopped since {why}",
        "{count:,} are stopped since {why}",
        count,
        why=WORDS.get(code, tr("they cannot be solved")),
    )
    return tr("Nothing fits: of {solved:,} ways, {stopped}.", solved=step.solved, stopped=stopped)


def search_controls(job: Job, of: str, stock: Stock | None = None) -> ControlsFound:
    """What wakes a module, mutes an output or shows a line, ranked: all steps. Raises EditError for what is not there."""
    of = controlled(job, of)
    step = ControlStep()
    for line in steps_of(job, of):
        step = take_step(job, of, line, step, stock)
    return ranked(job, of, step)
