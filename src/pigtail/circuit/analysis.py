"""The analyses of a circuit that has a state of rest: operating point, AC, noise, sweeps, impedances.

`Batch` keeps what they share: the equations of the sampled circuit and its operating point.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pigtail.circuit.errors import CircuitError, UnsolvedError
from pigtail.circuit.linear import row_that_fails, solve_rest, solve_waves
from pigtail.circuit.netlist import Circuit
from pigtail.circuit.results import Solution
from pigtail.circuit.system import System, settled

if TYPE_CHECKING:
    from pigtail.circuit.devicecode import DeviceState
    from pigtail.circuit.newton import Rest

Array = NDArray[Any]
#: An equation of a circuit with devices holds to this part of its largest term, or to this current [A].
RESIDUAL_LIMIT = 1e-5
RESIDUAL_FLOOR = 1e-12
Matrices = tuple[dict[tuple[int, int], Any], dict[tuple[int, int], Any]]


class Tangent(NamedTuple):
    """A device's part in one equation, near a point: a constant current [A], and for each unknown its conductance [S] and
    capacitance [F]."""

    row: int
    constant: float
    slopes: tuple[tuple[int, float, float], ...]


def _at(x: Array, place: int | None) -> float:
    return 0.0 if place is None else float(x[place])


class Batch:
    """A circuit with its parameters sampled, ready to be solved at rest and at any frequencies.

    Args: samples gives parameters an array [S] (or a scalar) each in place of their value in the deck; around is another
    batch of the same circuit, of one sample: then this one's devices count as they are there, with their slopes, and nothing
    is searched for.
    Raises: CircuitError and its kinds.
    """

    def __init__(
        self,
        circuit: Circuit,
        samples: Mapping[str, ArrayLike] | None = None,
        around: Batch | None = None,
    ) -> None:
        self.system = System(circuit, samples) if samples else _plain_system(circuit)
        self._around = around
        self._tangent = () if around is None else around.tangent
        #: Plans of elimination are kept by what there is at all: near a point only the slopes that are not nought there.
        self.kind = "" if around is None else f" around {around.regime}"

    def operating_point(self) -> Solution:
        """Voltages and currents at rest: a Solution with shape [S]."""
        return self._rest

    def ac(self, frequencies: ArrayLike, outputs: Sequence[str] | None = None) -> Solution:
        """Complex amplitudes [S, F] at frequencies [Hz], shape [F] for all samples or [S, F] for each its own.

        outputs names the nodes that are wanted; the others are then not computed and cannot be asked for.
        """
        system = self.system
        hertz = frequencies_of(frequencies)
        wanted = None if outputs is None else tuple(p for n in outputs if (p := system.place(n)) is not None)
        x = solve_waves(system, self.matrices, system.b_ac, hertz, wanted, f"ac{self.kind}")
        return Solution(system, x, frequencies=hertz, kept=wanted, states=lambda: self.states)

    def impedance(self, frequencies: ArrayLike, node: str, against: str = "0") -> Array:
        """Impedance [Ω] complex [S, F] that a test current sees between two nodes, all sources at rest.

        Raises CircuitError for one node alone.
        """
        system = self.system
        p, m = system.place(node), system.place(against)
        b = {k: value for k, value in ((p, 1.0), (m, -1.0)) if k is not None}
        if not b:
            raise CircuitError("an impedance lies between two nodes", node=node)
        wanted = tuple(b)
        x = solve_waves(system, self.matrices, b, frequencies_of(frequencies), wanted, f"ac{self.kind}")
        return sum((b[k] * x[..., c] for c, k in enumerate(wanted)), start=np.zeros(x.shape[:2]))

    @cached_property
    def _rest(self) -> Solution:
        system = self.system
        if system.circuit.linear:
            return Solution(system, solve_rest(system))
        if self._tangent:
            b = dict(system.b_dc)
            for t in self._tangent:
                b[t.row] = b.get(t.row, 0.0) - t.constant
            return Solution(system, solve_rest(system, self.matrices[0], b, f"dc{self.kind}"))
        from pigtail.circuit.newton import rest_of  # only a circuit with devices asks for what solves them

        rest = rest_of(system)
        return checked_rest(system, rest)

    @cached_property
    def states(self) -> list[DeviceState]:
        """The devices at the operating point; near another batch's, as they are there."""
        return self._around.states if self._around is not None else self._rest.states()

    @property
    def regime(self) -> int:
        """A number that is the same where the same slopes are not nought, and so the same plans of elimination hold."""
        places = (
            (t.row, place, bool(g), bool(q)) for t in self.tangent for place, g, q in t.slopes if g or q
        )
        return hash(tuple(places))

    @cached_property
    def tangent(self) -> tuple[Tangent, ...]:
        """What the devices of a single sample feed into each equation near its operating point."""
        x = self._rest.x[0]
        found = []
        for state in self.states:
            at = [r.sign * (_at(x, r.plus) - _at(x, r.minus)) for r in state.instance.readings]
            for feed in state.feeds:
                slopes = [float(np.ravel(g)[0]) for g in feed.conductances]
                charges = [float(np.ravel(q)[0]) for q in feed.capacitances]
                constant = float(np.ravel(feed.current)[0]) - sum(
                    g * u for g, u in zip(slopes, at, strict=True)
                )
                for row, sign in feed.rows:
                    columns = []
                    for reading, g, q in zip(state.instance.readings, slopes, charges, strict=True):
                        for column, way in ((reading.plus, reading.sign), (reading.minus, -reading.sign)):
                            if column is not None:
                                columns.append((column, float(sign * way) * g, float(sign * way) * q))
                    found.append(Tangent(row, sign * constant, tuple(columns)))
        return tuple(found)

    @cached_property
    def matrices(self) -> Matrices:
        """G and C of the circuit for small signals: its devices count with their slopes at the operating point."""
        system = self.system
        if system.circuit.linear:
            return system.g, system.c
        g, c = dict(system.g), dict(system.c)
        if self._tangent:
            for t in self._tangent:
                for place, conductance, capacitance in t.slopes:
                    _accumulate(g, (t.row, place), conductance)
                    _accumulate(c, (t.row, place), capacitance)
            return g, c
        _add_slopes(g, c, self.states)
        return g, c


@lru_cache(maxsize=16)
def _plain_system(circuit: Circuit) -> System:
    """The equations of a circuit as its deck has it: kept, since one circuit is often asked several things."""
    return System(circuit)


def _add_slopes(
    g: dict[tuple[int, int], Any], c: dict[tuple[int, int], Any], states: list[DeviceState]
) -> None:
    """Put the devices' slopes into G and C."""
    for state in states:
        for feed in state.feeds:
            for row, sign in feed.rows:
                for k, reading in enumerate(state.instance.readings):
                    for column, way in ((reading.plus, reading.sign), (reading.minus, -reading.sign)):
                        if column is not None:
                            factor = float(sign * way)
                            _accumulate(g, (row, column), factor * feed.conductances[k])
                            _accumulate(c, (row, column), factor * feed.capacitances[k])


def _accumulate(matrix: dict[tuple[int, int], Any], place: tuple[int, int], value: Any) -> None:
    if type(value) is float and value == 0.0:
        return  # a slope that the formulas do not have; one that happens to be nought keeps its place
    value = settled(value)
    matrix[place] = matrix[place] + value if place in matrix else value


def stacked(x: Sequence[Any], samples: int) -> Array:
    """Unknowns as one array [S, n]."""
    found = np.empty((samples, len(x)))
    for k, value in enumerate(x):
        found[:, k] = value
    return found


def frequencies_of(frequencies: ArrayLike) -> Array:
    """Frequencies [Hz] as an array; raises CircuitError unless they are finite and not negative."""
    hertz = np.atleast_1d(np.asarray(frequencies, dtype=float))
    if not np.all(np.isfinite(hertz)) or np.any(hertz < 0):
        raise CircuitError("frequencies are finite numbers of hertz, zero or more")
    return hertz


def checked_rest(system: System, rest: Rest) -> Solution:
    """The operating point that a search ended at. Raises UnsolvedError unless every equation holds, devices evaluated anew.

    They are evaluated where the solution has them; where a junction's current is so steep that this tells nothing, where the
    search ended. A solution that is off by the rounding of its elimination is solved once more, by a plan made for these values.
    """
    from pigtail.circuit.devicecode import device_states

    solution = Solution(system, stacked(rest.x, system.samples), memories=rest.w)
    row = _failing(system, solution, solution.states())
    if row is None:
        return solution
    there = device_states(system, [np.asarray(u) for u in rest.u], rest.w)
    if _failing(system, solution, there) is None:
        return solution
    solution = Solution(system, _once_more(system, rest, there), memories=rest.w)
    if _failing(system, solution, solution.states()) is None or _failing(system, solution, there) is None:
        return solution
    raise UnsolvedError(
        f"the operating point of “{system.circuit.title}” does not satisfy the equation of {system.unknown(row)}"
    )


def _once_more(system: System, rest: Rest, states: list[DeviceState]) -> Array:
    """Unknowns [S, n] of the circuit with its devices as straight lines through where the search ended."""
    g, b = dict(system.g), dict(system.b_dc)
    _add_slopes(g, {}, states)
    at = iter(rest.u)
    for state in states:
        controls = [next(at) for _ in state.instance.readings]
        for feed in state.feeds:
            straight = sum((k * u for k, u in zip(feed.conductances, controls, strict=True)), start=0.0)
            for row, sign in feed.rows:
                b[row] = settled(b.get(row, 0.0) - sign * (feed.current - straight))
    return solve_rest(system, g, b, "dc, devices as lines")


def _failing(system: System, solution: Solution, states: list[DeviceState]) -> int | None:
    added = [(i, -value) for i, value in system.b_dc.items()]
    for state in states:
        for feed in state.feeds:
            added += [(row, sign * feed.current) for row, sign in feed.rows]
    rows, terms = tuple(i for i, _ in added), [term for _, term in added]
    x = list(np.ascontiguousarray(solution.x.T))
    return row_that_fails(system.g, x, rows, terms, RESIDUAL_LIMIT, RESIDUAL_FLOOR)


def operating_point(circuit: Circuit, samples: Mapping[str, ArrayLike] | None = None) -> Solution:
    """Voltages [V] and currents [A] of a circuit at rest, shape [S]; see Batch."""
    return Batch(circuit, samples).operating_point()


def ac(
    circuit: Circuit,
    frequencies: ArrayLike,
    samples: Mapping[str, ArrayLike] | None = None,
    outputs: Sequence[str] | None = None,
) -> Solution:
    """Sinusoidal steady state of a circuit at frequencies [Hz]; see Batch."""
    return Batch(circuit, samples).ac(frequencies, outputs)


def impedance(
    circuit: Circuit,
    frequencies: ArrayLike,
    node: str,
    against: str = "0",
    samples: Mapping[str, ArrayLike] | None = None,
) -> Array:
    """Small-signal impedance [Ω] complex [S, F] between two nodes; see Batch."""
    return Batch(circuit, samples).impedance(frequencies, node, against)
