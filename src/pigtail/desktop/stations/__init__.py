"""The stations: each paints one study and edits in place. A station's file is loaded when it is first shown."""

from __future__ import annotations

from importlib import import_module

from pigtail.studies.register import entry

TYPE_CHECKING = False
if TYPE_CHECKING:
    from pigtail.desktop.stations.base import Station
    from pigtail.studies.found import Studies


def station_class(key: str) -> type[Station]:
    """The class of a station; it lies in a folder named as that of its study, whose file `station` names its class STATION."""
    found: type[Station] = import_module(f"{__name__}.{entry(key).place}.station").STATION
    return found


def first_station(studies: Studies) -> str:
    """Where a job that was just opened starts: at its worst station, else at the first."""
    order = ("stop", "fix", "unknown")
    open_ones = [s for s in studies.each() if s.verdict.value in order]
    return (
        min(open_ones, key=lambda s: order.index(s.verdict.value)).name
        if open_ones
        else studies.each()[0].name
    )
