"""The analyses of a circuit that has a state of rest: operating point, AC, noise, sweeps, impedances.

`Batch` keeps what they share: the equations of the sampled circuit and its operating point.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pigtail.circuit.errors import CircuitError, UnsolvedError
from pigtail.circuit.linear import solve_rest, solve_waves
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


class Batch:
    """A circuit with its parameters sampled, ready to be solved at rest and at any frequencies.

    Args: samples gives parameters an array [S] (or a scalar) each in place of their value in the deck.
    Raises: CircuitError and its kinds.
    """

    def __init__(self, circuit: Circuit, samples: Mapping[str, ArrayLike] | None = None) -> None:
        self.system = System(circuit, samples) if samples else _plain_system(circuit)

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
        x = solve_waves(system, self.matrices, system.b_ac, hertz, wanted)
        return Solution(
            system, x, frequencies=hertz, kept=wanted, rest=None if system.circuit.linear else self._rest
        )

    def impedance(self, frequencies: ArrayLike, node: str, against: str = "0") -> Array:
        """Impedance [Ω] complex [S, F] that a test current sees between two nodes, all sources at rest."""
        system = self.system
        p, m = system.place(node), system.place(against)
        b = {k: value for k, value in ((p, 1.0), (m, -1.0)) if k is not None}
        if not b:
            raise CircuitError("an impedance lies between two nodes", node=node)
        wanted = tuple(b)
        x = solve_waves(system, self.matrices, b, frequencies_of(frequencies), wanted)
        return sum((b[k] * x[..., c] for c, k in enumerate(wanted)), start=np.zeros(x.shape[:2]))

    @cached_property
    def _rest(self) -> Solution:
        system = self.system
        if system.circuit.linear:
            return Solution(system, solve_rest(system))
        from pigtail.circuit.newton import Search  # only a circuit with devices asks for what solves them

        rest = Search(system).run()
        solution = Solution(system, stacked(rest.x, system.samples), memories=rest.w)
        check_rest(system, solution, rest)
        return solution

    @cached_property
    def states(self) -> list[DeviceState]:
        """The devices at the operating point."""
        return self._rest.states()

    @cached_property
    def matrices(self) -> Matrices:
        """G and C of the circuit for small signals: its devices count with their slopes at the operating point."""
        system = self.system
        if system.circuit.linear:
            return system.g, system.c
        g, c = dict(system.g), dict(system.c)
        for state in self.states:
            for feed in state.feeds:
                for row, sign in feed.rows:
                    for k, reading in enumerate(state.instance.readings):
                        for column, way in ((reading.plus, reading.sign), (reading.minus, -reading.sign)):
                            if column is not None:
                                factor = float(sign * way)
                                _accumulate(g, (row, column), factor * feed.conductances[k])
                                _accumulate(c, (row, column), factor * feed.capacitances[k])
        return g, c


@lru_cache(maxsize=16)
def _plain_system(circuit: Circuit) -> System:
    """The equations of a circuit as its deck has it: kept, since one circuit is often asked several things."""
    return System(circuit)


def _accumulate(matrix: dict[tuple[int, int], Any], place: tuple[int, int], value: Any) -> None:
    if type(value) is float and value == 0.0:
        return  # a slope that the formulas do not have; one that happens to be nought keeps its place
    value = settled(value)
    matrix[place] = matrix[place] + value if place in matrix else value


def stacked(x: Sequence[Any], samples: int) -> Array:
    """Unknowns as one array [S, n]."""
    return np.stack([np.broadcast_to(v, (samples,)) for v in x], axis=-1).astype(float)


def frequencies_of(frequencies: ArrayLike) -> Array:
    """Frequencies [Hz] as an array; raises CircuitError unless they are finite and not negative."""
    hertz = np.atleast_1d(np.asarray(frequencies, dtype=float))
    if not np.all(np.isfinite(hertz)) or np.any(hertz < 0):
        raise CircuitError("frequencies are finite numbers of hertz, nought or more")
    return hertz


def check_rest(system: System, solution: Solution, rest: Rest) -> None:
    """Raise UnsolvedError unless every equation holds at the operating point, devices evaluated anew."""
    from pigtail.circuit.devicecode import device_states

    x = solution.x
    total: dict[int, Any] = {i: -value for i, value in system.b_dc.items()}
    largest: dict[int, Any] = {i: np.abs(value) for i, value in system.b_dc.items()}

    def put(row: int, term: Any) -> None:
        total[row] = total.get(row, 0.0) + term
        largest[row] = np.maximum(largest.get(row, 0.0), np.abs(term))

    for (i, j), value in system.g.items():
        put(i, value * x[:, j])
    for state in device_states(system, [np.asarray(u) for u in rest.u], rest.w):
        for feed in state.feeds:
            for row, sign in feed.rows:
                put(row, sign * feed.current)
    for row, residual in total.items():
        if not np.all(np.abs(residual) <= RESIDUAL_LIMIT * largest[row] + RESIDUAL_FLOOR):
            raise UnsolvedError(
                f"the operating point of “{system.circuit.title}” does not satisfy the equation of {system.unknown(row)}"
            )


def operating_point(circuit: Circuit, samples: Mapping[str, ArrayLike] | None = None) -> Solution:
    """Voltages and currents of a circuit at rest; see Batch."""
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
