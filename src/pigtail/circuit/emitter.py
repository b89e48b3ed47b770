"""Straight-line code: values computed as early as what they depend on allows, each computed once.

A value lives at a level: 0 known once a circuit is set up, 1 once the step of time is chosen, 2 once the time is,
3 in each iteration, 4 after the last. Writing a value puts a line into the section of its level; writing the same
text again gives the same value. Nothing that a deck's author typed enters the text but numbers: names are ours.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec
import numpy as np

from pigtail.circuit.errors import FAILURES
from pigtail.circuit.expressions import Call, Expression, Number
from pigtail.circuit.functions import FUNCTIONS, scalar_names
from pigtail.circuit.limiting import (
    junction_step,
    junction_steps,
    volt_step,
    volt_steps,
    zener_step,
    zener_steps,
)

SET_UP, STEP_SIZE, STEP, ITERATION, AFTER = range(5)


class Value(msgspec.Struct, frozen=True):
    """A variable of the code (or a number), and the level at which it is known."""

    text: str
    level: int = SET_UP


NOUGHT, ONE = Value("0.0"), Value("1.0")


class Emitter:
    """Collects lines by level. Args: arrays tells whether the code will run on arrays or on single numbers."""

    def __init__(self, arrays: bool) -> None:
        self.arrays = arrays
        self.sections: list[list[str]] = [[] for _ in range(AFTER + 1)]
        self.homes: dict[str, int] = {}
        #: Set once the iteration is written: what would belong to it now comes after it.
        self.closing = False
        self._known: dict[str, Value] = {}

    def variable(self, name: str, level: int) -> Value:
        """A variable that is given from outside at a level."""
        self.homes[name] = level
        return Value(name, level)

    def write(self, text: str, *of: Value) -> Value:
        """The value of a text over other values, as a variable."""
        known = self._known.get(text)
        if known is not None:
            return known
        at = max((v.level for v in of), default=SET_UP)
        if self.closing and at == ITERATION:
            at = AFTER
        name = f"n{len(self.homes)}"
        self.homes[name] = at
        self.sections[at].append(f"{name}={text}")
        value = Value(name, at)
        self._known[text] = value
        return value

    def product(self, a: Value, b: Value) -> Value:
        """a·b; a factor of one or minus one takes no multiplication."""
        for one, other in ((a, b), (b, a)):
            if one == ONE:
                return other
            if one.text == "-1.0":
                return self.write(f"-{other.text}", other)
            if one == NOUGHT:
                return NOUGHT
        return self.write(f"{a.text}*{b.text}", a, b)

    def total(self, terms: list[tuple[int, Value]]) -> Value:
        """Sum of signed values; those known early are added early."""
        terms = [t for t in terms if t[1] != NOUGHT]
        if not terms:
            return NOUGHT
        found: Value | None = None
        for level in sorted({v.level for _, v in terms}):
            text = found.text if found else ""
            here = [t for t in terms if t[1].level == level]
            if not found and len(here) == 1 and here[0][0] > 0:
                found = here[0][1]
                continue
            for sign, value in here:
                text += ("+" if sign > 0 and text else "" if sign > 0 else "-") + value.text
            found = self.write(text, *([found] if found else []), *(v for _, v in here))
        return found or NOUGHT

    def formula(self, expression: Expression, names: Mapping[Expression, Value]) -> Value:
        """An expression over named values."""
        if isinstance(expression, Number):
            return Value(repr(float(expression.value)))
        if not isinstance(expression, Call):
            return names[expression]
        arguments = [self.formula(a, names) for a in expression.arguments]
        name = expression.function
        if name == "*":
            return self.product(*arguments)
        if name in ("pow", "**") and arguments[1].text == "2.0":
            return self.product(arguments[0], arguments[0])
        function = FUNCTIONS[name]
        texts = [a.text for a in arguments]
        if not self.arrays or name in ("+", "-", "/", "neg"):
            text = function.scalar.format(**dict(zip("abc", texts, strict=False)))
        else:
            text = f"{_array_name(name)}({','.join(texts)})"
        return self.write(text, *arguments)


def _array_name(function: str) -> str:
    return f"f{list(FUNCTIONS).index(function)}"


def namespace(arrays: bool) -> dict[str, Any]:
    """The names that the code uses beside its variables; nothing else is in its reach."""
    shared: dict[str, Any] = {"__builtins__": {}, "inf": float("inf"), "range": range, "failures": FAILURES}
    if arrays:
        names = {_array_name(name): f.array for name, f in FUNCTIONS.items()}
        limits = {"junction": junction_steps, "zener": zener_steps, "volts": volt_steps}
        return (
            shared
            | names
            | limits
            | {"abs": np.abs, "ln": np.log, "settled": np.all, "least": np.minimum, "greatest": np.maximum}
        )
    limits = {"junction": junction_step, "zener": zener_step, "volts": volt_step}
    return shared | scalar_names() | limits | {"settled": bool}
