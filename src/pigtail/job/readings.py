"""How readings enter the model: a reading never overwrites a document, it outranks it."""

from __future__ import annotations

import math
from typing import Any, Protocol

import msgspec

from pigtail.job.control import LineState
from pigtail.job.derive import derived, open_level
from pigtail.job.document import (
    HOST,
    Act,
    AnyTerminal,
    AudioIn,
    AudioOut,
    Control,
    Function,
    Host,
    Job,
    Module,
    Path,
    Rail,
    Reading,
    Return,
    SupplyClass,
    SupplyIn,
    Trait,
    alive,
)
from pigtail.job.energy import KeptBy
from pigtail.job.log import log_of
from pigtail.job.markings import behind
from pigtail.job.meters import meter
from pigtail.job.quantities import quantities
from pigtail.job.tone import tone_of
from pigtail.job.windings import as_read
from pigtail.language import tr
from pigtail.units.known import Basis, Known

VOLTS = (Function.DC_VOLTS, Function.AC_VOLTS)
#: A loss by the meter's load beyond this part of a reading is put back.
NOTABLE_LOSS = 0.01


def standing(job: Job, point: str, function: Function | None = None) -> tuple[Reading, ...]:
    """Readings of a point that are not struck, the oldest first of each function."""
    return log_of(job).at(point, *(Function if function is None else (function,)))


class Clipped(Protocol):
    """What may be on the probes besides the meter: of a reading, or of a request for one."""

    @property
    def load(self) -> object: ...
    @property
    def series(self) -> object: ...
    @property
    def current(self) -> object: ...


def plain(reading: Clipped) -> bool:
    """Whether a reading was taken with nothing but the meter on the point."""
    return reading.load is None and reading.series is None and reading.current is None


def feeding(job: Job, address: str, terminal: AnyTerminal, function: Function) -> Reading | None:
    """The reading that a value of a terminal rests on, or None.

    It was taken in a state in which the terminal is alive, against a return of the same device, a current in series, with nothing
    but the meter on the point. Of several states the latest reading of each counts; for DC on an input the one furthest from
    nought, else that of the state in which the retrofit plays, else the latest.
    """
    device = address.partition(".")[0]
    latest: dict[str, Reading] = {}
    for reading in standing(job, address, function):
        same_device = reading.against.partition(".")[0] == device
        placed = (
            not reading.against
            if function is Function.CURRENT  # in series, or it was a short
            else same_device and isinstance(job.terminal(reading.against), Return)
        )
        if placed and plain(reading) and alive(terminal, reading.state):
            latest.pop(reading.state, None)
            latest[reading.state] = reading
    if not latest:
        return None
    if isinstance(terminal, AudioIn) and function is Function.DC_VOLTS:
        return max(latest.values(), key=lambda r: abs(r.value.nominal))
    return latest.get(job.working_state()) or list(latest.values())[-1]


def _measured(reading: Reading, terminal: AnyTerminal | None = None) -> Known:
    """The value of a reading, with what the meter's own load took from it put back where the source is known."""
    value, source = reading.value, tr("reading {id}", id=reading.id)
    impedance: Known | None = getattr(terminal, "impedance", None)
    if impedance is not None and reading.function in VOLTS and not isinstance(terminal, AudioIn):
        load = meter(reading.instrument).load_ohm(reading.function)
        if impedance.nominal / (impedance.nominal + load) > NOTABLE_LOSS:
            value, source = (
                open_level(value, impedance, load),
                tr("{source}, corrected for the meter's load", source=source),
            )
    return msgspec.structs.replace(value, basis=Basis.MEASURED, source=source)


def combined(paper: Known | None, read: Known) -> Known:
    """What a paper and a reading tell together: the finer of the two counts, within what the coarser allows; where they contradict each
    other the reading counts. A paper that is only typical or guessed is no match for any reading. In the [unit of both]."""
    if paper is None or paper.basis not in (Basis.DOCUMENTED, Basis.MEASURED):
        return read
    low, high = max(paper.low, read.low), min(paper.high, read.high)
    if low > high or read.high - read.low <= paper.high - paper.low:
        return read
    nominal = min(max(paper.nominal, low), high)
    source = tr("{source}, which agrees with the finer paper", source=read.source)
    return msgspec.structs.replace(read, nominal=nominal, low=low, high=high, source=source)


def _terminal(
    job: Job, address: str, terminal: AnyTerminal, told: dict[tuple[str, str], Known]
) -> AnyTerminal:
    changes: dict[str, Any] = {}
    for item in quantities(terminal):
        reading = feeding(job, address, terminal, item.feeds) if item.feeds else None
        if reading and reading.value.low >= item.lowest:
            value = _measured(reading, terminal)
            if isinstance(terminal, Rail) and address.startswith(f"{HOST}."):
                value = _as_mains_moves(job, terminal, value)
            changes[item.field] = value
        derived_value = told.get((address, item.field))
        if derived_value and derived_value.low >= item.lowest:
            changes[item.field] = combined(getattr(terminal, item.field), derived_value)
    if (
        isinstance(terminal, Rail)
        and address.startswith(f"{HOST}.")
        and (drawn := _drawn_as_read(job, address))
    ):
        by_state = {s.state: s for s in terminal.per_state} | {
            state: msgspec.structs.replace(terminal.in_state(state), used=known)
            for state, known in drawn.items()
        }
        changes["per_state"] = tuple(by_state.values())
    if (
        isinstance(terminal, Control)
        and address.startswith(f"{HOST}.")
        and (levels := _levels_as_read(job, address, terminal))
    ):
        by_state_level = {s.state: s for s in terminal.per_state} | {s.state: s for s in levels}
        changes["per_state"] = tuple(by_state_level.values())
    if isinstance(terminal, AudioOut) and (follows := follows_volume(job, address)) is not None:
        known = (terminal.traits, terminal.lacks)
        was, other = known if follows else known[::-1]
        now = (*(t for t in was if t is not Trait.FOLLOWS_VOLUME), Trait.FOLLOWS_VOLUME)
        rest = tuple(t for t in other if t is not Trait.FOLLOWS_VOLUME)
        changes["traits"], changes["lacks"] = (now, rest) if follows else (rest, now)
    states = _live_as_read(job, address, terminal)
    if states != terminal.states:
        changes["states"] = states
    return msgspec.structs.replace(terminal, **changes) if changes else terminal


def stands_at(job: Job, address: str) -> Known | None:
    """What a rail or line stands at while it is alive [V]: as its papers say, else as was read in the working state; None where
    neither tells."""
    terminal = job.terminal(address)
    known: Known | None = getattr(terminal, "voltage", None) or getattr(terminal, "level", None)
    if known is not None or not isinstance(terminal, Rail | Control):
        return known
    read = [
        r
        for r in standing(job, address, Function.DC_VOLTS)
        if plain(r) and r.state == job.working_state() and isinstance(job.terminal(r.against), Return)
    ]
    return read[-1].value if read and abs(read[-1].value.nominal) > SOMETHING_V else None


#: An output that loses this part of its level while the volume is turned down follows it.
FOLLOWS = 0.3


def follows_volume(job: Job, address: str) -> bool | None:
    """Whether an output follows the volume, as two readings in one state tell, one with it turned down; None where none do."""
    readings = [r for r in standing(job, address, Function.AC_VOLTS) if plain(r) and r.drive]
    for read in reversed(readings):
        tone = tone_of(read.drive)
        if tone is None or not tone.down:
            continue
        up = msgspec.structs.replace(tone, down=False)
        before = [r for r in readings if r.state == read.state and tone_of(r.drive) == up]
        if before and before[-1].value.low > 0:
            return bool(read.value.nominal < (1 - FOLLOWS) * before[-1].value.nominal)
    return None


#: Less than this of DC is nothing that a rail or line could stand at [V].
SOMETHING_V = 0.5
#: By how much mains moves: ±10 % (EN 50160).
MAINS_MOVES = 0.10
#: By how much a rail that nothing holds comes down while the host's own power amplifier is at full output: 20 to 40 % (from memory).
LOUD = 0.30
#: What is left of a battery's volts when it is empty: 0.9 V of 1.5 V a cell (from memory).
EMPTY = 0.6
#: A rail whose papers tell it closer than this is held by a regulator.
HELD = 0.06
#: Hosts whose rails move with the mains unless a regulator holds them.
MOVED_BY_MAINS = (SupplyClass.MAINS_ISOLATED, SupplyClass.VALVE, SupplyClass.ADAPTER_AC)


def _as_mains_moves(job: Job, rail: Rail, value: Known) -> Known:
    """What was read of a rail, with what the mains does to it at other hours: the meter's error alone is that of the moment. A rail
    that its papers tell closely is held by a regulator."""
    papers = rail.voltage
    held = rail.kept in HOLDING or (papers is not None and papers.spread <= 2 * HELD * abs(papers.nominal))
    held = held and rail.kept is not KeptBy.NOTHING
    if job.host.supply is SupplyClass.BATTERY and value.nominal > 0:
        least = papers.low if papers is not None and not held else EMPTY * value.nominal
        return msgspec.structs.replace(
            value,
            low=min(value.low, least),
            source=tr("{source}, until the battery is empty", source=value.source),
        )
    if held or job.host.supply not in MOVED_BY_MAINS:
        return value
    loud = any(Act.AMPLIFY in s.acts for s in job.host.stages)
    ends = [end * (1 + sign * MAINS_MOVES) for end in (value.low, value.high) for sign in (-1, 1)]
    ends += [end * (1 - LOUD) for end in ends] if loud else []
    moved = tr("±10 % with the mains") + (tr(", and down while the host plays loud") if loud else "")
    return msgspec.structs.replace(value, low=min(ends), high=max(ends), source=f"{value.source}, {moved}")


#: What keeps the volts of a rail against the mains.
HOLDING = (KeptBy.LINEAR, KeptBy.SWITCHING)
#: A supply or line is there in a state when it reads at least this part of its level: less may be left on what is off.
THERE_PART = 0.1
#: A line that reads this much beside its level in a state stands at a level of its own there [1].
SAME_PART = 0.1
#: The states of what was found alive in none.
NEVER = ("",)


def _live_as_read(job: Job, address: str, terminal: AnyTerminal) -> tuple[str, ...]:
    """The states in which a rail or line is alive: what was read of it in a state outranks what the papers say of that state.

    A terminal without states is alive in all; it stays so while no reading denies it.
    """
    if not isinstance(terminal, Rail | Control) or not job.host.states:
        return terminal.states
    level = stands_at(job, address)
    if level is None:
        return terminal.states
    read: dict[str, bool] = {}
    for reading in standing(job, address, Function.DC_VOLTS):
        if plain(reading) and isinstance(job.terminal(reading.against), Return):
            read[reading.state] = abs(reading.value.nominal) >= THERE_PART * abs(level.nominal)
    if not terminal.states and all(read.values()):
        return ()
    return tuple(s.id for s in job.host.states if read.get(s.id, alive(terminal, s.id))) or NEVER


def _levels_as_read(job: Job, address: str, line: Control) -> tuple[LineState, ...]:
    """What a line of the host was read at in states that are not the one in which the retrofit plays, where that is neither nought nor
    what it stands at while it is active [V]: what the meter's own load took is put back."""
    level = stands_at(job, address)
    found = {}
    for reading in standing(job, address, Function.DC_VOLTS):
        home = isinstance(job.terminal(reading.against), Return)
        if not plain(reading) or not home or reading.state == job.working_state() or level is None:
            continue
        told = line.told_in(reading.state) is not None
        between = abs(reading.value.nominal - level.nominal) > SAME_PART * abs(level.nominal)
        something = abs(reading.value.nominal) >= THERE_PART * abs(level.nominal)
        if told or (between and something):
            found[reading.state] = LineState(state=reading.state, level=_measured(reading, line))
    return tuple(found.values())


def _drawn_as_read(job: Job, address: str) -> dict[str, Known]:
    """What the host draws from a rail in each state in which an ammeter was in its lead [A]."""
    return {
        r.state: msgspec.structs.replace(r.value, basis=Basis.MEASURED, source=f"reading {r.id}")
        for r in standing(job, address, Function.CURRENT)
        if not r.against and r.value.low >= 0
    }


def _path(job: Job, device: str, path: Path, told: dict[tuple[str, str], Known]) -> Path:
    value = told.get((f"{device}/{path.id}", "resistance"))
    if value is None:
        found = [
            r
            for r in log_of(job).between(f"{device}.{path.a}", f"{device}.{path.b}", Function.RESISTANCE)
            if r.value.low > 0
        ]
        value = _measured(found[-1]) if found else None
    return msgspec.structs.replace(path, resistance=combined(path.resistance, value)) if value else path


def _by_papers(job: Job) -> Job:
    """The job with what follows from its papers alone: a rail that nothing holds moves with the mains, a supply pin with a regulator behind
    it wants what that wants; the same object where nothing does."""

    def rail(terminal: AnyTerminal) -> AnyTerminal:
        if isinstance(terminal, Rail) and terminal.kept is KeptBy.NOTHING and terminal.voltage is not None:
            return msgspec.structs.replace(terminal, voltage=_as_mains_moves(job, terminal, terminal.voltage))
        return terminal

    def pin(terminal: AnyTerminal) -> AnyTerminal:
        return behind(terminal) if isinstance(terminal, SupplyIn) and terminal.behind else terminal

    terminals = tuple(map(rail, job.host.terminals))
    modules = tuple(msgspec.structs.replace(m, terminals=tuple(map(pin, m.terminals))) for m in job.modules)
    if terminals == job.host.terminals and modules == job.modules:
        return job
    return msgspec.structs.replace(
        job, host=msgspec.structs.replace(job.host, terminals=terminals), modules=modules
    )


def effective(job: Job) -> Job:
    """The job with each value replaced by the reading that outranks it; the same object if none does."""
    job = _by_papers(job)
    if not job.readings:
        return job
    told = {(d.subject, d.field): d.value for d in derived(job) if d.value is not None}

    def measured(device_id: str, device: Host | Module) -> dict[str, Any]:
        return {
            "terminals": tuple(_terminal(job, f"{device_id}.{t.id}", t, told) for t in device.terminals),
            "paths": tuple(_path(job, device_id, p, told) for p in device.paths),
        }

    windings = tuple(as_read(job, w) for w in job.host.windings)
    host = msgspec.structs.replace(job.host, **measured(HOST, job.host), windings=windings)
    modules = tuple(msgspec.structs.replace(m, **measured(m.id, m)) for m in job.modules)
    return msgspec.structs.replace(job, host=host, modules=modules)


def levels_read(job: Job, address: str) -> tuple[Reading, ...]:
    """AC readings at a point that two sources can be compared by, the last first."""
    return tuple(
        r for r in reversed(job.readings)
        if r.point == address and r.function is Function.AC_VOLTS and not r.struck and r.value.nominal > 0
    )  # fmt: skip


def difference_db(now: Reading, wanted: Reading) -> float:
    """How much louder the second reading is than the first [dB]."""
    return 20 * math.log10(wanted.value.nominal / now.value.nominal)
