"""How people type values: what each form is read as, and what is refused rather than misread."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pigtail.job.quantities import QUANTITIES
from pigtail.units import (
    Basis,
    KnownError,
    Sort,
    UnreadableError,
    Volts,
    parse_gauge,
    parse_known,
    parse_quantity,
)
from pigtail.units.wire import nearest_gauge

ROOT2 = math.sqrt(2)

#: One value: text, unit, value [unit]. Prefixes: SI brochure (9th edition). Letter in place of the point: IEC 60062.
VALUES = [
    ("4k7", "Ω", 4700), ("4K7", "Ω", 4700), ("4,7k", "Ω", 4700), ("4.7k", "Ω", 4700), ("4.7kOhm", "Ω", 4700), ("4.7 kohm", "Ω", 4700),
    ("4700 Ohm", "Ω", 4700), ("4700 ohms", "Ω", 4700), ("4700Ω", "Ω", 4700), ("4700 \u2126", "Ω", 4700), ("4 700", "Ω", 4700),
    ("4\u00a0700 Ω", "Ω", 4700), ("4\u202f700", "Ω", 4700), ("10 000", "Ω", 1e4), ("1 000 000", "Ω", 1e6), ("1meg", "Ω", 1e6), ("1 MEG", "Ω", 1e6),
    ("1Meg", "Ω", 1e6), ("2.2megohm", "Ω", 2.2e6), ("1M", "Ω", 1e6), ("1M5", "Ω", 1.5e6), ("10 kilohm", "Ω", 1e4), ("220E", "Ω", 220), ("220R", "Ω", 220),
    ("220 r", "Ω", 220), ("2R2", "Ω", 2.2), ("R47", "Ω", 0.47), ("0R47", "Ω", 0.47), ("4Ω7", "Ω", 4.7), ("5 mΩ", "Ω", 0.005), ("47 k Ohm", "Ω", 47e3),
    ("1,000", "Ω", 1), ("0,5", "Ω", 0.5), (",5", "Ω", 0.5), (".5", "Ω", 0.5), ("1e3", "Ω", 1000), ("1.5E+3", "Ω", 1500), ("1 234,5", "Ω", 1234.5),
    ("100n", "F", 1e-7), ("100nf", "F", 1e-7), ("100 NF", "F", 1e-7), ("100nF", "F", 1e-7), ("4u7", "F", 4.7e-6), ("4µ7", "F", 4.7e-6),
    ("4\u03bc7", "F", 4.7e-6), ("10 uF", "F", 1e-5), ("10UF", "F", 1e-5), ("470p", "F", 470e-12), ("2n2", "F", 2.2e-9), ("1 F", "F", 1),
    ("4700 microfarad", "F", 4.7e-3), ("0,1 µF", "F", 1e-7),
    ("3V3", "V", 3.3), ("1V65", "V", 1.65), ("250m", "V", 0.25), ("300 mV", "V", 0.3), ("300mv", "V", 0.3), ("5 volts", "V", 5), ("1,65 V", "V", 1.65),
    ("-12", "V", -12), ("\u221212 V", "V", -12), ("+12 V", "V", 12), ("24VDC", "V", 24), ("24 V DC", "V", 24), ("24 Vdc", "V", 24), ("12 VAC", "V", 12),
    ("12 V~".replace("~", " ac"), "V", 12), ("0.3 V rms", "V", 0.3), ("300mVrms", "V", 0.3), ("300 mV RMS", "V", 0.3), ("0.3 Veff", "V", 0.3),
    ("2Vpp", "V", 1 / ROOT2), ("2 Vp-p", "V", 1 / ROOT2), ("2 V pk-pk", "V", 1 / ROOT2), ("2 V peak to peak", "V", 1 / ROOT2), ("2000 mVpp", "V", 1 / ROOT2),
    ("1 Vpk", "V", 1 / ROOT2), ("1 Vp", "V", 1 / ROOT2), ("1 V peak", "V", 1 / ROOT2), ("-10 dBV", "V", 10**-0.5), ("-10dbv", "V", 10**-0.5),
    ("\u221210 dBV", "V", 10**-0.5), ("0 dBV", "V", 1), ("+4 dBu", "V", 1.22765), ("0 dBu", "V", 0.774597), ("4 DBU", "V", 1.22765),
    ("0 dBm into 600 Ω", "V", 0.774597), ("0 dBm 600", "V", 0.774597), ("0 dBm @ 600R", "V", 0.774597), ("0dBm/600", "V", 0.774597),
    ("0 dBm (600 Ω)", "V", 0.774597), ("10 dBm into 50 Ω", "V", 0.707107), ("1.5e-3", "V", 0.0015), ("12 kV", "V", 12e3), ("5 millivolts", "V", 0.005),
    ("45 mA", "A", 0.045), ("45ma", "A", 0.045), ("45 milliamps", "A", 0.045), ("0,045 A", "A", 0.045), ("2A5", "A", 2.5), ("10 µA", "A", 1e-5),
    ("10ua", "A", 1e-5), ("1.5 amps", "A", 1.5), ("100 mA DC", "A", 0.1), ("100 mA rms", "A", 0.1),
    ("1 kHz", "Hz", 1000), ("1khz", "Hz", 1000), ("1k", "Hz", 1000), ("50 hz", "Hz", 50), ("20 kilohertz", "Hz", 2e4), ("2.4 GHz", "Hz", 2.4e9),
    ("1 MHz", "Hz", 1e6), ("250 mHz", "Hz", 0.25), ("44k1", "Hz", 44100), ("1 Mhz", "Hz", 1e6),
    ("30 cm", "m", 0.3), ("30cm", "m", 0.3), ("300 mm", "m", 0.3), ("0.3 m", "m", 0.3), ("0,3", "m", 0.3), ("2 m", "m", 2), ("12 in", "m", 0.3048),
    ("12 inches", "m", 0.3048), ('6"', "m", 0.1524), ("6″", "m", 0.1524), ("1 ft", "m", 0.3048), ("2 feet", "m", 0.6096), ("1'", "m", 0.3048),
    ("1' 6\"", "m", 0.4572), ("1 ft 6 in", "m", 0.4572), ("1.5 ft", "m", 0.4572), ("3 metres", "m", 3),
    ("10 ms", "s", 0.01), ("5 min", "s", 300), ("2 s", "s", 2), ("2 seconds", "s", 2), ("100 µs", "s", 1e-4),
    ("40 °C", "°C", 40), ("40C", "°C", 40), ("40", "°C", 40), ("-5 °C", "°C", -5), ("104 °F", "°C", 40), ("15 K/W", "°C/W", 15), ("15 °C/W", "°C/W", 15),
    ("85 %", "", 0.85), ("0.85", "", 0.85), ("0,85", "", 0.85), ("2000 mAh", "Ah", 2), ("2000mah", "Ah", 2), ("2.6 Ah", "Ah", 2.6),
    ("100 dB", "dB", 100), ("\u22123 dB", "dB", -3), ("100 dB SPL", "dB", 100), ("100 mW", "W", 0.1), ("2 watts", "W", 2), ("0W5", "W", 0.5),
]  # fmt: skip

#: Values with a spread: text, unit, low, nominal, high [unit].
SPREADS = [
    ("24 V", "V", 24, 24, 24), ("24 V ±5 %", "V", 22.8, 24, 25.2), ("24 V ±5%", "V", 22.8, 24, 25.2), ("24 ±0.5 V", "V", 23.5, 24, 24.5),
    ("24 V +-5 %", "V", 22.8, 24, 25.2), ("24 V +/-5 %", "V", 22.8, 24, 25.2), ("22.8-25.2 V", "V", 22.8, 24, 25.2), ("22.8\u201325.2 V", "V", 22.8, 24, 25.2),
    ("22.8 - 25.2V", "V", 22.8, 24, 25.2), ("22.8…25.2", "V", 22.8, 24, 25.2), ("22.8..25.2 V", "V", 22.8, 24, 25.2), ("22.8...25.2 V", "V", 22.8, 24, 25.2),
    ("22,8 .. 25,2 V", "V", 22.8, 24, 25.2), ("22.8 to 25.2 V", "V", 22.8, 24, 25.2), ("4.75 .. 5 .. 5.25 V", "V", 4.75, 5, 5.25), ("-3--1 V", "V", -3, -2, -1),
    ("-3..-1 V", "V", -3, -2, -1), ("47k 10%", "Ω", 42.3e3, 47e3, 51.7e3), ("47k 10 %", "Ω", 42.3e3, 47e3, 51.7e3), ("47k±10%", "Ω", 42.3e3, 47e3, 51.7e3),
    ("10-20k", "Ω", 1e4, 15e3, 2e4), ("4k7-5k6", "Ω", 4700, 5150, 5600), ("10 000 ±5 %", "Ω", 9500, 1e4, 10500), ("1e-3..2e-3", "V", 1e-3, 1.5e-3, 2e-3),
    ("24 V +5 % \u221210 %", "V", 21.6, 24, 25.2), ("24 V +5 % -10 %", "V", 21.6, 24, 25.2), ("24 V -10 % +5 %", "V", 21.6, 24, 25.2),
    ("24V +5/-10%", "V", 21.6, 24, 25.2), ("24 V +0.5/-1 V", "V", 23, 24, 24.5), ("24 V +0.5 V \u22121 V", "V", 23, 24, 24.5),
    ("-10 dBV ±2 dB", "V", 10**-0.6, 10**-0.5, 10**-0.4), ("-10 dBV ±2", "V", 10**-0.6, 10**-0.5, 10**-0.4), ("-10 dBV ±10 %", "V", 0.284605, 0.316228, 0.347851),
    ("-12..-8 dBV", "V", 10**-0.6, (10**-0.6 + 10**-0.4) / 2, 10**-0.4), (">10k", "Ω", 1e4, 1e4, 1e5), ("> 10 kΩ", "Ω", 1e4, 1e4, 1e5), ("≥10k", "Ω", 1e4, 1e4, 1e5),
    ("at least 10k", "Ω", 1e4, 1e4, 1e5), ("min 10k", "Ω", 1e4, 1e4, 1e5), ("10k min", "Ω", 1e4, 1e4, 1e5), ("max 100 mA", "A", 0.01, 0.1, 0.1),
    ("max. 100 mA", "A", 0.01, 0.1, 0.1), ("100 mA max", "A", 0.01, 0.1, 0.1), ("<100 mA", "A", 0.01, 0.1, 0.1), ("up to 100 mA", "A", 0.01, 0.1, 0.1),
    ("30 cm ±5 cm", "m", 0.25, 0.3, 0.35), ("12 ±1 in", "m", 0.2794, 0.3048, 0.3302), ("0 V +-10 mV", "V", -0.01, 0, 0.01), ("-5 V ±10 %", "V", -5.5, -5, -4.5),
    ("5 min", "s", 300, 300, 300),
]  # fmt: skip

#: What is refused: text and unit.
REFUSED = [
    ("", "V"), ("abc", "V"), ("4k7", "°C"), ("5 A", "V"), ("1e400", "Ω"), ("4kk", "Ω"), ("9" * 80, "Ω"), ("nan", "V"), ("inf", "Ω"), ("=1+1", "V"),
    ("4 dB", "V"), ("1e999 dBV", "V"), ("0 dBm", "V"), ("-10 dBv", "V"), ("12 dBFS", "V"), ("1,000,000", "Ω"), ("1.000.000", "Ω"), ("1.000,5", "Ω"),
    ("1,000.5", "Ω"), ("10'000", "Ω"), ("4E7", "Ω"), ("45MA", "A"), ("100MF", "F"), ("100 f", "F"), ("10 mhz", "Hz"), ("5 m", "s"), ("1m5", "m"),
    ("3 km", "m"), ("300 K", "°C"), ("1 2 3", "Ω"), ("10 00", "Ω"), ("--5", "V"), ("5-", "V"), ("1/2", "V"), ("10k//47k", "Ω"), ("about 5 V", "V"), ("~5", "V"),
    ("5..4 V", "V"), ("1..2..3..4 V", "V"), ("1 .. 9 .. 3 V", "V"), ("5 ± V", "V"), ("5 ±-1 V", "V"), ("24 V +5 +10 %", "V"), ("900-1k", "Ω"),
    ("> 10k ±5 %", "Ω"), ("max min 3", "V"), ("> -5 V", "V"), ("4V7k", "V"), ("2 V pp pk", "V"), ("twelve", "V"), ("0x10", "Ω"), ("1_000", "Ω"), ("½", "V"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "unit", "value"), VALUES)
def test_a_typed_value_is_read(text: str, unit: str, value: float) -> None:
    """Every usual way to write a value gives it."""
    assert parse_quantity(text, unit) == pytest.approx(value, rel=1e-5)


@pytest.mark.parametrize(("text", "unit", "low", "nominal", "high"), SPREADS)
def test_a_typed_spread_is_read(text: str, unit: str, low: float, nominal: float, high: float) -> None:
    """Every usual way to write a spread gives its ends."""
    known = parse_known(text, unit, Basis.DOCUMENTED)
    assert (known.low, known.nominal, known.high) == pytest.approx((low, nominal, high), rel=1e-5)


@pytest.mark.parametrize(("text", "unit"), REFUSED)
def test_what_could_be_misread_is_refused_with_the_way_out(text: str, unit: str) -> None:
    """The refusal is one sentence with a form that can be read; where it gives the nearest form, that form is read."""
    with pytest.raises((UnreadableError, KnownError)) as trouble:
        parse_known(text, unit, Basis.DOCUMENTED)
    assert "\n" not in str(trouble.value)
    if isinstance(trouble.value, UnreadableError):
        assert "; write " in str(trouble.value)
        for nearest in trouble.value.nearest.split(" or "):
            if nearest and "…" not in nearest:
                parse_known(nearest.partition(" (")[0], unit, Basis.DOCUMENTED)


def test_there_are_as_many_forms_as_were_promised() -> None:
    """Two hundred forms that are read, half a hundred that are refused."""
    assert len(VALUES) + len(SPREADS) >= 200
    assert len(REFUSED) >= 50
    assert len(set(VALUES)) == len(VALUES)


@pytest.mark.parametrize(
    ("text", "volts", "value"),
    [
        ("2 Vpp", Volts.RMS, 1 / ROOT2), ("1 Vpk", Volts.RMS, 1 / ROOT2), ("1 Vpp", Volts.PEAK_TO_PEAK, 1), ("0.5 Vpk", Volts.PEAK_TO_PEAK, 1),
        ("1 V", Volts.PEAK_TO_PEAK, 1), ("1 Vrms", Volts.PEAK_TO_PEAK, 2 * ROOT2), ("0 dBV", Volts.PEAK_TO_PEAK, 2 * ROOT2), ("24 VDC", Volts.DC, 24),
        ("12 VAC", Volts.RMS, 12),
    ],
)  # fmt: skip
def test_volts_are_counted_as_they_are_asked_for(text: str, volts: Volts, value: float) -> None:
    """A peak is told as r.m.s. of a sine, or as peak to peak where video is."""
    assert parse_quantity(text, "V", volts) == pytest.approx(value)


@pytest.mark.parametrize(
    ("text", "volts"),
    [
        ("2 Vpp", Volts.DC),
        ("12 VAC", Volts.DC),
        ("-10 dBV", Volts.DC),
        ("24 VDC", Volts.RMS),
        ("1 V rms", Volts.DC),
    ],
)
def test_volts_of_the_other_kind_are_refused(text: str, volts: Volts) -> None:
    """A level in decibels is no rail voltage, and 24 V DC no level."""
    with pytest.raises(UnreadableError):
        parse_quantity(text, "V", volts)


def test_how_an_odd_value_was_given_stays_with_it() -> None:
    """The source says what was typed where the value shown is another."""
    assert parse_known("2 Vpp", "V", Basis.DOCUMENTED, "typed").source == "typed, given as 2 Vpp"
    assert parse_known(">10k", "Ω", Basis.DOCUMENTED).source == "given as >10k"
    assert parse_known("10k", "Ω", Basis.DOCUMENTED, "typed").source == "typed"


def test_a_limit_stays_what_it_is_and_an_offset_may_lie_on_either_side() -> None:
    """“max 5.5 V” for a highest supply is 5.5 V; for an offset “max 10 mV” is both sides of nought."""
    limit = parse_known("max 5.5 V", "V", Basis.DOCUMENTED, sort=Sort(limit=True))
    assert (limit.low, limit.high) == (5.5, 5.5)
    offset = parse_known("max 10 mV", "V", Basis.DOCUMENTED, sort=Sort(signed=True))
    assert (offset.low, offset.nominal, offset.high) == (-0.01, 0.0, 0.01)
    with pytest.raises(UnreadableError):
        parse_known(">10 mV", "V", Basis.DOCUMENTED, sort=Sort(signed=True))


def test_each_quantity_knows_how_its_volts_are_counted() -> None:
    """Levels alternate, rails and biases are steady, video is told peak to peak."""
    from pigtail.job.document import AudioIn, AudioOut, Rail, SupplyIn, Video

    counted = {(kind, q.field): q.sort.volts for kind, found in QUANTITIES.items() for q in found}
    assert counted[AudioOut, "emf"] is counted[AudioIn, "wanted"] is Volts.RMS
    assert counted[AudioOut, "bias"] is counted[Rail, "voltage"] is counted[SupplyIn, "maximum"] is Volts.DC
    assert counted[Video, "level"] is Volts.PEAK_TO_PEAK
    assert counted[AudioOut, "impedance"] is Volts.ANY


@pytest.mark.parametrize(
    ("text", "gauge"),
    [
        ("24", 24),
        ("AWG 24", 24),
        ("24 AWG", 24),
        ("#22", 22),
        ("0.22 mm²", 24),
        ("0,5 mm2", 20),
        ("0.14 qmm", 26),
    ],
)
def test_a_wire_is_told_by_gauge_or_cross_section(text: str, gauge: int) -> None:
    """ASTM B258: AWG 24 has 0.205 mm², AWG 20 has 0.518 mm², AWG 26 has 0.129 mm²."""
    assert nearest_gauge(parse_gauge(text)) == gauge


@pytest.mark.parametrize("text", ["", "thick", "0 mm²", "-3", "0.22 m"])
def test_what_is_no_wire_is_refused(text: str) -> None:
    """One sentence with a form that can be read."""
    with pytest.raises(UnreadableError, match="write"):
        parse_gauge(text)


@given(st.text(max_size=20), st.sampled_from(["Ω", "V", "A", "F", "Hz", "m", "s", "°C", "", "dB", "Ah", "W"]))
def test_any_text_is_a_finite_value_or_refused(text: str, unit: str) -> None:
    """Nothing else ever comes of a text."""
    try:
        known = parse_known(text, unit, Basis.DOCUMENTED)
    except (UnreadableError, KnownError):
        return
    assert math.isfinite(known.low)
    assert known.low <= known.nominal <= known.high


@given(st.floats(1e-6, 1e6), st.sampled_from(["Ω", "V", "A", "Hz"]), st.sampled_from([".", ","]))
def test_point_and_comma_are_the_same(value: float, unit: str, point: str) -> None:
    """A decimal comma never parts thousands."""
    assert parse_quantity(f"{value:.3f}".replace(".", point), unit) == pytest.approx(float(f"{value:.3f}"))
