"""Linear solution of a circuit by modified nodal analysis, batched over samples and frequencies.

Unknowns are the node voltages and the currents of V, E and L. With conductances in G and storage in C the
operating point solves G·x = b, the sinusoidal steady state (G + jωC)·x = b. Every answer is checked by its
residual. Source: the modified nodal approach as in any text on network analysis; the code keeps its letters.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pigtail.circuit.deck import Circuit, Element
from pigtail.circuit.elimination import Plan, SingularError, make_plan
from pigtail.circuit.errors import CircuitError, FloatingNodeError, SourceLoopError, UnsolvedError
from pigtail.circuit.expressions import evaluate

Array = NDArray[Any]
BRANCHES = "vel"
RESIDUAL_LIMIT = 1e-9
NOUGHT = np.zeros(1)
_Matrix = Mapping[tuple[int, int], Array]


class Solution:
    """Named results: voltages and currents with the sample axis first, then the frequency axis if there is one.

    Attributes: x [S, unknowns] or [S, F, unknowns]; frequencies [Hz] or None for an operating point.
    """

    def __init__(self, system: _System, x: Array, frequencies: Array | None) -> None:
        self._system, self.x, self.frequencies = system, x, frequencies

    def v(self, node: str, against: str = "0") -> Array:
        """Voltage [V] of a node against another; raises CircuitError for an unknown node."""
        return self._potential(node) - self._potential(against)

    def _potential(self, node: str) -> Array:
        if node == "0":
            return np.zeros(self.x.shape[:-1], dtype=self.x.dtype)
        index = self._system.index.get(node)
        if index is None:
            raise CircuitError(f"there is no node {node} in the circuit", node=node)
        found: Array = self.x[..., index]
        return found

    def i(self, name: str) -> Array:
        """Current [A] through an element from its first node to its second (for E and G: of the output)."""
        element = self._system.elements.get(name.lower())
        if element is None:
            raise CircuitError(f"there is no element {name} in the circuit", element=name)
        if element.kind in BRANCHES:
            found: Array = self.x[..., self._system.branch[element.name]]
            return found
        value = self._system.values[element.name]
        if self.frequencies is not None:
            value = value[:, None]
        if element.kind == "r":
            return self.v(*element.nodes) / value
        if element.kind == "c":
            omega = 0.0 if self.frequencies is None else 2j * np.pi * self.frequencies
            return self.v(*element.nodes) * value * omega
        if element.kind == "g":
            return self.v(*element.nodes[2:]) * value
        if self.frequencies is not None:
            value = self._system.amplitudes[element.name][:, None]
        return np.broadcast_to(value, self.x.shape[:-1])


class Batch:
    """A circuit with its parameters sampled, ready to be solved at rest and at any frequencies.

    Args: samples gives parameters an array [S] (or a scalar) each in place of their value in the deck.
    Raises: CircuitError and its kinds.
    """

    def __init__(self, circuit: Circuit, samples: Mapping[str, ArrayLike] | None = None) -> None:
        self._system = _System(circuit, samples or {})

    def operating_point(self) -> Solution:
        """Voltages and currents at rest: a Solution with shape [S]."""
        system = self._system
        return Solution(system, _solved(system, system.g, system.b_dc, (system.samples,), "dc"), None)

    def ac(self, frequencies: ArrayLike) -> Solution:
        """Complex amplitudes [S, F] at frequencies [Hz], shape [F] for all samples or [S, F] for each its own."""
        system = self._system
        f = np.atleast_1d(np.asarray(frequencies, dtype=float))
        if not np.all(np.isfinite(f)) or np.any(f < 0):
            raise CircuitError("frequencies are finite numbers of hertz, nought or more")
        omega = 2j * np.pi * (f[None, :] if f.ndim == 1 else f)
        entries: dict[tuple[int, int], Array] = {k: v[:, None] for k, v in system.g.items()}
        for place, value in system.c.items():
            storage = omega * value[:, None]
            entries[place] = entries[place] + storage if place in entries else storage
        b = {k: v[:, None] for k, v in system.b_ac.items()}
        return Solution(system, _solved(system, entries, b, (system.samples, f.shape[-1]), "ac"), f)


def operating_point(circuit: Circuit, samples: Mapping[str, ArrayLike] | None = None) -> Solution:
    """Voltages and currents of a circuit at rest; see Batch."""
    return Batch(circuit, samples).operating_point()


def ac(circuit: Circuit, frequencies: ArrayLike, samples: Mapping[str, ArrayLike] | None = None) -> Solution:
    """Sinusoidal steady state of a circuit at frequencies [Hz]; see Batch."""
    return Batch(circuit, samples).ac(frequencies)


def _solved(
    system: _System, entries: _Matrix, b: Mapping[int, Array], shape: tuple[int, ...], kind: str
) -> Array:
    """All unknowns [*shape, n] of A·x = b, checked by the residual of every equation."""
    plan = _plan(system, entries, kind)
    with np.errstate(all="ignore"):
        x = plan.solve(entries, b)
        right = _satisfies(entries, x, b)
    if not right:
        raise UnsolvedError(
            f"the solution of “{system.circuit.title}” does not satisfy its own equations; "
            "look for a part of nought or values too many decades apart"
        )
    return np.stack([np.broadcast_to(v, shape) for v in x], axis=-1)


def _satisfies(entries: _Matrix, x: list[Array], b: Mapping[int, Array]) -> bool:
    """Whether x satisfies every equation to RESIDUAL_LIMIT of the largest term in it.

    The term on the diagonal is the first measure, since in nodal equations it is among the largest; only a row
    that fails by it, or has none, is measured by all its terms.
    """
    sums: dict[int, Array] = {i: -value for i, value in b.items()}
    diagonal: dict[int, Array] = {}
    for (i, j), value in entries.items():
        term = value * x[j]
        old = sums.get(i)
        sums[i] = term if old is None else old + term
        if i == j:
            diagonal[i] = np.abs(term)
    for i, residual in sums.items():
        size = np.abs(residual)
        if i in diagonal and (size <= RESIDUAL_LIMIT * diagonal[i] + 1e-30).all():
            continue
        largest: Array = np.abs(b.get(i, NOUGHT))
        for (row, j), value in entries.items():
            if row == i:
                largest = np.maximum(largest, np.abs(value * x[j]))
        if not (size <= RESIDUAL_LIMIT * largest + 1e-30).all():
            return False
    return True


def _plan(system: _System, entries: _Matrix, kind: str) -> Plan:
    """The elimination plan of a circuit, made once for its operating point and once for AC."""
    key = (system.circuit.structure, kind)
    plan = _PLANS.get(key)
    if plan is None:
        nominal = {place: complex(np.ravel(value)[value.size // 2]) for place, value in entries.items()}
        try:
            plan = make_plan(system.size, nominal)
        except SingularError as error:
            names = [*system.index, *system.branch]
            raise UnsolvedError(
                f"the equations have no single solution at {names[error.unknown]}; "
                "look for a loop of sources or a node that nothing holds"
            ) from error
        if len(_PLANS) >= MAX_PLANS:
            _PLANS.pop(next(iter(_PLANS)))
        _PLANS[key] = plan
    return plan


_PLANS: dict[tuple[object, str], Plan] = {}
MAX_PLANS = 64


class _System:
    """The equations of a circuit: entries g, c by (row, column) and right-hand sides b_dc, b_ac by row, all [S]."""

    def __init__(self, circuit: Circuit, samples: Mapping[str, ArrayLike]) -> None:
        _check_structure(circuit)
        self.circuit = circuit
        given = {k.lower(): np.atleast_1d(np.asarray(v, dtype=float)) for k, v in samples.items()}
        lengths = {v.size for v in given.values()} - {1}
        if len(lengths) > 1:
            raise CircuitError(f"sample arrays have different lengths: {sorted(lengths)}")
        self.samples = lengths.pop() if lengths else 1
        names = self._names(circuit, given)
        self.elements = {e.name: e for e in circuit.elements}
        self.values = {e.name: self._value(e, names) for e in circuit.elements}
        self.amplitudes = {
            e.name: np.atleast_1d(evaluate(e.ac, names, e.line)) for e in circuit.elements if e.kind in "vi"
        }
        nodes = circuit.nodes
        self.index = {n: k for k, n in enumerate(nodes)}
        with_branch = [e.name for e in circuit.elements if e.kind in BRANCHES]
        self.branch = {name: len(nodes) + k for k, name in enumerate(with_branch)}
        self.size = len(nodes) + len(with_branch)
        self.g: dict[tuple[int, int], Array] = {}
        self.c: dict[tuple[int, int], Array] = {}
        self.b_dc: dict[int, Array] = {}
        self.b_ac: dict[int, Array] = {}
        for element in circuit.elements:
            self._stamp(element)

    def _names(self, circuit: Circuit, given: Mapping[str, Array]) -> dict[str, Array]:
        stray = set(given) - {name for name, _ in circuit.parameters}
        if stray:
            raise CircuitError(f"the deck has no parameter {sorted(stray)[0]} to sample")
        names: dict[str, Array] = {}
        for name, expression in circuit.parameters:
            names[name] = given[name] if name in given else evaluate(expression, names)
        return names

    def _value(self, element: Element, names: Mapping[str, Array]) -> Array:
        value = np.atleast_1d(evaluate(element.value, names, element.line))
        low, high = value.min(), value.max()
        if not (math.isfinite(low) and math.isfinite(high)):
            raise CircuitError(
                "the value is not a finite number; check its expression",
                line=element.line,
                element=element.name,
            )
        wrong = (element.kind == "r" and low <= 0) or (element.kind in "cl" and low < 0)
        if wrong:
            raise CircuitError(
                f"{element.name} is {value.min():g}; a resistance is above nought, a capacitance or inductance not negative",
                line=element.line,
                element=element.name,
            )
        return value

    def _add(
        self, matrix: dict[tuple[int, int], Array], row: int | None, column: int | None, value: Array | float
    ) -> None:
        if row is not None and column is not None:
            old = matrix.get((row, column))
            matrix[row, column] = np.atleast_1d(value) if old is None else old + value

    def _stamp(self, element: Element) -> None:
        value = self.values[element.name]
        at = [self.index.get(n) for n in element.nodes]
        p, m = at[0], at[1]
        if element.kind in "rc":
            matrix = self.g if element.kind == "r" else self.c
            y = 1.0 / value if element.kind == "r" else value
            for row, column, sign in ((p, p, 1.0), (m, m, 1.0), (p, m, -1.0), (m, p, -1.0)):
                self._add(matrix, row, column, sign * y)
        elif element.kind == "i":
            for node, sign in ((p, -1.0), (m, 1.0)):
                if node is not None:
                    self.b_dc[node] = self.b_dc.get(node, NOUGHT) + sign * value
                    self.b_ac[node] = self.b_ac.get(node, NOUGHT) + sign * self.amplitudes[element.name]
        elif element.kind == "g":
            for row, sign in ((p, 1.0), (m, -1.0)):
                self._add(self.g, row, at[2], sign * value)
                self._add(self.g, row, at[3], -sign * value)
        else:
            self._stamp_branch(element, at, value)

    def _stamp_branch(self, element: Element, at: list[int | None], value: Array) -> None:
        k = self.branch[element.name]
        p, m = at[0], at[1]
        for node, sign in ((p, 1.0), (m, -1.0)):
            self._add(self.g, node, k, sign)
            self._add(self.g, k, node, sign)
        if element.kind == "v":
            self.b_dc[k] = value
            self.b_ac[k] = self.amplitudes[element.name]
        elif element.kind == "e":
            self._add(self.g, k, at[2], -value)
            self._add(self.g, k, at[3], value)
        else:
            self.c[k, k] = -value
            self._add(self.g, k, k, 0.0)


def _groups(pairs: Iterable[tuple[Element, str, str]]) -> tuple[dict[str, str], Element | None]:
    """Union of nodes joined by elements, and the first element that closes a loop."""
    parent: dict[str, str] = {}

    def root(node: str) -> str:
        while parent.setdefault(node, node) != node:
            parent[node] = parent[parent[node]]
            node = parent[node]
        return node

    loop: Element | None = None
    for element, a, b in pairs:
        ra, rb = root(a), root(b)
        if ra == rb:
            loop = loop or element
        parent[ra] = rb
    return {n: root(n) for n in parent}, loop


def _check_structure(circuit: Circuit) -> None:
    """Raise for a node that floats or a loop of voltage sources, before numbers hide it."""
    if circuit.structure in _SOUND:
        return
    if not circuit.elements:
        raise CircuitError("the circuit has no elements")
    conducting = [(e, e.nodes[0], e.nodes[1]) for e in circuit.elements if e.kind in "rlve"]
    grounded, _ = _groups(conducting)
    home = grounded.get("0", "0")
    for node in circuit.nodes:
        if grounded.get(node, node) != home:
            raise FloatingNodeError(
                f"the node {node} has no path for direct current to node 0; add a resistor or a return",
                node=node,
            )
    _, loop = _groups([(e, a, b) for e, a, b in conducting if e.kind in "vel"])
    if loop:
        raise SourceLoopError(
            f"{loop.name} closes a loop of voltage sources or inductors; put a resistance in it",
            line=loop.line,
            element=loop.name,
        )
    if len(_SOUND) >= MAX_PLANS:
        _SOUND.clear()
    _SOUND.add(circuit.structure)


#: Structures that were found sound already.
_SOUND: set[object] = set()
