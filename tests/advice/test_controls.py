"""The search for what wakes, mutes and shows: what is offered is sound, the best is the best of all, what cannot be told apart is named."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace

from controlling import control_link, host, line, link_pin, muting, rail, receiver, value, with_link, woken
from pigtail.advice.control_schools import control_contests
from pigtail.advice.controls import (
    ControlStep,
    _codes,
    _rank,
    _solved,
    controlled,
    search_controls,
    steps_of,
    take_step,
    ways,
)
from pigtail.advice.found import Controlled
from pigtail.advice.telling import not_told, tellers, wished
from pigtail.catalogue.topologies import Does, topology
from pigtail.edits.control import set_want
from pigtail.job.control import Doing, LineState, WantedOf
from pigtail.job.document import Control, Job
from pigtail.job.errors import EditError
from pigtail.model.model import Model
from pigtail.model.probed import LEFT_ASLEEP
from pigtail.model.spread import Samples
from pigtail.studies.control.asked import Scene
from pigtail.studies.control.moments import case_of, idle, moments
from pigtail.studies.control.study import study_control
from pigtail.studies.findings import ORDER, Severity


def unmuted(job: Job) -> Job:
    """The job without its mute."""
    return replace(job, links=tuple(x for x in job.links if x.id != "mute"))


def random_job(seed: int) -> Job:
    """A receiver on a random permanent rail, with a random line."""
    rng = np.random.default_rng(seed)
    level, ohm = rng.uniform(1.5, 12.0), 10 ** rng.uniform(2.0, 4.7)
    of = host(
        rail(volts=f"{rng.uniform(4.8, 5.3):.3g} V ±1 %"),
        line(
            level=f"{level:.3g} V ±3 %",
            ohm=f"{ohm:.3g} Ω ±5 %",
            least=value(f"{rng.uniform(0.4, 0.9) * level:.3g} V", "V"),
        ),
    )
    return woken("direct", ctl="", of=of, module=receiver(maximum=value("5.6 V ±1 %", "V")))


@pytest.mark.one_of(6)
@pytest.mark.parametrize("seed", range(6))
def test_the_best_of_the_search_is_the_best_of_all(seed: int) -> None:
    """Every way tried one by one with all studies: none ranks before what is offered first."""
    job = random_job(seed)
    found = search_controls(job, "rx")
    every: list[Controlled] = []
    for address in steps_of(job, "rx"):
        for way in ways(job, "rx", address):
            option = _solved(job, "rx", way, _codes(job), None)
            every += [] if isinstance(option, str) else [option]
    sound = [o for o in every if o.severity not in (Severity.STOP, Severity.FIX)]
    assert bool(found.options) == bool(sound)
    if sound:
        assert _rank(found.options[0]) <= min(_rank(o) for o in sound)


@pytest.mark.one_of(3, 1)
@pytest.mark.parametrize("seed", range(6))
def test_nothing_that_is_offered_as_good_breaks_a_limit(seed: int) -> None:
    """By 200 random samples within what is known: pins, line and off-ness in every state."""
    job = random_job(seed)
    rng = np.random.default_rng(seed + 100)
    for option in search_controls(job, "rx").options:
        if option.severity is not Severity.GOOD:
            continue
        model = Model.of(option.edit(job))
        scene = Scene(model, model.netlist(), moments(model))
        net = scene.net
        for moment in scene.moments:
            size = 200
            samples: Samples = {i.name: rng.uniform(i.ends[0], i.ends[2], size) for i in net.inputs}
            deck = {n: v for n, v in samples.items() if n in net.known}
            deck |= {
                n: np.full(size, v) for n, v in case_of(net, model.job, moment).items() if n in net.known
            }
            if idle(model, moment):
                deck["rx__supply__burst"] = LEFT_ASLEEP * samples["rx__supply__average"]
            volts = np.asarray(net.whole(deck).v("rx__supply", "rx__supply_return"))
            least = samples["rx__supply__minimum"]
            if moment.off:
                assert (volts < 0.5 * least).all(), (option.words, moment)
            else:
                assert (volts >= least).all(), (option.words, moment)


def test_what_wakes_by_a_weak_line_is_a_gate() -> None:
    """6.9 V behind 10 kΩ: what takes nothing from it comes first, a relay is not offered."""
    found = search_controls(woken("direct", ctl=""), "rx")
    assert Does.SWITCHES in topology(found.options[0].link.sections[0].topology).does
    assert found.options[0].stolen_a < 2e-5
    assert not any(Does.COILS in topology(s.topology).does for o in found.options for s in o.link.sections)
    assert found.options[0].severity is Severity.GOOD


def test_a_strong_line_may_hold_a_relay() -> None:
    """Behind 470 Ω: offered, and last of all."""
    found = search_controls(woken("direct", ctl="", of=host(rail(), line(ohm="470 Ω ±5 %"))), "rx")
    assert any(Does.COILS in topology(s.topology).does for o in found.options for s in o.link.sections)


def test_the_speaker_is_muted_by_the_link_pin() -> None:
    """An N-MOSFET first; taken, the table is good."""
    job = unmuted(muting())
    found = search_controls(job, "host.speaker")
    assert found.options[0].link.sections[0].topology == "pull_nmos"
    assert study_control(Model.of(found.options[0].edit(job))).verdict is Severity.GOOD


def test_a_line_is_shown_by_what_its_pin_can_drive() -> None:
    """A push-pull pin from the pin; an open drain from a rail."""
    job = unmuted(muting())
    (first, *_) = search_controls(job, "tx.link").options
    assert first.link.at("out") == ("host.star",)
    from pigtail.job.control import Drive

    open_drain = replace(
        job,
        modules=tuple(
            replace(
                m,
                terminals=tuple(
                    replace(t, drive=Drive.OPEN_DRAIN) if isinstance(t, Control) else t for t in m.terminals
                ),
            )
            for m in job.modules
        ),
    )
    (sunk, *_) = search_controls(open_drain, "tx.link").options
    assert sunk.link.at("out") == ("tx.link",)


def test_what_nothing_tells_apart_is_named() -> None:
    """Without a line: which states, and what to read."""
    found = search_controls(woken("direct", ctl="", of=host(rail())), "rx")
    assert found.options == ()
    assert "“on, aux” from “standby”" in found.trouble
    assert "read all rails" in found.trouble


def test_a_wish_decides_which_line_tells() -> None:
    """On with aux and off with the radio: a line that is high in both does not tell, one that is high with aux does."""
    source = line("source_line", "5 V ±2 %", "1 kΩ ±5 %", states=("aux",), least=value("3 V", "V"))
    job = woken("direct", ctl="", of=host(rail(), line(), source))
    assert {t.address for t in tellers(job, "rx")} == {"host.on_line", "host.source_line"}
    job = set_want(job, "rx", WantedOf.POWERED, "radio", "", False)
    assert {t.address for t in tellers(job, "rx")} == {"host.source_line"}
    assert wished(job, "rx") == {
        ("off", ""): False,
        ("standby", ""): False,
        ("radio", ""): False,
        ("aux", ""): True,
    }


def test_a_line_that_is_low_while_on_tells_too() -> None:
    """It works what is on while it is low."""
    waits = Control(
        id="waits",
        name="waits",
        level=value("5 V ±2 %", "V"),
        impedance=value("1 kΩ", "Ω"),
        states=("standby",),
        least=value("3 V", "V"),
    )
    job = woken("direct", ctl="", of=host(rail(), waits))
    found = tellers(job, "rx")
    assert found == []  # unplugged it is low as well, and nothing is to be on
    job = set_want(job, "rx", WantedOf.POWERED, "off", "", True)
    job = set_want(job, "rx", WantedOf.POWERED, "radio", "", True)
    assert [t.high for t in tellers(job, "rx")] == [False]


def test_levels_told_by_state_tell_apart() -> None:
    """2.1 V on and 0.9 V in standby are apart, 2.1 V and 1.9 V are not."""
    for standby, apart in (("0.9 V", True), ("1.9 V", False)):
        levels = (LineState(state="standby", level=value(standby, "V")),)
        job = woken("direct", ctl="", of=host(rail(), line(level="2.1 V ±2 %", per_state=levels)))
        assert bool(tellers(job, "rx")) is apart


def test_without_a_link_output_there_is_nothing_to_mute_by() -> None:
    """And it says what is missing."""
    job = unmuted(muting())
    bare = replace(
        job,
        modules=tuple(
            replace(
                m,
                terminals=tuple(t for t in m.terminals if not isinstance(t, Control)),
                doings=(Doing(does="searching"), Doing(does="linked")),
            )
            for m in job.modules
        ),
    )
    assert "link output" in not_told(bare, "host.speaker")
    assert search_controls(bare, "host.speaker").options == ()


def test_a_name_that_is_not_there_is_refused() -> None:
    """One sentence."""
    with pytest.raises(EditError, match="name what is to be woken"):
        controlled(muting(), "host.nothing")


def test_methods_are_solved_side_by_side() -> None:
    """Bipolar against MOSFET for a weak line: the gate, since it takes nothing."""
    (contest, *_) = control_contests(woken("direct", ctl=""), "rx")
    assert contest.question == "Bipolar or MOSFET"
    assert contest.pick == 1
    assert all(s.edit is not None for s in contest.sides)


def test_steps_add_up() -> None:
    """A search by steps comes to what the whole search does."""
    job = unmuted(muting())
    step = ControlStep()
    for address in steps_of(job, "host.speaker"):
        step = take_step(job, "host.speaker", address, step)
    assert len(step.options) == len(search_controls(job, "host.speaker").options)


def test_what_is_offered_is_the_best_in_severity() -> None:
    """No watch before a good."""
    ranks = [ORDER.index(o.severity) for o in search_controls(woken("direct", ctl=""), "rx").options]
    assert ranks == sorted(ranks, reverse=True)


def test_an_option_states_what_it_takes() -> None:
    """An opto-isolator takes a milliampere or two from the link pin."""
    found = search_controls(unmuted(muting()), "host.speaker")
    opto = next(o for o in found.options if o.link.sections[0].topology == "opto")
    assert 1e-3 < opto.stolen_a < 4e-3


def test_a_job_with_a_light_and_a_mute_keeps_both() -> None:
    """Taking one does not undo the other."""
    job = with_link(muting(), control_link("light", "led", at_in="tx.link", out="host.star"))
    assert {x.id for x in job.links} >= {"mute", "light"}
    assert study_control(Model.of(job)).verdict is Severity.GOOD
    assert link_pin().sources is not None
