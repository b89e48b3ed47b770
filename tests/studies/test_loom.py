"""The loom and the parts list: one row a piece of wire, one colour one meaning, slack included."""

from __future__ import annotations

import pytest

from pigtail import edits
from pigtail.edits.plan import set_converter
from pigtail.job.document import Job
from pigtail.model.model import Model
from pigtail.studies.findings import Severity
from pigtail.studies.loom.study import study_loom
from pigtail.studies.loom.wires import SLACK, usual_colours
from pigtail.units import Basis, Known


def test_a_link_of_plain_wire_is_one_piece_and_a_network_has_a_wire_a_port(larkmoor: Job) -> None:
    """Four at the feed's network, three at the regulator, one for each return."""
    wires = study_loom(Model.of(larkmoor)).wires
    counts = {
        link: sum(w.link == link for w in wires)
        for link in ("feed", "supply", "supply_return", "audio_return")
    }
    assert counts == {"feed": 4, "supply": 3, "supply_return": 1, "audio_return": 1}


def test_wires_are_cut_a_tenth_longer_than_their_route(larkmoor: Job) -> None:
    """0.6 m of route is 0.66 m of wire."""
    wire = next(w for w in study_loom(Model.of(larkmoor)).wires if w.link == "supply_return")
    assert wire.length == pytest.approx(0.6 * (1 + SLACK))
    assert (wire.start, wire.end) == (
        "module: supply negative, pad −",
        "host: 0 V star at the reservoir, C12 −",
    )


def test_each_colour_has_one_meaning_and_the_jobs_own_colour_goes_first(larkmoor: Job) -> None:
    """Black is for returns only; a colour of the person's own replaces the usual one."""
    wires = study_loom(Model.of(larkmoor)).wires
    assert all(w.colour == usual_colours()[w.function] for w in wires)
    assert {w.function for w in wires if w.colour == "black"} == {
        "return",
        "return of the network",
        "supply negative",
    }
    job = edits.set_conductor(larkmoor, "feed", "in_l", colour="blue")
    assert next(w for w in study_loom(Model.of(job)).wires if w.port == "in_l").colour == "blue"


def test_a_colour_with_two_meanings_is_named(larkmoor: Job) -> None:
    """Red for the supply and for a signal is asked to be changed."""
    finding = study_loom(Model.of(edits.set_conductor(larkmoor, "feed", "in_l", colour="red"))).findings[0]
    assert (finding.code, finding.severity) == ("build.colour_clash", Severity.WATCH)
    assert "signal, left" in finding.sentence


def test_parts_have_value_tolerance_and_what_to_watch(larkmoor: Job) -> None:
    """An electrolytic is told which way round; a film capacitor is told as such; figures are not bought."""
    parts = {p.reference: p for p in study_loom(Model.of(larkmoor)).parts}
    assert parts["Feed, capacitor C1"].value == "10 µF"
    assert "plus toward the source, 16 V" in parts["Feed, capacitor C1"].note
    assert parts["Feed, pad R2"].note == "±5 %"
    small = edits.set_part(larkmoor, "feed", 1, "c1", Known.of(1e-6, "F", Basis.TYPICAL, tolerance=0.1))
    assert (
        next(p for p in study_loom(Model.of(small)).parts if p.reference == "Feed, capacitor C1").note
        == "±10 %; film, 16 V"
    )
    assert len(parts) == 8  # two capacitors of the regulator under one heading


@pytest.mark.parametrize(
    ("key", "title"), [("linear", "Linear regulator"), ("buck", "Buck converter"), ("direct", None)]
)
def test_the_converter_is_a_part_where_there_is_one(larkmoor: Job, key: str, title: str | None) -> None:
    """A direct supply buys nothing."""
    job = larkmoor if key == "linear" else set_converter(larkmoor, "supply", key)
    found = [p.words for p in study_loom(Model.of(job)).parts if p.link == "supply"]
    assert [f.partition(",")[0].partition(" board")[0] for f in found][:1] == ([title] if title else [])


def test_a_job_without_links_has_an_empty_loom(larkmoor: Job) -> None:
    """Said as such, never as good."""
    for link in larkmoor.links:
        larkmoor = edits.remove_link(larkmoor, link.id)
    study = study_loom(Model.of(larkmoor))
    assert (study.wires, study.parts, study.verdict) == ((), (), Severity.UNKNOWN)
