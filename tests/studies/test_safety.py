"""Where nothing may be joined: a host of which nobody knows how it is fed, metal that was read live, points on the primary side.

Above 30 V AC rms, 42.4 V peak or 60 V DC treat as hazardous (IEC 62368-1, class ES1; from memory). That the primary side is for a
licensed person is a rule of the trade.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

import pytest
from msgspec.structs import replace

from feeds import hall, known
from pigtail import edits
from pigtail.advice.plan import propose
from pigtail.advice.remedies import advised
from pigtail.edits.host import add_point, set_place
from pigtail.edits.links import set_capacitor
from pigtail.edits.plan import set_converter
from pigtail.edits.readings import log_reading
from pigtail.job.check import check_job
from pigtail.job.document import Function, Job, Pin, Plus, Return, Stage, SupplyClass
from pigtail.job.errors import EditError, JobError, LiveChassisError
from pigtail.job.primary import primary
from pigtail.studies.all import study_job
from pigtail.studies.findings import Severity

WHEN = datetime(2026, 11, 27, 12, 0)


def earthed(job: Job) -> Job:
    """The host with its mains earth as a return of its own, to be read against."""
    return add_point(job, Return(id="earth", name="earth of the plug"))


def read(job: Job, value: float, function: Function = Function.AC_VOLTS, note: str = "") -> Job:
    """The star read against the earth."""
    return log_reading(
        job,
        point="host.star",
        against="host.earth",
        state="on",
        function=function,
        value=value,
        when=WHEN,
        note=note,
    )


EDITS: list[Callable[[Job], Job]] = [
    lambda j: edits.add_link(j, replace(j.links[0], id="another")),
    lambda j: edits.replace_link(j, replace(j.links[0], name="renamed")),
    lambda j: propose(edits.remove_link(edits.remove_link(j, "supply"), "feed"), "m"),
]


@pytest.mark.parametrize("edit", EDITS)
def test_a_host_of_unknown_supply_takes_no_wire(edit: Callable[[Job], Job]) -> None:
    """Neither by hand nor by a proposal; what is there can be taken away, and the same edits pass where the supply is known."""
    job = edits.set_supply(hall(), SupplyClass.UNKNOWN)
    with pytest.raises(LiveChassisError, match="how the host is fed is not known"):
        edit(job)
    assert edits.remove_link(job, "feed").link("feed") is None
    assert edit(edits.set_supply(job, SupplyClass.MAINS_ISOLATED))


def test_nothing_is_good_of_a_host_of_unknown_supply() -> None:
    """Every station says so with the question that settles it, and no plan is offered; the clean twin has no such finding."""
    job = edits.set_supply(hall(), SupplyClass.UNKNOWN)
    studies = advised(job, study_job(job))
    assert Severity.GOOD not in studies.verdicts.values()
    for study in studies.each():
        told = [f for f in study.findings if f.code.endswith(".supply_unknown")]
        assert [f.severity for f in told] == [Severity.UNKNOWN], study.name
        assert told[0].settle or told[0].sentence
    bare = edits.set_supply(replace(hall(), links=()), SupplyClass.UNKNOWN)
    offered = [r.label for f in advised(bare, study_job(bare)).findings for r in f.remedies]
    assert not [label for label in offered if label.startswith("propose")]
    clean = study_job(hall())
    assert not [f for f in clean.findings if f.code.endswith(".supply_unknown")]


@pytest.mark.parametrize(
    ("value", "function"),
    [
        (115.0, Function.AC_VOLTS),
        (35.0, Function.AC_VOLTS),
        (90.0, Function.DC_VOLTS),
        (-160.0, Function.DC_VOLTS),
    ],
)
def test_metal_that_was_read_live_is_a_stop_everywhere(value: float, function: Function) -> None:
    """A live chassis in disguise: a stop at every station, no wire can be added, no remedy is offered that adds one."""
    job = read(earthed(hall()), value, function)
    studies = advised(job, study_job(job))
    assert set(studies.verdicts.values()) == {Severity.STOP}
    told = [f for f in studies.findings if f.code.endswith(".live")]
    assert len(told) == len(studies.each())
    assert all("earth of the plug" in f.sentence and not f.remedies for f in told)
    for edit in EDITS:
        with pytest.raises(LiveChassisError, match="join nothing to the host"):
            edit(job)
    assert edits.remove_link(job, "feed")


@pytest.mark.parametrize(
    ("value", "function"), [(25.0, Function.AC_VOLTS), (0.4, Function.AC_VOLTS), (12.0, Function.DC_VOLTS)]
)
def test_leakage_below_the_limits_stops_nothing(value: float, function: Function) -> None:
    """The clean twins: what a filter's capacitor leaks, a supply of its own."""
    job = read(earthed(hall()), value, function)
    assert not [f for f in study_job(job).findings if f.code.endswith(".live")]
    assert EDITS[1](job)


def test_only_a_reading_behind_an_isolation_transformer_opens_it_again() -> None:
    """A lower reading alone may be the plug turned round; one that is noted as isolated counts, and so does striking the first."""
    job = read(earthed(hall()), 115.0)
    assert [f for f in study_job(read(job, 0.2)).findings if f.code.endswith(".live")]
    opened = read(job, 0.2, note="behind an isolation transformer")
    assert not [f for f in study_job(opened).findings if f.code.endswith(".live")]
    assert EDITS[1](opened)


SPELLINGS = (
    "primary side", "Primary  side", "primary-side bulk capacitor", "mains  live", "mains-live", "MAINS INLET", "rectified mains",
    "+325V bulk", "325 V DC", "live\u2011side", "hot chassis", "fuse, mains", "neutral", "line voltage", "230VAC", "120 V AC line",
    "mains rectifier plus", "IEC inlet", "X2 capacitor", "PFC output", "DC-link", "rеctified mains", "prіmary", "mаins live",
    "line cord", "transformer, primary winding", "the hot side",
)  # fmt: skip
HARMLESS = (
    "record input", "line input, left", "line out", "mains transformer, 12 V secondary", "12 V rail", "mains earth",
    "0 V star at the reservoir", "hot side of the volume control", "power amplifier output", "standby 5 V", "+35 V rail",
    "headphone output", "main input", "speaker out",
)  # fmt: skip


@pytest.mark.parametrize("words", SPELLINGS)
def test_the_primary_side_is_known_however_it_is_written(words: str) -> None:
    """Spaces, hyphens, look-alike letters, volts: in a name, a place, the papers, a module's pin or a stage with points."""
    job = hall()
    with pytest.raises(EditError, match="primary side"):
        add_point(job, Pin(id="x", name=words))
    with pytest.raises(EditError, match="primary side"):
        add_point(job, Pin(id="x", name="x", papers=words))
    with pytest.raises(EditError, match="primary side"):
        set_place(job, "host.record_in", part=words)
    module = job.modules[0]
    pins = tuple(replace(t, name=words) if k == 0 else t for k, t in enumerate(module.terminals))
    with pytest.raises(JobError, match="primary side"):
        check_job(replace(job, modules=(replace(module, terminals=pins),)))
    stage = Stage(id="supply_stage", name=words, points=("record_in",))
    with pytest.raises(JobError, match="primary side"):
        check_job(replace(job, host=replace(job.host, stages=(*job.host.stages, stage))))


@pytest.mark.parametrize("words", HARMLESS)
def test_what_is_not_the_primary_side_is_let_in(words: str) -> None:
    """The clean twins, in a host that is fed by mains."""
    assert add_point(hall(), Pin(id="x", name=words))


def test_what_is_harmless_depends_on_how_the_host_is_fed() -> None:
    """Bulk and 325 V mean nothing in a battery radio, 300 V is a plate in valve gear, 230 V AC is mains there too."""
    assert not primary("bulk capacitor", SupplyClass.BATTERY)
    assert not primary("300 V plate", SupplyClass.VALVE)
    assert primary("230 V AC", SupplyClass.VALVE)
    assert primary("bulk capacitor", SupplyClass.MAINS_SWITCHING)


@pytest.mark.parametrize(
    ("field", "value", "stop"),
    [("dc", 250.0, True), ("dc", -90.0, True), ("dc", 61.0, True), ("dc", 12.0, False), ("dc", 0.0, False)],
)
def test_a_point_at_hazardous_volts_takes_no_wire_without_a_rated_part(
    field: str, value: float, stop: bool
) -> None:
    """The capacitor of the plan is not told to stand it: a stop. One that is rated for twice as much is an interface."""
    job = edits.set_value(hall(), "host.record_in", field, known(value, "V", 0.01))
    told = [f for f in study_job(job).findings if f.code == "survey.hazardous_point"]
    assert [f.severity for f in told] == ([Severity.STOP] if stop else [])
    rated = set_capacitor(job, "feed", 1, "c1", Plus.FILM, known(630.0, "V", 0.0))
    assert not [f for f in study_job(rated).findings if f.code == "survey.hazardous_point"]


@pytest.mark.parametrize(
    ("value", "function", "stop"),
    [(70.0, Function.DC_VOLTS, True), (40.0, Function.AC_VOLTS, True), (20.0, Function.AC_VOLTS, False)],
)
def test_what_was_read_in_any_state_counts(value: float, function: Function, stop: bool) -> None:
    """A point that papers call harmless and the meter does not, be it while idle."""
    job = log_reading(
        hall(),
        point="host.record_in",
        against="host.star",
        state="idle",
        function=function,
        value=value,
        when=WHEN,
    )
    told = [f for f in study_job(job).findings if f.code == "survey.hazardous_point"]
    assert [f.severity for f in told] == ([Severity.STOP] if stop else [])


@pytest.mark.parametrize(("volts", "stop"), [(320.0, True), (160.0, True), (66.0, True), (48.0, False)])
def test_a_rail_at_hazardous_volts_is_a_stop_through_any_converter_of_the_catalogue(
    volts: float, stop: bool
) -> None:
    """None of them is made for it."""
    for key in ("linear_large", "buck"):
        job = edits.set_value(
            set_converter(hall(), "supply", key), "host.rail_high", "voltage", known(volts, "V", 0.01)
        )
        told = [f for f in study_job(job).findings if f.code == "survey.hazardous_point"]
        assert [f.severity for f in told] == ([Severity.STOP] if stop else []), key


@pytest.mark.parametrize(
    ("name", "live"),
    [("earth of the plug", True), ("chassis screw", True), ("J4-3", False), ("unknown rail", False)],
)
@pytest.mark.parametrize(("value", "function"), [(70.0, Function.DC_VOLTS), (35.0, Function.AC_VOLTS)])
def test_a_pin_that_nobody_has_named_is_no_chassis(
    name: str, live: bool, value: float, function: Function
) -> None:
    """70 V on a pin of a swept connector is a rail of a large amplifier, 35 V AC a winding; on what is called earth or chassis it is
    the host's metal, whatever role it was given."""
    job = log_reading(
        add_point(hall(), Pin(id="probed", name=name)),
        point="host.probed", against="host.star", state="on", function=function, value=value, when=WHEN,
    )  # fmt: skip
    assert bool([f for f in study_job(job).findings if f.code.endswith(".live")]) is live
