"""Judgements: severities, findings, and how a value with its spread is graded."""

from __future__ import annotations

import enum
from collections.abc import Callable
from typing import Self

import msgspec
from msgspec.structs import force_setattr, replace

from pigtail.edits.change import Edit
from pigtail.language import tr
from pigtail.model.estimate import Estimate
from pigtail.units import format_spread


class Severity(enum.Enum):
    """How bad a finding is, the worst first."""

    STOP = "stop"
    FIX = "fix"
    UNKNOWN = "unknown"
    WATCH = "watch"
    GOOD = "good"


ORDER = tuple(Severity)


def worst(severities: list[Severity]) -> Severity:
    """The worst of some severities; good when there is none."""
    return min(severities, key=ORDER.index, default=Severity.GOOD)


class Remedy(msgspec.Struct, frozen=True):
    """An edit that mends a finding, what it is called, and what it was solved to bring."""

    label: str
    edit: Edit
    brings: str = ""


class Ingredient(msgspec.Struct, frozen=True):
    """A value that a result rests on, as Why shows it."""

    words: str
    text: str
    basis: str


class Finding(msgspec.Struct, frozen=True):
    """One judgement. `value`, `limit` and `margin` are in `unit`; `why` is the relation with its numbers.

    part: the part of the subject's link that it is about, as the number of its network and its name; judgement: the entry of
    the table that judged it; number: the number of its study that was judged.
    """

    code: str
    severity: Severity
    subject: str
    sentence: str
    value: float | None = None
    low: float | None = None
    high: float | None = None
    limit: float | None = None
    margin: float | None = None
    unit: str = ""
    basis: str = ""
    why: str = ""
    ingredients: tuple[Ingredient, ...] = ()
    settle: str = ""
    remedies: tuple[Remedy, ...] = ()
    part: tuple[int, str] | None = None
    judgement: str = ""
    number: str = ""

    def __post_init__(self) -> None:
        force_setattr(self, "sentence", self.sentence[:1].upper() + self.sentence[1:])

    @property
    def key(self) -> tuple[str, str]:
        """What tells this finding from the others of a job."""
        return self.code, self.subject


class Study(msgspec.Struct, frozen=True):
    """What a study found: numbers by their stable name, and findings, the worst first."""

    name: str
    numbers: dict[str, Estimate]
    findings: tuple[Finding, ...]

    def __post_init__(self) -> None:
        force_setattr(self, "findings", tuple(sorted(self.findings, key=lambda f: ORDER.index(f.severity))))

    def headed(self, *told: Finding) -> Self:
        """The same with further findings, before those that are as bad."""
        return replace(self, findings=(*told, *self.findings))

    def number_of(self, finding: Finding) -> str:
        """The name under which the number that a finding judges is kept, its subject's own if there is one; else empty."""
        area, _, rest = finding.number.partition(".")
        plain = f"{area}.{rest.rpartition('.')[2]}"
        return next((n for n in (finding.number, plain) if n in self.numbers), "")

    @property
    def verdict(self) -> Severity:
        """The worst finding's severity."""
        return worst([f.severity for f in self.findings])


Grade = Callable[[float], Severity]


def at_least(good: float, watch: float) -> Grade:
    """Good from `good` up, watch from `watch` up, else fix. Both in the [unit of the number]."""
    return lambda x: Severity.GOOD if x >= good else Severity.WATCH if x >= watch else Severity.FIX


def at_most(good: float, watch: float) -> Grade:
    """Good up to `good`, watch up to `watch`, else fix. Both in the [unit of the number]."""
    return lambda x: Severity.GOOD if x <= good else Severity.WATCH if x <= watch else Severity.FIX


def within(good: float, watch: float) -> Grade:
    """Good within ±`good`, watch within ±`watch`, else fix. Both in the [unit of the number]."""
    return lambda x: at_most(good, watch)(abs(x))


def between(good: tuple[float, float], watch: tuple[float, float]) -> Grade:
    """Good between the two of `good`, watch between those of `watch`, else fix. Both in the [unit of the number]."""
    return lambda x: (
        Severity.GOOD
        if good[0] <= x <= good[1]
        else Severity.WATCH
        if watch[0] <= x <= watch[1]
        else Severity.FIX
    )


def graded(estimate: Estimate, grade: Grade, *, allowance: bool = False) -> Severity:
    """Severity of a value with its spread: the worst it may be; unknown when the spread straddles the limit
    between what works and what does not, or when something it depends on is not known.

    `allowance` tells that the step from good to watch is itself an allowance for the spread, as 30 % of a rail to
    spare is: then that step is taken at the nominal value, and the limit of what works over the whole spread.
    """
    if estimate.missing or estimate.value is None:
        return Severity.UNKNOWN
    ends = [grade(x) for x in (estimate.low, estimate.value, estimate.high)]
    if estimate.low < 0 < estimate.high:
        ends.append(grade(0.0))
    bad = worst(ends)
    best = max(ends, key=ORDER.index)
    if bad is Severity.FIX and best is not Severity.FIX:
        return Severity.UNKNOWN
    return grade(estimate.value) if allowance and bad is Severity.WATCH else bad


def ingredients(estimate: Estimate) -> tuple[Ingredient, ...]:
    """The inputs of a result, the most telling first."""
    found = [
        Ingredient(
            item.words,
            tr("not known")
            if item.known is None
            else format_spread(item.known.nominal, item.known.low, item.known.high, item.known.unit),
            "unknown" if item.known is None else item.known.basis.value,
        )
        for item in (*estimate.missing, *estimate.leading)
    ]
    return tuple(found)


def settle_text(estimate: Estimate) -> str:
    """The one measurement that would settle a result, in words; empty if there is none to name."""
    if estimate.missing:
        return tr("Measure or look up: {words}.", words=estimate.missing[0].words)
    if estimate.leading:
        return tr("Measure: {words}; it widens the spread most.", words=estimate.leading[0].words)
    return ""
