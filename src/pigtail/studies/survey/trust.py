"""How far a reading can be trusted: what the meter's own load and bandwidth do to it, and the value corrected for it.

A source Rs read by a meter Zm shows Zm/(Rs + Zm) of its voltage; a meter that is flat to f reads higher tones low.
"""

from __future__ import annotations

import msgspec

from pigtail.job.derive import open_level
from pigtail.job.document import AudioIn, AudioOut, Function, Job, Reading, Way
from pigtail.job.meters import meter
from pigtail.job.readings import NOTABLE_LOSS
from pigtail.job.tone import USUAL_HERTZ, tone_of
from pigtail.language import tr
from pigtail.units import format_quantity
from pigtail.units.known import Known


class Trust(msgspec.Struct, frozen=True):
    """Whether a reading stands as it is, the value it stands for, and one sentence where it does not."""

    fine: bool
    value: Known
    sentence: str = ""


def trust(job: Job, reading: Reading) -> Trust:
    """What a reading is worth, told from the point it was taken at and the meter it was taken with."""
    if reading.function not in (Function.DC_VOLTS, Function.AC_VOLTS):
        return Trust(True, reading.value)
    kind = meter(reading.instrument)
    tone = tone_of(reading.drive)
    hertz = tone.hertz if tone is not None else USUAL_HERTZ
    terminal = job.terminal(reading.point)
    high_way = isinstance(terminal, AudioOut) and terminal.way is not Way.FULL
    if reading.function is Function.AC_VOLTS and hertz > kind.flat_hz and high_way:
        return Trust(
            True,
            reading.value,
            tr("A {kind} reads so high a tone low: it tells which way it is, not the level.", kind=kind.name),
        )
    if reading.function is Function.AC_VOLTS and hertz > kind.flat_hz:
        return Trust(
            False,
            reading.value,
            tr(
                "A {kind} is flat to {flat_hz} only: at {hertz} it reads low. Play 400 Hz to 1 kHz and "
                "read again.",
                kind=kind.name,
                flat_hz=format_quantity(kind.flat_hz, "Hz"),
                hertz=format_quantity(hertz, "Hz"),
            ),
        )
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
        tr(
            "The meter's {load} takes {value:.0f} % of it across {nominal}: it stands for {nominal2}.",
            load=format_quantity(load, "Ω"),
            value=100 * lost,
            nominal=format_quantity(impedance.nominal, "Ω"),
            nominal2=format_quantity(corrected.nominal, "V", 3),
        ),
    )
