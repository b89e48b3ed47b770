"""What destroys a board by its supply: mistakes that modders make, each beside its clean twin.

That a reversed supply, or one above its highest, destroys what hangs on it is a fact of the trade; so is that a rail rises when
nothing is drawn from it and that it may stand higher in another state.
"""

from __future__ import annotations

from datetime import datetime

import pytest
from msgspec.structs import replace

from feeds import hall, known, pad, speaker, through
from pigtail import edits
from pigtail.advice.plan import propose
from pigtail.advice.remedies import advised
from pigtail.catalogue.kinds import make_module
from pigtail.edits.host import set_point
from pigtail.edits.plan import rerailed, set_converter, set_stage_rail
from pigtail.edits.readings import log_reading
from pigtail.job.document import Function, Job, Purpose, Rail, SupplyClass
from pigtail.job.measured import Measured
from pigtail.studies.all import study_job
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.power.found import PowerFound

WHEN = datetime(2026, 11, 27, 12, 0)


def rail_of(job: Job) -> str:
    """The rail that the supply starts at."""
    link = next(x for x in job.links if x.purpose is Purpose.SUPPLY)
    return next(a for a in link.starts if isinstance(job.terminal(a), Rail))


def supplied(volts: float, key: str = "linear_large", ohm: float = 0.2) -> Job:
    """The hall's receiver from a rail of so many volts behind so many ohms, alive in all states."""
    job = set_converter(hall(), "supply", key)
    rail = rail_of(job)
    for field, value, unit in (
        ("voltage", volts, "V"),
        ("resistance", ohm, "Ω"),
        ("limit", 1.0, "A"),
        ("used", 0.05, "A"),
    ):
        job = edits.set_value(job, rail, field, known(value, unit, 0.01))
    job = edits.set_ambient(job, known(35.0, "°C"))
    host = replace(
        job.host,
        terminals=tuple(replace(t, states=()) if isinstance(t, Rail) else t for t in job.host.terminals),
    )
    return replace(job, host=host)


def read(job: Job, state: str, volts: float, function: Function = Function.DC_VOLTS) -> Job:
    """The rail read in a state."""
    return log_reading(
        job,
        point=rail_of(job),
        against="host.star",
        state=state,
        function=function,
        value=volts,
        when=WHEN,
    )


def told(job: Job) -> list[Finding]:
    """What is said of the supply that is not good, with remedies."""
    studies = advised(job, study_job(job))
    return [f for f in studies.of(PowerFound).findings if f.severity is not Severity.GOOD]


@pytest.mark.one_of(8)
@pytest.mark.parametrize("key", ["direct", "linear", "linear_large", "buck"])
@pytest.mark.parametrize("volts", [-5.0, -12.0, -24.0])
def test_a_negative_rail_is_a_stop_by_its_polarity(key: str, volts: float) -> None:
    """Through any converter; nothing else is told beside it, and no remedy is offered but to turn it round: a converter whose two sides
    are separate, its plus at the host's ground."""
    stops = [f for f in told(supplied(volts, key)) if f.severity is Severity.STOP]
    assert [f.judgement for f in stops] == ["power.reversed"]
    assert "the wrong way round" in stops[0].sentence
    assert stops[0].remedies
    for remedy in stops[0].remedies:
        assert "its plus at 0 V star" in remedy.label
        mended = remedy.edit(supplied(volts, key))
        assert not [f for f in told(mended) if f.severity in (Severity.STOP, Severity.FIX)]


@pytest.mark.one_of(3)
@pytest.mark.parametrize(("key", "volts"), [("direct", 5.0), ("linear_large", 9.0), ("buck", 24.0)])
def test_the_right_way_round_is_no_stop(key: str, volts: float) -> None:
    """The clean twins."""
    assert not [f for f in told(supplied(volts, key)) if f.severity is Severity.STOP]


def test_plus_and_minus_swapped_at_either_end_are_told_as_that() -> None:
    """At the module's plug, or at the host: a stop that says what is joined where, not that the link does not start at a rail."""
    job = supplied(9.0)
    link = job.link("supply")
    assert link is not None
    ends = {j.port: j for j in link.joins}
    at_module = tuple(
        replace(ends[p], terminal=ends[q].terminal) if p in ("out", "com") else ends[p]
        for p, q in (("in", "in"), ("out", "com"), ("com", "out"))
    )
    for joins in (
        at_module,
        (replace(ends["in"], terminal="host.star"), ends["out"], replace(ends["com"], terminal=rail_of(job))),
    ):
        swapped = edits.replace_link(job, replace(link, joins=joins))
        stops = [f for f in told(swapped) if f.severity is Severity.STOP]
        assert [f.code for f in stops] == ["power.swapped"], [f.code for f in told(swapped)]
        assert "plus and minus are swapped" in stops[0].sentence
        assert stops[0].settle.startswith("Turn it round")
        assert stops[0].remedies == ()
    assert not [f for f in told(job) if f.code == "power.swapped"]


def test_more_than_the_module_stands_in_another_state_is_a_stop_that_names_it() -> None:
    """6.4 V read while idle on a part that stands 5.25 V; 5.1 V is its clean twin. The working state alone would be good."""
    job = read(supplied(5.0, "direct", 0.1), "on", 5.0)
    bad = [f for f in told(read(job, "idle", 6.4)) if f.severity is Severity.STOP]
    assert [f.judgement for f in bad] == ["power.over_voltage"]
    assert "6.4 V at the pins" in bad[0].sentence
    assert "“idle" in bad[0].sentence
    assert not [f for f in told(read(job, "idle", 5.1)) if f.severity is Severity.STOP]


@pytest.mark.long
def test_more_than_the_module_stands_with_nothing_drawn_is_a_stop() -> None:
    """6.2 V behind 15 Ω falls to 5 V under load and stands at 6.2 V while the module sleeps."""
    bad = [f for f in told(supplied(5.9, "direct", 15.0)) if f.severity is Severity.STOP]
    assert [f.judgement for f in bad] == ["power.over_voltage"]
    assert "with nothing drawn" in bad[0].sentence
    assert not [f for f in told(supplied(5.0, "direct", 0.1)) if f.severity is Severity.STOP]


@pytest.mark.one_of(2)
@pytest.mark.parametrize(
    ("key", "bad", "good"),
    [("linear", 35.0, 12.0), ("linear_large", 40.0, 24.0), ("buck", 56.0, 24.0), ("buck", 160.0, 12.0)],
)
def test_a_converter_has_a_highest_input(key: str, bad: float, good: float) -> None:
    """Small regulators of this kind stand 30 V, larger ones 35 V, buck boards 28 V to 40 V (data sheets, from memory)."""
    stops = [f for f in told(supplied(bad, key)) if f.severity is Severity.STOP]
    assert "power.input_voltage" in [f.judgement for f in stops]
    assert not [f for f in told(supplied(good, key)) if f.severity is Severity.STOP]


@pytest.mark.one_of(3)
@pytest.mark.parametrize("key", ["gain", "buffer", "gain_single"])
def test_a_stage_on_a_negative_rail_is_a_stop(key: str) -> None:
    """And on the same rail the right way round it is none."""

    def job(volts: float) -> Job:
        made = edits.set_value(
            through(pad(), "feed_left", key), "host.rail_5v", "voltage", known(volts, "V", 0.02)
        )
        return set_stage_rail(made, "feed_left", "host.rail_5v")

    bad = [f for f in told(job(-12.0)) if f.judgement == "power.stage_reversed"]
    assert [f.severity for f in bad] == [Severity.STOP]
    assert "the wrong way round" in bad[0].sentence
    assert not [f for f in told(job(12.0)) if f.judgement == "power.stage_reversed"]


def _rail_told(job: Job, rail: str) -> list[Finding]:
    return [
        f for f in study_job(job).of(PowerFound).findings if f.judgement == "power.rail" and f.subject == rail
    ]


@pytest.mark.one_of(2)
@pytest.mark.parametrize(
    ("limit", "alone", "together"),
    [(0.28, Severity.GOOD, Severity.FIX), (0.60, Severity.GOOD, Severity.GOOD)],
)
def test_modules_on_one_rail_are_counted_together(limit: float, alone: Severity, together: Severity) -> None:
    """A burst of 130 mA fits beside 50 mA in 280 mA; two of them do not, and the rail is told once. 600 mA is the clean twin."""
    one = edits.set_value(supplied(9.0), "host.rail_high", "limit", known(limit, "A", 0.01))
    assert [f.severity for f in _rail_told(one, rail_of(one))] == [alone]
    two = propose(edits.add_module(one, make_module("wireless_receiver_5v", "second")), "second")
    link = next(x for x in two.links if x.purpose is Purpose.SUPPLY and "second.supply" in x.at("out"))
    two = set_converter(edits.replace_link(two, rerailed(two, link, rail_of(one))), link.id, "linear_large")
    told_of = _rail_told(two, rail_of(one))
    assert [f.severity for f in told_of] == [together]


@pytest.mark.parametrize(("limit", "severity"), [(0.15, Severity.FIX), (6.0, Severity.GOOD)])
def test_a_power_stage_at_full_output_counts_on_the_rail_of_the_modules(
    limit: float, severity: Severity
) -> None:
    """A small amplifier into 4 Ω draws far more at full output than at rest: told of the rail whoever else hangs on it."""
    job = speaker()
    rail = next(f"host.{t.id}" for t in job.host.terminals if isinstance(t, Rail))
    for field, value, unit in (
        ("voltage", 5.0, "V"),
        ("limit", limit, "A"),
        ("used", 0.05, "A"),
        ("resistance", 0.05, "Ω"),
    ):
        job = edits.set_value(job, rail, field, known(value, unit, 0.01))
    link = next(x for x in job.links if x.purpose is Purpose.FEED)
    fed = set_stage_rail(job, link.id, rail)
    assert [f.severity for f in _rail_told(fed, rail)] == [severity]


def _of(job: Job, judgement: str) -> Finding:
    return next(f for f in study_job(job).of(PowerFound).findings if f.judgement == judgement)


@pytest.mark.parametrize(("ripple", "severity"), [(4.5, Severity.FIX), (0.02, Severity.GOOD)])
def test_ripple_that_was_read_counts_against_the_dropout(ripple: float, severity: Severity) -> None:
    """4.5 V rms on 12 V is a valley of 4.2 V: a regulator drops out there though the mean leaves it 4.8 V of room (a sawtooth's
    valley lies √3 times its rms value below its mean: derived). A well smoothed rail is the clean twin."""
    job = read(supplied(12.0), "on", ripple, Function.AC_VOLTS)
    found = _of(job, "power.dropout")
    assert found.severity is severity
    assert "ripple" in found.sentence
    assert "ripple" not in _of(supplied(12.0), "power.dropout").sentence


def test_a_module_straight_on_a_rail_sees_its_ripple() -> None:
    """5 V with 0.3 V rms of ripple rises above 5.25 V and falls below 4.75 V; without it both are good."""
    clean = supplied(5.0, "direct", 0.05)
    job = read(clean, "on", 0.3, Function.AC_VOLTS)
    assert _of(job, "power.over_voltage").severity is Severity.STOP
    assert _of(job, "power.under_voltage").severity is Severity.FIX
    assert _of(clean, "power.over_voltage").severity is Severity.GOOD


@pytest.mark.parametrize(("tolerance", "good"), [(0.15, False), (0.03, True)])
def test_a_rail_that_nothing_holds_moves_with_the_mains_whatever_was_read(
    tolerance: float, good: bool
) -> None:
    """8 V were read at this hour; at low mains (−10 %, EN 50160) a 5 V regulator with 2.2 V of dropout has nothing to spare. A rail that
    its papers tell closely is held by a regulator and stays."""
    job = supplied(9.0)
    job = edits.set_value(job, rail_of(job), "voltage", known(8.0, "V", tolerance))
    job = read(job, "on", 7.9)
    value = Measured(job).job.terminal(rail_of(job))
    assert isinstance(value, Rail)
    assert value.voltage is not None
    assert (value.voltage.low > 7.7) is good
    assert (
        (_of(job, "power.dropout").margin or 0.0) > 0.0
        if good
        else (_of(job, "power.dropout").margin or 0.0) < 0.2
    )
    # a battery is not moved by the mains but by its age: as its papers say, else to 0.6 of what was read
    battery = Measured(edits.set_supply(job, SupplyClass.BATTERY)).job.terminal(rail_of(job))
    assert isinstance(battery, Rail)
    assert battery.voltage is not None
    assert battery.voltage.low == pytest.approx(0.6 * 7.9 if good else 6.8)


def test_a_regulator_that_drops_out_is_not_called_cool_without_saying_why() -> None:
    """It passes what is left and stays cold: the sentence says so."""
    assert "since it drops out" in _of(supplied(5.5), "power.hot").sentence
    assert "since it drops out" not in _of(supplied(9.0), "power.hot").sentence


def heard_in(job: Job, *states: str) -> Job:
    """The job with its input alive in some states only."""
    return set_point(job, "host.record_in", states=states)


def fed_in(job: Job, *states: str) -> Job:
    """The job with the rail of its supply alive in some states only."""
    return set_point(job, rail_of(job), states=states)


PLAYS_FOR_NOTHING = "power.every_source"


def test_a_module_that_plays_for_nothing_is_told_with_the_states_and_its_name() -> None:
    """Its rail is up whatever is chosen, its input is heard in one state only: it stays connected and may announce itself."""
    found = [
        f for f in told(fed_in(heard_in(supplied(12.0), "on"), "idle", "on")) if f.code == PLAYS_FOR_NOTHING
    ]
    (finding,) = found
    assert finding.severity is Severity.WATCH
    assert "Wireless receiver, 5 V is powered" in finding.sentence
    assert "idle, output muted" in finding.sentence


@pytest.mark.parametrize(
    ("heard", "fed"),
    [((), ("idle", "on")), (("idle", "on"), ("idle", "on")), (("on",), ("on",))],
    ids=["heard in all", "heard wherever it is fed", "fed only where it is heard"],
)
def test_a_module_that_is_heard_wherever_it_is_fed_is_not(
    heard: tuple[str, ...], fed: tuple[str, ...]
) -> None:
    """The clean twins."""
    job = fed_in(heard_in(supplied(12.0), *heard), *fed)
    assert PLAYS_FOR_NOTHING not in [f.code for f in told(job)]


def test_a_module_that_stays_on_while_the_host_is_off_is_told_of_that_alone() -> None:
    """The worse of the two is told, and once."""
    codes = [f.code for f in told(heard_in(supplied(12.0), "on"))]
    assert "power.always_on" in codes
    assert PLAYS_FOR_NOTHING not in codes


def test_a_module_that_feeds_nothing_in_the_host_is_not_judged_by_what_is_heard() -> None:
    """With its feed taken out, nobody can say where it would be heard."""
    job = fed_in(heard_in(supplied(12.0), "on"), "idle", "on")
    without = replace(job, links=tuple(x for x in job.links if x.purpose is not Purpose.FEED))
    assert PLAYS_FOR_NOTHING not in [f.code for f in told(without)]
