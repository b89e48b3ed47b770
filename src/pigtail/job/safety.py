"""Whether wires may be planned to a host at all: by how it is fed, and by what was read between its returns.

Limits: above 30 V AC rms, 42.4 V peak or 60 V DC treat as hazardous (IEC 62368-1, class ES1; from memory).
"""

from __future__ import annotations

import enum
import re

from pigtail.job.document import (
    BLADES,
    EARTH,
    HOST,
    OUTSIDE,
    UNPOWERED,
    AnyTerminal,
    Function,
    Job,
    Pin,
    Reading,
    Return,
    SupplyClass,
)
from pigtail.job.log import log_of
from pigtail.job.primary import plainly
from pigtail.job.windings import winding_at

#: How high the mains may stand against nominal (EN 50160).
MOST_MAINS = 1.1
#: Above this a voltage is hazardous: direct [V], and alternating [V rms].
HAZARD_DC_V, HAZARD_AC_V = 60.0, 30.0
#: Less than this from a return to the blades of the mains plug is no isolation [Ω]: a transformer has megohms. Common practice.
APART_FROM_MAINS_OHM = 500e3
LIMITS = {Function.DC_VOLTS: HAZARD_DC_V, Function.AC_VOLTS: HAZARD_AC_V}
#: Words for what is joined to the metal or the earth of a host.
METAL = re.compile(r"\b(earth\w*|ground\w*|chassis|metal\w*|case|cabinet|screen|shield|pe)\b")
#: What the note of a reading says that was taken behind an isolation transformer.
ISOLATED = "isolat"


class Safety(enum.Enum):
    """Whether wires may be planned to a host."""

    OPEN = "open"
    NOT_KNOWN = "not known"
    LIVE = "live"


def safety(job: Job) -> Safety:
    """Whether wires may be planned to the host of a job, as far as is known."""
    if job.host.supply is SupplyClass.LIVE_CHASSIS or live_reading(job) is not None:
        return Safety.LIVE
    return Safety.NOT_KNOWN if job.host.supply is SupplyClass.UNKNOWN else Safety.OPEN


def live_reading(job: Job) -> Reading | None:
    """A reading that shows a return of the host at a hazardous voltage against another of its returns, the earth of the mains or a pin
    that is called so, and that no later one taken behind an isolation transformer has replaced; or that it is joined to a blade of the
    mains plug. None if there is none. What any other pin reads is its own, such as that of a rail that nobody has named yet."""
    joined = next((r for r in reversed(log_of(job).touching(BLADES)) if _joined(r)), None)
    if joined is not None:
        return joined
    metal: dict[str, AnyTerminal] = {f"{HOST}.{t.id}": t for t in job.host.terminals if _metal(t)}
    metal |= OUTSIDE
    log = log_of(job)
    between = [
        r
        for address in metal
        for r in log.at(address, *LIMITS)
        if r.against in metal
        and not _phantom(r)
        and any(isinstance(metal[a], Return) for a in (r.point, r.against))
    ]
    if not any(_beyond(r) for r in between):
        return None
    open_ones: dict[frozenset[str], Reading] = {}
    taken = {r.id for r in between}
    for reading in (r for r in job.readings if r.id in taken):
        pair = frozenset((reading.point, reading.against))
        if _beyond(reading):
            open_ones[pair] = reading
        elif ISOLATED in reading.note.lower():
            open_ones.pop(pair, None)
    return next(iter(open_ones.values()), None)


def _phantom(reading: Reading) -> bool:
    """Whether volts against the earth of the mains were read with nothing across: what leaks alone shows half of the mains then."""
    return EARTH in (reading.point, reading.against) and reading.load is None


def _joined(reading: Reading) -> bool:
    """Whether a return rings, or nearly, to a blade of the mains plug."""
    return reading.function in UNPOWERED and reading.value.nominal < APART_FROM_MAINS_OHM


def _metal(terminal: AnyTerminal | None) -> bool:
    """Whether a terminal is metal that a person may touch or a return: a return, or a pin that is called earth or the like."""
    return isinstance(terminal, Return) or (
        isinstance(terminal, Pin) and METAL.search(plainly(terminal.name)) is not None
    )


def _volts(reading: Reading) -> float:
    """The most that a reading may stand for [V]."""
    return max(abs(reading.value.low), abs(reading.value.high))


def _beyond(reading: Reading) -> bool:
    return _volts(reading) > LIMITS[reading.function]


def most_volts(job: Job, address: str) -> tuple[float, Function]:
    """The most that a terminal may stand at against its return, and whether that is direct or alternating [V]: by its values, with
    their spread, and by all readings that stand, in any state. Nought where nothing is known."""
    terminal = job.terminal(address)
    values = [getattr(terminal, f, None) for f in ("voltage", "bias", "dc", "level")]
    most = max((max(abs(k.low), abs(k.high)) for k in values if k is not None and k.unit == "V"), default=0.0)
    found = (most, Function.DC_VOLTS)
    winding = winding_at(job, address)
    if winding is not None and winding.open is not None:
        level = job.mains.level.high if job.mains.level is not None else MOST_MAINS
        found = (winding.open.high * level, Function.AC_VOLTS)
    for reading in log_of(job).touching(address):
        other = reading.against if reading.point == address else reading.point
        if reading.function not in LIMITS or not (other == address or _metal(job.terminal(other))):
            continue
        if _volts(reading) / LIMITS[reading.function] > found[0] / LIMITS[found[1]]:
            found = (_volts(reading), reading.function)
    return found


def reaches_host(job: Job) -> bool:
    """Whether any wire is planned to the host."""
    return any(j.terminal.startswith(f"{HOST}.") for link in job.links for j in link.joins)
