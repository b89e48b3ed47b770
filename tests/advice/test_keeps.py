"""What is offered changes what it means to change: over random plans, whatever else a plan says stays as it was."""

from __future__ import annotations

import random
from collections.abc import Iterator

import pytest
from msgspec.structs import replace
from tests.feeds import CASES, known

from pigtail import edits
from pigtail.advice.plan import propose
from pigtail.advice.remedies import advised
from pigtail.advice.search import search
from pigtail.catalogue.demo import demo
from pigtail.catalogue.kinds import make_module
from pigtail.catalogue.topologies import Does, those, topology
from pigtail.edits.plan import add_network, set_converter
from pigtail.job.document import Job, Link, Part, Plus, Purpose
from pigtail.job.errors import JobError
from pigtail.studies.all import study_job
from pigtail.studies.findings import Finding

ROUNDS = 8
COLOURS = ("brown", "violet", "grey", "orange")


def _plan(chance: random.Random) -> Job:
    """A job of the everyday ones, with a network more, values of chance, and everything said of parts and wires that can be."""
    name = chance.choice([*CASES, "larkmoor", "tidewell"])
    job = CASES[name]() if name in CASES else demo(name).job
    for link in job.links:
        if link.purpose is Purpose.SUPPLY and chance.random() < 0.5:
            job = set_converter(job, link.id, chance.choice(those("supply", Does.CONVERTS)).key)
        if link.purpose is Purpose.FEED and chance.random() < 0.4:
            try:
                job = add_network(job, link.id, chance.choice(("pad", "coupling", "series", "buffer")))
            except JobError:
                continue
    for link in job.links:
        for at, section in enumerate(link.sections):
            for rule in topology(section.topology).bought():
                job = _said(job, link.id, at, rule.name, rule.kind, chance)
        for joined in link.joins:
            job = edits.set_conductor(
                job, link.id, joined.port, colour=chance.choice(COLOURS), route="by the left wall"
            )
    return job


def _said(job: Job, link_id: str, at: int, name: str, kind: str, chance: random.Random) -> Job:
    """Something said of a part: another value, a lock, what it is rated for, which way round it goes."""
    link = job.link(link_id)
    assert link is not None
    value = next((p.value.nominal for p in link.sections[at].parts if p.name == name), None)
    if value is not None and chance.random() < 0.5:
        unit = "F" if kind == "capacitor" else "Ω"
        job = edits.set_part(
            job, link_id, at, name, known(value * chance.choice((0.01, 0.1, 10.0, 100.0)), unit)
        )
    if chance.random() < 0.3:
        job = edits.lock_part(job, link_id, at, name, locked=True)
    if kind == "capacitor" and chance.random() < 0.7:
        rating = known(chance.choice((6.3, 25.0, 63.0)), "V", 0.0)
        job = edits.set_capacitor(job, link_id, at, name, rating=rating, plus=chance.choice(list(Plus)))
    elif kind == "resistor" and chance.random() < 0.7:
        job = edits.set_rating(job, link_id, at, name, known(chance.choice((0.25, 0.5)), "W", 0.0))
    return job


def _parts(link: Link) -> dict[tuple[str, str], Part]:
    return {(s.topology, p.name): p for s in link.sections for p in s.parts}


def _unkept(before: Link, after: Link, finding: Finding | None = None) -> Iterator[str]:
    """What a change of one link lost that it did not mean: of parts that are still there, of wires that are still there."""
    was, now = _parts(before), _parts(after)
    meant = None
    if finding is not None and finding.part is not None and finding.subject == before.id:
        at, name = finding.part
        meant = (before.sections[at].topology, name)
    for key, part in was.items():
        if key not in now or key == meant:
            continue
        new = now[key]
        if (new.locked, new.rating, new.plus) != (part.locked, part.rating, part.plus):
            yield f"{key}: {part} → {new}"
        if part.locked and new.value.nominal != part.value.nominal:
            yield f"{key} is locked: {part.value.nominal} → {new.value.nominal}"
    wires = {j.port: j.conductor for j in before.joins}
    for joined in after.joins:
        old = wires.get(joined.port)
        if old is not None and (old.colour, old.route, old.screened, old.length) != (
            joined.conductor.colour, joined.conductor.route, joined.conductor.screened, joined.conductor.length,
        ):  # fmt: skip
            yield f"wire on {joined.port}: {old} → {joined.conductor}"


@pytest.mark.long
@pytest.mark.parametrize("seed", range(ROUNDS))
def test_no_remedy_drops_what_it_does_not_mean(seed: int) -> None:
    """Links it is not about are untouched; of its own the ratings, locks, polarities and wires stay."""
    job = _plan(random.Random(seed))
    studies = advised(job, study_job(job))
    for finding in studies.findings:
        for remedy in finding.remedies:
            after = remedy.edit(job)
            if remedy.label.startswith("propose a plan"):
                continue
            if finding.code.startswith(
                "build."
            ):  # it means wires, of several links where one colour does: networks stay
                assert [x.sections for x in after.links] == [x.sections for x in job.links]
                assert (after.readings, after.host, after.modules) == (job.readings, job.host, job.modules)
                continue
            changed = [x.id for x in after.links if job.link(x.id) != x]
            gone = [x.id for x in job.links if after.link(x.id) is None]
            twins = (2 if "both channels" in remedy.label else 1) + remedy.label.count(", and ")
            converted = (
                "converter" in remedy.label or "regulator" in remedy.label or "straight to" in remedy.label
            )
            if "adapter" in remedy.label:  # a module of its own, and its wires
                continue
            if converted:  # the supply return goes and comes with what separates the two sides
                changed, gone = (
                    [x for x in found if not x.startswith("supply_return")] for found in (changed, gone)
                )
            assert len(changed) <= twins, (remedy.label, changed)
            assert not gone or remedy.label.startswith(("leave out", "through a transformer")), (
                remedy.label,
                gone,
            )
            assert after.readings == job.readings
            assert after.host == job.host
            assert after.modules == job.modules
            for link_id in changed:
                was, now = job.link(link_id), after.link(link_id)
                assert was is not None
                assert now is not None
                lost = [] if was.sections == now.sections else list(_unkept(was, now, finding))
                # the other channel's network is what is meant, or another capacitor
                copied = "values of" in remedy.label or "a film" in remedy.label
                assert copied or twins > 1 or not lost, (remedy.label, lost)


@pytest.mark.one_of(5)
@pytest.mark.parametrize("seed", range(ROUNDS))
def test_using_what_a_search_found_keeps_what_was_said(seed: int) -> None:
    """Locked parts stay put; a part that is still there keeps its rating and polarity; wires stay."""
    job = _plan(random.Random(100 + seed))
    link = next(x for x in job.links if x.purpose is Purpose.FEED)
    try:
        found = search(job, link.id)
    except JobError:
        pytest.skip("nothing can be searched for here")
    for option in found.options:
        assert not list(_unkept(link, option.link)), option.words
        after = edits.replace_link(job, option.link)
        assert [x for x in after.links if x.id != link.id] == [x for x in job.links if x.id != link.id]


@pytest.mark.one_of(5)
@pytest.mark.parametrize("seed", range(4))
def test_a_plan_for_one_module_leaves_those_of_others(seed: int) -> None:
    """A second module is planned beside the first; proposing again for it replaces its own links only."""
    job = _plan(random.Random(200 + seed))
    before = job.links
    job = edits.add_module(job, replace(make_module("wireless_receiver_low", "second")))
    try:
        once = propose(job, "second")
    except JobError:
        pytest.skip("the second module finds nothing to be joined to")
    for made in (once, propose(once, "second")):
        assert [x for x in made.links if x.id in {b.id for b in before}] == list(before)
