"""What a host of these values would show where it was read, and what of the log it does not explain.

A reading that is absorbed as a value of the job is explained by it. What is left, such as a tone that arrives from the other side, is not:
no value of these papers makes it. A reading fits while it lies within what the spreads of the values allow, moved one by one and added up,
with the meter's own spread and a part for what no model holds.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from pigtail.job.ask import Ask
from pigtail.job.document import (
    AudioIn,
    AudioOut,
    Control,
    Digital,
    Function,
    Job,
    Pin,
    Rail,
    Reading,
    Return,
    Video,
)
from pigtail.job.log import log_of
from pigtail.job.meters import meter
from pigtail.job.readings import plain, stands_at
from pigtail.job.tone import tone_of
from pigtail.job.wiring import return_address, twin
from pigtail.model.probed import Probed, touch_of
from pigtail.model.subjects import SubjectKind

Array = NDArray[np.float64]
VOLTS = (Function.DC_VOLTS, Function.AC_VOLTS)
#: A tone that is played below full scale may be anything from this part of what is usual to full scale [1].
SOFTEST = 0.003
#: How far a generator may be from what was asked of it: the reading straight from it tells [1].
SET = (0.2, 5.0)
#: What no model holds: a part of what is expected, and so many volts [V] or ohms [Ω].
MODEL_PART, FLOOR = 0.1, {Function.DC_VOLTS: 0.02, Function.AC_VOLTS: 0.02, Function.RESISTANCE: 1.0}
#: Less AC on a rail than this part of its volts is ripple and the noise of a converter, which no model of it holds.
RIPPLE_PART = 0.1


class Told(msgspec.Struct, frozen=True):
    """A reading and what a model says of it: the value expected and its ends, the meter's spread not in them [unit of its function]."""

    reading: Reading
    value: float
    low: float
    high: float

    @property
    def off(self) -> float:
        """How far the reading lies outside, in spreads of what is known no better [1]; nought within."""
        read = self.reading.value
        outside = max(self.low - read.nominal, read.nominal - self.high, 0.0)
        return outside / spread_of(self.reading, self.value)


def spread_of(reading: Reading, value: float) -> float:
    """How closely a reading and a value can be compared at all [unit of the function]."""
    read = reading.value
    return (read.high - read.low) / 2 + blur(reading.function, value, read.nominal)


def blur(function: Function, one: float, other: float) -> float:
    """What no model holds of two values that are compared [unit of the function]."""
    return MODEL_PART * max(abs(one), abs(other)) + FLOOR[function]


def comparable(job: Job, reading: Reading) -> bool:
    """Whether a model has anything to say of a reading: volts while the host has power, between points that are known and are no digital
    lines; ohms between two grounds or the two sides of a pair."""
    ends = [job.terminal(a) for a in (reading.point, reading.against)]
    if any(e is None or isinstance(e, Pin | Digital | Video) for e in ends):
        return False  # what lies outside of the host is a pin too
    if reading.function is Function.RESISTANCE:
        return all(isinstance(e, Return) for e in ends) or twin(job, reading.point) == reading.against
    if isinstance(ends[0], Rail) and reading.function is Function.AC_VOLTS:
        stands = stands_at(job, reading.point)
        return stands is None or reading.value.nominal > RIPPLE_PART * abs(stands.nominal)
    tone = tone_of(reading.drive)
    if (
        reading.function is Function.AC_VOLTS
        and tone is not None
        and tone.hertz > meter(reading.instrument).flat_hz
    ):
        return False
    return reading.function in VOLTS and (reading.state != job.off_state() or reading.current is not None)


def telling(job: Job, reading: Reading) -> bool:
    """Whether a reading that no value explains is odd by itself: a DC that a signal point or line has in one state only is none, since
    such a point has one value of it for all states."""
    audio = isinstance(job.terminal(reading.point), AudioIn | AudioOut | Control)
    return not (audio and reading.function is Function.DC_VOLTS)


def standing_of(job: Job, points: Iterable[str] | None = None) -> tuple[Reading, ...]:
    """The readings that count, the latest of each kind, of some points or of all, that a model can be held against."""
    chosen = None if points is None else set(points)
    latest: dict[tuple[object, ...], Reading] = {}
    for r in job.readings:
        if r.struck or (chosen is not None and not {r.point, r.against} & chosen) or not comparable(job, r):
            continue
        latest[r.point, r.against, r.state, r.function, r.drive, r.load is None, r.series is None] = r
    return tuple(latest.values())


def shown(probed: Probed, readings: Sequence[Reading | Ask], moves: Sequence[dict[str, float]] = ()) -> Array:
    """What a host would show at each of some readings, with inputs of its netlist moved for each. Array [readings]."""
    spots = [touch_of(r) for r in readings]
    found = np.zeros(len(readings))
    for function, solve in (
        (Function.DC_VOLTS, probed.dc),
        (Function.AC_VOLTS, probed.ac),
        (Function.RESISTANCE, None),
    ):
        here = [k for k, r in enumerate(readings) if r.function is function]
        if not here:
            continue
        moved = [moves[k] for k in here] if moves else [{} for _ in here]
        kind = meter(getattr(readings[here[0]], "instrument", "") or probed.job.meter)
        chosen = [spots[k] for k in here]
        values = solve(chosen, kind, moved) if solve is not None else probed.ohms(chosen, moved)
        found[here] = values
    return found


def _calibrated(job: Job, reading: Reading) -> Reading:
    """A reading through a resistor, with the generator at what was read straight from it, at the point or at its twin."""
    tone = tone_of(reading.drive)
    if reading.series is None or tone is None or tone.volts is None:
        return reading
    straight = [
        r
        for address in (twin(job, reading.point), reading.point)
        for r in log_of(job).at(address, reading.function)
        if (r.state, r.drive) == (reading.state, reading.drive) and plain(r)
    ]
    if not straight:
        return reading
    return msgspec.structs.replace(
        reading, drive=msgspec.structs.replace(tone, volts=straight[-1].value.nominal).text()
    )


def told(probed: Probed, readings: Sequence[Reading]) -> tuple[Told, ...]:
    """What a host says of readings, over the spreads of the values that lie about each."""
    rows: list[tuple[int, Reading, dict[str, float]]] = []
    for at, given in enumerate(readings):
        reading = _calibrated(probed.job, given)
        rows.append((at, reading, {}))
        rows += [(at, reading, {name: value}) for name, value in _moves(probed, reading)]
        rows += [(at, softer, {}) for softer in (_levels(reading) if reading is given else ())]
    values = shown(probed, [r for _, r, _ in rows], [m for _, _, m in rows])
    nominal: dict[int, float] = {}
    down, up = np.zeros(len(readings)), np.zeros(len(readings))
    for (at, _, _), value in zip(rows, values, strict=True):
        base = nominal.setdefault(at, float(value))
        down[at] += min(float(value) - base, 0.0)
        up[at] += max(float(value) - base, 0.0)
    for at, reading in enumerate(readings):
        if _softly(reading):
            down[at] = min(down[at], (SOFTEST - 1) * nominal[at])
        if reading.function is Function.RESISTANCE and twin(probed.job, reading.point) == reading.against:
            up[at] = math.inf  # a capacitor lies in many a way: only less than there should be tells
    return tuple(
        Told(r, nominal[k], nominal[k] + down[k], nominal[k] + up[k]) for k, r in enumerate(readings)
    )


def _softly(reading: Reading) -> bool:
    """Whether the host played while it was read, and nobody knows how loud."""
    tone = tone_of(reading.drive)
    return tone is not None and tone.volts is None and not tone.full


def _moves(probed: Probed, reading: Reading) -> list[tuple[str, float]]:
    """Each value about a reading at each of its two ends: of both points, of the twin, of what lies between the grounds."""
    points = {reading.point, reading.against, twin(probed.job, reading.point)}
    points |= {return_address(probed.job, a) for a in tuple(points) if a}
    found = []
    for item in probed.net.inputs:
        about = item.subject.kind is SubjectKind.PATH or item.subject.owner in points
        low, nominal, high = item.ends
        if item.in_deck and about:
            found += [(item.name, end) for end in (low, high) if end != nominal]
    return found


def _levels(reading: Reading) -> list[Reading]:
    """The same reading with what was played at the ends of what it may have been."""
    tone = tone_of(reading.drive)
    if tone is None or tone.full:
        return []
    if tone.volts is not None:
        return [
            msgspec.structs.replace(reading, drive=msgspec.structs.replace(tone, volts=tone.volts * f).text())
            for f in SET
        ]
    return [msgspec.structs.replace(reading, drive=msgspec.structs.replace(tone, full=True).text())]
