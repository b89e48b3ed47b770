"""Where a fitting sits best on a panel: every place of a fine grid, those that clash left out, the rest ranked.

An opening that is there goes before a new hole; then what lies level with its neighbours, well clear of what it must not touch.
"""

from __future__ import annotations

import math

import numpy as np

from pigtail.catalogue.fittings import FittingKind, fitting_kind
from pigtail.job.build import KEPT, AreaKind, Fitting, Panel
from pigtail.language import tr
from pigtail.panel.found import PlaceFound
from pigtail.panel.geometry import MARGIN, Grid, apart, clashes, distances, in_opening, radius_for

#: The step of the grid [mm], made coarser for a very large panel, and the most points that are tried.
STEP, MOST_POINTS = 1.0, 400_000
#: How much a place is worth: in an opening, level with a neighbour; a millimetre clear counts one, up to so many.
OPENED, LEVEL, CLEAR = 100.0, 12.0, 10.0
#: Places that are offered lie so many times the fitting's own size apart.
APART = 2.0
MOST = 6


def ranked_places(panel: Panel, fitting: Fitting, most: int = MOST) -> tuple[PlaceFound, ...]:
    """The best places for a fitting, the best first; none where it fits nowhere."""
    kind = fitting_kind(fitting.kind)
    others = tuple(f for f in panel.fittings if f.id != fitting.id and f.x is not None)
    if panel.thickness > kind.grips or 0 < panel.depth < kind.behind:
        return ()
    found = _in_openings(panel, kind, others)
    xs, ys = _grid(panel)
    clear = clearance(panel, kind, xs, ys, others)
    levels = _levels(panel, others)
    worth = np.where(clear >= 0, np.minimum(clear, CLEAR), -np.inf)
    if levels.size:
        off = np.abs(ys[None, :] - levels[:, None]).min(axis=0)
        worth = worth + LEVEL * np.maximum(0.0, 1.0 - off / 5.0)[:, None]
    middle = _middle(panel, others)
    worth = worth - 0.02 * np.hypot(xs[None, :] - middle[0], ys[:, None] - middle[1])
    reach = APART * max(kind.outer, kind.body)
    while len(found) < most and np.isfinite(worth).any() and worth.max() > -np.inf:
        row, column = np.unravel_index(int(np.argmax(worth)), worth.shape)
        x, y = float(xs[column]), float(ys[row])
        if not any(h for h in clashes(panel, kind, x, y, others)) and all(
            math.hypot(p.x - x, p.y - y) >= reach for p in found
        ):
            level = bool(levels.size) and float(np.abs(levels - y).min()) < 0.5 * STEP + 1e-9
            found.append(
                PlaceFound(x, y, float(worth[row, column]), _why(float(clear[row, column]), level=level))
            )
        near = np.hypot(xs[None, :] - x, ys[:, None] - y) < reach
        worth = np.where(near, -np.inf, worth)
    return tuple(found[:most])


def _why(clear: float, *, level: bool) -> str:
    words = [tr("{clear:.0f} mm clear", clear=clear) if clear >= 1 else tr("just clear")]
    return ", ".join([tr("level with the others"), *words] if level else words)


def _grid(panel: Panel) -> tuple[Grid, Grid]:
    step = max(STEP, math.sqrt(panel.width * panel.height / MOST_POINTS))
    return np.arange(step, panel.width, step), np.arange(step, panel.height, step)


def clearance(panel: Panel, kind: FittingKind, xs: Grid, ys: Grid, others: tuple[Fitting, ...]) -> Grid:
    """How far a fitting at each place is clear of all that it must not touch, beyond the margin [mm], shape [y, x]; below 0 it clashes."""
    x, y = xs[None, :], ys[:, None]
    edge = max(kind.outer_radius, kind.body_radius) + MARGIN
    clear = np.minimum(np.minimum(x, panel.width - x), np.minimum(y, panel.height - y)) - edge
    for area in panel.areas:
        away = distances(area, x, y)
        if area.kind in KEPT or area.kind is AreaKind.OPENING:
            clear = np.minimum(clear, away - radius_for(kind, area.kind) - MARGIN)
        elif 0 < area.depth < kind.behind:
            clear = np.minimum(clear, away - kind.body_radius)
    for other in others:
        if other.x is not None and other.y is not None:
            clear = np.minimum(
                clear, np.hypot(x - other.x, y - other.y) - apart(kind, fitting_kind(other.kind))
            )
    return clear


def _in_openings(panel: Panel, kind: FittingKind, others: tuple[Fitting, ...]) -> list[PlaceFound]:
    """Openings that the fitting covers all round, those that need no filing first."""
    found = []
    for area in panel.areas:
        x, y = area.x + area.width / 2, area.y + (area.width if area.round else area.height) / 2
        if (
            area.kind is not AreaKind.OPENING
            or in_opening(panel, kind, x, y) is not area
            or clashes(panel, kind, x, y, others)
        ):
            continue
        wide = min(area.width, area.height) >= kind.hole
        words = (
            tr("in {area}, nothing to drill", area=area.name)
            if wide
            else tr("in {area}, opened up to {hole:g} mm", area=area.name, hole=kind.hole)
        )
        found.append(PlaceFound(x, y, OPENED + (10.0 if wide else 0.0), words, area.id))
    return sorted(found, key=lambda p: -p.worth)


def _levels(panel: Panel, others: tuple[Fitting, ...]) -> Grid:
    """The heights at which neighbours sit: fittings, openings, and what is fitted already."""
    found = [f.y for f in others if f.y is not None]
    found += [a.y + a.height / 2 for a in panel.areas if a.kind in (AreaKind.OPENING, AreaKind.FITTED)]
    return np.array(sorted(set(found)), dtype=float)


def _middle(panel: Panel, others: tuple[Fitting, ...]) -> tuple[float, float]:
    """Where the neighbours are, or the middle of the panel where there are none."""
    places = [(f.x, f.y) for f in others if f.x is not None and f.y is not None]
    if not places:
        return panel.width / 2, panel.height / 2
    return sum(p[0] for p in places) / len(places), sum(p[1] for p in places) / len(places)
