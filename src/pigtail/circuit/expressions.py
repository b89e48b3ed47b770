"""Arithmetic of deck values: parameters in braces and the relations of B sources, read by a parser of its own.

Grammar, loosest first: choice = or ["?" choice ":" choice]; or = and {"||" and}; and = comparison {"&&" comparison};
comparison = sum [(<|>|<=|>=|==|!=) sum]; sum = product {(+|-) product}; product = power {(*|/) power};
power = unary [(**|^) power]; unary = [+|-|!] atom; atom = number | name | name "(" … ")" | "(" choice ")".
In a relation v(node), v(node,node) and i(source) are atoms too.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from pigtail.circuit.errors import DeckError
from pigtail.circuit.functions import CALLABLE, FUNCTIONS
from pigtail.circuit.numerals import number

Value = float | NDArray[np.float64]
"""One number for all samples, or an array [S]."""

_TOKEN = re.compile(
    r"\s*(?:(\d+\.?\d*|\.\d+)((?:e[+-]?\d+)?[a-zµΩω]*)|([a-z_][\w.#]*)|(\*\*|&&|\|\||[<>=!]=|[-+*/^(),<>?:!]))"
)
_PROBED = re.compile(r"\s*\(\s*([^\s(),]+)\s*(?:,\s*([^\s(),]+)\s*)?\)")
MAX_DEPTH = 60
#: How deep an expression may go as it is written out, so that whatever walks it needs no more of Python's own stack than there is; and how
#: many terms it may have in all.
MAX_LEVELS, MAX_TERMS = 100, 5_000
CONSTANTS = {"pi": np.pi}


class Number(msgspec.Struct, frozen=True):
    """A constant."""

    value: float


class Name(msgspec.Struct, frozen=True):
    """A parameter."""

    name: str


class Probe(msgspec.Struct, frozen=True):
    """What a relation reads off the circuit: `v` between two nodes [V] or `i` through a source [A]."""

    kind: str
    names: tuple[str, ...]


class Call(msgspec.Struct, frozen=True):
    """An operator or a function, by its name in the table of functions, applied to its arguments."""

    function: str
    arguments: tuple[Expression, ...]


Expression = Number | Name | Probe | Call


def parse_value(text: str, line: int = 0) -> Expression:
    """A number, or an expression in braces or quotes; raises DeckError."""
    if len(text) > 1 and (text[0], text[-1]) in (("{", "}"), ("'", "'")):
        return parse_expression(text[1:-1], line)
    return Number(number(text, line))


def parse_expression(text: str, line: int = 0, *, probing: bool = False) -> Expression:
    """An expression; with probing it may read voltages and currents. Raises DeckError."""
    return bounded(_Parser(text, line, probing).whole(), line)


def bounded(expression: Expression, line: int = 0) -> Expression:
    """The expression itself; raises DeckError for one that is too deep or too long to be worked with."""
    if not isinstance(expression, Call):
        return expression
    terms = 0
    level: list[Expression] = [expression]
    for _ in range(MAX_LEVELS):
        terms += len(level)
        level = [a for x in level if isinstance(x, Call) for a in x.arguments]
        if not level:
            return expression
        if terms + len(level) > MAX_TERMS:
            raise DeckError(
                f"an expression comes to more than {MAX_TERMS:,} terms as it is written out; use fewer parameters of others",
                line=line,
            )
    raise DeckError(
        f"an expression goes more than {MAX_LEVELS} terms deep; write parts of it as parameters of their own",
        line=line,
    )


def substitute(expression: Expression, names: Mapping[str, Expression]) -> Expression:
    """The expression with parameters replaced by the expressions they stand for."""
    if isinstance(expression, Name):
        return names.get(expression.name, expression)
    if isinstance(expression, Call):
        return Call(expression.function, tuple(substitute(a, names) for a in expression.arguments))
    return expression


def leaves(expression: Expression) -> Iterator[Name | Probe]:
    """The parameters and probes of an expression, left to right."""
    if isinstance(expression, Call):
        for argument in expression.arguments:
            yield from leaves(argument)
    elif not isinstance(expression, Number):
        yield expression


def evaluate(expression: Expression, names: Mapping[str, Value], line: int = 0) -> Value:
    """Value of an expression, a float or an array [S]; raises DeckError on an unknown name."""
    if isinstance(expression, Number):
        return expression.value
    if isinstance(expression, Name):
        if expression.name not in names:
            raise DeckError(
                f"the parameter {expression.name} has no value; add .param {expression.name}=…", line=line
            )
        return names[expression.name]
    if isinstance(expression, Probe):
        raise DeckError("a voltage or current can be read in a B source only", line=line)
    arguments = [evaluate(a, names, line) for a in expression.arguments]
    with np.errstate(all="ignore"):
        found = FUNCTIONS[expression.function].array(*arguments)
    return float(found) if np.ndim(found) == 0 else np.asarray(found, dtype=float)


Quick = Callable[[Mapping[str, Value]], Value]


def compiled(expression: Expression) -> Quick | None:
    """The expression as a function of the parameters' values, many times quicker than `evaluate`; None for one that probes.

    It raises KeyError for a parameter without a value, and gives numpy's result for arrays.
    """
    functions: list[Any] = []
    text = _as_python(expression, functions)
    if text is None:
        return None
    names = {f"f{k}": f for k, f in enumerate(functions)}
    made: Quick = eval(f"lambda p: {text}", names)  # noqa: S307  our own text: numbers, names in quotes and functions
    return made


def _as_python(expression: Expression, functions: list[Any]) -> str | None:
    if isinstance(expression, Number):
        return repr(expression.value)
    if isinstance(expression, Name):
        return f"p[{expression.name!r}]"
    if isinstance(expression, Probe):
        return None
    parts = [_as_python(a, functions) for a in expression.arguments]
    if any(p is None for p in parts):
        return None
    if expression.function in ("+", "-", "*"):
        return f"({parts[0]}{expression.function}{parts[1]})"
    function = FUNCTIONS[expression.function].array
    if function not in functions:
        functions.append(function)
    return f"f{functions.index(function)}({','.join(p or '' for p in parts)})"


def write(expression: Expression) -> str:
    """The expression as text that parses to the same."""
    if isinstance(expression, Number):
        return repr(expression.value) if expression.value >= 0 else f"({expression.value!r})"
    if isinstance(expression, Name):
        return expression.name
    if isinstance(expression, Probe):
        return f"{expression.kind}({','.join(expression.names)})"
    arguments = [write(a) for a in expression.arguments]
    if FUNCTIONS[expression.function].infix:
        return f"({arguments[0]} {expression.function} {arguments[1]})"
    if expression.function == "neg":
        return f"(-{arguments[0]})"
    return f"{expression.function}({','.join(arguments)})"


class _Parser:
    """Recursive descent over the text."""

    def __init__(self, text: str, line: int, probing: bool) -> None:
        self.text, self.line, self.probing, self.at, self.depth = text, line, probing, 0, 0
        self.tokens = list(self._tokens(text.lower().rstrip()))

    def _tokens(self, text: str) -> Iterator[str | float | Probe]:
        at = 0
        while at < len(text):
            match = _TOKEN.match(text, at)
            if not match:
                raise DeckError(
                    f"“{text[at : at + 20]}” in {{{self.text[:40]}}} is not understood", line=self.line
                )
            at = match.end()
            if match[1] is not None:
                yield number(match[1] + match[2], self.line)
            elif self.probing and match[3] in ("v", "i") and (probed := _PROBED.match(text, at)):
                at = probed.end()
                names = tuple(n for n in probed.groups() if n is not None)
                yield Probe(match[3], tuple("0" if n == "gnd" and match[3] == "v" else n for n in names))
            else:
                yield match[3] or ("**" if match[4] == "^" else match[4])

    def whole(self) -> Expression:
        found = self._choice()
        if self.at != len(self.tokens):
            raise self._wrong()
        return found

    def _wrong(self) -> DeckError:
        return DeckError(f"{{{self.text[:40]}}} is not a complete expression", line=self.line)

    def _peek(self) -> str | float | Probe | None:
        return self.tokens[self.at] if self.at < len(self.tokens) else None

    def _take(self, *wanted: str) -> str | None:
        token = self._peek()
        if isinstance(token, str) and token in wanted:
            self.at += 1
            return token
        return None

    def _choice(self) -> Expression:
        self.depth += 1
        if self.depth > MAX_DEPTH:
            raise DeckError("the expression is nested too deeply", line=self.line)
        found = self._or()
        if self._take("?"):
            yes = self._choice()
            if not self._take(":"):
                raise self._wrong()
            found = Call("if", (found, yes, self._choice()))
        self.depth -= 1
        return found

    def _or(self) -> Expression:
        left = self._and()
        while self._take("||"):
            left = Call("||", (left, self._and()))
        return left

    def _and(self) -> Expression:
        left = self._comparison()
        while self._take("&&"):
            left = Call("&&", (left, self._comparison()))
        return left

    def _comparison(self) -> Expression:
        left = self._sum()
        if operator := self._take("<", ">", "<=", ">=", "==", "!="):
            return Call(operator, (left, self._sum()))
        return left

    def _sum(self) -> Expression:
        left = self._product()
        while operator := self._take("+", "-"):
            left = Call(operator, (left, self._product()))
        return left

    def _product(self) -> Expression:
        left = self._power()
        while operator := self._take("*", "/"):
            left = Call(operator, (left, self._power()))
        return left

    def _power(self) -> Expression:
        exponents = [self._unary()]
        while self._take("**"):
            exponents.append(self._unary())
        found = exponents.pop()
        while exponents:
            found = Call("**", (exponents.pop(), found))
        return found

    def _unary(self) -> Expression:
        signs = 0
        while sign := self._take("+", "-"):
            signs += sign == "-"
        if self._take("!"):
            return Call("==", (self._atom(), Number(0.0)))
        atom = self._atom()
        return Call("neg", (atom,)) if signs % 2 else atom

    def _atom(self) -> Expression:
        token = self._peek()
        self.at += 1
        if isinstance(token, float):
            return Number(token)
        if isinstance(token, Probe):
            return token
        if token == "(":  # noqa: S105  a bracket, not a password
            inner = self._choice()
            if not self._take(")"):
                raise self._wrong()
            return inner
        if isinstance(token, str) and (token[0].isalpha() or token[0] == "_"):
            if self._take("("):
                return self._call(token)
            return Number(CONSTANTS[token]) if token in CONSTANTS else Name(token)
        raise self._wrong()

    def _call(self, name: str) -> Expression:
        if name not in CALLABLE:
            raise DeckError(f"there is no function {name}(); use {', '.join(CALLABLE)}", line=self.line)
        arguments = [self._choice()]
        while self._take(","):
            arguments.append(self._choice())
        count = FUNCTIONS[name].arity
        if not self._take(")") or len(arguments) != count:
            raise DeckError(
                f"{name}() takes {count} argument{'s' if count > 1 else ''} in brackets", line=self.line
            )
        return Call(name, tuple(arguments))
