"""What modders disagree on about supplies, both ways solved for the job in hand."""

from __future__ import annotations

from pigtail.advice.found import Contest
from pigtail.advice.supply_schools import supply_contests
from pigtail.edits import remove_link
from pigtail.job.document import Job
from supplying import PIN, rail_job, winding_job


def argued(job: Job) -> dict[str, Contest]:
    """The contests by their questions."""
    return {c.question: c for c in supply_contests(job, PIN)}


def test_a_regulator_that_burns_watts_loses_to_one_that_chops() -> None:
    """24 V to 5 V: the linear one overheats; from 9 V it is cool, quiet and ours."""
    hot, cool = (argued(rail_job("ldo", v))["Linear or switching?"] for v in ("24 V", "9 V"))
    assert (hot.pick, cool.pick) == (1, 0)
    assert hot.sides[0].edit is None
    assert hot.sides[1].edit is not None


def test_a_grounded_winding_asks_for_one_diode_or_a_doubler() -> None:
    """One diode has room enough on a heater winding; each side can be used."""
    found = argued(winding_job())["One diode or a doubler?"]
    assert found.pick == 0
    for side in found.sides:
        assert side.edit is not None
        assert side.edit(winding_job()).link("supply") is not None


def test_each_way_shows_the_same_figures() -> None:
    """Side by side is what can be compared; without a supply there is nothing to compare."""
    job = rail_job("linear_large", "12 V")
    for contest in argued(job).values():
        one, other = ([w for w, _ in s.figures] for s in contest.sides)
        assert one == other
        assert contest.why
    assert not supply_contests(remove_link(job, "supply"), PIN)
