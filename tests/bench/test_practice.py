"""Who does just what is asked finds every fault that was planted, ends nowhere good with one inside, and is not alarmed by a sound host.

Here a few hosts; `make practice` takes every host kind with every fault, and some in pairs.
"""

from __future__ import annotations

import os
from functools import cache

import pytest

from pigtail.advice.remedies import advised
from pigtail.advice.separating import separating
from pigtail.bench.made import make_stand_in
from pigtail.job.measured import Measured
from pigtail.studies.faults.explain import misfits
from pigtail.studies.faults.table import words
from pigtail.studies.findings import Severity
from practising import Came, plan_of, planted, practised

TAKES, GIVES = "wireless_transmitter_5v", "wireless_receiver_5v"
TAPE, RECEIVER, SPEAKER = ("tape_recorder", TAKES), ("receiver_amplifier", GIVES), ("two_way_speaker", TAKES)
#: Host and module, what is planted, the code it is told by, and where readings do not fit: the point, and the fault that explains it.
PLANTED = [
    (TAPE, "swapped channels", "survey.sides_swapped", "host.out_left", "swapped"),
    (TAPE, "joined channels", "survey.sides_joined", "host.out_left", "joined"),
    (TAPE, "a dead output", "survey.output_dead", "host.out_left", "dead"),
    (TAPE, "an output that is mute in a state", "survey.muted_here", "", ""),
    (TAPE, "five volts where the papers say audio", "survey.dc_on_output", "host.out_left", "other_net"),
    (TAPE, "a rail that is AC", "survey.rail_is_ac", "host.rail_12v", "alternating"),
    (TAPE, "a rail that is weak", "survey.rail_weak", "", ""),
    (TAPE, "a ground that is not the supply negative", "survey.ground_apart", "host.input_return", "driven_ground"),
    (TAPE, "a ground that hums", "survey.ground_hums", "host.input_return", "humming_ground"),
    (TAPE, "a ground with a bad joint", "survey.bad_joint", "", ""),
    (TAPE, "a reservoir that stays charged", "survey.still_charged", "", ""),
    (TAPE, "a chassis that is live", "survey.live", "", ""),
    (RECEIVER, "swapped channels", "survey.swapped", "", ""),
    (RECEIVER, "an input that is shared", "survey.input_not_silent", "host.aux_left", "shared"),
    (RECEIVER, "an input that loads", "survey.differs", "", ""),
    (RECEIVER, "a rail that is not there in standby", "survey.rail_not_there", "", ""),
    (SPEAKER, "ways that are swapped", "survey.ways_swapped", "host.high_out", "ways_swapped"),
    (SPEAKER, "an output behind the volume", "survey.follows_volume", "", ""),
]  # fmt: skip


#: All of them in `make promises`; else every other, and one click.
WHOLE = "PIGTAIL_RANDOM_JOBS" in os.environ
TAKEN = PLANTED if WHOLE else PLANTED[::2]
CLICKS = [
    (TAPE, "swapped channels", "exchange line output, left and line output, right"),
    (SPEAKER, "ways that are swapped", "exchange converter output, low way and converter output, high way"),
    (
        TAPE,
        "an output that is mute in a state",
        "note that line output, left is there while “record with pause” only",
    ),
]


@cache
def came(case: tuple[str, str], fault: str = "") -> Came:
    """What came of a host with a module and a fault planted, or none."""
    clean = make_stand_in(case[0])
    job = plan_of(clean, case[1])
    assert job is not None
    bad = planted(clean, job, fault) if fault else clean
    assert bad is not None
    return practised(job, bad)


@pytest.mark.one_of(12)
@pytest.mark.parametrize(
    ("case", "fault", "code", "point", "key"), TAKEN, ids=[f"{c[0]}-{f}" for c, f, *_ in TAKEN]
)
def test_a_planted_fault_is_told_and_explained(
    case: tuple[str, str], fault: str, code: str, point: str, key: str
) -> None:
    """By its own words; no plan ends good with it inside; of all faults that one explains its point best, and the survey says so."""
    bad = came(case, fault)
    assert code in {f.code for f in bad.studies.findings}
    assert not bad.good
    assert bad.blown == 0
    if point:
        found = {m.point: m for m in misfits(Measured(bad.job))}
        assert found[point].explained[0].key == key
        said = " ".join(f.sentence for f in bad.studies.findings if f.subject == point)
        assert words()[key].says.partition("{")[0] in said


@pytest.mark.one_of(3)
@pytest.mark.parametrize("case", [TAPE, RECEIVER, SPEAKER], ids=lambda c: c[0])
def test_a_sound_host_alarms_nobody_and_is_switched_no_more_than_it_must(case: tuple[str, str]) -> None:
    """Nothing is told of its readings, none of which does not fit; each live state is entered once; none of the codes above is told."""
    clean = came(case)
    assert clean.alarms == []
    assert clean.blown == 0
    assert clean.switches == clean.least
    assert clean.studies.verdicts["taps"] in (Severity.GOOD, Severity.WATCH)
    assert misfits(Measured(clean.job)) == ()
    assert separating(clean.job) == ()
    told = {f.code for f in clean.studies.findings if f.severity is not Severity.GOOD}
    assert not told & {code for c, _, code, *_ in PLANTED if c == case and code != "survey.differs"}


@pytest.mark.long
@pytest.mark.parametrize(
    ("case", "fault", "label"),
    CLICKS if WHOLE else CLICKS[:1],
    ids=lambda v: v if isinstance(v, str) else v[0],
)
def test_what_was_found_is_mended_at_a_click_and_read_again_is_good(
    case: tuple[str, str], fault: str, label: str
) -> None:
    """The remedy is offered; after it, what is asked anew ends with survey and taps good on the very same host."""
    bad = came(case, fault)
    remedies = [
        r for f in advised(bad.job, bad.studies).findings if f.code.startswith("survey.") for r in f.remedies
    ]
    (remedy,) = {r.label: r for r in remedies}.values()
    assert remedy.label == label
    stand_in = planted(make_stand_in(case[0]), came(case).job, fault)
    assert stand_in is not None
    again = practised(remedy.edit(bad.job), stand_in)
    assert again.studies.verdicts["survey"] is Severity.GOOD
    assert again.studies.verdicts["taps"] is Severity.GOOD
