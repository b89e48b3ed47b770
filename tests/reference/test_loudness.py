"""Loudness against the conformance signals of EBU Tech 3341 (minimum requirements signals 1 to 5; levels and expected
values from memory): stereo sines of 1 kHz in steps, −23 or −33 LUFS within 0.1 LU."""

from __future__ import annotations

import numpy as np
import pytest

from pigtail.studies.loudness import integrated

RATE = 48_000


def steps(*parts: tuple[float, float]) -> np.ndarray:
    """A stereo sine of 1 kHz in steps of (peak level [dBFS], seconds)."""
    pieces = []
    for level, seconds in parts:
        t = np.arange(int(seconds * RATE)) / RATE
        pieces.append(10 ** (level / 20) * np.sin(2 * np.pi * 1000 * t))
    mono = np.concatenate(pieces)
    return np.stack([mono, mono], axis=1)


@pytest.mark.parametrize(
    ("parts", "expected"),
    [
        (((-23.0, 20.0),), -23.0),
        (((-33.0, 20.0),), -33.0),
        (((-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0)), -23.0),
        (((-72.0, 10.0), (-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0), (-72.0, 10.0)), -23.0),
        (((-26.0, 20.0), (-20.0, 20.1), (-26.0, 20.0)), -23.0),
    ],
)
def test_the_conformance_signals_read_what_they_should(
    parts: tuple[tuple[float, float], ...], expected: float
) -> None:
    """Steady, and with both gates at work."""
    assert integrated(steps(*parts), RATE) == pytest.approx(expected, abs=0.1)


@pytest.mark.parametrize("gain", [-20.0, -6.0, 6.0])
def test_a_gain_is_as_many_loudness_units(gain: float) -> None:
    """ITU-R BS.1770: 1 LU is 1 dB, whatever the programme."""
    noise = np.random.default_rng(3).normal(0, 0.05, (10 * RATE, 2))
    apart = integrated(noise * 10 ** (gain / 20), RATE) - integrated(noise, RATE)
    assert apart == pytest.approx(gain, abs=0.02)


@pytest.mark.parametrize("rate", [44_100, 96_000])
def test_the_weighting_holds_at_other_rates(rate: int) -> None:
    """The first signal at another sampling rate."""
    t = np.arange(10 * rate) / rate
    sine = 10 ** (-23 / 20) * np.sin(2 * np.pi * 1000 * t)
    assert integrated(np.stack([sine, sine], axis=1), rate) == pytest.approx(-23.0, abs=0.1)
