"""The log of readings, looked up by point: made once for a log, however many points ask it."""

from __future__ import annotations

from collections.abc import Iterable

from pigtail.job.document import Function, Job, Reading

KEPT = 8


class Log:
    """Standing readings, the oldest first, by their point and function."""

    def __init__(self, readings: Iterable[Reading]) -> None:
        self._at: dict[tuple[str, Function], list[Reading]] = {}
        self._touching: dict[str, list[Reading]] = {}
        for reading in readings:
            if reading.struck:
                continue
            self._at.setdefault((reading.point, reading.function), []).append(reading)
            for end in {reading.point, reading.against}:
                self._touching.setdefault(end, []).append(reading)

    def at(self, point: str, *functions: Function) -> tuple[Reading, ...]:
        """Readings of a point with the red probe on it."""
        return tuple(r for f in functions for r in self._at.get((point, f), ()))

    def touching(self, point: str) -> tuple[Reading, ...]:
        """Readings with either probe on a point."""
        return tuple(self._touching.get(point, ()))

    def between(self, a: str, b: str, *functions: Function) -> tuple[Reading, ...]:
        """Readings between two points, whichever probe was on which."""
        return tuple(r for r in self.touching(a) if b in (r.point, r.against) and r.function in functions)


_LOGS: list[tuple[tuple[Reading, ...], Log]] = []


def log_of(job: Job) -> Log:
    """The log of a job; kept for the last few, since jobs that differ in other things share their readings."""
    for readings, log in _LOGS:
        if readings is job.readings:
            return log
    log = Log(job.readings)
    _LOGS.append((job.readings, log))
    del _LOGS[:-KEPT]
    return log
