"""Newton's method for one circuit as straight-line code: written once for its structure, run for any values.

The code holds three functions. `set_up` takes the values of parts and devices; `prepare` a step size, as the factor
alpha of d/dt; `step` finds the unknowns at one time: it evaluates the devices at their controls, eliminates in the
order of `pivots`, reads the new controls, and repeats until they stand still. The same text runs on floats, for one
circuit, or on arrays [S], for a batch. An elimination of what does not change is thereby done once.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

import msgspec
import numpy as np

from pigtail.circuit.assembly import Parts, assemble
from pigtail.circuit.derivatives import derivative, simplified
from pigtail.circuit.elements import TIME
from pigtail.circuit.elimination import SingularError
from pigtail.circuit.emitter import (
    ITERATION,
    NOUGHT,
    ONE,
    SET_UP,
    STEP,
    STEP_SIZE,
    Emitter,
    Value,
    namespace,
)
from pigtail.circuit.errors import CircuitError
from pigtail.circuit.expressions import Expression, Name, leaves
from pigtail.circuit.instances import DeviceFeed, Instance, Sensed
from pigtail.circuit.pivots import choose_order
from pigtail.circuit.symbolic import Elimination, Terms
from pigtail.circuit.system import System, first
from pigtail.units.store import Store, remembered

#: Conductance of a device and factor of d/dt while the order of elimination is chosen.
NOMINAL_CONDUCTANCE = 1e-9
NOMINAL_ALPHA = 1e5
#: Iterations after which each step is halved, so that a cycle ends.
PATIENCE = 25
#: Iterations after which controls without a rule of their own move by a step that grows shorter.
LATE = 70
Slope = remembered(2048)(lambda expression, by: simplified(derivative(expression, by)))


class Program(msgspec.Struct, frozen=True):
    """The functions of a circuit's code, and what they take.

    set_up takes its inputs by name and returns (K, starting controls, how far each may be guessed ahead); prepare(K, alpha) returns M;
    step(K, M, B, H, U, W, time, tol, off, most) takes right-hand sides, histories, controls and memories in order, and
    ends when junctions stand still within tol·nVt or lie below off·nVt, where their current no longer depends on their
    voltage; it returns whether it settled, the iterations less one, the unknowns, controls, charges and memories.
    march takes (B, time) for each of its equal steps, the coefficients a1 and a2 of the charges one and two steps back,
    these charges, the controls one and two steps back, memories, the edges of guesses, and hands the unknowns to keep.
    sources and stores are the rows of B and H; memories (device number, name) those of W.
    """

    set_up: Callable[..., tuple[Any, Any, Any]]
    prepare: Callable[..., tuple[Any, ...]]
    step: Callable[..., tuple[Any, ...]]
    march: Callable[..., tuple[Any, ...]]
    inputs: tuple[str, ...]
    sources: tuple[int, ...]
    stores: tuple[int, ...]
    memories: tuple[tuple[int, str], ...]
    text: str


class Builder:
    """Writes the code of one circuit."""

    def __init__(self, system: System, *, dynamic: bool, arrays: bool) -> None:
        self.system, self.dynamic = system, dynamic
        self.code = Emitter(arrays)
        self.entries: dict[tuple[int, int], Terms] = {}
        self.right: dict[int, Terms] = {}
        self.moving: set[tuple[int, int]] = set()
        self.fed: set[tuple[int, int]] = set()
        self.storing = {i for i, _ in system.c}
        self.stored: dict[int, list[tuple[DeviceFeed, Value, list[Value]]]] = {}
        self.readings: list[Sensed] = []
        self.old: list[Value] = []
        self.limits: list[tuple[Value, ...]] = []
        self.starts: list[Value] = []
        self.memories: list[tuple[int, str]] = []
        self.remembered: list[Value] = []
        self.surroundings = {k: self.code.variable(f"s_{k}", SET_UP) for k in (*system.surroundings, "shunt")}
        self.alpha = self.code.variable("alpha", STEP_SIZE)
        self.time = self.code.variable("time", STEP)

    def add(self, row: int, column: int, sign: int, value: Value) -> None:
        self.entries.setdefault((row, column), []).append((sign, value))

    def linear(self, units: frozenset[tuple[int, int]]) -> None:
        """Entries of G and C, a shunt at each node of a circuit at rest, right-hand sides."""
        system, code = self.system, self.code
        for (i, j), value in system.g.items():
            if (i, j) in units:
                self.add(i, j, int(first(value)), ONE)
            else:
                self.add(i, j, 1, code.variable(f"g{i}_{j}", SET_UP))
        if self.dynamic:
            for i, j in system.c:
                capacity = code.variable(f"c{i}_{j}", SET_UP)
                self.add(i, j, 1, code.product(self.alpha, capacity))
        else:
            for k in range(len(system.index)):
                self.add(k, k, 1, self.surroundings["shunt"])
        for row in sorted(system.b_dc):
            self.right.setdefault(row, []).append((1, code.variable(f"b{row}", STEP)))

    def devices(self) -> None:
        for number, instance in enumerate(self.system.instances):
            self.device(number, instance)

    def names(self, number: int, instance: Instance) -> dict[Expression, Value]:
        """What the formulas of a device call things."""
        code = self.code
        names: dict[Expression, Value] = {Name(k): v for k, v in self.surroundings.items()}
        names[TIME] = self.time
        used = {x.name for e in _formulas(instance) for x in leaves(e) if isinstance(x, Name)}
        for name in instance.parameters:
            if name in used:
                names[Name(name)] = code.variable(f"p{number}_{name}", SET_UP)
        for name, _ in instance.memory:
            names[Name(name)] = code.variable(f"w{len(self.memories)}", STEP)
            self.memories.append((number, name))
        for reading in instance.readings:
            names[reading.name] = code.variable(f"u{len(self.old)}", ITERATION)
            self.old.append(names[reading.name])
            self.readings.append(reading)
        return names

    def device(self, number: int, instance: Instance) -> None:
        code = self.code
        names = self.names(number, instance)
        for reading in instance.readings:
            limits = tuple(
                code.formula(e, names) for e in (reading.scale, reading.saturation) if e is not None
            )
            if reading.limit == "junction":
                scale, saturation = limits
                critical = code.write(
                    f"{scale.text}*ln({scale.text}/(1.4142135623730951*{saturation.text}))", scale, saturation
                )
                limits = (scale, critical, *((names[Name(reading.breakdown)],) if reading.breakdown else ()))
                self.starts.append(critical if reading.starts_on else NOUGHT)
            else:
                self.starts.append(NOUGHT)
            self.limits.append(limits)
        for feed in instance.feeds:
            self.feed(number, instance, feed, names)
        for _, formula in instance.memory:
            self.remembered.append(code.formula(formula, names))

    def feed(self, number: int, instance: Instance, feed: DeviceFeed, names: dict[Expression, Value]) -> None:
        """One branch of a device: its line at the present controls goes into the equations."""
        for formula, factor in ((feed.current, ONE), (feed.charge, self.alpha)):
            if formula is None or (factor is self.alpha and not self.dynamic):
                continue
            code = self.code
            slopes = [code.formula(Slope(formula, r.name), names) for r in instance.readings]
            value = code.formula(formula, names)
            if all(slope.level < ITERATION for slope in slopes):
                line: Terms = [
                    (1, code.formula(formula, names | {r.name: NOUGHT for r in instance.readings}))
                ]
            else:
                line = [(1, value)]
                for reading, slope in zip(instance.readings, slopes, strict=True):
                    line.append((-1, code.product(slope, names[reading.name])))
            steady = not instance.element.kind.startswith("b")
            for reading, slope in zip(instance.readings, slopes, strict=True):
                if slope != NOUGHT:
                    self.slope(feed, reading, code.product(factor, slope), steady=steady)
            constant = code.product(factor, code.total(line))
            if constant != NOUGHT:
                for row, sign in feed.rows:
                    self.right.setdefault(row, []).append((-sign, constant))
            if factor is self.alpha:
                self.stored.setdefault(number, []).append((feed, value, slopes))
                self.storing |= {row for row, _ in feed.rows}

    def slope(self, feed: DeviceFeed, reading: Sensed, slope: Value, *, steady: bool) -> None:
        """A slope's place in the equations; that of a relation may be nought, and is no pivot to rely on but on the diagonal."""
        for row, sign in feed.rows:
            for column, way in ((reading.plus, 1), (reading.minus, -1)):
                if column is not None:
                    self.add(row, column, sign * way * reading.sign, slope)
                    if steady or row == column:
                        self.fed.add((row, column))
                    if slope.level >= ITERATION:
                        self.moving.add((row, column))

    def histories(self) -> list[int]:
        """Rows in which charge or flux is stored, each with its history as a right-hand side."""
        rows = sorted(self.storing)
        for row in rows:
            self.right.setdefault(row, []).append((-1, self.code.variable(f"h{row}", STEP)))
        return rows

    def order(self) -> list[tuple[int, int]]:
        """The order of elimination, from the values of the first sample and devices that are off."""
        nominal: dict[tuple[int, int], float] = dict.fromkeys(self.entries, 0.0)
        for place, value in self.system.g.items():
            nominal[place] += first(value)
        if self.dynamic:
            for place, value in self.system.c.items():
                nominal[place] += NOMINAL_ALPHA * first(value)
        for k, place in enumerate(sorted(self.fed)):
            sign = 1.0 if place[0] == place[1] else -1.0
            nominal[place] += sign * NOMINAL_CONDUCTANCE * (1 + 0.01 * k)
        if not self.dynamic:
            for k in range(len(self.system.index)):
                nominal[k, k] = nominal.get((k, k), 0.0) + 1e-3 * NOMINAL_CONDUCTANCE
        return choose_order(self.system.size, nominal, frozenset(self.moving))

    def build(self, units: frozenset[tuple[int, int]]) -> Program:
        """Write all of it; raises SingularError."""
        code = self.code
        self.linear(units)
        self.devices()
        stores = self.histories() if self.dynamic else []
        solution = Elimination(code, self.entries, self.right, self.order())
        news = [self.reading(solution, r) for r in self.readings]
        test, moves = self.test(news), self.moves(news)
        code.closing = True
        unknowns = [solution.unknown(k) for k in range(self.system.size)]
        charges = [self.charge(row, unknowns, news) for row in stores]
        edges = [
            limits[1].text if r.limit == "junction" else "inf"
            for r, limits in zip(self.readings, self.limits, strict=True)
        ]
        parts = Parts(
            code,
            [v.text for v in self.starts],
            edges,
            [v.text for v in self.old],
            test,
            moves,
            [v.text for v in unknowns],
            [v.text for v in news],
            tuple(stores),
            [v.text for v in charges],
            [v.text for v in self.remembered],
        )
        text = assemble(parts)
        names = namespace(code.arrays)
        exec(compile(text, "<circuit>", "exec"), names)  # noqa: S102  our own text: see emitter
        return Program(
            names["set_up"],
            names["prepare"],
            names["step"],
            names["march"],
            tuple(parts.inputs()),
            tuple(sorted(self.system.b_dc)),
            tuple(stores),
            tuple(self.memories),
            text,
        )

    def reading(self, solution: Elimination, reading: Sensed) -> Value:
        """A control as the solution has it."""
        ends = ((reading.plus, reading.sign), (reading.minus, -reading.sign))
        terms = [(sign, solution.unknown(end)) for end, sign in ends if end is not None]
        return self.code.total(terms)

    def charge(self, row: int, unknowns: list[Value], news: list[Value]) -> Value:
        """Charge or flux of a row at the solution."""
        code = self.code
        terms: Terms = [
            (1, code.product(code.variable(f"c{i}_{j}", SET_UP), unknowns[j]))
            for i, j in self.system.c
            if i == row
        ]
        at = 0
        for number, instance in enumerate(self.system.instances):
            here = slice(at, at + len(instance.readings))
            at = here.stop
            for feed, value, slopes in self.stored.get(number, []):
                line: Terms = [(1, value)]
                for slope, new, old in zip(slopes, news[here], self.old[here], strict=True):
                    if slope != NOUGHT:
                        change = code.write(f"{new.text}-{old.text}", new, old)
                        line.append((1, code.product(slope, change)))
                total = code.total(line)
                terms += [(sign, total) for r, sign in feed.rows if r == row]
        return code.total(terms)

    def test(self, news: list[Value]) -> str:
        """Whether every control stands still; a junction that is off may wander."""
        checks = []
        for reading, limits, new, old in zip(self.readings, self.limits, news, self.old, strict=True):
            a, b = new.text, old.text
            if reading.limit == "junction":
                scale = limits[0].text
                off = (
                    ""
                    if reading.breakdown
                    else f" {self.either} ({a}<off*{scale}) {self.both} ({b}<off*{scale})"
                )
                checks.append(f"((abs({a}-{b})<=tol*{scale}){off})")
            else:
                checks.append(f"(abs({a}-{b})<=tol*(1e-4+0.05*abs({a})))")
        return f" {self.both} ".join(checks)

    @property
    def both(self) -> str:
        return "&" if self.code.arrays else "and"

    @property
    def either(self) -> str:
        return "|" if self.code.arrays else "or"

    def moves(self, news: list[Value]) -> list[str]:
        """The controls of the next iteration."""
        lines = []
        for k, (reading, limits, new, old) in enumerate(
            zip(self.readings, self.limits, news, self.old, strict=True)
        ):
            a, b = new.text, old.text
            if reading.limit == "junction":
                rest = ",".join(v.text for v in limits)
                rule = "zener" if reading.breakdown else "junction"
                text = f"{rule}({a},{b},{rest})"
                if not self.code.arrays and not reading.breakdown:
                    text = f"{a} if {a}<={limits[1].text} else {text}"
            elif reading.limit == "step":
                text = f"volts({a},{b})"
            else:
                text = a
            lines.append(f"v{k}={text}")
        free = [k for k, reading in enumerate(self.readings) if reading.limit == "none"]
        if free:
            lines += [f"if n>{LATE}:", f" part={PATIENCE}/(8*n-{8 * LATE - PATIENCE})"]
            lines += [f" v{k}=volts(v{k},{self.old[k].text},part)" for k in free]
        lines.append(f"if n>{PATIENCE}:")
        lines += [f" v{k}=0.5*(v{k}+{old.text})" for k, old in enumerate(self.old)]
        lines += [f"{old.text}=v{k}" for k, old in enumerate(self.old)]
        return lines


def _formulas(instance: Instance) -> Iterable[Expression]:
    """All formulas of a device."""
    for reading in instance.readings:
        yield from (e for e in (reading.scale, reading.saturation) if e is not None)
        if reading.breakdown:
            yield Name(reading.breakdown)
    for feed in instance.feeds:
        yield from (e for e in (feed.current, feed.charge) if e is not None)
    yield from (e for _, e in instance.memory)


#: The most unknowns of a circuit whose code is written out.
MOST_UNKNOWNS = 1_000


def program_for(system: System, *, dynamic: bool, arrays: bool) -> Program:
    """The code of a circuit: kept, since circuits of one structure share it. Raises UnsolvedError."""
    if system.size > MOST_UNKNOWNS:
        raise CircuitError(
            f"a circuit with devices, or a run in time, may have {MOST_UNKNOWNS:,} unknowns here and this one has {system.size:,}; "
            "solve it in parts"
        )
    incidence = [(i, j) for i, j in system.g if max(i, j) >= len(system.index)]
    units = frozenset(p for p in incidence if _is_one(system.g[p]))
    key = (system.circuit.structure, dynamic, arrays, units)
    program = _PROGRAMS.get(key)
    if program is None:
        try:
            program = _PROGRAMS.put(key, Builder(system, dynamic=dynamic, arrays=arrays).build(units))
        except SingularError as error:
            raise system.unsolvable(error.unknown) from error
    return program


def _is_one(value: Any) -> bool:
    """Whether a value is ±1 in all samples."""
    return abs(value) == 1.0 if isinstance(value, float) else bool(np.all(np.abs(value) == 1))


_PROGRAMS: Store[object, Program] = Store(f"{__name__}._PROGRAMS", 64)
