"""The mistakes that modders make with supplies, each beside the same job done right: the mistake is a stop or a fix (or a watch where it
only costs hours), its twin has none of it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import pytest
from msgspec.structs import replace

from pigtail import edits
from pigtail.advice.attempts import candidates
from pigtail.bench.truth import load, shipped
from pigtail.catalogue.kinds import make_module
from pigtail.catalogue.topologies import plain
from pigtail.edits.plan import put_supply, turned_legs
from pigtail.edits.sources import add_winding
from pigtail.edits.usual import join, return_link, supply_link
from pigtail.job.document import Function, Job, Link, Purpose, Reading
from pigtail.job.energy import Chemistry, Earthed, KeptBy, Regulator
from pigtail.job.errors import JobError
from pigtail.model.model import Model
from pigtail.studies.all import study_job
from pigtail.studies.findings import Severity
from pigtail.studies.power.study import study_power
from pigtail.units import Basis
from pigtail.units.known import Known
from supplying import PIN, battery_job, rail_job, volts, winding_job

STEADY = {"average": volts("100 mA", "A"), "burst": volts("100 mA", "A")}
HEAVY = {
    "average": volts("150 mA", "A"),
    "burst": volts("150 mA", "A"),
    "maximum": volts("5.5 V"),
    "minimum": volts("4.5 V"),
}


def said(job: Job) -> dict[str, Severity]:
    """The codes that Power says of a job, with the worst severity of each."""
    found: dict[str, Severity] = {}
    for finding in study_power(Model.of(job)).findings:
        found.setdefault(finding.code, finding.severity)
    return found


def with_reservoir(job: Job, farads: float, rating: str = "") -> Job:
    """The job with another reservoir, of a rating if one is told."""
    link = job.links[0]
    known = Known.of(farads, "F", Basis.TYPICAL, tolerance=0.2)
    given = next(p for p in link.sections[0].parts if p.name == "c1")
    changed = replace(given, value=known, rating=volts(rating) if rating else None)
    parts = tuple(changed if p.name == "c1" else p for p in link.sections[0].parts)
    return replace(
        job,
        links=(
            replace(link, sections=(replace(link.sections[0], parts=parts), *link.sections[1:])),
            *job.links[1:],
        ),
    )


def two_on_one(limit: str) -> Job:
    """Two modules on one adapter."""
    job = rail_job("direct", "5 V ±2 %", limit=volts(limit, "A"), used=volts("0 A", "A"))
    second = make_module("wireless_receiver_5v", "tx")
    job = edits.add_module(job, second)
    links = (
        supply_link(job, "supply_2", "host.rail", "tx.supply", "direct"),
        return_link("ret_2", "Return", "tx.supply_return", "host.star", 20),
    )
    return replace(job, links=(*job.links, *links))


def unrectified() -> Job:
    job = winding_job()
    link = job.links[0]
    joins = tuple(j for j in link.joins if j.port in ("in", "out"))
    straight = supply_link(rail_job(), "supply", "host.rail", PIN, "direct").sections
    return replace(job, links=(replace(link, sections=straight, joins=joins), *job.links[1:]))


def fused(rated: str, short: str) -> Job:
    """A module behind a fuse, on a rail whose short is so much."""
    job = put_supply(
        rail_job(
            "direct", "5 V ±1 %", resistance=Known.of(5.0 / volts(short, "A").nominal, "Ω", Basis.DOCUMENTED)
        ),
        PIN,
        "host.rail",
        ("supply_fuse",),
    )
    link = next(x for x in job.links if x.id == "supply")
    parts = tuple(
        replace(p, value=volts(rated, "A")) if p.name == "rated" else p for p in link.sections[0].parts
    )
    return edits.replace_link(job, replace(link, sections=(replace(link.sections[0], parts=parts),)))


ADAPTER = partial(winding_job, open_v="13.4 V", ohm="1.5 Ω", earthed=Earthed.NONE)
HOT = Regulator(fed=volts("18 V"), theta=volts("110 °C/W", "°C/W"))
COOL = Regulator(fed=volts("9 V"), theta=volts("15 °C/W", "°C/W"))
#: The mistake, what is said of it, and its twin.
MISTAKES: dict[str, tuple[Callable[[], Job], str, Callable[[], Job]]] = {
    "the raw side instead of the regulated one": (
        lambda: rail_job("direct", "12 V ±10 %"), "power.over_voltage", lambda: rail_job("direct", "5 V ±2 %"),
    ),
    "ten microfarads after a bridge": (
        lambda: with_reservoir(ADAPTER("bridge", "linear_cooled", pin=STEADY), 10e-6), "power.dropout",
        lambda: with_reservoir(ADAPTER("bridge", "linear_cooled", pin=STEADY), 1e-3),
    ),
    "the rise with nothing drawn": (
        lambda: ADAPTER("bridge", "linear_1117", open_v="16.5 V"), "power.input_over_voltage", lambda: ADAPTER("bridge", "linear_cooled"),
    ),
    "a bridge on a grounded winding": (
        lambda: ADAPTER("bridge", "linear_cooled", earthed=Earthed.FIRST), "power.reference_trap",
        lambda: ADAPTER("half_wave", "linear_cooled", earthed=Earthed.FIRST),
    ),
    "a bridge on a winding whose tap is grounded": (
        lambda: winding_job("bridge", "ldo", open_v="14 V", tapped=True, earthed=Earthed.TAP), "power.reference_trap",
        lambda: winding_job("full_wave", "ldo", open_v="14 V", tapped=True, earthed=Earthed.TAP),
    ),
    "a half wave over the whole of a winding whose tap is grounded": (
        lambda: winding_job("half_wave", "ldo", open_v="14 V", tapped=True, earthed=Earthed.TAP), "power.reference_trap",
        lambda: winding_job("full_wave", "ldo", open_v="14 V", tapped=True, earthed=Earthed.TAP),
    ),
    "legs swapped": (
        lambda: turned_legs(winding_job(), "supply"), "power.legs_swapped", winding_job,
    ),
    "no rectifier": (
        unrectified, "power.not_rectified", winding_job,
    ),
    "a permanent rail of a battery": (
        lambda: battery_job("boost", states=()), "power.always_on", lambda: battery_job("boost"),
    ),
    "a battery that is flat in days": (
        lambda: battery_job("boost", states=()), "power.standby_drains", lambda: battery_job("boost"),
    ),
    "a smaller cell with a larger load": (
        lambda: battery_job("boost", capacity=volts("120 mAh", "Ah"), before=volts("250 mAh", "Ah")), "power.battery_short",
        lambda: battery_job("boost", capacity=volts("2 Ah", "Ah"), before=volts("250 mAh", "Ah")),
    ),
    "charged too fast": (
        lambda: battery_job("boost", charge=volts("2 A", "A")), "power.charge_too_high", lambda: battery_job("boost", charge=volts("0.5 A", "A")),
    ),
    "the marking misread": (
        lambda: rail_job("direct", "5 V ±2 %", pin={"behind": "78M05"}), "power.under_voltage",
        lambda: rail_job("direct", "9 V ±5 %", pin={"behind": "78M05"}),
    ),
    "a reservoir below the crest of high mains": (
        lambda: with_reservoir(ADAPTER("bridge", "linear_cooled"), 1e-3, "16 V"), "power.capacitor_rating",
        lambda: with_reservoir(ADAPTER("bridge", "linear_cooled"), 1e-3, "25 V"),
    ),
    "a 7805 on a heater winding": (
        lambda: winding_job("half_wave", "linear_large", open_v="6.5 V", pin=HEAVY), "power.dropout",
        lambda: winding_job("half_wave_schottky", "ldo", open_v="6.5 V", pin=HEAVY),
    ),
    "the host's regulator overheated": (
        lambda: rail_job("direct", "5 V ±2 %", kept=KeptBy.LINEAR, regulator=HOT), "power.host_regulator_hot",
        lambda: rail_job("direct", "5 V ±2 %", kept=KeptBy.LINEAR, regulator=COOL),
    ),
    "one adapter for too much": (lambda: two_on_one("0.2 A"), "power.rail_overload", lambda: two_on_one("1 A")),
    "a buck below its least input": (
        lambda: rail_job("buck", "5.5 V ±2 %"), "power.dropout", lambda: rail_job("buck", "12 V ±2 %"),
    ),
    "a boost from a nearly flat cell": (
        lambda: battery_job("boost", resistance=volts("4 Ω", "Ω"), kind="wireless_receiver_5v"), "power.battery_sags",
        lambda: battery_job("boost", resistance=volts("0.05 Ω", "Ω"), kind="wireless_receiver_5v", empty=volts("3.3 V")),
    ),
    "a cell without protection": (
        lambda: battery_job("boost", protected=False), "power.cell_unprotected", lambda: battery_job("boost", protected=True),
    ),
    "diodes that break down": (
        lambda: winding_job("half_wave_schottky", "linear_cooled", open_v="18 V"), "power.reverse_beyond",
        lambda: winding_job("half_wave", "linear_cooled", open_v="12 V"),
    ),
    "a fuse that never goes": (
        lambda: fused("5 A", "0.5 A"), "power.fuse_large", lambda: fused("0.3 A", "5 A"),
    ),
    "a fuse that goes at once": (
        lambda: fused("40 mA", "5 A"), "power.fuse_small", lambda: fused("0.3 A", "5 A"),
    ),
    "a cell that the host itself empties": (
        lambda: battery_job("boost", off_a="5 mA"), "power.standby_drains", lambda: battery_job("boost", off_a="20 µA"),
    ),
    "small diodes for a large module": (
        lambda: winding_job("half_wave", "linear_cooled", open_v="9 V", rated="5 A", pin=STEADY | {"average": volts("1.5 A", "A"), "burst": volts("1.5 A", "A")}),
        "power.diode_overload", lambda: winding_job("half_wave", "linear_cooled", open_v="9 V", rated="5 A", pin=STEADY),
    ),
    "heaters that leave nothing over": (
        lambda: winding_job(used=volts("0.95 A", "A")), "power.winding_overload", lambda: winding_job(used=volts("0.3 A", "A")),
    ),
    "a winding too weak": (
        lambda: ADAPTER("bridge", "linear_cooled", rated="0.15 A", pin=STEADY), "power.winding_overload", lambda: ADAPTER("bridge", "linear_cooled", pin=STEADY),
    ),
}  # fmt: skip


@pytest.mark.one_of(3)
@pytest.mark.parametrize("case", MISTAKES)
def test_a_mistake_is_told_and_its_twin_is_not(case: str) -> None:
    """A stop or a fix, or a watch where it only costs hours; nothing of it in the twin, and no stop there at all."""
    wrong, code, right = MISTAKES[case]
    least = (
        (Severity.STOP, Severity.FIX, Severity.WATCH)
        if code == "power.battery_short"
        else (Severity.STOP, Severity.FIX)
    )
    found = said(wrong())
    told = {c: s for c, s in found.items() if c == code}
    assert told.get(code) in least, found
    twin = said(right())
    milder = (Severity.GOOD, Severity.WATCH) if code != "power.battery_short" else (Severity.GOOD,)
    assert twin.get(code, Severity.GOOD) in milder, twin
    assert Severity.STOP not in twin.values(), twin


def test_which_end_is_earthed_is_asked_and_not_assumed() -> None:
    """Unknown, with the reading that settles it; rung out, the same plan is a stop, or good where nothing is joined."""
    job = ADAPTER("bridge", "linear_cooled", earthed=Earthed.UNKNOWN)
    (told,) = (f for f in study_power(Model.of(job)).findings if f.code.startswith("power.reference"))
    assert told.severity is Severity.UNKNOWN
    assert "ring out" in told.settle
    assert said(_rung(job, 0.2, 1.4))["power.reference_trap"] is Severity.STOP
    assert said(_rung(job, 1.4, 0.2))["power.reference_trap"] is Severity.STOP
    assert "power.reference_unknown" not in said(_rung(job, 2e6, 2e6))


def test_where_no_end_shorts_nothing_need_be_known() -> None:
    """A bridge before a converter whose two sides are separate, its minus joined to nothing."""
    job = put_supply(
        ADAPTER("bridge", "linear_cooled", earthed=Earthed.UNKNOWN),
        PIN,
        "ac",
        ("bridge", "isolated_wide"),
        1e-3,
    )
    assert not {c for c in said(job) if c.startswith("power.reference")}


def _rung(job: Job, first: float, second: float) -> Job:
    """The job with both ends of its winding rung out against the star."""
    readings = tuple(
        Reading(
            id=f"r{k}", when="2026-01-01T10:00", point=f"host.{end}", against="host.star", state="off", function=Function.RESISTANCE,
            value=Known.of(ohm, "Ω", Basis.MEASURED, tolerance=0.02),
        )
        for k, (end, ohm) in enumerate((("w_a", first), ("w_b", second)))
    )  # fmt: skip
    return replace(job, readings=readings)


def test_two_voltages_tell_the_winding() -> None:
    """13.4 V with nothing drawn, 12 V across 12 Ω: 1.4 Ω behind it."""
    job = ADAPTER("bridge", "linear_cooled", ohm="")
    assert said(job)["power.dropout"] is Severity.UNKNOWN

    def read(k: int, value: float, load: float | None) -> Reading:
        return Reading(
            id=f"r{k}", when="2026-01-01T10:00", point="host.w_a", against="host.w_b", state="on", function=Function.AC_VOLTS,
            value=Known.of(value, "V", Basis.MEASURED, tolerance=0.01), load=volts(f"{load} Ω", "Ω") if load else None,
        )  # fmt: skip

    model = Model.of(replace(job, readings=(read(0, 13.4, None), read(1, 12.0, 12.0))))
    (winding,) = model.job.host.windings
    assert winding.open is not None
    assert winding.open.basis is Basis.MEASURED
    assert winding.load is not None
    assert winding.load.nominal == pytest.approx(1.0)
    found = study_power(model)
    assert next(f for f in found.findings if f.judgement == "power.dropout").severity is Severity.GOOD


@pytest.mark.parametrize(
    "case", ["a bridge on a grounded winding", "legs swapped", "ten microfarads after a bridge"]
)
def test_what_is_offered_mends_it(case: str) -> None:
    """Of the edits that are tried for it at least one leaves neither stop nor fix."""
    wrong, code, _ = MISTAKES[case]
    job = wrong()
    finding = next(f for f in study_power(Model.of(job)).findings if code in (f.code, f.judgement))
    tried = [a.edit(job) for a in candidates(job, finding)][:24]
    assert any(not {Severity.STOP, Severity.FIX} & set(said(x).values()) for x in tried)


def test_a_cell_of_another_kind_needs_no_protection() -> None:
    """Alkaline cells have none, and nothing is said of it."""
    assert not {
        c for c in said(battery_job("boost", chemistry=Chemistry.ALKALINE, protected=None)) if "protect" in c
    }


def test_what_a_winding_gives_already_is_asked_for() -> None:
    """Heaters draw amperes: without their current nobody knows what is left."""
    assert said(winding_job(used=None))["power.winding"] is Severity.UNKNOWN


def test_a_winding_on_the_primary_side_is_refused() -> None:
    """By its name, whatever its ends are called."""
    with pytest.raises(JobError, match="primary side"):
        add_winding(rail_job(), "mains primary winding")


def test_a_winding_at_hazardous_volts_is_a_stop() -> None:
    """250 V of a high-tension winding through parts for 40 V."""
    found = study_job(winding_job(open_v="250 V", ohm="200 Ω"))
    assert "survey.hazardous_point" in {f.code for f in found.findings if f.severity is Severity.STOP}


def test_a_winding_on_a_signal_is_a_stop() -> None:
    """One of its ends on the line input."""
    job = load(shipped()["marrowby"]).papers
    feed = Link(
        id="feed",
        name="Feed",
        purpose=Purpose.FEED,
        sections=(plain(),),
        joins=(join("in", "host.leg_a", 0.2), join("out", "host.pickup", 0.2)),
    )
    job = edits.add_link(edits.add_module(job, make_module("wireless_receiver_5v", "rx")), feed)
    assert said(job)["power.on_signal"] is Severity.STOP
