"""The operating point of a circuit with devices: Newton's method, and two roads for circuits that it does not find at once.

First plainly, from junctions at their bend. Else with a shunt from every node to node 0 that is taken away in steps;
else with all sources brought up from nought. A batch goes the same way together: the samples that have not settled
are taken on alone. Every answer is then checked against the equations.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from pigtail.circuit.devicecode import controls_of
from pigtail.circuit.errors import FAILURES, ConvergenceError
from pigtail.circuit.expressions import evaluate
from pigtail.circuit.program import Program, program_for
from pigtail.circuit.system import System, first

Array = NDArray[Any]
TOLERANCE = 1e-6
OFF = -12.0
MOST_ITERATIONS = 150
#: Samples up to which each is solved by itself, and up to which each is searched for from beside the one before it.
FEW, SOME = 6, 32
SHUNTS = (*(10.0**-k for k in range(2, 13)), 0.0)
RAMP = (0.0, 0.02, 0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0)


class Rest(msgspec.Struct, frozen=True):
    """A circuit at rest: unknowns x, controls u and memories w, each a tuple of floats or of arrays [S]."""

    x: tuple[Any, ...]
    u: tuple[Any, ...]
    w: tuple[Any, ...]


def inputs_of(
    system: System, program: Program, arrays: bool, shunt: float = 0.0, sample: int = 0
) -> dict[str, Any]:
    """What the code's set_up takes, arrays or the floats of one sample. The shunt in [S], values in SI, numbers or arrays [S]."""
    found: dict[str, Any] = {f"s_{k}": v for k, v in system.surroundings.items()} | {"s_shunt": shunt}
    for letter, matrix in (("g", system.g), ("c", system.c)):
        for (i, j), value in matrix.items():
            found[f"{letter}{i}_{j}"] = value
    for number, instance in enumerate(system.instances):
        for name, value in instance.parameters.items():
            found[f"p{number}_{name}"] = value
    wanted = {name: found[name] for name in program.inputs}
    if arrays:
        return wanted
    return {k: first(v, sample) for k, v in wanted.items()}


def first_memories(system: System, program: Program) -> tuple[Any, ...]:
    """What the devices remember before the first moment: a switch is open unless the deck says on."""
    found = []
    for number, _ in program.memories:
        on = system.instances[number].element.option("on")
        found.append(0.0 if on is None else float(evaluate(on, {})))
    return tuple(found)


def rest_of(system: System, beside: Rest | None = None) -> Rest:
    """The operating point of all samples: a few of them one after another with plain numbers, since a call for an array of a
    few costs more than its arithmetic; beside: where one close by of each sample lies. Raises ConvergenceError, UnsolvedError."""
    if beside is None and FEW < system.samples <= SOME:
        found = _in_turn(system)
        if found is not None:
            return found
    if not 1 < system.samples <= FEW:
        return RestSearch(system).run(beside)
    return _together([RestSearch(system, arrays=False, sample=k).run() for k in range(system.samples)])


def _in_turn(system: System) -> Rest | None:
    """The operating points of a few dozen samples, each searched for from beside the one before it; None where one is not found."""
    each: list[Rest] = []
    try:
        for k in range(system.samples):
            each.append(RestSearch(system, arrays=False, sample=k).run(each[-1] if each else None))
    except ConvergenceError:
        return None
    return _together(each)


def _together(each: Sequence[Rest]) -> Rest:
    """The rests of single samples as that of all of them."""
    parts = zip(*((r.x, r.u, r.w) for r in each), strict=True)
    return Rest(*(tuple(map(np.array, zip(*part, strict=True))) for part in parts))


def taken(rest: Rest, chosen: Array, size: int) -> Rest:
    """A batch at rest with those of its samples that are chosen [S], in that order: what another batch begins beside. The size a
    count [1]."""

    def each(values: tuple[Any, ...]) -> tuple[Array, ...]:
        return tuple(np.broadcast_to(v, (size,))[chosen] for v in values)

    return Rest(each(rest.x), each(rest.u), rest.w)


def _sample_of(rest: Rest, sample: int, size: int) -> Rest:
    """One sample of a batch at rest, with plain numbers."""

    def pick(values: tuple[Any, ...]) -> tuple[float, ...]:
        return tuple(float(np.broadcast_to(v, (size,))[sample]) for v in values)

    return Rest(pick(rest.x), pick(rest.u), pick(rest.w))


class RestSearch:
    """The search for one circuit's operating point, of all samples or, without arrays, of one of them; `guess` starts it from a
    point nearby."""

    def __init__(self, system: System, arrays: bool | None = None, sample: int = 0) -> None:
        self.system, self.sample = system, sample
        self.arrays = system.samples > 1 if arrays is None else arrays
        self.program = program_for(system, dynamic=False, arrays=self.arrays)
        self.memories = first_memories(system, self.program)
        drives = (system.b_dc[r] for r in self.program.sources)
        self.b = tuple(v if self.arrays else first(v, sample) for v in drives)

    def run(self, guess: Rest | None = None, sources: Mapping[int, float] | None = None) -> Rest:
        """The operating point; sources replaces right-hand sides by row. Raises ConvergenceError, UnsolvedError.

        Sources in [A] or [V] by row.
        """
        b = self.b
        if sources:
            b = tuple(sources.get(r, v) for r, v in zip(self.program.sources, b, strict=True))
        inputs = inputs_of(self.system, self.program, self.arrays, sample=self.sample)
        with np.errstate(all="ignore"):
            found = self._batch(inputs, b, guess) if self.arrays else self._single(inputs, b, guess)
        if found is None:
            raise ConvergenceError(
                f"no operating point was found for “{self.system.circuit.title}”: {self._culprit(inputs, b)} does not settle; "
                "check its polarity, its bias path and its model",
                element=self._culprit(inputs, b),
            )
        return found

    def _culprit(self, inputs: dict[str, Any], b: tuple[Any, ...]) -> str:
        """The device whose controls still move most after a plain attempt."""
        names = [i.element.name for i in self.system.instances for _ in i.readings]
        if not names:
            return "the circuit"
        try:
            k, start, _ = self.program.set_up(**inputs)
            m = self.program.prepare(k, 0.0)
            with np.errstate(all="ignore"):
                last = self.program.step(k, m, b, (), start, self.memories, 0.0, 0.0, OFF, 40)[3]
                then = self.program.step(k, m, b, (), last, self.memories, 0.0, 0.0, OFF, 2)[3]
        except FAILURES:
            return names[0]
        with np.errstate(all="ignore"):
            apart = [
                np.nan_to_num(np.abs(np.subtract(p, q)), nan=-1.0, posinf=-1.0)
                for p, q in zip(last, then, strict=True)
            ]
        moved = [float(np.max(a)) for a in apart]
        return names[int(np.argmax(moved))] if max(moved) >= 0 else names[0]

    def _attempt(
        self, inputs: dict[str, Any], b: Sequence[Any], start: tuple[Any, ...] | None, shunt: float
    ) -> tuple[Any, Rest] | None:
        """One run of Newton's method: which samples settled, and where; None if it broke off."""
        program = self.program
        try:
            k, fresh, _ = program.set_up(**(inputs | {"s_shunt": shunt}))
            m = program.prepare(k, 0.0)
            ok, _, x, u, _, w = program.step(
                k, m, tuple(b), (), start or fresh, self.memories, 0.0, TOLERANCE, OFF, MOST_ITERATIONS
            )
        except FAILURES:
            return None
        return ok, Rest(x, u, w)

    def _single(self, inputs: dict[str, Any], b: tuple[Any, ...], guess: Rest | None) -> Rest | None:
        for start in self._starts(guess):
            found = self._attempt(inputs, b, start, 0.0)
            if found and found[0] and self._holds(found[1]):
                return found[1]
        for road in (self._shunted, self._ramped):
            found_rest = road(inputs, b)
            if found_rest is not None and self._holds(found_rest):
                return found_rest
        return None

    def _starts(self, guess: Rest | None) -> Iterator[tuple[Any, ...] | None]:
        """Where plain attempts start: nearby, at the junctions' bends, and with relations as without devices."""
        if guess is not None:
            yield guess.u if self.arrays else tuple(first(u, self.sample) for u in guess.u)
        yield None
        if any(r.limit == "none" for i in self.system.instances for r in i.readings):
            near = self._from_linear()
            if near is not None:
                yield near

    def _from_linear(self) -> tuple[Any, ...] | None:
        """Controls to start from: those of relations as they would be if no device carried current."""
        system = self.system
        a = np.zeros((system.size, system.size))
        right = np.zeros(system.size)
        for (i, j), value in system.g.items():
            a[i, j] = first(value, self.sample)
        for row, value in system.b_dc.items():
            right[row] = first(value, self.sample)
        try:
            x = np.linalg.lstsq(a, right, rcond=None)[0]
            _, fresh, _ = self.program.set_up(
                **inputs_of(system, self.program, self.arrays, sample=self.sample)
            )
        except FAILURES:
            return None
        limits = [r.limit for i in system.instances for r in i.readings]
        return tuple(
            float(c) if limit == "none" else f
            for limit, c, f in zip(limits, controls_of(system, x), fresh, strict=True)
        )

    def _holds(self, rest: Rest) -> bool:
        return all(map(math.isfinite, rest.x))

    def _shunted(self, inputs: dict[str, Any], b: tuple[Any, ...]) -> Rest | None:
        start: tuple[Any, ...] | None = None
        for shunt in SHUNTS:
            found = self._attempt(inputs, b, start, shunt)
            if found is None or not np.all(found[0]):
                return None
            start = found[1].u
        return found[1] if found else None

    def _ramped(self, inputs: dict[str, Any], b: tuple[Any, ...]) -> Rest | None:
        start: tuple[Any, ...] | None = None
        for part in RAMP:
            found = self._attempt(inputs, tuple(part * v for v in b), start, 0.0)
            if found is None or not np.all(found[0]):
                return None
            start = found[1].u
        return found[1] if found else None

    def _batch(self, inputs: dict[str, Any], b: tuple[Any, ...], guess: Rest | None) -> Rest | None:
        size = self.system.samples
        settled = np.zeros(size, dtype=bool)
        for start in self._starts(guess):
            found = self._attempt(inputs, b, start, 0.0)
            if found is not None:
                settled = np.broadcast_to(found[0], (size,)) & self._finite(found[1], size)
                if settled.all():
                    return found[1]
        missing = np.flatnonzero(~settled)
        part = {k: _taken(v, missing) for k, v in inputs.items()}
        b_part = tuple(_taken(v, missing) for v in b)
        rest = self._shunted(part, b_part)
        if rest is None:
            rest = self._ramped(part, b_part)
        if rest is None or not self._finite(rest, missing.size).all():
            beside = _sample_of(found[1], int(settled.argmax()), size) if found and settled.any() else None
            rest = self._one_by_one(missing, beside)
        if rest is None:
            return None
        return _merged(found[1] if found else rest, rest, missing, size)

    def _one_by_one(self, samples: Array, beside: Rest | None) -> Rest | None:
        """Some samples, each searched for by itself, first from beside one that has settled; None where one is not found."""
        try:
            each = [RestSearch(self.system, arrays=False, sample=int(k)).run(beside) for k in samples]
        except ConvergenceError:
            return None
        return _together(each)

    def _finite(self, rest: Rest, size: int) -> Array:
        whole = sum(np.abs(v) for v in rest.x)  # finite where each of them is
        return np.broadcast_to(np.isfinite(whole), (size,))


def _taken(value: Any, chosen: Array) -> Any:
    """The chosen samples of a value that may be one for all."""
    return value if np.size(value) == 1 else np.asarray(value)[chosen]


def _merged(whole: Rest, part: Rest, chosen: Array, size: int) -> Rest:
    """A batch with some of its samples replaced."""

    def merge(a: Any, b: Any) -> Array:
        out = np.array(
            np.broadcast_to(a, (size,)) if np.size(a) in (1, size) else np.zeros(size), dtype=float
        )
        out[chosen] = np.broadcast_to(b, chosen.shape)
        return out

    return Rest(
        tuple(map(merge, whole.x, part.x)),
        tuple(map(merge, whole.u, part.u)),
        tuple(map(merge, whole.w, part.w)),
    )
