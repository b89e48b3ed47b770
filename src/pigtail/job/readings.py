"""How readings enter the model: a reading never overwrites a document, it outranks it."""

from __future__ import annotations

import msgspec

from pigtail.job.model import HOST, AnyTerminal, AudioIn, Function, Job, Path, Reading, Return, alive
from pigtail.job.quantities import quantities
from pigtail.units.known import Basis, Known

#: Accuracy of a handheld meter, relative and as a floor in the unit. Common practice, no source.
ACCURACY: dict[Function, tuple[float, float]] = {
    Function.DC_VOLTS: (0.008, 0.002),
    Function.AC_VOLTS: (0.015, 0.002),
    Function.RESISTANCE: (0.012, 0.02),
    Function.CURRENT: (0.015, 0.0002),
}


def reading_value(function: Function, number: float, unit: str) -> Known:
    """A number read off a handheld meter, with the spread of its accuracy."""
    relative, floor = ACCURACY[function]
    half = abs(number) * relative + floor
    low = max(number - half, 1e-3) if function is Function.RESISTANCE and number > 1e-3 else number - half
    return Known(nominal=number, low=low, high=number + half, unit=unit, basis=Basis.MEASURED)


def standing(job: Job, point: str, function: Function | None = None) -> tuple[Reading, ...]:
    """Readings of a point that are not struck, the oldest first."""
    return tuple(
        r
        for r in job.readings
        if not r.struck and r.point == point and (function is None or r.function is function)
    )


def feeding(job: Job, address: str, terminal: AnyTerminal, function: Function) -> Reading | None:
    """The reading that a value of a terminal rests on, or None.

    It was taken in a state in which the terminal is alive, against a return of the same device. Of several
    states the latest reading of each counts; for DC on an input the one furthest from nought, else the latest.
    """
    device = address.partition(".")[0]
    latest: dict[str, Reading] = {}
    for reading in standing(job, address, function):
        same_device = reading.against.partition(".")[0] == device
        if (
            same_device
            and alive(terminal, reading.state)
            and isinstance(job.terminal(reading.against), Return)
        ):
            latest.pop(reading.state, None)
            latest[reading.state] = reading
    if not latest:
        return None
    if isinstance(terminal, AudioIn) and function is Function.DC_VOLTS:
        return max(latest.values(), key=lambda r: abs(r.value.nominal))
    return list(latest.values())[-1]


def _measured(reading: Reading) -> Known:
    return msgspec.structs.replace(reading.value, basis=Basis.MEASURED, source=f"reading {reading.id}")


def _terminal(job: Job, address: str, terminal: AnyTerminal) -> AnyTerminal:
    changes = {}
    for item in quantities(terminal):
        reading = feeding(job, address, terminal, item.feeds) if item.feeds else None
        if reading and reading.value.low >= item.lowest:
            changes[item.field] = _measured(reading)
    return msgspec.structs.replace(terminal, **changes) if changes else terminal


def _path(job: Job, device: str, path: Path) -> Path:
    ends = {f"{device}.{path.a}", f"{device}.{path.b}"}
    found = [
        r
        for r in job.readings
        if not r.struck
        and r.function is Function.RESISTANCE
        and {r.point, r.against} == ends
        and r.value.low > 0
    ]
    return msgspec.structs.replace(path, resistance=_measured(found[-1])) if found else path


def effective(job: Job) -> Job:
    """The job with each value replaced by the reading that outranks it; the same object if none does."""
    if not job.readings:
        return job
    host = msgspec.structs.replace(
        job.host,
        terminals=tuple(_terminal(job, f"{HOST}.{t.id}", t) for t in job.host.terminals),
        paths=tuple(_path(job, HOST, p) for p in job.host.paths),
    )
    modules = tuple(
        msgspec.structs.replace(
            m,
            terminals=tuple(_terminal(job, f"{m.id}.{t.id}", t) for t in m.terminals),
            paths=tuple(_path(job, m.id, p) for p in m.paths),
        )
        for m in job.modules
    )
    return msgspec.structs.replace(job, host=host, modules=modules)
