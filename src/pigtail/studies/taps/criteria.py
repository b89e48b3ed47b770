"""The criteria by which a tap is judged: each gives 0 to 1, or None where nobody has told anything, and says why."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from pigtail.job.chain import before, trait
from pigtail.job.document import (
    HOST,
    Act,
    AnyTerminal,
    AudioOut,
    Control,
    Digital,
    Function,
    Job,
    Rail,
    Return,
    SupplyClass,
    SupplyIn,
    Trait,
    Wire,
    alive,
)
from pigtail.job.log import log_of
from pigtail.job.places import EASE, Pad
from pigtail.job.safety import HAZARD_DC_V
from pigtail.job.wiring import star_address
from pigtail.language import tr
from pigtail.studies.survey.expecting import GROUND_APART_V
from pigtail.studies.taps.protocol import done_part, live_states
from pigtail.units import format_quantity
from pigtail.units.known import Basis, Known

#: A line output up to this impedance drives a line by itself; beyond the second a buffer is a must.
LOW_OHM, HIGH_OHM = 1000.0, 10_000.0
SMALL_V, LARGE_V = 0.02, 4.0
#: A rail should have this much more to give than the modules draw.
ROOM = 1.3


class Score(NamedTuple):
    """What a criterion says of a candidate: 0 to 1, or None for not known; and why."""

    value: float | None
    text: str


Criterion = Callable[[Job, str, AnyTerminal], Score]


def _yes_no(known: bool | None, yes: str, no: str, unknown: str, *, good: bool) -> Score:
    if known is None:
        return Score(None, unknown)
    return Score(1.0 if known is good else 0.0, yes if known else no)


def _by_trait(which: Trait, yes: str, no: str, unknown: str, *, good: bool) -> Criterion:
    """A criterion that asks whether a trait is true of a point, and whether that is good."""

    def criterion(job: Job, address: str, terminal: AnyTerminal) -> Score:
        return _yes_no(trait(job, terminal, which), yes, no, unknown, good=good)

    return criterion


#: What is said of a point by where the volume control lies.
VOLUME = (
    tr("follows the volume"),
    tr("before the volume"),
    tr("before or after the volume: read it at both ends"),
)


def _domain(job: Job, address: str, terminal: AnyTerminal) -> Score:
    if isinstance(terminal, Digital):
        wires = (Wire.DATA, Wire.SPDIF, Wire.BIT_CLOCK, Wire.WORD_CLOCK, Wire.MASTER_CLOCK)
        if terminal.wire in wires:
            return Score(1.0, terminal.wire.value)
        return Score(0.2, tr("what it carries is not told"))
    return _yes_no(
        trait(job, terminal, Trait.WITH_PICTURE),
        tr("sound is mixed in"), tr("picture alone"), tr("whether sound is mixed in is not known"), good=False,
    )  # fmt: skip


def _before_volume(job: Job, address: str, terminal: AnyTerminal) -> Score:
    known = before(job, terminal, Act.VOLUME)
    return _yes_no(
        known,
        tr("the host's volume works on it"),
        tr("after the volume control"),
        tr("where the volume lies is not known"),
        good=True,
    )


def _impedance(job: Job, address: str, terminal: AnyTerminal) -> Score:
    known: Known | None = getattr(terminal, "impedance", None)
    if known is None:
        return Score(None, tr("source impedance not known: read it open and loaded"))
    shown = format_quantity(known.nominal, "Ω")
    if known.high <= LOW_OHM:
        return Score(1.0, tr("{shown} drives a line", shown=shown))
    if known.low >= HIGH_OHM:
        return Score(0.0, tr("{shown}: needs a buffer", shown=shown))
    return Score(0.6, tr("{shown}: short wires, a light load", shown=shown))


def _offset(job: Job, address: str, terminal: AnyTerminal) -> Score:
    known: Known | None = getattr(terminal, "bias" if isinstance(terminal, AudioOut) else "dc", None)
    if known is None:
        return Score(None, tr("DC not read"))
    volts = max(abs(known.low), abs(known.high))
    shown = format_quantity(known.nominal, "V")
    if volts > LARGE_V:
        return Score(0.0, tr("{shown} DC: no audio point", shown=shown))
    if volts > SMALL_V + 0.08:
        return Score(0.6, tr("{shown} DC: a capacitor blocks it", shown=shown))
    return Score(1.0 if known.basis is Basis.MEASURED else 0.9, f"{shown} DC")


def _states(job: Job, address: str, terminal: AnyTerminal) -> Score:
    working = job.working_state()
    if not working:
        return Score(None, tr("the host has no states yet"))
    state = job.state(working)
    name = state.name if state else working
    return (
        Score(1.0, tr("alive while “{name}”", name=name))
        if alive(terminal, working)
        else Score(0.0, tr("dead while “{name}”", name=name))
    )


def _read_in(job: Job, address: str) -> set[str]:
    return {r.state for r in log_of(job).at(address, Function.DC_VOLTS)}


def _permanent(job: Job, address: str, terminal: AnyTerminal) -> Score:
    live = live_states(job)
    if not all(alive(terminal, s) for s in live):
        return Score(0.0, tr("goes off with the host"))
    if not set(live) <= _read_in(job, address):
        return Score(None, tr("on paper there in every state; not read in all"))
    return Score(1.0, tr("there in every state"))


def _switched(job: Job, address: str, terminal: AnyTerminal) -> Score:
    live = live_states(job)
    if len(live) < 2:
        return Score(1.0, tr("off when the host is off"))
    if all(alive(terminal, s) for s in live):
        return Score(0.0, tr("there in every state: it would leave the module on all night"))
    if not set(live) <= _read_in(job, address):
        return Score(None, tr("on paper switched; not read in every state"))
    return Score(1.0, tr("goes off with the host"))


def _stiff(job: Job, address: str, terminal: AnyTerminal) -> Score:
    if not isinstance(terminal, Rail) or terminal.limit is None or terminal.used is None:
        return Score(None, tr("what it can give and gives already is not known"))
    left = terminal.limit.nominal - terminal.used.nominal
    drawn = [t.largest for m in job.modules for t in m.terminals if isinstance(t, SupplyIn)]
    need = ROOM * sum(k.high for k in drawn if k is not None)
    shown = format_quantity(left, "A")
    return (
        Score(1.0, tr("{shown} to spare", shown=shown))
        if left >= need
        else Score(0.0, tr("only {shown} to spare", shown=shown))
    )


def _confirmed(job: Job, address: str, terminal: AnyTerminal) -> Score:
    part = done_part(job, address)
    if part is None:
        return Score(None, tr("no check is known for it"))
    if part >= 1:
        return Score(1.0, tr("every check is done"))
    return Score(
        None if part == 0 else 0.5 * part,
        tr("on paper only") if part == 0 else tr("{value:.0f} % of its checks are done", value=100 * part),
    )


def _access(job: Job, address: str, terminal: AnyTerminal) -> Score:
    pads = [p.pad for p in (terminal.place, *terminal.alternatives) if p.pad is not Pad.UNKNOWN]
    if not pads:
        return Score(None, tr("what it would be soldered to is not known"))
    best = max(pads, key=lambda p: EASE[p] or 0.0)
    other = (
        tr(" (easier: {best})", best=best.value)
        if best is not terminal.place.pad and terminal.place.pad is not Pad.UNKNOWN
        else ""
    )
    return Score(
        EASE[best], f"{(terminal.place.pad if terminal.place.pad is not Pad.UNKNOWN else best).value}{other}"
    )


def _reversible(job: Job, address: str, terminal: AnyTerminal) -> Score:
    known = terminal.has(Trait.NEEDS_CUT)
    if known is None and terminal.place.pad in (Pad.LUG, Pad.PIN, Pad.TEST_PAD, Pad.ELECTROLYTIC):
        known = False
    return _yes_no(
        known,
        tr("a track is cut or a part removed"),
        tr("a wire is added, nothing cut"),
        tr("whether something must be cut is not known"),
        good=False,
    )


def _hazard(job: Job, address: str, terminal: AnyTerminal) -> Score:
    if job.host.supply is SupplyClass.LIVE_CHASSIS:
        return Score(0.0, tr("live chassis"))
    near = terminal.has(Trait.NEAR_HAZARD)
    volts: Known | None = getattr(terminal, "voltage", None)
    if near or (volts is not None and max(abs(volts.low), abs(volts.high)) > HAZARD_DC_V):
        return Score(0.0, tr("hazardous voltage"))
    if job.host.supply is SupplyClass.UNKNOWN:
        return Score(None, tr("how the host is fed is not known"))
    low = job.host.supply in (SupplyClass.ADAPTER_AC, SupplyClass.ADAPTER_DC, SupplyClass.BATTERY)
    if near is False or low:
        return Score(1.0, tr("low voltage all round") if low else tr("away from hazardous parts"))
    return Score(None, tr("how near hazardous parts are is not told"))


def _same_ground(job: Job, address: str, terminal: AnyTerminal) -> Score:
    star = star_address(job)
    if address == star:
        return Score(1.0, tr("it is the star"))
    read = log_of(job).between(address, star, Function.DC_VOLTS)
    if not read:
        return Score(None, tr("DC to the supply negative not read"))
    volts = abs(read[-1].value.nominal)
    shown = format_quantity(volts, "V")
    return (
        Score(1.0, tr("{shown} to the star", shown=shown))
        if volts <= GROUND_APART_V
        else Score(0.0, tr("{shown} away from the star", shown=shown))
    )


CRITERIA: dict[str, Criterion] = {
    "domain": _domain,
    "fixed": _by_trait(Trait.FOLLOWS_VOLUME, *VOLUME, good=False),
    "varies": _by_trait(Trait.FOLLOWS_VOLUME, *VOLUME, good=True),
    "before_volume": _before_volume,
    "impedance": _impedance,
    "offset": _offset,
    "shared": _by_trait(
        Trait.SHARED,
        tr("a mute or selector acts on it"),
        tr("nothing else acts on it"),
        tr("whether a mute or selector acts on it is not known"),
        good=False,
    ),
    "feedback": _by_trait(
        Trait.IN_FEEDBACK,
        tr("inside a feedback loop"),
        "outside",
        tr("whether a feedback loop encloses it is not known"),
        good=False,
    ),
    "states": _states,
    "permanent": _permanent,
    "switched": _switched,
    "stiff": _stiff,
    "confirmed": _confirmed,
    "access": _access,
    "reversible": _reversible,
    "hazard": _hazard,
    "same_ground": _same_ground,
}
#: Kinds of terminals that can serve each role of the table of wants.
SERVES: dict[str, type | tuple[type, ...]] = {
    "audio out": AudioOut,
    "rail": Rail,
    "control": Control,
    "digital": Digital,
    "return": Return,
}


def points_of(job: Job) -> tuple[tuple[str, AnyTerminal], ...]:
    """All points of the host with their addresses."""
    return tuple((f"{HOST}.{t.id}", t) for t in job.host.terminals)
