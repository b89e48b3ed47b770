"""A circuit in time: second-order steps, their length by the error they make, corners of sources and switches met.

Gear's formula of second order is the rule; the trapezoidal one is there for circuits whose ringing must not be
damped. After a corner the first step is one of first order. The error of a step is what its formula leaves out, the
third derivative of each charge and flux, estimated from their divided differences. All samples of a batch go in step.
Source: the methods as in any text on stiff differential equations; the code calls the step h and the one before it k.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import ArrayLike, NDArray

from pigtail.circuit.assembly import LEAP
from pigtail.circuit.driving import Sources, charges_at, initial_charges
from pigtail.circuit.errors import FAILURES, CircuitError, ConvergenceError
from pigtail.circuit.netlist import Circuit, Transient
from pigtail.circuit.newton import RestSearch, first_memories, inputs_of
from pigtail.circuit.program import program_for
from pigtail.circuit.results import Solution
from pigtail.circuit.system import System

Array = NDArray[Any]
#: Newton's steps end when junctions stand still within this part of nVt.
TOLERANCE = 0.02
#: A junction this many nVt below nought may wander: while all diodes of a bridge block, only they hold its secondary.
OFF = -3.0
MOST_ITERATIONS = 40
#: A step may leave out this part of the charge or flux of each equation.
ERROR = 5e-5
GROWTH, SHRINKING = 2.0, 0.25
#: The first step after a corner, as a part of the longest.
FRESH = 1e-3
#: A switch is met within this part of the longest step.
SHARP = 1e-3
#: The shortest step, as a part of the whole time.
SHORTEST = 1e-13
MOST_STEPS = 1_000_000
#: The most periods of a pulse in a run.
MOST_PERIODS = 200_000
#: Equal steps taken at a time.
MARCH = 20_000


class _Point(msgspec.Struct):
    """Where the run is: time, unknowns, controls, charges, their rates, memories."""

    t: float
    x: tuple[Any, ...]
    u: tuple[Any, ...]
    q: tuple[Any, ...]
    rates: tuple[Any, ...]
    w: tuple[Any, ...]


def transient(
    circuit: Circuit,
    stop: float,
    step: float,
    *,
    start: float = 0.0,
    max_step: float = 0.0,
    from_initial: bool = False,
    fixed: bool = False,
    method: str = "",
    samples: Mapping[str, ArrayLike] | None = None,
    outputs: Sequence[str] | None = None,
    initial: Mapping[str, float] | None = None,
) -> Solution:
    """The circuit from time 0 to stop [s]: a Solution with axes [S, T] and `times`.

    Args: step the first step and, if fixed, every step; without fixed the error decides, up to max_step (a fiftieth
    of stop, if 0); start the time from which results are kept; from_initial starts from the `ic` of C and L instead
    of the operating point, or from `initial`, volts of capacitors [V] and currents of inductors [A] by their names, which go before it;
    method gear or trap; outputs the nodes that are kept, all of them if None.
    Raises: CircuitError and its kinds.
    """
    if not (0 < step <= stop < math.inf and 0 <= start < stop and max_step >= 0):
        raise CircuitError("a transient needs 0 < step ≤ stop and a start before it")
    system = System(circuit, samples, from_charge=from_initial or initial is not None)
    run = _Run(
        system,
        stop,
        step,
        max_step,
        fixed=fixed,
        method=method or circuit.options.method,
        initial=initial or {},
    )
    run.keep(start, outputs)
    with np.errstate(all="ignore"):
        if fixed:
            run.go_evenly()
        else:
            run.go()
    return run.solution()


def run_card(circuit: Circuit, card: Transient, outputs: Sequence[str] | None = None) -> Solution:
    """The transient that a .tran card asks for."""
    return transient(
        circuit,
        card.stop,
        card.step,
        start=card.start,
        max_step=card.max_step,
        from_initial=card.from_initial,
        outputs=outputs,
    )


class _Run:
    """One run in time."""

    def __init__(
        self,
        system: System,
        stop: float,
        step: float,
        max_step: float,
        *,
        fixed: bool,
        method: str,
        initial: Mapping[str, float],
    ) -> None:
        self.initial = initial
        self.system, self.stop, self.fixed = system, stop, fixed
        self.title = system.circuit.title
        self.step = step
        self.longest = step if fixed else min(max_step or stop / 50, stop)
        self.trapezoidal = method.startswith("trap")
        self.arrays = system.samples > 1
        self.program = program_for(system, dynamic=True, arrays=self.arrays)
        self.sources = Sources(system, self.program.sources, step, stop, self.arrays)
        if not fixed:
            self.longest = min([self.longest, *(w.longest for w in self.sources.waves)])
        if stop > MOST_PERIODS * min((w.period for w in self.sources.waves), default=math.inf):
            raise ConvergenceError(
                f"a pulse of “{self.title}” comes more than {MOST_PERIODS:,} times in {stop:.3g} s; give a shorter run or a longer period"
            )
        if stop > MOST_STEPS * self.longest:
            raise self._too_long(0.0)
        try:
            self.values, self.starting, self.edges = self.program.set_up(
                **inputs_of(system, self.program, self.arrays)
            )
        except FAILURES as error:
            raise ConvergenceError(
                f"“{self.title}” has values too many decades apart to be solved"
            ) from error
        self.prepared: tuple[float, Any] = (-1.0, ())
        self.times: list[float] = []
        self.kept: list[tuple[Any, ...]] = []
        self.memories: list[tuple[Any, ...]] = []
        self.sizes: list[Any] = [0.0] * len(self.program.stores)
        self.allowed = ERROR * system.circuit.options.reltol / 1e-3
        self.past = [self._first()]

    def keep(self, start: float, outputs: Sequence[str] | None) -> None:
        """What is kept of each point."""
        self.start = start
        places = None if outputs is None else [self.system.place(n) for n in outputs]
        self.columns = None if places is None else tuple(p for p in places if p is not None)

    def go(self) -> None:
        """From the first point to the last."""
        self._record(self.past[0])
        h = min(self.step, self.longest) * FRESH
        corner = self.sources.corner(0.0)
        for _ in range(MOST_STEPS):
            now = self.past[-1]
            if now.t >= self.stop * (1 - 1e-12):
                return
            h = self._fitted(now.t, h, corner)
            point, h = self._advance(now, h)
            if point is None:
                self._check_length(now.t, h)
                continue
            self._record(point)
            self.past = [*self.past[-3:], point]
            if point.t >= corner * (1 - 1e-12):
                corner = self.sources.corner(point.t)
                self.past, h = [point], min(h, self.longest * FRESH)
        raise self._too_long(self.past[-1].t)

    def _too_long(self, reached: float) -> ConvergenceError:
        return ConvergenceError(
            f"“{self.title}” needs more than {MOST_STEPS:,} steps from {reached:.3g} s to {self.stop:.3g} s; "
            "give a shorter run or a longer step"
        )

    def go_evenly(self) -> None:
        """From the first point to the last by equal steps."""
        self._record(self.past[0])
        h, whole = self.step, self.stop / self.step
        count = round(whole) if abs(whole - round(whole)) < 1e-6 else int(whole)
        done = 0
        while done < count:
            evenly = len(self.past) > 1 and abs(self.past[-1].t - self.past[-2].t - h) < 1e-6 * h
            went = self._march(h, done, min(count - done, MARCH)) if evenly and not self.trapezoidal else 0
            if went == 0:
                self._reach((done + 1) * h)
                self._record(self.past[-1])
                went = 1
            done += went
        if self.stop > count * h * (1 + 1e-9):
            self._reach(self.stop)
            self._record(self.past[-1])

    def _march(self, h: float, done: int, count: int) -> int:
        """On by equal steps in the written-out code; how many it took before one did not settle."""
        now, before = self.past[-1], self.past[-2]
        alpha = 1.5 / h
        if not self._prepare(alpha):
            return 0
        times = ((done + 1 + np.arange(count)) * h).tolist()
        points: list[tuple[Any, ...]] = []
        q, p, y, z, w = self.program.march(
            self.values,
            self.prepared[1],
            zip(self.sources.over(times), times, strict=True),
            -2 / h,
            0.5 / h,
            now.q,
            before.q,
            now.u,
            before.u,
            now.w,
            self.edges,
            TOLERANCE,
            OFF,
            MOST_ITERATIONS,
            points.append,
        )
        if points:
            for t, x in zip(times, points, strict=False):
                self._record(_Point(t, x, (), (), (), w))
            t = times[len(points) - 1]
            x = points[-1]
            self.past = [_Point(t - h, x, z, p, (), w), _Point(t, x, y, q, (), w)]
        return len(points)

    def _prepare(self, alpha: float) -> bool:
        """What depends on the length of the step alone, worked out when it changes; whether it could be."""
        if self.prepared[0] != alpha:
            try:
                self.prepared = (alpha, self.program.prepare(self.values, alpha))
            except FAILURES:
                return False
        return True

    def _reach(self, t: float) -> None:
        """On to a time, in shorter steps where one step does not settle."""
        h = t - self.past[-1].t
        while (now := self.past[-1]).t < t * (1 - 1e-12):
            h = min(h, t - now.t)
            point = self._solve(now, h, now.t + h) if now.t + h > now.t else None
            if point is None:
                h *= SHRINKING
                self._check_length(now.t, h)
            else:
                self.past = [*self.past[-3:], point]

    def _fitted(self, t: float, h: float, corner: float) -> float:
        """A step length that ends on the next corner, or well before it."""
        h, left = min(h, self.longest), min(corner, self.stop) - t
        if h >= left * (1 - 1e-9):
            return left
        return left / 2 if 2 * h > left else h

    def _check_length(self, t: float, h: float) -> None:
        if h < max(SHORTEST * self.stop, 1e-15 * t) or t + h == t:
            raise ConvergenceError(
                f"no step from {t:.6g} s of “{self.title}” settles; "
                "look for a switch that undoes itself or a part without a capacitance beside it"
            )

    def _first(self) -> _Point:
        """The point at time 0: from the operating point, or from the charges that are given."""
        system, stores = self.system, self.program.stores
        nought = tuple(0.0 for _ in stores)
        if not self.system.from_charge:
            rest = RestSearch(system, self.arrays).run(sources=self.sources.rows_at(0.0))
            q = charges_at(system, stores, rest, self.arrays)
            return _Point(0.0, rest.x, rest.u, q, nought, rest.w)
        memories = first_memories(system, self.program)
        q = initial_charges(system, stores, self.arrays, self.initial)
        given = _Point(0.0, (), self.starting, q, nought, memories)
        for part in (1e-9, 1e-6, 1e-3):
            self.past = [given]
            found = self._solve(given, part * self.longest, 0.0)
            if found is not None:
                return _Point(0.0, found.x, found.u, q, nought, found.w)
        raise ConvergenceError(f"“{self.title}” has no solution at its initial conditions")

    def _advance(self, now: _Point, h: float) -> tuple[_Point | None, float]:
        """The next point and the length of the step after it; None and a shorter step if this one was too long."""
        point = self._solve(now, h, now.t + h) if now.t + h > now.t else None
        if point is None:
            return None, h * SHRINKING
        if h > SHARP * self.longest and any(np.any(a != b) for a, b in zip(now.w, point.w, strict=True)):
            return None, max(h * SHRINKING, SHARP * self.longest)
        excess = self._excess(point, h)
        factor = min(GROWTH, 0.9 * excess ** (-1 / 3)) if excess > 0 else GROWTH
        if excess > 1.0:
            return None, h * max(SHRINKING, factor)
        return point, h * factor

    def _solve(self, now: _Point, h: float, t: float) -> _Point | None:
        """The point a step on, None if Newton's method does not settle there."""
        alpha, history = self._formula(now, h)
        program = self.program
        if not self._prepare(alpha):
            return None
        b = self.sources.at(t)
        ok = False
        for guess in (self._guess(now, h), now.u):
            try:
                ok, _, x, u, q, w = program.step(
                    self.values,
                    self.prepared[1],
                    b,
                    history,
                    guess,
                    now.w,
                    t,
                    TOLERANCE,
                    OFF,
                    MOST_ITERATIONS,
                )
            except FAILURES:
                continue
            if np.all(ok) if self.arrays else ok:
                break
        else:
            return None
        if self.trapezoidal:
            return _Point(t, x, u, q, tuple([alpha * a + b for a, b in zip(q, history, strict=True)]), w)
        return _Point(t, x, u, q, (), w)

    def _formula(self, now: _Point, h: float) -> tuple[float, tuple[Any, ...]]:
        """The factor alpha of the new charge in its rate, and the rest of the rate."""
        if len(self.past) < 2:
            return 1 / h, tuple([-q / h for q in now.q])
        if self.trapezoidal:
            return 2 / h, tuple([-2 / h * q - r for q, r in zip(now.q, now.rates, strict=True)])
        before = self.past[-2]
        k = now.t - before.t
        a1, a2 = -(h + k) / (h * k), h / (k * (h + k))
        return (2 * h + k) / (h * (h + k)), tuple(
            [a1 * q + a2 * p for q, p in zip(now.q, before.q, strict=True)]
        )

    def _guess(self, now: _Point, h: float) -> tuple[Any, ...]:
        """Controls from which Newton's method starts: on along the line of the last two points."""
        if len(self.past) < 2:
            return now.u
        before = self.past[-2]
        r = min(h / (now.t - before.t), 2.0)
        ahead = [u + r * (u - p) for u, p in zip(now.u, before.u, strict=True)]
        if self.arrays:
            edges = zip(ahead, now.u, self.edges, strict=True)
            return tuple([np.minimum(a, np.maximum(u, e) + LEAP) for a, u, e in edges])
        return tuple(
            [
                a if a <= e else min(a, max(u, e) + LEAP)
                for a, u, e in zip(ahead, now.u, self.edges, strict=True)
            ]
        )

    def _excess(self, point: _Point, h: float) -> float:
        """What the step left out, as a multiple of what it may."""
        chain = [point, *self.past[:-4:-1]]
        t = [p.t for p in chain]
        if len(chain) < 4:
            factor = h * h if len(chain) == 3 else 0.0
        elif self.trapezoidal:
            factor = h**3 / 2
        else:
            k = t[1] - t[2]
            factor = (h * (h + k)) ** 2 / (2 * h + k)
        if factor == 0.0:
            return 0.3
        worst = 0.0
        for row, charges in enumerate(zip(*(p.q for p in chain), strict=True)):
            left_out = factor * abs(_divided(charges, t))
            size = self.sizes[row] = _largest(self.sizes[row], abs(charges[0]))
            part = left_out / (self.allowed * size + 1e-18)
            worst = max(worst, float(np.max(part)) if self.arrays else part)
        return worst

    def _record(self, point: _Point) -> None:
        if point.t < self.start * (1 - 1e-12):
            return
        self.times.append(point.t)
        self.kept.append(point.x if self.columns is None else tuple(point.x[k] for k in self.columns))
        if point.w:
            self.memories.append(point.w)

    def solution(self) -> Solution:
        """What was kept, as a Solution."""
        x = _over_time(self.kept, self.system.samples)
        memories = (
            tuple(np.moveaxis(_over_time(self.memories, self.system.samples), -1, 0)) if self.memories else ()
        )
        return Solution(self.system, x, times=np.array(self.times), kept=self.columns, memories=memories)


def _over_time(points: list[tuple[Any, ...]], samples: int) -> Array:
    """Points of floats or of arrays [S] as one array [S, T, n]."""
    if samples == 1:
        return np.array(points)[None]
    columns = [
        np.stack([np.broadcast_to(v, (samples,)) for v in values], axis=1)
        for values in zip(*points, strict=True)
    ]
    return np.stack(columns, axis=-1) if columns else np.zeros((samples, len(points), 0))


def _largest(a: Any, b: Any) -> Any:
    return np.maximum(a, b) if isinstance(b, np.ndarray) else max(a, b)


def _divided(values: Sequence[Any], at: Sequence[float]) -> Any:
    """Divided difference of values over all of their places."""
    row = list(values)
    for width in range(1, len(row)):
        row = [(row[k] - row[k + 1]) / (at[k] - at[k + width]) for k in range(len(row) - 1)]
    return row[0]
