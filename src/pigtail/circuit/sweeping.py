"""A source stepped through a range: each step starts from the one before, so that hysteresis and history count."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pigtail.circuit.errors import CircuitError
from pigtail.circuit.linear import stacked
from pigtail.circuit.netlist import Circuit, DirectSweep
from pigtail.circuit.newton import Rest, RestSearch
from pigtail.circuit.results import Solution
from pigtail.circuit.system import System, first, source_signs

Array = NDArray[Any]


class SweepSolution(Solution):
    """Operating points along a sweep: axes [S, P], with `values` [P] of the source that is stepped."""

    values: Array


def points(card: DirectSweep) -> Array:
    """Values [P] that a .dc card steps its source through."""
    count = int(np.floor((card.stop - card.start) / card.step + 1e-9)) + 1
    return card.start + card.step * np.arange(count)


def sweep(
    circuit: Circuit, source: str, values: ArrayLike, samples: Mapping[str, ArrayLike] | None = None
) -> SweepSolution:
    """Operating points of a circuit while a source takes the values [V or A] one after the other.

    Raises CircuitError for a source that is not there.
    """
    system = System(circuit, samples)
    return _swept(system, {source: np.atleast_1d(np.asarray(values, dtype=float))})


def run_card(circuit: Circuit, card: DirectSweep) -> SweepSolution:
    """The sweep that a .dc card asks for; with an outer source the inner sweeps follow one another."""
    inner = points(card)
    if card.outer is None:
        return sweep(circuit, card.source, inner)
    outer = points(card.outer)
    ranges = {card.source: np.tile(inner, outer.size), card.outer.source: np.repeat(outer, inner.size)}
    return _swept(System(circuit), ranges)


def _swept(system: System, ranges: Mapping[str, Array]) -> SweepSolution:
    signs = {}
    for name in ranges:
        element = system.elements.get(name.lower())
        if element is None or element.kind not in ("v", "i"):
            raise CircuitError(f"there is no voltage or current source {name} to sweep", element=name)
        signs[name] = source_signs(system, element)
    search = RestSearch(system)
    base = dict(zip(search.program.sources, search.b, strict=True))
    own = {name: system.values[name.lower()] for name in ranges}
    rest: Rest | None = None
    rows = []
    for step in range(next(iter(ranges.values())).size):
        b: dict[int, Any] = dict(base)
        for name, values in ranges.items():
            for row, sign in signs[name]:
                change = values[step] - own[name]
                b[row] = b[row] + sign * (change if search.arrays else first(change))
        rest = search.run(rest, b)
        search.memories = rest.w
        rows.append(rest)
    x = np.stack([stacked(r.x, system.samples) for r in rows], axis=1)
    count = len(rows[0].w)
    memories = tuple(
        np.stack([np.broadcast_to(r.w[k], (system.samples,)) for r in rows], axis=1) for k in range(count)
    )
    found = SweepSolution(system, x, memories=memories)
    found.values = next(iter(ranges.values()))
    return found
