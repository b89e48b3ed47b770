"""A·x = b for all samples and frequencies of a circuit: one plan a structure, run in blocks, checked by its residual.

Where every unknown is wanted, every equation of every sample is checked. Where only some are, the check runs in full
on the first and last block, and on each block in which an elimination factor grew far beyond what the plan foresaw.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import reduce
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from pigtail.circuit.elimination import Plan, SingularError, make_plan
from pigtail.circuit.errors import FAILURES, UnsolvedError
from pigtail.circuit.sparse import is_large, rest_of_large, waves_of_large
from pigtail.circuit.system import System
from pigtail.units.store import Store, remembered

Array = NDArray[Any]
Place = tuple[int, int]
Matrix = Mapping[Place, Any]
RESIDUAL_LIMIT = 1e-9
ROUNDING = 4e-16
#: Samples × frequencies worked on at a time: a few such arrays of complex numbers fit the cache.
BLOCK = 8192
#: Up to so many samples × frequencies a dense elimination costs less than a call for each step of a plan: of real numbers, and
#: of complex ones.
FEW, FEW_COMPLEX = 16, 4
#: Unknowns up to which a single sample is checked with whole matrices, where a call for each term costs more.
SMALL = 64
#: An elimination factor this many times the one in the plan asks for the full check.
GROWTH = 1e4
NOUGHT = np.zeros(1)


def solve_rest(
    system: System, g: Matrix | None = None, b: Mapping[int, Any] | None = None, kind: str = "dc"
) -> Array:
    """Unknowns [S, n] of a linear circuit at rest: G·x = b, both those of the system unless others are given."""
    g, b = system.g if g is None else g, system.b_dc if b is None else b
    if is_large(system):
        return rest_of_large(system, g, b)
    if system.samples == 1:
        return _alone(system, g, b, kind)[None, :]
    plan = plan_for(system, lambda: g, kind)
    shape = (system.samples,)
    return stacked(_solved(system, plan, g, b, shape, kind), system.samples)


def stacked(x: Sequence[Any], samples: int) -> Array:
    """Unknowns, each a number or an array [S], as one array [S, n]."""
    found = np.empty((samples, len(x)))
    for k, value in enumerate(x):
        found[:, k] = value
    return found


def solve_waves(
    system: System,
    matrices: tuple[Matrix, Matrix],
    b: Mapping[int, Any],
    hertz: Array,
    wanted: Sequence[int] | None,
    kind: str = "ac",
) -> Array:
    """Unknowns [S, F, n] (or the wanted ones) of (G + jωC)·x = b. Raises UnsolvedError.

    Args: matrices (G, C) with entries, and b rows, numbers or arrays [S]; hertz [F] or [S, F].
    """
    g, c = matrices
    hertz = np.atleast_2d(hertz)
    samples, points = max(system.samples, hertz.shape[0]), hertz.shape[-1]
    if samples == 1 and is_large(system):
        large = waves_of_large(system, g, c, b, hertz[0])
        return large if wanted is None else large[..., list(wanted)]
    if samples == points == 1:
        omega = 2j * np.pi * float(hertz[0, 0])
        single: dict[tuple[int, int], Any] = dict(g)
        for place, value in c.items():
            single[place] = single.get(place, 0.0) + omega * value
        x = _alone(system, single, b, kind)
        return (x if wanted is None else x[list(wanted)])[None, None, :]
    if samples == 1 and system.size <= SMALL and points <= BLOCK:
        x = _one_sweep(system, matrices, b, hertz[0], kind)
        return (x if wanted is None else x[list(wanted)]).T[None]
    middle = hertz[hertz.shape[0] // 2 :][:1, points // 2 : points // 2 + 1]
    plan = plan_for(system, lambda: _entries(g, c, middle, slice(0, 1)), kind)
    columns = tuple(range(system.size)) if wanted is None else tuple(wanted)
    x = np.empty((len(columns), samples, points), dtype=complex)
    blocks = list(_blocks(samples, points))
    for k, (rows, across) in enumerate(blocks):
        part = hertz[:, across] if hertz.shape[0] == 1 else hertz[rows, across]
        entries = _entries(g, c, part, rows)
        right = {i: _rows(v, rows) for i, v in b.items()}
        block = x[:, rows, across]
        if wanted is not None and 0 < k < len(blocks) - 1:
            found, growth = _partly(plan, entries, right, columns)
            if growth <= GROWTH:
                for at, value in enumerate(found):
                    block[at] = value
                continue
        whole = _solved(system, plan, entries, right, block.shape[1:], kind)
        for at, column in enumerate(columns):
            block[at] = whole[column]
    if not np.isfinite(x.view(float)).all():
        raise _unsatisfied(system)
    return np.moveaxis(x, 0, -1)


def _partly(
    plan: Plan, entries: Matrix, b: Mapping[int, Any], columns: tuple[int, ...]
) -> tuple[Sequence[Any], float]:
    """The wanted unknowns, and by how much an elimination factor outgrew the plan."""
    try:
        with np.errstate(all="ignore"):
            return plan.solve_some(entries, b, columns)
    except FAILURES:
        return (), np.inf


def _one_sweep(
    system: System, matrices: tuple[Matrix, Matrix], b: Mapping[int, Any], hertz: Array, kind: str
) -> Array:
    """Unknowns [n, F] of one sample, checked by (G + jωC)·x − b with whole matrices."""
    g, c = matrices
    omega = 2 * np.pi * hertz
    storage = np.outer(1j * np.fromiter(c.values(), float, len(c)), omega)
    storage += np.fromiter((g.get(place, 0.0) for place in c), float, len(c))[:, None]
    entries: dict[tuple[int, int], Any] = {**g, **dict(zip(c, storage, strict=True))}
    plan = plan_for(system, lambda: {k: np.ravel(v)[np.size(v) // 2] for k, v in entries.items()}, kind)
    x = np.empty((system.size, hertz.size), dtype=complex)
    try:
        with np.errstate(all="ignore"):
            found = plan.solve(entries, b)
    except FAILURES:
        return np.array(_dense(system, entries, b, hertz.shape))
    with np.errstate(all="ignore"):
        for k, value in enumerate(found):
            x[k] = value
        full = np.zeros((2, system.size, system.size))
        for matrix, part in zip((g, c), full, strict=True):
            for place, value in matrix.items():
                part[place] = value
        # One product for each matrix: products of this size stay on one thread, which need not be woken.
        residual, stored = ((part @ x.view(float)).view(complex) for part in full)
        stored *= 1j * omega
        residual += stored
        sizes = np.abs(x)
        np.abs(full, out=full)
        terms, moved = full[0] @ sizes, full[1] @ sizes
        moved *= omega
        terms += moved
        for row, value in b.items():
            residual[row] -= value
            terms[row] += abs(value)
        terms *= RESIDUAL_LIMIT
        right = _true(np.abs(residual) <= terms + 1e-30)
    return x if right else np.array(_dense(system, entries, b, hertz.shape))


def _blocks(samples: int, points: int) -> Iterator[tuple[slice, slice]]:
    across = min(points, BLOCK)
    down = max(1, BLOCK // across)
    for s in range(0, samples, down):
        for f in range(0, points, across):
            yield slice(s, s + down), slice(f, f + across)


def _rows(value: Any, rows: slice) -> Any:
    return value[rows, None] if isinstance(value, np.ndarray) else value


def _entries(g: Matrix, c: Matrix, hertz: Array, rows: slice) -> dict[tuple[int, int], Any]:
    entries: dict[tuple[int, int], Any] = {k: _rows(v, rows) for k, v in g.items()}
    omega = 2j * np.pi * hertz
    for place, value in c.items():
        storage = omega * _rows(value, rows)
        entries[place] = entries[place] + storage if place in entries else storage
    return entries


def _alone(system: System, entries: Mapping[tuple[int, int], Any], b: Mapping[int, Any], kind: str) -> Array:
    """One sample at one frequency, with plain numbers: arrays of one would cost ten times their arithmetic."""
    plan = plan_for(system, lambda: entries, kind)
    try:
        x = plan.solve(entries, b)
        right = all(abs(v) < np.inf for v in x) and satisfies(entries, x, b)
    except FAILURES:
        right = False
    return np.array(x if right else _dense(system, entries, b, ()))


def _solved(
    system: System, plan: Plan, entries: Matrix, b: Mapping[int, Any], shape: tuple[int, ...], kind: str
) -> Sequence[Any]:
    """All unknowns of A·x = b, each a number or an array that broadcasts to shape, checked by every equation.

    Where the plan of the structure does not hold for these values, one that was made of other such values is tried, and
    then one made of these.
    """
    if int(np.prod(shape)) <= (FEW if kind.startswith("dc") else FEW_COMPLEX):
        few = _whole_matrices(system, entries, b, shape)
        if few is not None:
            return few
    if (x := _by_plan(plan, entries, b)) is not None:
        return x
    key = (system.circuit.structure, kind)
    other = _OTHER_PLANS.get(key)
    if other is not None and (x := _by_plan(other, entries, b)) is not None:
        return x
    try:
        fresh = make_plan(system.size, _nominal(entries))
    except SingularError:
        return _dense(system, entries, b, shape)
    if (x := _by_plan(fresh, entries, b)) is not None:
        _OTHER_PLANS.put(key, fresh)
        return x
    return _dense(system, entries, b, shape)


def _by_plan(plan: Plan, entries: Matrix, b: Mapping[int, Any]) -> Sequence[Any] | None:
    """The unknowns by a plan, bettered once by what they leave over; None where they do not satisfy the equations even then."""
    try:
        with np.errstate(all="ignore"):
            x = plan.solve(entries, b)
            if satisfies(entries, x, b):
                return x
            left: dict[int, Any] = dict(b)
            for (i, j), value in entries.items():
                left[i] = left.get(i, 0.0) - value * x[j]
            x = [value + more for value, more in zip(x, plan.solve(entries, left), strict=True)]
            return x if satisfies(entries, x, b) else None
    except FAILURES:
        return None


def _dense(system: System, entries: Matrix, b: Mapping[int, Any], shape: tuple[int, ...]) -> Sequence[Any]:
    """The same by dense elimination that picks its pivots anew: for values far from those that made the plan."""
    found = _whole_matrices(system, entries, b, shape)
    if found is None:
        raise _unsatisfied(system)
    return found


def _whole_matrices(
    system: System, entries: Matrix, b: Mapping[int, Any], shape: tuple[int, ...]
) -> Sequence[Any] | None:
    """All unknowns by dense elimination of whole matrices, their rows scaled to one size; None where they do not satisfy every
    equation."""
    values = (*entries.values(), *b.values())
    kind = complex if any(np.iscomplexobj(v) or isinstance(v, complex) for v in values) else float
    a = np.zeros((*shape, system.size, system.size), dtype=kind)
    right = np.zeros((*shape, system.size, 1), dtype=kind)
    for (i, j), value in entries.items():
        a[..., i, j] = value
    for i, value in b.items():
        right[..., i, 0] = value
    with np.errstate(all="ignore"):
        scale = np.abs(a).max(axis=-1, keepdims=True)
        a /= scale
        right /= scale
    try:
        x = np.linalg.solve(a, right)
    except np.linalg.LinAlgError:
        return None
    with np.errstate(all="ignore"):
        residual = np.abs(a @ x - right)
        largest = np.maximum(
            (np.abs(a) * np.abs(np.swapaxes(x, -1, -2))).max(axis=-1, keepdims=True), np.abs(right)
        )
        fine = (residual <= RESIDUAL_LIMIT * largest + 1e-30).all()
        found = [x[..., k, 0] for k in range(system.size)]
        return found if fine or satisfies(entries, found, b) else None


def _unsatisfied(system: System) -> UnsolvedError:
    return UnsolvedError(
        f"the solution of “{system.circuit.title}” does not satisfy its own equations; "
        "look for a part of zero or values too many decades apart"
    )


#: Up to so many numbers all terms are laid out at once to be checked: beyond, one after another fits the cache better.
AT_ONCE = 60_000


class _Rows(NamedTuple):
    """The terms of a structure's equations in the order of their rows: entries, then what is added; where each row starts and
    ends, and which row that is."""

    entries: tuple[tuple[int, Place, int], ...]
    added: tuple[int, ...]
    starts: Array
    lasts: Array
    rows: tuple[int, ...]


@remembered(64)
def _rows_of(places: tuple[Place, ...], added: tuple[int, ...]) -> _Rows:
    rows = np.array([i for i, _ in places] + list(added))
    order = np.argsort(rows, kind="stable")
    at = np.empty(len(order), dtype=int)
    at[order] = np.arange(len(order))
    ordered = rows[order]
    starts = np.flatnonzero(np.r_[True, ordered[1:] != ordered[:-1]])
    where = at.tolist()
    return _Rows(
        tuple((where[k], place, place[1]) for k, place in enumerate(places)),
        tuple(where[len(places) :]),
        starts,
        np.append(starts[1:], len(order)) - 1,
        tuple(ordered[starts].tolist()),
    )


class _Scratch(threading.local):
    """Room for terms, kept: taking it anew from the system would cost as much as filling it."""

    def __init__(self) -> None:
        self.real = np.empty(0)
        self.complex = np.empty(0, dtype=complex)

    def room(self, shape: tuple[int, ...], *, is_complex: bool) -> Array:
        """An array of a shape with whatever is in it."""
        size = math.prod(shape)
        kept: Array = self.complex if is_complex else self.real
        if kept.size < size:
            kept = np.empty(size, dtype=kept.dtype)
            if is_complex:
                self.complex = kept
            else:
                self.real = kept
        return kept[:size].reshape(shape)


_SCRATCH = _Scratch()


def _satisfied_at_once(
    entries: Mapping[tuple[int, int], Any], x: Sequence[Any], b: Mapping[int, Any]
) -> bool | None:
    """Whether every residual is small against the largest term of its equation; None where that is not so or there is too much
    to lay out, and the question is left to the slower look."""
    shapes = {v.shape for v in x if isinstance(v, np.ndarray)}
    shape = np.broadcast_shapes(*shapes) if len(shapes) != 1 else shapes.pop()
    if not shape or math.prod(shape) * len(entries) > AT_ONCE:
        return None
    is_complex = any(isinstance(v, complex) or (isinstance(v, np.ndarray) and v.dtype.kind == "c") for v in x)
    rows, terms = _laid_out(entries, x, tuple(b), [-v for v in b.values()], shape, is_complex=is_complex)
    # squares of magnitudes: a square root for each of them would take as long as all the rest
    residual = _squares(np.add.reduceat(terms, rows.starts, axis=0))
    # two terms of a row are a first measure, quickly taken: the largest is no smaller
    some = np.maximum(_squares(terms[rows.starts]), _squares(terms[rows.lasts]))
    if (residual <= RESIDUAL_LIMIT**2 * some + 1e-60).all():
        return True
    largest = np.maximum.reduceat(_squares(terms), rows.starts, axis=0)
    return True if (residual <= RESIDUAL_LIMIT**2 * largest + 1e-60).all() else None


def _laid_out(
    entries: Matrix,
    x: Sequence[Any],
    added_rows: tuple[int, ...],
    added: Sequence[Any],
    shape: tuple[int, ...],
    *,
    is_complex: bool,
) -> tuple[_Rows, Array]:
    """All terms of A·x and what is added to its rows, in the order of their rows: good until the next ones are laid out."""
    rows = _rows_of(tuple(entries), added_rows)
    terms = _SCRATCH.room((len(entries) + len(added_rows), *shape), is_complex=is_complex)
    for at, place, column in rows.entries:
        np.multiply(entries[place], x[column], out=terms[at])
    for at, value in zip(rows.added, added, strict=True):
        terms[at] = value
    return rows, terms


def row_that_fails(
    entries: Matrix,
    x: Sequence[Array],
    added_rows: tuple[int, ...],
    added: Sequence[Any],
    limit: float,
    floor: float,
) -> int | None:
    """The first row of A·x + what is added that is further from nought than limit times its largest term plus floor, or None.

    Args: real entries; x arrays [S] in the [units of the unknowns]; terms added in the [units of the equations], each to a row.
    """
    rows, terms = _laid_out(entries, x, added_rows, added, x[0].shape, is_complex=False)
    residual = np.abs(np.add.reduceat(terms, rows.starts, axis=0))
    some = np.maximum(np.abs(terms[rows.starts]), np.abs(terms[rows.lasts]))
    if (residual <= limit * some + floor).all():
        return None
    largest = np.maximum.reduceat(np.abs(terms, out=terms), rows.starts, axis=0)
    fails = ~(residual <= limit * largest + floor).all(axis=1)
    return rows.rows[int(fails.argmax())] if fails.any() else None


def _squares(values: Array) -> Array:
    """Squares of the magnitudes."""
    if not np.iscomplexobj(values):
        return values * values
    parts = values.view(float)
    parts = (parts * parts).reshape(*values.shape, 2)
    return np.asarray(parts[..., 0] + parts[..., 1])


def satisfies(entries: Mapping[tuple[int, int], Any], x: Sequence[Any], b: Mapping[int, Any]) -> bool:
    """Whether x satisfies every equation to RESIDUAL_LIMIT of the largest term in it, or to the rounding of the largest
    unknown: what should be nought, beside volts, comes out at some 1e-17.

    The term on the diagonal is the first measure, since in nodal equations it is among the largest; only a row
    that fails by it, or has none, is measured by all its terms.
    """
    if _satisfied_at_once(entries, x, b):
        return True
    sums: dict[int, Any] = {i: -value for i, value in b.items()}
    diagonal: dict[int, Any] = {}
    for (i, j), value in entries.items():
        term = value * x[j]
        old = sums.get(i)
        sums[i] = term if old is None else old + term
        if i == j:
            diagonal[i] = abs(term)
    for i, residual in sums.items():
        size = abs(residual)
        if i in diagonal and _true(size <= RESIDUAL_LIMIT * diagonal[i]):
            continue
        largest: Any = abs(b.get(i, NOUGHT))
        strongest: Any = 0.0
        for (row, j), value in entries.items():
            if row == i:
                largest = np.maximum(largest, abs(value * x[j]))
                strongest = np.maximum(strongest, abs(value))
        if _true(size <= RESIDUAL_LIMIT * largest + 1e-30):
            continue
        norm = reduce(np.maximum, (abs(v) for v in x))
        if not _true(size <= np.maximum(RESIDUAL_LIMIT * largest, ROUNDING * strongest * norm)):
            return False
    return True


def _true(condition: Any) -> bool:
    """Whether a comparison holds everywhere."""
    return condition if isinstance(condition, bool) else bool(condition.all())


def plan_for(system: System, entries: Callable[[], Mapping[tuple[int, int], Any]], kind: str) -> Plan:
    """The elimination plan of a circuit, made once for its structure and each kind of analysis.

    Raises UnsolvedError where nothing holds an unknown.
    """
    key = (system.circuit.structure, kind)
    plan = _PLANS.get(key)
    if plan is None:
        try:
            plan = make_plan(system.size, _nominal(entries()))
        except SingularError as error:
            raise system.unsolvable(error.unknown) from error
        _PLANS.put(key, plan)
    return plan


def _nominal(entries: Matrix) -> dict[tuple[int, int], complex]:
    """The entries of the sample in the middle, by which pivots are picked."""
    return {place: complex(np.ravel(value)[np.size(value) // 2]) for place, value in entries.items()}


_PLANS: Store[tuple[object, str], Plan] = Store(f"{__name__}._PLANS", 96)
_OTHER_PLANS: Store[tuple[object, str], Plan] = Store(f"{__name__}._OTHER_PLANS", 32)
