"""The survey: cautions by supply class, points to be confirmed, and readings that contradict the papers."""

from __future__ import annotations

from datetime import datetime

import pytest

from pigtail import edits
from pigtail.advice.plan import propose
from pigtail.catalogue.cautions import CAUTIONS, LOCAL_CODES
from pigtail.catalogue.kinds import make_host, make_module
from pigtail.edits.readings import log_reading, strike_reading
from pigtail.job.ask import Ask
from pigtail.job.document import AudioIn, AudioOut, Function, Job, Purpose, SupplyClass
from pigtail.model.model import Model
from pigtail.studies.all import study_job
from pigtail.studies.findings import Severity
from pigtail.studies.survey.expecting import expected
from pigtail.studies.survey.onspot import judged
from pigtail.studies.survey.study import study_survey
from supplying import rail_job

SUPPLY_CODES = ("survey.supply", "survey.supply_unknown", "survey.live_chassis")
WHEN = datetime(2026, 11, 25, 10, 0)


def codes(job: Job) -> dict[str, Severity]:
    """Severity by code of the survey's findings."""
    return {f.code: f.severity for f in study_survey(Model.of(job)).findings}


@pytest.mark.parametrize("supply", list(SupplyClass))
def test_each_supply_class_has_cautions_that_its_finding_repeats(supply: SupplyClass) -> None:
    """Cautions stand where the host is opened, with local codes and licensed practice before all."""
    job = edits.set_supply(edits.new_job("x", make_host("mains_radio")), supply)
    finding = next(f for f in study_survey(Model.of(job)).findings if f.code in SUPPLY_CODES)
    assert CAUTIONS[supply]
    assert all(caution in finding.why for caution in (*CAUTIONS[supply], LOCAL_CODES))


@pytest.mark.parametrize(
    "supply", [s for s in SupplyClass if s.value.startswith("mains") or s is SupplyClass.VALVE]
)
def test_mains_cautions_keep_people_off_the_primary_side(supply: SupplyClass) -> None:
    """Unplug, or do not touch at all; the primary side is for a licensed or qualified person."""
    words = " ".join(CAUTIONS[supply]).lower()
    assert "licensed" in words or "qualified" in words
    assert "unplug" in words or "no wire" in words


def test_a_live_chassis_is_a_stop_and_an_unknown_supply_is_unknown() -> None:
    """Neither is ever good."""
    job = edits.new_job("x", make_host("mains_radio"))
    assert codes(job)["survey.supply_unknown"] is Severity.UNKNOWN
    assert codes(edits.set_supply(job, SupplyClass.LIVE_CHASSIS))["survey.live_chassis"] is Severity.STOP


def _read(job: Job, point: str, value: float, state: str) -> Job:
    return log_reading(
        job, point=point, against="host.star", state=state, function=Function.DC_VOLTS, value=value, when=WHEN
    )  # fmt: skip


@pytest.mark.parametrize(
    ("volts", "state", "code"),
    [(24.1, "on", None), (11.0, "on", "survey.rail_not_there"), (0.0, "idle", "survey.rail_not_there"), (0.2, "off", None),
     (23.9, "off", "survey.still_charged"), (6.0, "off", "survey.rail_stays"), (21.0, "on", "survey.differs")],
)  # fmt: skip
def test_a_rail_is_compared_with_its_papers_state_by_state(
    larkmoor: Job, volts: float, state: str, code: str | None
) -> None:
    """There when it should be, gone when it should be, and as high as the papers say."""
    found = set(codes(_read(larkmoor, "host.rail_low", volts, state))) & {
        "survey.rail_not_there", "survey.still_charged", "survey.rail_stays", "survey.differs"
    }  # fmt: skip
    assert found == ({code} if code else set())


def test_a_point_is_confirmed_by_any_reading_of_it_until_that_is_struck(larkmoor: Job) -> None:
    """The star was only ever the black probe; that counts. Struck, the point is open again."""
    assert "survey.not_read" not in codes(larkmoor)
    open_again = larkmoor
    for reading in larkmoor.readings:
        if "host.star" in (reading.point, reading.against):
            open_again = strike_reading(open_again, reading.id)
    subjects = {f.subject for f in study_survey(Model.of(open_again)).findings if f.code == "survey.not_read"}
    assert subjects == {"host.rail_low", "host.star"}


def test_sound_goes_the_way_that_host_and_module_allow() -> None:
    """A receiver feeds the host's inputs, a transmitter is fed by its outputs, channel by channel."""
    for module, source, sink in (
        ("wireless_receiver_5v", "m.", "host."),
        ("wireless_transmitter_5v", "host.", "m."),
    ):
        job = propose(
            edits.add_module(edits.new_job("x", make_host("tape_recorder")), make_module(module, "m")), "m"
        )
        feeds = [x for x in job.links if x.purpose is Purpose.FEED]
        assert [x.id for x in feeds] == ["feed_left", "feed_right"]
        for feed in feeds:
            ends = {j.port: j.terminal for j in feed.joins}
            first = next(p for p in ends if p.startswith("in"))
            assert ends[first].startswith(source)
            assert ends["out"].startswith(sink)
            start, end = job.terminal(ends[first]), job.terminal(ends["out"])
            assert isinstance(start, AudioOut)
            assert isinstance(end, AudioIn)
            assert start.channel is end.channel


AT_PLUG = [
    (5.02, None, "on", "survey.plug_right", Severity.GOOD),
    (4.98, 39.0, "on", "survey.plug_holds", Severity.GOOD),
    (-5.0, None, "on", "survey.plug_reversed", Severity.STOP),
    (9.1, None, "on", "survey.plug_too_high", Severity.STOP),
    (5.6, None, "on", "survey.plug_too_high", Severity.STOP),
    (4.1, None, "on", "survey.plug_too_low", Severity.FIX),
    (3.2, 39.0, "on", "survey.plug_too_low", Severity.FIX),
    (0.0, None, "off", "reading.noted", Severity.GOOD),
    (5.0, None, "off", "survey.plug_awake", Severity.FIX),
]


@pytest.mark.parametrize(("volts", "load", "state", "code", "severity"), AT_PLUG)
def test_a_plug_is_read_before_the_module_is_joined(
    volts: float, load: float | None, state: str, code: str, severity: Severity
) -> None:
    """Which way round, how many volts, whether they hold under the resistor that it names; what is wrong keeps the module off."""
    job = rail_job("linear_large", "9 V ±2 %", states=("on",))
    job = log_reading(
        job, point="rx.supply", against="rx.supply_return", state=state, function=Function.DC_VOLTS, value=volts, load=load,
        when=datetime(2026, 11, 27, 12, 0),
    )  # fmt: skip
    found = judged(job, job.readings[-1])
    assert (found.code, found.severity) == (code, severity), found.sentence
    if code == "survey.plug_right":
        assert "39 Ω" in found.sentence  # 5 V over the burst of 130 mA
        assert "650 mW" in found.sentence or "640 mW" in found.sentence
    if severity is Severity.STOP:
        assert "build.stopped" in {f.code for f in study_job(job).findings}


def test_what_a_plug_should_read_is_told_beforehand() -> None:
    """The volts that the module takes; nothing where nobody knows them."""
    job = rail_job("linear_large", "9 V ±2 %")
    ask = Ask("rx.supply", "rx.supply_return", "on", Function.DC_VOLTS)
    told = expected(job, ask)
    assert told is not None
    assert (told.low, told.high) == (4.75, 5.25)
    assert "not joined yet" in told.words
    assert expected(rail_job(pin={"minimum": None}), ask) is None
