"""`pigtail suggest`: the ranked networks of a job's feeds, for programs and for people."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, TypeVar

from pigtail.advice.found import Controlled, Option, SearchFound, Supplied
from pigtail.advice.matching import match_source
from pigtail.advice.search import plausibly, search
from pigtail.advice.shapes import Wish
from pigtail.job.document import Job, Link, Purpose
from pigtail.job.errors import EditError
from pigtail.model.estimate import Estimate
from pigtail.studies.loudness import Loudness, loudness_of, unlike
from pigtail.units import format_quantity

Found = TypeVar("Found", Option, Supplied, Controlled)


def as_loud_as(job: Job, link: str, now: Path | None, wanted: Path | None) -> Job:
    """The job with a feed wanted as loud as a recording, judged against a recording of it as it is.

    Raises EditError where only one is given.
    """
    if not link or now is None or wanted is None:
        raise EditError("give --for FEED, --now WAV and --as-loud-as WAV together", value=link)
    louder = loudness_of(wanted).lufs - loudness_of(now).lufs
    return match_source(job, link, louder, f"as loud as {wanted.name}: {louder:+.1f} LU")


def compare_as_json(now: Loudness, wanted: Loudness) -> dict[str, Any]:
    """Both recordings and how much louder the second is."""
    each = [
        {"file": x.name, "lufs": x.lufs, "peak_dbfs": x.peak_dbfs, "seconds": x.seconds}
        for x in (now, wanted)
    ]
    return {"recordings": each, "louder_lu": wanted.lufs - now.lufs, "unlike": unlike(now, wanted)}


def compare_as_text(now: Loudness, wanted: Loudness) -> str:
    """The same as lines."""
    lines = [
        f"{x.lufs:7.1f} LUFS  peak {x.peak_dbfs:6.1f} dBFS  {x.seconds:6.1f} s  {x.name}"
        for x in (now, wanted)
    ]
    told = unlike(now, wanted)
    lines.append(f"{wanted.lufs - now.lufs:+7.1f} LU      the second over the first")
    return "\n".join([*lines, *([f"Take heed: {told}."] if told else [])])


def searches(
    job: Job, wanted: str = "", wish: Wish | None = None, *, plausible: bool = False
) -> list[SearchFound]:
    """The search of one feed, or of all; `plausible`: with what is not known guessed over its plausible range. Raises EditError
    for a feed that is not there."""
    feeds = [x.id for x in job.links if x.purpose is Purpose.FEED]
    if wanted and wanted not in feeds:
        raise EditError(f"there is no feed {wanted}; feeds are {', '.join(feeds) or 'none'}", value=wanted)
    return [_searched(job, link, wish, plausible=plausible) for link in ([wanted] if wanted else feeds)]


def _searched(job: Job, link: str, wish: Wish | None, *, plausible: bool) -> SearchFound:
    """The search of one feed; what it lacks becomes its trouble, or is guessed over its plausible range."""
    try:
        return search(plausibly(job, link) if plausible else job, link, wish)
    except EditError as error:
        return SearchFound(link, (), 0, f"{str(error)[:1].upper()}{str(error)[1:]}.")


def number_as_json(estimate: Estimate) -> dict[str, Any]:
    """A number with its spread; what is not known by its unit alone."""
    if estimate.value is None:
        return {"value": None, "low": None, "high": None, "unit": estimate.unit, "basis": "unknown"}
    return {
        "value": estimate.value,
        "low": estimate.low,
        "high": estimate.high,
        "unit": estimate.unit,
        "basis": estimate.basis.value,
    }


def sections_as_json(link: Link) -> list[dict[str, Any]]:
    """The networks of a link with the values of their parts [SI]."""
    return [
        {"topology": x.topology, "parts": {p.name: p.value.nominal for p in x.parts}} for x in link.sections
    ]


def ranked(head: str, options: Sequence[Found], said: Callable[[Found], str]) -> list[str]:
    """What a search found as lines: what was looked at, then the options with their rank, a mark for a best in something, a severity."""
    return [
        head.rstrip(),
        *(
            f" {rank:>2}{'*' if o.pareto else ' '} {o.severity.value:<7} {said(o)}"
            for rank, o in enumerate(options, 1)
        ),
    ]


def suggest_as_json(found: list[SearchFound]) -> dict[str, Any]:
    """What was found by feed."""
    return {
        s.link: {
            "solved": s.solved,
            "trouble": s.trouble,
            "options": [
                {
                    "network": o.words,
                    "sections": sections_as_json(o.link),
                    "severity": o.severity.value,
                    "best_in_something": o.pareto,
                    "target_db": number_as_json(o.target),
                    "headroom_db": number_as_json(o.headroom),
                    "offset_v": number_as_json(o.offset),
                    "load_ohm": number_as_json(o.load),
                    "noise_v": o.noise_v,
                    "parts": o.parts,
                    "cost": o.cost,
                    "host_joints": o.host_joints,
                    "not_in_stock": o.missing,
                    "lacks": list(o.lacks),
                    "ladder_dbv": dict(o.ladder),
                    "catch": o.catch,
                    "unknown": list(o.unknown),
                }
                for o in s.options
            ],
        }
        for s in found
    }


def suggest_as_text(found: list[SearchFound]) -> str:
    """The same as lines."""
    lines = [
        line
        for s in found
        for line in ranked(
            f"{s.link}: {s.solved:,} candidates solved. {s.trouble}",
            s.options,
            lambda o: (
                f"{o.target.text():<32} {format_quantity(o.noise_v, 'V', 2):>8} noise  {o.parts} parts  {o.words}"
            ),
        )
    ]
    return "\n".join(lines) if lines else "The job has no feed yet."
