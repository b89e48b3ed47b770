"""What the study of the loom found. Free of numerical packages."""

from __future__ import annotations

import msgspec

from pigtail.studies.findings import Study


class LoomWire(msgspec.Struct, frozen=True):
    """One wire of the loom: what it joins, colour, gauge [AWG], length to cut [m] or None, and whether screened."""

    link: str
    port: str
    function: str
    start: str
    end: str
    colour: str
    gauge: int
    length: float | None
    screened: bool
    route: str


class PartLine(msgspec.Struct, frozen=True):
    """One line of the parts list."""

    reference: str
    words: str
    value: str
    note: str
    link: str


class LoomFound(Study, frozen=True):
    """The loom and the parts list with the findings about them."""

    wires: tuple[LoomWire, ...] = ()
    parts: tuple[PartLine, ...] = ()


FOUND = LoomFound
