"""Who does just what is asked finds every fault that was planted, ends nowhere good with one inside, and is not alarmed by a sound host.

Here a few hosts; `make practice` takes every host kind with every fault, and some in pairs.
"""

from __future__ import annotations

import pytest

from pigtail.bench.made import make_stand_in
from pigtail.studies.findings import Severity
from practising import Came, plan_of, planted, practised

#: A host that gives and one that takes, and what is planted in each: all kinds of faults between them.
HOSTS = {
    "tape_recorder": ("wireless_transmitter_5v", ("swapped channels", "a dead output", "an output that is mute in a state", "a rail that is weak",
                                                   "a ground with a bad joint", "a reservoir that stays charged", "a chassis that is live")),
    "receiver_amplifier": ("wireless_receiver_5v", ("swapped channels", "joined channels", "an input that is shared", "an input that loads",
                                                     "a rail that is not there in standby", "a ground that hums")),
    "two_way_speaker": ("wireless_transmitter_5v", ("ways that are swapped", "an output behind the volume", "a rail that is AC")),
}  # fmt: skip
CASES = [(host, fault) for host, (_, faults) in HOSTS.items() for fault in faults]
#: By what each is told, at least.
CODES = {
    "swapped channels": ("survey.sides_swapped", "survey.swapped"), "a dead output": ("survey.output_dead",),
    "an output that is mute in a state": ("survey.muted_here",), "a rail that is weak": ("survey.rail_weak",),
    "a ground with a bad joint": ("survey.bad_joint",), "a reservoir that stays charged": ("survey.still_charged",),
    "a chassis that is live": ("survey.live",), "joined channels": ("survey.sides_joined",),
    "an input that is shared": ("survey.input_not_silent",), "an input that loads": ("survey.differs",),
    "a rail that is not there in standby": ("survey.rail_not_there",), "a ground that hums": ("survey.ground_hums",),
    "ways that are swapped": ("survey.ways_swapped",), "an output behind the volume": ("survey.follows_volume",),
    "a rail that is AC": ("survey.rail_is_ac",),
}  # fmt: skip


@pytest.fixture(scope="module")
def clean() -> dict[str, Came]:
    """What came of each host without a fault."""
    found = {}
    for host, (module, _) in HOSTS.items():
        stand_in = make_stand_in(host)
        job = plan_of(stand_in, module)
        assert job is not None
        found[host] = practised(job, stand_in)
    return found


@pytest.mark.parametrize(("host", "fault"), CASES)
def test_a_planted_fault_is_told(host: str, fault: str, clean: dict[str, Came]) -> None:
    """By its own words, and no plan ends good with it inside."""
    stand_in = make_stand_in(host)
    job = plan_of(stand_in, HOSTS[host][0])
    assert job is not None
    bad = planted(stand_in, job, fault)
    assert bad is not None
    came = practised(job, bad)
    assert set(CODES[fault]) & set(came.told(clean[host]))
    assert not came.good
    assert came.blown == 0


def test_a_sound_host_alarms_nobody_and_is_switched_no_more_than_it_must(clean: dict[str, Came]) -> None:
    """Nothing is told of its readings; each live state is entered once."""
    for came in clean.values():
        assert came.alarms == []
        assert came.blown == 0
        assert came.switches == came.least
        tapped = came.studies.verdicts["taps"]
        assert tapped in (Severity.GOOD, Severity.WATCH)
