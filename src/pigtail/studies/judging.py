"""Judging: a number with its spread becomes a finding, by the limits and words of the table of judgements."""

from __future__ import annotations

import tomllib
from collections.abc import Collection, Mapping
from functools import cache
from pathlib import Path

import msgspec

from pigtail.model.estimate import Estimate
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


class Judgement(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One entry of the table: the number judged, its limits, what is said for each severity, and of what it is judged.

    when: what must be true of the subject, in the words of its study; one that begins with “not ” must not. words: what the
    number is, for people.
    """

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
    when: tuple[str, ...] = ()

    @property
    def sense(self) -> float:
        """Which way the number is better: 1 the higher, −1 the lower, 0 the nearer to nought. A sign [1]."""
        return SENSES[self.grade]

    def applies(self, traits: Collection[str]) -> bool:
        """Whether it is judged of a subject with these traits."""
        return all((w[4:] not in traits) if w.startswith("not ") else (w in traits) for w in self.when)


SENSES = {"at_least": 1.0, "at_most": -1.0, "within": 0.0}


@cache
def judgements() -> dict[str, Judgement]:
    """All judgements by their code, in the order in which they are read."""
    return msgspec.convert(tomllib.loads(TABLE.read_text(encoding="utf-8")), dict[str, Judgement])


def judge_all(
    area: str,
    numbers: Mapping[str, Estimate],
    subject: str,
    words: Mapping[str, str],
    traits: Collection[str],
    *,
    owner: str = "",
) -> list[Finding]:
    """The findings of all judgements of a study that apply to a subject and whose number it has."""
    return [
        judge(code, numbers, subject, words, owner=owner)
        for code, entry in judgements().items()
        if code.startswith(f"{area}.") and entry.number in numbers and entry.applies(traits)
    ]


def judge(
    code: str,
    numbers: Mapping[str, Estimate],
    subject: str,
    words: Mapping[str, str] = NO_WORDS,
    *,
    watch: float | None = None,
    owner: str = "",
) -> Finding:
    """The finding of one judgement. The limit in the [unit of the number].

    Args: code of the judgement; the numbers of the study without its prefix; what the finding is about; the words
    that its sentences name; another limit in place of the table's `watch`; under which name the study keeps the numbers of this
    subject, if it is not the subject itself.
    """
    entry = judgements()[code]
    ends = (entry.good, entry.watch if watch is None else watch)
    grade: Grade = GRADES[entry.grade](*ends)
    estimate = numbers[entry.number]
    severity = graded(estimate, grade, allowance=entry.allowance)
    limit = ends[0] if entry.limit == "good" else ends[1]
    told_end = _telling(estimate, entry, grade, severity)
    shown = {
        **words,
        "value": estimate.text(),
        "nominal": told_end.short(),
        "magnitude": _magnitude(told_end),
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
        judgement=code,
        number=f"{code.partition('.')[0]}.{owner or subject}.{entry.shown or entry.number}",
    )


def _telling(estimate: Estimate, entry: Judgement, grade: Grade, severity: Severity) -> Estimate:
    """The number as a sentence prints it: where it only may be bad, the end of its spread that makes it so."""
    if estimate.value is None or severity in (Severity.GOOD, Severity.UNKNOWN) or entry.allowance:
        return estimate
    if grade(estimate.value) is severity:
        return estimate
    ends = (estimate.low, estimate.high)
    worse = max(ends, key=abs) if entry.grade == "within" else min(ends, key=lambda x: entry.sense * x)
    return msgspec.structs.replace(estimate, value=worse)


def _magnitude(estimate: Estimate) -> str:
    return "?" if estimate.value is None else format_quantity(abs(estimate.value), estimate.unit)


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
