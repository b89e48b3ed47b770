"""Hold points: what range they have, what a reading in or out of it means, and which steps a plan has."""

from __future__ import annotations

from datetime import timedelta

import pytest
from msgspec.structs import replace

from pigtail import edits
from pigtail.bench.walked import BEGAN, proved, walked
from pigtail.catalogue.demo import demo
from pigtail.catalogue.kinds import make_module
from pigtail.edits.plan import put_supply
from pigtail.edits.record import read_hold
from pigtail.edits.values import add_module, set_value
from pigtail.job.document import Job, Section, SupplyClass, WindingEnd
from pigtail.job.energy import Winding
from pigtail.job.logbook import Passed
from pigtail.job.steps import Hold, RunStep, Standing
from pigtail.studies.prove.ledger import kind_of
from pigtail.studies.prove.meaning import explained, how_off, not_so
from pigtail.studies.prove.record import tables_of
from pigtail.units import Basis, Known

PLUG = Hold("plug", low=4.75, high=5.25, expected=5.0, least=4.75, most=5.25, words="4.75 V to 5.25 V")
OFF = Hold("plug", low=-0.4, high=0.4, expected=0.0, words="0 V")
SHORT = Hold("no_short", low=1000.0, high=1e12, least=1000.0, words="more than 1 kΩ")
TAP = Hold("tap", low=-0.02, high=0.02, words="0 V")
EMPTY = Hold("empty", low=-10.0, high=10.0, words="below 10 V")
BLIND = Hold("plug", unknown="nobody knows")


def volts(value: float, half: float = 0.0) -> Known:
    return Known(nominal=value, low=value - half, high=value + half, unit="V", basis=Basis.MEASURED)


def ohms(value: float) -> Known:
    return Known(nominal=value, low=0.99 * value, high=1.01 * value, unit="Ω", basis=Basis.MEASURED)


@pytest.mark.parametrize(
    ("hold", "value", "off"),
    [
        (PLUG, volts(5.0), ""), (PLUG, volts(4.75), ""), (PLUG, volts(5.25), ""), (PLUG, volts(4.7), "low"), (PLUG, volts(5.3), "high"),
        (PLUG, volts(12.0), "high"), (PLUG, volts(-5.0), "reversed"), (PLUG, volts(0.02), "none"), (PLUG, volts(-0.2), "none"),
        (PLUG, volts(5.22, 0.05), "near"), (PLUG, volts(4.78, 0.05), "near"), (PLUG, volts(5.1, 0.05), ""), (OFF, volts(0.1), ""),
        (OFF, volts(3.0), "awake"), (OFF, volts(-3.0), "awake"), (SHORT, ohms(0.3), "short"), (SHORT, ohms(400.0), "low"), (SHORT, ohms(1e6), ""),
        (SHORT, ohms(1001.0), "low"), (TAP, volts(0.0), ""), (TAP, volts(1.3), "high"), (TAP, volts(-1.3), "low"), (EMPTY, volts(35.0), "high"),
        (EMPTY, volts(-35.0), "reversed"), (EMPTY, volts(2.0), ""), (BLIND, volts(5.0), "unknown"),
    ],
)  # fmt: skip
def test_how_a_reading_is_off(hold: Hold, value: Known, off: str) -> None:
    """In a word; what is out of range says what it means, what not to do, and where to look."""
    assert how_off(hold, value) == off
    found = explained(hold, value)
    assert found.passes == (off == "")
    if off:
        assert found.not_now
    if off not in ("", "unknown"):
        assert found.look


def test_what_a_no_means_depends_on_what_was_looked_at() -> None:
    """Power, work, proof, what was there before; a reading has no such answer."""
    words = {not_so(Hold(f"look.{k}", question="?")).not_now for k in ("turn", "work", "proof", "before")}  # type: ignore[union-attr]
    assert len(words) == 4
    assert not_so(PLUG) is None


def step_of(job: Job, step: str) -> RunStep:
    stand = proved(job).stand(step)
    assert stand is not None
    return stand.step


def test_a_reading_whose_spread_leaves_what_the_module_takes_passes_nothing(tidewell: Job) -> None:
    """4.87 V by a finer limit: the module takes no less than 4.86 V, and the meter errs by more than the rest."""
    job = walked(
        set_value(tidewell, "rx.supply", "minimum", Known.of(4.86, "V", Basis.DOCUMENTED)),
        lambda s: s.step.kind == "plug_open",
    )
    stand = proved(job).next
    assert stand is not None
    near = read_hold(job, stand, 4.87, BEGAN)
    assert near.record == job.record
    assert isinstance(read_hold(job, stand, 5.0, BEGAN).record[-1], Passed)


def test_the_meter_is_in_the_prediction(tidewell: Job) -> None:
    """A tap that stands at 2 V behind 1 MΩ reads a tenth less with 10 MΩ on it."""
    job = replace(tidewell, readings=())
    for field, value, unit in (("impedance", 1e6, "Ω"), ("dc", 2.0, "V")):
        job = set_value(job, "host.line_left", field, Known.of(value, unit, Basis.DOCUMENTED))
    bleed = next(p.value.nominal for s in job.links[0].sections for p in s.parts if p.value.unit == "Ω")
    expected = step_of(job, "tap_dc:host.line_left:on").hold.expected
    across = 1 / (1 / 1e7 + 1 / bleed)  # the network's own bleeder stands there too
    assert expected == pytest.approx(2.0 * across / (across + 1e6), rel=0.02)


def test_a_tap_is_predicted_without_its_module(tidewell: Job) -> None:
    """A feed without a capacitor: the module's bias is not there before the module is joined."""
    bare = edits.set_sections(replace(tidewell, readings=()), "feed_left", (Section(topology="pad"),))
    assert abs(step_of(bare, "tap_dc:host.line_left:on").hold.expected) < 0.01


def test_a_rectifier_without_a_converter_may_read_its_crest() -> None:
    """12 V AC, half wave, into a module that takes up to 30 V: open it may stand at √2 times the winding at high mains."""
    job = replace(demo("tidewell").job, links=(), readings=())
    ends = (WindingEnd(id="leg_a", name="one leg"), WindingEnd(id="leg_b", name="other leg"))
    winding = Winding(id="adapter", name="adapter", first="leg_a", second="leg_b", open=Known.of(12.0, "V", Basis.DOCUMENTED),
                      resistance=Known.of(1.0, "Ω", Basis.DOCUMENTED))  # fmt: skip
    host = replace(
        job.host, terminals=(*job.host.terminals, *ends), windings=(winding,), supply=SupplyClass.ADAPTER_AC
    )
    job = replace(job, host=host)
    for field, value in (("minimum", 5.0), ("maximum", 30.0)):
        job = set_value(job, "rx.supply", field, Known.of(value, "V", Basis.DOCUMENTED))
    job = put_supply(job, "rx.supply", "adapter", ("half_wave",), 2200e-6)
    hold = step_of(job, "plug_open:rx.supply").hold
    assert 2**0.5 * 12.0 * 1.1 <= hold.high <= 2**0.5 * 12.0 * 1.1 * 1.05
    assert hold.low > 5.0


def test_what_was_done_again_is_proved_again(tidewell: Job) -> None:
    """The supply wire soldered once more: its plug was read before that, so it is read again, and the module comes off for it."""
    job = walked(tidewell, lambda s: s.step.kind == "join")
    changed = edits.set_conductor(job, "supply", "out", colour="brown")
    redone = walked(changed, lambda s: s.step.kind not in ("wire", "unplug", "empty"))
    stand = proved(redone).stand("plug_open:rx.supply")
    assert stand is not None
    assert stand.standing is Standing.AGAIN
    entry = next(e for e in redone.record if e.step == "no_short:rx.supply")
    assert redone.record.index(entry) < max(
        k for k, e in enumerate(redone.record) if e.step == "wire:supply:out"
    )


def test_power_is_taken_and_given_as_it_is_needed(larkmoor: Job) -> None:
    """As the record has it: unplug, both covers, the reservoir, a hand inside; through a limit once something new is in."""
    from pigtail.edits.plan import set_converter

    job = walked(set_converter(larkmoor, "supply", "isolated_wide"), lambda s: s.step.kind == "join")
    kinds = [kind_of(e.step) for e in job.record if type(e).__name__ in ("Done", "Passed")]
    first = kinds.index("unplug")
    assert kinds[first : first + 5] == ["unplug", "open", "open", "empty", "photo_inside"]
    last_wire = max(k for k, kind in enumerate(kinds) if kind == "wire")
    assert next(k for k in kinds[last_wire:] if k in ("on", "on_limited")) == "on_limited"
    assert next(k for k in kinds if k in ("on", "on_limited")) in ("on", "on_limited")


def test_which_steps_there_are_follows_from_what_things_are(tidewell: Job) -> None:
    """Sides of a stereo feed, the link of what talks by radio, the light of what has one, triggers of a sound board; none of what is not."""
    kinds = {s.step.kind for s in proved(tidewell).stands}
    assert {"left", "right", "both", "lock", "first_sound"} <= kinds
    assert not {"light", "trigger", "steered", "lift", "cut", "jumper", "sound", "drill"} & kinds
    player = replace(make_module("card_player_5v", "rx"), id="rx")
    dumb = replace(tidewell, modules=(player,))
    assert "lock" not in {s.step.kind for s in proved(dumb).stands}
    mono = edits.remove_link(tidewell, "feed_right")
    assert not {"left", "right"} & {s.step.kind for s in proved(mono).stands}
    linked = replace(tidewell, modules=(replace(make_module("wireless_receiver_linked", "rx"), id="rx"),))
    light = next(s.step for s in proved(linked).stands if s.step.kind == "light")
    assert "searching: indicator pin blinking" in light.hold.question


def test_each_module_has_its_own_hold_points(tidewell: Job) -> None:
    """Two modules on one rail: each is read at its own plug before it is joined."""
    job = put_supply(
        add_module(tidewell, make_module("sound_board_4", "snd")), "snd.supply", "host.rail_5v", ("direct",)
    )
    found = proved(job).stands
    order = {s.step.id: k for k, s in enumerate(found)}
    for module in ("rx", "snd"):
        assert order[f"plug_loaded:{module}.supply"] < order[f"join:{module}"]
    assert "snd.supply" in next(s.step for s in found if s.step.id == "plug_open:snd.supply").hold.ask.point
    assert all(
        not n.startswith("open_read:snd") for n in next(s.step for s in found if s.step.id == "join:rx").needs
    )


def test_where_things_are_is_told_until_they_are_back(tidewell: Job) -> None:
    """Screws in their bag while it is open, put back once it is closed, in their bag again when it is opened again."""
    now = lambda job: [line.cells[3] for line in tables_of(job).kept]  # noqa: E731
    opened = walked(tidewell, lambda s: s.step.kind == "photo_inside")
    assert now(opened) == ["kept"]
    closed = walked(tidewell, lambda s: s.step.kind == "again")
    assert now(closed) == ["put back"]
    again = edits.set_conductor(closed, "feed_left", "out", colour="violet")
    assert now(walked(again, lambda s: s.step.kind == "wire")) == ["kept"]


def test_a_host_point_that_is_not_as_on_paper_is_found_as_it_is(tidewell: Job) -> None:
    """A reading outside of its papers is logged, and is what must be read again on the way back."""
    job = walked(replace(tidewell, readings=()), lambda s: s.step.id == "found:host.rail_5v")
    stand = proved(job).next
    assert stand is not None
    low = read_hold(job, stand, 4.2, BEGAN + timedelta(hours=1))
    assert low.record == job.record
    after = proved(low).stand("found:host.rail_5v")
    assert after is not None
    assert after.standing is Standing.DONE
    assert "4.2 V" in after.step.back_hold.words
