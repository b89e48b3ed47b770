"""What is played by the host or put into one of its points while it is read: a text in the log, parts for whoever plays it."""

from __future__ import annotations

import re

import msgspec

from pigtail.units import UnreadableError, format_quantity, parse_quantity

USUAL_HERTZ = 1000.0
#: Where two ways usually meet [Hz].
USUAL_CROSSOVER_HZ = 2000.0
#: What is played when an output gives all that it can.
FULL_SCALE = "full scale"
DOWN = "volume down"
SIDES = ("left", "right")
_HERTZ = re.compile(r"(\d[\d.]*\s*[kM]?Hz)\b", re.IGNORECASE)
_VOLTS = re.compile(r"(\d[\d.]*\s*[mkµu]?V)\b")
#: Two tones are one as far as an answer goes while their frequencies lie within this factor.
NEAR = 3.0


class Tone(msgspec.Struct, frozen=True):
    """A tone: its frequency [Hz]; volts [V rms] where a generator puts it into an input, None where the host plays it; full scale or
    something less; one side alone or both (empty); the volume control turned down or as it was."""

    hertz: float = USUAL_HERTZ
    volts: float | None = None
    full: bool = False
    side: str = ""
    down: bool = False

    def text(self) -> str:
        """As the log has it: `full scale 1 kHz left`, `100 mV at 1 kHz`, `1 kHz, volume down`."""
        tone = format_quantity(self.hertz, "Hz")
        if self.volts is not None:
            tone = f"{format_quantity(self.volts, 'V')} at {tone}"
        words = " ".join(w for w in (FULL_SCALE if self.full else "", tone, self.side) if w)
        return f"{words}, {DOWN}" if self.down else words

    def answers(self, asked: Tone) -> bool:
        """Whether what was played serves for what was asked: near the frequency, the one side if one alone, full scale where that was
        asked, the volume as it was asked."""
        return (
            1 / NEAR <= self.hertz / asked.hertz <= NEAR
            and (not asked.side or self.side == asked.side)
            and (self.full or not asked.full)
            and self.down is asked.down
        )


def tone_of(drive: str) -> Tone | None:
    """The tone that a text of the log tells; None for nothing played. What it does not tell is as usual: 1 kHz, both sides.

    >>> tone_of("full scale 1 kHz left").side, tone_of("100 mV at 400 Hz").hertz, tone_of("")
    ('left', 400.0, None)
    """
    if not drive.strip():
        return None
    words = drive.lower()
    side = next((s for s in SIDES if re.search(rf"\b{s}\b", words)), "")
    hertz = _read(_HERTZ, drive, "Hz")
    return Tone(
        hertz=hertz if hertz else USUAL_HERTZ,
        volts=_read(_VOLTS, drive, "V"),
        full=FULL_SCALE in words,
        side=side,
        down=DOWN in words,
    )


def _read(pattern: re.Pattern[str], text: str, unit: str) -> float | None:
    found = pattern.search(text)
    if not found:
        return None
    try:
        return parse_quantity(found[1], unit)
    except UnreadableError:
        return None
