"""The document: what a job holds, as immutable structs.

A terminal is a host point or a module pin; it is addressed as `device.terminal`, the host being `host`.
Electrical values are `Known` or None when nothing is known yet.
"""

from __future__ import annotations

import enum
from collections.abc import Callable

import msgspec

from pigtail.job.build import Build, Relief, ScreenAt
from pigtail.job.control import Acts, Behaviour, Doing, Drive, LineState, Pull, Switch
from pigtail.job.energy import Battery, Hours, KeptBy, Mains, RailState, Regulator, Winding
from pigtail.job.logbook import AnyEntry, Work
from pigtail.job.places import NOWHERE, Place
from pigtail.job.record import Name, Note, Record, Ref
from pigtail.units.known import Known
from pigtail.units.store import cached_property

FORMAT = "pigtail job"
VERSION = 9
HOST = "host"
#: Points outside of every host that a probe may be on: the earth of the mains outlet, and both blades of the plug, joined.
EARTH, BLADES = "mains.earth", "mains.blades"
#: Ports of a link that carry no signal in or out: the common at its end, the source's own return, a stage's supply, what
#: switches it.
SIDE_PORTS = ("com", "back", "sup", "ctl")


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


#: How a host is fed, by the words that are typed after a look at it.
SEEN = {
    "transformer": SupplyClass.MAINS_ISOLATED,
    "switch-mode": SupplyClass.MAINS_SWITCHING,
    "live chassis": SupplyClass.LIVE_CHASSIS,
    "valve": SupplyClass.VALVE,
    "ac adapter": SupplyClass.ADAPTER_AC,
    "dc adapter": SupplyClass.ADAPTER_DC,
    "battery": SupplyClass.BATTERY,
}


class Channel(enum.Enum):
    """Which channel a signal terminal carries."""

    LEFT = "left"
    RIGHT = "right"
    MONO = "mono"

    @property
    def other(self) -> Channel:
        """The other side of a pair; of one channel alone itself."""
        return {Channel.LEFT: Channel.RIGHT, Channel.RIGHT: Channel.LEFT}.get(self, self)


class Way(enum.Enum):
    """What part of the music an output carries: all of it, or one way of an active crossover."""

    FULL = "full range"
    LOW = "low way"
    HIGH = "high way"

    @property
    def other(self) -> Way:
        """The other way of a crossover; of what carries all itself."""
        return {Way.LOW: Way.HIGH, Way.HIGH: Way.LOW}.get(self, self)


class Use(enum.Enum):
    """What an audio input is: an electronic input, or something that makes sound from the signal."""

    LINE = "line"
    HEADPHONES = "headphones"
    SPEAKER = "speaker"


class Plus(enum.Enum):
    """Which way round a polarised capacitor sits in a feed, or that it is not polarised."""

    UNSAID = "not said"
    SOURCE = "toward the source"
    INPUT = "toward the input"
    FILM = "not polarised"


class Purpose(enum.Enum):
    """What a link is for."""

    FEED = "feed"
    SUPPLY = "supply"
    RETURN = "return"
    CONTROL = "control"


class Function(enum.Enum):
    """What a reading measured."""

    DC_VOLTS = "DC volts"
    AC_VOLTS = "AC volts"
    RESISTANCE = "resistance"
    CURRENT = "current"
    CONTINUITY = "continuity"
    DIODE = "diode"
    FREQUENCY = "frequency"
    TEMPERATURE = "temperature"
    HEARD = "heard"
    LOOK = "look"


FUNCTION_UNITS = {
    Function.DC_VOLTS: "V",
    Function.AC_VOLTS: "V",
    Function.RESISTANCE: "Ω",
    Function.CURRENT: "A",
    Function.CONTINUITY: "Ω",
    Function.DIODE: "V",
    Function.FREQUENCY: "Hz",
    Function.TEMPERATURE: "°C",
    Function.HEARD: "",
    Function.LOOK: "",
}
#: What was heard while something was injected, by the number a reading keeps it under.
HEARD = ("nothing", "left", "right", "both")
#: Read, or looked at, with the host switched off and discharged.
UNPOWERED = (Function.RESISTANCE, Function.CONTINUITY, Function.DIODE, Function.LOOK)


class Act(enum.Enum):
    """What a stage of the chain does to the signal that passes through it."""

    SELECT = "selector"
    SUM = "sums sources"
    VOLUME = "volume control"
    MUTE = "mute"
    AMPLIFY = "power amplifier"
    PROCESS = "signal processor"
    DECODE = "decoder"
    CONVERT = "converter to analog"
    MODULATE = "modulator"
    RECEIVE = "radio receiver"
    ISOLATE = "isolates from the mains"


class Trait(enum.Enum):
    """What may be true of a point and spoils it for one use or another; whether it is, is known or not."""

    FOLLOWS_VOLUME = "follows the volume"
    BRIDGE_TIED = "one side of a bridge-tied output"
    POWER_OUTPUT = "after the power amplifier"
    IN_FEEDBACK = "inside a feedback loop"
    SHARED = "shared with a mute or selector"
    ENCODED = "before decoding"
    ONE_BIT = "a one-bit input of the converter"
    OTHER_PAIR = "data of another channel pair"
    WITH_PICTURE = "sound and picture are mixed here"
    NEEDS_CUT = "needs a track cut or a part removed"
    NEAR_HAZARD = "near hazardous parts"
    EQUALISED = "equalised for records"
    PASSIVE_NODE = "a passive node that carries the host's own signal"


class Wire(enum.Enum):
    """What a digital line carries."""

    DATA = "serial data"
    BIT_CLOCK = "bit clock"
    WORD_CLOCK = "word clock"
    MASTER_CLOCK = "master clock"
    SPDIF = "consumer digital audio"
    LOGIC = "logic"


class Terminal(Record, frozen=True, kw_only=True, tag_field="role"):
    """What all terminals share. `states` lists the host states it is alive in; empty means all.

    place and alternatives are places on one net; rings_to is the point that it must ring out to; papers is what the
    papers say; path the way by which it was found on paper; traits are true of it, lacks are known not to be.
    """

    id: Ref
    name: Name
    place: Place = NOWHERE
    alternatives: tuple[Place, ...] = ()
    rings_to: Ref = ""
    papers: Note = ""
    path: tuple[Name, ...] = ()
    traits: tuple[Trait, ...] = ()
    lacks: tuple[Trait, ...] = ()
    return_to: Ref = ""
    states: tuple[Ref, ...] = ()

    def has(self, trait: Trait) -> bool | None:
        """Whether a trait is true of the point; None when nobody knows."""
        return True if trait in self.traits else False if trait in self.lacks else None


class AudioOut(Terminal, frozen=True, kw_only=True, tag="audio out"):
    """An output: an e.m.f. [V rms, full scale] behind an impedance [Ω] with a bias [V DC].

    One way of an active crossover [Hz] carries the music below or above it; inverted: turned round against the other.
    """

    channel: Channel = Channel.MONO
    emf: Known | None = None
    impedance: Known | None = None
    bias: Known | None = None
    way: Way = Way.FULL
    crossover: Known | None = None
    inverted: bool = False


class AudioIn(Terminal, frozen=True, kw_only=True, tag="audio in"):
    """An input: an impedance [Ω] with a capacitance [F] beside it, the level wanted and the level it overloads at [V rms], its own
    DC [V].

    Headphones and speakers have a sensitivity [dB SPL at 1 mW]; a passive node carries the host's own signal [V rms].
    """

    channel: Channel = Channel.MONO
    use: Use = Use.LINE
    sensitivity: Known | None = None
    carries: Known | None = None
    impedance: Known | None = None
    capacitance: Known | None = None
    wanted: Known | None = None
    overload: Known | None = None
    dc: Known | None = None


class Rail(Terminal, frozen=True, kw_only=True, tag="rail"):
    """A supply inside the host: voltage [V] behind a resistance [Ω], its limit and what it feeds [A]; the capacitance that stands on it [F]
    and the least that the host itself needs of it [V]; what keeps its volts, the host's own regulator, and where it differs from state
    to state."""

    voltage: Known | None = None
    resistance: Known | None = None
    limit: Known | None = None
    used: Known | None = None
    store: Known | None = None
    least: Known | None = None
    kept: KeptBy = KeptBy.UNKNOWN
    regulator: Regulator | None = None
    per_state: tuple[RailState, ...] = ()

    def in_state(self, state: str) -> RailState:
        """What is told of a state; of one that nothing is told of the same as in all."""
        return next((s for s in self.per_state if s.state == state), RailState(state=state))


class SupplyIn(Terminal, frozen=True, kw_only=True, tag="supply in"):
    """A module's supply pin: allowed voltages [V], average and burst current while it plays [A], what it draws while it does something
    else [A] (`DOINGS`), the capacitance on its board [F], the marking of a regulator that stands behind the pin, empty for none."""

    minimum: Known | None = None
    maximum: Known | None = None
    average: Known | None = None
    burst: Known | None = None
    searching: Known | None = None
    linked: Known | None = None
    transmitting: Known | None = None
    charging: Known | None = None
    capacitance: Known | None = None
    behind: Name = ""

    @property
    def lasting(self) -> Known | None:
        """The most that it draws for long, as far as it is told [A]."""
        return _most(self.average, self.searching, self.linked, self.transmitting, self.charging)

    @property
    def largest(self) -> Known | None:
        """The most that it ever draws, as far as it is told [A]."""
        return _most(self.lasting, self.burst)


def _most(*every: Known | None) -> Known | None:
    return max((k for k in every if k is not None), key=lambda k: k.high, default=None)


class Return(Terminal, frozen=True, kw_only=True, tag="return"):
    """A place by which current comes back; `star` marks the one that all voltages are told against."""

    star: bool = False


class Control(Terminal, frozen=True, kw_only=True, tag="control"):
    """A line that says what the host or a module is doing: its level while it is active [V] behind an impedance [Ω].

    Of the host: what it stands at in other states, and what the host itself needs of it: the least that still works [V], or the current
    that its own load takes [A]. Of a module: how it drives, inverted where active means low, what it may source and sink [A] and the most
    that its pin stands [V]; how often [Hz], and for which part of the time [1], it is active while it blinks.
    """

    level: Known | None = None
    impedance: Known | None = None
    per_state: tuple[LineState, ...] = ()
    least: Known | None = None
    takes: Known | None = None
    drive: Drive = Drive.PUSH_PULL
    inverted: bool = False
    sources: Known | None = None
    sinks: Known | None = None
    most: Known | None = None
    blink: Known | None = None
    duty: Known | None = None

    def told_in(self, state: str) -> Known | None:
        """What is told of its level in a state [V]; None where nothing is."""
        return next((s.level for s in self.per_state if s.state == state), None)


class ControlIn(Terminal, frozen=True, kw_only=True, tag="control in"):
    """An input that is switched: below `low` it is off and above `high` on [V], or the other way round where it is active low; what pulls
    it through `pull` [Ω] to `pulled_to` [V] while nothing drives it, of a module its own supply where none is told; the most that it stands
    [V], how long it must be held [s], and the outputs of its device that it enables or mutes."""

    acts: Acts = Acts.ENABLES
    active_low: bool = False
    low: Known | None = None
    high: Known | None = None
    pulls: Pull = Pull.UNKNOWN
    pull: Known | None = None
    pulled_to: Known | None = None
    most: Known | None = None
    hold: Known | None = None
    gates: tuple[Ref, ...] = ()


class Digital(Terminal, frozen=True, kw_only=True, tag="digital"):
    """A digital line: what it carries, and its logic level [V]."""

    wire: Wire = Wire.LOGIC
    level: Known | None = None
    impedance: Known | None = None


class Video(Terminal, frozen=True, kw_only=True, tag="video"):
    """A picture signal: its level [V peak to peak] behind an impedance [Ω]."""

    level: Known | None = None
    impedance: Known | None = None


class WindingEnd(Terminal, frozen=True, kw_only=True, tag="winding end"):
    """An end, or the tap, of an AC winding or AC adapter; what it gives is told of the winding (`Host.windings`)."""


class Pin(Terminal, frozen=True, kw_only=True, tag="pin"):
    """A pin of which nobody knows yet what it does."""


class Direction(enum.Enum):
    """Which way a terminal works: it gives, it takes, or it does either or neither."""

    GIVES = "gives"
    TAKES = "takes"
    EITHER = "either"


#: The points outside of every host, which a job need not hold to be read at.
OUTSIDE: dict[str, Pin] = {
    EARTH: Pin(id="earth", name="the earth of the mains outlet"),
    BLADES: Pin(id="blades", name="both blades of its mains plug"),
}

AnyTerminal = (
    AudioOut | AudioIn | Rail | SupplyIn | Return | Control | ControlIn | Digital | Video | WindingEnd | Pin
)


class Path(Record, frozen=True, kw_only=True):
    """The resistance [Ω] that a device itself puts between two of its returns."""

    id: Ref
    a: Ref
    b: Ref
    resistance: Known | None = None


class Mode(enum.Enum):
    """What a host state is: off (resistances are read in it, unplugged), standby, on, or the one to play in."""

    OFF = "off"
    STANDBY = "standby"
    ON = "on"
    WORKING = "working"


class State(Record, frozen=True, kw_only=True):
    """A host state, and what kind of state it is; the retrofit is meant to play in the working one. mutes: its outputs that the host
    itself keeps silent in it."""

    id: Ref
    name: Name
    kind: Mode = Mode.ON
    mutes: tuple[Ref, ...] = ()


class Stage(Record, frozen=True, kw_only=True):
    """One stage of the host's signal chain, in order; `points` are the ids of the points on it, `acts` what it does.

    An input on a stage lies before what the stage does, an output after it.
    """

    id: Ref
    name: Name
    domain: Name = "analog audio"
    points: tuple[Ref, ...] = ()
    acts: tuple[Act, ...] = ()


class Host(Record, frozen=True, kw_only=True):
    """The gear being modified.

    reservoir [F] is its largest capacitor, charged to reservoir_volts [V] and discharged by a bleeder [Ω] if it has one.
    """

    name: Name
    kind: Name = ""
    supply: SupplyClass = SupplyClass.UNKNOWN
    states: tuple[State, ...] = ()
    stages: tuple[Stage, ...] = ()
    terminals: tuple[AnyTerminal, ...] = ()
    paths: tuple[Path, ...] = ()
    windings: tuple[Winding, ...] = ()
    batteries: tuple[Battery, ...] = ()
    switches: tuple[Switch, ...] = ()
    reservoir: Known | None = None
    reservoir_volts: Known | None = None
    bleeder: Known | None = None


class Through(Record, frozen=True, kw_only=True):
    """A module's own way from one of its inputs to one of its outputs: by how much it amplifies [dB] while powered, and
    whether it lets the signal pass unpowered (a relay, or nothing between); None when nobody knows. relay: one is fitted for that beside
    the module."""

    id: Ref
    start: Ref
    end: Ref
    gain: Known | None = None
    passes: bool | None = None
    relay: bool = False


class Module(Record, frozen=True, kw_only=True):
    """The thing added."""

    id: Ref
    name: Name
    kind: Name = ""
    terminals: tuple[AnyTerminal, ...] = ()
    paths: tuple[Path, ...] = ()
    throughs: tuple[Through, ...] = ()
    doings: tuple[Doing, ...] = ()

    def shows(self, does: str) -> Doing | None:
        """What it shows while it does something; None where nobody told."""
        return next((d for d in self.doings if d.does == does), None)


class Part(Record, frozen=True, kw_only=True):
    """A value of a section's network, by the name it has in the topology (`r1`, `c1`, `efficiency`).

    A locked one stays put in every search and remedy. What it is rated for: a capacitor [V], a resistor [W]; and of a capacitor
    which way its plus points.
    """

    name: Name
    value: Known
    locked: bool = False
    rating: Known | None = None
    plus: Plus = Plus.UNSAID


class Section(Record, frozen=True, kw_only=True):
    """One network of a link: a topology of the catalogue with its part values."""

    topology: Name
    parts: tuple[Part, ...] = ()


class Conductor(Record, frozen=True, kw_only=True):
    """The wire on a port: gauge [AWG], length [m], whether screened and where the screen is joined, colour and route; the name of the twist
    that it lies in, empty for none; what relieves its joints."""

    gauge: int = 26
    length: Known | None = None
    screened: bool = False
    colour: Name = ""
    route: Name = ""
    screen: ScreenAt = ScreenAt.UNSAID
    twist: Name = ""
    relief: Relief = Relief.UNSAID


class Join(Record, frozen=True, kw_only=True):
    """Which terminal sits on which port of a link, and the wire that takes it there."""

    port: Ref
    terminal: Ref
    conductor: Conductor = msgspec.field(default_factory=Conductor)


class Link(Record, frozen=True, kw_only=True):
    """Terminals joined through one or more networks in cascade, for a purpose."""

    id: Ref
    name: Name
    purpose: Purpose
    sections: tuple[Section, ...]
    joins: tuple[Join, ...]

    def at(self, port: str) -> tuple[str, ...]:
        """The terminal on a port, or none: `out` is where the link ends, `com` its common, `back` the source's return."""
        return tuple(j.terminal for j in self.joins if j.port == port)

    @property
    def starts(self) -> tuple[str, ...]:
        """The terminals the link starts at: those on the inputs of its first network."""
        return tuple(j.terminal for j in self.joins if j.port not in ("out", *SIDE_PORTS))


class Reading(Record, frozen=True, kw_only=True):
    """A measurement as the meter showed it. Never overwritten: a wrong one is struck, kept, and corrected by another.

    load [Ω] was across the two points, series [Ω] between the generator and the point, current [A] driven through them;
    drive says what was played or injected; instrument is a kind of meter; corrects the id of the reading that it replaces.
    """

    id: Ref
    when: Name
    point: Ref
    against: Ref
    state: Ref
    function: Function
    value: Known
    load: Known | None = None
    series: Known | None = None
    current: Known | None = None
    drive: Name = ""
    instrument: Name = ""
    note: Note = ""
    corrects: Ref = ""
    struck: bool = False


class Pinned(Record, frozen=True, kw_only=True):
    """A point pinned on a picture, at x and y as parts of its width and height."""

    point: Ref
    x: float
    y: float


class Picture(Record, frozen=True, kw_only=True):
    """A photo of a board or a page of the papers: a file beside the job, told by its SHA-256.

    page counts from 1 in a PDF and is 0 in a photo; mm_per_width is how many millimetres its width shows, 0 when unknown.
    """

    id: Ref
    name: Name
    file: Name
    sha256: Name
    page: int = 0
    mm_per_width: float = 0.0
    pins: tuple[Pinned, ...] = ()


class Brief(Record, frozen=True, kw_only=True):
    """What is wanted, in the person's own words."""

    wanted: Note = ""
    notes: Note = ""


class Job(Record, frozen=True, kw_only=True, dict=True):
    """One retrofit: host, modules, links and readings; day: hours in each state; wants: how it is to behave in the states;
    work, record: what the work needs to be told, and what was done."""

    format: str = FORMAT
    version: int = VERSION
    name: Name = "Untitled job"
    brief: Brief = msgspec.field(default_factory=Brief)
    host: Host
    modules: tuple[Module, ...] = ()
    links: tuple[Link, ...] = ()
    readings: tuple[Reading, ...] = ()
    pictures: tuple[Picture, ...] = ()
    meter: Name = "handheld"
    ambient: Known | None = None
    mains: Mains = Mains()
    day: tuple[Hours, ...] = ()
    wants: tuple[Behaviour, ...] = ()
    build: Build = Build()
    work: Work = Work()
    record: tuple[AnyEntry, ...] = ()

    def __reduce__(self) -> tuple[Callable[[bytes], Job], tuple[bytes]]:
        """Jobs go to the studies' process and back at each edit: packed they are an order quicker than field by field."""
        return _unpacked, (msgspec.msgpack.encode(self),)

    def device(self, device_id: str) -> Host | Module | None:
        """The host or a module by its id, or None."""
        if device_id == HOST:
            return self.host
        return next((m for m in self.modules if m.id == device_id), None)

    @cached_property
    def _by_address(self) -> dict[str, AnyTerminal]:
        return {f"{d}.{t.id}": t for d, device in self.devices() for t in device.terminals}

    def terminal(self, address: str) -> AnyTerminal | None:
        """The terminal at an address such as `host.record_in`, or None; those outside of every host are there in every job."""
        return self._by_address.get(address) or OUTSIDE.get(address)

    def addresses(self) -> tuple[str, ...]:
        """Addresses of all terminals, the host's first."""
        return tuple(self._by_address)

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
        """Id of the state in which the retrofit is meant to play: the working one, else the last that is not off; empty
        when the host has no states."""
        states = self.host.states
        rank = (Mode.OFF, Mode.STANDBY, Mode.ON)
        marked = next((s.id for s in states if s.kind is Mode.WORKING), "")
        return (
            marked or max(enumerate(states), key=lambda s: (rank.index(s[1].kind), s[0]))[1].id
            if states
            else ""
        )

    def off_state(self) -> str:
        """Id of the state in which the host is off and resistances are read; empty when it has none."""
        return next((s.id for s in self.host.states if s.kind is Mode.OFF), "")

    def live_states(self) -> tuple[State, ...]:
        """The states in which the host has power: all but those that are off."""
        return tuple(s for s in self.host.states if s.kind is not Mode.OFF)

    def label(self, address: str) -> str:
        """How a terminal is called on screens and paper: `Record input` or `Receiver · left out`."""
        device_id, _, _ = address.partition(".")
        terminal, device = self.terminal(address), self.device(device_id)
        if terminal is None or (device is None and address not in OUTSIDE):
            return self.host.name if address == HOST else address
        return terminal.name if device is None or device_id == HOST else f"{device.name} · {terminal.name}"


def _unpacked(data: bytes) -> Job:
    return msgspec.msgpack.decode(data, type=Job)


def alive(terminal: AnyTerminal, state: str) -> bool:
    """Whether a terminal is alive in a host state as the papers say, or, of a measured job, as was read."""
    return not terminal.states or state in terminal.states


_DIRECTIONS: dict[type, Direction] = {
    AudioOut: Direction.GIVES, Rail: Direction.GIVES, WindingEnd: Direction.GIVES, Control: Direction.GIVES, Digital: Direction.GIVES,
    Video: Direction.GIVES, AudioIn: Direction.TAKES, SupplyIn: Direction.TAKES, ControlIn: Direction.TAKES,
}  # fmt: skip


def direction(terminal: AnyTerminal) -> Direction:
    """Which way a terminal works."""
    return _DIRECTIONS.get(type(terminal), Direction.EITHER)
