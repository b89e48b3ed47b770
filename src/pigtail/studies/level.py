"""Level: what arrives at the input of each feed, against what is wanted there, and what else the feed does.

How each number comes about stands in `feed` and `feed_uses`; limits and words stand in the table of judgements.
"""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from pigtail.job.model import AudioIn, AudioOut, Channel, Job, Link, Plus, Purpose, Trait, Use
from pigtail.job.wiring import return_address
from pigtail.studies.chain import trait
from pigtail.studies.compile import compile_job
from pigtail.studies.estimate import Estimate
from pigtail.studies.feed import Feed
from pigtail.studies.feed_uses import uses
from pigtail.studies.findings import ORDER, Finding, Severity
from pigtail.studies.judging import judge
from pigtail.studies.results import FeedDetail, LevelStudy
from pigtail.studies.spread import Hints
from pigtail.studies.stages import stages
from pigtail.studies.throughs import study_throughs
from pigtail.units import format_quantity
from pigtail.units.known import weakest

#: Voltages that capacitors are sold for [V], and the DC that turns nothing round [V].
RATINGS = (6.3, 10.0, 16.0, 25.0, 35.0, 50.0, 63.0, 100.0, 160.0, 250.0, 400.0)
SMALL_V = 0.1
#: An input that wants less than this may be one for records, equalised [V].
MILLIVOLTS = 0.02
#: The judgements of a feed, in the order in which they are read: those of every feed, and those of feeds that have the number.
JUDGED = ("level.fits", "level.headroom", "level.bass", "level.treble", "level.offset", "level.load")
ALSO_JUDGED = (
    "level.cross",
    "level.pop",
    "level.tap",
    "level.mix",
    "level.flat",
    "level.tilt",
    "level.core",
    "level.balance",
    "level.power",
    "level.hiss",
)
HEADPHONES_JUDGED = ("level.loud_enough", "level.damping", "level.hearing")


def study_level(job: Job) -> LevelStudy:
    """Study all feeds of a job in its working state. Raises CompileError."""
    feeds = [x for x in job.links if x.purpose is Purpose.FEED]
    if not feeds:
        none = Finding(
            "level.no_feed", Severity.UNKNOWN, "", "No feed is planned yet: propose a plan or add a link."
        )
        return LevelStudy("level", {}, (none,))
    netlist = compile_job(job, job.working_state())
    details: list[FeedDetail] = []
    findings: list[Finding] = []
    for link in feeds:
        ends = _ends(job, link)
        if isinstance(ends, Finding):
            findings.append(ends)
            continue
        feed = Feed(netlist, link, *ends)
        detail = feed.study()
        further = uses(feed, twin=twin_of(job, link) is not None)
        noise = further.pop("noise_dbv", None)
        details.append(replace(detail, numbers=detail.numbers | further, noise=noise))
    details = _balanced(job, details)
    for detail in details:
        findings += _judge(job, detail)
    findings += study_throughs(job)
    numbers = _numbers(details)
    findings.sort(key=lambda f: ORDER.index(f.severity))
    return LevelStudy("level", numbers, tuple(findings), tuple(details))


def glance_level(job: Job, link_id: str, hints: Hints | None = None) -> FeedDetail | None:
    """The levels and the response of one feed, quickly, for showing while a value is turned; None for no complete feed.

    Args: job as measured; its feed; what the last look at the same feed left for the next. Raises CompileError.
    """
    link = job.link(link_id)
    ends = _ends(job, link) if link is not None and link.purpose is Purpose.FEED else None
    if link is None or ends is None or isinstance(ends, Finding):
        return None
    return Feed(compile_job(job, job.working_state()), link, *ends).glance(hints or Hints())


def _ends(job: Job, link: Link) -> tuple[tuple[str, ...], str] | Finding:
    """The outputs that drive a feed and the input it drives, or a finding when one of them is absent."""
    sources = tuple(a for a in link.starts if isinstance(job.terminal(a), AudioOut))
    sinks = [a for a in link.at("out") if isinstance(job.terminal(a), AudioIn)]
    if not sources or not sinks:
        what = "no output drives it" if not sources else "it does not end at an input"
        return Finding("level.open_feed", Severity.FIX, link.id, f"{link.name} is not complete: {what}.")
    return sources, sinks[0]


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
            "left against right, by the parts", (*a.leading, *b.leading),
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


def _judge(job: Job, detail: FeedDetail) -> list[Finding]:
    """The findings of one feed."""
    n = detail.numbers
    target = n["target_db"].value
    quiet = target is not None and target < 0
    sink, link = job.terminal(detail.sink), job.link(detail.link)
    assert isinstance(sink, AudioIn)
    assert link is not None
    shown = ("most_w", "wanted_w", "supply_needed_v", "power_w", "over_own_db")
    words: dict[str, str] = {k: n[k].short() for k in shown if k in n}
    words |= {
        "name": job.label(detail.sink),
        "back": job.label(return_address(job, detail.sink)),
        "source": job.label(detail.sources[0]),
        "side": "quiet" if quiet else "loud",
        "way": "below" if quiet else "above",
        "polarity": _polarity(n),
    }
    codes = [*JUDGED, *ALSO_JUDGED, *(HEADPHONES_JUDGED if sink.use is Use.HEADPHONES else ())]
    if sink.use is not Use.LINE and any(s.shape.amplifier for s in stages(link)):
        codes.remove("level.hiss")  # judged by the ear at the speaker, against its sensitivity
    found = [judge(code, n, detail.link, words) for code in codes if number_of(code) in n]
    return [*found, *_capacitors(job, link, detail), *_hazards(job, link, detail)]


def number_of(code: str) -> str:
    """The number that a judgement judges."""
    from pigtail.studies.judging import judgements

    return judgements()[code].number


def _polarity(numbers: dict[str, Estimate]) -> str:
    """What is said of the polarity of a crossover sum."""
    flat, turned = numbers.get("flat_db"), numbers.get("turned_db")
    if flat is None or turned is None or flat.value is None or turned.value is None:
        return ""
    return " One way is turned round: swap its polarity." if turned.value < flat.value - 1.0 else ""


def _hazards(job: Job, link: Link, detail: FeedDetail) -> list[Finding]:
    """What is wrong by what the ends are, whatever the numbers say."""
    found = []
    sink = job.terminal(detail.sink)
    assert isinstance(sink, AudioIn)
    isolated = stages(link)[0].shape.isolates
    for address in detail.sources:
        source = job.terminal(address)
        if (
            source is not None
            and trait(job, source, Trait.BRIDGE_TIED)
            and sink.use is Use.LINE
            and not isolated
        ):
            found.append(
                Finding(
                    "level.bridge_tied", Severity.STOP, link.id,
                    f"{job.label(address)} is one side of a bridge-tied output: joined to {job.label(detail.sink)} its other "
                    "side would drive the ground. Take the signal before the amplifier chip, or go through a transformer.",
                    why="both sides of a bridge-tied output swing, around half the supply; neither may meet a ground",
                )
            )  # fmt: skip
    grounded = [
        x.name
        for x in job.links
        if x.purpose is Purpose.RETURN and any(a in link.at("com") for a in _ends_of(x))
    ]
    last = stages(link)[-1].shape
    if last.swing > 1 and grounded:
        found.append(
            Finding(
                "level.bridge_grounded", Severity.STOP, link.id,
                f"Both ends of {job.label(detail.sink)} are driven, and {grounded[0].lower()} joins one of them to a ground: "
                "leave that wire out, or the amplifier is shorted.",
                why="both sides of a bridge-tied or balanced output swing; neither may meet a ground",
            )
        )  # fmt: skip
    level = sink.wanted
    if sink.has(Trait.EQUALISED) is None and level is not None and level.nominal <= MILLIVOLTS:
        found.append(
            Finding(
                "level.equalised_unknown", Severity.UNKNOWN, link.id,
                f"Whether {job.label(detail.sink)} is equalised for records is not known; at {level.nominal * 1e3:.0f} mV it may be.",
                why="inputs for magnetic pickups follow 3180, 318 and 75 µs: 20 dB from 1 kHz down to the bass",
                settle="Look whether the papers call it phono; or inject 100 Hz and 10 kHz alike and compare what comes out.",
            )
        )  # fmt: skip
    return found


def _ends_of(link: Link) -> tuple[str, ...]:
    return tuple(j.terminal for j in link.joins)


def _capacitors(job: Job, link: Link, detail: FeedDetail) -> list[Finding]:
    """Which way round the coupling capacitor goes, and what voltage it must stand: twice what may lie across it; and
    whether the one that was chosen does."""
    across = detail.numbers.get("capacitor_v")
    if across is None or across.value is None:
        return []
    most = max(abs(across.low), abs(across.high))
    rating = next((v for v in RATINGS if v >= 2 * most), RATINGS[-1])
    volts = format_quantity(abs(across.value), "V")
    part = next(p for s in link.sections if s.topology == "coupling" for p in s.parts if p.name == "c1")
    toward = job.label(detail.sources[0] if across.value > 0 else detail.sink)
    right = Plus.SOURCE if across.value > 0 else Plus.INPUT
    if across.low < -SMALL_V and across.high > SMALL_V:
        which = "either side may be the higher: take film, or two electrolytics back to back"
        wrong = part.plus in (Plus.SOURCE, Plus.INPUT)
    elif most <= SMALL_V:
        which, wrong = "next to no DC lies across it: film, or plus toward the source", False
    else:
        which = f"plus toward {toward}, which is {volts} higher"
        wrong = part.plus in (Plus.SOURCE, Plus.INPUT) and part.plus is not right

    def told(code: str, severity: Severity, sentence: str) -> list[Finding]:
        why = "twice the greatest DC across it (common practice); up to 1 µF film is as easily had"
        return [
            Finding(
                code, severity, link.id, sentence, value=across.value, low=across.low, high=across.high, unit="V",
                basis=across.basis.value, why=why,
            )
        ]  # fmt: skip

    if wrong:
        sentence = f"The coupling capacitor is the wrong way round, {part.plus.value}: {which}."
        return told("level.capacitor_reversed", Severity.FIX, sentence)
    if part.rating is not None and part.rating.nominal < 2 * most:
        bad = part.rating.nominal < most
        sentence = (
            f"The coupling capacitor is rated {part.rating.nominal:g} V and up to {format_quantity(most, 'V')} lie across it: "
            f"take {rating:g} V or more."
        )
        severity = Severity.FIX if bad else Severity.WATCH
        return told("level.capacitor_rating", severity, sentence)
    sentence = f"The coupling capacitor stands {rating:g} V or more; {which}."
    return told("level.capacitor", Severity.GOOD, sentence)
