"""Macro-models of terminals, as data: which one a terminal has, what its parameters are, and where it is read.

Every model holds while its supply is absent: on a module what it gives is multiplied by the module's `on` node, which is
solved; on the host by `present`, which the host state sets.
"""

from __future__ import annotations

import tomllib
from functools import cache
from pathlib import Path

import msgspec

from pigtail.job.control import Drive, Pull
from pigtail.job.document import (
    AnyTerminal,
    AudioIn,
    AudioOut,
    Control,
    ControlIn,
    Digital,
    Function,
    Job,
    Mode,
    Pin,
    Rail,
    Return,
    SupplyIn,
    Trait,
    Video,
    Way,
    WindingEnd,
    alive,
)
from pigtail.job.energy import Winding
from pigtail.job.quantities import Quantity, beside, quantities
from pigtail.job.readings import plain, standing
from pigtail.job.wiring import return_address, star_address
from pigtail.language import tr
from pigtail.model import names, subjects
from pigtail.model.estimate import Input

TABLE = Path(__file__).parent / "data" / "models.toml"
#: What is not joined, as an impedance [Ω].
OPEN_OHM = 1e12


class Macro(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A macro-model: its ports, its subcircuit, the fields its parameters take, and the currents that can be asked for."""

    ports: tuple[str, ...]
    netlist: str
    takes: dict[str, str] = {}
    probes: dict[str, tuple[str, ...]] = {}


@cache
def macros() -> dict[str, Macro]:
    """All macro-models by their name."""
    return msgspec.convert(tomllib.loads(TABLE.read_text(encoding="utf-8")), dict[str, Macro])


def library(text: str = "") -> str:
    """The subcircuits of the macro-models that the lines of a deck call, as its head has them; of all for no text."""
    called = {word for line in text.splitlines() if line[:1] in "xX" for word in line.split()}
    return "\n".join(m.netlist.strip() for name, m in macros().items() if not text or name in called)


_KINDS: dict[type, str] = {
    AudioOut: "audio_out",
    AudioIn: "audio_in",
    Rail: "rail",
    SupplyIn: "supply_in",
    Control: "line",
    ControlIn: "logic_in",
    Digital: "line",
    Video: "line",
}


def macro_name(terminal: AnyTerminal, *, fed: bool = False, passed: bool = False) -> str:
    """Name of the macro-model of a terminal, empty for a return, a bare pin or an end of a winding.

    fed: it sits on a module, which may be without supply; passed: it is the output of a way through that passes unfed.
    """
    if isinstance(terminal, Return | Pin | WindingEnd):
        return ""
    name = _KINDS[type(terminal)]
    if isinstance(terminal, AudioOut) and terminal.way is not Way.FULL:
        name = "way_low" if terminal.way is Way.LOW else "way_high"
    elif passed and isinstance(terminal, AudioOut):
        return "audio_out_passed"
    elif isinstance(terminal, Control) and terminal.drive is Drive.OPEN_DRAIN:
        name = "drain"
    elif fed and isinstance(terminal, Control):
        return "logic_out_fed"
    elif fed and isinstance(terminal, ControlIn) and terminal.pulls is Pull.UP and terminal.pulled_to is None:
        return "logic_in_supplied"
    return f"{name}_fed" if fed and not isinstance(terminal, SupplyIn) else name


def taken(terminal: AnyTerminal) -> dict[str, str]:
    """The parameters of a terminal's macro-model that are values of it: parameter → field."""
    name, fields = macro_name(terminal), {q.field for q in quantities(terminal)}
    takes = macros()[name].takes if name else {}
    return {parameter: field for parameter, field in takes.items() if field in fields}


def terminal_inputs(job: Job, address: str) -> tuple[Input, ...]:
    """All values of a terminal as inputs, those of its macro-model marked as in the deck."""
    terminal = job.terminal(address)
    assert terminal is not None
    in_deck = taken(terminal).values()
    found = tuple(_value_input(job, address, q, in_deck=q.field in in_deck) for q in quantities(terminal))
    if isinstance(terminal, ControlIn) and terminal.pulls is Pull.UP and terminal.pulled_to is not None:
        return (
            *found,
            *(msgspec.structs.replace(i, in_deck=True) for i in beside_inputs(job, address, "pulled_to")),
        )
    return found


def level_inputs(job: Job, address: str) -> dict[str, Input]:
    """What a line of the host stands at in each state that tells it, as inputs [V] by the state."""
    terminal = job.terminal(address)
    assert isinstance(terminal, Control)
    subject, level = subjects.terminal(address), next(q for q in quantities(terminal) if q.field == "level")
    called = {s.id: s.name for s in job.host.states}
    return {
        s.state: Input(
            f"{subject.parameter('level')}__in__{names.encoded(s.state)}",
            tr("{point}: level while “{state}”", point=job.label(address), state=called.get(s.state, s.state)),
            s.level, level.plausible, subject, "level",
        )
        for s in terminal.per_state
    }  # fmt: skip


def beside_inputs(job: Job, address: str, *fields: str) -> tuple[Input, ...]:
    """Those values of a terminal that are taken where they are told and are no part of the deck, as inputs in the order of their table."""
    terminal = job.terminal(address)
    assert terminal is not None
    return tuple(_value_input(job, address, q, in_deck=False) for q in beside(terminal) if q.field in fields)


def _value_input(job: Job, address: str, item: Quantity, *, in_deck: bool) -> Input:
    subject = subjects.terminal(address)
    words, known = f"{job.label(address)}: {item.words}", item.of(job.terminal(address))
    return Input(subject.parameter(item.field), words, known, item.plausible, subject, item.field, in_deck)


def present(job: Job, terminal: AnyTerminal, state: str) -> bool:
    """Whether a host's terminal is there in a state: signals are gone while the host is off, supplies and lines as their states
    say."""
    found = job.state(state)
    off = found is not None and found.kind is Mode.OFF
    if isinstance(terminal, Control) and terminal.told_in(state) is not None:
        return False  # that state has a level of its own
    return alive(terminal, state) and (isinstance(terminal, Rail | Control) or not off)


def winding_live(job: Job, winding: Winding, state: str) -> bool:
    """Whether a winding gives anything in a host state: in those that it names, or where it names none in all but off."""
    found = job.state(state)
    if winding.states:
        return state in winding.states
    return found is None or found.kind is not Mode.OFF


def rise(job: Job, address: str, state: str) -> float:
    """How far a host's rail stands above its voltage in a state, by what was read there: a ratio [1], 1 where nothing was."""
    terminal = job.terminal(address)
    if not isinstance(terminal, Rail) or terminal.voltage is None or terminal.voltage.nominal == 0:
        return 1.0
    return next(
        (
            r.value.nominal / terminal.voltage.nominal
            for r in reversed(standing(job, address, Function.DC_VOLTS))
            if r.state == state and plain(r) and isinstance(job.terminal(r.against), Return)
        ),
        told.nominal / terminal.voltage.nominal
        if (told := terminal.in_state(state).voltage) is not None
        else 1.0,
    )


def node_name(job: Job, address: str) -> str:
    """Node of a terminal: 0 for the host's star, else a name of its address."""
    return "0" if address == star_address(job) else names.at(address)


def heard_node(job: Job, address: str) -> tuple[str, str]:
    """The pair of nodes at which the host listens: the input itself, or behind its record equalisation."""
    terminal = job.terminal(address)
    if isinstance(terminal, AudioIn) and terminal.has(Trait.EQUALISED):
        return f"{node_name(job, address)}__heard", "0"
    return node_name(job, address), node_name(job, return_address(job, address))
