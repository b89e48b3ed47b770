"""A connector swept pin by pin and state by state, and each pin classed by what it did.

Common practice: a supply is there or not, a return lies at nought and rings to ground, a signal lies at nought and does
not, logic rests between or moves. What a table of volts leaves open is said, with the reading that would settle it.
"""

from __future__ import annotations

import enum

import msgspec

from pigtail.job.ask import Ask, unplugged
from pigtail.job.document import HOST, UNPOWERED, AnyTerminal, Function, Job, Reading, Return
from pigtail.job.log import log_of
from pigtail.job.readings import plain
from pigtail.job.wiring import return_address, star_address
from pigtail.language import tr
from pigtail.studies.taps.protocol import live_states

AT_NOUGHT_V, SUPPLY_V, STEADY = 0.1, 1.6, 0.1
RUNG_OHM = 2.0
MOVES_V = 0.2
HEAVY_PART = 0.9
#: A load under which a supply holds and a line gives way [Ω].
TRIAL_OHM = 1000.0


class PinClass(enum.Enum):
    """What a pin is, as far as its readings tell."""

    PERMANENT = "permanent supply"
    SWITCHED = "switched supply"
    RETURN = "return"
    SIGNAL = "signal at 0 V"
    LOGIC = "logic"
    UNKNOWN = "unknown"


#: The role that a classed pin takes when the person agrees.
ROLE_OF = {
    PinClass.PERMANENT: "rail",
    PinClass.SWITCHED: "rail",
    PinClass.RETURN: "return",
    PinClass.SIGNAL: "audio in",
    PinClass.LOGIC: "control",
}


class PinRow(msgspec.Struct, frozen=True):
    """One pin: its volts by state, its class, why, and what would settle it."""

    address: str
    position: int
    volts: dict[str, float]
    kind: PinClass
    reason: str
    settle: Ask | None = None


def connectors(job: Job) -> tuple[str, ...]:
    """The connectors of the host that have pins."""
    return tuple(dict.fromkeys(t.place.connector for t in job.host.terminals if t.place.connector))


def pins(job: Job, connector: str) -> tuple[AnyTerminal, ...]:
    """The points on a connector, by position."""
    found = [t for t in job.host.terminals if t.place.connector == connector]
    return tuple(sorted(found, key=lambda t: t.place.position))


def sweep(job: Job, connector: str) -> tuple[PinRow, ...]:
    """Every pin of a connector with what its readings tell."""
    return tuple(_row(job, t) for t in pins(job, connector))


def _row(job: Job, terminal: AnyTerminal) -> PinRow:
    address = f"{HOST}.{terminal.id}"
    against = return_address(job, address) or star_address(job)
    if against == address:
        against = star_address(job)
    if against == address:  # red and black on one point would read nothing but nought
        words = tr("what the other pins are read against")
        return PinRow(address, terminal.place.position, {}, PinClass.RETURN, words)
    if not against:
        words = tr("nothing to read it against: make one pin or the shield a return first")
        return PinRow(address, terminal.place.position, {}, PinClass.UNKNOWN, words)
    readings = log_of(job).touching(address)
    volts = {
        r.state: r.value.nominal
        for r in readings
        if r.function is Function.DC_VOLTS and r.point == address and plain(r) and _is_return(job, r.against)
    }
    kind, reason, settle = _classed(job, address, against, volts, readings)
    return PinRow(address, terminal.place.position, volts, kind, reason, settle)


def _is_return(job: Job, address: str) -> bool:
    return isinstance(job.terminal(address), Return)


def _classed(
    job: Job, address: str, against: str, volts: dict[str, float], readings: tuple[Reading, ...]
) -> tuple[PinClass, str, Ask | None]:
    live = live_states(job)
    missing = [s for s in live if s not in volts]
    if missing:
        name = _name(job, missing[0])
        return (
            PinClass.UNKNOWN,
            tr("not read while “{name}”", name=name),
            Ask(
                address, against, missing[0], Function.DC_VOLTS, tr("every state tells a supply from a line")
            ),
        )
    values = [volts[s] for s in live]
    largest = max(values, key=abs, default=0.0)
    if all(abs(v) <= AT_NOUGHT_V for v in values):
        return _at_nought(job, address, against, readings)
    on = [v for v in values if abs(v) > SUPPLY_V]
    dead = [v for v in values if abs(v) <= max(AT_NOUGHT_V, 0.1 * abs(largest))]
    steady = on and max(on) - min(on) <= STEADY * abs(largest)
    if steady and len(on) == len(values):
        return _steady(
            job, address, against, readings, largest, PinClass.PERMANENT, tr("there in every state")
        )
    if steady and len(on) + len(dead) == len(values):
        words = tr("there in ") + ", ".join(_name(job, s) for s in live if abs(volts[s]) > SUPPLY_V) + " only"
        return _steady(job, address, against, readings, largest, PinClass.SWITCHED, words)
    return PinClass.LOGIC, tr("rests at different levels: a line that moves"), None


def _at_nought(
    job: Job, address: str, against: str, readings: tuple[Reading, ...]
) -> tuple[PinClass, str, Ask | None]:
    rung = [
        r
        for r in readings
        if r.function in UNPOWERED and r.function is not Function.DIODE and against in (r.point, r.against)
    ]
    if not rung:
        ask = Ask(address, against, unplugged(job), Function.RESISTANCE, tr("tells a return from a signal"))
        return PinClass.UNKNOWN, tr("0 V everywhere: a return or a signal"), ask
    if rung[-1].value.low <= RUNG_OHM:
        return PinClass.RETURN, tr("0 V everywhere, rings to the return"), None
    return PinClass.SIGNAL, tr("0 V everywhere, apart from the return"), None


def _steady(
    job: Job,
    address: str,
    against: str,
    readings: tuple[Reading, ...],
    volts: float,
    kind: PinClass,
    words: str,
) -> tuple[PinClass, str, Ask | None]:
    """A steady level: a supply holds under a load, a line drops."""
    loaded = [
        r for r in readings if r.load is not None and r.function is Function.DC_VOLTS and r.point == address
    ]
    moving = [
        r
        for r in readings
        if r.function is Function.AC_VOLTS and r.point == address and r.value.nominal > MOVES_V
    ]
    if moving:
        return PinClass.LOGIC, tr("a level with AC on it: a line that moves"), None
    if loaded:
        if abs(loaded[-1].value.nominal) >= HEAVY_PART * abs(volts):
            return kind, tr("{words}, and it holds under a load", words=words), None
        return (
            PinClass.LOGIC,
            tr("{words}, but it gives way under a load: a line, no supply", words=words),
            None,
        )
    state = job.working_state()
    ask = Ask(
        address,
        against,
        state,
        Function.DC_VOLTS,
        tr("under a load: a supply holds, a line drops"),
        load=TRIAL_OHM,
    )
    return kind, words, ask


def _name(job: Job, state_id: str) -> str:
    state = job.state(state_id)
    return state.name if state else state_id
