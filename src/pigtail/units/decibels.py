"""Levels in decibels.

dBV is referred to 1 V rms; dBu to the voltage that gives 1 mW in 600 Ω, 0.7746 V rms.
"""

import math

from pigtail.language import tr

DBU_REFERENCE_V = math.sqrt(0.6)


def db(ratio: float) -> float:
    """Level of a voltage ratio [-] in dB; minus infinity for nought. Raises ValueError below 0.

    >>> round(db(0.5), 2)
    -6.02
    """
    if ratio < 0:
        raise ValueError(tr("a level needs a ratio of zero or more, not {ratio}", ratio=ratio))
    return 20.0 * math.log10(ratio) if ratio else -math.inf


def from_db(level_db: float) -> float:
    """Voltage ratio [-] of a level in dB."""
    return float(10.0 ** (level_db / 20.0))


def dbv(volts: float) -> float:
    """Level in dBV of a voltage [V rms]."""
    return db(volts)


def from_dbv(level_dbv: float) -> float:
    """Voltage [V rms] of a level in dBV."""
    return from_db(level_dbv)


def from_dbu(level_dbu: float) -> float:
    """Voltage [V rms] of a level in dBu.

    >>> round(from_dbu(4.0), 3)
    1.228
    """
    return DBU_REFERENCE_V * from_db(level_dbu)


def from_dbm(level_dbm: float, ohm: float) -> float:
    """Voltage [V rms] of a power in dBm (against 1 mW) across an impedance [Ω]. Raises ValueError below 0 Ω.

    >>> round(from_dbm(0.0, 600.0), 4)
    0.7746
    """
    if ohm < 0:
        raise ValueError(tr("an impedance is zero or more, not {ohm}", ohm=ohm))
    return math.sqrt(1e-3 * 10.0 ** (level_dbm / 10.0) * ohm)
