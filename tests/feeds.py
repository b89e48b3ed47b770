"""Jobs of a feed each, by the case: the everyday retrofits that the Level tests and pictures are made from."""

from __future__ import annotations

from functools import cache

from pigtail import edits
from pigtail.advice.plan import propose
from pigtail.catalogue.kinds import make_host, make_module
from pigtail.catalogue.topologies import topology
from pigtail.edits.plan import rejoined
from pigtail.job.document import Job, Section
from pigtail.units import Basis
from pigtail.units.known import Known


def known(value: float, unit: str, tolerance: float = 0.05) -> Known:
    """A documented value."""
    return Known.of(value, unit, Basis.DOCUMENTED, tolerance=tolerance)


@cache
def job_of(host: str, module: str, name: str = "A feed", **values: tuple[float, str]) -> Job:
    """A host and a module, the values that its kind leaves open given as `point__field`."""
    job = edits.add_module(edits.new_job(name, make_host(host)), make_module(module, "m"))
    for key, (value, unit) in values.items():
        point, _, field = key.partition("__")
        job = edits.set_value(job, f"host.{point}", field, known(value, unit))
    for path in job.host.paths:
        job = edits.set_path(job, "host", path.id, known(0.05, "Ω"))
    return propose(job, "m")


def with_sections(job: Job, link_id: str, *sections: Section) -> Job:
    """The feed through other networks, its joins renamed to suit."""
    link = job.link(link_id)
    assert link is not None
    return edits.replace_link(job, rejoined(job, link, sections))


def through(job: Job, link_id: str, key: str, **values: float) -> Job:
    """The feed through one network of the catalogue."""
    return with_sections(job, link_id, topology(key).section(**values))


def hall() -> Job:
    """A receiver with a bias into a mono input: sum, capacitor, pad."""
    return job_of(
        "public_address",
        "wireless_receiver_5v",
        record_in__overload=(2.0, "V"),
        record_in__wanted=(0.08, "V"),
    )


def pad() -> Job:
    """A loud card player into a sensitive powered speaker."""
    return job_of(
        "powered_speaker", "card_player_5v",
        line_left__overload=(2.0, "V"), line_right__overload=(2.0, "V"),
        line_left__wanted=(0.1, "V"), line_right__wanted=(0.1, "V"),
    )  # fmt: skip


def crossover() -> Job:
    """Both ways of a two-way powered speaker into a wireless transmitter."""
    job = job_of("two_way_speaker", "wireless_transmitter_5v")
    for point in ("low_out", "high_out"):
        for field, value, unit in (
            ("emf", 1.0, "V"),
            ("impedance", 100.0, "Ω"),
            ("crossover", 2000.0, "Hz"),
            ("bias", 2.2, "V"),
        ):
            job = edits.set_value(job, f"host.{point}", field, known(value, unit, 0.02))
    return job


def headphones() -> Job:
    """Headphones on the line output of a tape recorder."""
    return job_of("tape_recorder", "headphones_32")


def speaker() -> Job:
    """A small speaker from the sound of a home computer, through a bridge-tied amplifier."""
    return edits.set_value(job_of("home_computer", "speaker_4"), "host.sound_out", "bias", known(0.0, "V"))


def record_input() -> Job:
    """A receiver into an amplifier that has only an input for records."""
    return job_of("record_amplifier", "wireless_receiver_5v")


def fed_through(*, passes: bool | None = True) -> Job:
    """The record output of a receiver-amplifier, through a module with a line through, back to its auxiliary input."""
    from msgspec.structs import replace

    from pigtail.edits.usual import join, supply_link
    from pigtail.job.document import Link, Purpose

    job = job_of(
        "receiver_amplifier",
        "receiver_through_5v",
        aux_left__overload=(2.0, "V"),
        aux_right__overload=(2.0, "V"),
    )
    module = job.modules[0]
    module = replace(module, throughs=tuple(replace(t, passes=passes) for t in module.throughs))
    wire = (topology("wire").section(),)
    for side in ("left", "right"):
        joins = (join("in", f"host.rec_{side}", 0.2, screened=True), join("out", f"m.in_{side}", 0.05))
        into = Link(
            id=f"into_{side}", name=f"Original, {side}", purpose=Purpose.FEED, sections=wire, joins=joins
        )
        job = edits.add_link(job, into)
    job = replace(job, modules=(module,))
    if not any(x.purpose is Purpose.SUPPLY for x in job.links):
        job = edits.add_link(job, supply_link(job, "supply", "host.rail_5v", "m.supply", "direct"))
    return job


def passive_node() -> Job:
    """An extra source mixed into a node of 1 kΩ that carries the host's own signal."""
    from msgspec.structs import replace

    from pigtail.job.document import AnyTerminal, AudioIn, Trait

    job = job_of(
        "powered_speaker", "card_player_5v", line_left__overload=(2.0, "V"), line_right__overload=(2.0, "V")
    )

    def carrying(t: AnyTerminal) -> AnyTerminal:
        if not isinstance(t, AudioIn):
            return t
        return replace(
            t, traits=(Trait.PASSIVE_NODE,), impedance=known(1e3, "Ω", 0.0), carries=known(0.5, "V")
        )

    points = tuple(map(carrying, job.host.terminals))
    job = replace(job, host=replace(job.host, terminals=points))
    for side in ("feed_left", "feed_right"):
        job = through(job, side, "mix", r1=47e3)
    return job


CASES = {
    "hall": hall, "pad": pad, "crossover": crossover, "headphones": headphones, "speaker": speaker,
    "record input": record_input, "fed through": fed_through, "passive node": passive_node,
}  # fmt: skip
