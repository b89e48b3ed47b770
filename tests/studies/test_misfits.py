"""What does not fit the values of a host: which faults there are, what tells two of them apart, what counts and what does not."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from pigtail.advice.separating import separating
from pigtail.bench.host import StandInHost
from pigtail.bench.made import make_stand_in
from pigtail.edits.readings import log_reading
from pigtail.job.ask import Ask
from pigtail.job.document import Function, Job
from pigtail.job.measured import Measured
from pigtail.studies.faults.explain import alone, explanations, misfits
from pigtail.studies.faults.fit import FLOOR
from pigtail.studies.faults.table import FAULTS, words
from practising import WHEN, plan_of, planted, practised

TAKES, GIVES = "wireless_transmitter_5v", "wireless_receiver_5v"


@pytest.fixture(scope="module")
def read() -> Job:
    """A tape recorder with a transmitter planned, everything read that is asked."""
    clean = make_stand_in("tape_recorder")
    job = plan_of(clean, TAKES)
    assert job is not None
    return practised(job, clean).job


def test_every_fault_has_its_words_and_changes_the_host(read: Job) -> None:
    """The table of words and that of functions are one; what a fault makes is not the host that it was made of."""
    assert set(words()) == set(FAULTS)
    job = alone(read)
    made = [
        t
        for key in FAULTS
        for a in ("host.out_left", "host.rail_12v", "host.line_left")
        for t in FAULTS[key](job, a, job.readings)
    ]
    assert len(made) > 12
    assert all(t.job.host != job.host or t.joints or t.offsets for t in made)


def test_two_explanations_are_told_apart_by_a_reading() -> None:
    """An input that shows a rail's volts is that rail's net, or some other at such volts: what tells them apart is asked before all else of
    its state; once it is read it is asked no more."""
    clean = make_stand_in("receiver_amplifier")
    job = plan_of(clean, GIVES)
    assert job is not None
    bad = planted(clean, job, "five volts where the papers say audio")
    assert bad is not None
    host = StandInHost(bad)
    asks = [Ask("host.aux_left", "host.input_return", s, Function.DC_VOLTS) for s in ("aux",)]
    for ask in asks:
        job = log_reading(job, value=host.take(ask), when=WHEN, **ask.setup())
    for ask in separating(job):
        assert ask.function in FLOOR
        assert ask.against not in ("", ask.point)
        assert not any(ask.answered_by(r) for r in job.readings)
        assert "or" in ask.reason
        job = log_reading(job, value=min(host.take(ask), 1e9), when=WHEN, **ask.setup())
        assert ask.key not in {a.key for a in separating(job)}


def test_without_a_reading_nothing_is_explained(read: Job) -> None:
    """An empty log."""
    empty = replace(read, readings=())
    assert misfits(Measured(empty)) == ()
    assert explanations(empty, "host.out_left") == ()


def test_what_is_struck_does_not_count(larkmoor: Job) -> None:
    """A reading that fits nothing is told until it is struck."""
    ask = Ask("host.record_in", "host.input_return", "on", Function.AC_VOLTS)
    odd = log_reading(larkmoor, value=0.9, when=WHEN, **ask.setup())
    assert [m.point for m in misfits(Measured(odd))] == ["host.record_in"]
    struck = replace(odd, readings=(*odd.readings[:-1], replace(odd.readings[-1], struck=True)))
    assert misfits(Measured(struck)) == ()
