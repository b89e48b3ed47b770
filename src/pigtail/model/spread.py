"""Spread of results: every input moved through its range, the corners of each result solved exactly.

One batch holds the nominal case and each input alone at its low and its high end. From it follows which way each
input moves each result; a second batch solves, for each result, the corner where all inputs conspire upward
and the one where they conspire downward. For results that are monotonic in their inputs, as networks of
resistors, capacitors and sources are within such ranges, these corners are the exact extremes.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.units import Basis
from pigtail.units.known import weakest

Samples = dict[str, NDArray[np.float64]]
Solver = Callable[[Samples], Mapping[str, NDArray[np.float64]]]
#: An input that moves a result by less than this part of the greatest mover does not count toward its basis.
TELLING = 0.05
#: A value that is not known does not matter while it moves the result by less than this, relative (or in dB).
IMMATERIAL = 1e-3


def split(results: NDArray[Any], cases: int) -> list[NDArray[Any]]:
    """Results of a batch of several cases (see Netlist.cases), taken apart along the sample axis.

    From [S·cases, …] to [S, …] each.
    """
    return np.split(results, cases, axis=0)


class Hints:
    """What an estimate found that the next one of the same circuit with other values can begin with: which inputs matter,
    and which way they move each result.

    With hints the corners are solved in the same batch as the single moves, and what matters to no result stays at its
    nominal value. Where a direction has changed since, all is solved again.
    """

    def __init__(self) -> None:
        self.names: tuple[str, ...] = ()
        self.wanted: tuple[str, ...] = ()
        self.rises: NDArray[np.bool_] = np.zeros((0, 0), dtype=bool)
        self.telling: NDArray[np.bool_] = np.zeros(0, dtype=bool)
        self.nominal: NDArray[np.float64] = np.zeros(0)

    def fit(self, inputs: Sequence[Input], wanted: Mapping[str, Wanted]) -> bool:
        """Whether they are of a circuit with these inputs and results, and with values not far from these."""
        if self.names != tuple(i.name for i in inputs) or self.wanted != tuple(wanted):
            return False
        now, near = np.array([i.ends[1] for i in inputs]), np.abs(self.nominal)
        return bool((np.abs(now - self.nominal) <= np.maximum((FAR - 1) * near, 1e-12)).all()) and bool(
            (near <= np.maximum(FAR * np.abs(now), 1e-12)).all()
        )


def estimate_again(
    inputs: Sequence[Input], solve: Solver, wanted: Mapping[str, Wanted], hints: Hints
) -> dict[str, Estimate]:
    """The same as `estimate`, quicker where `hints` of an earlier one fit; they are brought up to date."""
    if not hints.fit(inputs, wanted):
        return _with_hints(inputs, solve, wanted, hints)
    every = np.array([i.ends for i in inputs])
    moved = [i for i, tells in zip(inputs, hints.telling, strict=True) if tells]
    known = np.array([i.known is not None for i in moved])
    lows, nominals, highs = every[hints.telling].T
    rises, count, each = hints.rises[:, hints.telling], len(moved), np.arange(len(moved))
    first = 1 + 2 * count
    rows = np.tile(nominals, (first + 2 * len(wanted), 1))
    rows[1 + each, each], rows[1 + count + each, each] = lows, highs
    rows[first::2] = np.where(known, np.where(rises, lows, highs), nominals)
    rows[first + 1 :: 2] = np.where(known, np.where(rises, highs, lows), nominals)
    samples = {i.name: np.full(len(rows), value) for i, value in zip(inputs, every[:, 1], strict=True)}
    samples |= {i.name: rows[:, k] for k, i in enumerate(moved)}
    found = solve(samples)
    values = np.array([np.broadcast_to(found[name], (len(rows),)) for name in wanted])
    down, up = values[:, 1 : 1 + count], values[:, 1 + count : first]
    slight = _SLIGHT * (1 + np.abs(values[:, :1]))
    if (((up >= down) != rises) & (np.abs(up - down) > slight)).any():
        return _with_hints(inputs, solve, wanted, hints)
    return {
        name: _gather(moved, known, values[k, :first], values[k, first + 2 * k : first + 2 * k + 2], want)
        for k, (name, want) in enumerate(wanted.items())
    }


def _with_hints(
    inputs: Sequence[Input], solve: Solver, wanted: Mapping[str, Wanted], hints: Hints
) -> dict[str, Estimate]:
    """An estimate from scratch, its solutions watched for what the next one can begin with."""
    seen: list[Mapping[str, NDArray[np.float64]]] = []

    def watched(samples: Samples) -> Mapping[str, NDArray[np.float64]]:
        seen.append(solve(samples))
        return seen[-1]

    results = estimate(inputs, watched, wanted)
    count = len(inputs)
    values = np.array([np.broadcast_to(seen[0][name], (1 + 2 * count,)) for name in wanted])
    base, down, up = values[:, :1], values[:, 1 : 1 + count], values[:, 1 + count :]
    still = np.maximum(np.abs(up - base), np.abs(down - base)) <= _SLIGHT * (1 + np.abs(base))
    unknown = np.array([i.known is None for i in inputs], dtype=bool)
    hints.names, hints.wanted = tuple(i.name for i in inputs), tuple(wanted)
    hints.nominal = np.array([i.ends[1] for i in inputs])
    hints.rises, hints.telling = up >= down, ~still.all(axis=0) | unknown
    return results


#: Where a value has moved by more than this factor, what mattered before may not be what matters now.
FAR = 3.0
#: What moves a result by less than this, relative, is left out of a quick look: in sum no hundredth of a dB.
_SLIGHT = 1e-4


def estimate(inputs: Sequence[Input], solve: Solver, wanted: Mapping[str, Wanted]) -> dict[str, Estimate]:
    """Results with their spread.

    Args: inputs; solve takes arrays [S] by input name and returns arrays [S] by result; wanted names the results.
    """
    return estimate_many([inputs], solve, wanted)[0]


def estimate_many(
    cases: Sequence[Sequence[Input]], solve: Solver, wanted: Mapping[str, Wanted]
) -> list[dict[str, Estimate]]:
    """Results with their spread for several cases at once: each has inputs of the same names with values of its own."""
    if not cases:
        return []
    names = [i.name for i in cases[0]]
    ends = np.array([[i.ends for i in inputs] for inputs in cases], dtype=float)
    known = np.array([[i.known is not None for i in inputs] for inputs in cases])
    size, count = known.shape
    lows, nominals, highs = ends[..., 0], ends[..., 1], ends[..., 2]
    matrix = np.repeat(nominals[:, None, :], 1 + 2 * count, axis=1)
    each = np.arange(count)
    matrix[:, 1 + each, each] = lows
    matrix[:, 1 + count + each, each] = highs

    def solved(rows: NDArray[np.float64]) -> dict[str, NDArray[np.float64]]:
        """Results [cases, rows] of a matrix [cases, rows, inputs]."""
        flat = solve(dict(zip(names, np.ascontiguousarray(rows.reshape(-1, count).T), strict=True)))
        return {k: np.asarray(flat[k]).reshape(rows.shape[:2]) for k in wanted}

    first = solved(matrix)
    corners = np.empty((size, 2 * len(wanted), count))
    for row, name in enumerate(wanted):
        down, up = first[name][:, 1 : 1 + count], first[name][:, 1 + count :]
        rises = up >= down
        corners[:, 2 * row] = np.where(known, np.where(rises, lows, highs), nominals)
        corners[:, 2 * row + 1] = np.where(known, np.where(rises, highs, lows), nominals)
    second = solved(corners)
    return [
        {
            name: _gather(inputs, known[k], first[name][k], second[name][k, 2 * row : 2 * row + 2], want)
            for row, (name, want) in enumerate(wanted.items())
        }
        for k, inputs in enumerate(cases)
    ]


def _gather(
    inputs: Sequence[Input],
    known: NDArray[np.bool_],
    first: NDArray[np.float64],
    ends: NDArray[np.float64],
    want: Wanted,
) -> Estimate:
    count = len(inputs)
    base = float(first[0])
    down, up = first[1 : 1 + count], first[1 + count :]
    swing = np.maximum(np.abs(up - base), np.abs(down - base))
    material = IMMATERIAL * max(abs(base), 1.0 if want.unit in ("dB", "dBV", "°C") else 1e-3)
    missing = tuple(i for i, s in zip(inputs, swing, strict=True) if i.known is None and not s <= material)
    order = np.argsort(-np.where(known, swing, 0.0), kind="stable")
    greatest = swing[order[0]] if count and known[order[0]] else 0.0
    leading = tuple(
        inputs[k]
        for k in order
        if known[k] and swing[k] > max(TELLING * greatest, 1e-12 * max(abs(base), 1e-12))
    )
    bases = [i.known.basis for i in leading if i.known is not None]
    spread = np.concatenate([first[:1], down[known], up[known], ends])
    if missing or not np.isfinite(spread).all():
        return Estimate(None, np.nan, np.nan, want.unit, Basis.UNKNOWN, want.words, leading, missing)
    return Estimate(
        base, float(spread.min()), float(spread.max()), want.unit, weakest(bases), want.words, leading
    )
