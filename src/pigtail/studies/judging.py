"""Judging: a number with its spread becomes a finding, by the limits and words of the table of judgements."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Collection, Mapping
from functools import cache
from pathlib import Path
from typing import Any

import msgspec

from pigtail.language import mark, said, tr
from pigtail.model.estimate import Estimate
from pigtail.studies.findings import (
    Finding,
    Grade,
    Severity,
    at_least,
    at_most,
    between,
    graded,
    ingredients,
    settle_text,
    within,
)
from pigtail.units import format_quantity

TABLE = Path(__file__).parent / "data" / "judgements.toml"
NO_WORDS: Mapping[str, str] = {}
GRADES: dict[str, Callable[..., Grade]] = {
    "at_least": at_least, "at_most": at_most, "within": within, "between": between,
}  # fmt: skip
#: A limit of a judgement, or both ends of a range.
Limit = float | tuple[float, float]


class Judgement(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One entry of the table: the number judged, its limits, what is said for each severity, and of what it is judged.

    when: what must be true of the subject, in the words of its study; one that begins with “not ” must not. words: what the
    number is, for people.
    """

    number: str
    grade: str
    good: Limit
    watch: Limit
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
        """Which way the number is better: 1 the higher, −1 the lower, 0 the nearer to its middle. A sign [1]."""
        return SENSES[self.grade]

    @property
    def middle(self) -> float:
        """What a number that is best in the middle is best at [unit of the number]."""
        return sum(self.good) / 2 if isinstance(self.good, tuple) else 0.0

    @property
    def ends(self) -> tuple[float, ...]:
        """The limit that is told, on each side that has one [unit of the number]."""
        return self.marks(self.limit_for(None))

    def marks(self, limit: float) -> tuple[float, ...]:
        """Where a dial marks the limit that a finding tells. Both in the [unit of the number]."""
        if isinstance(self.good, tuple):
            return self.good
        return (-limit, limit) if self.grade == "within" else (limit,)

    @property
    def limits(self) -> tuple[float, float]:
        """Where good ends and where works ends, of a judgement that is no range [unit of the number]."""
        assert isinstance(self.good, float | int)
        assert isinstance(self.watch, float | int)
        return float(self.good), float(self.watch)

    def grading(self, watch: float | None = None) -> Grade:
        """How a value is graded; with another limit in the place of `watch` [unit of the number]."""
        return GRADES[self.grade](self.good, self.watch if watch is None else watch)

    def limit_for(self, value: float | None, watch: float | None = None) -> float:
        """The limit that a value is told against, the nearer of a range. Both in the [unit of the number]."""
        limit: Any = self.good if self.limit == "good" else self.watch if watch is None else watch
        if not isinstance(limit, tuple):
            return float(limit)
        return float(limit[0] if value is None or value < self.middle else limit[1])

    def applies(self, traits: Collection[str]) -> bool:
        """Whether it is judged of a subject with these traits."""
        return all((w[4:] not in traits) if w.startswith("not ") else (w in traits) for w in self.when)


SENSES = {"at_least": 1.0, "at_most": -1.0, "within": 0.0, "between": 0.0}


@cache
def judgements() -> dict[str, Judgement]:
    """All judgements by their code, in the order in which they are read."""
    return msgspec.convert(
        said("judgements.toml", tomllib.loads(TABLE.read_text(encoding="utf-8"))), dict[str, Judgement]
    )


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
    grade = entry.grading(watch)
    estimate = numbers[entry.number]
    severity = graded(estimate, grade, allowance=entry.allowance)
    limit = entry.limit_for(estimate.value, watch)
    told_end = _telling(estimate, entry, grade, severity)
    shown = {
        "most": _most(estimate),
        **words,
        "value": estimate.text(),
        "nominal": told_end.short(),
        "magnitude": _magnitude(told_end),
        "limit": format_quantity(limit, estimate.unit),
    }
    spoken = {k: tr(v) if v in WAYS else v for k, v in shown.items()}
    told = numbers[entry.shown] if entry.shown else estimate
    known = told.value is not None
    final = Severity(entry.worst) if severity is Severity.FIX else severity
    return Finding(
        code=entry.codes.get(severity.value, code).format(**shown),
        severity=final,
        subject=subject,
        sentence=_sentence(entry, estimate, severity).format(**spoken),
        value=told.value,
        low=told.low if known else None,
        high=told.high if known else None,
        limit=0.0 if entry.shown else limit,
        margin=_margin(entry, told, 0.0 if entry.shown else limit),
        unit=told.unit,
        basis=estimate.basis.value,
        why=entry.why.format(**spoken),
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
    worse = (
        min(ends, key=lambda x: entry.sense * x)
        if entry.sense
        else max(ends, key=lambda x: abs(x - entry.middle))
    )
    return msgspec.structs.replace(estimate, value=worse)


#: Words that stand in codes as they are, and in sentences as they are said.
WAYS = (mark("quiet"), mark("loud"), mark("over"), mark("under"), mark("above"), mark("below"))


def _magnitude(estimate: Estimate) -> str:
    return "?" if estimate.value is None else format_quantity(abs(estimate.value), estimate.unit)


def _most(estimate: Estimate) -> str:
    """The furthest that a number may lie from nought."""
    ends = (estimate.low, estimate.high)
    return "?" if estimate.value is None else format_quantity(max(abs(x) for x in ends), estimate.unit)


def _sentence(entry: Judgement, estimate: Estimate, severity: Severity) -> str:
    """What is said; of an unknown, what is missing or that the spread straddles the limit."""
    if severity is not Severity.UNKNOWN:
        return entry.says.get(severity.value) or entry.says.get("fix") or entry.says["watch"]
    if estimate.missing:
        names = tr(" and ").join(i.words for i in estimate.missing[:2]).replace("{", "(").replace("}", ")")
        return tr("Cannot be told: {names} not known.", names=names)
    return entry.says.get(
        "unknown",
        tr("Cannot be told: {words} may lie on either side of {{limit}}: {{value}}.", words=estimate.words),
    )


def _margin(entry: Judgement, told: Estimate, limit: float) -> float | None:
    """The least distance to the limit over the spread [unit], negative beyond it."""
    if told.value is None:
        return None
    ends = [told.low, told.value, told.high]
    if isinstance(entry.good, tuple):
        return min(min(x - entry.good[0], entry.good[1] - x) for x in ends)
    if entry.grade == "within":
        ends = [abs(x) for x in ends]
    sense = 1.0 if entry.grade == "at_least" else -1.0
    return min(sense * (x - limit) for x in ends)
