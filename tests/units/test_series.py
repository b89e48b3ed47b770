"""Preferred series: membership, neighbours, steps."""

import itertools

import pytest

from pigtail.units.series import decade, members, nearest, step


@pytest.mark.parametrize("series", ["E3", "E6", "E12", "E24", "E48", "E96"])
def test_every_member_is_its_own_nearest_and_steps_to_its_neighbour(series: str) -> None:
    """Each exact member of four decades is found again, and one step leads to the next."""
    run = members(series, 1.0, 9999.0)
    assert len(run) == 4 * len(decade(series))
    for here, following in itertools.pairwise(run):
        assert nearest(here, series) == here
        assert step(here, series) == following
        assert step(following, series, -1) == here


def test_between_members_a_step_goes_to_the_next_one() -> None:
    """A value that is no member moves to the member beside it, not past it."""
    assert step(4800.0) == 5100.0
    assert step(4800.0, by=-1) == 4700.0


@pytest.mark.parametrize("value", [0.0, -1.0, float("nan"), float("inf")])
def test_values_without_a_logarithm_are_refused(value: float) -> None:
    """Preferred values are positive."""
    with pytest.raises(ValueError, match="positive"):
        nearest(value)


def test_an_unknown_series_is_refused() -> None:
    """Only the standard's series are known."""
    with pytest.raises(ValueError, match="E24"):
        decade("E25")
