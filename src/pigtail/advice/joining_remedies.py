"""What mends how feeds are joined: other points, the other channel alike, one feed for two, a way home, stages that make their middle."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from pigtail.catalogue.topologies import Does, Task, does, first, topology
from pigtail.edits.change import Edit
from pigtail.edits.joining import bypassed, led_home, mirrored, retapped, summed, swapped
from pigtail.edits.plan import put_networks, set_stage_rail
from pigtail.edits.usual import rails
from pigtail.job.chain import trait
from pigtail.job.document import HOST, AudioOut, Job, Link, Purpose, Section, Trait
from pigtail.language import tr
from pigtail.studies.findings import Finding
from pigtail.studies.level.joined import feeds_into, partner
from pigtail.units.series import nearest

Fix = tuple[str, Edit]
#: A feedback resistor smaller than this makes no gain worth a stage [Ω].
LEAST_FEEDBACK_OHM = 470.0


def elsewhere(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """The feed from another output of the host that has none of what spoils this one."""
    for old in link.starts:
        source = job.terminal(old)
        if not isinstance(source, AudioOut) or not old.startswith(f"{HOST}."):
            continue
        for other in job.host.terminals:
            spoilt = any(
                trait(job, other, t)
                for t in (Trait.FOLLOWS_VOLUME, Trait.WITH_PICTURE, Trait.BRIDGE_TIED, Trait.POWER_OUTPUT)
            )
            if (
                isinstance(other, AudioOut)
                and other is not source
                and other.channel is source.channel
                and not spoilt
            ):
                yield (
                    tr("take it from {other}", other=other.name),
                    partial(retapped, link_id=link.id, moved=((old, f"{HOST}.{other.id}"),)),
                )


def changed_over(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """Left and right changed over: with the other feed, or from the output of the other channel."""
    (sink,) = link.at("out")[:1]
    other = next(iter(feeds_into(job, partner(job, sink))), None) if partner(job, sink) else None
    if other is not None:
        yield (
            tr("change {lower} and {lower2} over", lower=link.name.lower(), lower2=other.name.lower()),
            partial(swapped, link_id=link.id, other_id=other.id),
        )
    if len(link.starts) == 1 and (right := partner(job, link.starts[0])):
        yield (
            tr("take it from {right}", right=job.label(right)),
            partial(retapped, link_id=link.id, moved=((link.starts[0], right),)),
        )


def other_side(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """The same feed for the other side."""
    (sink,) = link.at("out")[:1]
    there = partner(job, sink)
    source = partner(job, link.starts[0]) or link.starts[0] if len(link.starts) == 1 else ""
    if there and source:
        moved = ((sink, there), *(((link.starts[0], source),) if source != link.starts[0] else ()))
        yield (
            tr("the same from {source} to {there}", source=job.label(source), there=job.label(there)),
            partial(mirrored, link_id=link.id, moved=moved),
        )


def both_summed(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """Both channels summed into one input."""
    if len(link.starts) == 1 and (other := partner(job, link.starts[0])):
        yield tr("sum {other} in", other=job.label(other)), partial(summed, link_id=link.id, others=(other,))


def one_feed(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """Feeds that end at one input made one, their outputs held apart."""
    (sink,) = link.at("out")[:1]
    others = [x for x in feeds_into(job, sink) if x.id != link.id]
    if len(others) == 1 and len(others[0].starts) == 1 and len(link.starts) == 1:
        yield (
            tr("one feed that sums both, each behind 4.7 kΩ"),
            partial(summed, link_id=link.id, others=others[0].starts, gone=(others[0].id,)),
        )
    for other in others:
        there = partner(job, sink)
        if there and not feeds_into(job, there):
            yield (
                tr("lead {lower} to {there}", lower=other.name.lower(), there=job.label(there)),
                partial(retapped, link_id=other.id, moved=((sink, there),)),
            )


def way_home(_job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """A return between the two ends."""
    yield tr("plan a return between the two"), partial(led_home, link_id=link.id)


def own_middle(_job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """The stages by such as make their own middle, or a supply of their own that has one."""

    def single(section: Section) -> Section:
        shape = topology(section.topology)
        what = next((d for d in (Does.GAINS, Does.BUFFERS) if d in shape.does), None)
        if not shape.amplifies or not shape.middle or what is None:
            return section
        own = first("feed", what, Does.BLOCKS)
        gain = shape.doing(Task.GAIN)
        values = shape.values(section)
        return own.section(
            **({gain.name: values[gain.name].nominal, "r1": values["r1"].nominal} if gain else {})
        )

    made = tuple(single(s) for s in link.sections)
    if made != link.sections:
        yield tr("a stage that makes its own middle"), partial(put_networks, link_id=link.id, sections=made)
    yield tr("a supply of its own with a middle"), partial(set_stage_rail, link_id=link.id, rail="")


def gained(job: Job, link: Link, finding: Finding) -> Iterator[Fix]:
    """A gain stage on one supply behind the others, its gain as much as is lacking, from each rail that suits."""
    if finding.value is None or finding.value >= 0 or any(does(s, Does.AMPLIFIES) for s in link.sections):
        return
    shape = first("feed", Does.GAINS, Does.BLOCKS)
    kept = tuple(s for s in link.sections if not does(s, Does.CONDUCTS) and not topology(s.topology).couples)
    for lacking in (-finding.value + 6.0, -finding.value + 3.0):
        ratio = 10 ** (lacking / 20)
        stage = shape.section(r2=nearest(max(LEAST_FEEDBACK_OHM, 10e3 * (ratio - 1)), "E24"))
        for rail in ("", *rails(job)[:2]):
            words = tr(" from the {rail}", rail=job.label(rail)) if rail else ""
            yield (
                tr("a gain stage of {lacking:.0f} dB{words}", lacking=lacking, words=words),
                partial(staged, link_id=link.id, sections=(*kept, stage), rail=rail),
            )


def staged(job: Job, link_id: str, sections: tuple[Section, ...], rail: str) -> Job:
    """Edit: put networks with a stage into a feed, and supply it from a rail (or its own, empty)."""
    return set_stage_rail(put_networks(job, link_id, sections), link_id, rail)


def relay(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """A relay round what does not pass the signal unpowered."""
    for module in job.modules:
        ends = {f"{module.id}.{t.start}" for t in module.throughs}
        if link.purpose is Purpose.FEED and ends & set(link.at("out")):
            yield (
                tr("bypass {module} by a relay that falls back unpowered", module=module.name),
                partial(bypassed, module_id=module.id),
            )
