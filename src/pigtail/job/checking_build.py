"""Whether what is told of the build makes sense: measures, ids and what they name."""

from __future__ import annotations

import math

from pigtail.job.build import BOARD, CELL, Area, Build, Fitting, Mounting, Panel
from pigtail.job.checking import check_unique, listed_ids
from pigtail.job.document import Job
from pigtail.job.errors import JobError
from pigtail.language import tr

#: The largest that anything is on a panel or a board [mm], and the most copies.
LARGEST_MM, MOST_COPIES = 5_000.0, 1_000
#: The most areas and fittings of one panel.
MOST_ON_PANEL = 500


def check_build(job: Job) -> None:
    """Raise JobError, naming the place and the mend, for what cannot be."""
    build = job.build
    if not 1 <= build.copies <= MOST_COPIES:
        raise JobError(
            tr("copies are 1 to {most_copies}", most_copies=MOST_COPIES),
            where="build.copies",
            value=build.copies,
        )
    _colours(build)
    devices = {m.id for m in job.modules} | {BOARD, CELL}
    seen: set[str] = set()
    for at, mounting in enumerate(build.mountings):
        place = f"build.mountings[{at}]"
        if mounting.of not in devices:
            raise JobError(
                tr(
                    "“{of}” is not there; choose one of {listed_ids}",
                    of=mounting.of,
                    listed_ids=listed_ids(devices),
                ),
                where=f"{place}.of",
            )
        if mounting.of in seen:
            raise JobError(tr("“{of}” is mounted twice; keep one", of=mounting.of), where=f"{place}.of")
        seen.add(mounting.of)
        _lengths(mounting, ("width", "depth", "height", "room"), place)
    if build.panel is not None:
        _panel(build.panel)


def _colours(build: Build) -> None:
    for at, rule in enumerate(build.colours):
        if not rule.carries.strip() or not rule.colour.strip():
            raise JobError(tr("a colour needs its name and what it means"), where=f"build.colours[{at}]")
    carried = [r.carries for r in build.colours]
    if len(set(carried)) < len(carried):
        raise JobError(tr("one of them has two colours; keep one"), where="build.colours")


def _panel(panel: Panel) -> None:
    _lengths(panel, ("width", "height", "thickness", "depth"), "build.panel")
    if not (panel.width > 0 and panel.height > 0):
        raise JobError(tr("a panel has a width and a height above 0 mm"), where="build.panel")
    for value in (panel.photo_x, panel.photo_y):
        if not (math.isfinite(value) and abs(value) <= LARGEST_MM):
            raise JobError(tr("{value:g} mm lies on no photo", value=value), where="build.panel", value=value)
    if max(len(panel.areas), len(panel.fittings)) > MOST_ON_PANEL:
        raise JobError(
            tr("a panel has at most {most_on_panel} areas and fittings", most_on_panel=MOST_ON_PANEL),
            where="build.panel",
        )
    check_unique("build.panel.areas", (a.id for a in panel.areas))
    check_unique("build.panel.fittings", (f.id for f in panel.fittings))
    for at, area in enumerate(panel.areas):
        place = f"build.panel.areas[{at}]"
        _lengths(area, ("width", "height", "depth"), place)
        _place(area, place)
        if not (area.width > 0 and area.height > 0):
            raise JobError(tr("an area has a width and a height above 0 mm"), where=place)
    for at, fitting in enumerate(panel.fittings):
        _place(fitting, f"build.panel.fittings[{at}]")
        if (fitting.x is None) is not (fitting.y is None):
            raise JobError(tr("a place has both x and y, or neither"), where=f"build.panel.fittings[{at}]")


def _lengths(record: Mounting | Panel | Area, fields: tuple[str, ...], place: str) -> None:
    for field in fields:
        value = getattr(record, field)
        if not (math.isfinite(value) and 0 <= value <= LARGEST_MM):
            raise JobError(
                tr("{value:g} mm cannot be; give 0 to {largest_mm:g} mm", value=value, largest_mm=LARGEST_MM),
                where=f"{place}.{field}",
                value=value,
            )


def _place(record: Area | Fitting, place: str) -> None:
    for field in ("x", "y"):
        value = getattr(record, field)
        if value is not None and not (math.isfinite(value) and abs(value) <= LARGEST_MM):
            raise JobError(
                tr("{value:g} mm lies on no panel", value=value), where=f"{place}.{field}", value=value
            )
