"""The stand-in as a meter meets it: load, accuracy, noise and settling; what each kind of point shows in each state."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from pigtail.bench.chosen import stand_in_of
from pigtail.bench.host import OVERLOAD, BlownFuseError, StandInHost
from pigtail.bench.truth import StandIn, check_stand_in, decode, encode, load, shipped
from pigtail.job.derive import TooWeakError, source_impedance
from pigtail.job.document import AudioOut, Function, Rail
from pigtail.job.errors import FileError, JobError
from pigtail.job.meters import meter, meters
from pigtail.model.probed import Joint, Offset
from pigtail.units import Basis
from pigtail.units.known import Known


def settled(host: StandInHost, function: Function, **where: object) -> float:
    """A reading after the meter came to rest."""
    host.move(**where)
    return [host.read(function) for _ in range(4)][-1]


def with_true(stand_in: StandIn, point: str, **values: float) -> StandIn:
    """The stand-in with some of a point's true values changed."""
    units = {"emf": "V", "impedance": "Ω", "bias": "V", "voltage": "V", "resistance": "Ω"}
    known = {k: Known.of(v, units[k], Basis.MEASURED) for k, v in values.items()}
    terminals = tuple(replace(t, **known) if t.id == point else t for t in stand_in.truth.terminals)
    return replace(stand_in, truth=replace(stand_in.truth, terminals=terminals))


@settings(max_examples=40, deadline=None)
@given(st.floats(0.2, 3.0), st.floats(50.0, 20e3), st.sampled_from(sorted(meters())), st.integers(1, 1000))
def test_what_is_derived_on_a_random_host_holds_its_truth(
    emf: float, ohm: float, kind: str, seed: int
) -> None:
    """Any output, any meter, any seed: open and loaded on the stand-in, and the stated spread holds the true impedance."""
    stand_in = replace(
        with_true(load(shipped()["brindle"]), "rec_left", emf=emf, impedance=ohm), meter=kind, seed=seed
    )
    host = StandInHost(stand_in)
    where = {"red": "host.rec_left", "black": "host.input_return", "state": "aux", "tone_level": 1.0}
    opened = settled(host, Function.AC_VOLTS, **where)
    loaded = settled(host, Function.AC_VOLTS, load=ohm)
    try:
        found = source_impedance(
            meter(kind).value(Function.AC_VOLTS, opened),
            meter(kind).value(Function.AC_VOLTS, loaded),
            Known.of(ohm, "Ω", Basis.DOCUMENTED, tolerance=0.01),
            meter(kind).load_ohm(Function.AC_VOLTS),
        )
    except TooWeakError:  # a coarse meter on a small signal: refused, which is right
        assert kind in ("needle", "pocket")
        return
    path = 0.3  # the ground path and the host's own wiring lie in series
    assert found.low - path <= ohm <= found.high + path


@pytest.mark.parametrize("kind", sorted(meters()))
def test_a_meter_errs_within_its_accuracy_and_always_the_same_way(kind: str, brindle: StandIn) -> None:
    """Twenty readings of a rail: within the accuracy, their scatter far smaller than their error may be."""
    host = StandInHost(replace(brindle, meter=kind))
    host.move(red="host.rail_12v", black="host.star", state="aux")
    readings = [host.read(Function.DC_VOLTS) for _ in range(24)][4:]
    relative, floor = meter(kind).accuracy["DC volts"]
    allowed = 12.1 * relative + floor
    loss = 12.1 * 0.4 / meter(kind).dc_ohm
    assert all(abs(r - 12.1) <= allowed + loss for r in readings)
    assert max(readings) - min(readings) <= 0.3 * (floor + 10.0 * relative)


def test_a_small_meter_loads_what_a_bench_meter_leaves_alone(brindle: StandIn) -> None:
    """A megohm source read with 200 kΩ and with 10 MΩ."""
    high = with_true(brindle, "rec_left", impedance=1e6, bias=2.0)
    where = {"red": "host.rec_left", "black": "host.input_return", "state": "aux"}
    needle = settled(StandInHost(replace(high, meter="needle")), Function.DC_VOLTS, **where)
    bench = settled(StandInHost(replace(high, meter="bench")), Function.DC_VOLTS, **where)
    assert needle == pytest.approx(2.0 * 200e3 / 1.2e6, rel=0.2)
    assert bench == pytest.approx(2.0 * 10e6 / 11e6, rel=0.01)


SHOWN = [
    # point, against, state, function, value, within
    ("rail_5v", "star", "standby", Function.DC_VOLTS, 5.02, 0.05),
    ("rail_12v", "star", "standby", Function.DC_VOLTS, 0.0, 0.005),
    ("rec_left", "input_return", "off", Function.DC_VOLTS, 0.0, 0.005),
    ("aux_left", "u7_43", "off", Function.CONTINUITY, 0.25, 1.0),
    ("aux_left", "u7_42", "off", Function.RESISTANCE, 89e3, 3e3),
    ("input_return", "star", "off", Function.RESISTANCE, 0.18, 0.4),
    ("rail_5v", "star", "off", Function.RESISTANCE, 1800.0, 40.0),
    ("rail_5v", "star", "aux", Function.TEMPERATURE, 23.0, 3.0),
]


@pytest.mark.parametrize(("point", "against", "state", "function", "value", "within"), SHOWN)
def test_each_kind_of_point_shows_what_it_is(
    point: str, against: str, state: str, function: Function, value: float, within: float, brindle: StandIn
) -> None:
    """Rails by state, joints as continuity, paths and what is left of a rail that is off as resistance."""
    host = StandInHost(brindle)
    assert settled(
        host, function, red=f"host.{point}", black=f"host.{against}", state=state
    ) == pytest.approx(value, abs=within)


def test_moving_lines_rest_at_their_mean_and_have_a_frequency() -> None:
    """A clock while playing: half its level on DC, AC on it, its frequency; dead in standby."""
    host = StandInHost(load(shipped()["osmere"]))
    where = {"red": "host.word_clock", "black": "host.star", "state": "playing"}
    assert settled(host, Function.DC_VOLTS, **where) == pytest.approx(2.45, rel=0.03)
    assert settled(host, Function.AC_VOLTS) > 1.0
    assert settled(host, Function.FREQUENCY) == pytest.approx(44_100, rel=0.002)
    assert settled(host, Function.DC_VOLTS, state="standby") == pytest.approx(0.0, abs=0.005)


def test_probes_in_the_air_and_on_one_point_read_nought(brindle: StandIn) -> None:
    """Nothing is there, nothing is shown; an ohmmeter on nothing overloads on a bare pin."""
    host = StandInHost(brindle)
    assert settled(host, Function.DC_VOLTS, red="", black="host.star") == pytest.approx(0.0, abs=0.005)
    assert settled(host, Function.DC_VOLTS, red="host.star", black="host.star") == pytest.approx(
        0.0, abs=0.005
    )
    bare = StandInHost(load(shipped()["pellow"]))
    assert settled(bare, Function.RESISTANCE, red="host.j2_8", black="host.star", state="off") == OVERLOAD
    assert settled(bare, Function.DIODE, red="host.j2_8", black="host.star") == OVERLOAD


def test_a_driven_current_shows_a_path(brindle: StandIn) -> None:
    """Half an ampere through the ground path leaves I·R along it."""
    host = StandInHost(brindle)
    volts = settled(
        host, Function.DC_VOLTS, red="host.input_return", black="host.star", state="off", current=0.5
    )
    assert volts == pytest.approx(0.5 * 0.18, abs=0.003)


def test_a_current_is_read_in_series_and_across_two_points_fuses_go(brindle: StandIn) -> None:
    """In its own lead the rail shows what it gives; across it the meter's fuse goes, and the rail's, until new ones are put in."""
    host = StandInHost(brindle)
    rail = next(
        a
        for a in host.job.addresses()
        if isinstance(t := host.job.terminal(a), Rail) and t.used and t.used.nominal
    )
    terminal = host.job.terminal(rail)
    assert isinstance(terminal, Rail)
    assert terminal.used is not None
    live = (terminal.states or tuple(s.id for s in host.job.host.states))[-1]
    in_series = {"red": rail, "black": rail, "state": live}
    assert settled(host, Function.CURRENT, **in_series) == pytest.approx(
        terminal.used.nominal, rel=0.05, abs=2e-3
    )
    with pytest.raises(BlownFuseError):
        settled(host, Function.CURRENT, red=rail, black="host.star")
    assert abs(settled(host, Function.DC_VOLTS, red=rail, black="host.star")) < 0.5
    with pytest.raises(BlownFuseError):
        settled(host, Function.CURRENT, **in_series)
    host.mend()
    assert settled(host, Function.DC_VOLTS, red=rail, black="host.star") == pytest.approx(
        terminal.voltage.nominal, rel=0.1
    )  # type: ignore[union-attr]


def test_a_rail_that_is_loaded_far_beyond_what_it_gives_blows_its_fuse(brindle: StandIn) -> None:
    """By a clip of too few ohms; a load that it can give is its clean twin."""
    host = StandInHost(brindle)
    rail = next(
        a
        for a in host.job.addresses()
        if isinstance(t := host.job.terminal(a), Rail) and t.limit and t.voltage
    )
    terminal = host.job.terminal(rail)
    assert isinstance(terminal, Rail)
    assert terminal.voltage is not None
    assert terminal.limit is not None
    full = terminal.voltage.nominal / terminal.limit.nominal
    live = (terminal.states or tuple(s.id for s in host.job.host.states))[-1]
    host.move(red=rail, black="host.star", state=live, load=2 * full)
    host.overload()
    assert not host.blown
    host.move(load=full / 10)
    with pytest.raises(BlownFuseError):
        host.read(Function.DC_VOLTS)
    assert host.blown == {rail}
    assert abs(settled(host, Function.DC_VOLTS, load=0.0)) < 0.5


def test_a_driven_ground_is_held_away_while_the_host_has_power(brindle: StandIn) -> None:
    """Volts and hum between the two returns; nothing when it is off."""
    apart = replace(
        brindle,
        truth=replace(brindle.truth, paths=()),
        offsets=(Offset(a="input_return", b="star", volts=1.6, hum=0.02, ohm=3.0),),
    )
    host = StandInHost(apart)
    where = {"red": "host.input_return", "black": "host.star"}
    assert settled(host, Function.DC_VOLTS, **where, state="aux") == pytest.approx(1.6, rel=0.02)
    assert settled(host, Function.AC_VOLTS) == pytest.approx(0.02, abs=0.004)
    assert settled(host, Function.DC_VOLTS, state="off") == pytest.approx(0.0, abs=0.005)


def test_listening_tells_the_side(brindle: StandIn) -> None:
    """0 nothing, 1 left, 2 right; a rail is silent."""
    host = StandInHost(brindle)
    heard = []
    for point in ("rail_5v", "aux_left", "aux_right"):
        host.move(red=f"host.{point}", state="aux")
        heard.append(host.heard())
    assert heard == [0, 1, 2]


@pytest.mark.parametrize("name", sorted(shipped()))
def test_shipped_stand_ins_are_sound_and_are_what_the_tool_writes(name: str) -> None:
    """They read back to themselves; every point of the papers is in the truth."""
    stand_in = load(shipped()[name])
    assert decode(encode(stand_in)) == stand_in
    assert all(getattr(t, "emf", 1) is not None for t in stand_in.truth.terminals if isinstance(t, AudioOut))
    assert all(t.voltage is not None for t in stand_in.truth.terminals if isinstance(t, Rail))


def test_truths_that_make_no_sense_are_refused(brindle: StandIn) -> None:
    """A point or state that only the papers have, a joint of a point with itself."""
    few = replace(brindle, truth=replace(brindle.truth, terminals=brindle.truth.terminals[1:], stages=()))
    with pytest.raises(JobError):
        check_stand_in(few)
    with pytest.raises(JobError, match="a joint lies"):
        check_stand_in(replace(brindle, joints=(Joint(a="star", b="star"),)))
    states = brindle.truth.states[:-1]
    alive = tuple(
        replace(t, states=tuple(s for s in t.states if s != "aux")) for t in brindle.truth.terminals
    )
    with pytest.raises(JobError, match="states"):
        check_stand_in(replace(brindle, truth=replace(brindle.truth, states=states, terminals=alive)))


def test_a_name_means_a_stand_in_with_a_fault_or_without(tmp_path: Path) -> None:
    """One that ships, a host kind, a file; with a fault by its words, or any; what is not there is told in one sentence."""
    assert stand_in_of("brindle") == load(shipped()["brindle"])
    assert stand_in_of("tape_recorder").papers.host.kind == "tape_recorder"
    assert stand_in_of("tape_recorder+swapped channels").faults == ("left and right are swapped",)
    assert len({stand_in_of("tape_recorder+?").faults for _ in range(12)}) > 1
    assert all(stand_in_of("tape_recorder+?").faults for _ in range(3))
    path = tmp_path / "own.standin"
    path.write_bytes(encode(stand_in_of("toy")))
    assert stand_in_of(str(path)) == stand_in_of("toy")
    for name, words in (
        ("nowhere", "no such file"),
        ("toy+elves", "no fault"),
        ("toy+swapped channels", "no place"),
    ):
        with pytest.raises(FileError, match=words):
            stand_in_of(name)


def test_a_reservoir_runs_down_by_the_clock_of_the_stand_in() -> None:
    """Read at once after switching off it still holds; without a bleeder it goes on holding; nothing of it while the host is on."""
    charged = stand_in_of("tape_recorder+a reservoir that stays charged")
    bled = replace(charged, truth=replace(charged.truth, bleeder=Known.of(1000.0, "Ω", Basis.MEASURED)))
    where = {"red": "host.rail_12v", "black": "host.star"}
    found = []
    for stand_in in (charged, bled):
        host = StandInHost(stand_in)
        host.move(**where, state="record")
        on = host.read(Function.DC_VOLTS)
        host.move(state="off")
        volts = [host.read(Function.DC_VOLTS) for _ in range(80)]
        found.append((on, volts[3], volts[-1]))
    (on, first, last), (_, bled_first, bled_last) = found
    assert on < 20
    assert (first, last) == pytest.approx((38.0, 38.0), rel=0.05)
    assert bled_first > 20
    assert bled_last < 2


def test_hum_is_there_between_any_two_points_of_the_two_nets(brindle: StandIn) -> None:
    """Held between a jack's ground and the star, it shows between a rail and that jack as well."""
    apart = replace(
        brindle,
        truth=replace(brindle.truth, paths=()),
        offsets=(Offset(a="input_return", b="star", hum=0.2, ohm=1.0),),
    )
    host = StandInHost(apart)
    for red in ("star", "rail_12v"):
        assert settled(
            host, Function.AC_VOLTS, red=f"host.{red}", black="host.input_return", state="aux"
        ) == pytest.approx(0.2, rel=0.05)
    assert settled(host, Function.AC_VOLTS, red="host.rail_12v", black="host.star") < 0.01


def test_a_rail_sags_to_what_it_can_give(brindle: StandIn) -> None:
    """Half an ampere at most: across five ohms it comes down to 2.5 V."""
    host = StandInHost(brindle)
    volts = settled(host, Function.DC_VOLTS, red="host.rail_5v", black="host.star", state="aux", load=5.5)
    assert volts == pytest.approx(0.5 * 5.5, rel=0.03)


def test_listening_goes_through_joints_and_wants_a_loudspeaker(brindle: StandIn) -> None:
    """A tone at the chip's pin is heard as at the jack; a host without an amplifier is silent."""
    host = StandInHost(brindle)
    host.move(red="host.u7_43", black="host.input_return", state="aux")
    assert host.heard() == 1
    both = StandInHost(
        replace(brindle, joints=(*brindle.joints, Joint(a="aux_left", b="aux_right", ohm=0.1)))
    )
    both.move(red="host.aux_left", black="host.input_return", state="aux")
    assert both.heard() == 3
    silent = StandInHost(replace(brindle, truth=replace(brindle.truth, stages=())))
    silent.move(red="host.aux_left", black="host.input_return", state="aux")
    assert silent.heard() == 0
