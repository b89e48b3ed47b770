"""Engineering text in and out."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pigtail.units import (
    Basis,
    Known,
    KnownError,
    UnreadableError,
    format_known,
    format_quantity,
    format_spread,
    marking,
    parse_known,
    parse_quantity,
)


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("4k7", "Ω", 4700.0), ("2R2", "Ω", 2.2), ("47k", "Ω", 47e3), ("1M", "Ω", 1e6), ("10 kohm", "Ω", 1e4),
        ("220", "Ω", 220.0), ("100n", "F", 1e-7), ("10u", "F", 1e-5), ("10 µF", "F", 1e-5), ("4u7", "F", 4.7e-6),
        ("1.65 V", "V", 1.65), ("250m", "V", 0.25), ("-12", "V", -12.0), ("−3.5 V", "V", -3.5), ("45 mA", "A", 0.045),
        ("30 cm", "m", 0.3), ("60mm", "m", 0.06), ("2 m", "m", 2.0), ("85 %", "", 0.85), ("40 °C", "°C", 40.0),
        ("1e3", "Ω", 1000.0),
    ],
)  # fmt: skip
def test_text_is_read_as_its_value(text: str, unit: str, value: float) -> None:
    """Prefixes, letters in place of the point and unit tails give exact SI values."""
    assert parse_quantity(text, unit) == value


@pytest.mark.parametrize(
    ("text", "volts"), [("-10 dBV", 0.31623), ("0 dBV", 1.0), ("+4 dBu", 1.2277), ("0 dBu", 0.7746)]
)
def test_levels_become_volts(text: str, volts: float) -> None:
    """dBV and dBu are levels of rms volts."""
    assert parse_quantity(text, "V") == pytest.approx(volts, rel=1e-4)


@pytest.mark.parametrize(
    ("text", "unit"),
    [("", "V"), ("abc", "V"), ("4k7", "°C"), ("5 A", "V"), ("1e400", "Ω"), ("4kk", "Ω"), ("9" * 80, "Ω"),
     ("nan", "V"), ("inf", "Ω"), ("4 dB", "V"), ("1e999 dBV", "V"), ("=1+1", "V")],
)  # fmt: skip
def test_other_text_is_refused_in_one_sentence(text: str, unit: str) -> None:
    """The refusal names the text and shows how to write it."""
    with pytest.raises(UnreadableError) as trouble:
        parse_quantity(text, unit)
    assert "\n" not in str(trouble.value)
    assert "write" in str(trouble.value)


@pytest.mark.parametrize(
    ("text", "low", "nominal", "high"),
    [
        ("24 V ±5 %", 22.8, 24.0, 25.2), ("24 ±0.5 V", 23.5, 24.0, 24.5), ("22.8..25.2 V", 22.8, 24.0, 25.2),
        ("4.75 .. 5 .. 5.25 V", 4.75, 5.0, 5.25), ("5", 5.0, 5.0, 5.0), ("0 V +-10 mV", -0.01, 0.0, 0.01),
        ("-3..-1 V", -3.0, -2.0, -1.0),
    ],
)  # fmt: skip
def test_spreads_are_read(text: str, low: float, nominal: float, high: float) -> None:
    """Tolerances and ranges give low, nominal and high."""
    known = parse_known(text, "V", Basis.DOCUMENTED)
    assert (known.low, known.nominal, known.high) == pytest.approx((low, nominal, high))


@pytest.mark.parametrize("text", ["5..4 V", "1..2..3..4 V", "1 .. 9 .. 3 V", "5 ± V", "5 ±-1 V"])
def test_spreads_that_make_no_sense_are_refused(text: str) -> None:
    """A range the wrong way round or with too many ends is refused."""
    with pytest.raises((UnreadableError, KnownError)):
        parse_known(text, "V", Basis.DOCUMENTED)


@given(st.floats(1e-9, 1e8), st.sampled_from([0.0, 0.01, 0.05, 0.1, 0.2]))
def test_a_known_typed_again_is_the_same(nominal: float, tolerance: float) -> None:
    """What the table shows can be typed back, to the four figures shown."""
    known = Known.of(nominal, "Ω", Basis.TYPICAL, tolerance=tolerance)
    again = parse_known(format_known(known), "Ω", Basis.TYPICAL)
    assert again.nominal == pytest.approx(known.nominal, rel=1e-3)
    assert again.spread == pytest.approx(known.spread, rel=2e-2, abs=known.nominal * 2e-3)


@pytest.mark.parametrize(
    ("value", "unit", "text"),
    [(4700, "Ω", "4.7 kΩ"), (0.06, "Ω", "60 mΩ"), (999.6, "V", "1 kV"), (0, "V", "0 V"), (-0.00123, "V", "−1.23 mV"),
     (-11.83, "dB", "−11.8 dB"), (-0.02, "dB", "0.0 dB"), (math.inf, "Hz", "∞ Hz"), (193.4, "°C", "193 °C"),
     (1e7, "Ω", "10 MΩ"), (2.2e-6, "F", "2.2 µF")],
)  # fmt: skip
def test_values_are_shown_in_three_figures(value: float, unit: str, text: str) -> None:
    """Three figures with the prefix that suits, a true minus sign, no minus nought."""
    assert format_quantity(value, unit) == text


def test_a_spread_is_shown_only_where_there_is_one() -> None:
    """A value without spread stands alone."""
    assert format_spread(1.0, 1.0, 1.0, "V") == "1 V"
    assert format_spread(1.0, 0.9, 1.1, "V") == "1 V (900 mV … 1.1 V)"


@pytest.mark.parametrize("numbers", [(1.0, 2.0, 3.0), (1.0, 0.0, math.nan), (math.inf, 0.0, math.inf)])
def test_a_known_must_hold_its_own_value(numbers: tuple[float, float, float]) -> None:
    """A spread beside its value, or one that is not finite, is refused."""
    nominal, low, high = numbers
    with pytest.raises(KnownError):
        Known(nominal=nominal, low=low, high=high, unit="V", basis=Basis.GUESSED)


@pytest.mark.parametrize(
    ("value", "unit", "text"),
    [
        (4700.0, "Ω", "4k7"),
        (100.0, "Ω", "100R"),
        (1e6, "Ω", "1M"),
        (1.5e6, "Ω", "1M5"),
        (10e-6, "F", "10u"),
        (4.7e-6, "F", "4u7"),
        (100e-9, "F", "100n"),
        (0.47, "Ω", "R47"),
        (999.0, "Ω", "999R"),
        (1e3, "Ω", "1k"),
    ],
)
def test_parts_are_marked_with_the_letter_in_place_of_the_point(value: float, unit: str, text: str) -> None:
    """IEC 60062, as far as a parts list needs it; what is marked reads back to its value."""
    assert marking(value, unit) == text
    assert parse_quantity(text.replace("R", "") if text.endswith("R") else text, unit) == pytest.approx(value)
