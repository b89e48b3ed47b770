"""What the study of returns found. Free of numerical packages."""

from __future__ import annotations

import msgspec

from pigtail.studies.findings import Study


class Branch(msgspec.Struct, frozen=True):
    """One conductor of the return network in a burst: its ends, resistance [Ω], current [A] and drop [V]."""

    words: str
    start: str
    end: str
    link: str
    resistance: float
    current: float
    drop: float


class ReturnsDetail(msgspec.Struct, frozen=True):
    """What the Returns station paints: the branches and the burst current."""

    burst_a: float
    branches: tuple[Branch, ...]
    victim: str
    loops: bool


class ReturnsFound(Study, frozen=True):
    """Numbers `returns.…`, findings and the detail of the worst feed."""

    detail: ReturnsDetail | None = None


FOUND = ReturnsFound
