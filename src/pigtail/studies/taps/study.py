"""Taps: for each thing wanted of the host its candidate points, ranked, with reasons; wrong choices named.

A criterion that is not known counts from nought to full, so a candidate's score has a spread; a tap whose checks are not
all done stays unknown, however good it looks on paper.
"""

from __future__ import annotations

import tomllib
from functools import cache
from pathlib import Path

import msgspec

from pigtail.catalogue.topologies import Does, does
from pigtail.job.ask import Ask, in_words
from pigtail.job.chain import trait
from pigtail.job.document import (
    HOST,
    AnyTerminal,
    AudioIn,
    AudioOut,
    Job,
    Purpose,
    SupplyClass,
    Trait,
)
from pigtail.job.roles import role_of
from pigtail.job.wiring import used_points
from pigtail.language import said, tr
from pigtail.model.model import Model
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.taps.criteria import CRITERIA, points_of
from pigtail.studies.taps.found import Mark, TapCandidate, TapsFound, WantDetail
from pigtail.studies.taps.protocol import open_checks
from pigtail.studies.wording import tell

TABLE = Path(__file__).parent / "data" / "taps.toml"


class Want(msgspec.Struct, frozen=True):
    """One thing wanted of a host: in words, the role that serves it, the weights of its criteria."""

    words: str
    role: str
    weights: dict[str, float]


class Wrong(msgspec.Struct, frozen=True):
    """A trait that makes a point a wrong choice for some wants, how bad, and what is said.

    tamed_by: what a network does that makes it serve all the same, and what is then said, as a catch.
    """

    trait: Trait
    wants: tuple[str, ...]
    code: str
    severity: Severity
    says: str
    tamed_by: tuple[Does, ...] = ()
    tamed: str = ""


class _TapTable(msgspec.Struct, frozen=True):
    criteria: dict[str, str]
    wants: dict[str, Want]
    wrong: tuple[Wrong, ...]


@cache
def table() -> _TapTable:
    """Wants, criteria and wrong choices."""
    return msgspec.convert(said("taps.toml", tomllib.loads(TABLE.read_text(encoding="utf-8"))), _TapTable)


def study_taps(model: Model) -> TapsFound:
    """Rank the points of a job's host for everything that can be wanted of it, and judge those that the plan uses."""
    job, measured = model.papers, model.job
    used = used_points(job)
    wants = _wanted(measured, used)
    details = tuple(_detail(job, measured, key, used, chosen=key in wants.values()) for key in table().wants)
    findings = [*_live(job), *(f for a in used for f in _used(job, measured, a, wants.get(a, "")))]
    if not used and job.host.supply is not SupplyClass.LIVE_CHASSIS:
        findings.append(tell("tap.none", HOST))
    return TapsFound("taps", {}, tuple(findings), details)


def _live(job: Job) -> list[Finding]:
    if job.host.supply is not SupplyClass.LIVE_CHASSIS:
        return []
    return [tell("tap.live_chassis", HOST)]


def _wanted(job: Job, used: tuple[str, ...]) -> dict[str, str]:
    """What each used point is wanted for."""
    roles = {w.role: key for key, w in reversed(table().wants.items())}
    return {a: roles.get(role_of(t), "") for a in used if (t := job.terminal(a)) is not None}


def _detail(job: Job, measured: Job, key: str, used: tuple[str, ...], *, chosen: bool) -> WantDetail:
    want = table().wants[key]
    live = job.host.supply is SupplyClass.LIVE_CHASSIS
    found = [
        _candidate(job, measured, key, address, terminal, address in used)
        for address, terminal in points_of(measured)
        if role_of(terminal) == want.role and not live
    ]
    found.sort(key=lambda c: (bool(c.wrong), -(c.low + c.high)))
    return WantDetail(key, want.words, tuple(found), chosen)


def _candidate(
    job: Job, measured: Job, key: str, address: str, terminal: AnyTerminal, used: bool
) -> TapCandidate:
    want = table().wants[key]
    marks = []
    low = high = 0.0
    whole = sum(want.weights.values())
    for name, weight in want.weights.items():
        score = CRITERIA[name](measured, address, terminal)
        marks.append(Mark(name, table().criteria[name], weight, score.value, score.text))
        low += weight * (score.value or 0.0) / whole
        high += weight * (1.0 if score.value is None else score.value) / whole
    wrong = tuple(
        (w.code, w.severity, w.says.format(name=job.label(address)))
        for w in table().wrong
        if key in w.wants and trait(measured, terminal, w.trait) is True
    )
    return TapCandidate(address, low, high, tuple(marks), wrong, tuple(asks(job, address)), used)


def asks(job: Job, address: str) -> tuple[Ask, ...]:
    """What would confirm a point, in order."""
    return open_checks(job, address)


def _used(job: Job, measured: Job, address: str, key: str) -> list[Finding]:
    """The findings of one used point."""
    terminal = measured.terminal(address)
    if terminal is None or not key:
        return []
    found = []
    for want in _served(job, address, terminal, key):
        for wrong in table().wrong:
            if want in wrong.wants and trait(measured, terminal, wrong.trait) is True:
                tamed = _tamed(job, address, wrong)
                severity, says = (Severity.WATCH, wrong.tamed) if tamed else (wrong.severity, wrong.says)
                found.append(
                    Finding(
                        wrong.code,
                        severity,
                        address,
                        says.format(name=job.label(address)),
                        why=wrong.trait.value,
                    )
                )
    still = asks(job, address)
    if still:
        first = in_words(job, still[0])
        more = tr(" ({value} more)", value=len(still) - 1) if len(still) > 1 else ""
        code = "tap.not_rung_out" if still[0].function.value == "continuity" else "tap.open_check"
        words = {
            "name": job.label(address), "first": first, "more": more, "reason": still[0].reason,
            "First": f"{first[0].upper()}{first[1:]}",
        }  # fmt: skip
        found.append(tell(code, address, words))
    elif not found:
        found.append(tell("tap.confirmed", address, {"name": job.label(address)}))
    return found


def _tamed(job: Job, address: str, wrong: Wrong) -> bool:
    """Whether every link that starts at a point goes through a network that makes it serve all the same."""
    starting = [x for x in job.links if address in x.starts]
    return bool(starting) and all(any(does(s, *wrong.tamed_by) for s in x.sections) for x in starting)


def _served(job: Job, address: str, terminal: AnyTerminal, key: str) -> tuple[str, ...]:
    """The wants that a used point serves: a feed says which way, a link of another purpose what for."""
    if isinstance(terminal, AudioOut | AudioIn) or not any(
        x.purpose is Purpose.RETURN and address in {j.terminal for j in x.joins} for x in job.links
    ):
        return (key,)
    return tuple(dict.fromkeys((key, "return")))
