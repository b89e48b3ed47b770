"""What the study of levels found, as the station paints it. Free of numerical packages."""

from __future__ import annotations

import msgspec

from pigtail.model.estimate import Estimate
from pigtail.studies.findings import Study


class Rung(msgspec.Struct, frozen=True):
    """One rung of the ladder from the e.m.f. to the input: its words, its level, and the level at which it overloads."""

    words: str
    level: Estimate
    ceiling: Estimate | None = None


class FeedDetail(msgspec.Struct, frozen=True):
    """What the Level station paints of one feed: ladder, response, the limits and the noise [dBV] beside them; the feed of
    the other channel, if there is one."""

    link: str
    sources: tuple[str, ...]
    sink: str
    rungs: tuple[Rung, ...]
    wanted: Estimate
    overload: Estimate
    curve_hz: tuple[float, ...]
    curve_db: tuple[float, ...]
    numbers: dict[str, Estimate]
    noise: Estimate | None = None
    twin: str = ""


class LevelFound(Study, frozen=True):
    """Numbers `level.…`, findings, and a detail for each feed."""

    feeds: tuple[FeedDetail, ...] = ()


FOUND = LevelFound
