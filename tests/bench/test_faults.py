"""Each fault that papers and old gear have, planted into a stand-in, is found by following what is asked next.

| fault | what is asked | what is found |
|---|---|---|
| rail not there in standby | DC of the rail in every state | `survey.rail_not_there` |
| mislabelled point | ring it out | `survey.not_rung` |
| swapped channels | listen which side it is | `survey.swapped` |
| 5 V where the papers say audio | DC in every state | `survey.dc_on_input` |
| ground that is not the supply negative | DC between the two | `survey.ground_apart` |
| digital line that is dead | AC while it plays | no level read: its check stays without a signal |
"""

from __future__ import annotations

from collections.abc import Callable

import pytest
from msgspec.structs import replace

from asking import answered
from pigtail.advice.measure import next_readings
from pigtail.advice.plan import propose
from pigtail.bench.address import Address, MeterError
from pigtail.bench.faults import FAULTS
from pigtail.bench.made import make_stand_in
from pigtail.bench.meters import ScpiMeter
from pigtail.bench.server import Server
from pigtail.bench.truth import StandIn, load, shipped
from pigtail.catalogue.kinds import host_kinds, make_module
from pigtail.catalogue.topologies import topology
from pigtail.edits.links import add_link
from pigtail.edits.usual import join
from pigtail.edits.values import add_module
from pigtail.job.ask import Ask
from pigtail.job.document import HOST, Function, Job, Link, Purpose, Rail
from pigtail.studies.all import study_job
from pigtail.studies.findings import Severity
from pigtail.studies.survey.found import SurveyFound
from pigtail.studies.taps.found import TapsFound

Serve = Callable[[StandIn], Server]
MOST = 80


def planned(stand_in: StandIn) -> Job:
    """The papers' job with a wireless receiver planned on it, fed from the standby rail."""
    job = propose(add_module(stand_in.papers, make_module("wireless_receiver_5v", "rx")), "rx")
    if any(j.terminal == "host.rail_5v" for x in job.links for j in x.joins):
        return job
    wire = Link(
        id="standby_sense", name="Standby sense", purpose=Purpose.SUPPLY, sections=(topology("wire").section(),),
        joins=(join("in", "host.rail_5v", 0.1), join("out", "rx.vcc", 0.1)) if job.terminal("rx.vcc") else (),
    )  # fmt: skip
    return add_link(job, wire) if wire.joins else job


def followed(job: Job, meter: ScpiMeter) -> tuple[Job, list[str]]:
    """Take the readings that are asked for, one after another, until none is asked; what was asked, in order."""
    asked: list[str] = []
    seen = set()
    for _ in range(MOST):
        wanted = next_readings(job, study_job(job))
        fresh = [m for m in wanted if m.key not in seen]
        if not fresh:
            break
        m = fresh[0]
        seen.add(m.key)
        asked.append(f"{m.function.value} {m.point} {m.state} {m.load} {m.series}")
        value = min(meter.read_stable(m), 1e9)
        job = answered(job, m, value)
    return job, asked


def codes(job: Job) -> dict[str, Severity]:
    """All findings of survey and taps, by code."""
    studies = study_job(job)
    return {f.code: f.severity for f in (*studies.of(SurveyFound).findings, *studies.of(TapsFound).findings)}


FOUND = {
    "a rail that is not there in standby": ("survey.rail_not_there", Severity.FIX),
    "a mislabelled point": ("survey.not_rung", Severity.FIX),
    "swapped channels": ("survey.swapped", Severity.FIX),
    "five volts where the papers say audio": ("survey.dc_on_input", Severity.STOP),
    "a ground that is not the supply negative": ("survey.ground_apart", Severity.FIX),
}


@pytest.mark.long
@pytest.mark.parametrize("fault", FOUND)
def test_each_fault_is_found_by_following_what_is_asked(fault: str, brindle: StandIn, serve: Serve) -> None:
    """Over the road that a real meter takes; and the host without the fault shows no such finding."""
    code, severity = FOUND[fault]
    found = by_following(FAULTS[fault](brindle, ()), serve)
    assert found.get(code) is severity, found
    if not CLEAN:
        CLEAN.update(by_following(brindle, serve))
    assert code not in CLEAN


#: What is found of the host without faults, followed once for all of them.
CLEAN: dict[str, Severity] = {}


def by_following(stand_in: StandIn, serve: Serve) -> dict[str, Severity]:
    """The findings when all that is asked for was read."""
    meter = ScpiMeter(Address("127.0.0.1", serve(stand_in).port))
    job, asked = followed(planned(stand_in), meter)
    meter.close()
    assert 5 < len(asked) < MOST
    return codes(job)


@pytest.mark.long
def test_right_papers_are_confirmed_to_the_last_point(brindle: StandIn, serve: Serve) -> None:
    """On the host without faults every used point passes all its checks, and nothing more is asked of them."""
    meter = ScpiMeter(Address("127.0.0.1", serve(brindle).port))
    job, _ = followed(planned(brindle), meter)
    meter.close()
    taps = study_job(job).of(TapsFound)
    assert {f.code for f in taps.findings} == {"tap.confirmed"}, [f.sentence for f in taps.findings]
    best = {w.key: w.candidates[0].address for w in taps.wants if w.candidates and w.planned}
    assert best["audio_in"] in ("host.aux_left", "host.aux_right", "host.u7_43")


def test_the_shipped_mislabelled_line_is_found(serve: Serve) -> None:
    """The disc deck's data line does not ring out; its clocks do, and the papers name another place to try."""
    stand_in = load(shipped()["osmere"])
    job = stand_in.papers
    meter = ScpiMeter(Address("127.0.0.1", serve(stand_in).port))
    from pigtail.studies.taps.protocol import checks

    for line in ("data", "bit_clock", "word_clock"):
        check = checks(job, f"host.{line}")[0]
        assert check.function is Function.CONTINUITY
        value = meter.read_stable(check)
        job = answered(job, check, min(value, 1e9))
    meter.close()
    found = [f for f in study_job(job).of(SurveyFound).findings if f.code == "survey.not_rung"]
    assert [f.subject for f in found] == ["host.data"]
    assert job.terminal("host.data").alternatives


@pytest.mark.one_of(3)
@pytest.mark.parametrize("fault", FAULTS)
def test_faults_are_planted_where_they_can_be(fault: str) -> None:
    """At least one of the shipped or made hosts takes each, says so in words, and stays a sound file."""
    from pigtail.bench.faults import NoPlaceError
    from pigtail.bench.truth import decode, encode

    planted = 0
    for stand_in in (*map(load, shipped().values()), *(make_stand_in(k.key) for k in host_kinds())):
        try:
            made = FAULTS[fault](stand_in, ())
        except NoPlaceError:
            continue
        planted += 1
        assert made.faults
        assert decode(encode(made)) == made
    assert planted


def test_a_blown_fuse_is_told_and_the_next_reading_is_right(brindle: StandIn, serve: Serve) -> None:
    """A clip of a tenth of an ohm across a rail, and an ammeter across it: one sentence each, nothing dead afterwards."""
    meter = ScpiMeter(Address("127.0.0.1", serve(brindle).port))
    rail = next(t for t in brindle.true_job().host.terminals if isinstance(t, Rail) and t.limit and t.voltage)
    assert rail.voltage is not None
    state = brindle.papers.working_state()
    plain = Ask(f"host.{rail.id}", "host.star", state, Function.DC_VOLTS)
    with pytest.raises(MeterError, match="a fuse blew"):
        meter.read(replace(plain, load=0.1))
    assert meter.read(plain) == pytest.approx(rail.voltage.nominal, rel=0.1)
    with pytest.raises(MeterError, match="dead short"):
        meter.read(replace(plain, function=Function.CURRENT))
    assert meter.read(replace(plain, function=Function.CURRENT, against="")) >= 0.0
    with pytest.raises(MeterError, match="does not look"):
        meter.read(Ask(HOST, "", "off", Function.LOOK))
    assert meter.read(plain) == pytest.approx(rail.voltage.nominal, rel=0.1)
    meter.close()
