"""What expressions are made of: both forms of each function, their slopes, and how Newton's steps are shortened."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pigtail.circuit import DeckError
from pigtail.circuit.derivatives import derivative
from pigtail.circuit.expressions import Call, Name, evaluate, parse_expression, parse_value, write
from pigtail.circuit.functions import CALLABLE, FUNCTIONS, scalar_names
from pigtail.circuit.limiting import (
    junction_step,
    junction_steps,
    volt_step,
    volt_steps,
    zener_step,
    zener_steps,
)

ARGUMENTS = [(0.3, 1.7, -0.4), (1.0, 0.0, 2.0), (2.5, 2.5, 1.0), (0.9, -1.2, 3.0)]
#: Functions with a slope that a difference quotient can find near the arguments used here.
SMOOTH = ["+", "-", "*", "/", "**", "neg", "abs", "sqrt", "exp", "ln", "log10", "pow", "sin", "cos", "tan", "atan", "tanh", "min", "max"]  # fmt: skip


def scalar(name: str, arguments: tuple[float, ...]) -> float:
    """The form for single numbers, as the written-out code uses it."""
    text = FUNCTIONS[name].scalar.format(**dict(zip("abc", map(repr, arguments), strict=False)))
    return float(eval(text, {"__builtins__": {}, "inf": math.inf} | scalar_names()))


@pytest.mark.parametrize("name", FUNCTIONS)
@pytest.mark.parametrize("arguments", ARGUMENTS)
def test_both_forms_of_a_function_agree(name: str, arguments: tuple[float, ...]) -> None:
    """The form for arrays and the form for single numbers give the same number, or both none."""
    arguments = arguments[: FUNCTIONS[name].arity]
    with np.errstate(all="ignore"):
        array = float(FUNCTIONS[name].array(*arguments))
    try:
        single = scalar(name, arguments)
    except ZeroDivisionError:
        single = math.nan
        array = math.nan if math.isinf(array) else array
    assert single == pytest.approx(array, rel=1e-14, nan_ok=True)


@pytest.mark.parametrize("name", SMOOTH)
@pytest.mark.parametrize("argument", [0, 1])
def test_slopes_are_those_of_a_difference_quotient(name: str, argument: int) -> None:
    """Each slope in the table agrees with (f(a + h) − f(a − h))/2h."""
    function = FUNCTIONS[name]
    if argument >= function.arity:
        pytest.skip("the function has one argument")
    names = [Name("x"), Name("y")][: function.arity]
    call = Call(name, tuple(names))
    slope = derivative(call, names[argument])
    at = {"x": 0.7, "y": 1.3}
    h = 1e-6
    up = evaluate(call, at | {names[argument].name: at[names[argument].name] + h})
    down = evaluate(call, at | {names[argument].name: at[names[argument].name] - h})
    assert evaluate(slope, at) == pytest.approx((up - down) / (2 * h), rel=1e-7, abs=1e-9)


def test_a_slope_follows_the_chain_and_the_choice() -> None:
    """d/dx of a nested relation, on either side of a choice; nought by a name that does not occur."""
    relation = parse_expression("if(x>2, sin(x*x), exp(-x)*y)")
    slope = derivative(relation, Name("x"))
    assert evaluate(slope, {"x": 3.0, "y": 5.0}) == pytest.approx(6 * math.cos(9))
    assert evaluate(slope, {"x": 1.0, "y": 5.0}) == pytest.approx(-5 * math.exp(-1))
    assert evaluate(derivative(relation, Name("z")), {"x": 1.0, "y": 5.0}) == 0.0


@pytest.mark.parametrize(
    ("text", "value"),
    [("{1 ? 2 : 3}", 2.0), ("{0 ? 2 : 3}", 3.0), ("{3>2 && 2>3}", 0.0), ("{3>2 || 2>3}", 1.0), ("{!0}", 1.0), ("{2>=2}", 1.0), ("{2!=2}", 0.0),
     ("{if(1<2, 5, 7)}", 5.0), ("{pi}", math.pi), ("{1k*2u}", 2e-3), ("{2^3}", 8.0), ("{ln(exp(2))}", 2.0), ("'3*4'", 12.0), ("{-2*-3}", 6.0),
     ("{min(4, max(1, 2))}", 2.0), ("{1 > 0 ? 2 > 1 ? 4 : 5 : 6}", 4.0), ("{10-4-3}", 3.0), ("{16/4/2}", 2.0), ("{atan(1)*4}", math.pi)],
)  # fmt: skip
def test_expressions_follow_their_grammar(text: str, value: float) -> None:
    """Choices, comparisons and calls; what is written out reads back to the same."""
    expression = parse_value(text)
    assert evaluate(expression, {}) == pytest.approx(value)
    assert evaluate(parse_expression(write(expression)), {}) == pytest.approx(value)


@pytest.mark.parametrize(
    "text", ["{", "{}", "{1 +}", "{(1}", "{1)}", "{a b}", "{sin()}", "{sin(1,2)}", "{1 ? 2}", "{v(a)}", "{__import__}", "{x.__class__}", "{[1]}"]
)  # fmt: skip
def test_what_is_no_expression_is_refused(text: str) -> None:
    """Every slip of the pen, and every reach for the language beneath, is a DeckError."""
    with pytest.raises(DeckError):
        evaluate(parse_value(text), {})


def test_names_may_be_arrays_of_samples() -> None:
    """An expression of arrays is an array; a choice is taken sample by sample."""
    found = evaluate(parse_value("{if(a>1, a*k, 0)}"), {"a": np.array([0.5, 2.0, 3.0]), "k": 10.0})
    assert found == pytest.approx([0.0, 20.0, 30.0])


def test_every_function_may_be_called_or_is_an_operator() -> None:
    """The deck's names and the operators are the whole table."""
    operators = {name for name, f in FUNCTIONS.items() if f.infix} | {"neg"}
    assert set(CALLABLE) | operators == set(FUNCTIONS)


volts = st.floats(-30.0, 30.0)


@settings(max_examples=200, deadline=None)
@given(volts, volts, st.sampled_from([0.02585, 0.0517]), st.floats(0.4, 0.9))
def test_limits_for_arrays_and_single_numbers_agree(
    new: float, old: float, scale: float, critical: float
) -> None:
    """A junction, a junction that breaks down and a gate: the same next step either way."""
    one = np.array([new, new]), np.array([old, old])
    assert junction_steps(*one, np.array(scale), np.array(critical))[1] == pytest.approx(
        junction_step(new, old, scale, critical)
    )
    assert zener_steps(*one, np.array(scale), np.array(critical), np.array(5.1))[0] == pytest.approx(
        zener_step(new, old, scale, critical, 5.1)
    )
    assert volt_steps(*one)[0] == pytest.approx(volt_step(new, old))


@settings(max_examples=200, deadline=None)
@given(volts, volts)
def test_a_junction_never_moves_beyond_what_newton_asked(new: float, old: float) -> None:
    """A limited step lies between where the junction is and where it was to go, or at the bend of its curve."""
    step = junction_step(new, old, 0.02585, 0.6)
    assert min(new, old, 0.6) - 1e-12 <= step <= max(new, old, 0.6) + 1e-12
    if new <= 0.6:
        assert step == new
