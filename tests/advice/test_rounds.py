"""The round of measuring: what may hurt first, then everything without power, then state by state; over every host of the catalogue."""

from __future__ import annotations

from functools import cache

import pytest
from msgspec.structs import replace

from asking import WHEN
from pigtail import edits
from pigtail.advice.measure import next_readings
from pigtail.advice.rounds import minutes_of, ordered, round_of, switches_of
from pigtail.bench.made import make_stand_in
from pigtail.catalogue.kinds import host_kinds, make_host, make_module
from pigtail.edits.readings import log_reading
from pigtail.job.ask import Ask, in_words
from pigtail.job.document import BLADES, EARTH, Function, Job, Mode, Rail, SupplyClass
from pigtail.job.hazards import MAINS
from pigtail.job.tone import tone_of
from pigtail.studies.all import study_job
from pigtail.studies.findings import Severity
from pigtail.units import Basis
from pigtail.units.known import Known
from practising import MODULES, plan_of, practised

CASES = [(k.key, m) for k in host_kinds() for m in MODULES]


@cache
def plan(kind: str, module: str) -> Job | None:
    """A host kind with a module planned; None where none can be."""
    return plan_of(make_stand_in(kind), module)


def planned(kind: str, module: str) -> Job:
    """The same where there is one."""
    job = plan(kind, module)
    assert job is not None
    return job


def asked(job: Job) -> tuple[Ask, ...]:
    """What is asked of a job that nobody has read yet."""
    return next_readings(job, study_job(job))


@pytest.mark.one_of(5)
@pytest.mark.parametrize(("kind", "module"), CASES)
def test_the_order_is_that_of_the_trade_and_every_request_is_whole(kind: str, module: str) -> None:
    """Unpowered first and at one go, each live state once, DC before anything is played, nothing twice; two points, a state, a reason,
    its caution; no short, no earth opened."""
    job = plan(kind, module)
    if job is None:
        return
    asks = asked(job)
    in_order(job, asks)
    for ask in asks:
        is_whole(job, ask)
        is_safe(job, ask, kind)


def in_order(job: Job, asks: tuple[Ask, ...]) -> None:
    """Unpowered, then state by state, DC first."""
    off = [a.unpowered or a.state == job.off_state() for a in asks]
    assert off == sorted(off, reverse=True)
    assert off[0]
    live = [a.state for a, unpowered in zip(asks, off, strict=True) if not unpowered]
    assert switches_of(job, asks) == len(set(live))
    for state in set(live):
        plain = [
            a.function is Function.DC_VOLTS and a.load is None
            for a in asks
            if a.state == state and a.against != EARTH
        ]
        assert plain == sorted(plain, reverse=True)
    assert len({a.key for a in asks}) == len(asks)
    if job.host.supply in MAINS:
        assert asks[0].against == BLADES


def is_whole(job: Job, ask: Ask) -> None:
    """Two points, a state, a reason."""
    assert job.state(ask.state) is not None
    assert ask.reason
    assert ask.in_series or ask.against not in ("", ask.point)
    assert (tone_of(ask.drive) is None) is (ask.drive == "")


def is_safe(job: Job, ask: Ask, kind: str) -> None:
    """A load on a rail draws no more than it can give; nothing is clipped across a return but against the earth of the mains, where it is a
    hundred kilohms; under power in a host that the mains feeds there is a caution, in one on batteries none is needed."""
    terminal = job.terminal(ask.point)
    true = next((t for t in make_stand_in(kind).truth.terminals if f"host.{t.id}" == ask.point), None)
    if ask.load is not None and isinstance(terminal, Rail) and isinstance(true, Rail):
        assert true.limit is not None
        assert true.voltage is not None
        assert abs(true.voltage.nominal) / ask.load < 1.5 * true.limit.nominal
    if EARTH in (ask.point, ask.against) and not ask.unpowered:
        assert ask.load == 100e3
    assert BLADES not in (ask.point, ask.against) or ask.unpowered
    if job.host.supply in MAINS and not ask.unpowered:
        assert ask.caution
    if job.host.supply is SupplyClass.BATTERY:
        assert ask.caution == ""


def test_high_volts_and_a_charged_reservoir_have_their_own_caution() -> None:
    """A rail of 300 V, and the reservoir before it is touched."""
    job = planned("valve_amplifier", MODULES[0])
    high = edits.set_value(job, "host.heater", "voltage", Known.of(300.0, "V", Basis.DOCUMENTED))
    said = {a.caution for a in asked(high) if a.point == "host.heater"}
    assert any("300 V" in s for s in said)
    assert any("charged" in s for s in said)


def test_the_two_sides_of_a_pair_are_read_next_to_each_other() -> None:
    """Left then right, with the same drive and clip."""
    job = planned("tape_recorder", MODULES[0])
    asks = [a for a in asked(job) if a.drive]
    pairs = list(zip(asks[::2], asks[1::2], strict=True))
    assert pairs
    for left, right in pairs:
        assert (left.point, right.point) == ("host.line_left", "host.line_right")
        assert (left.drive, left.series) == (right.drive, right.series)


def test_a_state_that_the_host_is_in_is_finished_first() -> None:
    """After a reading in the working state the round goes on there, and does not switch back."""
    job = planned("tape_recorder", MODULES[0])
    asks = [a for a in asked(job) if a.function is Function.DC_VOLTS]
    assert asks[-1].state != next(a.state for a in asks if a.state != job.off_state())
    read = log_reading(job, value=0.0, when=WHEN, **asks[-1].setup())
    live = [a.state for a in ordered(read, asks) if a.state != job.off_state()]
    assert live[0] == asks[-1].state


def test_a_round_tells_how_long_it_takes() -> None:
    """In readings and minutes; more readings take longer, and a switch longer than none."""
    job = planned("public_address", MODULES[0])
    asks = asked(job)
    told = round_of(job, asks)
    assert told.words == f"{len(asks)} readings, about {max(1, round(told.minutes))} minutes"
    assert minutes_of(job, asks[:-1]) < told.minutes
    one = asks[-1]
    again = replace(
        one, state=next(s.id for s in job.host.states if s.id != one.state and s.kind is not Mode.OFF)
    )
    assert minutes_of(job, [one, again]) > minutes_of(job, [one, one])
    assert round_of(job, ()).words == "0 readings, about 1 minute"


def test_a_host_of_which_nobody_knows_how_it_is_fed_is_looked_at_first() -> None:
    """Its plate and plug, then what is read unplugged; nothing under power, and its class opens the rest."""
    job = edits.add_module(edits.new_job("x", make_host("mains_radio")), make_module(MODULES[0], "m"))
    assert job.host.supply is SupplyClass.UNKNOWN
    asks = asked(job)
    assert [a.function for a in asks] == [Function.LOOK, Function.RESISTANCE, Function.RESISTANCE]
    assert all(a.unpowered for a in asks)
    assert in_words(job, asks[0]) == "look at Old mains radio, unplugged"


def test_nothing_is_asked_where_nothing_would_change() -> None:
    """Every answer given, the list is empty, and no used point is left unknown."""
    came = practised(planned("disc_player", MODULES[1]), make_stand_in("disc_player"))
    assert next_readings(came.job, came.studies) == ()
    assert len(came.asked) > 10
    assert came.studies.verdicts["taps"] is not Severity.UNKNOWN
