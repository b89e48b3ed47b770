"""The equations of a circuit by modified nodal analysis, with sampled parameters.

Unknowns are the node voltages and the currents of V, E, H, L and of B sources of voltage. With conductances in G,
storage in C and devices that feed currents and charges, the circuit obeys G·x + d/dt(C·x + q(x)) + i(x) = b.
Source: the modified nodal approach as in any text on network analysis; the code keeps its letters.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Mapping
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pigtail.circuit.errors import CircuitError, ParameterError, UnsolvedError
from pigtail.circuit.expressions import Expression, Name, Quick, compiled, evaluate, leaves
from pigtail.circuit.netlist import Circuit, Element
from pigtail.circuit.physics import surroundings
from pigtail.circuit.structure import check_structure
from pigtail.units.store import Store, cached_property

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
        self._quick: dict[int, Quick] = {}
        self.surroundings = surroundings(circuit.options)
        self.elements = circuit.by_name
        still = _still(circuit, given, from_charge=from_charge) if given else None
        if still is not None:
            self._begin_from(still, given)
            return
        self.names = self._names(circuit, given)
        self._lay_out()
        for element in circuit.elements:
            self._stamp(element)

    def _lay_out(self) -> None:
        """Number the unknowns, with no equation yet."""
        circuit = self.circuit
        nodes = (*circuit.nodes, *_inner(circuit))
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
        self._begin_devices()
        self.resistances: list[tuple[str, int | None, int | None, Numbers]] = []

    def _begin_devices(self, still: _Still | None = None) -> None:
        self._still, self._placed, self._relations = still, dict[str, "Instance"](), list[Element]()

    @cached_property
    def instances(self) -> list[Instance]:
        """The devices and relations in the order of the deck. Relations are placed when they are first asked for: near an
        operating point nobody does."""
        from pigtail.circuit.instances import place_relation

        still = self._still
        if still is not None and not self._placed and not self._relations:
            return still.base.instances
        placed = {i.element.name: i for i in still.base.instances} if still is not None else {}
        placed |= self._placed
        for element in self._relations:
            placed[element.name] = place_relation(element, self.names, self.place, self.branch)
        return [placed[e.name] for e in self.circuit.elements if e.name in placed]

    def _begin_still(self, circuit: Circuit, without: frozenset[str], *, from_charge: bool) -> None:
        """Set up the equations of a circuit without some of its elements."""
        self.circuit, self.from_charge, self.samples, self._quick = circuit, from_charge, 1, {}
        self.surroundings = surroundings(circuit.options)
        self.elements = circuit.by_name
        self.names = self._names(circuit, {})
        self._lay_out()
        for element in circuit.elements:
            if element.name not in without:
                self._stamp(element)

    def _begin_from(self, still: _Still, given: Mapping[str, Numbers]) -> None:
        """Set up from what does not depend on what is sampled; only what does is evaluated."""
        base = still.base
        self.index, self.branch, self.size = base.index, base.branch, base.size
        names = self.names = dict(base.names)
        names.update(given)
        for name, quick in still.names:
            names[name] = quick(names)
        self.values, self.amplitudes = dict(base.values), dict(base.amplitudes)
        self.g, self.c, self.b_dc, self.b_ac = dict(base.g), dict(base.c), dict(base.b_dc), dict(base.b_ac)
        self.resistances = list(base.resistances)
        self._begin_devices(still)
        self._quick = still.quick
        with np.errstate(all="ignore"):
            for passive in still.passive:
                self._stamp_quickly(passive)
            for element in still.moving:
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
        quick = self._quick.get(id(expression))
        value = evaluate(expression, self.names, element.line) if quick is None else quick(self.names)
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
        quick = None if element.options else self._quick.get(id(element.value))
        if quick is not None:
            value = quick(self.names)
            if (
                lowest(value) > 0
            ):  # what is not is looked at more closely; what is infinite, when the equations are solved
                return value
        value = self.value_of(element, element.value)
        low = lowest(value)
        if (element.kind == "r" and low <= 0) or low < 0:
            raise ParameterError(
                f"{element.name} is {low:g}; a resistance is above zero, a capacitance or inductance not negative",
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
        for k in (p, m):
            if k is not None:
                old = matrix.get((k, k))
                matrix[k, k] = y if old is None else old + y
        if p is not None and m is not None:
            less = -y
            for place in ((p, m), (m, p)):
                old = matrix.get(place)
                matrix[place] = less if old is None else old + less

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
            self._placed[element.name] = instance
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

    def _stamp_quickly(self, passive: _Passive) -> None:
        """Place a resistor or capacitor of a plain value; one that is not above nought is looked at more closely, one that is
        infinite when the equations are solved."""
        value = passive.value(self.names)
        if not (value > 0 if isinstance(value, float) else value.min() > 0):
            self._stamp(passive.element)
            return
        self.values[passive.element.name] = value
        matrix, y = (self.g, 1.0 / value) if passive.element.kind == "r" else (self.c, value)
        for place in passive.own:
            old = matrix.get(place)
            matrix[place] = y if old is None else old + y
        if passive.mutual:
            for place in passive.mutual:
                old = matrix.get(place)
                matrix[place] = -y if old is None else old - y

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
        self._relations.append(element)

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


class _Passive(NamedTuple):
    """A resistor or capacitor that moves: its value as a function, its places on the diagonal and beside it."""

    element: Element
    value: Quick
    own: tuple[Place, ...]
    mutual: tuple[Place, ...]


class _Still(NamedTuple):
    """What of a circuit does not depend on the parameters that are sampled: its equations without the elements that move, those
    elements, the plain passive ones apart, the parameters that follow from sampled ones, their expressions as functions."""

    base: System
    passive: tuple[_Passive, ...]
    moving: tuple[Element, ...]
    names: tuple[tuple[str, Quick], ...]
    quick: dict[int, Quick]


_STILL: Store[tuple[object, ...], _Still | None] = Store(f"{__name__}._STILL", 64)


def _still(circuit: Circuit, given: Mapping[str, Numbers], *, from_charge: bool) -> _Still | None:
    """The still part of a circuit for a set of sampled parameters, kept for the next samples of the same; None where a parameter
    that follows from others cannot be made a function."""
    moved = frozenset(given)
    still = tuple((name, expression) for name, expression in circuit.parameters if name not in moved)
    key = (circuit.body, moved, still, from_charge)
    if key not in _STILL:
        stray = moved - {name for name, _ in circuit.parameters}
        if stray:
            raise CircuitError(f"the deck has no parameter {sorted(stray)[0]} to sample")
        return _STILL.put(key, _make_still(circuit, moved, from_charge=from_charge))
    return _STILL.get(key)


def _make_still(circuit: Circuit, given: frozenset[str], *, from_charge: bool) -> _Still | None:
    moved, follow = set(given), []
    for name, expression in circuit.parameters:
        if name in given or not _reads(expression, moved):
            continue
        quick = compiled(expression)
        if quick is None:
            return None
        moved.add(name)
        follow.append((name, quick))
    moving = [e for e in circuit.elements if any(_reads(x, moved) for x in _expressions(e))]
    names = {e.name for e in moving}
    moving = [e for e in circuit.elements if e.name in names or any(n in names for n in e.senses)]
    base = System.__new__(System)
    base._begin_still(circuit, frozenset(e.name for e in moving), from_charge=from_charge)
    functions = ((id(x), compiled(x)) for e in moving for x in _expressions(e))
    evaluators = {k: q for k, q in functions if q is not None}
    passive, rest = [], []
    for element in moving:
        quick = evaluators.get(id(element.value))
        if element.kind not in "rc" or element.options or quick is None:
            rest.append(element)
            continue
        ends = [base.index.get(n) for n in element.nodes]
        own = tuple((k, k) for k in ends if k is not None)
        p, m = ends
        mutual = ((p, m), (m, p)) if p is not None and m is not None else ()
        passive.append(_Passive(element, quick, own, mutual))
    return _Still(base, tuple(passive), tuple(rest), tuple(follow), evaluators)


def _reads(expression: Expression, names: Collection[str]) -> bool:
    return any(isinstance(leaf, Name) and leaf.name in names for leaf in leaves(expression))


def _expressions(element: Element) -> Iterator[Expression]:
    """All expressions that an element's place in the equations depends on."""
    yield element.value
    yield element.ac
    yield element.phase
    for _, expression in element.options:
        yield expression
    if element.waveform is not None:
        yield from element.waveform.arguments
    if element.model is not None:
        for _, expression in element.model.parameters:
            yield expression


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
    """The least of all samples. In its own unit, of shape [S]."""
    return value if isinstance(value, float) else float(value.min())


def first(value: Numbers, sample: int = 0) -> float:
    """The value in the first sample, or in another. In its own unit, of shape [S]."""
    if isinstance(value, float):
        return value
    flat = np.ravel(value)
    return float(flat[sample if flat.size > 1 else 0])


def source_signs(system: System, element: Element) -> list[tuple[int, float]]:
    """The right-hand sides that a source enters, each with its sign. Signs are +1 or −1 [1]."""
    if element.kind == "v":
        return [(system.branch[element.name], 1.0)]
    ends = [system.index.get(n) for n in element.nodes]
    return [(row, sign) for row, sign in zip(ends, (-1.0, 1.0), strict=True) if row is not None]
