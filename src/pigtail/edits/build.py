"""Edits of how it is built: the board, colours, mountings, the panel with its areas and fittings."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from pigtail.catalogue.fittings import fitting_kinds
from pigtail.edits.change import checked
from pigtail.job.build import Area, AreaKind, BoardKind, Build, ColourRule, Fitting, Mounting, Panel, Service
from pigtail.job.document import Job
from pigtail.job.errors import EditError
from pigtail.language import tr


def _built(job: Job, **changes: Any) -> Job:
    return checked(replace(job, build=replace(job.build, **changes)))


def set_board_kind(job: Job, kind: BoardKind) -> Job:
    """Choose what the networks sit on."""
    return _built(job, board=kind)


def set_service(job: Job, service: Service) -> Job:
    """Say what must stay possible with the wires joined."""
    return _built(job, service=service)


def set_shakes(job: Job, shakes: bool | None) -> Job:
    """Say whether a speaker shakes what is built; None where it is as is usual for the host."""
    return _built(job, shakes=shakes)


def set_copies(job: Job, copies: int) -> Job:
    """Say how many of it are built."""
    return _built(job, copies=copies)


def set_colour(job: Job, carries: str, colour: str) -> Job:
    """Give what a wire carries a colour of the person's own; none gives it the usual one."""
    kept = tuple(r for r in job.build.colours if r.carries != carries)
    own = (ColourRule(carries=carries, colour=colour.strip().lower()),) if colour.strip() else ()
    return _built(job, colours=(*kept, *own))


def set_mounting(job: Job, of: str, **changes: Any) -> Job:
    """Change how a module, or the board of the networks, is mounted: fields of `Mounting`."""
    old = job.build.mounting(of) or Mounting(of=of)
    kept = tuple(m for m in job.build.mountings if m.of != of)
    return _built(job, mountings=(*kept, replace(old, **changes)))


def set_panel(job: Job, panel: Panel | None) -> Job:
    """Put a panel in the place of the one that is there; None takes it away."""
    return _built(job, panel=panel)


def change_panel(job: Job, **changes: Any) -> Job:
    """Change fields of the panel. Raises EditError where there is none."""
    return _built(job, panel=replace(panel_of(job.build), **changes))


def panel_of(build: Build) -> Panel:
    """The panel of a build; raises EditError where there is none."""
    if build.panel is None:
        raise EditError(tr("there is no panel yet; give its width and height first"))
    return build.panel


def put_area(job: Job, area: Area) -> Job:
    """Add an area to the panel, or put it in the place of the one of its id."""
    panel = panel_of(job.build)
    if any(a.id == area.id for a in panel.areas):
        return change_panel(job, areas=tuple(area if a.id == area.id else a for a in panel.areas))
    return change_panel(job, areas=(*panel.areas, area))


def remove_area(job: Job, area_id: str) -> Job:
    """Take an area off the panel. Raises EditError for one that is not there."""
    panel = panel_of(job.build)
    if all(a.id != area_id for a in panel.areas):
        raise EditError(tr("there is no area {area_id}", area_id=area_id), value=area_id)
    return change_panel(job, areas=tuple(a for a in panel.areas if a.id != area_id))


def put_fitting(job: Job, fitting: Fitting) -> Job:
    """Add a fitting to the panel, or put it in the place of the one of its id. Raises EditError for a kind that the catalogue has not."""
    panel = panel_of(job.build)
    if fitting.kind not in fitting_kinds():
        raise EditError(
            tr(
                "the catalogue has no fitting “{kind}”; choose one of {listed}",
                kind=fitting.kind,
                listed=", ".join(fitting_kinds()),
            ),
            value=fitting.kind,
        )
    if any(f.id == fitting.id for f in panel.fittings):
        return change_panel(job, fittings=tuple(fitting if f.id == fitting.id else f for f in panel.fittings))
    return change_panel(job, fittings=(*panel.fittings, fitting))


def place_fitting(job: Job, fitting_id: str, x: float | None, y: float | None) -> Job:
    """Put the middle of a fitting somewhere [mm], or nowhere. Raises EditError for one that is not there."""
    return put_fitting(job, replace(_fitting(job, fitting_id), x=x, y=y))


def remove_fitting(job: Job, fitting_id: str) -> Job:
    """Take a fitting off the panel. Raises EditError for one that is not there."""
    gone = _fitting(job, fitting_id)
    return change_panel(job, fittings=tuple(f for f in panel_of(job.build).fittings if f is not gone))


def _fitting(job: Job, fitting_id: str) -> Fitting:
    found = next((f for f in panel_of(job.build).fittings if f.id == fitting_id), None)
    if found is None:
        raise EditError(tr("there is no fitting {fitting_id}", fitting_id=fitting_id), value=fitting_id)
    return found


def outlined(panel: Panel, x: float, y: float, width: float, height: float) -> Panel:
    """A panel that is a rectangle of what it was [mm]: its photo, areas and fittings stay where they are on it."""
    return replace(
        panel,
        width=width,
        height=height,
        photo_x=panel.photo_x + x,
        photo_y=panel.photo_y + y,
        areas=tuple(replace(a, x=round(a.x - x, 3), y=round(a.y - y, 3)) for a in panel.areas),
        fittings=tuple(
            replace(f, x=round(f.x - x, 3), y=round(f.y - y, 3)) if f.x is not None and f.y is not None else f
            for f in panel.fittings
        ),
    )


def free_panel_id(panel: Panel, stem: str) -> str:
    """An id that no area or fitting of a panel has yet: the stem with a number."""
    taken = {a.id for a in panel.areas} | {f.id for f in panel.fittings}
    return next(f"{stem}_{n}" for n in range(1, 100_000) if f"{stem}_{n}" not in taken)


def stem_of(kind: AreaKind | str) -> str:
    """What ids of areas and fittings of a kind begin with."""
    return kind.name.lower() if isinstance(kind, AreaKind) else kind[:20]
