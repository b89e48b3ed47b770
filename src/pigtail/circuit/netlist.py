"""A circuit as data: its elements, models, analyses and options. Nothing here reads text or solves."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec

from pigtail.circuit.expressions import Expression, Number
from pigtail.units.store import cached_property

NOTHING = Number(0.0)
KELVIN = 273.15


class ModelCard(msgspec.Struct, frozen=True):
    """A .model card: its type (d, npn, pnp, nmos, pmos, sw) and the parameters that it gives."""

    name: str
    type: str
    parameters: tuple[tuple[str, Expression], ...] = ()

    @property
    def given(self) -> frozenset[str]:
        """Parameters that are given and not plainly nought: they decide which formulas count."""
        return frozenset(k for k, v in self.parameters if getattr(v, "value", 1.0) != 0)


class Waveform(msgspec.Struct, frozen=True):
    """How a source moves in time: sin, pulse, pwl or exp with its numbers in the order of the deck."""

    kind: str
    arguments: tuple[Expression, ...]


class Element(msgspec.Struct, frozen=True):
    """One part of the flattened circuit.

    kind is its letter; value its resistance, gain, source or relation; ac and phase a source's amplitude and degrees;
    senses the elements that F, H and K refer to; options what is given by name (ic, tc1, w, l, area, on …).
    A B source of voltage has the kind `bv`, one of current `bi`.
    """

    kind: str
    name: str
    nodes: tuple[str, ...]
    value: Expression = NOTHING
    ac: Expression = NOTHING
    phase: Expression = NOTHING
    waveform: Waveform | None = None
    senses: tuple[str, ...] = ()
    model: ModelCard | None = None
    options: tuple[tuple[str, Expression], ...] = ()
    line: int = 0

    def option(self, name: str) -> Expression | None:
        """What is given by name, or None."""
        return next((value for key, value in self.options if key == name), None)


class AcCard(msgspec.Struct, frozen=True, tag="ac"):
    """Frequencies of an .ac card: points a decade, an octave or in all, from start to stop [Hz]."""

    spacing: str
    points: int
    start_hz: float
    stop_hz: float


class NoiseCard(msgspec.Struct, frozen=True, tag="noise"):
    """A .noise card: the output node against another, the source it is referred to, and the frequencies."""

    node: str
    against: str
    source: str
    sweep: AcCard


class DirectSweep(msgspec.Struct, frozen=True, tag="dc"):
    """A .dc card: a source stepped through its range, inside the range of a second one if there is one."""

    source: str
    start: float
    stop: float
    step: float
    outer: DirectSweep | None = None

    @property
    def steps(self) -> float:
        """How many steps lead from start to stop. A count [1]."""
        return abs((self.stop - self.start) / self.step)


class Transient(msgspec.Struct, frozen=True, tag="tran"):
    """A .tran card, times in seconds; max_step 0 leaves the step to the error control."""

    step: float
    stop: float
    start: float = 0.0
    max_step: float = 0.0
    from_initial: bool = False


class OperatingPoint(msgspec.Struct, frozen=True, tag="op"):
    """An .op card."""


Analysis = OperatingPoint | AcCard | NoiseCard | DirectSweep | Transient


class Options(msgspec.Struct, frozen=True):
    """What .options and .temp set: temperatures [°C], gmin [S], relative tolerance, integration method."""

    temp: float = 27.0
    tnom: float = 27.0
    gmin: float = 1e-12
    reltol: float = 1e-3
    method: str = "gear"


class Structure:
    """What is joined to what, as a key: its hash is worked out once, since many tables are asked by it."""

    __slots__ = ("_hash", "parts")

    def __init__(self, parts: tuple[object, ...]) -> None:
        self.parts = parts
        self._hash = hash(parts)

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Structure) and (self is other or self.parts == other.parts)


class Circuit(msgspec.Struct, frozen=True, dict=True):
    """A flattened circuit: parameters in the order of their definition, elements, analyses, options.

    notes says in words what the deck asked for and is not taken into account.
    """

    title: str
    parameters: tuple[tuple[str, Expression], ...]
    elements: tuple[Element, ...]
    analyses: tuple[Analysis, ...] = ()
    options: Options = Options()
    notes: tuple[str, ...] = ()

    @cached_property
    def _hash(self) -> int:
        return hash((self.title, self.parameters, self.body))

    @cached_property
    def body(self) -> Structure:
        """All elements with their expressions, whatever the values of the parameters: circuits that share it share what of their
        equations does not depend on those."""
        return Structure((self.elements, self.options))

    def with_values(self, title: str, values: Mapping[str, float]) -> Circuit:
        """The same circuit with another title and other values of some parameters, in the [units of the parameters].

        What follows from its elements alone is taken over, not worked out anew.
        """
        parameters = tuple((n, Number(values[n]) if n in values else e) for n, e in self.parameters)
        other = msgspec.structs.replace(self, title=title, parameters=parameters)
        for name in ("body", "structure", "nodes", "by_name", "linear"):
            other.__dict__[name] = getattr(self, name)
        return other

    def __hash__(self) -> int:
        """Worked out once: a circuit is the key under which its equations are kept."""
        return self._hash

    @cached_property
    def structure(self) -> Structure:
        """What is joined to what, whatever the values: circuits that share it share their elimination."""
        return Structure(
            tuple(
                (e.kind, e.nodes, e.senses)
                if e.model is None and not e.kind.startswith("b")
                else (
                    e.kind,
                    e.nodes,
                    e.model and (e.model.type, e.model.given),
                    e.value,
                )
                for e in self.elements
            )
        )

    @cached_property
    def nodes(self) -> tuple[str, ...]:
        """Names of all nodes but 0, in order of first use."""
        return tuple(dict.fromkeys(n for e in self.elements for n in e.nodes if n != "0"))

    @cached_property
    def by_name(self) -> dict[str, Element]:
        """The elements by their names."""
        return {e.name: e for e in self.elements}

    @cached_property
    def linear(self) -> bool:
        """Whether every element is linear."""
        return not any(e.kind in ("d", "q", "m", "s", "bv", "bi") for e in self.elements)
