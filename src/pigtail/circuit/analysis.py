"""The analyses of a circuit that has a state of rest: operating point, AC, noise, sweeps, impedances.

`Batch` keeps what they share: the equations of the sampled circuit and its operating point.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pigtail.circuit.errors import CircuitError, UnsolvedError
from pigtail.circuit.linear import row_that_fails, solve_rest, solve_waves, stacked
from pigtail.circuit.netlist import Circuit
from pigtail.circuit.results import Solution
from pigtail.circuit.system import System, first, settled
from pigtail.units.store import cached_property, remembered

if TYPE_CHECKING:
    from pigtail.circuit.devicecode import DeviceState
    from pigtail.circuit.newton import Rest

Array = NDArray[Any]
#: An equation of a circuit with devices holds to this part of its largest term, or to this current [A].
RESIDUAL_LIMIT = 1e-5
RESIDUAL_FLOOR = 1e-12
Matrices = tuple[dict[tuple[int, int], Any], dict[tuple[int, int], Any]]


class Slope(NamedTuple):
    """What a device's part in one equation changes by with one unknown: its conductance [S] and capacitance [F]."""

    place: tuple[int, int]
    conductance: Any
    capacitance: Any


class Batch:
    """A circuit with its parameters sampled, ready to be solved at rest and at any frequencies.

    Args: samples gives parameters an array [S] (or a scalar) each in place of their value in the deck; around is another
    batch of the same circuit, of one sample: then this one's devices count as they are there, with their slopes, and nothing
    is searched for; beside is where a point close by of each sample lies, from which it is searched for.
    Raises: CircuitError and its kinds.
    """

    def __init__(
        self,
        circuit: Circuit,
        samples: Mapping[str, ArrayLike] | None = None,
        around: Batch | None = None,
        beside: Rest | None = None,
    ) -> None:
        self.system = System(circuit, samples) if samples else _plain_system(circuit)
        self._around, self._beside = around, beside
        self.found: Rest | None = None
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
        if self._around is not None:
            b = _plus(system.b_dc, self._around.starts)
            return Solution(system, solve_rest(system, self.matrices[0], b, f"dc{self.kind}"))
        from pigtail.circuit.newton import rest_of  # only a circuit with devices asks for what solves them

        self.found = rest_of(system, self._beside)
        return checked_rest(system, self.found)

    @cached_property
    def states(self) -> list[DeviceState]:
        """The devices at the operating point; near another batch's, as they are there."""
        return self._around.states if self._around is not None else self._rest.states()

    @property
    def regime(self) -> int:
        """A number that is the same where the same slopes are not nought, and so the same plans of elimination hold."""
        return hash(tuple((place, bool(g), bool(q)) for place, g, q in self.slopes if g or q))

    @cached_property
    def slopes(self) -> tuple[Slope, ...]:
        """The slopes of the devices of a single sample at its operating point, in plain numbers."""
        return tuple(
            Slope(s.place, first(s.conductance), first(s.capacitance)) for s in slopes_of(self.states)
        )

    @cached_property
    def starts(self) -> dict[int, Any]:
        """What the devices of a single sample feed into each row where their straight lines start, in [A] or [V]."""
        from pigtail.circuit.devicecode import controls_of

        return starts_of(self.states, controls_of(self.system, self._rest.x[0]))

    @cached_property
    def matrices(self) -> Matrices:
        """G and C of the circuit for small signals: its devices count with their slopes at the operating point."""
        system = self.system
        if system.circuit.linear:
            return system.g, system.c
        g, c = dict(system.g), dict(system.c)
        for place, conductance, capacitance in (
            self._around.slopes if self._around is not None else slopes_of(self.states)
        ):
            _accumulate(g, place, conductance)
            _accumulate(c, place, capacitance)
        return g, c


@remembered(16)
def _plain_system(circuit: Circuit) -> System:
    """The equations of a circuit as its deck has it: kept, since one circuit is often asked several things."""
    return System(circuit)


def slopes_of(states: list[DeviceState]) -> Iterator[Slope]:
    """The slopes of devices, a place each: arrays [S]."""
    for state in states:
        for feed in state.feeds:
            for row, sign in feed.rows:
                for k, reading in enumerate(state.instance.readings):
                    for column, way in ((reading.plus, reading.sign), (reading.minus, -reading.sign)):
                        if column is not None:
                            factor = float(sign * way)
                            yield Slope(
                                (row, column), factor * feed.conductances[k], factor * feed.capacitances[k]
                            )


def starts_of(states: list[DeviceState], controls: Sequence[Any]) -> dict[int, Any]:
    """What devices feed into each row besides their slopes times their controls, in [A] or [V], numbers or arrays [S]: where their
    straight lines start."""
    found: dict[int, Any] = {}
    at = iter(controls)
    for state in states:
        here = [next(at) for _ in state.instance.readings]
        for feed in state.feeds:
            straight = sum((g * u for g, u in zip(feed.conductances, here, strict=True)), start=0.0)
            for row, sign in feed.rows:
                found[row] = settled(found.get(row, 0.0) - sign * (feed.current - straight))
    return found


def _plus(b: Mapping[int, Any], more: Mapping[int, Any]) -> dict[int, Any]:
    """Right-hand sides by row, with more put to them."""
    return dict(b) | {row: b.get(row, 0.0) + value for row, value in more.items()}


def _accumulate(matrix: dict[tuple[int, int], Any], place: tuple[int, int], value: Any) -> None:
    if type(value) is float and value == 0.0:
        return  # a slope that the formulas do not have; one that happens to be nought keeps its place
    value = settled(value)
    matrix[place] = matrix[place] + value if place in matrix else value


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
    g = dict(system.g)
    for place, conductance, _ in slopes_of(states):
        _accumulate(g, place, conductance)
    return solve_rest(system, g, _plus(system.b_dc, starts_of(states, rest.u)), "dc, devices as lines")


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
