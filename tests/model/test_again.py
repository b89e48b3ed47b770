"""Estimates that begin with what the last one found: the same as from scratch, in one batch, whatever has changed since."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from feeds import known
from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.model.spread import Hints, Samples, estimate, estimate_again

WANTED = {"level": Wanted("dB", "the level"), "current": Wanted("A", "the current")}


class Divider:
    """A divider with a source, and a part that does nothing; counts how often it is solved."""

    def __init__(self) -> None:
        self.solved = 0

    def __call__(self, s: Samples) -> Samples:
        import numpy as np

        self.solved += 1
        below = s["r2"] * s["load"] / (s["r2"] + s["load"])
        part = below / (s["r1"] + below)
        return {
            "level": 20 * np.log10(s["emf"] * part),
            "current": s["emf"] / (s["r1"] + below) + 0 * s["idle"],
        }


class Turning:
    """A sum whose first term counts one way or the other; counts how often it is solved."""

    def __init__(self, sign: float) -> None:
        self.sign, self.solved = sign, 0

    def __call__(self, s: Samples) -> Samples:
        self.solved += 1
        return {"y": 10.0 + self.sign * s["a"] - s["b"]}


def inputs(r1: float, r2: float, load: float | None = 47e3) -> list[Input]:
    """The inputs of the divider."""
    return [
        Input("emf", "e.m.f.", known(1.0, "V", 0.1), (0.1, 10), "x", "emf"),
        Input("r1", "R1", known(r1, "Ω", 0.05), (1, 1e6), "x", "r1"),
        Input("r2", "R2", known(r2, "Ω", 0.05), (1, 1e6), "x", "r2"),
        Input("load", "load", known(load, "Ω", 0.2) if load else None, (1e3, 1e6), "x", "load"),
        Input("idle", "idle", known(5.0, "Ω", 0.5), (1, 10), "x", "idle"),
    ]


def ends(e: Estimate) -> tuple[float | None, float, float]:
    """Value and ends."""
    return e.value, e.low, e.high


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.floats(10, 1e5), st.floats(10, 1e5)), min_size=2, max_size=5))
def test_again_is_as_from_scratch(turns: list[tuple[float, float]]) -> None:
    """Values turned one after another: each estimate is that of a fresh one, and takes one batch where they are near."""
    solve, hints = Divider(), Hints()
    for r1, r2 in turns:
        before, near = solve.solved, hints.fit(inputs(r1, r2), WANTED)
        again = estimate_again(inputs(r1, r2), solve, WANTED, hints)
        fresh = estimate(inputs(r1, r2), Divider(), WANTED)
        for name in WANTED:
            assert ends(again[name]) == pytest.approx(ends(fresh[name]), rel=1e-3, abs=1e-2)
            assert again[name].basis is fresh[name].basis
        assert solve.solved - before <= (1 if near else 2)


def test_the_corners_are_solved_with_the_moves_where_directions_are_as_they_were_and_anew_where_not() -> None:
    """Which way each input moves the level is tried as it came out last: one batch instead of two, and the same to the digit.
    Where a direction has turned, the corners are those of the new one."""

    batches, found = [], []
    for sign in (1.0, 1.0, -1.0, -1.0, 1.0):
        solve = Turning(sign)
        each = [Input(n, n, known(1.0, "V", 0.1), (0, 2), "turning", n) for n in ("a", "b")]
        found.append(ends(estimate(each, solve, {"y": Wanted("V", "y")})["y"]))
        batches.append(solve.solved)
    assert batches == [2, 1, 2, 1, 2]
    assert found[0] == found[1] == found[4] == pytest.approx((10.0, 9.8, 10.2))
    assert found[2] == found[3] == pytest.approx((8.0, 7.8, 8.2))


def test_what_moves_nothing_is_left_out_and_what_is_not_known_never() -> None:
    """The idle part is not moved again; a load that is not known makes the level unknown each time."""
    solve, hints = Divider(), Hints()
    estimate_again(inputs(1e3, 1e3), solve, WANTED, hints)
    assert dict(zip(hints.names, hints.telling.tolist(), strict=True)) == {
        "emf": True, "r1": True, "r2": True, "load": True, "idle": False,
    }  # fmt: skip
    for _ in range(2):
        found = estimate_again(inputs(1e3, 1e3, None), solve, WANTED, hints)
        assert found["level"].value is None
        assert [i.name for i in found["level"].missing] == ["load"]


def test_a_direction_that_turned_is_found_out() -> None:
    """Beyond the resonance more of it is less: the estimate is made from scratch, not from what was true before."""

    def solve(s: Samples) -> Samples:
        return {"level": -((s["x"] - 1.0) ** 2), "current": s["x"]}

    def one(x: float) -> list[Input]:
        return [Input("x", "x", known(x, "", 0.1), (0.1, 10), "x", "x")]

    hints = Hints()
    for x in (0.5, 2.0, 0.5):
        again = estimate_again(one(x), solve, WANTED, hints)["level"]
        assert ends(again) == pytest.approx(ends(estimate(one(x), solve, WANTED)["level"]))


def test_hints_of_another_circuit_are_not_used() -> None:
    """Other inputs, other results: from scratch."""
    solve, hints = Divider(), Hints()
    estimate_again(inputs(1e3, 1e3), solve, WANTED, hints)
    assert not hints.fit(inputs(1e3, 1e3)[:-1], WANTED)
    assert not hints.fit(inputs(1e3, 1e3), {"level": WANTED["level"]})
    assert hints.fit(inputs(2e3, 2.9e3), WANTED)
    assert not hints.fit(inputs(1e3, 5e3), WANTED)
    assert not hints.fit(inputs(1e3, 200.0), WANTED)
