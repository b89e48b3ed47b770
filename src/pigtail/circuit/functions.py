"""What an expression may call: each function with its array form, its form for single numbers, and its slopes.

The array form is NumPy's. The form for single numbers is a line of Python over names that `scalar_names` provides;
it gives nan where the function has no value, as the array form does. A slope is written in the expression language
itself, with a, b and c for the arguments: the chain rule in `derivatives` puts them together.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import msgspec
import numpy as np

Form = Callable[..., Any]


class MathFunction(msgspec.Struct, frozen=True):
    """One operator or function: how many arguments, its two forms, the slope by each argument, how it is written."""

    arity: int
    array: Form
    scalar: str
    slopes: tuple[str, ...]
    infix: bool = False


def _truth(compare: Form) -> Form:
    return lambda a, b: np.where(compare(a, b), 1.0, 0.0)


def _choose(condition: Any, yes: Any, no: Any) -> Any:
    return np.where(np.asarray(condition) > 0.5, yes, no)


def _guard(function: Form) -> Form:
    """A function of the standard library that gives nan, where it would raise for want of a value."""

    def guarded(*arguments: float) -> float:
        try:
            return float(function(*arguments))
        except ValueError:
            return math.nan

    return guarded


FUNCTIONS: dict[str, MathFunction] = {
    "+": MathFunction(2, np.add, "({a}+{b})", ("1", "1"), infix=True),
    "-": MathFunction(2, np.subtract, "({a}-{b})", ("1", "-1"), infix=True),
    "*": MathFunction(2, np.multiply, "({a}*{b})", ("b", "a"), infix=True),
    "/": MathFunction(2, np.divide, "({a}/{b})", ("1/b", "-a/(b*b)"), infix=True),
    "**": MathFunction(2, np.power, "power({a},{b})", ("b*pow(a,b-1)", "ln(a)*pow(a,b)"), infix=True),
    "neg": MathFunction(1, np.negative, "(-{a})", ("-1",)),
    "<": MathFunction(2, _truth(np.less), "(1.0 if {a}<{b} else 0.0)", ("0", "0"), infix=True),
    ">": MathFunction(2, _truth(np.greater), "(1.0 if {a}>{b} else 0.0)", ("0", "0"), infix=True),
    "<=": MathFunction(2, _truth(np.less_equal), "(1.0 if {a}<={b} else 0.0)", ("0", "0"), infix=True),
    ">=": MathFunction(2, _truth(np.greater_equal), "(1.0 if {a}>={b} else 0.0)", ("0", "0"), infix=True),
    "==": MathFunction(2, _truth(np.equal), "(1.0 if {a}=={b} else 0.0)", ("0", "0"), infix=True),
    "!=": MathFunction(2, _truth(np.not_equal), "(1.0 if {a}!={b} else 0.0)", ("0", "0"), infix=True),
    "&&": MathFunction(2, _truth(np.logical_and), "(1.0 if {a} and {b} else 0.0)", ("0", "0"), infix=True),
    "||": MathFunction(2, _truth(np.logical_or), "(1.0 if {a} or {b} else 0.0)", ("0", "0"), infix=True),
    "if": MathFunction(3, _choose, "({b} if {a}>0.5 else {c})", ("0", "if(a,1,0)", "if(a,0,1)")),
    "min": MathFunction(2, np.minimum, "({a} if {a}<{b} else {b})", ("if(a<b,1,0)", "if(a<b,0,1)")),
    "max": MathFunction(2, np.maximum, "({a} if {a}>{b} else {b})", ("if(a>b,1,0)", "if(a>b,0,1)")),
    "abs": MathFunction(1, np.abs, "abs({a})", ("if(a<0,-1,1)",)),
    "sgn": MathFunction(1, np.sign, "(1.0 if {a}>0 else -1.0 if {a}<0 else 0.0)", ("0",)),
    "sqrt": MathFunction(1, np.sqrt, "sqrt({a})", ("0.5/sqrt(a)",)),
    "exp": MathFunction(1, np.exp, "exp({a})", ("exp(a)",)),
    "ln": MathFunction(1, np.log, "ln({a})", ("1/a",)),
    "log10": MathFunction(1, np.log10, "log10({a})", ("0.4342944819032518/a",)),
    "pow": MathFunction(2, np.power, "power({a},{b})", ("b*pow(a,b-1)", "ln(a)*pow(a,b)")),
    "sin": MathFunction(1, np.sin, "sin({a})", ("cos(a)",)),
    "cos": MathFunction(1, np.cos, "cos({a})", ("-sin(a)",)),
    "tan": MathFunction(1, np.tan, "tan({a})", ("1+tan(a)*tan(a)",)),
    "atan": MathFunction(1, np.arctan, "atan({a})", ("1/(1+a*a)",)),
    "tanh": MathFunction(1, np.tanh, "tanh({a})", ("1-tanh(a)*tanh(a)",)),
}
#: Functions that a deck may call by name.
CALLABLE = tuple(name for name in FUNCTIONS if name.isidentifier() and name != "neg")


def scalar_names() -> dict[str, Form]:
    """The names that the forms for single numbers use."""
    plain: dict[str, Form] = {"exp": math.exp, "sqrt": math.sqrt, "ln": math.log, "log10": math.log10, "power": math.pow,
             "sin": math.sin, "cos": math.cos, "tan": math.tan}  # fmt: skip
    return {name: _guard(f) for name, f in plain.items()} | {
        "exp": math.exp,
        "atan": math.atan,
        "tanh": math.tanh,
        "abs": abs,
    }
