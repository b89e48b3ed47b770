"""Words that put a point on the primary side of a mains supply, however they are written.

Words only help to ask: what decides is how the host is fed and what was read (see `safety`). So what is written is first brought
to one form (letters that look alike, hyphens, several spaces), and what may be harmless in one host is harmless in a host that
no mains reaches.
"""

from __future__ import annotations

import re
import unicodedata

from pigtail.job.document import Host, Module, SupplyClass

#: Letters of other alphabets that look like these.
ALIKE = str.maketrans("аеорсухіѕјкмтвнԁɡαεορυικτν", "aeopcyxisjkmtbhdgaeopuiktv")
#: On the primary side of any host.
SURE = re.compile(
    r"\bprimar(y|ies)\b|\bmains (inlet|live|neutral|fuse|switch|plug|terminal|input|socket|lead|cord|entry|side|line|wire)\b"
    r"|\blive (side|chassis|conductor|wire|pin|terminal|mains|part)\b"
    r"|\bhot (side|chassis|conductor)\b(?! of (the )?(volume|tone|balance|control|pot|gain))"
    r"|\bline voltage\b|\bneutral\b|\brectified mains\b|\bmains rectif\w*|\bmains bridge\b|\bpower inlet\b|\biec (inlet|socket)\b"
)
#: On the primary side of a host that mains reaches.
LIKELY = re.compile(
    r"\bmains\b(?!.*\b(second\w*|earth|hum|detect\w*|sens\w*|transformer)\b)"
    r"|\b(110|115|117|120|127|220|230|240) ?v(olts?)? ?(ac)?\b"
    r"|\b(line|power) (cord|fuse|inlet|entry|live)\b|\b[xy][12]? capacitor\b|\bsnubber\b"
)
#: On the primary side where the host has no such volts of its own, as valves need.
HIGH = re.compile(r"\b(bulk|pfc|dc link|dc bus|chopper)\b|\b3[0-9]{2} ?v(olts?)?( dc)?\b")
#: Hosts that mains reaches, or may; those with no such volts of their own.
WITHOUT_VALVES = (
    SupplyClass.MAINS_ISOLATED,
    SupplyClass.MAINS_SWITCHING,
    SupplyClass.LIVE_CHASSIS,
    SupplyClass.UNKNOWN,
)
FED_BY_MAINS = (*WITHOUT_VALVES, SupplyClass.VALVE)


def plainly(text: str) -> str:
    """A text in one form: small letters, look-alikes as what they look like, one space in place of what parts words.

    >>> plainly("Mains\u2011LIVE  side"), plainly("+325V_bulk")
    ('mains live side', '325v bulk')
    """
    letters = unicodedata.normalize("NFKD", text).casefold().translate(ALIKE)
    letters = "".join(c for c in letters if not unicodedata.combining(c))
    return " ".join(re.sub(r"[^a-z0-9]+", " ", letters).split())


def primary(text: str, supply: SupplyClass) -> bool:
    """Whether a text says that something lies on the primary side, in a host that is fed so."""
    plain = plainly(text)
    kinds = [
        SURE,
        *([LIKELY] if supply in FED_BY_MAINS else []),
        *([HIGH] if supply in WITHOUT_VALVES else []),
    ]
    return any(words.search(plain) for words in kinds)


def primary_words(device: Host | Module, supply: SupplyClass) -> tuple[int, str] | None:
    """The first terminal of a device that its words put on the primary side, by its number, and those words."""
    for at, terminal in enumerate(device.terminals):
        places = (terminal.place.text(), *(p.text() for p in terminal.alternatives))
        for words in (terminal.name, terminal.papers, *terminal.path, *places):
            if primary(words, supply):
                return at, words
    return None
