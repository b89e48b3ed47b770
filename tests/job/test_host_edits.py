"""Edits of the host and of the log: what they change, what they refuse, and that no edit wires a live chassis."""

from __future__ import annotations

import inspect
from datetime import datetime
from pathlib import Path

import pytest
from msgspec.structs import replace

from pigtail import edits
from pigtail.advice.plan import propose
from pigtail.advice.remedies import advised
from pigtail.catalogue.kinds import host_kinds, make_host, make_module, module_kinds
from pigtail.edits import host as host_edits
from pigtail.edits import readings as reading_edits
from pigtail.job.check import check_job
from pigtail.job.document import (
    HOST,
    Act,
    AudioIn,
    Channel,
    Function,
    Job,
    Join,
    Link,
    Mode,
    Picture,
    Pin,
    Plus,
    Purpose,
    Rail,
    Section,
    State,
    SupplyClass,
    Trait,
)
from pigtail.job.errors import EditError, FileError, JobError, LiveChassisError
from pigtail.job.file import Document, decode, encode, load
from pigtail.job.places import Pad, Place
from pigtail.job.reading_import import read_rows, text_of, value_of
from pigtail.studies.all import study_job
from pigtail.studies.taps.found import TapsFound
from pigtail.units import Basis
from pigtail.units.known import Known

WHEN = datetime(2026, 11, 25, 9, 0)
PICTURE = Picture(id="top", name="top side", file="pictures/top.png", sha256="0" * 64)


@pytest.fixture
def job() -> Job:
    """A disc player with nothing planned."""
    return edits.new_job("a job", make_host("disc_player"))


def links_to_host(job: Job) -> list[str]:
    """Links that reach the host by a wire."""
    return [x.id for x in job.links if any(j.terminal.startswith(f"{HOST}.") for j in x.joins)]


def test_points_are_added_placed_renamed_and_removed(job: Job) -> None:
    """A point of no known role on a stage, then what is found out of it."""
    job = host_edits.add_point(job, Pin(id="tp1", name="TP1", return_to="star"), "mute")
    assert "tp1" in next(s for s in job.host.stages if s.id == "mute").points
    job = host_edits.set_place(job, "host.tp1", board="main", part="R7", pad=Pad.SMD_0603)
    job = host_edits.add_alternative(job, "host.tp1", Place(part="C9", pin="+", pad=Pad.ELECTROLYTIC))
    job = host_edits.use_alternative(job, "host.tp1", 0)
    point = job.terminal("host.tp1")
    assert (point.place.text(), point.alternatives[0].text()) == ("C9 +", "main, R7")
    job = host_edits.set_role(job, "host.tp1", "audio in")
    job = host_edits.set_point(
        job, "host.tp1", name="mute node", channel=Channel.LEFT, states=("playing",), rings_to="out_left"
    )
    assert isinstance(job.terminal("host.tp1"), AudioIn)
    job = host_edits.set_trait(job, "host.tp1", Trait.SHARED, True)
    job = host_edits.set_trait(job, "host.tp1", Trait.IN_FEEDBACK, False)
    job = host_edits.set_trait(job, "host.tp1", Trait.SHARED, None)
    assert (job.terminal("host.tp1").traits, job.terminal("host.tp1").lacks) == ((), (Trait.IN_FEEDBACK,))
    job = host_edits.put_on_stage(job, "host.tp1", "decoder")
    job = host_edits.remove_point(job, "host.tp1")
    assert job.terminal("host.tp1") is None
    assert all("tp1" not in s.points for s in job.host.stages)


def test_the_chain_is_put_in_order(job: Job) -> None:
    """Stages are added, moved, renamed, given what they do, and taken out; points stay."""
    job = host_edits.add_stage(job, "Headphones", before=2)
    assert [s.name for s in job.host.stages][2] == "Headphones"
    job = host_edits.move_stage(job, "headphones", 5)
    assert job.host.stages[-1].id == "headphones"
    job = host_edits.set_acts(job, "headphones", (Act.VOLUME, Act.AMPLIFY))
    job = host_edits.rename_stage(job, "headphones", "Phones")
    job = host_edits.set_domain(job, "headphones", "analog audio")
    assert job.host.stages[-1].acts == (Act.VOLUME, Act.AMPLIFY)
    points = len(job.host.terminals)
    job = host_edits.remove_stage(job, "mute")
    assert len(job.host.terminals) == points


def test_states_are_the_hosts_own(job: Job) -> None:
    """One that a reading names stays."""
    job = host_edits.add_state(job, "tray open")
    job = reading_edits.log_reading(
        job,
        point="host.rail_5v",
        against="host.star",
        state="tray_open",
        function=Function.DC_VOLTS,
        value=5.0,
        when=WHEN,
    )
    with pytest.raises(EditError, match="readings were taken"):
        host_edits.set_states(job, job.host.states[:-1])
    with pytest.raises(EditError, match="not a state"):
        host_edits.set_states(job, (State(id="off", name="off"), *job.host.states[4:]))


def test_pictures_are_pinned_and_scaled(job: Job) -> None:
    """A pin moves when it is set again; two clicks give the scale."""
    job = host_edits.add_picture(job, PICTURE)
    job = host_edits.pin_point(job, "top", "host.data", 0.1, 0.2)
    job = host_edits.pin_point(job, "top", "host.data", 0.3, 0.4)
    assert [(p.x, p.y) for p in job.pictures[0].pins] == [(0.3, 0.4)]
    job = host_edits.set_scale(job, "top", 0.25, 30.0)
    assert job.pictures[0].mm_per_width == 120.0
    assert decode(encode(Document(job))).job == job
    job = host_edits.unpin(job, "top", "host.data")
    assert host_edits.remove_picture(job, "top").pictures == ()


REFUSED = {
    "no name": lambda j: host_edits.add_point(j, Pin(id="x", name=" ")),
    "no stage": lambda j: host_edits.add_point(j, Pin(id="x", name="x"), "nowhere"),
    "id twice": lambda j: host_edits.add_point(j, Pin(id="data", name="x")),
    "used": lambda j: host_edits.remove_point(j, "host.star"),
    "no role": lambda j: host_edits.set_role(j, "host.data", "antenna"),
    "no field": lambda j: host_edits.set_point(j, "host.data", colour="red"),
    "no other id": lambda j: host_edits.set_point(j, "host.data", id="x"),
    "rings to itself": lambda j: host_edits.set_point(j, "host.data", rings_to="data"),
    "no place field": lambda j: host_edits.set_place(j, "host.data", street="x"),
    "no point": lambda j: host_edits.set_place(j, "host.nothing", part="x"),
    "empty place": lambda j: host_edits.add_alternative(j, "host.data", Place()),
    "no alternative": lambda j: host_edits.use_alternative(j, "host.data", 3),
    "no pins": lambda j: host_edits.add_connector(j, "J1", 0),
    "too many pins": lambda j: host_edits.add_connector(j, "J1", 10_000),
    "picture outside": lambda j: host_edits.add_picture(j, replace(PICTURE, file="../secret.png")),
    "pin off the picture": lambda j: host_edits.pin_point(
        host_edits.add_picture(j, PICTURE), "top", "host.data", 1.5, 0.5
    ),
    "no scale": lambda j: host_edits.set_scale(host_edits.add_picture(j, PICTURE), "top", 0.0, 10.0),
    "no picture": lambda j: host_edits.unpin(j, "top", "host.data"),
    "no host value": lambda j: host_edits.set_host_value(j, "weight", None),
    "negative reservoir": lambda j: host_edits.set_host_value(
        j, "reservoir", Known.of(-1.0, "F", Basis.GUESSED)
    ),
    "no such meter": lambda j: reading_edits.set_meter(j, "crystal ball"),
    "load of nought": lambda j: log(j, load=0.0),
    "heard seven": lambda j: log(j, function=Function.HEARD, value=7.0),
    "negative AC": lambda j: log(j, function=Function.AC_VOLTS, value=-1.0),
    "same point": lambda j: log(j, against="host.data"),
    "move to another kind": lambda j: edits.move_tap(j, "host.data", "host.star"),
}


def log(job: Job, **changes: object) -> Job:
    """A reading of the data line with something changed."""
    given = {
        "point": "host.data",
        "against": "host.star",
        "state": "playing",
        "function": Function.DC_VOLTS,
        "value": 2.4,
        "when": WHEN,
    }
    return reading_edits.log_reading(job, **{**given, **changes})


@pytest.mark.parametrize("what", REFUSED)
def test_edits_that_make_no_sense_are_refused_and_change_nothing(what: str, job: Job) -> None:
    """One typed error; the job is as it was."""
    before = encode(Document(job))
    with pytest.raises(JobError) as trouble:
        REFUSED[what](job)
    assert "\n" not in str(trouble.value)
    assert encode(Document(job)) == before


def test_a_correction_keeps_what_was_read(job: Job) -> None:
    """The earlier reading is struck and kept; the later says which it corrects."""
    job = reading_edits.correct_reading(log(job), "r1", 2.6, WHEN)
    first, second = job.readings
    assert (first.struck, first.value.nominal) == (True, 2.4)
    assert (second.corrects, second.value.nominal, second.point) == ("r1", 2.6, "host.data")


ROWS = {
    "heading in any order": "value,function,point\n4.95,dc,rail_5v\n",
    "no heading": "rail_5v,star,playing,DC volts,4.95\n",
    "semicolons and names": "point;state;value\n5 V rail;disc playing;4.95 V\n",
    "tabs": "point\tvalue\n5 V rail\t4.95\n",
}


@pytest.mark.parametrize("what", ROWS)
def test_readings_are_read_from_tables(what: str, job: Job) -> None:
    """CSV, tabs or semicolons, with a heading or without."""
    (reading,) = read_rows(job, ROWS[what], WHEN)
    assert (reading.point, reading.against, reading.state, reading.value.nominal) == (
        "host.rail_5v",
        "host.star",
        "playing",
        4.95,
    )


@pytest.mark.parametrize(
    ("text", "words"),
    [("", "no readings"), ("point,value\nnowhere,1\n", "row 2: there is no point"), ("point,value\nrail_5v,much\n", "row 2"), ("point,state,value\nrail_5v,asleep,1\n", "no state"),
     ("point,function,value\nrail_5v,sniff,1\n", "no function"), ("point,function,value\nout_left,heard,loud\n", "can be heard"), ("point,value,when\nrail_5v,1,soon\n", "no time")],
)  # fmt: skip
def test_tables_that_cannot_be_read_name_the_row(text: str, words: str, job: Job) -> None:
    """And none of their readings is taken."""
    with pytest.raises(JobError, match=words):
        read_rows(job, text, WHEN)


# -- the live chassis ----------------------------------------------------------------------------------------


def live(kind: str = "mains_radio") -> Job:
    """A host whose chassis may be at mains potential, with a module beside it."""
    host = replace(make_host(kind), supply=SupplyClass.LIVE_CHASSIS)
    return edits.add_module(edits.new_job("live", host), make_module("wireless_receiver_5v", "m"))


def wired(job: Job) -> Job:
    """The job with a link to its host put in behind the edits' back."""
    star = next(t.id for t in job.host.terminals if getattr(t, "star", False))
    link = Link(id="x", name="x", purpose=Purpose.RETURN, sections=(Section(topology="wire"),), joins=(Join(port="in", terminal=f"host.{star}"), Join(port="out", terminal="m.audio_return")))  # fmt: skip
    return replace(job, links=(link,))


def every_edit() -> dict[str, object]:
    """Every public edit there is, with arguments that suit a mains radio."""
    link = wired(live()).links[0]
    known = Known.of(5.0, "V", Basis.GUESSED)
    given = {
        edits.rename: ("name",), edits.set_brief: ("w", "n"), edits.set_name_and_brief: ("a", "b", "c"), edits.set_supply: (SupplyClass.LIVE_CHASSIS,), edits.set_ambient: (None,),
        edits.set_value: ("host.pickup", "wanted", known), edits.set_path: ("host", "pickup_to_star", None), edits.add_module: (make_module("wireless_receiver_5v", "m2"),),
        edits.add_link: (link,), edits.replace_link: (link,), edits.remove_link: ("x",), edits.set_sections: ("x", (Section(topology="wire"),)), edits.set_part: ("x", 0, "r1", known),
        edits.set_parts: ("x", 0, (("r1", known),)), edits.lock_part: ("x", 0, "r1", True), edits.set_rating: ("x", 0, "r1", None),
        edits.set_capacitor: ("x", 0, "c1", Plus.FILM), edits.set_values: ((("host.record_in", "impedance", known),),),
        edits.set_conductor: ("x", "in"), edits.move_tap: ("host.star", "host.pickup_return"),
        host_edits.add_point: (Rail(id="new", name="new"),), host_edits.remove_point: ("host.pickup",), host_edits.set_point: ("host.pickup",), host_edits.set_role: ("host.pickup", "audio out"),
        host_edits.take_class: ("host.pickup", "rail", ()), host_edits.set_place: ("host.pickup",), host_edits.add_alternative: ("host.pickup", Place(part="R1")), host_edits.use_alternative: ("host.pickup", 0),
        host_edits.set_trait: ("host.pickup", Trait.SHARED, True), host_edits.add_connector: ("J1", 3), host_edits.set_states: ((State(id="off", name="off"), State(id="on", name="on")),), host_edits.add_state: ("more",), host_edits.set_state_kind: ("on", Mode.STANDBY),
        host_edits.set_stages: ((),), host_edits.add_stage: ("more",), host_edits.remove_stage: ("tuner",), host_edits.move_stage: ("tuner", 1), host_edits.set_acts: ("tuner", ()), host_edits.rename_stage: ("tuner", "x"),
        host_edits.set_domain: ("tuner", "x"), host_edits.put_on_stage: ("host.pickup", "tuner"), host_edits.set_host_value: ("bleeder", None), host_edits.add_picture: (PICTURE,), host_edits.remove_picture: ("top",),
        host_edits.pin_point: ("top", "host.pickup", 0.1, 0.1), host_edits.unpin: ("top", "host.pickup"), host_edits.set_scale: ("top", 0.5, 5.0), host_edits.replace_host: (live().host,),
        reading_edits.log_readings: ((),), reading_edits.strike_reading: ("r1",), reading_edits.correct_reading: ("r1", 1.0, WHEN), reading_edits.set_meter: ("bench",),
    }  # fmt: skip
    return {f.__name__: (f, arguments) for f, arguments in given.items()}


EVERY = every_edit()


def test_no_edit_is_forgotten_here() -> None:
    """Every public function of the edit modules that takes a job is in the table, or is no edit."""
    no_edits = {"checked", "new_job", "free_id", "id_of", "taken", "log_reading", "unit_of"}
    found = {
        name
        for module in (edits.values, edits.links, host_edits, reading_edits)
        for name, f in inspect.getmembers(module, inspect.isfunction)
        if f.__module__ == module.__name__ and not name.startswith("_")
    }
    assert found - no_edits == set(EVERY)


@pytest.mark.parametrize("name", sorted(EVERY))
def test_no_edit_makes_a_wire_to_a_live_chassis(name: str) -> None:
    """Whatever the edit, and even if a wire were there already: the job that comes out has none, or the edit is refused."""
    edit, arguments = EVERY[name]  # type: ignore[misc]
    try:
        made = edit(live(), *arguments)
    except JobError:
        pass
    else:
        assert links_to_host(made) == []
    if name in (
        "remove_link",
        "rename",
        "set_brief",
        "set_name_and_brief",
        "strike_reading",
        "remove_picture",
        "set_meter",
    ):
        return  # these leave links alone, and no job with such a link can be made or opened
    with pytest.raises(JobError):
        edit(wired(live()), *arguments)


@pytest.mark.parametrize("host", [k.key for k in host_kinds()])
def test_no_plan_and_no_remedy_wires_a_live_chassis(host: str) -> None:
    """For every host kind and module: no plan is made, no remedy leads to one."""
    for module in (k.key for k in module_kinds()):
        job = replace(
            edits.new_job("live", make_host(host)),
            host=replace(make_host(host), supply=SupplyClass.LIVE_CHASSIS),
        )
        job = edits.add_module(job, make_module(module, "m"))
        with pytest.raises(JobError):
            propose(job, "m")
    studies = advised(job, study_job(job))
    assert studies.of(TapsFound).verdict.value == "stop"
    assert all(not w.candidates for w in studies.of(TapsFound).wants)
    for finding in studies.findings:
        for remedy in finding.remedies:
            try:
                assert links_to_host(remedy.edit(job)) == []
            except JobError:
                continue


def test_no_file_brings_a_wire_to_a_live_chassis(tmp_path: Path) -> None:
    """A file that plans one is refused in one sentence; so is one whose host is made live in a text editor."""
    path = tmp_path / "live.pigtail"
    path.write_bytes(encode(Document(wired(live()))))
    with pytest.raises(FileError, match="mains potential"):
        load(path)
    with pytest.raises(LiveChassisError):
        check_job(wired(live()))


@pytest.mark.parametrize(
    "words",
    ["transformer primary", "Mains inlet, live", "mains fuse", "hot side of the heatsink", "line voltage"],
)
def test_the_primary_side_cannot_be_a_point(words: str, job: Job) -> None:
    """Neither by its name nor by where it is, in no edit and no file; a transformer's secondary can."""
    with pytest.raises(EditError, match="licensed person"):
        host_edits.add_point(job, Pin(id="x", name=words))
    with pytest.raises(EditError, match="primary side"):
        host_edits.set_place(job, "host.data", part=words)
    with pytest.raises(JobError, match="primary side"):
        decode(
            encode(
                Document(
                    replace(
                        job, host=replace(job.host, terminals=(*job.host.terminals, Pin(id="x", name=words)))
                    )
                )
            )
        )
    assert host_edits.add_point(job, Pin(id="x", name="mains transformer, 12 V secondary"))


@pytest.mark.parametrize(
    ("function", "value", "text"),
    [(Function.HEARD, 1.0, "left"), (Function.HEARD, 9.0, "?"), (Function.RESISTANCE, 1e9, "open"), (Function.CONTINUITY, float("inf"), "open"), (Function.DC_VOLTS, 1.65, "1.65 V"), (Function.FREQUENCY, 44100.0, "44.1 kHz")],
)  # fmt: skip
def test_a_reading_is_shown_as_it_is_typed(function: Function, value: float, text: str) -> None:
    """And what is shown reads back to the same."""
    assert text_of(function, value) == text
    if text not in ("?", "open"):
        assert value_of(function, text) == pytest.approx(value)
    if text == "open":
        assert value_of(function, text) == 1e9
