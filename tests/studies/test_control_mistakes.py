"""The mistakes of the trade in waking, muting and showing, each told by its code, and its clean twin, of which nothing bad is told."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from msgspec.structs import replace

from controlling import (
    WAKING,
    blinking_mute,
    control_link,
    decoded,
    enable,
    host,
    line,
    link_pin,
    muting,
    parts,
    rail,
    receiver,
    straight_down,
    transmitter,
    value,
    with_link,
    woken,
)
from pigtail import edits
from pigtail.advice.remedies import advised
from pigtail.catalogue.topologies import topology
from pigtail.edits.control import set_want
from pigtail.edits.usual import join, return_link
from pigtail.job.check import check_job
from pigtail.job.control import Acts, Doing, Drive, LineState, Pull, Stand, Switch, SwitchKind, WantedOf
from pigtail.job.document import Control, ControlIn, Job, Pin
from pigtail.model.model import Model
from pigtail.studies.all import study_job
from pigtail.studies.control.found import ControlFound
from pigtail.studies.control.study import study_control
from pigtail.studies.findings import Severity

BAD = (Severity.STOP, Severity.FIX, Severity.UNKNOWN)


def told(job: Job) -> ControlFound:
    """What Control tells of a sound job."""
    check_job(job)
    return study_control(Model.of(job))


def codes(job: Job) -> set[str]:
    """The codes of all that is not good."""
    return {f.code for f in told(job).findings if f.severity is not Severity.GOOD}


def lit(pin: Control, key: str = "led", **joins: str) -> Job:
    """A receiver with an indicator on its link pin, which blinks while it searches."""
    doings = (
        Doing(does="searching", blinking=(pin.id,)), Doing(does="linked", active=(pin.id,)), Doing(does="playing", active=(pin.id,)),
    )  # fmt: skip
    job = woken("direct", ctl="", of=host(rail(states=("radio", "aux"))), module=receiver(pin, doings=doings))
    return with_link(job, control_link("light", key, **joins))


def in_negative(*, feed: bool) -> Job:
    """An N-MOSFET in the module's negative lead, with or without an audio ground beside it."""
    job = woken("direct", ctl="", feed=feed)
    wire = return_link("supply_return", "Supply return", "rx.supply_return", "host.star", 20)
    made = replace(
        wire,
        sections=(topology("low_side_nmos").section(),),
        joins=(*wire.joins, join("ctl", "host.on_line", 0.3)),
    )
    return edits.replace_link(job, made)


def waking(
    level: str,
    key: str = "wire",
    states: tuple[str, ...] = ("radio", "aux"),
    ohm: str = "1 kΩ ±5 %",
    **more: object,
) -> Job:
    """A module whose enable a line of the host drives straight."""
    pin = enable(
        "wake",
        **{"gates": (), "pulls": Pull.DOWN, "pulled_to": None, "pull": value("100 kΩ ±20 %", "Ω"), **more},
    )
    of = host(
        rail(states=("radio", "aux")), line(level=level, ohm=ohm, least=value("2 V ±5 %", "V"), states=states)
    )
    job = woken("direct", ctl="", of=of, module=receiver(pin))
    joins = {"at_in": "host.on_line", "out": "rx.wake"} | ({"com": "host.star"} if key == "pad" else {})
    return with_link(job, control_link("waking", key, **joins))


def high_voltage(key: str, watts: str = "") -> Job:
    """A line of 210 V that is there while the amplifier section works."""
    job = woken(
        key, of=host(rail(), line(level="210 V ±10 %", ohm="4.7 kΩ ±10 %", least=value("150 V ±5 %", "V")))
    )
    if watts:
        job = edits.set_rating(job, "supply", 0, "r1", value(watts, "W"))
        job = edits.set_rating(job, "supply", 0, "c1", value("25 V", "V"))
    return job


def standby_line(level: str) -> Control:
    """A line that is high while the host waits, and low while it is on."""
    least = value(f"{0.7 * float(level.split(maxsplit=1)[0]):g} V ±2 %", "V")
    return Control(
        id="waits",
        name="standby line",
        level=value(level, "V"),
        impedance=value("1 kΩ ±5 %", "Ω"),
        states=("standby",),
        least=least,
    )


def strong(key: str) -> Job:
    """A relay that a strong line works."""
    return woken(key, of=host(rail(), line(ohm="470 Ω ±5 %")))


def always_muting() -> Job:
    """A transmitter whose link pin is high while it searches too."""
    doings = (Doing(does="searching", active=("link",)), Doing(does="linked"), Doing(does="transmitting"))
    job = muting()
    return replace(job, modules=(transmitter(doings=doings),))


def amplifier(pulls: Pull) -> Job:
    """A module with an amplifier whose enable nothing drives."""
    pin = enable(
        "wake",
        pulls=pulls,
        gates=("out_left",),
        pulled_to=None,
        acts=Acts.ENABLES,
        most=value("6 V ±1 %", "V"),
    )
    return woken("direct", ctl="", of=host(rail(states=("radio", "aux"))), module=receiver(pin))


def heard_while_linked(key: str) -> Job:
    """A speaker that is to be heard only while the transmitter is linked: pulled down while it is not, or held down and let up by it."""
    pulled = key == "pull_nmos"
    pin = {} if pulled else {"pulls": Pull.DOWN, "pulled_to": None}
    job = muting(key, **pin)
    (module,) = job.modules
    job = replace(job, modules=(
        replace(module, terminals=(*module.terminals[:-1], replace(module.terminals[-1], inverted=pulled))),))  # fmt: skip
    if not pulled:
        job = edits.replace_link(job, control_link("mute", key, at_in="tx.link", out="host.amp_enable"))
    for doing, yes in (("unplugged", False), ("searching", False), ("linked", True), ("transmitting", True)):
        for state in ("radio", "aux"):
            job = set_want(job, "host.speaker", WantedOf.HEARD, state, doing, yes)
    return job


def strong_line(volts: str, key: str = "high_side_pmos_nmos") -> Job:
    """A module woken by a line of many volts that can give much."""
    return woken(key, of=host(rail(), line(level=volts, ohm="100 Ω ±5 %", least=value("1 V ±5 %", "V"))))


#: Mistake, the code that tells it, its clean twin.
MISTAKES: dict[str, tuple[Callable[[], Job], str, Callable[[], Job]]] = {
    "a base resistor that pulls the line down": (lambda: parts(woken(), "supply", rd=4700), "control.line_pulled_down", woken),
    "a switch in the negative lead": (lambda: in_negative(feed=True), "control.stays_on", woken),
    "mute while nothing is linked": (always_muting, "control.not_heard", muting),
    "an enable that nothing holds": (lambda: amplifier(Pull.NONE), "control.undecided", lambda: amplifier(Pull.UP)),
    "an enable of which nobody knows the pull": (
        lambda: amplifier(Pull.UNKNOWN), "control.pull_unknown", lambda: amplifier(Pull.UP)),
    "an enable that is pulled off while it plays": (
        lambda: amplifier(Pull.DOWN), "control.not_enabled", lambda: amplifier(Pull.UP)),
    "an indicator from a weak pin": (
        lambda: lit(link_pin(impedance=value("10 kΩ ±10 %", "Ω")), at_in="rx.link", out="host.star"), "control.not_seen",
        lambda: lit(link_pin(), at_in="rx.link", out="host.star")),
    "an indicator that takes more than its pin may give": (
        lambda: parts(lit(link_pin(sources=value("1 mA ±1 %", "A")), at_in="rx.link", out="host.star"), "light", r1=100.0),
        "control.sources_too_much", lambda: lit(link_pin(), at_in="rx.link", out="host.star")),
    "an indicator from an open drain to ground": (
        lambda: lit(link_pin(drive=Drive.OPEN_DRAIN), at_in="rx.link", out="host.star"), "control.wrong_way",
        lambda: lit(link_pin(drive=Drive.OPEN_DRAIN), at_in="host.always", out="rx.link")),
    "an indicator of an active-low pin to ground": (
        lambda: lit(link_pin(inverted=True), at_in="rx.link", out="host.star"), "control.wrong_way",
        lambda: lit(link_pin(), at_in="rx.link", out="host.star")),
    "an active-low line on an NPN": (
        lambda: woken(ctl="host.waits", of=host(rail(), standby_line("3.3 V ±3 %"))), "control.stays_on", woken),
    "a line of 3.3 V against a gate of 5 V": (
        lambda: woken("high_side_pmos", ctl="host.waits", of=host(rail(), standby_line("3.3 V ±3 %"))), "control.stays_on",
        lambda: woken("high_side_pmos", ctl="host.waits", of=host(rail(), standby_line("5 V ±2 %")))),
    "a relay without its diode": (lambda: strong("relay_bare"), "control.coil_bare", lambda: strong("relay")),
    "a coil of more volts than its rail has": (
        lambda: parts(strong("relay"), "supply", vcoil=12.0, rcoil=720.0), "control.coil_weak", lambda: strong("relay")),
    "a high-voltage line on a base": (lambda: high_voltage("high_side_pnp"), "control.high_voltage", woken),
    "a high-voltage line on a resistor of an eighth of a watt": (
        lambda: high_voltage("relay_held", "0.125 W"), "control.resistor_volts", lambda: high_voltage("relay_held", "0.5 W")),
    "a high-voltage line on a resistor nobody rated": (
        lambda: high_voltage("relay_held"), "control.resistor_unrated", lambda: high_voltage("relay_held", "0.5 W")),
    "a gate drive below its threshold": (
        lambda: woken("high_side_pmos_nmos", of=host(rail(), line(level="0.9 V ±3 %", ohm="1 kΩ", least=value("0.7 V", "V")))),
        "control.not_powered", lambda: woken("high_side_pmos_nmos")),
    "a gate that does not stand its rail": (
        lambda: woken("high_side_pmos_npn", of=host(rail(volts="16 V ±2 %"), line()), module=receiver(maximum=value("20 V", "V"))),
        "control.gate_breaks", lambda: woken("high_side_pmos_npn")),
    "5 V into an enable of 3.3 V": (
        lambda: waking("5 V ±2 %"), "control.level_too_high",
        lambda: parts(waking("5 V ±2 %", "pad"), "waking", r1=10e3, r2=18e3)),
    "an enable that feeds a module past its switch": (
        lambda: waking("5 V ±2 %", states=WAKING, ohm="100 Ω ±5 %", most=value("6 V ±1 %", "V")), "control.stays_on",
        lambda: waking("5 V ±2 %", ohm="100 Ω ±5 %", most=value("6 V ±1 %", "V"))),
    "a line of which nobody knows what the host needs": (
        lambda: woken(of=host(rail(), line(least=None))), "control.line_need", lambda: woken("high_side_pmos_nmos")),
    "a mute that a blinking pin steers": (blinking_mute, "control.chatters", lambda: blinking_mute(blinks=False)),
    "an average that ripples as much as it tells": (lambda: decoded(1e-6), "control.not_decoded", decoded),
    "an average of what only pulls down": (lambda: decoded(drain=True), "control.nothing_to_average", decoded),
    "an average of a blinking nobody timed": (lambda: decoded(rate=""), "control.decoded", decoded),
    "12 V on a pin that only pulls down": (
        lambda: straight_down("5.5 V ±1 %"), "control.pin_too_high", lambda: straight_down("30 V ±1 %")),
    "12 V on a pin of which nobody knows what it stands": (
        lambda: straight_down(""), "control.pin_stands", lambda: straight_down("30 V ±1 %")),
    "a negative line on an enable": (
        lambda: waking("-5 V ±2 %"), "control.driven_below", lambda: waking("3.3 V ±2 %")),
    "a speaker that screams while the module is unpowered": (
        lambda: heard_while_linked("pull_nmos"), "control.not_mute", lambda: heard_while_linked("wire")),
    "a mute too weak to pull": (
        lambda: parts(muting("pull_npn"), "mute", rd=2.2e6), "control.never", lambda: muting("pull_npn")),
    "a transistor that does not stand what it pulls": (
        lambda: muting(pulled_to=value("58 V ±3 %", "V"), high=value("20 V ±5 %", "V"), most=value("90 V ±1 %", "V")),
        "control.stands_not",
        lambda: muting(pulled_to=value("12 V ±3 %", "V"), high=value("8 V ±5 %", "V"), most=value("15 V ±1 %", "V"))),
    "24 V on the gate of a driver": (
        lambda: strong_line("24 V ±5 %"), "control.gate_breaks", lambda: strong_line("12 V ±5 %")),
    "an isolator's diode straight on a strong line": (
        lambda: parts(strong_line("12 V ±5 %", "high_side_opto"), "supply", rd=22.0), "control.diode_burns",
        lambda: parts(strong_line("12 V ±5 %", "high_side_opto"), "supply", rd=2200.0)),
    "a negative line on a base": (lambda: strong_line("-12 V ±5 %", "high_side_pnp"), "control.base_breaks", woken),
    "a base resistor too high to saturate": (
        lambda: parts(woken(), "supply", rb=22e3), "control.not_powered", woken),
}  # fmt: skip


@pytest.mark.one_of(3)
@pytest.mark.parametrize("mistake", MISTAKES)
def test_a_mistake_of_control_is_told(mistake: str) -> None:
    """By the code that names it, as stop, fix or unknown; a cell that is bad says why, and what makes it so."""
    make, code, _ = MISTAKES[mistake]
    found = told(make())
    assert code in {f.code for f in found.findings if f.severity in BAD}, [
        (f.severity.value, f.code) for f in found.findings
    ]
    for cell in (c for row in found.rows for c in row.cells if c.severity in BAD):
        assert cell.why
        assert cell.lit


@pytest.mark.parametrize("mistake", MISTAKES)
def test_its_clean_twin_is_told_nothing_bad(mistake: str) -> None:
    """Neither stop, nor fix, nor unknown."""
    found = told(MISTAKES[mistake][2]())
    assert [(f.code, f.sentence) for f in found.findings if f.severity in BAD] == []


@pytest.mark.one_of(20, 2)
@pytest.mark.parametrize("mistake", MISTAKES)
def test_each_remedy_mends_what_it_is_offered_for(mistake: str) -> None:
    """Taken and studied again, its finding is no stop or fix any more, and no other is worse in its place."""
    make, code, _ = MISTAKES[mistake]
    job = make()
    for finding in advised(job, study_job(job)).findings:
        if finding.code != code or finding.severity not in (Severity.STOP, Severity.FIX):
            continue
        for remedy in finding.remedies:
            after = told(remedy.edit(job))
            left = {f.code for f in after.findings if f.severity in (Severity.STOP, Severity.FIX)}
            assert code not in left, remedy.label
            assert left <= codes(job), remedy.label


def test_a_permanent_rail_in_standby_is_told() -> None:
    """In Power, as what it does to the host; a switch mends it."""
    plain = {f.code for f in study_job(woken("direct", ctl="")).findings}
    switched = {f.code for f in study_job(woken("high_side_pmos_nmos")).findings}
    assert "power.always_on" in plain
    assert "power.always_on" not in switched


def test_a_module_on_in_every_source_is_told() -> None:
    """It lives while the radio plays; fed only where its source is chosen it does not."""
    every = {f.code for f in study_job(woken("high_side_pmos_nmos")).findings}
    own = woken("high_side_pmos_nmos", of=host(rail(), line(states=("aux",))))
    assert "power.every_source" in every
    assert "power.every_source" not in {f.code for f in study_job(own).findings}


# -- the table -----------------------------------------------------------------------------------------------


def test_the_table_has_a_row_for_every_state_and_all_that_a_module_does() -> None:
    """Four states; while it is fed a row for each thing that it does, and one with its plug off."""
    found = told(muting())
    assert [(r.state, r.doing) for r in found.rows] == [
        ("off", "off"), ("standby", "off"), ("radio", "searching"), ("radio", "linked"), ("radio", "transmitting"),
        ("aux", "searching"), ("aux", "linked"), ("aux", "transmitting"), ("aux", "unplugged"),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("doing", "word"),
    [("searching", "heard"), ("linked", "mute"), ("transmitting", "mute"), ("unplugged", "heard")],
)
def test_the_speaker_is_mute_while_it_is_linked_and_no_longer(doing: str, word: str) -> None:
    """The enable is pulled down by the link pin alone."""
    found = told(muting())
    row = found.row("aux", "tx", doing)
    assert row is not None
    cell = found.cell(row, "output.host.speaker")
    assert cell is not None
    assert cell.word == word


def test_what_is_wanted_is_judged_against() -> None:
    """A speaker that is to be heard while it is linked is told not to be; the same wish the other way round is met."""
    from pigtail.edits.control import set_want
    from pigtail.job.control import WantedOf

    heard = set_want(muting(), "host.speaker", WantedOf.HEARD, "aux", "linked", True)
    mute = set_want(muting(), "host.speaker", WantedOf.HEARD, "aux", "linked", False)
    assert "control.not_heard" in codes(heard)
    assert told(mute).verdict is Severity.GOOD


def test_a_line_told_in_each_state_is_solved_so() -> None:
    """0.9 V in standby, 2.1 V on: an NPN is on in both, a comparator between them is not."""
    levels = (
        LineState(state="standby", level=value("0.9 V ±2 %", "V")),
        LineState(state="aux", level=value("2.1 V ±2 %", "V")),
    )
    job = woken(
        "high_side_pmos_npn",
        of=host(
            rail(),
            line(level="2.1 V ±2 %", ohm="1 kΩ ±5 %", least=value("0.5 V ±2 %", "V"), per_state=levels),
        ),
    )
    found = told(job)
    standby = found.row("standby")
    assert standby is not None
    cell = found.cell(standby, "line.host.on_line")
    assert cell is not None
    assert cell.text.startswith(("89", "90", "0.9"))
    assert "control.stays_on" in {f.code for f in found.findings}


def test_nothing_known_is_never_good() -> None:
    """A line of unknown source resistance, an enable of unknown levels."""
    assert Severity.UNKNOWN in {
        f.severity for f in told(woken(of=host(rail(), line(impedance=None)))).findings
    }
    assert Severity.UNKNOWN in {f.severity for f in told(muting(high=None)).findings}


# -- trigger boards ------------------------------------------------------------------------------------------


def trigger(name: str, pulls: Pull = Pull.UP) -> ControlIn:
    """A trigger input that is fired by ground."""
    return ControlIn(
        id=name, name=name, acts=Acts.TRIGGERS, active_low=True, low=value("0.8 V ±10 %", "V"), high=value("2 V ±10 %", "V"),
        pulls=pulls, pull=value("47 kΩ ±20 %", "Ω"), most=value("5.5 V ±1 %", "V"),
    )  # fmt: skip


def sounds(*, pulls: Pull = Pull.UP, crossed: bool = False, held: bool = False) -> Job:
    """A sound board: the selector's common goes to ground through a button, each position to an input of its own."""
    points = [Pin(id=p, name=p) for p in ("common", "way_a", "way_b", "foot")]
    selector = Switch(
        id="selector", name="selector", kind=SwitchKind.SELECTOR, common="common", ways=("way_a", "way_b")
    )
    button = Switch(
        id="button", name="button", kind=SwitchKind.SWITCH if held else SwitchKind.BUTTON, common="common", ways=("foot",),
        stands=(Stand(state="aux", way="foot"),) if held else (),
    )  # fmt: skip
    of = host(rail(states=("radio", "aux")), *points, switches=(selector, button))
    module = receiver(trigger("one", pulls), trigger("two"))
    job = woken("direct", ctl="", of=of, module=module)
    ends = {"one": "rx.one", "two": "rx.one" if crossed else "rx.two"}
    job = with_link(job, control_link("first_way", "wire", at_in="host.way_a", out=ends["one"]))
    job = with_link(job, control_link("second_way", "wire", at_in="host.way_b", out=ends["two"]))
    if crossed:
        job = with_link(job, control_link("third_way", "wire", at_in="host.way_a", out="rx.two"))
    return with_link(job, control_link("foot_wire", "wire", at_in="host.foot", out="host.star"))


def test_each_position_fires_its_own_input() -> None:
    """Pressed in position one the first, in position two the second, and nothing with nothing pressed."""
    found = told(sounds())
    assert {(p.position, p.fires) for p in found.presses if p.button} == {
        ("selector on way_a", ("rx.one",)), ("selector on way_b", ("rx.two",)),
    }  # fmt: skip
    assert all(not p.fires for p in found.presses if not p.button)
    assert "control.triggers" in {f.code for f in found.findings}


@pytest.mark.parametrize(("job", "code"), [
    (lambda: sounds(crossed=True), "control.trigger_two"),
    (lambda: sounds(pulls=Pull.NONE), "control.trigger_floats"),
    (lambda: sounds(held=True), "control.trigger_held"),
    (lambda: sounds(pulls=Pull.DOWN), "control.trigger_held"),
    (lambda: replace(sounds(), links=tuple(x for x in sounds().links if x.id != "foot_wire")), "control.trigger_none"),
    (lambda: replace(sounds(held=True), links=tuple(x for x in sounds().links if x.id != "foot_wire")), "control.trigger_none"),
])  # fmt: skip
def test_two_at_once_and_what_floats_are_told(job: Callable[[], Job], code: str) -> None:
    """Two inputs on one contact, an input that nothing holds, a switch that stays closed, a pull the wrong way, a foot joined to nothing."""
    assert code in codes(job())
