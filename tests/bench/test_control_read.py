"""What is read of lines, switches and modules: what two readings tell, what a stand-in with something built in shows, what is said of it."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest
from msgspec.structs import replace

from controlling import line, woken
from pigtail.advice.measure import next_readings
from pigtail.bench.host import StandInHost
from pigtail.bench.truth import StandIn, load, shipped
from pigtail.job.ask import Ask
from pigtail.job.document import Control, Function, Job
from pigtail.job.measured import Measured
from pigtail.model.model import Model
from pigtail.studies.all import study_job
from pigtail.studies.control.study import study_control
from pigtail.studies.findings import Severity
from pigtail.studies.survey.onspot import judged

WHEN = datetime(2026, 11, 27, 12, tzinfo=UTC)
LINE, STAR, PIN, BACK = "host.on_line", "host.star", "rx.supply", "rx.supply_return"


def read(job: Job, bench: StandInHost, *asks: Ask) -> Job:
    """The job with readings taken at a stand-in."""
    for ask in asks:
        job = replace(job, readings=(*job.readings, ask.taken(job, bench.take(ask), WHEN)))
    return job


def stand_in(name: str) -> StandIn:
    """One that ships."""
    return load(shipped()[name])


def volts(point: str, against: str, state: str, ohm: float | None = None) -> Ask:
    """DC volts, with a resistor across if one is given [Ω]."""
    return Ask(point, against, state, Function.DC_VOLTS, load=ohm)


def test_two_readings_tell_what_stands_before_a_line() -> None:
    """Open and with 10 kΩ across: 10 kΩ within 5 %."""
    made = stand_in("corvale")
    job = read(made.papers, StandInHost(made), volts(LINE, STAR, "aux"), volts(LINE, STAR, "aux", 10e3))
    found = Measured(job).job.terminal(LINE)
    assert isinstance(found, Control)
    assert found.impedance is not None
    assert found.impedance.nominal == pytest.approx(10e3, rel=0.05)


def test_a_line_that_is_weaker_than_its_papers_say_is_found_to_be_pulled_down() -> None:
    """By the papers all is well; with two readings the base resistor is told to pull the line below what the host needs."""
    made = stand_in("corvale")
    assert study_control(Model.of(made.papers)).verdict is not Severity.FIX
    job = read(made.papers, StandInHost(made), volts(LINE, STAR, "aux"), volts(LINE, STAR, "aux", 10e3))
    assert "control.line_pulled_down" in {f.code for f in study_control(Model.of(job)).findings}


@pytest.mark.long
def test_what_is_asked_next_leads_there() -> None:
    """Doing just what the program asks, until it asks nothing of the line, ends at the same verdict."""
    made = stand_in("corvale")
    job, bench = made.papers, StandInHost(made)
    for _ in range(60):
        asks = [a for a in next_readings(job, study_job(job)) if a.point == LINE]
        if not asks:
            break
        job = read(job, bench, asks[0])
    assert "control.line_pulled_down" in {f.code for f in study_control(Model.of(job)).findings}


def test_its_clean_twin_is_told_nothing() -> None:
    """The same host with 1 kΩ, as its papers say."""
    made = stand_in("corvale")
    strong = replace(made, truth=replace(made.truth, terminals=tuple(
        replace(t, impedance=line(ohm="1 kΩ ±1 %").impedance) if isinstance(t, Control) else t for t in made.truth.terminals
    )))  # fmt: skip
    job = read(made.papers, StandInHost(strong), volts(LINE, STAR, "aux"), volts(LINE, STAR, "aux", 10e3))
    assert study_control(Model.of(job)).verdict is not Severity.FIX


def test_a_module_that_lives_through_its_audio_ground_is_found_by_reading_it() -> None:
    """What was built has its switch in the negative lead: 5 V in standby, and what the module draws."""
    made = stand_in("hollinby")
    bench = StandInHost(made)
    assert bench.take(volts(PIN, BACK, "standby")) > 4.5
    assert bench.take(Ask(PIN, "", "standby", Function.CURRENT)) == pytest.approx(0.045, rel=0.1)
    job = read(made.papers, bench, volts(PIN, BACK, "standby"))
    assert judged(job, job.readings[-1]).code == "survey.plug_awake"


def test_what_was_built_as_planned_reads_as_planned() -> None:
    """The clean twin: a P-MOSFET in the plus; nothing in standby, five volts on."""
    made = stand_in("hollinby")
    right = replace(made, links=made.papers.links)
    bench = StandInHost(right)
    assert abs(bench.take(volts(PIN, BACK, "standby"))) < 0.05
    assert bench.take(volts(PIN, BACK, "aux")) > 4.9
    job = read(made.papers, bench, volts(PIN, BACK, "standby"), volts(PIN, BACK, "aux"))
    assert all(judged(job, r).severity is not Severity.FIX for r in job.readings)


@pytest.mark.long
def test_once_a_module_is_read_the_other_states_are_asked_for() -> None:
    """Each live state that nobody has read."""
    made = stand_in("hollinby")
    assert not [a for a in next_readings(made.papers, study_job(made.papers)) if a.point == PIN]
    job = read(made.papers, StandInHost(made), volts(PIN, BACK, "aux"))
    assert {a.state for a in next_readings(job, study_job(job)) if a.point == PIN} == {"standby", "radio"}


def test_a_level_read_in_another_state_stands_there() -> None:
    """0.9 V in standby beside 6.9 V on: neither nought nor the whole."""
    job = woken()
    reading = volts(LINE, STAR, "standby").taken(job, 0.9, WHEN)
    found = Measured(replace(job, readings=(reading,))).job.terminal(LINE)
    assert isinstance(found, Control)
    told = found.told_in("standby")
    assert told is not None
    assert told.nominal == pytest.approx(0.9, rel=0.02)


def test_nought_read_in_another_state_is_a_dead_line() -> None:
    """No level of its own is made of it."""
    job = woken()
    reading = volts(LINE, STAR, "standby").taken(job, 0.002, WHEN)
    found = Measured(replace(job, readings=(reading,))).job.terminal(LINE)
    assert isinstance(found, Control)
    assert found.told_in("standby") is None
    assert "standby" not in found.states
