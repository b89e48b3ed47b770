"""The table of judgements: every entry can be said for every severity, and its numbers are ones that studies give."""

from __future__ import annotations

import re

import pytest
from msgspec.structs import replace

from controlling import (
    control_link,
    enable,
    host,
    line,
    link_pin,
    muting,
    rail,
    receiver,
    speaker,
    straight_down,
    transmitter,
    with_link,
    woken,
)
from feeds import CASES, known, pad, through
from pigtail import edits
from pigtail.bench.truth import load, shipped
from pigtail.catalogue.topologies import topology
from pigtail.edits.plan import add_second_rail, put_supply, set_converter, set_stage_rail
from pigtail.edits.usual import join
from pigtail.job.control import Acts, Doing, Drive, Pull, Stand, Switch
from pigtail.job.document import Job, Pin
from pigtail.job.energy import KeptBy, RailState, Regulator
from pigtail.model import subjects
from pigtail.model.estimate import Estimate, Input
from pigtail.studies.all import study_job
from pigtail.studies.findings import Severity
from pigtail.studies.judging import judge, judgements
from pigtail.units import Basis, Known
from practising import plan_of
from supplying import PIN, battery_job, rail_job, volts, winding_job

WORDS = {k: f"<{k}>" for k in (
    "name", "back", "side", "way", "volts", "highest", "lowest", "reaches", "burst", "most", "margin", "spent", "loop", "loop_code",
    "source", "module", "polarity", "most_w", "wanted_w", "supply_needed_v", "power_w", "over_own", "low_corner", "link", "stage",
    "where", "when", "converter", "battery", "hours", "before", "end", "drawn", "state", "full", "charge", "rectifier", "back",
    "most_back", "stands", "marking", "told", "label", "fuse", "rated", "on", "carries", "inrush", "surge", "input", "most_in", "ripple", "core_dc", "turn", "alone", "playing", "dips", "crest", "next_way", "mix_way", "mix_side",
    "given", "can", "current", "load_a", "gate_v", "coil_v", "spent_w", "own_imax", "own_vmax", "own_vgate", "own_vdrive", "own_vcoil",
    "base_back", "mean", "steady", "settles", "diode_a", "own_idiode",
)}  # fmt: skip
CODES = sorted(judgements())


def humming() -> Job:
    """The mixer on an AC adapter with a receiver planned on it."""
    job = plan_of(load(shipped()["marrowby"]), "wireless_receiver_5v")
    assert job is not None
    return edits.set_path(job, "host", "pickup_to_star", Known.of(0.1, "Ω", Basis.DOCUMENTED))


def lives() -> list[Job]:
    """Supplies that live otherwise than from one rail in one state."""
    busy = {"transmitting": volts("300 mA", "A"), "capacitance": volts("100 µF", "F")}
    rail = rail_job("direct", "5 V ±1 %", limit=volts("0.3 A", "A"), pin=busy, store=volts("100 µF", "F"), states=("off", "on"),
                    per_state=(RailState(state="off", voltage=volts("4.7 V"), limit=volts("50 mA", "A")),))  # fmt: skip
    cell = rail_job("charger_cell", "5 V", kind="wireless_receiver_low")
    second = replace(next(t for t in rail.host.terminals if t.id == "rail"), id="second", name="second")
    two = replace(rail, host=replace(rail.host, terminals=(*rail.host.terminals, second)))
    return [rail, rail_job("linear", "12 V", pin=busy), cell, add_second_rail(two, "supply", "host.second")]


def controls() -> list[Job]:
    """Modules that are woken, mute and show, by all that is judged of that."""
    strong = host(rail(), line(ohm="470 Ω"))
    lit = with_link(muting(), control_link("light", "led", at_in="tx.link", out="host.star"))
    sunk = with_link(
        woken("direct", ctl="", module=receiver(link_pin(drive=Drive.OPEN_DRAIN))),
        control_link("light", "led", at_in="host.always", out="rx.link"),
    )
    weak = woken(of=host(rail(), line(least=None, takes=known(0.005, "A"))))
    pole = Switch(id="pole", name="pole", common="pole", ways=("contact",), stands=(Stand(state="aux", way="contact"),),
                  volts=known(30.0, "V"), amperes=known(1.0, "A"))  # fmt: skip
    of = host(rail(), Pin(id="pole", name="pole"), Pin(id="contact", name="contact"), switches=(pole,))
    by_contact = with_link(
        woken("direct", ctl="", of=of, source="host.contact"),
        control_link("p", "wire", at_in="host.always", out="host.pole"),
    )
    muted = woken("direct", ctl="", of=host(rail(), line(states=("radio",))))
    feed = muted.link("feed")
    assert feed is not None
    joins = (*feed.joins, join("ctl", "host.on_line", 0.3))
    muted = edits.replace_link(
        muted, replace(feed, sections=(*feed.sections, topology("mute_nmos").section()), joins=joins)
    )
    pin = enable(acts=Acts.READ, pulls=Pull.NONE, pull=None, pulled_to=None, gates=())
    blinking = transmitter(
        doings=(Doing(does="searching", blinking=("link",)), Doing(does="linked", active=("link",)))
    )
    timed = replace(blinking.terminals[-1], blink=known(2.0, "Hz"), duty=known(0.5, ""))
    blinking = replace(blinking, terminals=(*blinking.terminals[:-1], timed))
    averaged = replace(
        muting(), host=host(rail(states=("radio", "aux")), pin, speaker()), modules=(blinking,)
    )
    averaged = edits.replace_link(
        averaged,
        control_link("mute", "blink_decode", at_in="tx.link", out="host.amp_enable", com="host.star"),
    )
    lifted = woken("high_side_pmos", of=host(rail(), line(states=("standby",))))
    return [
        woken(),
        lifted,
        woken("high_side_pmos_npn"),
        woken("relay", of=strong),
        lit,
        sunk,
        weak,
        by_contact,
        muted,
        averaged,
        woken("high_side_opto", of=strong),
        straight_down("30 V ±1 %"),
        with_link(
            woken(
                "direct",
                ctl="",
                of=host(rail(), line(level="-5 V ±2 %")),
                module=receiver(enable("wake", gates=())),
            ),
            control_link("below", "wire", at_in="host.on_line", out="rx.wake"),
        ),
    ]


def stage_on_a_rail(volts: float = 24.0) -> Job:
    """The hall's feed through a stage that is supplied from a rail of the host."""
    rail = Known.of(volts, "V", Basis.DOCUMENTED, tolerance=0.02)
    job = edits.set_value(through(pad(), "feed_left", "gain"), "host.rail_5v", "voltage", rail)
    return set_stage_rail(job, "feed_left", "host.rail_5v")


def _numbers(code: str, value: float | None, missing: tuple[Input, ...] = ()) -> dict[str, Estimate]:
    entry = judgements()[code]
    low = high = float("nan") if value is None else value
    made = Estimate(value, low, high, "V", Basis.TYPICAL, "the number", (), missing)
    return {entry.number: made, **({entry.shown: made} if entry.shown else {})}


@pytest.mark.parametrize("code", CODES)
def test_each_severity_is_said_in_full(code: str) -> None:
    """At a value on either side of each limit: the right severity, a code of its own kind, no gap in the sentence."""
    entry = judgements()[code]
    grade = entry.grading()
    ends = [
        x for limit in (entry.good, entry.watch) for x in (limit if isinstance(limit, tuple) else (limit,))
    ]
    near = [x + step for x in ends for step in (-1e-9, 0.0, 1e-9) if abs(x) < 1e9]
    for value in (-1e6, *near, sum(near) / len(near), 1e6):
        finding = judge(code, _numbers(code, value), "x", WORDS)
        wanted = grade(value)
        assert finding.severity is (Severity(entry.worst) if wanted is Severity.FIX else wanted)
        assert finding.code.startswith(code.split(".", maxsplit=1)[0])
        assert not set("{}") & set(finding.sentence + finding.why + finding.code)
        assert finding.sentence.endswith((".", ">"))


@pytest.mark.parametrize("code", CODES)
def test_what_is_missing_is_named_with_its_own_code(code: str) -> None:
    """Unknown keeps the plain code, whatever braces a name may hold."""
    missing = Input("a", "the {odd} name", None, (1.0, 2.0), subjects.terminal("host.a"), "a")
    finding = judge(code, _numbers(code, None, (missing,)), "x", WORDS)
    assert finding.severity is Severity.UNKNOWN
    assert finding.code == code
    assert "the (odd) name not known" in finding.sentence
    assert (finding.value, finding.margin) == (None, None)


def test_the_margin_is_the_least_over_the_spread() -> None:
    """Positive inside the limit, negative beyond it, and taken without sign where both sides count."""
    spread = {"offset_v": Estimate(-0.05, -0.09, 0.02, "V", Basis.TYPICAL, "x")}
    assert judge("level.offset", spread, "x", WORDS).margin == pytest.approx(0.01)
    hot = {"regulator_tj_c": Estimate(110.0, 90.0, 130.0, "°C", Basis.TYPICAL, "x")}
    finding = judge("power.hot", hot, "x", WORDS, watch=125.0)
    assert finding.margin == pytest.approx(-5.0)
    assert finding.severity is Severity.UNKNOWN


@pytest.mark.long
def test_every_entry_is_used_by_a_study(larkmoor: Job, tidewell: Job) -> None:
    """No judgement lies in the table unread, and none names a number that no study gives."""
    jobs = [
        larkmoor,
        tidewell,
        set_converter(larkmoor, "supply", "buck"),
        set_converter(larkmoor, "supply", "direct"),
        *(make() for make in CASES.values()),
        through(pad(), "feed_left", "transformer"),
        stage_on_a_rail(),
        stage_on_a_rail(-24.0),
        winding_job(),
        humming(),
        battery_job(charge=volts("0.5 A", "A"), charge_from=volts("5 V")),
        battery_job(states=()),
        put_supply(rail_job(), PIN, "host.rail", ("supply_fuse", "supply_filter")),
        rail_job(
            "direct",
            "9 V",
            pin={"behind": "78M05"},
            kept=KeptBy.LINEAR,
            regulator=Regulator(fed=volts("12 V"), theta=volts("20", "°C/W")),
        ),
    ]
    jobs += [*lives(), *controls()]
    studies = [study_job(j) for j in jobs]
    numbers = {name.split(".")[-1] for s in studies for name in s.numbers}
    said = [f for s in studies for f in s.findings]
    for code, entry in judgements().items():
        spoken = tuple(re.sub(r"\{.*?\}", "", c) for c in (code, *entry.codes.values()))
        heard = [f for f in said if f.code.startswith(spoken)]
        assert heard, code
        assert {entry.number, entry.shown} - {""} <= numbers or any(f.value is not None for f in heard), code
