"""What is asked of a meter, over every host and module of the catalogue: nothing that shorts a source, nothing twice, nothing of one point."""

from __future__ import annotations

import os
from datetime import datetime
from functools import cache

import pytest

from pigtail import edits
from pigtail.advice.measure import next_readings
from pigtail.advice.plan import propose
from pigtail.catalogue.kinds import host_kinds, make_host, make_module, module_kinds
from pigtail.edits.readings import log_reading
from pigtail.job.ask import Ask, in_words
from pigtail.job.document import Act, AudioIn, AudioOut, Channel, Function, Job, Rail, SupplyIn
from pigtail.job.errors import EditError, JobError
from pigtail.job.reading_import import read_rows
from pigtail.job.tone import tone_of
from pigtail.studies.all import study_job

WHEN = datetime(2026, 11, 27, 12, 0)
#: Every module in `make promises`, here one that gives and one that takes.
WHOLE = "PIGTAIL_RANDOM_JOBS" in os.environ
MODULES = (
    tuple(k.key for k in module_kinds()) if WHOLE else ("wireless_receiver_5v", "wireless_transmitter_5v")
)


@cache
def planned(host: str, module: str) -> Job | None:
    """A host and a module with the plan that is proposed; None where none is."""
    job = edits.add_module(edits.new_job("x", make_host(host)), make_module(module, "m"))
    try:
        return propose(job, "m")
    except JobError:
        return None


@pytest.mark.one_of(4)
@pytest.mark.parametrize("host", [k.key for k in host_kinds()])
def test_no_request_shorts_a_source_stands_on_one_point_or_comes_twice(host: str) -> None:
    """Of each of the modules: a current in series, all else between two points, each told by its words."""
    for kind in MODULES:
        job = planned(host, kind)
        if job is None:
            continue
        asked = next_readings(job, study_job(job))
        for ask in asked:
            if ask.function is Function.CURRENT:
                assert ask.against == ""
                assert "in series" in in_words(job, ask)
            elif ask.function is not Function.HEARD:
                assert ask.against not in ("", ask.point)
        assert len({a.key for a in asked}) == len(asked)


def rail_of(job: Job) -> str:
    """A rail of the host."""
    return next(a for a in job.addresses() if isinstance(job.terminal(a), Rail))


def test_an_ammeter_between_two_points_is_refused_everywhere() -> None:
    """Where it is typed, and where it comes from a file: one sentence that says where it belongs."""
    job = planned("public_address", "wireless_receiver_5v")
    assert job is not None
    rail = rail_of(job)
    with pytest.raises(EditError, match="dead short") as told:
        log_reading(
            job, point=rail, against="host.star", state="on", function=Function.CURRENT, value=0.1, when=WHEN
        )
    assert "in series" in str(told.value)
    with pytest.raises(JobError, match="dead short"):
        read_rows(job, f"point,against,state,function,value\n{rail},host.star,on,current,100 mA\n", WHEN)


def test_a_current_in_series_counts_as_what_the_rail_gives() -> None:
    """Logged in series, typed or from a file, with no second point; the study takes it, and a pin of the module alike."""
    job = planned("public_address", "wireless_receiver_5v")
    assert job is not None
    rail = rail_of(job)
    read = log_reading(
        job, point=rail, against="", state="on", function=Function.CURRENT, value=0.08, when=WHEN
    )
    assert read.readings[-1].against == ""
    (row,) = read_rows(job, f"point,state,function,value\n{rail},on,current,80 mA\n", WHEN)
    assert row.against == ""
    asked = [a for a in next_readings(read, study_job(read)) if a.function is Function.CURRENT]
    assert rail not in {a.point for a in asked}
    pin = next(a for a in job.addresses() if isinstance(job.terminal(a), SupplyIn))
    drawn = log_reading(
        job, point=pin, against="", state="on", function=Function.CURRENT, value=0.052, when=WHEN
    )
    assert (
        study_job(drawn).numbers["power.module_current_a"] != study_job(job).numbers["power.module_current_a"]
    )


def test_a_request_for_a_current_says_where_the_lead_is_opened() -> None:
    """In words, with the state."""
    job = planned("public_address", "wireless_receiver_5v")
    assert job is not None
    words = in_words(job, Ask(rail_of(job), "", "on", Function.CURRENT))
    assert (
        words
        == "read the current in series with unregulated rail, its lead opened at a fuse or a link while “on”"
    )


@pytest.mark.one_of(4, 1)
@pytest.mark.parametrize("host", [k.key for k in host_kinds()])
def test_tones_go_into_inputs_and_listening_wants_a_loudspeaker(host: str) -> None:
    """Nothing is injected into an output; an output of a pair is told by its own side; no host without an amplifier is listened to; without
    power no pair comes twice."""
    for kind in MODULES:
        job = planned(host, kind)
        if job is None:
            continue
        sounds = any(Act.AMPLIFY in s.acts for s in job.host.stages)
        asked = next_readings(job, study_job(job))
        for ask in asked:
            terminal = job.terminal(ask.point)
            if ask.function is Function.HEARD:
                assert sounds
                assert isinstance(terminal, AudioIn)
                assert "mV" in ask.drive
            if (
                isinstance(terminal, AudioOut)
                and ask.function is Function.AC_VOLTS
                and terminal.channel is not Channel.MONO
            ):
                assert tone_of(ask.drive).side in ("", terminal.channel.value)  # type: ignore[union-attr]
        pairs = [frozenset((a.point, a.against)) for a in asked if a.unpowered]
        assert len(set(pairs)) == len(pairs)


def test_one_way_of_a_crossover_is_asked_at_what_it_carries() -> None:
    """A quarter and four times the crossover, not 1 kHz; the input of a record player's amplifier gets millivolts."""
    job = planned("two_way_speaker", "wireless_transmitter_5v")
    assert job is not None
    asked = next_readings(job, study_job(job))
    drives = {a.drive for a in asked if a.drive}
    assert {tone_of(d).hertz for d in drives} == {500.0, 8000.0}  # type: ignore[union-attr]
    assert "1 kHz" not in drives
    records = planned("record_amplifier", "wireless_receiver_5v")
    assert records is not None
    tones = {a.drive for a in next_readings(records, study_job(records)) if a.function is Function.HEARD}
    assert tones == {"5 mV at 1 kHz"}
