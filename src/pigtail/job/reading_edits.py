"""Edits of the log: readings are added, struck and corrected; none is ever overwritten."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from msgspec.structs import replace

from pigtail.job.edits import checked
from pigtail.job.errors import EditError
from pigtail.job.meters import meter, meters
from pigtail.job.model import FUNCTION_UNITS, HEARD, UNPOWERED, Function, Job, Reading
from pigtail.units.known import Basis, Known

#: How well the value of a resistor that is soldered in for a reading is known, and that of a current set on a supply.
LOAD_TOLERANCE, CURRENT_TOLERANCE = 0.01, 0.03
NEVER_NEGATIVE = (*UNPOWERED, Function.FREQUENCY, Function.AC_VOLTS)


def taken(
    job: Job,
    *,
    point: str,
    against: str,
    state: str,
    function: Function,
    value: float,
    when: datetime,
    instrument: str = "",
    note: str = "",
    load: float | None = None,
    series: float | None = None,
    current: float | None = None,
    drive: str = "",
    corrects: str = "",
    number: int = 0,
) -> Reading:
    """A reading as the log would hold it: the value in the unit of its function, its spread that of the meter.

    Raises EditError for two probes on one point, or a number that its function cannot give.
    """
    if point == against and function is not Function.HEARD:
        raise EditError("a reading needs two different points: move one probe", value=point)
    if function in NEVER_NEGATIVE and value < 0:
        raise EditError(
            "a resistance cannot be negative; swap the probes and read again"
            if function is Function.RESISTANCE
            else f"{function.value} cannot be negative; read again",
            value=value,
        )
    if function is Function.HEARD and value not in range(len(HEARD)):
        raise EditError(f"what was heard is one of {', '.join(HEARD)}", value=value)
    kind = instrument or job.meter
    return Reading(
        id=f"r{number or _free(job)}",
        when=when.isoformat(timespec="seconds"),
        point=point,
        against=against,
        state=state,
        function=function,
        value=meter(kind).value(function, value),
        instrument=kind,
        note=note,
        load=_set(load, "Ω", LOAD_TOLERANCE),
        series=_set(series, "Ω", LOAD_TOLERANCE),
        current=_set(current, "A", CURRENT_TOLERANCE),
        drive=drive,
        corrects=corrects,
    )


def _set(value: float | None, unit: str, tolerance: float) -> Known | None:
    if value is None:
        return None
    if not value > 0:
        raise EditError(
            f"{value:g} {unit} is no load, resistor or current; give one above nought", value=value
        )
    return Known.of(value, unit, Basis.DOCUMENTED, tolerance=tolerance, source="typed")


def _free(job: Job) -> int:
    names = {r.id for r in job.readings}
    return next(n for n in range(len(names) + 1, 2 * len(names) + 3) if f"r{n}" not in names)


def log_reading(job: Job, **what) -> Job:  # type: ignore[no-untyped-def]
    """Add a reading to the log; its arguments are those of `taken`."""
    return checked(replace(job, readings=(*job.readings, taken(job, **what))))


def log_readings(job: Job, rows: Iterable[Reading]) -> Job:
    """Add readings that were imported, each under an id of its own."""
    number = _free(job)
    added = tuple(replace(r, id=f"r{number + k}") for k, r in enumerate(rows))
    return checked(replace(job, readings=(*job.readings, *added)))


def strike_reading(job: Job, reading_id: str) -> Job:
    """Strike a reading: it is kept, and counts no more."""
    _find(job, reading_id)
    return replace(
        job, readings=tuple(replace(r, struck=True) if r.id == reading_id else r for r in job.readings)
    )


def correct_reading(job: Job, reading_id: str, value: float, when: datetime) -> Job:
    """Strike a reading and put another beside it that says what it should have been."""
    old = _find(job, reading_id)
    known = meter(old.instrument or job.meter).value(old.function, value)
    new = replace(
        old,
        id=f"r{_free(job)}",
        value=known,
        when=when.isoformat(timespec="seconds"),
        corrects=old.id,
        struck=False,
    )
    struck = strike_reading(job, reading_id)
    return checked(replace(struck, readings=(*struck.readings, new)))


def _find(job: Job, reading_id: str) -> Reading:
    found = next((r for r in job.readings if r.id == reading_id), None)
    if found is None:
        raise EditError(f"there is no reading {reading_id}", value=reading_id)
    return found


def set_meter(job: Job, key: str) -> Job:
    """Choose the kind of meter that readings are taken with from now on."""
    if key not in meters():
        raise EditError(f"there is no meter {key}; choose one of {', '.join(meters())}", value=key)
    return replace(job, meter=key)


def unit_of(function: Function) -> str:
    """The unit in which a function is typed."""
    return FUNCTION_UNITS[function]
