"""What a rectifier gives at rest, where windings give nothing: an e.m.f. behind a slope, from its course in time."""

from __future__ import annotations

from typing import NamedTuple

from pigtail.units import Known


class Average(NamedTuple):
    """Volts on average with next to nothing drawn [V], and how far they fall with the current drawn [Ω]."""

    volts: Known
    ohm: Known
