"""What the study of taps found. Free of numerical packages."""

from __future__ import annotations

import msgspec

from pigtail.job.ask import Ask
from pigtail.studies.findings import Severity, Study


class Mark(msgspec.Struct, frozen=True):
    """One criterion of a candidate: its weight, 0 to 1 or None where nothing is known, and why."""

    key: str
    words: str
    weight: float
    value: float | None
    text: str


class TapCandidate(msgspec.Struct, frozen=True):
    """A point that could serve a want: its score from low to high [0 to 1], its marks, why it is a wrong choice
    (code, severity, sentence), what would confirm it, whether the plan uses it."""

    address: str
    low: float
    high: float
    marks: tuple[Mark, ...]
    wrong: tuple[tuple[str, Severity, str], ...]
    asks: tuple[Ask, ...]
    used: bool


class WantDetail(msgspec.Struct, frozen=True):
    """What the Taps station shows of one want: its candidates, the best first; whether the plan wants it."""

    key: str
    words: str
    candidates: tuple[TapCandidate, ...]
    planned: bool


class TapsFound(Study, frozen=True):
    """Findings about the points that are used, and the candidates of every want."""

    wants: tuple[WantDetail, ...] = ()


FOUND = TapsFound
