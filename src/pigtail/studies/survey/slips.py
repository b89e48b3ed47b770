"""Slips of the hand: a value that cannot be what its place shows, and what was probably meant.

Common practice: a prefix is left out or put twice (a thousand, a million), a peak is taken for an effective value (√2), the probes are the
other way round (a sign). Nothing is asked of what a point at nought shows: there a larger value is a find and no slip.
"""

from __future__ import annotations

import math

import msgspec

from pigtail.job.ask import Ask
from pigtail.job.document import FUNCTION_UNITS, Function, Job, Reading
from pigtail.job.quantities import Quantity
from pigtail.language import tr
from pigtail.studies.survey.expecting import expected
from pigtail.units import format_quantity
from pigtail.units.known import Known

#: No point that anyone may probe stands higher than this: the highest that common meters are rated for [V].
IMPLAUSIBLE_V = 1000.0
#: What slips do to a value, the likeliest first, and the functions of which an effective value may be taken for a peak.
PREFIXES = (1e-3, 1e3, 1e-6, 1e6)
FACTORS = (*PREFIXES[:2], -1.0, *PREFIXES[2:])
PEAKS = (1 / math.sqrt(2), math.sqrt(2))
#: How near to what is expected the value that was meant must lie: a part of it [1].
NEAR = 0.15
#: A peak is told from a level that is merely another by how near to the middle of what is expected it comes: a part of it [1].
PEAK_PART = 0.08
#: From here on an upper end of what is expected means that there is none.
MOST = 1e11
#: A value of a point that lies so many times outside what such points have is no such value.
OUTSIDE = 10.0


class Slip(msgspec.Struct, frozen=True):
    """A value that was probably meant in place of the one given [the unit of both], and the question."""

    value: float
    question: str


def slip_of(job: Job, reading: Reading | Ask, value: float) -> Slip | None:
    """What was probably meant by a value of a reading [unit of its function], None where the value may well be."""
    wanted = expected(job, reading)
    if reading.function not in (Function.DC_VOLTS, Function.AC_VOLTS, Function.RESISTANCE):
        return None
    unit = FUNCTION_UNITS[reading.function]
    if wanted is not None and not wanted.low <= value <= wanted.high and not wanted.low <= 0 <= wanted.high:
        for factor in FACTORS if wanted.high < MOST else ():
            if _near(wanted.low, wanted.high, value * factor):
                return _asked(value, value * factor, unit)
        middle = (wanted.low + wanted.high) / 2
        for factor in PEAKS if reading.function is Function.AC_VOLTS else ():
            if abs(value * factor - middle) < PEAK_PART * middle:
                return _asked(value, value * factor, unit)
    if unit == "V" and abs(value) > IMPLAUSIBLE_V:
        meant = value * 1e-3 if abs(value) < 1e6 else value * 1e-6
        return _asked(value, meant, unit)
    return None


def slip_of_value(quantity: Quantity, known: Known) -> Slip | None:
    """What was probably meant by a value on paper that no such point has; None where it may well be. In the [unit of the quantity]."""
    low, high = quantity.plausible
    value = abs(known.nominal)
    if low <= 0 or value == 0 or low / OUTSIDE <= value <= high * OUTSIDE:
        return None
    for factor in PREFIXES:
        if low <= value * factor <= high:
            return _asked(known.nominal, known.nominal * factor, quantity.unit)
    return None


def _asked(value: float, meant: float, unit: str) -> Slip:
    return Slip(
        meant,
        tr(
            "{value}? {meant} is likelier.",
            value=format_quantity(value, unit),
            meant=format_quantity(meant, unit),
        ),
    )


def _near(low: float, high: float, value: float) -> bool:
    slack = NEAR * max(abs(low), abs(high))
    return low - slack <= value <= high + slack
