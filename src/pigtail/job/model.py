"""The document: what a job holds, as immutable structs.

A terminal is a host point or a module pin; it is addressed as `device.terminal`, the host being `host`.
Electrical values are `Known` or None when nothing is known yet.
"""

from __future__ import annotations

import enum

import msgspec

from pigtail.units.known import Known

FORMAT = "pigtail job"
VERSION = 1
HOST = "host"


class SupplyClass(enum.Enum):
    """How the host is fed, which decides its hazards."""

    MAINS_ISOLATED = "mains, isolating transformer"
    MAINS_SWITCHING = "mains, switch-mode supply"
    LIVE_CHASSIS = "mains, live chassis"
    VALVE = "mains, valve stages"
    ADAPTER_AC = "low-voltage AC adapter"
    ADAPTER_DC = "low-voltage DC adapter"
    BATTERY = "battery"
    UNKNOWN = "not known yet"


class Channel(enum.Enum):
    """Which channel a signal terminal carries."""

    LEFT = "left"
    RIGHT = "right"
    MONO = "mono"


class Purpose(enum.Enum):
    """What a link is for."""

    FEED = "feed"
    SUPPLY = "supply"
    RETURN = "return"


class Function(enum.Enum):
    """What a reading measured."""

    DC_VOLTS = "DC volts"
    AC_VOLTS = "AC volts"
    RESISTANCE = "resistance"
    CURRENT = "current"


FUNCTION_UNITS = {
    Function.DC_VOLTS: "V",
    Function.AC_VOLTS: "V",
    Function.RESISTANCE: "Ω",
    Function.CURRENT: "A",
}


class _Record(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Base of all records: immutable, keyword arguments, defaults left out of the file."""


class Terminal(_Record, frozen=True, kw_only=True, tag_field="role"):
    """What all terminals share. `states` lists the host states it is alive in; empty means all."""

    id: str
    name: str
    place: str = ""
    return_to: str = ""
    states: tuple[str, ...] = ()


class AudioOut(Terminal, frozen=True, kw_only=True, tag="audio out"):
    """An output: an e.m.f. [V rms, full scale] behind an impedance [Ω] with a bias [V DC]."""

    channel: Channel = Channel.MONO
    emf: Known | None = None
    impedance: Known | None = None
    bias: Known | None = None


class AudioIn(Terminal, frozen=True, kw_only=True, tag="audio in"):
    """An input: an impedance [Ω], the level wanted and the level it overloads at [V rms], its own DC [V]."""

    channel: Channel = Channel.MONO
    impedance: Known | None = None
    wanted: Known | None = None
    overload: Known | None = None
    dc: Known | None = None


class Rail(Terminal, frozen=True, kw_only=True, tag="rail"):
    """A supply inside the host: voltage [V] behind a resistance [Ω], its limit and what it feeds [A]."""

    voltage: Known | None = None
    resistance: Known | None = None
    limit: Known | None = None
    used: Known | None = None


class SupplyIn(Terminal, frozen=True, kw_only=True, tag="supply in"):
    """A module's supply pin: allowed voltages [V], average and burst current [A]."""

    minimum: Known | None = None
    maximum: Known | None = None
    average: Known | None = None
    burst: Known | None = None


class Return(Terminal, frozen=True, kw_only=True, tag="return"):
    """A place by which current comes back; `star` marks the one that all voltages are told against."""

    star: bool = False


AnyTerminal = AudioOut | AudioIn | Rail | SupplyIn | Return


class Path(_Record, frozen=True, kw_only=True):
    """The resistance [Ω] that a device itself puts between two of its returns."""

    id: str
    a: str
    b: str
    resistance: Known | None = None


class State(_Record, frozen=True, kw_only=True):
    """A host state; `working` marks the one in which the retrofit is meant to play."""

    id: str
    name: str
    working: bool = False


class Stage(_Record, frozen=True, kw_only=True):
    """One stage of the host's signal chain, in order; `points` are the ids of the points on it."""

    id: str
    name: str
    domain: str = "analog audio"
    points: tuple[str, ...] = ()


class Host(_Record, frozen=True, kw_only=True):
    """The gear being modified."""

    name: str
    kind: str = ""
    supply: SupplyClass = SupplyClass.UNKNOWN
    states: tuple[State, ...] = ()
    stages: tuple[Stage, ...] = ()
    terminals: tuple[AnyTerminal, ...] = ()
    paths: tuple[Path, ...] = ()


class Module(_Record, frozen=True, kw_only=True):
    """The thing added."""

    id: str
    name: str
    kind: str = ""
    terminals: tuple[AnyTerminal, ...] = ()
    paths: tuple[Path, ...] = ()


class Part(_Record, frozen=True, kw_only=True):
    """A value of a section's network, by the name it has in the topology (`r1`, `c1`, `efficiency`)."""

    name: str
    value: Known


class Section(_Record, frozen=True, kw_only=True):
    """One network of a link: a topology of the catalogue with its part values."""

    topology: str
    parts: tuple[Part, ...] = ()


class Conductor(_Record, frozen=True, kw_only=True):
    """The wire on a port: gauge [AWG], length [m], whether screened, colour and route."""

    gauge: int = 26
    length: Known | None = None
    screened: bool = False
    colour: str = ""
    route: str = ""


class Join(_Record, frozen=True, kw_only=True):
    """Which terminal sits on which port of a link, and the wire that takes it there."""

    port: str
    terminal: str
    conductor: Conductor = msgspec.field(default_factory=Conductor)


class Link(_Record, frozen=True, kw_only=True):
    """Terminals joined through one or more networks in cascade, for a purpose."""

    id: str
    name: str
    purpose: Purpose
    sections: tuple[Section, ...]
    joins: tuple[Join, ...]

    def at(self, port: str) -> tuple[str, ...]:
        """The terminal on a port, or none: `out` is where the link ends, `com` its common."""
        return tuple(j.terminal for j in self.joins if j.port == port)

    @property
    def starts(self) -> tuple[str, ...]:
        """The terminals the link starts at: those on the inputs of its first network."""
        return tuple(j.terminal for j in self.joins if j.port not in ("out", "com"))


class Reading(_Record, frozen=True, kw_only=True):
    """A measurement as it was taken. Never overwritten: a wrong one is struck and kept."""

    id: str
    when: str
    point: str
    against: str
    state: str
    function: Function
    value: Known
    instrument: str = ""
    note: str = ""
    struck: bool = False


class Brief(_Record, frozen=True, kw_only=True):
    """What is wanted, in the person's own words."""

    wanted: str = ""
    notes: str = ""


class Job(_Record, frozen=True, kw_only=True):
    """One retrofit: host, modules, links and readings."""

    format: str = FORMAT
    version: int = VERSION
    name: str = "Untitled job"
    brief: Brief = msgspec.field(default_factory=Brief)
    host: Host
    modules: tuple[Module, ...] = ()
    links: tuple[Link, ...] = ()
    readings: tuple[Reading, ...] = ()
    ambient: Known | None = None

    def device(self, device_id: str) -> Host | Module | None:
        """The host or a module by its id, or None."""
        if device_id == HOST:
            return self.host
        return next((m for m in self.modules if m.id == device_id), None)

    def terminal(self, address: str) -> AnyTerminal | None:
        """The terminal at an address such as `host.record_in`, or None."""
        device_id, _, terminal_id = address.partition(".")
        device = self.device(device_id)
        if device is None:
            return None
        return next((t for t in device.terminals if t.id == terminal_id), None)

    def addresses(self) -> tuple[str, ...]:
        """Addresses of all terminals, the host's first."""
        return tuple(f"{d}.{t.id}" for d, device in self.devices() for t in device.terminals)

    def devices(self) -> tuple[tuple[str, Host | Module], ...]:
        """All devices with their ids, the host first."""
        return ((HOST, self.host), *((m.id, m) for m in self.modules))

    def link(self, link_id: str) -> Link | None:
        """A link by its id, or None."""
        return next((x for x in self.links if x.id == link_id), None)

    def state(self, state_id: str) -> State | None:
        """A host state by its id, or None."""
        return next((s for s in self.host.states if s.id == state_id), None)

    def working_state(self) -> str:
        """Id of the state in which the retrofit is meant to play: the marked one, else the last."""
        marked = [s.id for s in self.host.states if s.working]
        return marked[0] if marked else self.host.states[-1].id if self.host.states else ""

    def label(self, address: str) -> str:
        """How a terminal is called on screens and paper: `Record input` or `Receiver · left out`."""
        device_id, _, _ = address.partition(".")
        terminal, device = self.terminal(address), self.device(device_id)
        if terminal is None or device is None:
            return address
        return terminal.name if device_id == HOST else f"{device.name} · {terminal.name}"


def alive(terminal: AnyTerminal, state: str) -> bool:
    """Whether a terminal is alive in a host state."""
    return not terminal.states or state in terminal.states
