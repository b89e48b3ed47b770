"""Values as text: `4.7 kΩ`, `−11.8 dB`, `24 V ±5 %`. What people type is read by `entry`.

Marking with the letter in place of the point follows IEC 60062.
"""

from __future__ import annotations

import math

from pigtail.units.known import Known
from pigtail.units.store import remembered

#: Units that take no prefix, and no more figures than anyone believes.
WHOLE = ("h", "°")


@remembered(1024)
def format_quantity(value: float, unit: str, digits: int = 3) -> str:
    """Short text of a value: three figures and a prefix, `4.70 kΩ`, `−11.8 dB`, `63 °C`.
    The value in the [unit] without prefix.

    >>> format_quantity(0.257, "V"), format_quantity(-11.83, "dB")
    ('257 mV', '−11.8 dB')
    """
    if math.isnan(value):
        return "not known"
    if math.isinf(value):
        return f"{'−' if value < 0 else ''}∞ {unit}".strip()
    if unit in ("dB", "dBV"):
        return f"{value:.1f} {unit}".replace("-", "−").replace("−0.0 ", "0.0 ")
    if unit in ("°C", "°C/W"):
        return f"{value:.0f} {unit}".replace("-", "−")
    if unit == "":
        return f"{value:.{digits}g}".replace("-", "−")
    if unit in WHOLE:
        return f"{value:,.0f} {unit}" if abs(value) >= 100 else f"{value:.2g} {unit}"
    if abs(value) < 1e-13:
        return f"0 {unit}"
    exponent = min(max(math.floor(math.log10(abs(value)) / 3 + 1e-12), -5), 3)
    if unit == "F":
        exponent = min(exponent, -2)  # the trade counts large capacitors in microfarads
    scaled = float(f"{value / 10 ** (3 * exponent):.{digits}g}")
    if abs(scaled) >= 1000 and exponent < 3 and unit != "F":
        exponent, scaled = exponent + 1, scaled / 1000
    prefix = ("f", "p", "n", "µ", "m", "", "k", "M", "G")[exponent + 5]
    decimals = max(0, digits - 1 - math.floor(math.log10(abs(scaled)) + 1e-12)) if scaled else 0
    shown = f"{scaled:.{decimals}f}"
    if "." in shown:
        shown = shown.rstrip("0").rstrip(".")
    return f"{shown} {prefix}{unit}".replace("-", "−")


def marking(value: float, unit: str) -> str:
    """A part's value as it is marked, the letter in place of the point (IEC 60062); resistors below 1 kΩ with R.
    The value in [Ω] or [F].

    >>> marking(4700, "Ω"), marking(82e3, "Ω"), marking(330, "Ω"), marking(0.47, "Ω"), marking(4.7e-7, "F")
    ('4k7', '82k', '330R', 'R47', '470n')
    """
    if not value > 0:
        return format_quantity(value, unit)
    if unit == "Ω" and value < 1:
        return f"R{value:.3g}".replace("0.", "")
    exponent = 3 * math.floor(math.log10(value) / 3 + 1e-9)
    letter = {-12: "p", -9: "n", -6: "u", -3: "m", 0: "R", 3: "k", 6: "M", 9: "G"}.get(exponent, "")
    number = f"{value / 10.0**exponent:.3g}"
    return number.replace(".", letter) if "." in number else number + letter


def format_spread(nominal: float, low: float, high: float, unit: str) -> str:
    """Value with its spread, `257 mV (240 mV … 275 mV)`; the value alone when there is no spread.

    All in the [unit] without prefix.
    """
    text = format_quantity(nominal, unit)
    if math.isclose(low, high, rel_tol=1e-6, abs_tol=1e-15):
        return text
    return f"{text} ({format_quantity(low, unit)} … {format_quantity(high, unit)})"


def format_known(known: Known) -> str:
    """Value with its spread as it can be typed again: `24 V ±5 %` or `22.8 .. 24 .. 25.2 V`."""
    text = format_quantity(known.nominal, known.unit, digits=4)
    if known.spread <= 0:
        return text
    down, up = known.nominal - known.low, known.high - known.nominal
    if math.isclose(down, up, rel_tol=1e-3):
        percent = 100 * up / abs(known.nominal) if known.nominal else math.inf
        if percent <= 50 and math.isclose(percent, round(percent, 1), rel_tol=1e-6):
            return f"{text} ±{percent:.3g} %"
        return f"{text} ±{format_quantity(up, known.unit)}"
    ends = [format_quantity(v, known.unit, digits=4) for v in (known.low, known.nominal, known.high)]
    return " .. ".join(ends)
