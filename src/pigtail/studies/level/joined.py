"""What is wrong with how feeds are joined, whatever their numbers say: channels, sources behind the volume control, stages without a
middle, ends that have no way home."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from pigtail.catalogue.topologies import Does
from pigtail.job.chain import before, trait
from pigtail.job.document import (
    HOST,
    Act,
    AudioIn,
    AudioOut,
    Channel,
    Job,
    Link,
    Purpose,
    Return,
    Trait,
    Use,
)
from pigtail.job.wiring import return_address
from pigtail.language import tr
from pigtail.model.cascade import Network, networks
from pigtail.model.model import Model
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.wording import tell

SIDES = {Channel.LEFT: Channel.RIGHT, Channel.RIGHT: Channel.LEFT}
#: What tells the two of a pair apart in their ids.
_SIDE_WORDS = re.compile(r"left|right|(?<![a-z])[lr](?![a-z])")


def joined_findings(model: Model, link: Link, sources: tuple[str, ...], sink: str) -> list[Finding]:
    """The findings about how one feed is joined."""
    job = model.job
    return [
        *_channels(job, link, sources, sink),
        *_behind_volume(job, link, sources, sink),
        *(
            tell("level.with_picture", link.id, {"source": job.label(a), "name": job.label(sink)})
            for a in sources
            if isinstance(t := job.terminal(a), AudioOut) and trait(job, t, Trait.WITH_PICTURE)
        ),
        *_without_middle(model, link),
    ]


def partner(job: Job, address: str) -> str:
    """The other channel of a stereo pair: a terminal of the same kind on the same device; empty for none."""
    terminal, device = job.terminal(address), address.partition(".")[0]
    side = SIDES.get(getattr(terminal, "channel", Channel.MONO))
    if terminal is None or side is None:
        return ""
    others = [
        a
        for a in job.addresses()
        if a.startswith(f"{device}.")
        and type(job.terminal(a)) is type(terminal)
        and getattr(job.terminal(a), "channel", None) is side
    ]
    stem = _SIDE_WORDS.sub("*", address.lower())
    alike = [a for a in others if _SIDE_WORDS.sub("*", a.lower()) == stem]
    return (alike or others)[0] if alike or len(others) == 1 else ""


def feeds_into(job: Job, sink: str) -> list[Link]:
    """The feeds that end at an input."""
    return [x for x in job.links if x.purpose is Purpose.FEED and sink in x.at("out")]


def _channels(job: Job, link: Link, sources: tuple[str, ...], sink: str) -> Iterator[Finding]:
    """Left and right swapped, one side of a pair left silent, half of a stereo source left out."""
    there = getattr(job.terminal(sink), "channel", Channel.MONO)
    heres = {getattr(job.terminal(a), "channel", Channel.MONO) for a in sources}
    words = {"link": link.name, "source": job.label(sources[0]), "name": job.label(sink)}
    if len(sources) == 1 and there in SIDES and heres == {SIDES[there]}:
        yield tell("level.channels_swapped", link.id, words)
    other = partner(job, sink)
    if other and not feeds_into(job, other):
        yield tell("level.side_missing", link.id, words | {"other": job.label(other)})
    lone = partner(job, sources[0]) if len(sources) == 1 and there is Channel.MONO else ""
    if lone and not any(lone in x.starts for x in feeds_into(job, sink)):
        yield tell("level.half_of_stereo", link.id, words | {"other": job.label(lone)})


def _behind_volume(job: Job, link: Link, sources: tuple[str, ...], sink: str) -> Iterator[Finding]:
    """A line taken from behind the host's volume control, which plays as loud as the host does, or not at all."""
    end = job.terminal(sink)
    assert isinstance(end, AudioIn)
    for address in sources:
        source = job.terminal(address)
        if not isinstance(source, AudioOut) or not address.startswith(f"{HOST}.") or end.use is not Use.LINE:
            continue
        follows = trait(job, source, Trait.FOLLOWS_VOLUME)
        if not follows:
            continue
        fixed = next(
            (
                f"{HOST}.{t.id}"
                for t in job.host.terminals
                if isinstance(t, AudioOut)
                and trait(job, t, Trait.FOLLOWS_VOLUME) is False
                and before(job, t, Act.VOLUME) is not False
                and t.channel in (source.channel, Channel.MONO)
            ),
            "",
        )
        words = {
            "source": job.label(address),
            "name": job.label(sink),
            "mend": tr("take it from {fixed}, before the control", fixed=job.label(fixed))
            if fixed
            else tr("set that control once and leave it, or find a point before it"),
        }
        severity = Severity.FIX if fixed else Severity.WATCH
        yield tell("level.behind_volume", link.id, words, severity=severity)
        return


def muted_meanwhile(model: Model, link: Link, sink: str) -> bool:
    """Whether nothing is heard of a feed while the supply of its module comes up: the host's chain mutes behind the input, or the
    module is up in an earlier state already, before the one in which it plays."""
    job, working = model.job, model.job.working_state()
    end = job.terminal(sink)
    assert end is not None
    if sink.startswith(f"{HOST}.") and before(job, end, Act.MUTE):
        return True
    modules = {a.partition(".")[0] for a in link.starts if not a.startswith(f"{HOST}.")}
    earlier = [s.id for s in job.live_states() if s.id != working]
    return bool(modules) and any(all(model.fed(s, m) for m in modules) for s in earlier)


def without_middle(model: Model, link: Link, stage: Network) -> bool:
    """Whether a stage takes for the middle of its supply what stands at the foot of the one rail that it has."""
    rail = next(iter(link.at("sup")), "")
    if not stage.shape.amplifies or not stage.shape.middle or not rail:
        return False
    model = model.about(link.id)
    net = model.netlist()
    rest, at = model.resting, model.states.index(net.state)
    swings = net.swings_on(rest, link, stage).reshape(-1)
    supply = net.probe(rest, stage, "supply_v").reshape(-1)
    return bool(swings[min(at, swings.size - 1)] < 0.5 * abs(supply[min(at, supply.size - 1)]))


def _without_middle(model: Model, link: Link) -> Iterator[Finding]:
    for stage in networks(link):
        if without_middle(model, link, stage):
            words = {
                "stage": stage.shape.short,
                "rail": model.job.label(link.at("sup")[0]),
                "middle": model.job.label(next(iter(link.at(stage.shape.middle)), "")) or tr("its common"),
            }
            yield tell("level.no_middle", link.id, words)


def no_way_home(job: Job, link: Link, sources: tuple[str, ...], sink: str) -> Finding | None:
    """The finding where nothing joins the return of a feed's end with that of its start and no network needs none."""
    for network in networks(link):
        if network.shape.does & {Does.ISOLATES, Does.BRIDGES}:
            return None
    start, end = return_address(job, sources[0]), return_address(job, sink)
    if not start or not end or end in _joined_with(job, start):
        return None
    words = {"link": link.name, "name": job.label(sink), "end": job.label(end), "start": job.label(start)}
    inside = end in _joined_with(job, start, inside=True)
    return tell("level.way_unknown" if inside else "level.no_way_home", link.id, words)


def _joined_with(job: Job, address: str, *, inside: bool = False) -> set[str]:
    """The returns that are joined with one by wires and by what is known to lie inside devices, or, with `inside`, as if all returns
    of a device were joined in it."""
    groups: list[set[str]] = [
        {f"{d}.{p.a}", f"{d}.{p.b}"} for d, device in job.devices() for p in device.paths
    ]
    if inside:
        groups += [{f"{d}.{t.id}" for t in x.terminals if isinstance(t, Return)} for d, x in job.devices()]
    for link in job.links:
        if link.purpose is Purpose.RETURN:
            groups.append({j.terminal for j in link.joins})
        elif (
            link.purpose is Purpose.FEED
            and not any(n.shape.does & {Does.ISOLATES, Does.BRIDGES, Does.SUBTRACTS} for n in networks(link))
        ) or (
            link.purpose is Purpose.SUPPLY and not any(Does.SEPARATES in n.shape.does for n in networks(link))
        ):
            groups.append({*link.at("com"), *link.at("back")})
    return _grown({address}, groups)


def _grown(found: set[str], groups: Iterable[set[str]]) -> set[str]:
    left = [g for g in groups if g]
    while touching := [g for g in left if g & found]:
        found = found.union(*touching)
        left = [g for g in left if g not in touching]
    return found
