"""A reading as it is taken: the number that the meter showed becomes a value with the meter's spread."""

from __future__ import annotations

from datetime import datetime

from pigtail.job.document import HEARD, UNPOWERED, Function, Job, Reading
from pigtail.job.errors import EditError
from pigtail.job.meters import meter
from pigtail.language import tr
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
    The value in the [unit of the function].

    A current is read in series with its point, and against none. Raises EditError for what is only looked at, two probes on one point,
    an ammeter across two, or a number that its function cannot give.
    """
    if function is Function.LOOK:
        raise EditError(
            tr("what is seen is no reading; say how the host is fed at the survey"), value=function.value
        )
    if function is Function.CURRENT and against not in ("", point):
        raise EditError(across(job, point, against), value=against)
    if function is Function.CURRENT:
        against = ""
    elif point == against and function is not Function.HEARD:
        raise EditError(tr("a reading needs two different points: move one probe"), value=point)
    if function in NEVER_NEGATIVE and value < 0:
        raise EditError(
            tr("a resistance cannot be negative; swap the probes and read again")
            if function is Function.RESISTANCE
            else tr("{function} cannot be negative; read again", function=tr(function.value)),
            value=value,
        )
    if function is Function.HEARD and value not in range(len(HEARD)):
        raise EditError(tr("what was heard is one of {listed}", listed=", ".join(HEARD)), value=value)
    kind = instrument or job.meter
    return Reading(
        id=f"r{number or free_number(job)}",
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


def across(job: Job, point: str, against: str) -> str:
    """Why an ammeter may not stand between two points, and where it belongs, in words."""
    return tr(
        "an ammeter from {point} to {against} is a dead short; read current in series, in the "
        "opened lead of {point} (a fuse, a link), black probe on no second point",
        point=job.label(point),
        against=job.label(against),
    )


def _set(value: float | None, unit: str, tolerance: float) -> Known | None:
    if value is None:
        return None
    if not value > 0:
        raise EditError(
            tr(
                "{value:g} {unit} is no load, resistor or current; give one above zero",
                value=value,
                unit=unit,
            ),
            value=value,
        )
    return Known.of(value, unit, Basis.DOCUMENTED, tolerance=tolerance, source="typed")


def free_number(job: Job) -> int:
    names = {r.id for r in job.readings}
    return next(n for n in range(len(names) + 1, 2 * len(names) + 3) if f"r{n}" not in names)
