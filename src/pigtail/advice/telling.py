"""Which lines tell the wanted states of something apart: what is wanted in each state, what each line stands at, what must be measured."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from pigtail.job.control import PLAYING, SEARCHING, Acts, WantedOf
from pigtail.job.document import HOST, AudioIn, AudioOut, Control, ControlIn, Job, Mode, Module, Rail, alive
from pigtail.job.measured import Measured
from pigtail.language import tr
from pigtail.studies.control.meant import StateMoment, meant, wish
from pigtail.studies.control.moments import active, blinks, lives_of
from pigtail.studies.wording import listed

#: Two levels further apart than this can be told by a transistor [V].
APART_V = 0.6


class Teller(NamedTuple):
    """A line that tells: its address, the least volts where the wish is yes, the most where it is no, and whether high means yes."""

    address: str
    yes_v: float
    no_v: float
    high: bool


def wished(job: Job, of: str) -> dict[tuple[str, str], bool]:
    """What is wanted of a module (on) or an output (heard) by state and by what the module does; only what is wanted or plain."""
    module = next((m for m in job.modules if m.id == of), None)
    if module is not None:
        found = {}
        for state in job.host.states:
            yes = meant(job, module, StateMoment(state.id, module.id, ""))
            if state.kind in (Mode.OFF, Mode.STANDBY) and yes is None:
                yes = False
            if yes is not None:
                found[state.id, ""] = yes
        return found
    return _heard(job, of)


def _heard(job: Job, of: str) -> dict[tuple[str, str], bool]:
    """Of an output: as the person says; else heard while nothing is linked, and mute while something is."""
    state, found = job.working_state(), {}
    for module in job.modules:
        for doing in lives_of(module):
            said = wish(job, of, WantedOf.HEARD, StateMoment(state, module.id, doing))
            found[state, doing] = said if said is not None else doing == SEARCHING
    return found


def tellers(job: Job, of: str) -> list[Teller]:
    """The lines that tell the wish of something apart, the plainest first."""
    measured = Measured(job).job
    wishes = wished(measured, of)
    found = (
        list(_of_host(measured, wishes))
        if measured.device(of) is not None
        else list(_of_modules(measured, wishes))
    )
    return sorted(found, key=lambda t: (not t.high, -abs(t.yes_v - t.no_v)))


def _of_host(job: Job, wishes: dict[tuple[str, str], bool]) -> Iterator[Teller]:
    for terminal in job.host.terminals:
        if not isinstance(terminal, Control | Rail):
            continue
        levels = {s: _level(job, terminal, s) for s, _ in wishes}
        told = _told_apart(f"{HOST}.{terminal.id}", [(levels[s], yes) for (s, _), yes in wishes.items()])
        if told is not None:
            yield told


def _of_modules(job: Job, wishes: dict[tuple[str, str], bool]) -> Iterator[Teller]:
    for module in job.modules:
        for terminal in module.terminals:
            if isinstance(terminal, Control) and not any(blinks(module, terminal.id, d) for _, d in wishes):
                level = terminal.level.nominal if terminal.level is not None else None
                pairs = []
                for (_, doing), yes in wishes.items():
                    on = active(module, terminal.id, doing or PLAYING) is not terminal.inverted
                    pairs.append((level if on else 0.0, yes))
                told = _told_apart(f"{module.id}.{terminal.id}", pairs)
                if told is not None:
                    yield told


def _level(job: Job, terminal: Control | Rail, state: str) -> float | None:
    """What a line or rail stands at in a state [V]; None where nobody knows."""
    if isinstance(terminal, Control) and (told := terminal.told_in(state)) is not None:
        return told.nominal
    if isinstance(terminal, Rail) and (volts := terminal.in_state(state).voltage) is not None:
        return volts.nominal
    known = terminal.level if isinstance(terminal, Control) else terminal.voltage
    if not alive(terminal, state):
        return 0.0
    return known.nominal if known is not None else None


def _told_apart(address: str, pairs: list[tuple[float | None, bool]]) -> Teller | None:
    """The line as it tells yes from no, if it does; pairs: its level [V] and the wish."""
    yes = [v for v, y in pairs if y]
    no = [v for v, y in pairs if not y]
    if not yes or not no or any(v is None for v, _ in pairs):
        return None
    volts_yes, volts_no = [v for v in yes if v is not None], [v for v in no if v is not None]
    if min(volts_yes) - max(volts_no) > APART_V:
        return Teller(address, min(volts_yes), max(volts_no), high=True)
    if min(volts_no) - max(volts_yes) > APART_V:
        return Teller(address, max(volts_yes), min(volts_no), high=False)
    return None


def not_told(job: Job, of: str) -> str:
    """Why no line tells a wish apart: which states nothing surveyed tells apart, and what to measure."""
    measured = Measured(job).job
    wishes = wished(measured, of)
    names = {s.id: s.name for s in job.host.states}
    yes = sorted({names.get(s, s) for (s, _), y in wishes.items() if y})
    no = sorted({names.get(s, s) for (s, _), y in wishes.items() if not y})
    if not yes or not no:
        return tr(
            "Nothing is wanted off in one state and on in another: type into the table what is "
            "wanted, or leave it as it is."
        )
    if measured.device(of) is None:
        blinking = sorted({b for m in measured.modules for d in m.doings for b in d.blinking})
        if blinking:
            pins = listed(
                measured.label(f"{m.id}.{b}")
                for m in measured.modules
                for b in blinking
                if measured.terminal(f"{m.id}.{b}")
            )
            return tr(
                "No line of a module tells steadily when it is to be mute; {pins} blinks, and what it "
                "steers would go on and off with it: give the module an output that is high only while "
                "it is linked, or type into the table when it is to be heard.",
                pins=pins,
            )
        return tr(
            "No line of a module tells when it is to be mute: give the module a link output, or type "
            "into the table when it is to be heard."
        )
    return tr(
        "Nothing surveyed tells {listed} from {listed2}: read all rails, lines and bare pins in "
        "each of these states (Survey, sweep), and tell a line by what it stands at.",
        listed=listed(f"“{n}”" for n in yes),
        listed2=listed(f"“{n}”" for n in no),
    )


def gates_of(job: Job, output: str) -> list[str]:
    """The inputs that enable or mute an output."""
    device_id, _, name = output.partition(".")
    device = job.device(device_id)
    pins = device.terminals if device is not None else ()
    return [
        f"{device_id}.{t.id}"
        for t in pins
        if isinstance(t, ControlIn) and name in t.gates and t.acts in (Acts.ENABLES, Acts.MUTES)
    ]


def is_output(job: Job, address: str) -> bool:
    """Whether something can be heard or mute."""
    return isinstance(job.terminal(address), AudioOut | AudioIn)


def of_module(job: Job, name: str) -> Module | None:
    """A module by its id."""
    return next((m for m in job.modules if m.id == name), None)
