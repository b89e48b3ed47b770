"""The equations of a circuit by modified nodal analysis, with sampled parameters.

Unknowns are the node voltages and the currents of V, E, H, L and of B sources of voltage. With conductances in G,
storage in C and devices that feed currents and charges, the circuit obeys G·x + d/dt(C·x + q(x)) + i(x) = b.
Source: the modified nodal approach as in any text on network analysis; the code keeps its letters.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pigtail.circuit.errors import CircuitError, ParameterError, UnsolvedError
from pigtail.circuit.expressions import Expression, evaluate
from pigtail.circuit.netlist import Circuit, Element
from pigtail.circuit.physics import surroundings
from pigtail.circuit.structure import check_structure

if TYPE_CHECKING:
    from pigtail.circuit.instances import Instance

Array = NDArray[Any]
Numbers = Any
"""A number for all samples, or an array [S]."""

Place = tuple[int, int]
#: Elements whose current is an unknown.
BRANCHES = frozenset(("v", "e", "h", "l", "bv"))
#: Elements that are devices with formulas.
DEVICES = frozenset(("d", "q", "m", "s"))


class System:
    """The equations of a circuit: entries g, c by (row, column) and right-hand sides by row.

    Each is a float where it is one for all samples, else an array [S].

    Args: samples gives parameters an array [S] (or a scalar) each in place of their value in the deck.
    Raises: CircuitError and its kinds.
    """

    def __init__(
        self, circuit: Circuit, samples: Mapping[str, ArrayLike] | None = None, *, from_charge: bool = False
    ) -> None:
        check_structure(circuit, from_charge=from_charge)
        self.circuit, self.from_charge = circuit, from_charge
        given = {k.lower(): settled(np.asarray(v, dtype=float)) for k, v in (samples or {}).items()}
        lengths = {np.size(v) for v in given.values()} - {1}
        if len(lengths) > 1:
            raise CircuitError(f"sample arrays have different lengths: {sorted(lengths)}")
        self.samples = lengths.pop() if lengths else 1
        self.names = self._names(circuit, given)
        self.surroundings = surroundings(circuit.options)
        self.elements = circuit.by_name
        inner = _inner(circuit)
        nodes = (*circuit.nodes, *inner)
        self.index = {n: k for k, n in enumerate(nodes)}
        with_branch = [e.name for e in circuit.elements if e.kind in BRANCHES]
        self.branch = {name: len(nodes) + k for k, name in enumerate(with_branch)}
        self.size = len(nodes) + len(with_branch)
        self.values: dict[str, Numbers] = {}
        self.amplitudes: dict[str, Numbers] = {}
        self.g: dict[Place, Numbers] = {}
        self.c: dict[Place, Numbers] = {}
        self.b_dc: dict[int, Numbers] = {}
        self.b_ac: dict[int, Numbers] = {}
        self.instances: list[Instance] = []
        self.resistances: list[tuple[str, int | None, int | None, Numbers]] = []
        for element in circuit.elements:
            self._stamp(element)

    def unknown(self, k: int) -> str:
        """The name of an unknown, for a message."""
        name = [*self.index, *self.branch][k]
        return f"the node {name}" if k < len(self.index) else name

    def unsolvable(self, k: int) -> UnsolvedError:
        """The error of equations that leave an unknown open."""
        return UnsolvedError(
            f"the equations have no single solution at {self.unknown(k)}; "
            "look for a loop of sources or a node that nothing holds"
        )

    def place(self, node: str) -> int | None:
        """Number of a node's voltage, None for node 0; raises CircuitError for one that is not there."""
        if node == "0":
            return None
        if node not in self.index:
            raise CircuitError(f"there is no node {node} in the circuit", node=node)
        return self.index[node]

    def _names(self, circuit: Circuit, given: Mapping[str, Numbers]) -> dict[str, Numbers]:
        stray = set(given) - {name for name, _ in circuit.parameters}
        if stray:
            raise CircuitError(f"the deck has no parameter {sorted(stray)[0]} to sample")
        names: dict[str, Numbers] = {}
        for name, expression in circuit.parameters:
            names[name] = given[name] if name in given else evaluate(expression, names)
        return names

    def value_of(self, element: Element, expression: Expression) -> Numbers:
        """A value of an element [S] or [1]; raises ParameterError unless it is finite."""
        value = evaluate(expression, self.names, element.line)
        if not (math.isfinite(value) if isinstance(value, float) else np.isfinite(value).all()):
            raise ParameterError(
                "the value is not a finite number; check its expression",
                line=element.line,
                element=element.name,
            )
        return value

    def _option(self, element: Element, name: str, default: float) -> Numbers:
        expression = element.option(name)
        return default if expression is None else self.value_of(element, expression)

    def _passive(self, element: Element) -> Numbers:
        """Resistance, capacitance or inductance, at its temperature and times its number."""
        value = self.value_of(element, element.value)
        low = lowest(value)
        if (element.kind == "r" and low <= 0) or low < 0:
            raise ParameterError(
                f"{element.name} is {low:g}; a resistance is above nought, a capacitance or inductance not negative",
                line=element.line,
                element=element.name,
            )
        if not element.options:
            return value
        options = self.circuit.options
        warmer = self._option(element, "temp", options.temp) - options.tnom
        value = value * (
            1 + self._option(element, "tc1", 0.0) * warmer + self._option(element, "tc2", 0.0) * warmer**2
        )
        count = self._option(element, "m", 1.0)
        if np.any(np.asarray(count) <= 0) or (element.kind == "r" and np.any(value <= 0)):
            raise ParameterError(
                f"{element.name} comes out at {lowest(value):g}; check its m and tc1",
                line=element.line,
                element=element.name,
            )
        return value * count if element.kind == "c" else value / count

    def _add(self, matrix: dict[Place, Numbers], row: int | None, column: int | None, value: Numbers) -> None:
        if row is not None and column is not None:
            old = matrix.get((row, column))
            matrix[row, column] = value if old is None else old + value

    def _admittance(self, matrix: dict[Place, Numbers], p: int | None, m: int | None, y: Numbers) -> None:
        for row, column, sign in ((p, p, 1.0), (m, m, 1.0), (p, m, -1.0), (m, p, -1.0)):
            self._add(matrix, row, column, sign * y)

    def _stamp(self, element: Element) -> None:
        kind = element.kind
        at = [self.index.get(n) for n in element.nodes]
        if kind in "rc":
            value = self.values[element.name] = self._passive(element)
            self._admittance(
                self.g if kind == "r" else self.c, at[0], at[1], 1.0 / value if kind == "r" else value
            )
        elif kind in DEVICES:
            from pigtail.circuit.instances import place_device

            instance, resistances = place_device(self.circuit, element, self.names, self.index.get)
            self.instances.append(instance)
            for word, p, m, ohm in resistances:
                self._admittance(self.g, p, m, 1.0 / ohm)
                self.resistances.append((f"{element.name}: {word}", p, m, ohm))
        elif kind == "i":
            dc, ac = self._drive(element)
            for node, sign in ((at[0], -1.0), (at[1], 1.0)):
                if node is not None:
                    self.b_dc[node] = self.b_dc.get(node, 0.0) + sign * dc
                    self.b_ac[node] = self.b_ac.get(node, 0.0) + sign * ac
        elif kind in "gf":
            value = self.values[element.name] = self.value_of(element, element.value)
            senses = (
                ((at[2], 1.0), (at[3], -1.0)) if kind == "g" else ((self.branch[element.senses[0]], 1.0),)
            )
            for row, sign in ((at[0], 1.0), (at[1], -1.0)):
                for column, way in senses:
                    self._add(self.g, row, column, sign * way * value)
        elif kind == "k":
            self._couple(element)
        elif kind == "bi":
            self._relate(element)
        else:
            self._stamp_branch(element, at)

    def _drive(self, element: Element) -> tuple[Numbers, Numbers]:
        """DC value and complex AC amplitude of a source; without a DC value it rests where its waveform starts."""
        dc = self.value_of(element, element.value)
        if element.waveform is not None and element.option("dc") is None:
            dc = self.wave_start(element)
        ac = self.value_of(element, element.ac)
        phase = self.value_of(element, element.phase)
        amplitude = ac if not np.any(phase) else ac * np.exp(1j * np.radians(phase))
        self.values[element.name], self.amplitudes[element.name] = dc, amplitude
        return dc, amplitude

    def wave_arguments(self, element: Element) -> list[Any]:
        """The numbers of a waveform: floats, or arrays [S] where they are sampled."""
        assert element.waveform is not None
        return [self.value_of(element, a) for a in element.waveform.arguments]

    def wave_start(self, element: Element) -> Any:
        """Value of a waveform at the start."""
        from pigtail.circuit.waveforms import make_wave

        return make_wave(element, self.wave_arguments(element), 1e-9, 1.0).at(0.0)

    def _stamp_branch(self, element: Element, at: list[int | None]) -> None:
        k = self.branch[element.name]
        p, m = at[0], at[1]
        for node, sign in ((p, 1.0), (m, -1.0)):
            self._add(self.g, node, k, sign)
            self._add(self.g, k, node, sign)
        if element.kind == "v":
            self.b_dc[k], self.b_ac[k] = self._drive(element)
        elif element.kind == "bv":
            self._relate(element)
        elif element.kind == "l":
            value = self.values[element.name] = self._passive(element)
            self._add(self.c, k, k, -value)
            self._add(self.g, k, k, 0.0)
        else:
            value = self.values[element.name] = self.value_of(element, element.value)
            if element.kind == "e":
                self._add(self.g, k, at[2], -value)
                self._add(self.g, k, at[3], value)
            else:
                self._add(self.g, k, self.branch[element.senses[0]], -value)

    def _relate(self, element: Element) -> None:
        """B: a device whose formula is its own."""
        from pigtail.circuit.instances import place_relation

        self.instances.append(place_relation(element, self.names, self.place, self.branch))

    def _couple(self, element: Element) -> None:
        """K: the mutual inductance k·√(L1·L2) between two branches."""
        value = self.values[element.name] = self.value_of(element, element.value)
        if np.any(np.abs(value) > 1):
            raise ParameterError(
                f"{element.name} couples with {float(np.max(np.abs(value))):g}; a coupling lies between -1 and 1",
                line=element.line,
                element=element.name,
            )
        first, second = (self.elements[n] for n in element.senses)
        mutual = value * np.sqrt(self._passive(first) * self._passive(second))
        a, b = (self.branch[n] for n in element.senses)
        self._add(self.c, a, b, -mutual)
        self._add(self.c, b, a, -mutual)


def _inner(circuit: Circuit) -> list[str]:
    """The inner nodes that devices make; what they are is loaded for a circuit that has some."""
    devices = [e for e in circuit.elements if e.kind in DEVICES]
    if not devices:
        return []
    from pigtail.circuit.instances import inner_nodes

    return [n for e in devices for n in inner_nodes(e).values()]


def settled(value: Numbers) -> Numbers:
    """An array [S] as it is, an array of one number as that number."""
    return float(np.ravel(value)[0]) if np.size(value) == 1 else np.asarray(value)


def lowest(value: Numbers) -> float:
    """The least of all samples."""
    return value if isinstance(value, float) else float(value.min())


def first(value: Numbers) -> float:
    """The value in the first sample."""
    return value if isinstance(value, float) else float(np.ravel(value)[0])


def source_signs(system: System, element: Element) -> list[tuple[int, float]]:
    """The right-hand sides that a source enters, each with its sign."""
    if element.kind == "v":
        return [(system.branch[element.name], 1.0)]
    ends = [system.index.get(n) for n in element.nodes]
    return [(row, sign) for row, sign in zip(ends, (-1.0, 1.0), strict=True) if row is not None]
