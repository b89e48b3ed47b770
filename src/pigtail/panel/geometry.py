"""Whether a fitting may sit at a place of a panel: each clash by its kind. All measures in millimetres.

Outside a nut or flange must not lie on what must stay and be read; behind a body must not meet posts, ribs, what travels, and must not be
deeper than what is free there."""

from __future__ import annotations

import enum
import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pigtail.catalogue.fittings import FittingKind, fitting_kind
from pigtail.job.build import Area, AreaKind, Fitting, Panel
from pigtail.language import tr

Grid = NDArray[np.float64]
#: What stays between a nut or a body and what it must not touch [mm]. Common practice.
MARGIN = 1.0
#: How much of a nut must bear on the panel round an opening [mm].
BEARS = 1.0


class Clash(enum.Enum):
    """What is wrong with a place."""

    LABEL = "label"
    POST = "post"
    TRAVEL = "travel"
    FITTED = "fitted"
    EDGE = "edge"
    NEAR = "near"
    DEEP = "deep"
    THICK = "thick"
    OPENING = "opening"
    LARGE = "large"


class Hit(NamedTuple):
    """A clash: its kind, what it is with, and how far it is [mm]: by how much a thing is too near, too deep or too thick."""

    kind: Clash
    what: str
    by: float


#: Kinds of areas and what a clash with them is.
_KINDS = {
    AreaKind.LABEL: Clash.LABEL, AreaKind.PLATE: Clash.LABEL, AreaKind.POST: Clash.POST, AreaKind.RIB: Clash.POST,
    AreaKind.TRAVEL: Clash.TRAVEL, AreaKind.FITTED: Clash.FITTED,
}  # fmt: skip
_OUTSIDE = (AreaKind.LABEL, AreaKind.PLATE)
_BEHIND = (AreaKind.POST, AreaKind.RIB, AreaKind.TRAVEL)


def radius_for(kind: FittingKind, area: AreaKind) -> float:
    """The radius that a fitting takes where an area of a kind is met: outside its nut, behind its body, else the larger [mm]."""
    if area in _OUTSIDE:
        return kind.outer_radius
    if area in _BEHIND or area is AreaKind.BOARD:
        return kind.body_radius
    return max(kind.outer_radius, kind.body_radius)


def distances(area: Area, x: Grid, y: Grid) -> Grid:
    """How far places lie from an area [mm], 0 inside it; shapes that go together, as the answer has them."""
    if area.round:
        radius = area.width / 2
        return np.asarray(np.maximum(np.hypot(x - area.x - radius, y - area.y - radius) - radius, 0.0))
    dx = np.maximum(np.maximum(area.x - x, x - area.x - area.width), 0.0)
    dy = np.maximum(np.maximum(area.y - y, y - area.y - area.height), 0.0)
    return np.asarray(np.hypot(dx, dy))


def distance_to(area: Area, x: float, y: float) -> float:
    """How far a place lies from an area [mm], 0 inside it."""
    return float(distances(area, np.asarray(x), np.asarray(y)))


def covered_by(area: Area, x: float, y: float, radius: float) -> bool:
    """Whether an area lies wholly in a circle of a radius about a place [mm]."""
    if area.round:
        return math.hypot(area.x + area.width / 2 - x, area.y + area.width / 2 - y) + area.width / 2 <= radius
    corners = (
        (area.x, area.y),
        (area.x + area.width, area.y),
        (area.x, area.y + area.height),
        (area.x + area.width, area.y + area.height),
    )
    return all(math.hypot(cx - x, cy - y) <= radius for cx, cy in corners)


def in_opening(panel: Panel, kind: FittingKind, x: float, y: float) -> Area | None:
    """The opening that a fitting at a place uses: one that its nut or flange covers all round; None where it wants a hole of its own. The
    place in [mm]."""
    return next(
        (
            a
            for a in panel.areas
            if a.kind is AreaKind.OPENING and covered_by(a, x, y, kind.outer / 2 - BEARS / 2)
        ),
        None,
    )


def clashes(
    panel: Panel, kind: FittingKind, x: float, y: float, others: tuple[Fitting, ...] = ()
) -> tuple[Hit, ...]:
    """All that is wrong with a fitting of a kind at a place [mm], others being in the panel already."""
    found = [*_edges(panel, kind, x, y)]
    for area in panel.areas:
        away = distance_to(area, x, y)
        if area.kind in _KINDS:
            lacks = radius_for(kind, area.kind) + MARGIN - away
            if lacks > 1e-9:
                found.append(Hit(_KINDS[area.kind], area.name, lacks))
        elif area.kind is AreaKind.BOARD:
            if away < kind.body_radius and 0 < area.depth < kind.behind:
                found.append(Hit(Clash.DEEP, area.name, kind.behind - area.depth))
        else:
            found += _opening(kind, area, x, y, away)
    if 0 < panel.depth < kind.behind:
        found.append(Hit(Clash.DEEP, panel.name, kind.behind - panel.depth))
    if panel.thickness > kind.grips:
        found.append(Hit(Clash.THICK, panel.name, panel.thickness - kind.grips))
    for other in others:
        if other.x is not None and other.y is not None:
            theirs = fitting_kind(other.kind)
            wanted = apart(kind, theirs)
            away = math.hypot(other.x - x, other.y - y)
            if away < wanted - 1e-9:
                found.append(Hit(Clash.NEAR, other.name, wanted - away))
    return tuple(found)


def apart(a: FittingKind, b: FittingKind) -> float:
    """How far the middles of two fittings must lie apart [mm]: for nuts and bodies, and for the plugs and hands that come to them."""
    solid = max(a.outer_radius, a.body_radius) + max(b.outer_radius, b.body_radius) + MARGIN
    return max(solid, (a.spacing + b.spacing) / 2)


def _edges(panel: Panel, kind: FittingKind, x: float, y: float) -> list[Hit]:
    room = min(x, y, panel.width - x, panel.height - y)
    lacks = max(kind.outer_radius, kind.body_radius) + MARGIN - room
    return [Hit(Clash.EDGE, panel.name, lacks)] if lacks > 1e-9 else []


def _opening(kind: FittingKind, area: Area, x: float, y: float, away: float) -> list[Hit]:
    """An opening is used where the nut covers it, left alone where it is clear; one that is larger than the nut needs a plate over it."""
    radius = kind.outer_radius
    if away >= radius + MARGIN - 1e-9 or covered_by(area, x, y, kind.outer / 2 - BEARS / 2):
        return []
    if away == 0:
        return [Hit(Clash.LARGE, area.name, max(area.width, area.height) - kind.outer)]
    return [Hit(Clash.OPENING, area.name, radius + MARGIN - away)]


def unmeasured(panel: Panel, kind: FittingKind, x: float, y: float) -> tuple[str, ...]:
    """What must be measured before a fitting can be said to fit at a place [mm]."""
    boards = [a for a in panel.areas if a.kind is AreaKind.BOARD and distance_to(a, x, y) < kind.body_radius]
    found = [tr("the depth before {a}", a=a.name) for a in boards if a.depth <= 0]
    if not boards and panel.depth <= 0:
        found.append(tr("the free depth behind the panel"))
    if panel.thickness <= 0:
        found.append(tr("the thickness of the panel"))
    return tuple(found)
