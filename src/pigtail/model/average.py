"""What a rectifier gives at rest, where windings give nothing: an e.m.f. behind a slope, from its course in time."""

from __future__ import annotations

from typing import NamedTuple

from pigtail.units import Known


class Average(NamedTuple):
    """Volts on average with next to nothing drawn [V], None where its winding is not known; how far they fall with the current [Ω]; over
    what range they are tried while they are not known [V]."""

    volts: Known | None
    ohm: Known
    plausible: tuple[float, float] = (1.0, 50.0)
