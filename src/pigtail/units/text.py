"""Engineering text in and out: `4k7`, `100n`, `-10 dBV`, `24 V ±5 %`, `22.8..25.2 V`.

Marking with the letter in place of the point follows IEC 60062.
"""

from __future__ import annotations

import math
import re

from pigtail.units.decibels import from_dbu, from_dbv
from pigtail.units.known import Basis, Known
from pigtail.units.store import remembered

#: Decimal exponent of each prefix. Scaling divides by whole powers, so that 10u is the float 1e-05.
PREFIXES = {"p": -12, "n": -9, "u": -6, "µ": -6, "μ": -6, "m": -3, "R": 0,
            "k": 3, "K": 3, "M": 6, "G": 9}  # fmt: skip
UNIT_NAMES = {
    "Ω": ("Ω", "Ω", "ohm", "ohms", "R"),
    "V": ("V", "Vdc", "Vrms", "volt", "volts"),
    "A": ("A", "amp", "amps"),
    "F": ("F",),
    "Hz": ("Hz", "hz"),
    "W": ("W",),
    "s": ("s",),
    "m": ("m",),
    "°C": ("°C", "C"),
    "°C/W": ("°C/W", "C/W", "K/W"),
    "dB": ("dB",),
    "": ("",),
}
#: Units that take no prefix, and no more figures than anyone believes.
WHOLE = ("h", "°")
UNPREFIXED = ("°C", "°C/W", "dB", "")
MAX_LENGTH = 60
_NUMBER = re.compile(r"([+-]?)(\d+(?:[.]\d*)?(?:[eE][+-]?\d{1,2})?|[.]\d+)\s*(.*)", re.DOTALL)
_LETTERED = re.compile(r"([+-]?)(\d+|(?=R))([pnuµμmRkKMG])(\d+)\s*(.*)", re.DOTALL)


class UnreadableError(ValueError):
    """Text that is no engineering value; carries the text and the unit that was asked for."""

    def __init__(self, text: str, unit: str) -> None:
        shown = text if len(text) <= MAX_LENGTH else text[:MAX_LENGTH] + "…"
        example = {"V": "1.65 V, 250m or -10 dBV", "Ω": "4k7 or 220", "F": "100n", "A": "45 mA",
                   "m": "0.3 m or 30cm", "": "0.85"}.get(unit, f"10 {unit}")  # fmt: skip
        super().__init__(
            f"“{shown}” cannot be read as a value{f' in {unit}' if unit else ''}; write {example}"
        )
        self.text, self.unit = text, unit


def _scaled(number: float, exponent: int) -> float:
    return number * 10.0**exponent if exponent >= 0 else number / 10.0**-exponent


def _tail_exponent(tail: str, unit: str) -> int | None:
    """Decimal exponent of what follows the number, or None when it does not fit the unit."""
    names = UNIT_NAMES.get(unit, (unit,))
    if unit == "m" and tail in ("mm", "cm"):
        return {"mm": -3, "cm": -2}[tail]
    if unit == "" and tail == "%":
        return -2
    if tail == "" or tail in names:
        return 0
    if unit in UNPREFIXED:
        return None
    for prefix, exponent in PREFIXES.items():
        if tail.startswith(prefix) and tail[len(prefix) :].strip() in ("", *names):
            return exponent
    return None


def parse_quantity(text: str, unit: str) -> float:
    """Value in SI base units of engineering text; `unit` is what is expected: "Ω", "V", "F" ….
    In the [unit] without prefix.

    Volts may be given as dBV or dBu. Raises UnreadableError.

    >>> parse_quantity("4k7", "Ω"), parse_quantity("-10 dBV", "V") > 0.316
    (4700.0, True)
    """
    stripped = text.strip().replace("−", "-").replace(" ", " ")
    if not stripped or len(stripped) > MAX_LENGTH:
        raise UnreadableError(text, unit)
    lettered = _LETTERED.fullmatch(stripped)
    if lettered and unit not in UNPREFIXED:
        sign, whole, prefix, rest, tail = lettered.groups()
        if tail in ("", *UNIT_NAMES.get(unit, (unit,))):
            return _finite(_scaled(float(f"{sign}{whole}.{rest}"), PREFIXES[prefix]), text, unit)
        raise UnreadableError(text, unit)
    plain = _NUMBER.fullmatch(stripped)
    if not plain:
        raise UnreadableError(text, unit)
    number, tail = float(plain[1] + plain[2]), plain[3].strip()
    if unit == "V" and tail.lower() in ("dbv", "dbu"):
        if not -300 <= number <= 300:
            raise UnreadableError(text, unit)
        return from_dbv(number) if tail.lower() == "dbv" else from_dbu(number)
    exponent = _tail_exponent(tail, unit)
    if exponent is None:
        raise UnreadableError(text, unit)
    return _finite(_scaled(number, exponent), text, unit)


def _finite(value: float, text: str, unit: str) -> float:
    if not math.isfinite(value):
        raise UnreadableError(text, unit)
    return value


def parse_known(text: str, unit: str, basis: Basis, source: str = "") -> Known:
    """A value with its spread: `24 V`, `24 V ±5 %`, `24 ±0.5 V`, `22.8..25.2 V` (the middle is nominal).

    A plain value takes no spread. Raises UnreadableError.
    """
    if ".." in text:
        ends = [part.strip() for part in text.split("..")]
        texts = [e if _has_tail(e) else e + _tail(ends[-1]) for e in ends]
        if len(texts) not in (2, 3):
            raise UnreadableError(text, unit)
        numbers = [parse_quantity(t, unit) for t in texts]
        low, high = numbers[0], numbers[-1]
        nominal = numbers[1] if len(numbers) == 3 else (low + high) / 2
        if not low <= nominal <= high:
            raise UnreadableError(text, unit)
        return Known(nominal=nominal, low=low, high=high, unit=unit, basis=basis, source=source)
    main, sign, spread = text.replace("+-", "±").replace("+/-", "±").partition("±")
    if not sign:
        return Known.of(parse_quantity(main, unit), unit, basis, source=source)
    if spread.strip().endswith("%"):
        tolerance = parse_quantity(spread.strip()[:-1], "") / 100.0
        nominal = parse_quantity(main, unit)
        half = abs(nominal * tolerance)
    else:
        nominal = parse_quantity(main if _has_tail(main) else main + _tail(spread), unit)
        half = parse_quantity(spread, unit)
    if half < 0 or not math.isfinite(half):
        raise UnreadableError(text, unit)
    return Known(
        nominal=nominal, low=nominal - half, high=nominal + half, unit=unit, basis=basis, source=source
    )


def _tail(text: str) -> str:
    return re.sub(r"^[+-]?[\d.]+(?:[eE][+-]?\d+)?", "", text.strip().replace("−", "-"))


def _has_tail(text: str) -> bool:
    return bool(_tail(text).strip())


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
