"""Spread: corners are the true extremes, what is not known is named, bases weaken."""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.model.spread import Samples, estimate
from pigtail.studies.findings import Severity, at_least, at_most, graded, within
from pigtail.units import Basis, Known

WANTED = {"y": Wanted("V", "the result")}


def _input(name: str, low: float, nominal: float, high: float, basis: Basis = Basis.DOCUMENTED) -> Input:
    known = Known(nominal=nominal, low=low, high=high, unit="Ω", basis=basis)
    return Input(name, name, known, (0.1, 10.0), "", "")


@given(st.lists(st.tuples(st.floats(1.0, 1e4), st.floats(0.0, 0.5)), min_size=4, max_size=4))
def test_the_spread_of_a_loaded_pad_is_that_of_all_its_corners(values: list[tuple[float, float]]) -> None:
    """Two more samples find the extremes that a search of all sixteen corners finds."""
    inputs = [_input(f"r{k}", v * (1 - t), v, v * (1 + t)) for k, (v, t) in enumerate(values)]

    def solve(s: Samples) -> dict[str, Any]:
        load = s["r2"] * s["r3"] / (s["r2"] + s["r3"])
        return {"y": load / (s["r0"] + s["r1"] + load)}

    found = estimate(inputs, solve, WANTED)["y"]
    corners = [
        float(solve({i.name: np.array([x]) for i, x in zip(inputs, corner, strict=True)})["y"][0])
        for corner in itertools.product(*[(i.ends[0], i.ends[2]) for i in inputs])
    ]
    assert found.low == pytest.approx(min(corners), rel=1e-9)
    assert found.high == pytest.approx(max(corners), rel=1e-9)


def test_a_value_not_known_that_matters_makes_the_result_unknown_and_is_named() -> None:
    """No made-up default passes for a result."""
    inputs = [_input("a", 1, 2, 3), Input("b", "the load", None, (1.0, 100.0), "", "")]
    found = estimate(inputs, lambda s: {"y": s["a"] / s["b"]}, WANTED)["y"]
    assert found.value is None
    assert [i.words for i in found.missing] == ["the load"]
    assert found.basis is Basis.UNKNOWN
    assert found.text() == "unknown"


def test_a_value_not_known_that_does_not_matter_is_left_out() -> None:
    """A result that the missing value does not move is still told."""
    inputs = [_input("a", 1, 2, 3), Input("b", "elsewhere", None, (1.0, 100.0), "", "")]
    found = estimate(inputs, lambda s: {"y": s["a"] + 1e-9 * s["b"]}, WANTED)["y"]
    assert found.value == pytest.approx(2.0, rel=1e-6)
    assert found.missing == ()


def test_the_basis_is_the_weakest_of_what_tells_and_the_widest_comes_first() -> None:
    """A guess that moves nothing does not weaken the result; the greatest mover leads."""
    inputs = [
        _input("small", 0.99, 1, 1.01, Basis.MEASURED),
        _input("large", 1, 2, 3, Basis.TYPICAL),
        _input("idle", 1, 5, 9, Basis.GUESSED),
    ]
    found = estimate(inputs, lambda s: {"y": s["small"] + s["large"] + 0 * s["idle"]}, WANTED)["y"]
    assert found.basis is Basis.TYPICAL
    assert found.leading[0].name == "large"


def _estimate(low: float, value: float | None, high: float) -> Estimate:
    return Estimate(value, low, high, "V", Basis.TYPICAL, "x")


@pytest.mark.parametrize(
    ("low", "value", "high", "severity"),
    [(2, 3, 4, Severity.GOOD), (0.5, 1.5, 4, Severity.WATCH), (-3, -2, -1, Severity.FIX), (-1, 1.5, 3, Severity.UNKNOWN),
     (-1, -0.5, 0.1, Severity.UNKNOWN)],
)  # fmt: skip
def test_a_verdict_that_the_spread_straddles_is_unknown(
    low: float, value: float, high: float, severity: Severity
) -> None:
    """Good from 1 up, watch from 0 up: across 0 nothing can be told."""
    assert graded(_estimate(low, value, high), at_least(1.0, 0.0)) is severity


def test_grades_take_their_limits_as_inside() -> None:
    """At the limit it still holds; within ± counts both ways, and an interval across nought holds nought."""
    assert at_most(1.0, 2.0)(1.0) is Severity.GOOD
    assert within(1.0, 2.0)(-2.0) is Severity.WATCH
    assert graded(_estimate(-9, -8, 9), within(1.0, 2.0)) is Severity.UNKNOWN
    assert graded(_estimate(0.5, None, 1), at_least(0.0, 0.0)) is Severity.UNKNOWN


def test_an_allowance_takes_the_good_limit_at_the_nominal_value() -> None:
    """A reserve asked for is not asked for twice; what works at all is still judged over the whole spread."""
    grade = at_least(0.3, 0.0)
    assert graded(_estimate(0.2, 0.31, 0.4), grade, allowance=True) is Severity.GOOD
    assert graded(_estimate(0.2, 0.29, 0.4), grade, allowance=True) is Severity.WATCH
    assert graded(_estimate(-0.1, 0.31, 0.4), grade, allowance=True) is Severity.UNKNOWN
