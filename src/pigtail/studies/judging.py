"""Judging: a number with its spread becomes a finding, by the limits and words of the table of judgements."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from functools import cache
from pathlib import Path

import msgspec

from pigtail.studies.estimate import Estimate
from pigtail.studies.findings import (
    Finding,
    Grade,
    Severity,
    at_least,
    at_most,
    graded,
    ingredients,
    settle_text,
    within,
)
from pigtail.units import format_quantity

TABLE = Path(__file__).parent / "data" / "judgements.toml"
NO_WORDS: Mapping[str, str] = {}
GRADES = {"at_least": at_least, "at_most": at_most, "within": within}


class Judgement(msgspec.Struct, frozen=True):
    """One entry of the table: the number judged, its limits, and what is said for each severity."""

    number: str
    grade: str
    good: float
    watch: float
    why: str
    says: dict[str, str]
    codes: dict[str, str] = {}
    limit: str = "watch"
    shown: str = ""
    worst: str = "fix"
    allowance: bool = False


@cache
def judgements() -> dict[str, Judgement]:
    """All judgements by their code."""
    return msgspec.convert(tomllib.loads(TABLE.read_text(encoding="utf-8")), dict[str, Judgement])


def judge(
    code: str,
    numbers: Mapping[str, Estimate],
    subject: str,
    words: Mapping[str, str] = NO_WORDS,
    *,
    watch: float | None = None,
) -> Finding:
    """The finding of one judgement.

    Args: code of the judgement; the numbers of the study without its prefix; what the finding is about; the words
    that its sentences name; another limit in place of the table's `watch`.
    """
    entry = judgements()[code]
    ends = (entry.good, entry.watch if watch is None else watch)
    grade: Grade = GRADES[entry.grade](*ends)
    estimate = numbers[entry.number]
    severity = graded(estimate, grade, allowance=entry.allowance)
    limit = ends[0] if entry.limit == "good" else ends[1]
    shown = {
        **words,
        "value": estimate.text(),
        "nominal": estimate.short(),
        "magnitude": "?" if estimate.value is None else format_quantity(abs(estimate.value), estimate.unit),
        "limit": format_quantity(limit, estimate.unit),
    }
    told = numbers[entry.shown] if entry.shown else estimate
    known = told.value is not None
    final = Severity(entry.worst) if severity is Severity.FIX else severity
    return Finding(
        code=entry.codes.get(severity.value, code).format(**shown),
        severity=final,
        subject=subject,
        sentence=_sentence(entry, estimate, severity).format(**shown),
        value=told.value,
        low=told.low if known else None,
        high=told.high if known else None,
        limit=0.0 if entry.shown else limit,
        margin=_margin(entry, told, 0.0 if entry.shown else limit),
        unit=told.unit,
        basis=estimate.basis.value,
        why=entry.why.format(**shown),
        ingredients=ingredients(estimate),
        settle=settle_text(estimate) if severity is Severity.UNKNOWN else "",
    )


def _sentence(entry: Judgement, estimate: Estimate, severity: Severity) -> str:
    """What is said; of an unknown, what is missing or that the spread straddles the limit."""
    if severity is not Severity.UNKNOWN:
        return entry.says.get(severity.value, entry.says["fix"])
    if estimate.missing:
        names = " and ".join(i.words for i in estimate.missing[:2]).replace("{", "(").replace("}", ")")
        return f"Cannot be told: {names} not known."
    return entry.says.get(
        "unknown", f"Cannot be told: {estimate.words} may lie on either side of {{limit}}: {{value}}."
    )


def _margin(entry: Judgement, told: Estimate, limit: float) -> float | None:
    """The least distance to the limit over the spread [unit], negative beyond it."""
    if told.value is None:
        return None
    ends = [told.low, told.value, told.high]
    if entry.grade == "within":
        ends = [abs(x) for x in ends]
    sense = 1.0 if entry.grade == "at_least" else -1.0
    return min(sense * (x - limit) for x in ends)
