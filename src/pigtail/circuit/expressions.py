"""Arithmetic of deck values: numbers with SPICE suffixes, parameters and braces, read by a parser of its own.

Grammar: sum = product {(+|-) product}; product = power {(*|/) power}; power = unary ["**" power];
unary = [+|-] atom; atom = number | name | name "(" sum {"," sum} ")" | "(" sum ")".
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping

import msgspec
import numpy as np
from numpy.typing import NDArray

from pigtail.circuit.errors import DeckError

Value = NDArray[np.float64]
#: SPICE suffixes: case does not matter, M is milli and MEG is mega.
SUFFIXES = {"t": 1e12, "g": 1e9, "meg": 1e6, "k": 1e3, "m": 1e-3, "u": 1e-6, "µ": 1e-6, "n": 1e-9,
            "p": 1e-12, "f": 1e-15}  # fmt: skip
_NUMBER = re.compile(r"([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d{1,3})?)\s*(t|g|meg|k|m|u|µ|n|p|f)?([a-zµΩ°]*)")
_TOKEN = re.compile(r"\s*(?:(\d+\.?\d*|\.\d+)((?:e[+-]?\d+)?[a-zµΩ]*)|([a-z_]\w*)|(\*\*|[-+*/(),]))")
MAX_DEPTH = 60

FUNCTIONS: dict[str, tuple[int, Callable[..., Value]]] = {
    "min": (2, np.minimum),
    "max": (2, np.maximum),
    "abs": (1, np.abs),
    "sqrt": (1, np.sqrt),
    "exp": (1, np.exp),
    "ln": (1, np.log),
    "pow": (2, np.power),
}
OPERATORS: dict[str, Callable[..., Value]] = {
    "+": np.add,
    "-": np.subtract,
    "*": np.multiply,
    "/": np.divide,
    "**": np.power,
}


class Number(msgspec.Struct, frozen=True):
    """A constant."""

    value: float


class Name(msgspec.Struct, frozen=True):
    """A parameter."""

    name: str


class Call(msgspec.Struct, frozen=True):
    """An operator or a function applied to its arguments."""

    function: Callable[..., Value]
    arguments: tuple[Expression, ...]


Expression = Number | Name | Call


def number(text: str, line: int = 0) -> float:
    """Value of a SPICE number such as `4.7u`, `1meg` or `10kOhm`; raises DeckError.

    >>> number("1meg"), number("10mV")
    (1000000.0, 0.01)
    """
    match = _NUMBER.fullmatch(text.strip().lower())
    if not match:
        raise DeckError(f"“{text[:40]}” is no number; write one such as 4.7u, 1meg or {{rload}}", line=line)
    return float(match[1]) * SUFFIXES.get(match[2] or "", 1.0)


def parse_value(text: str, line: int = 0) -> Expression:
    """A number, or an expression in braces; raises DeckError."""
    if text.startswith("{") and text.endswith("}"):
        return _Parser(text[1:-1], line).whole()
    return Number(number(text, line))


def substitute(expression: Expression, names: Mapping[str, Expression]) -> Expression:
    """The expression with parameters replaced by the expressions they stand for."""
    if isinstance(expression, Name):
        return names.get(expression.name, expression)
    if isinstance(expression, Call):
        return Call(expression.function, tuple(substitute(a, names) for a in expression.arguments))
    return expression


def evaluate(expression: Expression, names: Mapping[str, Value], line: int = 0) -> Value:
    """Value of an expression, one a sample [S] or a scalar array; raises DeckError on an unknown name."""
    if isinstance(expression, Number):
        return np.asarray(expression.value)
    if isinstance(expression, Name):
        if expression.name not in names:
            raise DeckError(
                f"the parameter {expression.name} has no value; add .param {expression.name}=…", line=line
            )
        return names[expression.name]
    arguments = [evaluate(a, names, line) for a in expression.arguments]
    with np.errstate(all="ignore"):
        return np.asarray(expression.function(*arguments), dtype=float)


class _Parser:
    """Recursive descent over the text inside braces."""

    def __init__(self, text: str, line: int) -> None:
        self.text, self.line, self.at, self.depth = text, line, 0, 0
        self.tokens = self._tokens(text.lower())

    def _tokens(self, text: str) -> list[str | float]:
        tokens: list[str | float] = []
        at = 0
        text = text.rstrip()
        while at < len(text):
            match = _TOKEN.match(text, at)
            if not match:
                raise DeckError(
                    f"“{text[at : at + 20]}” in {{{self.text[:40]}}} is not understood", line=self.line
                )
            if match[1] is not None:
                tokens.append(number(match[1] + match[2], self.line))
            else:
                tokens.append(match[3] or match[4])
            at = match.end()
        return tokens

    def whole(self) -> Expression:
        found = self._sum()
        if self.at != len(self.tokens):
            raise self._wrong()
        return found

    def _wrong(self) -> DeckError:
        return DeckError(f"{{{self.text[:40]}}} is not a complete expression", line=self.line)

    def _peek(self) -> str | float | None:
        return self.tokens[self.at] if self.at < len(self.tokens) else None

    def _take(self, *wanted: str) -> str | None:
        token = self._peek()
        if isinstance(token, str) and token in wanted:
            self.at += 1
            return token
        return None

    def _sum(self) -> Expression:
        self.depth += 1
        if self.depth > MAX_DEPTH:
            raise DeckError("the expression is nested too deeply", line=self.line)
        left = self._product()
        while operator := self._take("+", "-"):
            left = Call(OPERATORS[operator], (left, self._product()))
        self.depth -= 1
        return left

    def _product(self) -> Expression:
        left = self._power()
        while operator := self._take("*", "/"):
            left = Call(OPERATORS[operator], (left, self._power()))
        return left

    def _power(self) -> Expression:
        base = self._unary()
        if self._take("**"):
            return Call(np.power, (base, self._power()))
        return base

    def _unary(self) -> Expression:
        signs = 0
        while sign := self._take("+", "-"):
            signs += sign == "-"
        atom = self._atom()
        return Call(np.negative, (atom,)) if signs % 2 else atom

    def _atom(self) -> Expression:
        token = self._peek()
        self.at += 1
        if isinstance(token, float):
            return Number(token)
        if token == "(":  # noqa: S105  a bracket, not a password
            inner = self._sum()
            if not self._take(")"):
                raise self._wrong()
            return inner
        if isinstance(token, str) and token.isidentifier():
            return self._call(token) if self._take("(") else Name(token)
        raise self._wrong()

    def _call(self, name: str) -> Expression:
        if name not in FUNCTIONS:
            raise DeckError(f"there is no function {name}(); use {', '.join(FUNCTIONS)}", line=self.line)
        arguments = [self._sum()]
        while self._take(","):
            arguments.append(self._sum())
        count, function = FUNCTIONS[name]
        if not self._take(")") or len(arguments) != count:
            raise DeckError(
                f"{name}() takes {count} argument{'s' if count > 1 else ''} in brackets", line=self.line
            )
        return Call(function, tuple(arguments))
