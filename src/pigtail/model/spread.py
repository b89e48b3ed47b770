"""Spread of results: every input moved through its range, the corners of each result solved exactly.

One batch holds the nominal case and each input alone at its low and its high end. From it follows which way each
input moves each result; a second batch solves, for each result, the corner where all inputs conspire upward
and the one where they conspire downward. For results that are monotonic in their inputs, as networks of
resistors, capacitors and sources are within such ranges, these corners are the exact extremes.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.units import Basis
from pigtail.units.known import weakest
from pigtail.units.store import Store

Samples = dict[str, NDArray[np.float64]]
Solver = Callable[[Samples], Mapping[str, NDArray[np.float64]]]
#: A solver for some results, by their names.
Narrow = Callable[[frozenset[str]], Solver]
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
    rows[first:] = _corners(known, rises, lows, nominals, highs)
    samples = {i.name: np.full(len(rows), value) for i, value in zip(inputs, every[:, 1], strict=True)}
    samples |= {i.name: rows[:, k] for k, i in enumerate(moved)}
    found = solve(samples)
    values = np.array([np.broadcast_to(found[name], (len(rows),)) for name in wanted])
    down, up = values[:, 1 : 1 + count], values[:, 1 + count : first]
    slight = _SLIGHT * (1 + np.abs(values[:, :1]))
    if (((up >= down) != rises) & (np.abs(up - down) > slight)).any():
        return _with_hints(inputs, solve, wanted, hints)
    results = np.arange(len(wanted))[:, None]
    return _gathered(
        moved, known, values[:, :first], values[results, first + 2 * results + np.arange(2)], wanted
    )


def _corners(
    known: NDArray[np.bool_],
    rises: NDArray[np.bool_],
    lows: NDArray[np.float64],
    nominals: NDArray[np.float64],
    highs: NDArray[np.float64],
) -> NDArray[np.float64]:
    """The corners [..., 2·results, inputs] of results that rise with some inputs [..., results, inputs]: where all that is known
    conspires downward, and upward, a pair for each result."""
    down = np.where(known, np.where(rises, lows, highs), nominals)
    up = np.where(known, np.where(rises, highs, lows), nominals)
    return np.stack([down, up], axis=-2).reshape(*rises.shape[:-2], -1, rises.shape[-1])


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
    values = np.array([np.asarray(seen[0][name])[: 1 + 2 * count] for name in wanted])
    base, down, up = values[:, :1], values[:, 1 : 1 + count], values[:, 1 + count :]
    still = np.maximum(np.abs(up - base), np.abs(down - base)) <= _SLIGHT * (1 + np.abs(base))
    unknown = np.array([i.known is None for i in inputs], dtype=bool)
    hints.names, hints.wanted = tuple(i.name for i in inputs), tuple(wanted)
    hints.nominal = np.array([i.ends[1] for i in inputs])
    hints.rises, hints.telling = up >= down, ~still.all(axis=0) | unknown
    return results


#: Which way each input moves each result, as it came out last for inputs and results of these names: tried first the next
#: time, so that the corners need no batch of their own, and solved anew where it has changed.
_WAYS: Store[tuple[tuple[str, ...], tuple[str, ...]], NDArray[np.bool_]] = Store(f"{__name__}._WAYS", 80)
#: Where the extremes of results that are pulled two ways were found last, for the same inputs and results.
_PULLED: Store[Hashable, tuple[NDArray[np.intp], NDArray[np.intp]]] = Store(f"{__name__}._PULLED", 80)
#: A result turns where both moves of an input take it the same way by this part of its width; it is not additive where its corner and
#: the sum of its moves lie further apart than the second part.
LEAST_TURN, NOT_ADDED = 0.01, 0.12
#: The same where a result may be of either sign: what scales it moves nothing while it is nought.
NOT_ADDED_ABOUT_NOUGHT = 0.001
#: Rounds of single moves from the corners of such a result, and the points on the way between its extremes.
ROUNDS = 4
#: What part of the greatest mover counts there; the low and the high end of an input.
LEAST_PULLED = 1e-3
EITHER = np.array([0, 2])
BETWEEN = np.linspace(0.0, 1.0, 9)[1:-1]
#: What moves a result by less than this part of the greatest mover, or of the result, counts as moving it upward: it is no
#: more than rounding.
_NO_WAY, _ROUNDING = 1e-9, 1e-12
#: Where a value has moved by more than this factor, what mattered before may not be what matters now.
FAR = 3.0
#: What moves a result by less than this, relative, is left out of a quick look: in sum no hundredth of a dB.
_SLIGHT = 1e-4


def estimate(
    inputs: Sequence[Input],
    solve: Solver,
    wanted: Mapping[str, Wanted],
    *,
    pulled: int = 0,
    narrow: Narrow | None = None,
) -> dict[str, Estimate]:
    """Results with their spread.

    Args: inputs; solve takes arrays [S] by input name and returns arrays [S] by result; wanted names the results; pulled: how many inputs
    are moved again from the corners of a result that is no sum of single moves; narrow: a solver for some of the results, by their names.
    """
    return estimate_many([inputs], solve, wanted, pulled=pulled, narrow=narrow)[0]


def estimate_many(
    cases: Sequence[Sequence[Input]],
    solve: Solver,
    wanted: Mapping[str, Wanted],
    *,
    pulled: int = 0,
    narrow: Narrow | None = None,
) -> list[dict[str, Estimate]]:
    """Results with their spread for several cases at once: each has inputs of the same names with values of its own.

    For `pulled` and `narrow` see `estimate`; they are for one case alone.
    """
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

    def ends_of(rises: NDArray[np.bool_]) -> NDArray[np.float64]:
        """The corners [cases, 2·results, inputs]."""
        return _corners(known[:, None], rises, lows[:, None], nominals[:, None], highs[:, None])

    single, key = matrix.shape[1], (tuple(names), tuple(wanted))
    guess = _WAYS.get(key) if size == 1 else None
    first = solved(matrix if guess is None else np.concatenate([matrix, ends_of(guess)], axis=1))
    moves = np.stack([first[name][:, :single] for name in wanted], axis=1)
    down, up = moves[..., 1 : 1 + count], moves[..., 1 + count :]
    width = up - down
    least = np.abs(width).max(axis=-1, keepdims=True, initial=0.0)
    rises = width >= -(_NO_WAY * least + _ROUNDING * np.abs(moves[..., :1]))
    if guess is not None and np.array_equal(rises, guess):
        second = {name: first[name][:, single:] for name in wanted}
    else:
        second = solved(ends_of(rises))
    if size == 1:
        _WAYS.put(key, rises)
    rows = np.arange(len(wanted))
    corners = np.stack([second[name] for name in wanted], axis=1)
    ends_found = corners[:, rows[:, None], 2 * rows[:, None] + np.arange(2)]
    if size == 1 and pulled:
        turned = _not_additive(moves[0], ends_found[0], known[0])
        if turned.any():
            which = frozenset(name for name, turns in zip(wanted, turned.tolist(), strict=True) if turns)
            some = narrow(which) if narrow is not None else solve

            def points_solved(points: NDArray[np.float64]) -> Mapping[str, NDArray[np.float64]]:
                """Results [points] of points [points, inputs]."""
                found = some(dict(zip(names, np.ascontiguousarray(points.T), strict=True)))
                return {k: np.broadcast_to(found[k], (len(points),)) for k in which}

            again = _Pulled(points_solved, tuple(wanted), ends[0], known[0] & _matters(moves[0], pulled))
            ends_found = np.concatenate(
                [ends_found, again.widened(turned, ends_of(rises)[0], (key, "pulled"))[None]], axis=2
            )
    return [_gathered(inputs, known[k], moves[k], ends_found[k], wanted) for k, inputs in enumerate(cases)]


def _not_additive(
    moves: NDArray[np.float64], ends: NDArray[np.float64], known: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """Which results [R] are not what their single moves add up to, so that their corners may lie elsewhere: moves
    [R, 1 + 2·inputs], the corners found [R, 2].

    A result turns where both moves of an input go the same way; it is pulled two ways where the corner is not the sum of the moves.
    """
    count = known.size
    base = moves[:, :1]
    down, up = moves[:, 1 : 1 + count][:, known] - base, moves[:, 1 + count :][:, known] - base
    wide = np.ptp(np.concatenate([moves[:, :1], ends, down + base, up + base], axis=1), axis=1)
    least = LEAST_TURN * wide[:, None] + _ROUNDING * np.abs(base)
    turns = ((np.minimum(down, up) > least) | (np.maximum(down, up) < -least)).any(axis=1)
    added = np.stack(
        [np.minimum(down, up).clip(max=0).sum(axis=1), np.maximum(down, up).clip(min=0).sum(axis=1)], axis=1
    )
    apart = np.abs((np.sort(ends, axis=1) - base) - added).max(axis=1)
    most = np.where(np.sign(ends).min(axis=1) < np.sign(ends).max(axis=1), NOT_ADDED_ABOUT_NOUGHT, NOT_ADDED)
    found = np.isfinite(wide) & (wide > _ROUNDING * np.abs(base[:, 0])) & (turns | (apart > most * wide))
    return np.asarray(found)


def _matters(moves: NDArray[np.float64], most: int) -> NDArray[np.bool_]:
    """Which inputs move any result notably: moves [R, 1 + 2·inputs]; the greatest movers, and so many at most."""
    count = (moves.shape[1] - 1) // 2
    base = moves[:, :1]
    swing = np.maximum(np.abs(moves[:, 1 : 1 + count] - base), np.abs(moves[:, 1 + count :] - base))
    part = np.nan_to_num(swing / np.maximum(swing.max(axis=1, keepdims=True), 1e-30)).max(axis=0)
    chosen = np.zeros(count, dtype=bool)
    chosen[np.argsort(-part, kind="stable")[:most]] = True
    return np.asarray(chosen & (part > LEAST_PULLED))


class _Pulled:
    """The extremes of results that no sum of single moves tells: from each corner found, single moves of every input that matters to
    either end, those that widen taken together and alone, in a few rounds; then points on the way between the two extremes.

    solved: results [points] of points [points, inputs]; ends [inputs, 3]; known [inputs].
    """

    def __init__(
        self,
        solved: Callable[[NDArray[np.float64]], Mapping[str, NDArray[np.float64]]],
        names: tuple[str, ...],
        ends: NDArray[np.float64],
        known: NDArray[np.bool_],
    ) -> None:
        self.solved, self.names, self.ends = solved, names, ends
        self.free = np.flatnonzero(known & (ends[:, 0] < ends[:, 2]))

    def widened(
        self, turned: NDArray[np.bool_], corners: NDArray[np.float64], key: Hashable
    ) -> NDArray[np.float64]:
        """Further values of each result [R, V], those that did not turn as they are nowhere: corners [2·R, inputs]."""
        which = np.flatnonzero(turned)
        kept = _PULLED.get(key)
        if kept is not None and np.array_equal(kept[0], which):
            # where they were last, and whither a step leads from there
            places, rounds = self._placed(kept[1]), 1
        else:
            places, rounds = np.stack([corners[2 * which + side] for side in (0, 1)], axis=1), ROUNDS
        for _ in range(rounds):
            places = self._moved(which, places)
        _PULLED.put(key, (which, self._sides(places)))
        between = places[:, :1] + (places[:, 1:] - places[:, :1]) * BETWEEN[:, None]
        points = np.concatenate([places, between], axis=1)
        values = self._values(which, points.reshape(-1, points.shape[-1]))
        each = values.reshape(len(which), len(which), -1)[np.arange(len(which)), np.arange(len(which))]
        found = np.full((len(turned), each.shape[1]), np.nan)
        found[which] = each
        return found

    def _values(self, which: NDArray[np.intp], points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Results [W, points] of those that turned."""
        found = self.solved(points)
        return np.stack([found[self.names[k]] for k in which])

    def _moved(self, which: NDArray[np.intp], places: NDArray[np.float64]) -> NDArray[np.float64]:
        """The extremes [W, 2, inputs] after one round of single moves."""
        count = len(self.free)
        if not count:
            return places
        tried = np.repeat(places[:, :, None], 1 + 2 * count, axis=2)
        for at, k in enumerate(self.free):
            for side, end in enumerate(EITHER):
                tried[:, :, 1 + 2 * at + side, k] = self.ends[k, end]
        flat = self._values(which, tried.reshape(-1, tried.shape[-1]))
        own = flat.reshape(len(which), *tried.shape[:3])[np.arange(len(which)), np.arange(len(which))]
        sense = np.array([-1.0, 1.0])[None, :, None]  # the lower extreme goes down, the upper one up
        gain = np.nan_to_num(sense * (own - own[:, :, :1]), nan=-np.inf)
        moves = gain[:, :, 1:].reshape(*gain.shape[:2], count, 2)
        best, by = moves.argmax(axis=3), moves.max(axis=3)
        joint = places.copy()
        for at, k in enumerate(self.free):
            joint[:, :, k] = np.where(by[:, :, at] > 0, self.ends[k][EITHER][best[:, :, at]], places[:, :, k])
        alone = places.copy()
        lead = by.argmax(axis=2)
        for w, side in np.ndindex(lead.shape):
            if by[w, side, lead[w, side]] > 0:
                k = self.free[lead[w, side]]
                alone[w, side, k] = self.ends[k, EITHER[best[w, side, lead[w, side]]]]
        both = np.stack([joint, alone, places], axis=2)
        values = self._values(which, both.reshape(-1, both.shape[-1])).reshape(len(which), *both.shape[:3])
        mine = np.nan_to_num(sense * values[np.arange(len(which)), np.arange(len(which))], nan=-np.inf)
        chosen = mine.argmax(axis=2)
        return np.take_along_axis(both, chosen[:, :, None, None], axis=2)[:, :, 0]

    def _sides(self, places: NDArray[np.float64]) -> NDArray[np.intp]:
        """At which of its ends, or in the middle, each input stands."""
        return np.asarray(np.abs(places[..., None] - self.ends).argmin(axis=-1))

    def _placed(self, sides: NDArray[np.intp]) -> NDArray[np.float64]:
        return np.asarray(self.ends[np.arange(len(self.ends)), sides])


def _gathered(
    inputs: Sequence[Input],
    known: NDArray[np.bool_],
    moves: NDArray[np.float64],
    ends: NDArray[np.float64],
    wanted: Mapping[str, Wanted],
) -> dict[str, Estimate]:
    """The estimates of one case: moves [results, 1 + 2·inputs], the nominal first, then each input low, then each high; the two
    corners of each result, and what else was found of it [results, 2 and more]."""
    count = len(inputs)
    base, down, up = moves[:, :1], moves[:, 1 : 1 + count], moves[:, 1 + count :]
    swing = np.maximum(np.abs(up - base), np.abs(down - base))
    counted = np.where(known & np.isfinite(swing), swing, 0.0)
    order = np.argsort(-counted, axis=1, kind="stable")
    least = np.maximum(
        TELLING * counted.max(axis=1, initial=0.0), 1e-12 * np.maximum(np.abs(base[:, 0]), 1e-12)
    )
    telling = known & (swing > least[:, None])
    decibels = np.array([w.unit in ("dB", "dBV", "°C") for w in wanted.values()])
    material = IMMATERIAL * np.maximum(np.abs(base[:, 0]), np.where(decibels, 1.0, 1e-3))
    missing = ~known & ~(swing <= material[:, None])
    spread = np.concatenate([base, down[:, known], up[:, known], ends[:, :2]], axis=1)
    finite = np.isfinite(spread).all(axis=1) & ~missing.any(axis=1)
    spread = np.concatenate([spread, np.where(np.isfinite(ends[:, 2:]), ends[:, 2:], base)], axis=1)
    lows, highs = spread.min(axis=1).tolist(), spread.max(axis=1).tolist()
    found = {}
    for row, (name, want) in enumerate(wanted.items()):
        tells = telling[row]
        leading = tuple(inputs[k] for k in order[row][: int(tells.sum()) + 1].tolist() if tells[k])
        if not finite[row]:
            lacking = tuple(inputs[k] for k in np.flatnonzero(missing[row]).tolist())
            found[name] = Estimate(
                None, np.nan, np.nan, want.unit, Basis.UNKNOWN, want.words, leading, lacking
            )
            continue
        bases = [i.known.basis for i in leading if i.known is not None]
        found[name] = Estimate(
            float(base[row, 0]), lows[row], highs[row], want.unit, weakest(bases), want.words, leading
        )
    return found
