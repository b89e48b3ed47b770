"""Topologies: networks as data, with ports, subcircuit, parts and their rules."""

from __future__ import annotations

import enum
import math
import re
import tomllib
from collections.abc import Iterable
from functools import cache
from pathlib import Path
from typing import Any

import msgspec

from pigtail.catalogue.errors import CatalogueError
from pigtail.job.document import Part, Plus, Section
from pigtail.language import said
from pigtail.units import Basis, Known, parse_known, parse_quantity
from pigtail.units.series import is_member

#: What resistors of the finer series are made to (IEC 60063 goes with 1 %).
E96_TOLERANCE = 0.01
#: Up to this a capacitor is film or ceramic, which has no plus; larger ones are electrolytic [F].
FILM_F = 1e-6
#: Where the data files of the catalogue lie.
DATA = Path(__file__).parent / "data"


class Does(enum.Enum):
    """What a network does, whatever it is called: menus, studies, searches and remedies ask this."""

    CONDUCTS = "conducts"
    DROPS = "drops"
    PADS = "pads"
    BLOCKS = "blocks"
    BLEEDS = "bleeds"
    SUMS = "sums"
    RECOMBINES = "recombines"
    MIXES = "mixes"
    TURNS = "turns"
    AMPLIFIES = "amplifies"
    GAINS = "gains"
    BUFFERS = "buffers"
    SUBTRACTS = "subtracts"
    BRIDGES = "bridges"
    ISOLATES = "isolates"
    UNRECORDS = "unrecords"
    DRIVES_HEADPHONES = "drives headphones"
    DRIVES_SPEAKERS = "drives speakers"
    LIFTS = "lifts"
    CONVERTS = "converts"
    CHOPS = "chops"
    SWITCHES = "switches"
    SEPARATES = "separates"
    FILTERS = "filters"
    RECTIFIES = "rectifies"
    STEPS_UP = "steps up"
    LIMITS = "limits"
    FUSES = "fuses"
    EITHER = "takes the higher of two"
    STORES = "stores"
    MUTES = "mutes"
    PULLS = "pulls"
    SHOWS = "shows"
    DELAYS = "delays"
    COMPARES = "compares"
    AVERAGES = "averages"
    COILS = "has a coil"
    CATCHES = "catches the coil"
    DIVIDES_HIGH = "divides high voltage"
    APART = "separates the line"


class Task(enum.Enum):
    """What a part is there for in its network: what is fitted, searched and mended is found by it, not by a name."""

    NONE = ""
    SERIES = "series"
    LEVEL = "level"
    BLOCKS = "blocks"
    BLEED = "bleed"
    APART = "apart"
    GAIN = "gain"
    KNOB = "knob"
    SUPPLY = "supply"
    RESERVOIR = "reservoir"
    PUMP = "pump"


class PartRule(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A part of a topology: what it is, its usual value and spread, and the rule by which it is chosen.

    `role`: what it is there for; `outside` marks figures that the judgement uses and the subcircuit does not; `shunt` parts
    that go to the common, `feedback` parts round an amplifier. `drawn` says where else than on the wire a part lies: beside the
    one before it, at the foot of the feedback, at the middle of the supply, from the source's return, or on the second wire of a
    balanced pair. `plus`: which way round a capacitor goes where the network decides it. `of`: the part that a figure is a property of
    and follows; `film`: its usual value where that is a film capacitor. `nodes`: the nodes of the subcircuit
    between which it lies, read from its text.
    """

    name: str
    words: str
    unit: str
    kind: str
    default: str
    role: Task = Task.NONE
    tolerance: float = 0.0
    series: str = ""
    rule: str = ""
    outside: bool = False
    shunt: bool = False
    feedback: bool = False
    drawn: str = ""
    plus: Plus = Plus.UNSAID
    of: str = ""
    film: str = ""
    nodes: tuple[str, ...] = ()

    def known(
        self, nominal: float | None = None, basis: Basis = Basis.TYPICAL, tolerance: float = math.inf
    ) -> Known:
        """The part at a nominal value (its default if None) with its usual spread, or a closer one.
        In the [unit of the part]; the tolerance a ratio.

        A resistor of a value that E24 has not and E96 has is a 1 % part.
        """
        if nominal is None:
            if ".." in self.default:
                return parse_known(self.default, self.unit, basis)
            nominal = parse_quantity(self.default, self.unit)
        if self.kind == "resistor" and not is_member(nominal, "E24") and is_member(nominal, "E96"):
            tolerance = min(tolerance, E96_TOLERANCE)
        return Known.of(nominal, self.unit, basis, tolerance=min(self.tolerance, tolerance))


class Tried(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How a search tries a topology by itself: what must be true of the feed, the parts that run through values (series, least,
    largest), and those that follow once the others are chosen."""

    when: tuple[str, ...] = ()
    vary: dict[str, tuple[str, float, float]] = {}
    then: dict[str, tuple[str, float, float]] = {}


class Topology(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A network: its ports, what it does, its subcircuit text and parts.

    sides: ports besides its inputs and `out`, in the order of the subcircuit: `com` its common, `back` the source's own
    return, `sup` a stage's supply, `ctl` what switches it. middle: the port that is the middle of a stage's supply, empty where it makes
    its own. menu: under which title a person adds it; remedy: how it is offered
    to mend something; probes: currents [A] through named elements and voltages [V] between its nodes that studies ask for;
    like: the topology that it differs from in figures alone, or nearly; tried: how a search tries it by itself; cost: of what it needs
    beside its bought parts, roughly, a resistor being 0.1; sketch: how it is drawn, a symbol or wire a line on a grid.
    """

    key: str
    title: str
    purposes: tuple[str, ...]
    inputs: tuple[str, ...]
    netlist: str
    good_for: str
    catch: str
    short: str
    like: str = ""
    sides: tuple[str, ...] = ()
    does: frozenset[Does] = frozenset()
    middle: str = ""
    menu: str = ""
    remedy: str = ""
    probes: dict[str, tuple[str, ...]] = {}
    tried: Tried | None = None
    cost: float = 0.0
    school: str = ""
    sketch: str = ""
    parts: tuple[PartRule, ...] = ()

    def part(self, name: str) -> PartRule:
        """A part rule by its name; raises KeyError."""
        for rule in self.parts:
            if rule.name == name:
                return rule
        raise KeyError(f"{self.key} has no part {name}")

    def doing(self, task: Task) -> PartRule | None:
        """The first part that is there for something, or None."""
        return next((p for p in self.parts if p.role is task), None)

    def values(self, section: Section) -> dict[str, Known]:
        """Value of every part of a section of this topology; one that the section leaves out is at its default."""
        given = {p.name: p for p in section.parts}

        def value(rule: PartRule) -> Known:
            part = given.get(rule.name)
            if part is not None:
                return part.value
            if rule.film and is_film(given.get(rule.of), self.part(rule.of)):
                return parse_known(rule.film, rule.unit, Basis.TYPICAL)
            return rule.known()

        return {p.name: value(p) for p in self.parts}

    @property
    def ports(self) -> tuple[str, ...]:
        """The ports of the subcircuit, in its order."""
        return (*self.inputs, "out", *self.sides)

    @property
    def common(self) -> bool:
        """Whether it stands on the common at its end."""
        return "com" in self.sides

    @property
    def back(self) -> bool:
        """Whether it needs the source's own return apart from the common."""
        return "back" in self.sides

    @property
    def supplied(self) -> bool:
        """Whether it is a stage with a supply port of its own."""
        return "sup" in self.sides and "supply_v" in self.probes and Does.COMPARES not in self.does

    @property
    def at_rest(self) -> tuple[str, str]:
        """Name and text of a rectifier's subcircuit at rest: without its diodes, which then only stand for what it gave on average."""
        kept = [x for x in self.netlist.splitlines() if not x.lower().startswith(("d", ".model"))]
        return f"{self.key}_at_rest", "\n".join(kept).replace(
            f".subckt {self.key} ", f".subckt {self.key}_at_rest "
        )

    @property
    def legged(self) -> bool:
        """Whether one of its inputs is joined through to its common, as an end of a winding that stands on a ground wants."""
        return "leg" in self.inputs

    @property
    def amplifies(self) -> bool:
        """Whether it is an amplifier stage."""
        return Does.AMPLIFIES in self.does

    @property
    def couples(self) -> bool:
        """Whether it is a coupling capacitor, whatever else is in it, and neither a stage nor a transformer."""
        return Does.BLOCKS in self.does and not self.does & {Does.AMPLIFIES, Does.ISOLATES}

    @property
    def swing(self) -> float:
        """Sides that its output swings: two where both ends of its load are driven. A count [1]."""
        return 2.0 if Does.BRIDGES in self.does else 1.0

    def bought(self) -> tuple[PartRule, ...]:
        """The parts that are bought by their value, in order; figures of a bought unit are not among them."""
        return tuple(p for p in self.parts if p.kind != "figure")

    def section(self, **values: float) -> Section:
        """A section of this topology, parts at their defaults but for those given [SI]; figures that follow a part are left to it."""
        return Section(
            topology=self.key,
            parts=tuple(
                Part(name=p.name, value=p.known(values.get(p.name)), plus=p.plus)
                for p in self.parts
                if not p.of or p.name in values
            ),
        )


def is_film(part: Part | None, rule: PartRule) -> bool:
    """Whether a capacitor is one that leaks next to nothing and has no plus: said to be, or small enough to be had as film."""
    if part is None:
        return rule.known().nominal <= FILM_F and rule.plus is Plus.UNSAID
    return part.plus is Plus.FILM or (part.value.nominal <= FILM_F and part.plus is Plus.UNSAID)


def data(name: str) -> str:
    """Text of a data file of the catalogue."""
    return (DATA / name).read_text(encoding="utf-8")


@cache
def topologies() -> dict[str, Topology]:
    """All topologies by their key, in the order of the catalogue."""
    return read_topologies("\n".join(data(f) for f in ("topologies.toml", "control.toml")))


def read_topologies(text: str) -> dict[str, Topology]:
    """Topologies of a catalogue's text by their key; raises msgspec.ValidationError for an entry that is not understood.

    One that is `like` another has all of it but what it says otherwise; `usual` are its parts' values that differ.
    """
    entries = said("topologies.toml", tomllib.loads(text))
    return {key: _topology(key, _like(key, raw, entries)) for key, raw in entries.items()}


def _like(key: str, raw: dict[str, Any], entries: dict[str, dict[str, Any]]) -> dict[str, Any]:
    """An entry with what it shares with another one filled in."""
    if "like" not in raw:
        return raw
    base = _like(raw["like"], entries[raw["like"]], entries)
    other = {k: v for k, v in raw.items() if k != "usual"}
    usual: dict[str, str] = raw.get("usual", {})
    parts = [{**p, "default": usual.get(p["name"], p["default"])} for p in base.get("parts", ())]
    text = base["netlist"].replace(f".subckt {raw['like']} ", f".subckt {key} ")
    return {**base, "netlist": text, "parts": parts, **other}


def topology(key: str) -> Topology:
    """A topology by its key; raises CatalogueError."""
    found = topologies().get(key)
    if found is None:
        raise CatalogueError("topology", key, list(topologies()))
    return found


def those(purpose: str, *does: Does, without: Iterable[Does] = ()) -> tuple[Topology, ...]:
    """The topologies for a purpose that do all of some things and none of others, in the order of the catalogue."""
    return tuple(
        t
        for t in topologies().values()
        if purpose in t.purposes and t.does.issuperset(does) and not t.does & frozenset(without)
    )


#: What stands in a supply besides what converts it.
BESIDE = (Does.SWITCHES, Does.FILTERS, Does.RECTIFIES, Does.LIMITS, Does.FUSES, Does.EITHER)


def converters() -> tuple[Topology, ...]:
    """What makes a module's volts of a rail or a reservoir, the straight join first, in the order of the catalogue."""
    return those("supply", without=BESIDE)


def usual_converters(volts: Known | None, least: Known | None) -> tuple[Topology, ...]:
    """The few that are tried first between a rail and a module: none that differs from another in figures alone, and what steps up only
    where the rail [V] lies below what the module needs [V], if both are known."""
    up = volts is not None and least is not None and abs(volts.nominal) < least.nominal
    return tuple(
        t
        for t in converters()
        if not t.like and (t.remedy or Does.CONDUCTS in t.does) and (up or Does.STEPS_UP not in t.does)
    )


def first(purpose: str, *does: Does, without: Iterable[Does] = ()) -> Topology:
    """The plainest topology for a purpose that does something: the first of the catalogue. Raises CatalogueError."""
    found = those(purpose, *does, without=without)
    if not found:
        raise CatalogueError("topology", " and ".join(d.value for d in does), list(topologies()))
    return found[0]


def does(section: Section, *what: Does) -> bool:
    """Whether a network of a link does any of some things."""
    return bool(topology(section.topology).does & frozenset(what))


def plain() -> Section:
    """A plain wire as a section."""
    return first("feed", Does.CONDUCTS).section()


def _topology(key: str, raw: dict[str, Any]) -> Topology:
    netlist = raw["netlist"].strip()
    lies = _nodes_of(netlist)
    parts = [{**p, "nodes": p.get("nodes", lies.get(p["name"], ()))} for p in raw.get("parts", ())]
    return msgspec.convert({**raw, "key": key, "netlist": netlist, "parts": parts}, Topology)


#: A resistor or capacitor of a subcircuit: its two nodes, and the value in which a part's name stands.
_ELEMENT = re.compile(r"^[rc]\w*\s+(\S+)\s+(\S+)\s+\{(.*)\}$", re.IGNORECASE)


def _nodes_of(netlist: str) -> dict[str, tuple[str, str]]:
    """Between which nodes of a subcircuit each part lies: those of the first resistor or capacitor made of it."""
    found: dict[str, tuple[str, str]] = {}
    for line in netlist.splitlines():
        match = _ELEMENT.match(line.strip())
        if match is None:
            continue
        for name in re.findall(r"[a-z_]\w*", match[3]):
            found.setdefault(name, (match[1], match[2]))
    return found
