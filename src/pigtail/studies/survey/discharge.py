"""Discharging a reservoir before it is touched: how long it takes by itself, and the bleeder that makes it short.

V(t) = V0·exp(−t/RC), so t = RC·ln(V0/V). Limits: below 60 V DC the class ES1 of IEC 62368-1 (from memory); below 10 V
before soldering, common practice. The energy on it is ½·C·V0². Whatever is computed, a reading decides.
"""

from __future__ import annotations

import math

import msgspec

from pigtail.job.document import Host
from pigtail.language import tr
from pigtail.units import Known, format_quantity
from pigtail.units.series import members

SAFE_V, SOLDER_V = 60.0, 10.0
#: Within this time a bleeder that is clipped on does its work.
SHORT_S = 30.0
WATTS = (0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0)
#: A resistor carries twice what falls on it, and twice the voltage.
MARGIN = 2.0


class Bleeder(msgspec.Struct, frozen=True):
    """A resistor to clip across: its value [Ω], rating [W], the time to the limit [s], the voltage it must stand [V]."""

    ohm: float
    watt: float
    seconds: float
    volts: float


class Discharge(msgspec.Struct, frozen=True):
    """What is known of the reservoir: waiting time to each limit [s] or None, energy [J], a bleeder, and words."""

    safe_s: float | None
    solder_s: float | None
    joule: float | None
    bleeder: Bleeder | None
    sentence: str


def seconds_to(volts: float, limit: float, ohm: float, farad: float) -> float:
    """Time [s] from a voltage down to a limit through a resistor: RC·ln(V0/V); nought when it is below already."""
    return ohm * farad * math.log(volts / limit) if volts > limit else 0.0


def bleeder_for(volts: float, farad: float, seconds: float = SHORT_S) -> Bleeder | None:
    """The largest preferred resistor that brings a capacitor [F] from its voltage to 10 V in time; None if it is there."""
    if volts <= SOLDER_V:
        return None
    most = seconds / (farad * math.log(volts / SOLDER_V))
    least_heat = volts**2 / WATTS[-1] * MARGIN
    choices = members("E12", 1.0, min(most, 1e6))
    ohm = choices[-1] if choices else 1.0
    ohm = max(ohm, next((m for m in members("E12", least_heat, 10 * least_heat + 10)), ohm))
    need = MARGIN * volts**2 / ohm
    watt = next((w for w in WATTS if w >= need), WATTS[-1])
    return Bleeder(ohm, watt, seconds_to(volts, SOLDER_V, ohm, farad), MARGIN * volts)


def study_discharge(host: Host) -> Discharge:
    """The discharge of a host's reservoir over the worst of what is known of it."""
    reservoir, volts = host.reservoir, host.reservoir_volts
    if reservoir is None or volts is None:
        missing = tr("capacitance") if reservoir is None else tr("voltage")
        return Discharge(
            None, None, None, None,
            tr(
                "How long to wait is not known: the {missing} of the largest reservoir is missing. Measure it until it is "
                "below 10 V.",
                missing=missing,
            ),
        )  # fmt: skip
    joule = 0.5 * reservoir.high * volts.high**2
    bleeder = bleeder_for(volts.high, reservoir.high)
    held: Known | None = host.bleeder
    if volts.high <= SOLDER_V:
        return Discharge(
            0.0, 0.0, joule, None, tr("The reservoir stays below 10 V; measure it all the same.")
        )
    if held is None:
        return Discharge(
            None, None, joule, bleeder,
            tr(
                "Nothing is known that discharges it: it may hold {high} for hours. {clip}",
                high=format_quantity(volts.high, "V"),
                clip=_clip(bleeder),
            ),
        )  # fmt: skip
    safe = seconds_to(volts.high, SAFE_V, held.high, reservoir.high)
    solder = seconds_to(volts.high, SOLDER_V, held.high, reservoir.high)
    words = tr("Wait {time} for 10 V", time=_time(solder)) + (
        tr(" ({time} for 60 V)", time=_time(safe)) if safe else ""
    )
    more = f" {_clip(bleeder)}" if solder > 2 * SHORT_S else ""
    return Discharge(
        safe, solder, joule, bleeder, tr("{words}, then measure it.{more}", words=words, more=more)
    )


def _clip(bleeder: Bleeder | None) -> str:
    if bleeder is None:
        return tr("Measure it.")
    return tr(
        "Clip {ohm}, {watt:g} W, insulated for {volts}, across it for {time}, then measure it.",
        ohm=format_quantity(bleeder.ohm, "Ω"),
        watt=bleeder.watt,
        volts=format_quantity(bleeder.volts, "V"),
        time=_time(bleeder.seconds),
    )


def _time(seconds: float) -> str:
    return (
        f"{seconds:.0f} s"
        if seconds < 120
        else f"{seconds / 60:.0f} min"
        if seconds < 7200
        else f"{seconds / 3600:.1f} h"
    )
