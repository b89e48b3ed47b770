"""Sources in time: SIN, PULSE, PWL and EXP as functions of the time, with the corners a time step must not jump.

Levels, frequencies and time constants may be arrays of samples [S]; times of corners are one for all samples.
Source: the waveforms as the reference simulator's manual defines them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from pigtail.circuit.errors import ParameterError
from pigtail.circuit.netlist import Element

#: A sine is followed by at least so many steps a period, or the crest that a rectifier lives on could be missed.
STEPS_A_PERIOD = 50
#: The shortest rise or fall as a part of a run.
SHORTEST_PART = 1e-12
Number = Any
"""A float, or an array [S]."""


class Wave(msgspec.Struct, frozen=True):
    """A source in time: at(t) its value [V or A]; corner(t) the next corner after t [s], inf when there is none.

    longest is the longest step [s] that cannot jump over what it does; over gives the values at many times at once,
    where that is possible; period after what time its corners come again [s].
    """

    at: Callable[[float], Number]
    corner: Callable[[float], float]
    longest: float = math.inf
    over: Callable[[NDArray[np.float64]], NDArray[np.float64]] | None = None
    period: float = math.inf


def make_wave(element: Element, arguments: Sequence[Number], step: float, stop: float) -> Wave:
    """The waveform of a source from its numbers; step and stop [s] of the run fill what is left out.

    Raises ParameterError for times or a frequency that make no waveform.
    """
    kind = element.waveform.kind if element.waveform else ""
    makers = {"sin": _sine, "pulse": _pulse, "pwl": _pieces, "exp": _exponential}
    return makers[kind](element, list(arguments), step, stop)


def _time(element: Element, value: Number, least: float = 0.0) -> float:
    if np.size(value) > 1 and np.ptp(value) > 0:
        raise ParameterError(
            f"a time of {element.name} cannot differ from sample to sample",
            line=element.line,
            element=element.name,
        )
    time = float(np.ravel(value)[0])
    if not (math.isfinite(time) and time >= least):
        raise ParameterError(
            f"{element.name} has a time of {time:g} s; give one not below {least:g}",
            line=element.line,
            element=element.name,
        )
    return time


def _filled(arguments: list[Number], defaults: Sequence[Number]) -> list[Number]:
    return arguments + list(defaults[len(arguments) :])


def _next_of(times: Sequence[float]) -> Callable[[float], float]:
    ordered = sorted(set(times))
    return lambda t: next((x for x in ordered if x > t * (1 + 1e-12) + 1e-18), math.inf)


def _sine(element: Element, arguments: list[Number], _step: float, stop: float) -> Wave:
    offset, amplitude, hertz, delay, damping, degrees = _filled(arguments, (0, 0, 1 / stop, 0, 0, 0))
    start = _time(element, delay)
    omega, phase = 2 * math.pi * hertz, np.radians(degrees) if np.size(degrees) > 1 else math.radians(degrees)
    plain = all(np.size(x) == 1 for x in (offset, amplitude, hertz, damping, phase))
    sin: Callable[[Any], Any] = math.sin if plain else np.sin
    exp: Callable[[Any], Any] = math.exp if plain else np.exp
    damped = bool(np.any(np.asarray(damping) != 0))

    def at(t: float) -> Number:
        s = max(t - start, 0.0)
        swing = amplitude * sin(omega * s + phase)
        return offset + (swing * exp(-s * damping) if damped else swing)

    fastest = float(np.max(np.abs(hertz)))
    longest = 1 / (STEPS_A_PERIOD * fastest) if fastest > 0 else math.inf

    def over(times: NDArray[np.float64]) -> NDArray[np.float64]:
        s = np.maximum(times - start, 0.0)
        return np.asarray(offset + amplitude * np.sin(omega * s + phase) * np.exp(-s * damping))

    corners = _next_of([start] if start > 0 else [])
    return Wave(at, corners, longest, over if plain else None)


def _pulse(element: Element, arguments: list[Number], step: float, stop: float) -> Wave:
    low, high, *times = _filled(arguments, (0, 0, 0, step, step, stop, stop, 0))
    delay, rise, fall, width, period, count = (_time(element, x) for x in times)
    least = SHORTEST_PART * stop  # what is shorter is a jump to any step of the run
    rise, fall, width, period = (
        max(rise or step, least),
        max(fall or step, least),
        width or stop,
        period or stop,
    )
    corners = (0.0, rise, rise + width, rise + width + fall)

    def part(t: float) -> float:
        s = t - delay
        if s <= 0 or (count and s >= count * period):
            return 0.0
        s = math.fmod(s, period)
        if s < rise:
            return s / rise
        return 1.0 if s <= rise + width else max(0.0, 1.0 - (s - rise - width) / fall)

    def corner(t: float) -> float:
        turn = max(math.floor((t - delay) / period), 0)
        for k in (turn, turn + 1):
            for c in corners:
                at = delay + k * period + c
                if c < period and at > t + 1e-12 * max(abs(t), period):
                    return at
        return math.inf

    return Wave(lambda t: low + (high - low) * part(t), corner, period=period)


def _pieces(element: Element, arguments: list[Number], _step: float, _stop: float) -> Wave:
    times = [_time(element, x) for x in arguments[::2]]
    values = arguments[1::2]
    if any(b <= a for a, b in pairwise(times)):
        raise ParameterError(
            f"the times of {element.name} must rise", line=element.line, element=element.name
        )

    def at(t: float) -> Number:
        if t <= times[0]:
            return values[0]
        if t >= times[-1]:
            return values[-1]
        k = int(np.searchsorted(times, t, side="right")) - 1
        share = (t - times[k]) / (times[k + 1] - times[k])
        return values[k] + (values[k + 1] - values[k]) * share

    return Wave(at, _next_of(times))


def _exponential(element: Element, arguments: list[Number], step: float, _stop: float) -> Wave:
    low, high, rise_at, rise, fall_at, fall = _filled(arguments, (0, 0, 0, step, None, step))
    first = _time(element, rise_at)
    second = first + step if fall_at is None else _time(element, fall_at)
    if np.any(np.asarray(rise) <= 0) or np.any(np.asarray(fall) <= 0):
        raise ParameterError(
            f"the time constants of {element.name} must be above zero",
            line=element.line,
            element=element.name,
        )
    exp: Callable[[Any], Any] = math.exp if np.size(rise) == np.size(fall) == 1 else np.exp

    def at(t: float) -> Number:
        value = low
        if t > first:
            value = value + (high - low) * (1 - exp(-(t - first) / rise))
        if t > second:
            value = value + (low - high) * (1 - exp(-(t - second) / fall))
        return value

    return Wave(at, _next_of([first, second]))
