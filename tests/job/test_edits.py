"""Edits: each gives a new job and leaves the old one, or refuses with the offending value."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

import pytest

from pigtail import edits
from pigtail.advice.proposing import propose_plan
from pigtail.catalogue.kinds import make_host, make_module
from pigtail.edits.plan import add_network, drop_network, regauged, set_converter, set_rail
from pigtail.edits.readings import log_reading, strike_reading
from pigtail.job.check import check_job
from pigtail.job.document import Function, Job, Link, Purpose, SupplyClass
from pigtail.job.errors import EditError, JobError, LiveChassisError
from pigtail.units import Basis, Known

OHM = Known.of(3300.0, "Ω", Basis.TYPICAL)
WHEN = datetime(2026, 11, 25, 10, 0)


def _log(job: Job, **changes: object) -> Job:
    given: dict[str, object] = {
        "point": "host.rail_low", "against": "host.star", "state": "on", "function": Function.DC_VOLTS, "value": 23.7, "when": WHEN,
    }  # fmt: skip
    return log_reading(job, **{**given, **changes})  # type: ignore[arg-type]


#: Edits that the flawed demo allows.
ALLOWED: dict[str, Callable[[Job], Job]] = {
    "value": lambda j: edits.set_value(j, "host.record_in", "impedance", OHM),
    "value not known": lambda j: edits.set_value(j, "host.record_in", "wanted", None),
    "path": lambda j: edits.set_path(j, "host", "input_to_star", OHM),
    "part": lambda j: edits.set_part(j, "feed", 2, "r2", OHM),
    "gauge": lambda j: edits.set_conductor(j, "supply", "in", gauge=20),
    "rename": lambda j: edits.rename(j, "Another"),
    "brief": lambda j: edits.set_brief(j, "music", "soon"),
    "ambient": lambda j: edits.set_ambient(j, Known.of(30.0, "°C", Basis.GUESSED)),
    "log": _log,
    "strike": lambda j: strike_reading(j, "r1"),
    "remove": lambda j: edits.remove_link(j, "audio_return"),
    "supply class": lambda j: edits.set_supply(j, SupplyClass.MAINS_SWITCHING),
    "buck": lambda j: set_converter(j, "supply", "buck"),
    "rail": lambda j: set_rail(j, "supply", "host.rail_high"),
    "add network": lambda j: add_network(j, "feed", "series"),
    "drop network": lambda j: drop_network(j, "feed", 2),
    "heavier": lambda j: regauged(j, "supply_return", 18),
    "propose": lambda j: propose_plan(j, "rx"),
}
#: Edits that it refuses.
REFUSED: dict[str, Callable[[Job], Job]] = {
    "no terminal": lambda j: edits.set_value(j, "host.ghost", "impedance", OHM),
    "no field": lambda j: edits.set_value(j, "host.record_in", "colour", OHM),
    "wrong unit": lambda j: edits.set_value(
        j, "host.record_in", "impedance", Known.of(1.0, "V", Basis.TYPICAL)
    ),
    "negative": lambda j: edits.set_value(
        j, "host.record_in", "impedance", Known.of(-1.0, "Ω", Basis.TYPICAL)
    ),
    "no part": lambda j: edits.set_part(j, "feed", 2, "r9", OHM),
    "no network": lambda j: edits.set_part(j, "feed", 9, "r2", OHM),
    "nought ohm": lambda j: edits.set_part(j, "feed", 2, "r2", Known.of(0.0, "Ω", Basis.TYPICAL)),
    "no link": lambda j: edits.remove_link(j, "ghost"),
    "no port": lambda j: edits.set_conductor(j, "supply", "ghost", gauge=20),
    "gauge": lambda j: edits.set_conductor(j, "supply", "in", gauge=99),
    "no name": lambda j: edits.rename(j, "  "),
    "same point": lambda j: _log(j, against="host.rail_low"),
    "no state": lambda j: _log(j, state="asleep"),
    "negative ohm": lambda j: _log(j, function=Function.RESISTANCE, value=-1.0),
    "no reading": lambda j: strike_reading(j, "r99"),
    "no path": lambda j: edits.set_path(j, "host", "ghost", OHM),
    "cold": lambda j: edits.set_ambient(j, Known.of(-300.0, "°C", Basis.GUESSED)),
    "two inputs": lambda j: add_network(j, "feed", "sum"),
    "the sum": lambda j: drop_network(j, "feed", 0),
    "no module": lambda j: propose_plan(j, "ghost"),
}


@pytest.mark.parametrize("name", ALLOWED)
def test_an_edit_gives_a_new_sound_job_and_leaves_the_old(name: str, larkmoor: Job) -> None:
    """Undo rests on the old job staying as it was."""
    before = larkmoor
    after = ALLOWED[name](larkmoor)
    assert after != before
    check_job(after)
    assert larkmoor is before


@pytest.mark.parametrize("name", REFUSED)
def test_a_refused_edit_says_why_in_one_sentence(name: str, larkmoor: Job) -> None:
    """The refusal is typed and carries what was wrong."""
    with pytest.raises(JobError) as trouble:
        REFUSED[name](larkmoor)
    assert "\n" not in str(trouble.value)


@pytest.mark.parametrize("name", ALLOWED)
def test_no_edit_plans_a_wire_to_a_live_chassis(name: str, larkmoor: Job) -> None:
    """While links reach the host it cannot become live; with a live host no edit brings a link."""
    with pytest.raises(LiveChassisError):
        edits.set_supply(ALLOWED[name](larkmoor), SupplyClass.LIVE_CHASSIS)
    bare = larkmoor
    for link in larkmoor.links:
        bare = edits.remove_link(bare, link.id)
    live = edits.set_supply(bare, SupplyClass.LIVE_CHASSIS)
    try:
        after = ALLOWED[name](live)
    except EditError:
        return
    assert after.host.supply is not SupplyClass.LIVE_CHASSIS or not after.links


def test_a_live_chassis_refuses_a_link_with_the_reason() -> None:
    """The reason stands in the refusal."""
    job = edits.new_job("x", make_host("mains_radio"))
    job = edits.set_supply(
        edits.add_module(job, make_module("wireless_receiver_5v", "rx")), SupplyClass.LIVE_CHASSIS
    )
    with pytest.raises(LiveChassisError, match="mains potential"):
        propose_plan(job, "rx")
    link = Link(id="x", name="x", purpose=Purpose.FEED, sections=(), joins=())
    with pytest.raises(JobError):
        edits.add_link(job, link)


def test_readings_are_numbered_and_never_overwritten(larkmoor: Job) -> None:
    """A corrected reading is a new one; the old stays, struck."""
    job = strike_reading(_log(larkmoor), "r2")
    assert [r.id for r in job.readings] == [f"r{n}" for n in range(1, 19)]
    assert [r.struck for r in job.readings] == [r.id == "r2" for r in job.readings]
    assert job.readings[1].value == larkmoor.readings[1].value
