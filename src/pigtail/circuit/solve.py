"""Linear solution of a circuit by modified nodal analysis, batched over samples and frequencies.

Unknowns are the node voltages and the currents of V, E and L. With conductances in G and storage in C the
operating point solves G·x = b, the sinusoidal steady state (G + jωC)·x = b. Every answer is checked by its
residual. Source: the modified nodal approach as in any text on network analysis; the code keeps its letters.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pigtail.circuit.deck import Circuit, Element
from pigtail.circuit.errors import CircuitError, FloatingNodeError, SourceLoopError, UnsolvedError
from pigtail.circuit.expressions import evaluate

Array = NDArray[Any]
BRANCHES = "vel"
BLOCK_BYTES = 8_000_000
RESIDUAL_LIMIT = 1e-7


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


def operating_point(circuit: Circuit, samples: Mapping[str, ArrayLike] | None = None) -> Solution:
    """Voltages and currents at rest.

    Args: samples gives parameters an array [S] (or a scalar) each in place of their value in the deck.
    Returns: a Solution with the sample axis first. Raises: CircuitError and its kinds.
    """
    system = _System(circuit, samples or {})
    return Solution(system, _solved(system.g, system.b_dc, circuit), None)


def ac(circuit: Circuit, frequencies: ArrayLike, samples: Mapping[str, ArrayLike] | None = None) -> Solution:
    """Sinusoidal steady state at frequencies [Hz], shape [F] for all samples or [S, F] for each its own.

    Returns: a Solution of complex amplitudes [S, F]. Raises: CircuitError and its kinds.
    """
    system = _System(circuit, samples or {})
    f = np.atleast_1d(np.asarray(frequencies, dtype=float))
    if f.ndim == 1:
        f = np.broadcast_to(f, (system.samples, f.size))
    if not np.all(np.isfinite(f)) or np.any(f < 0):
        raise CircuitError("frequencies are finite numbers of hertz, nought or more")
    size = system.g.shape[-1]
    x = np.empty((*f.shape, size), dtype=complex)
    step = max(1, BLOCK_BYTES // (16 * size * size * system.samples))
    for at in range(0, f.shape[1], step):
        omega = 2j * np.pi * f[:, at : at + step, None, None]
        a = system.g[:, None] + omega * system.c[:, None]
        x[:, at : at + step] = _solved(a, system.b_ac[:, None], circuit)
    return Solution(system, x, f)


def _solved(a: Array, b: Array, circuit: Circuit) -> Array:
    """x of a·x = b, checked by its residual."""
    b = np.broadcast_to(b, a.shape[:-1])
    try:
        x: Array = np.linalg.solve(a, b[..., None])[..., 0]
    except np.linalg.LinAlgError as error:
        raise UnsolvedError(
            f"the equations of “{circuit.title}” have no single solution; look for a loop of sources or a part of nought"
        ) from error
    residual = np.abs((a @ x[..., None])[..., 0] - b).max(initial=0.0, axis=-1)
    scale = np.abs(a).max(initial=0.0, axis=(-1, -2)) * np.abs(x).max(initial=0.0, axis=-1) + np.abs(b).max(
        initial=1e-30, axis=-1
    )
    if not np.all(residual <= RESIDUAL_LIMIT * scale):
        raise UnsolvedError(f"the solution of “{circuit.title}” does not satisfy its own equations")
    return x


class _System:
    """The matrices of a circuit: g, c [S, n, n] and the right-hand sides b_dc, b_ac [S, n]."""

    def __init__(self, circuit: Circuit, samples: Mapping[str, ArrayLike]) -> None:
        _check_structure(circuit)
        given = {k.lower(): np.atleast_1d(np.asarray(v, dtype=float)) for k, v in samples.items()}
        lengths = {v.size for v in given.values()} - {1}
        if len(lengths) > 1:
            raise CircuitError(f"sample arrays have different lengths: {sorted(lengths)}")
        self.samples = lengths.pop() if lengths else 1
        names = self._names(circuit, given)
        self.elements = {e.name: e for e in circuit.elements}
        self.values = {e.name: self._value(e, names) for e in circuit.elements}
        self.amplitudes = {
            e.name: np.broadcast_to(evaluate(e.ac, names, e.line), (self.samples,))
            for e in circuit.elements
            if e.kind in "vi"
        }
        nodes = circuit.nodes
        self.index = {n: k for k, n in enumerate(nodes)}
        with_branch = [e.name for e in circuit.elements if e.kind in BRANCHES]
        self.branch = {name: len(nodes) + k for k, name in enumerate(with_branch)}
        size = len(nodes) + len(with_branch)
        self.g = np.zeros((self.samples, size, size))
        self.c = np.zeros((self.samples, size, size))
        self.b_dc = np.zeros((self.samples, size))
        self.b_ac = np.zeros((self.samples, size))
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
        value = np.broadcast_to(evaluate(element.value, names, element.line), (self.samples,))
        if not np.all(np.isfinite(value)):
            raise CircuitError("the value is not a finite number", line=element.line, element=element.name)
        wrong = (element.kind == "r" and np.any(value <= 0)) or (element.kind in "cl" and np.any(value < 0))
        if wrong:
            raise CircuitError(
                f"{element.name} is {value.min():g}; a resistance is above nought, a capacitance or inductance not negative",
                line=element.line,
                element=element.name,
            )
        return value

    def _add(self, matrix: Array, row: int | None, column: int | None, value: Array | float) -> None:
        if row is not None and column is not None:
            matrix[:, row, column] += value

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
                    self.b_dc[:, node] += sign * value
                    self.b_ac[:, node] += sign * self.amplitudes[element.name]
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
            self.b_dc[:, k] = value
            self.b_ac[:, k] = self.amplitudes[element.name]
        elif element.kind == "e":
            self._add(self.g, k, at[2], -value)
            self._add(self.g, k, at[3], value)
        else:
            self.c[:, k, k] = -value


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
