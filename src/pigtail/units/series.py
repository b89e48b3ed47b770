"""Preferred numbers of resistors and capacitors.

Source: IEC 60063. E3 to E24 are tables by the standard (their members do not follow the rounding rule);
E48 and E96 are ten to the power i/48 and i/96 rounded to three figures.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from functools import cache

from pigtail.language import tr

E24 = (1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0,
       3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1)  # fmt: skip


@cache
def decade(series: str) -> tuple[float, ...]:
    """Members of a series in one decade [1, 10); series is "E3", "E6", "E12", "E24", "E48" or "E96".
    Values from 1 to 10, without unit. Raises ValueError for another series.

    >>> decade("E6")
    (1.0, 1.5, 2.2, 3.3, 4.7, 6.8)
    """
    steps = {"E3": 8, "E6": 4, "E12": 2, "E24": 1}
    if series in steps:
        return E24[:: steps[series]]
    if series in ("E48", "E96"):
        count = int(series[1:])
        return tuple(round(10 ** (i / count), 2) for i in range(count))
    raise ValueError(
        tr("{series} is not a preferred series; use E3, E6, E12, E24, E48 or E96", series=series)
    )


@cache
def _run(series: str) -> tuple[float, ...]:
    return tuple(float(f"{m:g}e{e}") for e in range(-13, 10) for m in decade(series))


def members(series: str, low: float, high: float) -> tuple[float, ...]:
    """All members from low to high, both included. In one [unit], whichever."""
    return tuple(v for v in _run(series) if low * (1 - 1e-9) <= v <= high * (1 + 1e-9))


def _place(value: float, series: str) -> int:
    if not (value > 0 and math.isfinite(value)):
        raise ValueError(tr("preferred values are positive numbers, not {value}", value=value))
    run = _run(series)
    above = min(bisect_left(run, value), len(run) - 1)
    below = max(above - 1, 0)
    return below if value / run[below] <= run[above] / value else above


def is_member(value: float, series: str) -> bool:
    """Whether a value is one of a series. In any [unit].

    >>> is_member(4700.0, "E24"), is_member(4750.0, "E24"), is_member(4750.0, "E96")
    (True, False, True)
    """
    return value > 0 and math.isclose(nearest(value, series), value, rel_tol=1e-6)


def nearest(value: float, series: str = "E24") -> float:
    """The member nearest to a value by ratio. In any [unit].

    >>> nearest(3250.0)
    3300.0
    """
    return _run(series)[_place(value, series)]


def step(value: float, series: str = "E24", by: int = 1) -> float:
    """The member `by` places above (or below) a value; an exact member moves by whole places. In any [unit].

    >>> step(4700.0), step(4800.0, by=-1)
    (5100.0, 4700.0)
    """
    run = _run(series)
    place = _place(value, series)
    here = run[place]
    if math.isclose(here, value, rel_tol=1e-9):
        place += by
    elif by > 0:
        place += by - (1 if here > value else 0)
    else:
        place += by + (1 if here < value else 0)
    return run[min(max(place, 0), len(run) - 1)]
