"""What stands on the wrong port of a link, each beside its clean twin: the mistakes that burn boards before anything is measured.

Facts of the trade, without a source: the supply on a signal pad, plus and minus of a module swapped by two wires, a return soldered to a
rail, a pad whose foot hangs in the air, two outputs on one wire.
"""

from __future__ import annotations

from collections.abc import Callable

import pytest
from msgspec.structs import replace
from test_joined import found, on_one_rail, rejoined_to, sender
from test_supplies import read, supplied

from feeds import hall, known, pad, through, with_sections
from pigtail import edits
from pigtail.advice.remedies import advised
from pigtail.catalogue.topologies import topology
from pigtail.edits.host import set_trait
from pigtail.edits.plan import set_converter
from pigtail.edits.usual import return_link
from pigtail.job.document import AudioOut, Function, Job, Pin, Purpose, Trait
from pigtail.studies.all import study_job
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.power.found import PowerFound
from pigtail.studies.power.ports import port_findings

STOP, FIX, WATCH = Severity.STOP, Severity.FIX, Severity.WATCH


def at(job: Job, link_id: str, **terminals: str) -> Job:
    """A link with other terminals on some of its ports; an empty one takes the wire off."""
    for port, terminal in terminals.items():
        if terminal:
            job = rejoined_to(job, link_id, port.rstrip("_"), terminal)
        else:
            link = job.link(link_id)
            assert link is not None
            joins = tuple(j for j in link.joins if j.port != port)
            job = edits.replace_link(job, replace(link, joins=joins))
    return job


def plus_and_minus_changed() -> Job:
    """The two wires of the supply on each other's pad of the module."""
    job = set_converter(pad(), "supply", "direct")
    return at(at(job, "supply", out="m.supply_return"), "supply_return", in_="m.supply")


def straight() -> Job:
    """The clean twin: the same with the wires where they belong."""
    return set_converter(pad(), "supply", "direct")


def at_a_pin(link_id: str, port: str) -> Job:
    """A port of a link on a pin of the host of which nobody knows what it does."""
    job = pad()
    host = replace(job.host, terminals=(*job.host.terminals, Pin(id="pin_9", name="pin 9")))
    return rejoined_to(replace(job, host=host), link_id, port, "host.pin_9")


#: Code, severity, subject, the job with it, its clean twin.
CASES: dict[str, tuple[str, Severity, str, Callable[[], Job], Callable[[], Job]]] = {
    "a rail on the minus pad": ("power.rail_on_return", STOP, "supply", plus_and_minus_changed, straight),
    "the return on the plus pad": ("power.pin_on_return", STOP, "supply_return", plus_and_minus_changed, straight),
    "a rail on a line input": ("power.on_signal", STOP, "feed_left", lambda: at(pad(), "feed_left", in_="host.rail_5v"), pad),
    "the supply on an output pad": ("power.on_signal", STOP, "supply", lambda: at(straight(), "supply", out="m.out_left"), straight),
    "a feed onto the supply pad": ("power.on_signal", STOP, "feed_left", lambda: at(pad(), "feed_left", in_="m.supply"), pad),
    "the audio return on a rail": ("power.rail_on_return", STOP, "audio_return", lambda: at(pad(), "audio_return", out="host.rail_5v"), pad),
    "the foot of a pad on a rail": ("power.foot_on_supply", STOP, "feed", lambda: at(hall(), "feed", com="host.rail_low"), hall),
    "the foot of a pad on an output": ("power.foot_on_supply", STOP, "feed", lambda: at(hall(), "feed", com="m.out_left"), hall),
    "an output shorted by a return": ("power.signal_on_return", FIX, "audio_return", lambda: at(pad(), "audio_return", in_="m.out_left"), pad),
    "a pad without a foot": ("level.open_foot", FIX, "feed", lambda: at(hall(), "feed", com=""), hall),
    "a regulator without a foot": ("power.open_foot", FIX, "supply", lambda: at(supplied(9.0), "supply", com=""), lambda: supplied(9.0)),
    "a separate converter without the host's side": ("power.open_foot", FIX, "supply", lambda: at(set_converter(hall(), "supply", "isolated_wide"), "supply", back=""), lambda: set_converter(hall(), "supply", "isolated_wide")),
    "a stage on a return": ("power.stage_on_none", FIX, "feed_left", lambda: at(on_one_rail("gain_single"), "feed_left", sup="host.star"), lambda: on_one_rail("gain_single")),
    "a stage on an output": ("power.stage_on_none", FIX, "feed_left", lambda: at(on_one_rail("gain_single"), "feed_left", sup="m.out_right"), lambda: on_one_rail("gain_single")),
    "the foot of a regulator on an output": ("power.foot_on_supply", STOP, "supply", lambda: at(supplied(9.0), "supply", com="m.out_left"), lambda: supplied(9.0)),
    "a return at a pin that nobody knows": ("power.pin_unknown", Severity.UNKNOWN, "audio_return", lambda: at_a_pin("audio_return", "out"), pad),
    "a supply at a pin that nobody knows": ("power.pin_unknown", Severity.UNKNOWN, "supply", lambda: at_a_pin("supply", "in"), pad),
    "an output on an output": ("level.open_feed", FIX, "feed_left", lambda: at(pad(), "feed_left", out="m.out_right"), pad),
}  # fmt: skip


@pytest.mark.one_of(18)
@pytest.mark.parametrize("name", CASES)
def test_a_wrong_port_is_told_and_its_twin_is_not(name: str) -> None:
    """With its severity, about its link, and with no remedy for what only hands can mend."""
    code, severity, subject, spoilt, clean = CASES[name]
    told = [f for f in found(spoilt(), code) if f.subject == subject]
    assert [f.severity for f in told] == [severity], sorted({f.code for f in study_job(spoilt()).findings})
    if severity is STOP:
        assert told[0].remedies == ()
    assert code not in {f.code for f in study_job(clean()).findings}


def test_two_rails_joined_by_a_link_are_a_stop() -> None:
    """The higher would drive the other."""
    job = hall()
    assert not port_findings(job)
    link = job.link("audio_return")
    assert link is not None
    job = at(job, "audio_return", in_="host.rail_low", out="host.rail_high")
    assert [f.code for f in port_findings(job)] == ["power.rails_joined"]


def test_a_host_whose_plus_is_its_ground_is_served_by_a_converter_turned_round() -> None:
    """Its rail lies below the chassis: the isolated converter between the two plays, and the rail's current is counted as current."""
    job = set_converter(supplied(-12.0), "supply", "isolated_wide")
    (stop,) = [f for f in advised(job, study_job(job)).of(PowerFound).findings if f.severity is STOP]
    (turn,) = stop.remedies
    assert turn.label == "turn the converter's input round"
    studies = study_job(turn.edit(job))
    assert not [f.sentence for f in studies.findings if f.severity in (STOP, FIX)]
    assert study_job(job).numbers.get("power.rail_current_a") != studies.numbers["power.rail_current_a"]
    drawn = studies.numbers["power.rail_current_a"].value
    assert drawn is not None
    assert drawn > 0.02


def after_the_amplifier(traits: tuple[Trait, ...], *sections: str, **values: float) -> Job:
    """A powerful output of the module into a line, through networks."""
    job = with_sections(
        pad(),
        "feed_left",
        *(
            topology(s).section(
                **{k: v for k, v in values.items() if k in {p.name for p in topology(s).parts}}
            )
            for s in sections
        ),
    )
    module = job.modules[0]
    points = tuple(
        replace(t, traits=traits, emf=known(8.0, "V"), impedance=known(0.1, "Ω"))
        if isinstance(t, AudioOut)
        else t
        for t in module.terminals
    )
    return replace(job, modules=(replace(module, terminals=points),))


@pytest.mark.long
def test_a_loud_output_is_padded_by_a_remedy_that_is_solved() -> None:
    """20 dB too much: a pad is offered with its values, and nothing overloads with it."""
    job = through(through(after_the_amplifier((), "wire"), "feed_left", "wire"), "feed_right", "wire")
    told = [f for f in found(job, "level.clips") if f.subject == "feed_left"]
    assert told[0].remedies
    for remedy in told[0].remedies:
        assert "level.clips" not in {f.code for f in study_job(remedy.edit(job)).findings}, remedy.label


def test_without_volts_no_burst_is_told_against_a_programme() -> None:
    """A dead module plays nothing: unknown, with what to mend first; the clean twin is judged."""
    dead = supplied(2.0, "direct")
    assert [f.code for f in study_job(dead).findings if f.code.startswith("returns.")] == ["returns.silent"]
    codes = {f.code for f in study_job(supplied(5.0, "direct")).findings}
    assert "returns.silent" not in codes


@pytest.mark.parametrize(("volts", "code"), [(12.6, "survey.rail_is_ac"), (0.4, "survey.ripple")])
def test_a_rail_that_reads_ac_is_no_rail(volts: float, code: str) -> None:
    """Before the rectifier, a stop; ripple behind it, a catch."""
    job = read(supplied(12.0), "on", volts, function=Function.AC_VOLTS)
    told: list[Finding] = [f for f in study_job(job).findings if f.code == code]
    assert [f.severity for f in told] == [STOP if volts > 6 else WATCH]


def test_links_of_the_catalogue_stand_on_the_right_ports() -> None:
    """No plan of the everyday jobs is accused."""
    for job in (pad(), hall(), straight()):
        assert {x.purpose for x in job.links} == {Purpose.FEED, Purpose.SUPPLY, Purpose.RETURN}
        assert port_findings(job) == []


def test_the_build_is_never_good_beside_what_is_open() -> None:
    """It names the stations that say stop, or, where none does, those that are still open."""
    stopped = {f.code: f for f in study_job(plus_and_minus_changed()).findings}
    assert stopped["build.stopped"].severity is STOP
    assert "stopped by Power." in stopped["build.stopped"].sentence
    waiting = {f.code: f for f in study_job(pad()).findings}
    assert waiting["build.waits"].severity is Severity.UNKNOWN
    assert "build.stopped" not in waiting


def test_a_separate_supply_wants_one_return_alone() -> None:
    """A second return closes the loop that the converter opened; leaving it out is offered first."""
    clean = set_converter(pad(), "supply", "isolated")
    assert "returns.bridged" not in {f.code for f in study_job(clean).findings}
    back = return_link("supply_return", "Supply return", "m.supply_return", "host.star", 20)
    job = edits.add_link(clean, back)
    (told,) = found(job, "returns.bridged")
    assert told.severity is WATCH
    assert told.remedies[0].label == "leave out the supply return"
    assert told.remedies[0].edit(job) == clean


@pytest.mark.one_of(2)
@pytest.mark.parametrize("bias", [1.65, -1.65])
def test_an_electrolytic_that_leaks_is_made_a_film_one(bias: float) -> None:
    """Of the reach of film, rated as film is, and quiet; the clean twin is left alone."""
    job = through(through(pad(), "feed_left", "coupling"), "feed_right", "coupling")
    for side in ("left", "right"):
        job = edits.set_value(job, f"m.out_{side}", "bias", known(bias, "V"))
    told = [f for f in advised(job, study_job(job)).findings if f.judgement in ("level.offset", "level.pop")]
    leaking = [f for f in told if f.severity is not Severity.GOOD]
    for finding in leaking:
        film = next(r for r in finding.remedies if "film" in r.label)
        after = {f.judgement: f for f in study_job(film.edit(job)).findings if f.judgement}
        assert after[finding.judgement].severity is Severity.GOOD
        assert after["level.bass"].severity is not FIX
    assert leaking


def from_a_speaker(*sections: str, trait: Trait | None = None) -> Job:
    """A transmitter at the speaker output of a receiver-amplifier, through networks."""
    job = sender(False)
    feed = next(x for x in job.links if x.at("out") == ("m.in_left",))
    job = with_sections(
        rejoined_to(job, feed.id, feed.joins[0].port, "host.speaker_left"),
        feed.id,
        *(topology(s).section() for s in sections),
    )
    return job if trait is None else set_trait(job, "host.speaker_left", trait, True)


@pytest.mark.one_of(3)
@pytest.mark.parametrize(
    ("sections", "trait", "code", "severity"),
    [
        (("wire",), None, "tap.power_output", FIX),
        (("series",), None, "tap.power_output", FIX),
        (("pad",), None, "tap.power_output", WATCH),
        (("pad", "capacitor"), None, "tap.power_output", WATCH),
        (("pad",), Trait.BRIDGE_TIED, "tap.bridge_tied", STOP),
        (("capacitor", "transformer"), Trait.BRIDGE_TIED, "tap.bridge_tied", WATCH),
    ],
)  # fmt: skip
def test_a_power_output_brought_down_is_a_catch_and_no_mistake(
    sections: tuple[str, ...], trait: Trait | None, code: str, severity: Severity
) -> None:
    """Padded, or for one side of a bridge behind a transformer; a pad does not tame a bridge."""
    told = [
        f
        for f in study_job(from_a_speaker(*sections, trait=trait)).findings
        if f.code == code and f.subject == "host.speaker_left"
    ]
    assert [f.severity for f in told] == [severity]


def test_nothing_is_good_that_is_solved_with_a_wire_on_the_wrong_pad() -> None:
    """Level and Returns say that nothing they tell holds; the clean twin is judged."""
    verdicts = study_job(plus_and_minus_changed()).verdicts
    assert verdicts["level"] is verdicts["returns"] is Severity.UNKNOWN
    assert "returns.miswired" not in {f.code for f in study_job(straight()).findings}
