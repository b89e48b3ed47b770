"""Numbers as decks write them: engineering suffixes, unit tails, and the suffix in place of the point."""

from __future__ import annotations

import re

from pigtail.circuit.errors import DeckError

#: SPICE suffixes: case does not matter, M is milli and MEG is mega.
SUFFIXES = {"t": 1e12, "g": 1e9, "meg": 1e6, "mil": 25.4e-6, "k": 1e3, "m": 1e-3, "u": 1e-6, "µ": 1e-6,
            "n": 1e-9, "p": 1e-12, "f": 1e-15}  # fmt: skip
_TAIL = r"[a-zµΩω°%]*"
_SUFFIX = r"(t|g|meg|mil|k|m|u|µ|n|p|f)"
_NUMBER = re.compile(rf"([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d{{1,3}})?)\s*{_SUFFIX}?({_TAIL})")
_INFIX = re.compile(rf"([+-]?\d+)(meg|[tgkmunpfµr])(\d+){_TAIL}")


def number(text: str, line: int = 0) -> float:
    """Value of a number such as `4.7u`, `1meg`, `10kOhm` or `2k2`; raises DeckError. In SI, without unit.

    >>> number("1meg"), number("10mV"), number("2k2"), number("4r7")
    (1000000.0, 0.01, 2200.0, 4.7)
    """
    lowered = text.strip().lower()
    if match := _NUMBER.fullmatch(lowered):
        return float(match[1]) * SUFFIXES.get(match[2] or "", 1.0)
    if match := _INFIX.fullmatch(lowered):
        return float(f"{match[1]}.{match[3]}") * SUFFIXES.get(match[2], 1.0)
    raise DeckError(f"“{text[:40]}” is no number; write one such as 4.7u, 1meg or {{rload}}", line=line)
