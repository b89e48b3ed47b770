"""Places on a panel, held against a general geometry library on thousands of random panels."""

from __future__ import annotations

import math
import random

import pytest
import shapely
from msgspec.structs import replace

from pigtail.catalogue.fittings import fitting_kind, fitting_kinds
from pigtail.job.build import Area, AreaKind, Fitting, Panel
from pigtail.panel.geometry import BEARS, MARGIN, Clash, apart, clashes, radius_for, unmeasured
from pigtail.panel.places import ranked_places
from pigtail.panel.template import order_of_work

KINDS = tuple(fitting_kinds())


def panel(seed: int, areas: int | None = None) -> Panel:
    """A random panel with areas of all kinds, some of them round, some off its edge."""
    chance = random.Random(seed)
    width, height = chance.uniform(60, 430), chance.uniform(30, 130)
    found = []
    for k in range(chance.randint(0, 14) if areas is None else areas):
        w = chance.uniform(3, 60)
        found.append(
            Area(
                id=f"a_{k}", name=f"area {k}", kind=chance.choice(list(AreaKind)), x=chance.uniform(-10, width), y=chance.uniform(-10, height),
                width=w, height=chance.uniform(3, 40), depth=chance.choice([0.0, 8.0, 20.0, 45.0]), round=chance.random() < 0.3,
            )
        )  # fmt: skip
    fittings = tuple(
        Fitting(
            id=f"f_{k}",
            kind=chance.choice(KINDS),
            name=f"fitting {k}",
            x=chance.uniform(5, width),
            y=chance.uniform(5, height),
        )
        for k in range(chance.randint(0, 3))
    )
    depth, thick = chance.choice([0.0, 15.0, 60.0]), chance.choice([0.0, 1.0, 3.8])
    return Panel(
        width=width, height=height, thickness=thick, depth=depth, areas=tuple(found), fittings=fittings
    )


def shape(area: Area) -> shapely.Geometry:
    if area.round:
        return shapely.Point(area.x + area.width / 2, area.y + area.width / 2).buffer(
            area.width / 2, quad_segs=256
        )
    return shapely.box(area.x, area.y, area.x + area.width, area.y + area.height)


def expected(p: Panel, key: str, x: float, y: float) -> set[Clash] | None:
    """What the geometry library says of a place; None where it lies so near to a limit that the circle's polygon decides."""
    kind, at, found, near = fitting_kind(key), shapely.Point(x, y), set(), []

    corner = math.sqrt(2) if kind.square else 1.0

    def within(distance: float, limit: float) -> bool:
        near.append(abs(distance - limit))
        return distance < limit

    edge = shapely.box(0, 0, p.width, p.height)
    inside = at.within(edge)
    if not inside or within(at.distance(edge.exterior), max(kind.outer, kind.body) / 2 * corner + MARGIN):
        found.add(Clash.EDGE)
    told = {
        AreaKind.LABEL: Clash.LABEL, AreaKind.PLATE: Clash.LABEL, AreaKind.POST: Clash.POST, AreaKind.RIB: Clash.POST,
        AreaKind.TRAVEL: Clash.TRAVEL, AreaKind.FITTED: Clash.FITTED,
    }  # fmt: skip
    for area in p.areas:
        there = shape(area)
        away = at.distance(there)
        if area.kind in told and within(away, radius_for(kind, area.kind) + MARGIN):
            found.add(told[area.kind])
        elif (
            area.kind is AreaKind.BOARD
            and within(away, kind.body / 2 * corner)
            and 0 < area.depth < kind.behind
        ):
            found.add(Clash.DEEP)
        elif area.kind is AreaKind.OPENING and within(away, kind.outer / 2 * corner + MARGIN):
            farthest = at.hausdorff_distance(there)
            if within(kind.outer / 2 - BEARS / 2, farthest):
                found.add(Clash.LARGE if at.within(there) else Clash.OPENING)
    if 0 < p.depth < kind.behind:
        found.add(Clash.DEEP)
    if p.thickness > kind.grips:
        found.add(Clash.THICK)
    for other in p.fittings:
        assert other.x is not None
        if within(at.distance(shapely.Point(other.x, other.y)), apart(kind, fitting_kind(other.kind))):
            found.add(Clash.NEAR)
    return None if min(near, default=1.0) < 0.01 else found


@pytest.mark.parametrize("block", range(4))
def test_clashes_are_those_of_a_geometry_library(block: int) -> None:
    """Four thousand random panels, a random fitting at a random place of each."""
    told = 0
    for seed in range(1000 * block, 1000 * block + 1000):
        p, chance = panel(seed), random.Random(seed + 7)
        key, x, y = chance.choice(KINDS), chance.uniform(0, p.width), chance.uniform(0, p.height)
        wanted = expected(p, key, x, y)
        if wanted is None:
            continue
        told += 1
        assert {h.kind for h in clashes(p, fitting_kind(key), x, y, p.fittings)} == wanted, (seed, key, x, y)
    assert told > 900


@pytest.mark.parametrize("seed", range(60))
def test_places_that_are_offered_clash_with_nothing(seed: int) -> None:
    """By the geometry library again, whatever the grid says; and they are apart from each other."""
    p, key = replace(panel(seed), depth=60.0, thickness=1.0), KINDS[seed % len(KINDS)]
    wanted = Fitting(id="new", kind=key, name="new")
    found = ranked_places(p, wanted)
    for place in found:
        assert not clashes(p, fitting_kind(key), place.x, place.y, p.fittings)
        assert expected(p, key, place.x, place.y) in (set(), None)
    assert len({(f.x, f.y) for f in found}) == len(found)
    assert [f.worth for f in found] == sorted((f.worth for f in found), reverse=True)


def hole(name: str = "old hole", wide: float = 7.0, x: float = 40.0, y: float = 20.0) -> Area:
    return Area(
        id="o_1",
        name=name,
        kind=AreaKind.OPENING,
        x=x - wide / 2,
        y=y - wide / 2,
        width=wide,
        height=wide,
        round=True,
    )


PLAIN = Panel(width=120, height=40, thickness=1.0, depth=60.0)
JACK = Fitting(id="j_1", kind="jack_3_5", name="line output")


def test_an_opening_that_is_there_goes_before_a_new_hole() -> None:
    """The old aerial hole of 7 mm takes the 3.5 mm jack with nothing to drill; it is no good for what its nut does not cover."""
    best = ranked_places(replace(PLAIN, areas=(hole(),)), JACK)[0]
    assert (best.x, best.y, best.opening) == (40.0, 20.0, "o_1")
    assert "nothing to drill" in best.why
    assert ranked_places(replace(PLAIN, areas=(hole(wide=12.0),)), JACK)[0].opening == ""


def test_what_comes_beside_a_neighbour_is_level_with_it() -> None:
    """The second jack is offered at the height of the first."""
    p = replace(PLAIN, fittings=(replace(JACK, x=40.0, y=17.0),))
    best = ranked_places(p, replace(JACK, id="j_2"))[0]
    assert best.y == 17.0
    assert abs(best.x - 40.0) >= apart(fitting_kind("jack_3_5"), fitting_kind("jack_3_5"))


def test_where_it_fits_nowhere_nothing_is_offered() -> None:
    """Too shallow, too thick, or all of it kept."""
    full = Area(id="p_1", name="rating plate", kind=AreaKind.PLATE, x=0, y=0, width=120, height=40)
    for p in (replace(PLAIN, depth=10.0), replace(PLAIN, thickness=6.0), replace(PLAIN, areas=(full,))):
        assert ranked_places(p, JACK) == ()


def test_what_is_not_measured_is_asked_for() -> None:
    """Depth and thickness of a bare panel; before a board only the depth there."""
    kind = fitting_kind("jack_3_5")
    assert len(unmeasured(Panel(width=100, height=40), kind, 50, 20)) == 2
    board = Area(id="b_1", name="tone board", kind=AreaKind.BOARD, x=30, y=0, width=40, height=40)
    assert unmeasured(replace(PLAIN, areas=(board,)), kind, 50, 20) == ("the depth before tone board",)
    assert unmeasured(replace(PLAIN, areas=(replace(board, depth=40.0),)), kind, 50, 20) == ()


def test_the_order_of_work_drills_small_first_and_keeps_swarf_out() -> None:
    """Pilot before final, the panel off the case or the boards covered, an opening used as it is."""
    p = replace(
        PLAIN,
        comes_off=False,
        areas=(hole(),),
        fittings=(replace(JACK, x=80.0, y=20.0), Fitting(id="l", kind="led", name="light", x=100, y=20)),
    )
    lines = order_of_work(p)
    jack = next(line for line in lines if line.startswith("line output"))
    assert jack.index("pilot 1 mm") < jack.index("3 mm,") < jack.index("6 mm")
    assert any("swarf falls out" in line for line in lines)
    assert any("away from the boards" in line for line in order_of_work(replace(p, comes_off=True)))
    used = replace(p, fittings=(replace(JACK, x=40.0, y=20.0),))
    assert any("nothing to drill" in line for line in order_of_work(used))


def test_the_corners_of_what_is_square_are_kept_clear_too() -> None:
    """An optical jack 8 mm from a post clears it by its side and not by its corner."""
    post = Area(id="p_1", name="post", kind=AreaKind.POST, x=66.0, y=26.0, width=8.0, height=8.0)
    p = replace(PLAIN, areas=(post,))
    assert {h.kind for h in clashes(p, fitting_kind("optical"), 60.0, 20.0)} == {Clash.POST}
    assert not clashes(p, fitting_kind("jack_3_5"), 60.0, 20.0)


@pytest.mark.parametrize("key", KINDS)
def test_fittings_of_the_catalogue_make_sense(key: str) -> None:
    """A nut covers its hole, likes do not overlap; holes as the trade drills them."""
    kind = fitting_kind(key)
    assert kind.outer > kind.hole
    assert kind.spacing >= max(kind.outer, kind.body)
    assert math.isfinite(kind.behind)
    usual = {"jack_3_5": (6, 6), "rca": (8, 9.5), "led": (3, 3), "switch": (6, 6)}
    if key in usual:
        assert usual[key][0] <= kind.hole <= usual[key][1]
