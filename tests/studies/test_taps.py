"""Survey and taps: readings judged on the spot, what the meter does, pins classed, candidates ranked, checks asked for."""

from __future__ import annotations

import math
from datetime import datetime

import pytest
from msgspec.structs import replace

from asking import answered
from pigtail.catalogue.kinds import host_kinds, make_host
from pigtail.edits.host import add_connector, set_point, set_role, set_trait, take_class
from pigtail.edits.readings import log_reading
from pigtail.edits.values import new_job
from pigtail.job.ask import in_words
from pigtail.job.chain import before, trait
from pigtail.job.document import (
    Channel,
    Digital,
    Function,
    Host,
    Job,
    Mode,
    Rail,
    Reading,
    Return,
    State,
    SupplyClass,
    Trait,
    Wire,
)
from pigtail.job.places import EASE, Pad, Place
from pigtail.job.taking import taken
from pigtail.job.tone import tone_of
from pigtail.model.model import Model
from pigtail.studies.findings import Severity
from pigtail.studies.survey.discharge import bleeder_for, seconds_to, study_discharge
from pigtail.studies.survey.expecting import expected
from pigtail.studies.survey.onspot import judged
from pigtail.studies.survey.sweep import PinClass, sweep
from pigtail.studies.survey.trust import trust
from pigtail.studies.taps.criteria import CRITERIA
from pigtail.studies.taps.protocol import checks, done_part, open_checks
from pigtail.studies.taps.study import study_taps, table
from pigtail.units import Basis
from pigtail.units.known import Known

WHEN = datetime(2026, 11, 25, 9, 0)


def host(kind: str, **changes: object) -> Job:
    """A job on a host of a kind."""
    return new_job("a job", replace(make_host(kind), **changes))


def reading(
    job: Job, point: str, value: float, function: Function = Function.DC_VOLTS, **more: object
) -> Reading:
    """A reading as the log would hold it."""
    from pigtail.job.wiring import probe_against

    given = {"against": probe_against(job, point), "state": job.working_state(), "when": WHEN} | more
    return taken(job, point=point, function=function, value=value, **given)


JUDGED = [
    # kind, point, value, function, more, code, severity
    ("receiver_amplifier", "host.aux_left", 0.003, Function.DC_VOLTS, {}, "survey.input_clear", Severity.GOOD),
    ("receiver_amplifier", "host.aux_left", 0.6, Function.DC_VOLTS, {}, "survey.biased_input", Severity.WATCH),
    ("receiver_amplifier", "host.aux_left", 5.0, Function.DC_VOLTS, {}, "survey.dc_on_input", Severity.STOP),
    ("receiver_amplifier", "host.rec_left", 0.001, Function.DC_VOLTS, {}, "survey.output_clear", Severity.GOOD),
    ("receiver_amplifier", "host.rec_left", 1.3, Function.DC_VOLTS, {}, "survey.biased_output", Severity.WATCH),
    ("receiver_amplifier", "host.rec_left", 5.0, Function.DC_VOLTS, {}, "survey.dc_on_output", Severity.STOP),
    ("receiver_amplifier", "host.rail_12v", 12.1, Function.DC_VOLTS, {}, "survey.rail_right", Severity.GOOD),
    ("receiver_amplifier", "host.rail_12v", 0.1, Function.DC_VOLTS, {}, "survey.rail_not_there", Severity.FIX),
    ("receiver_amplifier", "host.rail_12v", 12.0, Function.DC_VOLTS, {"state": "standby"}, "survey.rail_stays", Severity.WATCH),
    ("receiver_amplifier", "host.rail_12v", 0.0, Function.DC_VOLTS, {"state": "standby"}, "survey.rail_right", Severity.GOOD),
    ("receiver_amplifier", "host.rail_12v", 24.0, Function.DC_VOLTS, {}, "survey.rail_higher", Severity.WATCH),
    ("receiver_amplifier", "host.rail_12v", -12.0, Function.DC_VOLTS, {}, "survey.rail_reversed", Severity.STOP),
    ("receiver_amplifier", "host.rail_12v", 11.2, Function.DC_VOLTS, {"load": 22.0}, "survey.rail_loaded", Severity.GOOD),
    ("receiver_amplifier", "host.rail_12v", 0.6, Function.AC_VOLTS, {}, "survey.ripple", Severity.WATCH),
    ("receiver_amplifier", "host.rail_12v", 2.0, Function.RESISTANCE, {"state": "off"}, "survey.rail_short", Severity.STOP),
    ("receiver_amplifier", "host.input_return", 0.001, Function.DC_VOLTS, {}, "survey.ground_same", Severity.GOOD),
    ("receiver_amplifier", "host.input_return", 1.6, Function.DC_VOLTS, {}, "survey.ground_apart", Severity.FIX),
    ("receiver_amplifier", "host.input_return", 0.15, Function.AC_VOLTS, {}, "survey.ground_hums", Severity.WATCH),
    ("receiver_amplifier", "host.input_return", 0.2, Function.RESISTANCE, {"state": "off"}, "survey.ground_path", Severity.GOOD),
    ("receiver_amplifier", "host.input_return", 480.0, Function.RESISTANCE, {"state": "off"}, "survey.two_grounds", Severity.WATCH),
    ("receiver_amplifier", "host.aux_left", 1, Function.HEARD, {}, "survey.heard", Severity.GOOD),
    ("receiver_amplifier", "host.aux_left", 2, Function.HEARD, {}, "survey.swapped", Severity.FIX),
    ("receiver_amplifier", "host.aux_left", 3, Function.HEARD, {}, "survey.heard_both", Severity.WATCH),
    ("receiver_amplifier", "host.aux_left", 0, Function.HEARD, {}, "survey.silent", Severity.FIX),
    ("receiver_amplifier", "host.rec_left", 0.0005, Function.AC_VOLTS, {"drive": "1 kHz"}, "survey.output_dead", Severity.FIX),
    ("receiver_amplifier", "host.rec_left", 0.2, Function.AC_VOLTS, {"drive": "20 kHz"}, "reading.not_trusted", Severity.UNKNOWN),
    ("receiver_amplifier", "host.rail_12v", 120.0, Function.TEMPERATURE, {}, "survey.too_hot", Severity.FIX),
    ("receiver_amplifier", "host.rail_12v", 80.0, Function.TEMPERATURE, {}, "survey.hot", Severity.WATCH),
    ("receiver_amplifier", "host.rail_12v", 40.0, Function.TEMPERATURE, {}, "survey.cool", Severity.GOOD),
    ("toy", "host.trigger", 0.1, Function.DC_VOLTS, {}, "survey.rail_not_there", Severity.FIX),
    ("toy", "host.trigger", 4.4, Function.DC_VOLTS, {}, "survey.rail_right", Severity.GOOD),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "point", "value", "function", "more", "code", "severity"), JUDGED)
def test_readings_are_judged_on_the_spot(
    kind: str, point: str, value: float, function: Function, more: dict, code: str, severity: Severity
) -> None:  # type: ignore[type-arg]
    """What it means, as a stable code and a severity; one sentence that names the point."""
    job = host(kind)
    finding = judged(job, reading(job, point, value, function, **more))
    assert (finding.code, finding.severity) == (code, severity)
    assert finding.sentence.endswith((".", "!"))
    assert code == "reading.not_trusted" or job.label(point).lower() in finding.sentence.lower()


def test_a_ring_out_is_judged_by_what_the_papers_say() -> None:
    """Below an ohm it is the net; else it is not, and what to try is said."""
    job = set_point(host("receiver_amplifier"), "host.aux_left", rings_to="rec_left")
    good, bad = (
        reading(job, "host.aux_left", x, Function.CONTINUITY, against="host.rec_left", state="off")
        for x in (0.3, 4e5)
    )
    assert judged(job, good).code == "survey.rung_out"
    assert judged(job, bad).code == "survey.not_rung"
    assert expected(job, good).words == "below 1 Ω"


def test_the_bias_of_an_output_tells_its_capacitor() -> None:
    """Rated for twice the bias, its plus toward the higher side."""
    job = host("receiver_amplifier")
    up, down = (judged(job, reading(job, "host.rec_left", v)).sentence for v in (3.5, -3.5))
    assert "at least 7 V" in up
    assert "its plus toward" in up
    assert "its minus toward" in down


@pytest.mark.parametrize(
    ("drive", "hertz"),
    [
        ("", 1e3),
        ("1 kHz", 1e3),
        ("a tone through 4k7", 1e3),
        ("20kHz sine", 2e4),
        ("400 Hz", 400.0),
        ("full scale", 1e3),
    ],
)
def test_the_frequency_is_read_out_of_what_was_played(drive: str, hertz: float) -> None:
    """A kilohertz where the words do not tell."""
    tone = tone_of(drive)
    assert (tone.hertz if tone else 1e3) == hertz


def test_a_high_impedance_is_corrected_for_the_meter() -> None:
    """1 MΩ read with 10 MΩ stands for a tenth more; a line output is left alone."""
    job = host("toy")
    line = job.terminal("host.trigger")
    job = replace(
        job,
        host=replace(
            job.host,
            terminals=tuple(
                replace(t, impedance=Known.of(1e6, "Ω", Basis.DOCUMENTED)) if t is line else t
                for t in job.host.terminals
            ),
        ),
    )
    told = trust(job, reading(job, "host.trigger", 4.0))
    assert told.value.nominal == pytest.approx(4.4)
    assert "takes 9 %" in told.sentence
    quiet = trust(
        host("receiver_amplifier"),
        reading(host("receiver_amplifier"), "host.rec_left", 0.1, Function.AC_VOLTS),
    )
    assert quiet.sentence == ""


# -- discharging ---------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("volts", "limit", "ohm", "farad"),
    [(400.0, 60.0, 1e5, 470e-6), (38.0, 10.0, 4700.0, 4700e-6), (50.0, 60.0, 1e3, 1e-3)],
)
def test_waiting_follows_the_closed_form(volts: float, limit: float, ohm: float, farad: float) -> None:
    """After the time told V0·exp(−t/RC) is the limit; nought where it is below already."""
    seconds = seconds_to(volts, limit, ohm, farad)
    left = volts * math.exp(-seconds / (ohm * farad))
    assert left == pytest.approx(min(volts, limit))


@pytest.mark.parametrize(
    ("volts", "farad"), [(38.0, 4700e-6), (340.0, 220e-6), (450.0, 100e-6), (60.0, 47e-3), (12.0, 1e-3)]
)
def test_a_bleeder_is_short_and_stands_what_falls_on_it(volts: float, farad: float) -> None:
    """A preferred value, twice the power and the voltage, done soon; the voltage after its time is 10 V."""
    found = bleeder_for(volts, farad)
    assert found is not None
    assert found.watt >= 2 * volts**2 / found.ohm or found.watt == 50.0
    assert found.volts == 2 * volts
    assert volts * math.exp(-found.seconds / (found.ohm * farad)) == pytest.approx(10.0)
    assert found.seconds < 200


def test_what_is_not_known_of_a_reservoir_stays_unknown() -> None:
    """Without a resistor across it nobody knows how long it holds; a reading is asked for all the same."""
    bare = Host(
        name="x",
        reservoir=Known.of(1e-3, "F", Basis.DOCUMENTED),
        reservoir_volts=Known.of(40.0, "V", Basis.DOCUMENTED),
    )
    assert study_discharge(bare).solder_s is None
    assert "for hours" in study_discharge(bare).sentence
    with_one = replace(bare, bleeder=Known.of(2200.0, "Ω", Basis.DOCUMENTED))
    told = study_discharge(with_one)
    assert told.solder_s == pytest.approx(2200 * 1e-3 * math.log(4))
    assert "then measure it" in told.sentence
    assert study_discharge(Host(name="x")).joule is None


# -- the sweep -----------------------------------------------------------------------------------------------

STATES = (
    State(id="off", name="off", kind=Mode.OFF),
    State(id="standby", name="standby"),
    State(id="idle", name="idle"),
    State(id="on", name="on", kind=Mode.WORKING),
)
PINS = [
    ((5.0, 5.0, 5.0), None, PinClass.PERMANENT), ((0.0, 5.0, 5.1), None, PinClass.SWITCHED), ((0.0, 0.0, 5.0), None, PinClass.SWITCHED), ((0.0, 0.0, 0.0), 0.2, PinClass.RETURN),
    ((0.0, 0.01, 0.0), 22e3, PinClass.SIGNAL), ((0.0, 0.0, 0.0), None, PinClass.UNKNOWN), ((0.0, 3.3, 1.6), None, PinClass.LOGIC), ((5.0, 5.0, None), None, PinClass.UNKNOWN), ((-12.0, -12.1, -12.0), None, PinClass.PERMANENT),
]  # fmt: skip


@pytest.mark.parametrize(("volts", "ohm", "kind"), PINS)
def test_pins_are_classed_by_what_they_did(
    volts: tuple[float | None, ...], ohm: float | None, kind: PinClass
) -> None:
    """Volts by state, and where both a return and a signal would read nought a ring-out."""
    star = Return(id="star", name="shield", star=True)
    job = add_connector(
        new_job("x", Host(name="x", states=STATES, terminals=(star,))), "J1", 1, against="star"
    )
    for state, value in zip(("standby", "idle", "on"), volts, strict=True):
        if value is not None:
            job = log_reading(
                job,
                point="host.j1_1",
                against="host.star",
                state=state,
                function=Function.DC_VOLTS,
                value=value,
                when=WHEN,
            )
    if ohm is not None:
        job = log_reading(
            job,
            point="host.j1_1",
            against="host.star",
            state="off",
            function=Function.RESISTANCE,
            value=ohm,
            when=WHEN,
        )
    (row,) = sweep(job, "J1")
    assert row.kind is kind
    assert row.settle is not None or kind in (PinClass.RETURN, PinClass.SIGNAL, PinClass.LOGIC)


@pytest.mark.parametrize(("loaded", "kind"), [(4.95, PinClass.SWITCHED), (2.0, PinClass.LOGIC)])
def test_a_supply_holds_under_a_load_and_a_line_drops(loaded: float, kind: PinClass) -> None:
    """The load settles what volts alone leave open."""
    star = Return(id="star", name="shield", star=True)
    job = add_connector(
        new_job("x", Host(name="x", states=STATES, terminals=(star,))), "J1", 1, against="star"
    )
    for state, value in (("standby", 0.0), ("idle", 5.0), ("on", 5.0)):
        job = log_reading(
            job,
            point="host.j1_1",
            against="host.star",
            state=state,
            function=Function.DC_VOLTS,
            value=value,
            when=WHEN,
        )
    job = log_reading(
        job,
        point="host.j1_1",
        against="host.star",
        state="on",
        function=Function.DC_VOLTS,
        value=loaded,
        when=WHEN,
        load=1000.0,
    )
    assert sweep(job, "J1")[0].kind is kind
    assert sweep(job, "J1")[0].settle is None


def test_the_star_on_the_connector_is_not_read_against_itself() -> None:
    """Both probes on one point read nought whatever is there; without any return nothing is asked before there is one."""
    bare = add_connector(new_job("x", Host(name="x", states=STATES)), "J1", 2)
    for row in sweep(bare, "J1"):
        assert row.kind is PinClass.UNKNOWN
        assert row.settle is None
    one, other = sweep(take_class(bare, "host.j1_1", "return", ()), "J1")
    assert (one.kind, one.settle) == (PinClass.RETURN, None)
    assert other.settle is not None
    assert (other.settle.point, other.settle.against) == ("host.j1_2", "host.j1_1")


# -- candidates ----------------------------------------------------------------------------------------------


def candidates(job: Job, want: str) -> list[str]:
    """Addresses of the candidates of a want, the best first."""
    return [c.address for w in study_taps(Model.of(job)).wants if w.key == want for c in w.candidates]


def test_a_line_output_comes_before_a_speaker_output() -> None:
    """The record output is fixed and weak; the speaker output is a wrong choice, named."""
    job = host("receiver_amplifier")
    order = candidates(job, "audio_out_fixed")
    assert order[:2] == ["host.rec_left", "host.rec_right"]
    assert set(order[2:]) == {"host.speaker_left", "host.speaker_right"}


@pytest.mark.parametrize(
    ("kind", "point", "true", "want", "code"),
    [
        ("toy", "host.speaker_a", None, "audio_out_fixed", "tap.bridge_tied"), ("receiver_amplifier", "host.speaker_left", None, "audio_out_fixed", "tap.power_output"),
        ("home_computer", "host.composite", None, "video", "tap.with_picture"), ("disc_player", "host.data", Trait.ONE_BIT, "digital", "tap.one_bit"),
        ("disc_player", "host.data", Trait.ENCODED, "digital", "tap.encoded"), ("disc_player", "host.data", Trait.OTHER_PAIR, "digital", "tap.other_pair"),
        ("receiver_amplifier", "host.rec_left", Trait.IN_FEEDBACK, "audio_out_fixed", "tap.in_feedback"),
    ],
)  # fmt: skip
def test_wrong_choices_are_named(kind: str, point: str, true: Trait | None, want: str, code: str) -> None:
    """Each by a code and a sentence of its own; without the trait the point is no wrong choice of that kind."""
    job = host(kind)
    with_trait = set_trait(job, point, true, True) if true else job
    found = {
        c.address: [w[0] for w in c.wrong]
        for w in study_taps(Model.of(with_trait)).wants
        if w.key == want
        for c in w.candidates
    }
    assert code in found[point]
    wrong = next(w for w in table().wrong if w.code == code)
    without = job
    for t in (wrong.trait,):
        without = set_trait(without, point, t, False)
    clean = {
        c.address: [w[0] for w in c.wrong]
        for w in study_taps(Model.of(without)).wants
        if w.key == want
        for c in w.candidates
    }
    assert code not in clean[point]


def test_what_is_not_known_widens_the_score_and_never_counts_as_good() -> None:
    """Confirming a point and telling its traits raises the low end and narrows the span."""
    job = host("receiver_amplifier")
    before_it = next(
        c
        for w in study_taps(Model.of(job)).wants
        if w.key == "audio_in"
        for c in w.candidates
        if c.address == "host.aux_left"
    )
    told = set_trait(
        set_trait(job, "host.aux_left", Trait.SHARED, False), "host.aux_left", Trait.NEEDS_CUT, False
    )
    for check in open_checks(told, "host.aux_left"):
        value = 1.0 if check.function is Function.HEARD else 0.001
        told = answered(told, check, value)
    after = next(
        c
        for w in study_taps(Model.of(told)).wants
        if w.key == "audio_in"
        for c in w.candidates
        if c.address == "host.aux_left"
    )
    assert before_it.low < after.low
    assert after.high - after.low < before_it.high - before_it.low
    assert not after.asks


@pytest.mark.parametrize("kind", [k.key for k in host_kinds()])
def test_every_host_kind_is_ranked_and_its_checks_can_be_worded(kind: str) -> None:
    """Scores lie between 0 and 1, low below high; what would settle each point is a sentence."""
    job = host(kind)
    for want in study_taps(Model.of(job)).wants:
        for candidate in want.candidates:
            assert 0 <= candidate.low <= candidate.high <= 1 + 1e-9
            assert {m.key for m in candidate.marks} == set(table().wants[want.key].weights)
            assert all(in_words(job, c) for c in candidate.asks)
    assert all(stage.name for stage in job.host.stages)


def test_the_table_of_criteria_and_the_code_agree() -> None:
    """Every criterion that the table weighs is worded and worked out, and none is left over."""
    weighed = {name for want in table().wants.values() for name in want.weights}
    assert weighed == set(CRITERIA) == set(table().criteria)
    assert {w.trait for w in table().wrong} <= set(Trait)


def test_the_chain_tells_before_and_after() -> None:
    """An input on the selector lies before the volume, a speaker output after volume and power amplifier."""
    job = host("receiver_amplifier")
    aux, speaker, rec = (job.terminal(f"host.{n}") for n in ("aux_left", "speaker_left", "rec_left"))
    from pigtail.job.document import Act

    assert before(job, aux, Act.VOLUME) is True
    assert trait(job, speaker, Trait.FOLLOWS_VOLUME) is True
    assert trait(job, rec, Trait.FOLLOWS_VOLUME) is False
    assert trait(job, speaker, Trait.BRIDGE_TIED) is None
    assert trait(job, rec, Trait.BRIDGE_TIED) is False
    assert trait(job, job.terminal("host.rail_5v"), Trait.FOLLOWS_VOLUME) is None
    bare = replace(job, host=replace(job.host, stages=()))
    assert trait(bare, speaker, Trait.FOLLOWS_VOLUME) is None


def test_checks_go_from_ringing_out_to_listening() -> None:
    """Power off first; then DC in each live state, then an output while its own side plays, and an input by ear."""
    job = set_point(host("receiver_amplifier"), "host.rec_left", rings_to="aux_left")
    functions = [c.function for c in checks(job, "host.rec_left")]
    dc = [Function.DC_VOLTS] * 3
    ac = Function.AC_VOLTS
    assert functions == [Function.CONTINUITY, *dc, *[ac] * 4]
    drives = [c.drive for c in checks(job, "host.rec_left")[4:]]
    full = "full scale 1 kHz left"
    assert drives == [full, "1 kHz", f"{full}, volume down", full]
    of_input = [Function.RESISTANCE, *dc, *[ac] * 3]
    assert [c.function for c in checks(job, "host.aux_left")] == [*of_input, Function.HEARD]
    silent = replace(job, host=replace(job.host, stages=()))
    assert [c.function for c in checks(silent, "host.aux_left")] == of_input
    assert done_part(job, "host.rec_left") == 0.0
    assert checks(job, "module.out") == ()


def test_an_easier_place_on_the_net_counts() -> None:
    """A chip leg with a test pad on the same net is as easy as the test pad, and the other place is named."""
    job = host("disc_player")
    job = set_point(
        job,
        "host.data",
        place=Place(part="U3", pin="12", pad=Pad.CHIP_LEG),
        alternatives=(Place(part="TP4", pad=Pad.TEST_PAD),),
    )
    score = CRITERIA["access"](job, "host.data", job.terminal("host.data"))
    assert score.value == EASE[Pad.TEST_PAD]
    assert "test pad" in score.text


def test_rail_criteria_tell_switched_from_permanent() -> None:
    """On paper not known; read in every state, one of the two."""
    job = host("receiver_amplifier")
    rail = job.terminal("host.rail_5v")
    assert CRITERIA["permanent"](job, "host.rail_5v", rail).value is None
    for state in ("standby", "tuner", "aux"):
        job = log_reading(
            job,
            point="host.rail_5v",
            against="host.star",
            state=state,
            function=Function.DC_VOLTS,
            value=5.0,
            when=WHEN,
        )
    assert CRITERIA["permanent"](job, "host.rail_5v", rail).value == 1.0
    assert CRITERIA["switched"](job, "host.rail_5v", rail).value == 0.0
    assert isinstance(rail, Rail)


def test_hazard_is_never_good_while_it_is_not_told() -> None:
    """Mains gear: unknown; battery: low voltage all round; near hazard: nought; live chassis: nought."""
    for supply, value in (
        (SupplyClass.MAINS_ISOLATED, None),
        (SupplyClass.BATTERY, 1.0),
        (SupplyClass.LIVE_CHASSIS, 0.0),
        (SupplyClass.UNKNOWN, None),
    ):
        job = host("receiver_amplifier", supply=supply)
        assert CRITERIA["hazard"](job, "host.aux_left", job.terminal("host.aux_left")).value == value
    near = set_trait(host("toy"), "host.trigger", Trait.NEAR_HAZARD, True)
    assert CRITERIA["hazard"](near, "host.trigger", near.terminal("host.trigger")).value == 0.0


def test_digital_lines_are_told_by_what_they_carry() -> None:
    """A named line is of the right kind; plain logic hardly."""
    job = host("disc_player")
    line = job.terminal("host.data")
    assert isinstance(line, Digital)
    assert CRITERIA["domain"](job, "host.data", line).value == 1.0
    assert CRITERIA["domain"](job, "host.data", replace(line, wire=Wire.LOGIC)).value == 0.2
    changed = set_role(job, "host.out_left", "audio in")
    assert changed.terminal("host.out_left").channel is Channel.MONO
