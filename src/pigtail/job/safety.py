"""Whether wires may be planned to a host at all: by how it is fed, and by what was read between its returns.

Limits: above 30 V AC rms, 42.4 V peak or 60 V DC treat as hazardous (IEC 62368-1, class ES1; from memory).
"""

from __future__ import annotations

import enum

from pigtail.job.document import HOST, Function, Job, Pin, Reading, Return, SupplyClass

#: Above this a voltage is hazardous: direct [V], and alternating [V rms].
HAZARD_DC_V, HAZARD_AC_V = 60.0, 30.0
LIMITS = {Function.DC_VOLTS: HAZARD_DC_V, Function.AC_VOLTS: HAZARD_AC_V}
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
    """A reading that shows a return of the host at a hazardous voltage against another of its returns, such as the earth, and that
    no later one taken behind an isolation transformer has replaced; None if there is none."""
    open_ones: dict[frozenset[str], Reading] = {}
    for reading in job.readings:
        ends = [job.terminal(a) for a in (reading.point, reading.against)]
        of_host = all(a.startswith(f"{HOST}.") for a in (reading.point, reading.against))
        if reading.struck or not of_host or reading.function not in LIMITS:
            continue
        if not all(isinstance(t, Return | Pin) for t in ends) or not any(isinstance(t, Return) for t in ends):
            continue
        pair = frozenset((reading.point, reading.against))
        if max(abs(reading.value.low), abs(reading.value.high)) > LIMITS[reading.function]:
            open_ones[pair] = reading
        elif ISOLATED in reading.note.lower():
            open_ones.pop(pair, None)
    return next(iter(open_ones.values()), None)


def most_volts(job: Job, address: str) -> tuple[float, Function]:
    """The most that a terminal may stand at against its return, and whether that is direct or alternating [V]: by its values, with
    their spread, and by all readings that stand, in any state. Nought where nothing is known."""
    terminal = job.terminal(address)
    values = [getattr(terminal, f, None) for f in ("voltage", "bias", "dc", "level")]
    most = max((max(abs(k.low), abs(k.high)) for k in values if k is not None and k.unit == "V"), default=0.0)
    found = (most, Function.DC_VOLTS)
    for reading in job.readings:
        if (
            reading.struck
            or address not in (reading.point, reading.against)
            or reading.function not in LIMITS
        ):
            continue
        if not all(
            isinstance(job.terminal(a), Return) or a == address for a in (reading.point, reading.against)
        ):
            continue
        volts = max(abs(reading.value.low), abs(reading.value.high))
        if volts / LIMITS[reading.function] > found[0] / LIMITS[found[1]]:
            found = (volts, reading.function)
    return found


def reaches_host(job: Job) -> bool:
    """Whether any wire is planned to the host."""
    return any(j.terminal.startswith(f"{HOST}.") for link in job.links for j in link.joins)
