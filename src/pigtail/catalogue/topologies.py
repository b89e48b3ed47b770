"""Topologies: networks as data, with ports, subcircuit, parts and their rules."""

from __future__ import annotations

import math
import tomllib
from functools import cache
from pathlib import Path
from typing import Any

import msgspec

from pigtail.catalogue.errors import CatalogueError
from pigtail.job.model import Part, Section
from pigtail.units import Basis, Known, parse_known, parse_quantity
from pigtail.units.series import is_member

#: What resistors of the finer series are made to (IEC 60063 goes with 1 %).
E96_TOLERANCE = 0.01
#: Up to this a capacitor is film or ceramic, which has no plus; larger ones are electrolytic [F].
FILM_F = 1e-6
#: Where the data files of the catalogue lie.
DATA = Path(__file__).parent / "data"


class PartRule(msgspec.Struct, frozen=True):
    """A part of a topology: what it is, its usual value and spread, and the rule by which it is chosen.

    `outside` marks figures that the judgement uses and the subcircuit does not; `shunt` parts that go to the common,
    `feedback` parts round an amplifier. `drawn` says where else than on the wire a part lies: beside the one before it, at the
    foot of the feedback, at the middle of the supply, from the source's return, or on the second wire of a balanced pair.
    """

    name: str
    words: str
    unit: str
    kind: str
    default: str
    tolerance: float = 0.0
    series: str = ""
    rule: str = ""
    outside: bool = False
    shunt: bool = False
    feedback: bool = False
    drawn: str = ""

    def known(
        self, nominal: float | None = None, basis: Basis = Basis.TYPICAL, tolerance: float = math.inf
    ) -> Known:
        """The part at a nominal value (its default if None) with its usual spread, or a closer one.

        A resistor of a value that E24 has not and E96 has is a 1 % part.
        """
        if nominal is None:
            if ".." in self.default:
                return parse_known(self.default, self.unit, basis)
            nominal = parse_quantity(self.default, self.unit)
        if self.kind == "resistor" and not is_member(nominal, "E24") and is_member(nominal, "E96"):
            tolerance = min(tolerance, E96_TOLERANCE)
        return Known.of(nominal, self.unit, basis, tolerance=min(self.tolerance, tolerance))


class Topology(msgspec.Struct, frozen=True):
    """A network: its inputs, whether it uses the common port, its subcircuit text and parts.

    back: it uses the source's own return; supplied: it has a supply port; blocks: no DC passes; isolates: nothing but the
    signal does; swing: sides that its output swings; power: it drives speakers; inverse: it undoes the record equalisation;
    cost: of what it needs beside its bought parts, roughly, a resistor being 0.1.
    """

    key: str
    title: str
    purposes: tuple[str, ...]
    inputs: tuple[str, ...]
    netlist: str
    good_for: str
    catch: str
    short: str
    common: bool = False
    regulates: bool = False
    switching: bool = False
    amplifier: bool = False
    back: bool = False
    supplied: bool = False
    blocks: bool = False
    isolates: bool = False
    inverse: bool = False
    power: bool = False
    swing: float = 1.0
    cost: float = 0.0
    school: str = ""
    parts: tuple[PartRule, ...] = ()

    def part(self, name: str) -> PartRule:
        """A part rule by its name; raises KeyError."""
        return next(p for p in self.parts if p.name == name)

    def values(self, section: Section) -> dict[str, Known]:
        """Value of every part of a section of this topology; one that the section leaves out is at its default."""
        given = {p.name: p.value for p in section.parts}
        return {p.name: given.get(p.name) or p.known() for p in self.parts}

    @property
    def ports(self) -> tuple[str, ...]:
        """The ports of the subcircuit, in its order."""
        sides = (("com", self.common), ("back", self.back), ("sup", self.supplied))
        return (*self.inputs, "out", *(name for name, there in sides if there))

    def bought(self) -> tuple[PartRule, ...]:
        """The parts that are bought by their value, in order; figures of a bought unit are not among them."""
        return tuple(p for p in self.parts if p.kind != "figure")

    def section(self, **values: float) -> Section:
        """A section of this topology, parts at their defaults but for those given [SI]."""
        return Section(
            topology=self.key,
            parts=tuple(Part(name=p.name, value=p.known(values.get(p.name))) for p in self.parts),
        )


def data(name: str) -> str:
    """Text of a data file of the catalogue."""
    return (DATA / name).read_text(encoding="utf-8")


@cache
def topologies() -> dict[str, Topology]:
    """All topologies by their key."""
    return {key: _topology(key, raw) for key, raw in tomllib.loads(data("topologies.toml")).items()}


def topology(key: str) -> Topology:
    """A topology by its key; raises CatalogueError."""
    found = topologies().get(key)
    if found is None:
        raise CatalogueError("topology", key, list(topologies()))
    return found


def _topology(key: str, raw: dict[str, Any]) -> Topology:
    parts = tuple(PartRule(**p) for p in raw.pop("parts", ()))
    raw["netlist"] = raw["netlist"].strip()
    return Topology(
        key=key,
        purposes=tuple(raw.pop("purposes")),
        inputs=tuple(raw.pop("inputs")),
        parts=parts,
        **raw,
    )
