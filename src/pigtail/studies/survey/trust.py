"""How far a reading can be trusted: what the meter's own load and bandwidth do to it, and the value corrected for it.

A source Rs read by a meter Zm shows Zm/(Rs + Zm) of its voltage; a meter that is flat to f reads higher tones low.
"""

from __future__ import annotations

import re

import msgspec

from pigtail.job.derive import open_level
from pigtail.job.document import AudioIn, Function, Job, Reading
from pigtail.job.meters import meter
from pigtail.job.readings import NOTABLE_LOSS
from pigtail.units import UnreadableError, format_quantity, parse_quantity
from pigtail.units.known import Known

USUAL_HERTZ = 1000.0
_HERTZ = re.compile(r"(\d[\d.]*\s*[kM]?Hz)", re.IGNORECASE)


class Trust(msgspec.Struct, frozen=True):
    """Whether a reading stands as it is, the value it stands for, and one sentence where it does not."""

    fine: bool
    value: Known
    sentence: str = ""


def hertz_of(drive: str) -> float:
    """Frequency [Hz] of what was played, as far as its words tell; 1 kHz where they do not."""
    found = _HERTZ.search(drive)
    if not found:
        return USUAL_HERTZ
    try:
        return parse_quantity(found[1], "Hz")
    except UnreadableError:
        return USUAL_HERTZ


def trust(job: Job, reading: Reading) -> Trust:
    """What a reading is worth, told from the point it was taken at and the meter it was taken with."""
    if reading.function not in (Function.DC_VOLTS, Function.AC_VOLTS):
        return Trust(True, reading.value)
    kind = meter(reading.instrument)
    hertz = hertz_of(reading.drive)
    if reading.function is Function.AC_VOLTS and hertz > kind.flat_hz:
        return Trust(
            False,
            reading.value,
            f"A {kind.name} is flat to {format_quantity(kind.flat_hz, 'Hz')} only: "
            f"at {format_quantity(hertz, 'Hz')} it reads low. Play 400 Hz to 1 kHz and read again.",
        )
    terminal = job.terminal(reading.point)
    impedance: Known | None = getattr(terminal, "impedance", None)
    if impedance is None or isinstance(terminal, AudioIn) or reading.load is not None:
        return Trust(True, reading.value)
    load = kind.load_ohm(reading.function, hertz)
    lost = impedance.nominal / (impedance.nominal + load)
    if lost <= NOTABLE_LOSS:
        return Trust(True, reading.value)
    corrected = open_level(reading.value, impedance, load)
    return Trust(
        lost < 0.5,
        corrected,
        f"The meter's {format_quantity(load, 'Ω')} takes {100 * lost:.0f} % of it across "
        f"{format_quantity(impedance.nominal, 'Ω')}: it stands for {format_quantity(corrected.nominal, 'V', 3)}.",
    )
