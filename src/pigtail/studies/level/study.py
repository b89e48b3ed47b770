"""Level: what arrives at the input of each feed, against what is wanted there, and what else the feed does.

How each number comes about stands in `feed` and `feed_uses`; limits and words stand in the table of judgements.
"""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from pigtail.catalogue.topologies import Does
from pigtail.job.chain import trait
from pigtail.job.document import (
    HOST,
    AudioIn,
    AudioOut,
    Channel,
    Control,
    Digital,
    Job,
    Link,
    Purpose,
    Trait,
    Use,
    Video,
)
from pigtail.job.wiring import return_address
from pigtail.language import tr
from pigtail.model.cascade import networks
from pigtail.model.estimate import Estimate
from pigtail.model.model import Model
from pigtail.model.spread import Hints
from pigtail.studies.findings import Finding
from pigtail.studies.judging import judge_all
from pigtail.studies.level.aim import fits_of, has_own_dc
from pigtail.studies.level.feed import Feed
from pigtail.studies.level.found import FeedDetail, LevelFound
from pigtail.studies.level.joined import joined_findings, muted_meanwhile, no_way_home, without_middle
from pigtail.studies.level.throughs import study_throughs
from pigtail.studies.level.uses import uses
from pigtail.studies.parts import study_parts
from pigtail.studies.wording import tell
from pigtail.units import format_quantity
from pigtail.units.known import weakest

#: An input that wants less than this may be one for records, equalised [V].
MILLIVOLTS = 0.02


def study_level(model: Model) -> LevelFound:
    """Study all feeds of a job in its working state. Raises CompileError."""
    job = model.job
    feeds = [
        (x, ends) for x in job.links if x.purpose is Purpose.FEED and (ends := _ends(job, x)) is not None
    ]
    if not feeds:
        none = tell("level.no_feed", "")
        return LevelFound("level", {}, (none,))
    details: list[FeedDetail] = []
    findings: list[Finding] = []
    for link, ends in feeds:
        if isinstance(ends, Finding):
            findings.append(ends)
            continue
        dead, lost = _dead(model, link, ends[0]), no_way_home(job, link, *ends)
        findings += [*dead, *([lost] if lost else []), *joined_findings(model, link, *ends)]
        if lost or len(dead) == len(ends[0]):
            continue
        feed = Feed(model.about(link.id).netlist(), link, *ends)
        detail = feed.study()
        findings += study_parts(model, link, "level", feed.across)
        further = uses(feed, twin=twin_of(job, link) is not None)
        noise = further.pop("noise_dbv", None)
        details.append(replace(detail, numbers=detail.numbers | further, noise=noise))
    details = _balanced(job, details)
    for detail in details:
        findings += _judge(model, detail)
    findings += study_throughs(model)
    numbers = _numbers(details)
    return LevelFound("level", numbers, tuple(findings), tuple(details))


def glance_level(model: Model, link_id: str, hints: Hints | None = None) -> FeedDetail | None:
    """The levels and the response of one feed, quickly, for showing while a value is turned; None for no complete feed.

    Args: model; its feed; what the last look at the same feed left for the next. Raises CompileError.
    """
    job = model.job
    link = job.link(link_id)
    ends = _ends(job, link) if link is not None and link.purpose is Purpose.FEED else None
    if link is None or ends is None or isinstance(ends, Finding):
        return None
    return Feed(model.about(link.id).netlist(), link, *ends).glance(hints or Hints())


def _ends(job: Job, link: Link) -> tuple[tuple[str, ...], str] | Finding | None:
    """The outputs that drive a feed and the input it drives, a finding when one of them is absent, None for a link that carries no
    audio."""
    ends = [job.terminal(a) for a in (*link.starts, *link.at("out"))]
    if any(isinstance(t, Digital | Video | Control) for t in ends) and not any(
        isinstance(t, AudioOut | AudioIn) for t in ends
    ):
        return None
    sources = tuple(a for a in link.starts if isinstance(job.terminal(a), AudioOut))
    sinks = [a for a in link.at("out") if isinstance(job.terminal(a), AudioIn)]
    if not sources or not sinks:
        second = next((a for a in link.at("out") if isinstance(job.terminal(a), AudioOut)), "")
        ends_at = (
            tr("it ends at {second}, an output: the two would drive each other", second=job.label(second))
            if second
            else tr("it does not end at an input")
        )
        what = ends_at if sources else tr("no output drives it")
        return tell("level.open_feed", link.id, {"link": link.name, "what": what})
    return sources, sinks[0]


def _dead(model: Model, link: Link, sources: tuple[str, ...]) -> list[Finding]:
    """The outputs of a feed that give nothing in the working state."""
    job, working = model.job, model.job.working_state()
    state = job.state(working)

    def told(address: str) -> Finding:
        host = address.startswith(f"{HOST}.")
        words = {
            "link": link.name,
            "source": job.label(address),
            "state": state.name if state else working,
            "reason": tr("the host's papers or readings say it is dead then")
            if host
            else tr("its module is not fed"),
        }
        return tell("level.dead_source", link.id, words)

    return [told(a) for a in sources if not model.gives(working, a)] if working else []


def twin_of(job: Job, link: Link) -> Link | None:
    """The feed of the other channel: through the same networks, from the other output of one device to the other input of
    another; None if there is none."""
    here = _channels(job, link)
    if here is None:
        return None
    for other in job.links:
        there = _channels(job, other) if other.id != link.id and other.purpose is Purpose.FEED else None
        if there is None or there[:2] != here[:2] or there[2] is here[2]:
            continue
        if [s.topology for s in other.sections] == [s.topology for s in link.sections]:
            return other
    return None


def _channels(job: Job, link: Link) -> tuple[str, str, Channel] | None:
    """From which device to which, and on which channel, a feed of one channel goes."""
    starts, ends = link.starts, link.at("out")
    if len(starts) != 1 or len(ends) != 1:
        return None
    channel = getattr(job.terminal(ends[0]), "channel", Channel.MONO)
    if channel is Channel.MONO:
        return None
    return starts[0].partition(".")[0], ends[0].partition(".")[0], channel


def _balanced(job: Job, details: list[FeedDetail]) -> list[FeedDetail]:
    """The details with how far left and right are apart by their networks alone, where a feed has a twin."""
    by_link = {d.link: d for d in details}
    found = []
    for lone in details:
        link = job.link(lone.link)
        twin = twin_of(job, link) if link is not None else None
        detail = replace(lone, twin=twin.id if twin is not None else "")
        other = by_link.get(twin.id) if twin is not None else None
        a = detail.numbers.get("parts_db")
        b = other.numbers.get("parts_db") if other is not None else None
        if a is None or b is None or a.value is None or b.value is None:
            found.append(detail)
            continue
        apart = Estimate(
            a.value - b.value, a.low - b.high, a.high - b.low, "dB", weakest([a.basis, b.basis]),
            tr("left against right, by the parts"), (*a.leading, *b.leading),
        )  # fmt: skip
        found.append(replace(detail, numbers=detail.numbers | {"match_db": apart}))
    return found


def _numbers(details: list[FeedDetail]) -> dict[str, Estimate]:
    """The numbers under their stable names: those of the feed furthest from its target, and of each feed by name
    when there are several."""
    if not details:
        return {}

    def distance(detail: FeedDetail) -> float:
        target = detail.numbers["target_db"]
        return np.inf if target.value is None else max(abs(target.low), abs(target.high))

    chosen = max(details, key=distance)
    numbers = {f"level.{k}": v for k, v in chosen.numbers.items()}
    if len(details) > 1:
        for detail in details:
            numbers |= {f"level.{detail.link}.{k}": v for k, v in detail.numbers.items()}
    return numbers


def _judge(model: Model, detail: FeedDetail) -> list[Finding]:
    """The findings of one feed."""
    job, n = model.job, detail.numbers
    sink, link = job.terminal(detail.sink), job.link(detail.link)
    assert isinstance(sink, AudioIn)
    assert link is not None
    target, middle = n["target_db"], fits_of(sink).middle
    ends = [0.0] if target.value is None else [target.low, target.value, target.high]
    told = max(ends, key=lambda x: abs(x - middle))
    quiet = told < middle
    shown = ("most_w", "wanted_w", "supply_needed_v", "power_w")
    words: dict[str, str] = {k: n[k].short() for k in shown if k in n}
    over = n["over_own_db"].value if "over_own_db" in n else 0.0
    words |= {
        "mix_way": "under" if (over or 0.0) < 0 else "over",
        "mix_side": "quiet" if (over or 0.0) < 0 else "loud",
    }
    words["core_dc"] = n["core_dc_a"].short() if "core_dc_a" in n else ""
    words |= {
        "name": job.label(detail.sink),
        "back": job.label(return_address(job, detail.sink)),
        "source": job.label(detail.sources[0]),
        "side": "quiet" if quiet else "loud",
        "way": ("under" if told < 0 else "over") if sink.use is Use.LINE else "below" if quiet else "above",
        "turn": _turn(detail.sink, quiet=quiet),
        "low_corner": _low_corner(n["low_cut_hz"]),
        "over_own": format_quantity(abs(over or 0.0), "dB"),
        "polarity": _polarity(n),
    }
    found = judge_all("level", n, detail.link, words, _traits(model, link, sink))
    return [*found, *_hazards(job, link, detail)]


def _turn(sink: str, *, quiet: bool) -> str:
    """What a level beside what is wanted means at an input: of the host, which has a volume control, or of a module."""
    if sink.startswith(f"{HOST}."):
        up = tr("it is turned up further than for the other sources")
        return up if quiet else tr("the volume control stands near its foot, or a pad brings it down")
    return tr("what it passes on is that much quieter") if quiet else tr("a pad brings it down")


def _low_corner(corner: Estimate) -> str:
    """Where the bass falls off, in words; what has no capacitor in its way has no corner that matters."""
    below = corner.value is not None and corner.value < 1.0
    return "below 1 Hz" if below else tr("at {short}", short=corner.short())


def _traits(model: Model, link: Link, sink: AudioIn) -> set[str]:
    """What judgements ask about a feed: what it ends at, whether its hiss is judged at the ear, by the sensitivity there, and whether
    one of its stages has no middle to swing about."""
    stages = networks(link)
    driven = any(n.shape.amplifies for n in stages)
    passive = {"a passive node"} if sink.has(Trait.PASSIVE_NODE) else set()
    found = (
        {sink.use.value} | passive | ({"judged by the ear"} if sink.use is not Use.LINE and driven else set())
    )
    if has_own_dc(sink):
        found.add("held by its own dc")
    if muted_meanwhile(model, link, link.at("out")[0]):
        found.add("muted meanwhile")
    return found | ({"without a middle"} if any(without_middle(model, link, s) for s in stages) else set())


def _polarity(numbers: dict[str, Estimate]) -> str:
    """What is said of the polarity of a crossover sum."""
    flat, turned = numbers.get("flat_db"), numbers.get("turned_db")
    if flat is None or turned is None or flat.value is None or turned.value is None:
        return ""
    return tr(" One way is turned round: swap its polarity.") if turned.value < flat.value - 1.0 else ""


def _hazards(job: Job, link: Link, detail: FeedDetail) -> list[Finding]:
    """What is wrong by what the ends are, whatever the numbers say."""
    found = []
    sink = job.terminal(detail.sink)
    assert isinstance(sink, AudioIn)
    isolated = any(Does.ISOLATES in n.shape.does for n in networks(link))
    for address in detail.sources:
        source = job.terminal(address)
        if (
            source is not None
            and trait(job, source, Trait.BRIDGE_TIED)
            and sink.use is Use.LINE
            and not isolated
        ):
            words = {"source": job.label(address), "name": job.label(detail.sink)}
            found.append(tell("level.bridge_tied", link.id, words))
    grounded = [
        x.name
        for x in job.links
        if x.purpose is Purpose.RETURN and any(a in link.at("com") for a in _ends_of(x))
    ]
    last = networks(link)[-1].shape
    if last.swing > 1 and grounded:
        words = {"name": job.label(detail.sink), "wire": grounded[0].lower()}
        found.append(tell("level.bridge_grounded", link.id, words))
    level = sink.wanted
    if sink.has(Trait.EQUALISED) is None and level is not None and level.nominal <= MILLIVOLTS:
        words = {"name": job.label(detail.sink), "wanted": format_quantity(level.nominal, "V")}
        found.append(tell("level.equalised_unknown", link.id, words))
    return found


def _ends_of(link: Link) -> tuple[str, ...]:
    return tuple(j.terminal for j in link.joins)
