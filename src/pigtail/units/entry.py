"""Values as people type them: `4k7`, `4,7 kOhm`, `-10 dBV ±2 dB`, `24 V +5 % −10 %`, `2 Vpp`, `>10k`, `1' 6"`.

A comma is a decimal point and never parts thousands; a space does. What could be meant in two ways is refused with the reason and the
nearest form that can be read. Marking with the letter in place of the point follows IEC 60062; inch and foot are those of 1959
(25.4 mm, 304.8 mm).
"""

from __future__ import annotations

import enum
import math
import re
from typing import NamedTuple

from pigtail.language import tr
from pigtail.units.decibels import from_db, from_dbm, from_dbu, from_dbv
from pigtail.units.known import Basis, Known

#: Decimal exponent of each prefix. Scaling divides by whole powers, so that 10u is the float 1e-05.
PREFIXES = {"p": -12, "n": -9, "u": -6, "U": -6, "µ": -6, "m": -3, "R": 0, "E": 0, "k": 3, "K": 3,
            "meg": 6, "Meg": 6, "MEG": 6, "M": 6, "G": 9, "pico": -12, "nano": -9, "micro": -6, "milli": -3, "kilo": 3, "kil": 3,
            "mega": 6, "giga": 9, "P": -12, "N": -9}  # fmt: skip
#: Names of each unit in small letters, the one it is written with first; capitals are let through.
NAMES = {
    "Ω": ("ω", "ohm", "ohms", "r", "e"),
    "V": ("v", "volt", "volts"),
    "A": ("a", "amp", "amps", "ampere", "amperes"),
    "F": ("f", "farad", "farads"),
    "Hz": ("hz", "hertz"),
    "W": ("w", "watt", "watts"),
    "s": ("s", "sec", "secs", "second", "seconds"),
    "h": ("h", "hour", "hours"),
    "Ah": ("ah",),
    "dB": ("db", "db spl", "db/mw"),
    "°C": ("°c", "c", "degc", "deg c", "° c", "celsius"),
    "°C/W": ("°c/w", "c/w", "k/w", "° c/w"),
    "": ("",),
}
#: What each unit takes in front; a prefix that could be a slip of the shift key is not among them.
TAKES = {
    "Ω": ("p", "n", "u", "U", "µ", "m", "R", "E", "k", "K", "meg", "Meg", "MEG", "M", "G", "milli", "kilo", "kil", "mega",
          "giga"),
    "V": ("p", "n", "u", "U", "µ", "m", "k", "K", "nano", "micro", "milli", "kilo"),
    "A": ("p", "n", "u", "U", "µ", "m", "k", "K", "nano", "micro", "milli"),
    "F": ("p", "n", "u", "U", "µ", "m", "P", "N", "pico", "nano", "micro", "milli"),
    "Hz": ("m", "k", "K", "M", "meg", "Meg", "MEG", "G", "kilo", "mega", "giga"),
    "W": ("u", "U", "µ", "m", "k", "K", "micro", "milli", "kilo"),
    "s": ("n", "u", "U", "µ", "m", "micro", "milli"),
    "Ah": ("m",),
}  # fmt: skip
#: What any other unit takes, and those that take none.
USUAL = ("p", "n", "u", "U", "µ", "m", "k", "K", "M", "G")
BARE = ("°C", "°C/W", "dB", "", "h", "°", "m")
#: Lengths that have names of their own, in tenths of a millimetre; times, in seconds.
LENGTHS = {"": 10_000, "m": 10_000, "metre": 10_000, "metres": 10_000, "meter": 10_000, "meters": 10_000, "mm": 10, "cm": 100,
           "in": 254, "inch": 254, "inches": 254, '"': 254, "″": 254, "ft": 3048, "foot": 3048, "feet": 3048, "'": 3048,
           "′": 3048}  # fmt: skip
MINUTES = {"min": 60.0, "minute": 60.0, "minutes": 60.0}
#: What would be read as something that hardly anyone means.
SLIPS = {("Hz", "mhz"), ("F", "f"), ("s", "m")}
#: Letters that stand in place of the point, of each unit.
POINTS = {"Ω": "mRkKMGΩ", "V": "muµkV", "A": "muµA", "F": "pnuµm", "Hz": "kKMG", "W": "mkW", "s": "mnuµ"}
EXAMPLES = {"V": "1.65 V, 250m or -10 dBV", "Ω": "4k7 or 220", "F": "100n", "A": "45 mA",
            "m": "0.3 m, 30 cm or 12 in", "": "0.85", "°C": "40 °C"}  # fmt: skip
#: An end of a value that nobody told lies so far from the one that was told.
OPEN_END = 10.0
MAX_LENGTH = 60
#: What the standard value of a peak to peak or a peak of a sine is divided by.
PEAKS = {"pp": 2 * math.sqrt(2), "pk": math.sqrt(2)}

_NUMBER = re.compile(
    r"([+-]?)((?:\d{1,3}(?: \d{3})+(?!\d)|\d+)(?:[.,]\d*)?(?:[eE][+-]?\d{1,2}(?![\d.,]))?|[.,]\d+)\s*(.*)",
    re.DOTALL,
)
_LETTERED = re.compile(r"([+-]?)(\d+|(?=R))([pnuµmRkKMGΩVAW])(\d+)\s*(.*)", re.DOTALL)
_PARTED = re.compile(r"[+-]?\d[\d.,'’ ]*[.,'’][\d.,'’]*")
_QUALIFIED = re.compile(
    r"(?:(?<=[vVaAsS])|(?<=\s)|^)[\s_]*(r\.?m\.?s\.?|eff|pp|p-p|pk-pk|pkpk|peak[ -]to[ -]peak|pk|peak|(?<=[vV])p|dc|ac)$",
    re.IGNORECASE,
)
_LEVEL = re.compile(r"(dbv|dbu|dbm)\b\s*(.*)", re.IGNORECASE)
_FEET = re.compile(
    r"([+-]?\d+)\s*(?:ft|feet|foot|'|′)\s*(\d+(?:[.,]\d+)?)\s*(?:in|inch|inches|\"|″)", re.IGNORECASE
)
_AT_LEAST = re.compile(
    r"(?:>=|=>|≥|>|min(?:imum|\.)?\s|at least\s)\s*(.+)|(.+?)\s*\b(?:min(?:imum)?\.?)", re.IGNORECASE
)
_AT_MOST = re.compile(
    r"(?:<=|=<|≤|<|max(?:imum|\.)?\s|at most\s|up to\s)\s*(.+)|(.+?)\s*\b(?:max(?:imum)?\.?)", re.IGNORECASE
)
_ABOUT = re.compile(r"\s*(?:~|≈|about\s|ca\.?\s|approx\.?\s|circa\s)\s*(.+)", re.IGNORECASE)
_TWO_SIDED = re.compile(
    r"(.+?)\s*([+-]\s*\d+(?:[.,]\d+)?)\s*([^\d+\-/\s]*)\s*[/,]?\s*([+-]\s*\d+(?:[.,]\d+)?)\s*([^\d+\-/\s]+)"
)
_BARE_PERCENT = re.compile(r"(.*\S)\s+(\d+(?:[.,]\d+)?)\s*%")
_HYPHEN = re.compile(
    r"(?<=[\w%°\"'′″.])(?<![\d.][eE])\s*[-–—]\s*(?=[+-]?[\d.,])|(?<=[\w%°\"'′″])\s+(?:to|bis)\s+(?=[+-]?[\d.,])"
)


class Volts(enum.Enum):
    """How a voltage or current is counted where it is asked for."""

    ANY = "any"
    RMS = "r.m.s."
    DC = "DC"
    PEAK_TO_PEAK = "peak to peak"


class Sort(NamedTuple):
    """What sort of value is asked for: how its volts are counted; whether it is a limit itself, so that "max" only repeats that;
    whether it may lie on either side of nought, so that "max 10 mV" means both."""

    volts: Volts = Volts.ANY
    limit: bool = False
    signed: bool = False


PLAIN = Sort()


class UnreadableError(ValueError):
    """Text that is no engineering value; carries the text, the unit that was asked for, the reason and the nearest form, "" where there is
    none."""

    def __init__(self, text: str, unit: str, reason: str = "", nearest: str = "") -> None:
        shown = text if len(text) <= MAX_LENGTH else text[:MAX_LENGTH] + "…"
        example = nearest or EXAMPLES.get(unit, f"10 {unit}")
        why = f": {reason}" if reason else ""
        super().__init__(
            tr(
                "“{text}” cannot be read as a value in {unit}{why}; write {example}",
                text=shown,
                unit=unit,
                why=why,
                example=example,
            )
            if unit
            else tr(
                "“{text}” cannot be read as a value{why}; write {example}",
                text=shown,
                why=why,
                example=example,
            )
        )
        self.text, self.unit, self.reason, self.nearest = text, unit, reason, nearest


class _One(NamedTuple):
    """A value [unit], the tail that it was written with, and whether it was written as a level in decibels or by a peak."""

    value: float
    tail: str
    level: bool = False
    peak: bool = False


def _scaled(number: float, exponent: int) -> float:
    return number * 10.0**exponent if exponent >= 0 else number / 10.0**-exponent


def _finite(value: float, text: str, unit: str) -> float:
    if not math.isfinite(value):
        raise UnreadableError(text, unit)
    return value


def cleaned(text: str) -> str:
    """Text with one kind of minus, space, ohm and micro."""
    for strange, usual in (
        ("\u2212", "-"), ("\u00a0", " "), ("\u202f", " "), ("\u2009", " "), ("\u2126", "Ω"), ("\u03bc", "µ"), ("`", "'"),
    ):  # fmt: skip
        text = text.replace(strange, usual)
    return text.strip()


def number_of(text: str) -> float:
    """The number [-] of typed figures: a comma is a decimal point, a space parts thousands."""
    return float(text.replace(" ", "").replace(",", "."))


def _tail_exponent(tail: str, unit: str) -> int | None:
    """Decimal exponent of what follows a number, or None when it does not fit the unit."""
    names = NAMES.get(unit, (unit.lower(),))
    if (unit, tail) in SLIPS:
        return None
    if tail == "" or tail.lower() in names:
        return 0
    for prefix in TAKES.get(unit, () if unit in BARE else USUAL):
        rest = tail[len(prefix) :]
        whole_word = len(prefix) > 2 and prefix.lower() != "meg"
        if tail.startswith(prefix) and (
            rest.strip().lower() in names or (not whole_word and not rest.strip())
        ):
            return PREFIXES[prefix]
    return None


def _length(number: float, tail: str) -> float | None:
    scale = LENGTHS.get(tail.lower() if tail != "M" else "?")
    return None if scale is None else number * scale / LENGTHS["m"]


def _feet(found: re.Match[str]) -> float:
    """Metres of feet and inches."""
    feet = float(found[1])
    inches = math.copysign(number_of(found[2]), feet)
    return (feet * LENGTHS["ft"] + inches * LENGTHS["in"]) / LENGTHS["m"]


def _strange_reason(tail: str, unit: str) -> str:
    """Why a tail does not fit a unit, where that can be said."""
    if unit == "V" and tail.lower().startswith("db"):
        return (
            tr("decibels against what is not said")
            if tail.lower() == "db"
            else tr("{tail} is no voltage", tail=tail)
        )
    if unit in ("A", "F", "V", "s") and tail[:1] == "M":
        return tr("{value} is mega, m is milli", value=tail[:1])
    if unit == "Hz" and tail[:1] == "m":
        return tr("m is milli, M is mega")
    return tr("“{tail}” is no unit of this value", tail=tail) if tail and len(tail) < 12 else ""


def _either(figures: str) -> str:
    """A level in the two ways that it may be meant."""
    return tr("{figures}dBV (against 1 V) or {figures}dBu (against 0.775 V)", figures=figures)


def _nearest(text: str, unit: str, tail: str) -> str:
    """The nearest form that can be read; empty where none is plain."""
    if tail.lower() == "db" and unit == "V":
        return _either(text.strip()[:-2])
    for swapped in (tail[:1].swapcase() + tail[1:], tail.swapcase()):
        if tail and _tail_exponent(swapped, unit) is not None:
            return text.strip().removesuffix(tail) + swapped
    return ""


def _parted(text: str, unit: str) -> UnreadableError | None:
    """The refusal of figures with several points and commas; None where there is none."""
    found = _PARTED.match(text)
    if not found:
        return None
    figures = found[0].rstrip(" ")
    marks = [c for c in figures if c in ".,'’"]
    if len(marks) < 2 and not set(marks) & set("'’"):
        return None
    if set(marks) & set("'’") and unit == "m":
        return None
    last = max(figures.rfind("."), figures.rfind(","))
    groups = len(set(marks)) == 1 or last < 0
    plain = re.sub(r"[.,'’ ]", "", figures if groups else figures[:last]) + (
        "" if groups else "." + figures[last + 1 :]
    )
    return UnreadableError(
        text,
        unit,
        tr("thousands are parted by nothing or a space here"),
        f"{plain}{text[len(found[0]) :]}".strip(),
    )


def told(text: str, unit: str, volts: Volts = Volts.ANY) -> _One:
    """One value of typed text with how it was written; raises UnreadableError."""
    stripped = cleaned(text)
    if not stripped or len(stripped) > MAX_LENGTH:
        raise UnreadableError(text, unit)
    lettered = _LETTERED.fullmatch(stripped)
    if lettered and lettered[3] in POINTS.get(unit, "") and _tail_exponent(lettered[5], unit) == 0:
        sign, whole, letter, rest, tail = lettered.groups()
        exponent = 0 if letter in ("V", "A", "W", "Ω") else PREFIXES[letter]
        return _One(_finite(_scaled(float(f"{sign}{whole}.{rest}"), exponent), text, unit), letter + tail)
    if unit == "Ω" and re.fullmatch(r"[+-]?\d+E\d+(?:\s*(?:Ω|ohms?))?", stripped):
        first, second = stripped.split("E")
        raise UnreadableError(text, unit, tr("E may be a point or a power of ten"), f"{first}R{second}")
    if unit == "m" and (feet := _FEET.fullmatch(stripped)):
        return _One(_feet(feet), "ft in")
    if about := _ABOUT.fullmatch(stripped):
        raise UnreadableError(text, unit, tr("how far about is not said"), f"{about[1]} ±10 %")
    if (several := _parted(stripped, unit)) is not None:
        raise several
    plain = _NUMBER.fullmatch(stripped)
    if not plain:
        raise UnreadableError(text, unit)
    number, tail = number_of(plain[1] + plain[2]), plain[3].strip()
    if unit == "V" and (level := _LEVEL.fullmatch(tail)):
        return _level(text, number, level[1], level[2], volts)
    return _in_unit(text, number, tail, unit, volts)


def _in_unit(text: str, number: float, tail: str, unit: str, volts: Volts) -> _One:
    """A number with a tail of its unit."""
    peak = 1.0
    if unit in ("V", "A") and (found := _QUALIFIED.search(tail)):
        peak = _peak(text, found[1].lower(), unit, volts)
        tail = tail[: found.start()].rstrip(" _")
    if unit == "m":
        metres = _length(number, tail)
        if metres is None:
            raise UnreadableError(text, unit, _strange_reason(tail, unit))
        return _One(_finite(metres, text, unit), tail)
    if unit == "s" and tail.lower() in MINUTES:
        return _One(number * MINUTES[tail.lower()], tail)
    if unit == "°C" and tail.lower() in ("°f", "degf", "deg f", "° f"):
        return _One((number - 32) / 1.8, tail)
    if unit == "" and tail == "%":
        return _One(number / 100.0, tail)
    exponent = _tail_exponent(tail, unit)
    if exponent is None:
        reason = (
            tr("m may be milli or minutes") if unit == "s" and tail == "m" else _strange_reason(tail, unit)
        )
        raise UnreadableError(
            text, unit, reason, _nearest(text, unit, tail) if tail != "m" else tr("5 ms or 5 min")
        )
    return _One(_finite(_scaled(number, exponent) / peak, text, unit), tail, peak=peak != 1.0)


def _peak(text: str, word: str, unit: str, volts: Volts) -> float:
    """What a value is divided by for how its volts were counted; raises UnreadableError where they are asked for in another way."""
    word = word.replace(".", "").replace(" ", "-")
    if word in ("pp", "p-p", "pk-pk", "pkpk", "peak-to-peak"):
        kind = "pp"
    elif word in ("pk", "peak", "p"):
        kind = "pk"
    else:
        kind = "dc" if word == "dc" else "ac"
    if volts is Volts.DC and kind != "dc":
        raise UnreadableError(
            text,
            unit,
            tr("a steady voltage is asked for") if unit == "V" else tr("a steady current is asked for"),
        )
    if volts in (Volts.RMS, Volts.PEAK_TO_PEAK) and kind == "dc":
        raise UnreadableError(
            text, unit, tr("an alternating one is asked for"), tr("the r.m.s. value of the signal")
        )
    if volts is Volts.PEAK_TO_PEAK:
        return {"pp": 1.0, "pk": 0.5}.get(kind, 1 / PEAKS["pp"])
    return PEAKS.get(kind, 1.0)


def _level(text: str, number: float, kind: str, rest: str, volts: Volts) -> _One:
    """Volts r.m.s. of a level; raises UnreadableError for one whose reference is not said."""
    if not -300 <= number <= 300:
        raise UnreadableError(text, "V")
    if volts is Volts.DC:
        raise UnreadableError(text, "V", tr("a steady voltage is asked for, which has no level in decibels"))
    whole = 1.0 if volts is not Volts.PEAK_TO_PEAK else PEAKS["pp"]
    if kind.lower() != "dbm":
        if kind == "dBv":
            shown = f"{number:g}"
            raise UnreadableError(
                text,
                "V",
                tr("dBv is read in two ways"),
                _either(f"{shown} "),
            )
        if rest:
            raise UnreadableError(text, "V")
        volts_rms = from_dbv(number) if kind.lower() == "dbv" else from_dbu(number)
        return _One(volts_rms * whole, kind, level=True)
    into = re.fullmatch(r"(?:@|into|in|at|/|,|\()?\s*(.+?)\)?", rest) if rest else None
    if into is None:
        raise UnreadableError(
            text, "V", tr("power is a voltage only across an impedance"), f"{number:g} dBm into 600 Ω"
        )
    return _One(from_dbm(number, parse_quantity(into[1], "Ω")) * whole, "dBm", level=True, peak=True)


def parse_quantity(text: str, unit: str, volts: Volts = Volts.ANY) -> float:
    """Value in SI base units of typed text; `unit` is what is expected: "Ω", "V", "F" …. In the [unit] without prefix; a voltage in the way
    that `volts` says, r.m.s. of a sine where a peak is typed and nothing is said.

    Volts may be given as dBV, dBu, or dBm with its impedance. Raises UnreadableError.

    >>> parse_quantity("4k7", "Ω"), parse_quantity("-10 dBV", "V") > 0.316, parse_quantity("4,7 kOhm", "Ω")
    (4700.0, True, 4700.0)
    """
    return told(text, unit, volts).value


def parse_known(text: str, unit: str, basis: Basis, source: str = "", sort: Sort = PLAIN) -> Known:
    """A value with its spread: `24 V`, `24 V ±5 %`, `24 ±0.5 V`, `22.8..25.2 V` (the middle is nominal), `+5 % −10 %`, `>10k`.

    A plain value takes no spread. An end that is not told (`>10k`, `max 100 mA`) lies a decade away, and the source says how it was given.
    Raises UnreadableError; KnownError for a spread that does not hold its own value.
    """
    shown = cleaned(text)
    try:
        (low, nominal, high), strange = _spread(shown, unit, sort)
    except UnreadableError as error:
        if error.text == shown:
            raise UnreadableError(text, unit, error.reason, error.nearest) from None
        reason = error.reason or (
            tr("“{text}” is no value", text=error.text)
            if error.text.strip()
            else tr("a part of it is missing")
        )
        raise UnreadableError(text, unit, reason) from None
    if strange:
        source = f"{source}, given as {shown}".removeprefix(", ")
    return Known(nominal=nominal, low=low, high=high, unit=unit, basis=basis, source=source)


_Spread = tuple[tuple[float, float, float], bool]


def _spread(shown: str, unit: str, sort: Sort) -> _Spread:
    """Low, nominal and high [unit] of typed text, and whether the source should say how it was given."""
    for reading in (_bounded, _range, _sided, _tolerance):
        found = reading(shown, unit, sort)
        if found is not None:
            return found
    one = told(shown, unit, sort.volts)
    return (one.value, one.value, one.value), one.peak


def _bounded(text: str, unit: str, sort: Sort) -> _Spread | None:
    """A value of which one end is told."""
    least = None if unit == "s" and text.lower().endswith("min") else _AT_LEAST.fullmatch(text)
    most = _AT_MOST.fullmatch(text)
    found = least or most
    if found is None:
        return None
    inner = found[1] or found[2]
    if _AT_LEAST.fullmatch(inner) or _AT_MOST.fullmatch(inner):
        raise UnreadableError(text, unit, tr("it has two limits"))
    known = parse_known(inner, unit, Basis.TYPICAL, sort=sort._replace(limit=True))
    if sort.limit:
        return (known.low, known.nominal, known.high), True
    if known.spread > 0:
        raise UnreadableError(text, unit, tr("it has both a limit and a spread"))
    end = known.nominal
    if sort.signed:
        if least or end < 0:
            raise UnreadableError(
                text, unit, tr("it may lie on either side of nought"), f"{format(end, 'g')} .. … {unit}"
            )
        return (-end, 0.0, end), True
    if end <= 0:
        raise UnreadableError(text, unit, tr("such a limit lies above nought"))
    return ((end, end, end * OPEN_END) if least else (end / OPEN_END, end, end)), True


def _range(text: str, unit: str, sort: Sort) -> _Spread | None:
    """A value between two ends, with or without the one that is nominal."""
    ends = [e.strip() for e in re.split(r"\.{2,3}|…", text)]
    if len(ends) == 1:
        ends = [e.strip() for e in _HYPHEN.split(text)]
        if len(ends) != 2 or "±" in text or _TWO_SIDED.fullmatch(text):
            return None
    if len(ends) not in (2, 3) or not all(ends):
        raise UnreadableError(text, unit)
    last = told(ends[-1], unit, sort.volts)
    values = [told(e if tail_of(e) else f"{e} {tail_of(ends[-1])}", unit, sort.volts) for e in ends[:-1]] + [
        last
    ]
    low, high = values[0].value, values[-1].value
    nominal = values[1].value if len(values) == 3 else (low + high) / 2
    if not low <= nominal <= high:
        bare = told(ends[0], unit, sort.volts).value if not tail_of(ends[0]) else math.inf
        nearest = f"{ends[0]} {unit} .. {ends[-1]}" if bare < high and len(ends) == 2 else ""
        raise UnreadableError(text, unit, tr("its ends are the wrong way round"), nearest)
    return (low, nominal, high), any(v.peak for v in values)


def _sided(text: str, unit: str, sort: Sort) -> _Spread | None:
    """A value with one tolerance upwards and another downwards."""
    found = _TWO_SIDED.fullmatch(text)
    if found is None:
        return None
    main, first, first_unit, second, second_unit = found.groups()
    signs = {first[0]: (first[1:], first_unit or second_unit), second[0]: (second[1:], second_unit)}
    if len(signs) != 2 or not re.search(r"\d", main):
        return None
    one = told(main if tail_of(main) or second_unit == "%" else f"{main} {second_unit}", unit, sort.volts)
    up, down = (_half(one, *signs[s], text, unit, sort) for s in "+-")
    return (one.value - down[0], one.value, one.value + up[1]), one.peak


def _tolerance(text: str, unit: str, sort: Sort) -> _Spread | None:
    """A value with a tolerance that is the same both ways."""
    main, sign, spread = re.sub(r"\+\s*/?\s*-|\+/−", "±", text).partition("±")
    if not sign:
        bare = _BARE_PERCENT.fullmatch(text)
        if bare is None or (bare[1].isdigit() and len(bare[2]) == 3):
            return None
        main, spread = bare[1], f"{bare[2]} %"
    spread = spread.strip()
    unit_of_spread = tail_of(spread)
    as_main = f"{main.strip()} {unit_of_spread}" if unit_of_spread.strip() not in ("", "%") else main
    one = told(main if tail_of(main) else as_main, unit, sort.volts)
    down, up = _half(one, spread[: len(spread) - len(unit_of_spread)], unit_of_spread, text, unit, sort)
    return (one.value - down, one.value, one.value + up), one.peak


def _half(one: _One, number: str, tail: str, text: str, unit: str, sort: Sort) -> tuple[float, float]:
    """How far a tolerance reaches down and up [unit]: in per cent, in decibels where the value was, or in its unit."""
    number, tail = number.strip(), tail.strip()
    if tail == "%":
        wide = parse_quantity(number, "")
        half = abs(one.value) * wide / 100.0
        down, up = half, half
    elif one.level and tail.lower() in ("", "db"):
        wide = parse_quantity(number, "")
        if abs(wide) > 100:
            raise UnreadableError(text, unit)
        down, up = one.value * (1 - from_db(-wide)), one.value * (from_db(wide) - 1)
    else:
        down = up = told(f"{number} {tail or (one.tail if unit == 'm' else '')}", unit, sort.volts).value
    if down < 0 or up < 0:
        raise UnreadableError(text, unit, tr("a tolerance is not below nought"))
    return down, up


def tail_of(text: str) -> str:
    """What follows the figures of a value."""
    lettered = _LETTERED.fullmatch(text.strip())
    if lettered:
        return lettered[3]
    return re.sub(r"^[+-]?(?:\d{1,3}(?: \d{3})+(?!\d)|[\d.,]+)(?:[eE][+-]?\d+)?", "", text.strip()).strip()


def parse_gauge(text: str) -> float:
    """The gauge [AWG] of a wire that was typed as a gauge or by its cross-section: `24`, `AWG 24`, `0.22 mm²`, `0,5 qmm`.

    Raises UnreadableError.

    >>> parse_gauge("AWG 24"), round(parse_gauge("0.205 mm²"))
    (24.0, 24)
    """
    shown = cleaned(text)
    area = re.fullmatch(r"(\d*[.,]?\d+)\s*(?:mm²|mm2|mm\^2|sqmm|sq mm|qmm)", shown, re.IGNORECASE)
    if area:
        if not 1e-3 <= number_of(area[1]) <= 100:
            raise UnreadableError(text, "", tr("no such wire"), "0.22 mm² or 24 AWG")
        diameter = math.sqrt(4.0 * number_of(area[1]) / math.pi)
        return 36.0 - 39.0 * math.log(diameter / 0.127, 92.0)
    gauge = re.fullmatch(r"(?:awg|#)?\s*(\d{1,2})\s*(?:awg|ga)?", shown, re.IGNORECASE)
    if gauge is None:
        raise UnreadableError(text, "", nearest="0.22 mm² or 24 AWG")
    return float(gauge[1])
