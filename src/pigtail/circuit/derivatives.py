"""The slope of an expression by one of its names, as an expression: the chain rule over the table of functions."""

from __future__ import annotations

from pigtail.circuit.expressions import Call, Expression, Number, parse_expression, substitute
from pigtail.circuit.functions import FUNCTIONS
from pigtail.units.store import remembered

NOUGHT, ONE = Number(0.0), Number(1.0)


@remembered(256)
def _slope(function: str, argument: int) -> Expression:
    return parse_expression(FUNCTIONS[function].slopes[argument])


def derivative(expression: Expression, by: Expression) -> Expression:
    """Slope of an expression by a Name or Probe; exact, and nought where it does not depend on it."""
    if expression == by:
        return ONE
    if not isinstance(expression, Call):
        return NOUGHT
    total: Expression = NOUGHT
    names = dict(zip("abc", expression.arguments, strict=False))
    for k, argument in enumerate(expression.arguments):
        inner = derivative(argument, by)
        if inner != NOUGHT:
            outer = simplified(substitute(_slope(expression.function, k), names))
            total = sum_of(total, product_of(outer, inner))
    return total


def sum_of(a: Expression, b: Expression) -> Expression:
    """a + b without noughts."""
    if a == NOUGHT:
        return b
    return a if b == NOUGHT else Call("+", (a, b))


def product_of(a: Expression, b: Expression) -> Expression:
    """a·b without ones and noughts."""
    if NOUGHT in (a, b):
        return NOUGHT
    if a == ONE:
        return b
    return a if b == ONE else Call("*", (a, b))


def simplified(expression: Expression) -> Expression:
    """The expression with ones and noughts worked out."""
    if not isinstance(expression, Call):
        return expression
    arguments = tuple(simplified(x) for x in expression.arguments)
    match expression.function, arguments:
        case "+", (a, b):
            return sum_of(a, b)
        case "*", (a, b):
            return product_of(a, b)
        case "-", (Number(x), Number(y)):
            return Number(x - y)
        case ("-", (a, Number(0.0))) | (("pow" | "**"), (a, Number(1.0))):
            return a
        case "if", (_, b, c) if b == c:
            return b
        case "neg", (Number(value),):
            return Number(-value)
    return Call(expression.function, arguments)
