"""What mends what stands against building: another colour, a screen joined at one end, a joint that is held, another place on the panel."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial
from typing import Any

from msgspec.structs import replace

from pigtail.advice.proposing import propose_plan
from pigtail.edits.build import (
    change_panel,
    place_fitting,
    put_area,
    set_board_kind,
    set_colour,
    set_mounting,
)
from pigtail.edits.change import Edit
from pigtail.edits.links import set_conductor
from pigtail.edits.modules import remove_module
from pigtail.job.build import AreaKind, BoardKind, Fixing, Metal, Relief, ScreenAt
from pigtail.job.document import Job, Picture
from pigtail.language import tr
from pigtail.panel.places import ranked_places
from pigtail.studies.findings import Finding
from pigtail.studies.loom.found import LoomWire
from pigtail.studies.loom.telling import alike_pairs, beside_noise, heavy_on_pads
from pigtail.studies.loom.wires import loom_wires, usual_colours
from pigtail.units import Basis, Known

Fix = tuple[str, Edit]
#: Colours that are offered where two wires need telling apart, in this order.
SPARE = ("blue", "brown", "violet", "grey", "yellow", "orange", "white", "green", "red")
#: How many places of a panel are offered.
PLACES = 2
#: A wire between two points of one board is longer than the straight line between them by this, and by so much [m].
BENT, ENDS_M = 1.3, 0.02
#: How far off such a length may be [1].
PHOTO_SPREAD = 0.25


def build_fixes(job: Job, finding: Finding) -> Iterator[Fix]:
    """Edits worth trying for a finding of Build."""
    kind = finding.code.removeprefix("build.")
    if kind in ("left_out", "silent"):
        yield tr("propose a plan for it"), partial(propose_plan, module_id=finding.subject)
        if kind == "left_out":
            yield tr("take it out of the job"), partial(remove_module, module_id=finding.subject)
        return
    if kind.startswith(("hole_", "unplaced")):
        yield from _places(job, finding.subject)
    elif kind == "point_many":
        for board in (BoardKind.STRIP, BoardKind.PERFORATED):
            yield tr("put them on {board}", board=board.value), partial(set_board_kind, kind=board)
    elif kind.startswith("swarf"):
        yield from _swarf(job)
    elif job.build.mounting(finding.subject) is not None:
        yield from _held(job, finding.subject, kind)
    else:
        yield from _wires(job, finding, kind)


def _on(wire: LoomWire, **changes: Any) -> Edit:
    return partial(set_conductor, link_id=wire.link, port=wire.port, **changes)


def _wires(job: Job, finding: Finding, kind: str) -> Iterator[Fix]:
    wires = loom_wires(job)
    here = [w for w in wires if w.link == finding.subject]
    if kind == "colour_clash":
        yield from _clash(job, wires, finding.subject)
    elif kind == "swap":
        for a, b in alike_pairs(wires):
            if a.link == finding.subject:
                yield from _apart(wires, a, b)
    elif kind.startswith("screen_"):
        wrong = [w for w in here if w.screened and w.screen in (ScreenAt.BOTH, ScreenAt.NEITHER)]
        for at, words in (
            (ScreenAt.TERMINAL, tr("at the terminal only")),
            (ScreenAt.BOARD, tr("at the network only")),
        ):
            yield tr("join the screen {words}", words=words), _each(wrong, screen=at)
    elif kind in ("shaken", "no_relief"):
        bare = [w for w in here if w.fine and w.relief is Relief.NONE]
        yield tr("hold the joint with hot glue or adhesive"), _each(bare, relief=Relief.GLUE)
        yield tr("tie the wire beside the joint"), _each(bare, relief=Relief.TIE)
    elif kind == "together":
        close = [w for w, _, _ in beside_noise(job, wires) if w.link == finding.subject]
        yield tr("screen the wire, joined at one end"), _each(close, screened=True)
        yield tr("give it a route of its own"), _each(close, route=tr("a route of its own"))
    elif kind == "heavy":
        yield (
            tr("enamelled wire, AWG 30"),
            _each([w for w in heavy_on_pads(job, wires) if w.link == finding.subject], gauge=30),
        )
    elif kind.startswith("twist_"):
        yield tr("take it out of the twist"), _each([w for w in here if w.twist], twist="")
    elif kind == "length_unknown":
        yield from _measured_on_photo(job, here)


def _each(wires: list[LoomWire], **changes: Any) -> Edit:
    """One edit that changes several wires alike."""

    def edit(job: Job) -> Job:
        for w in wires:
            job = set_conductor(job, w.link, w.port, **changes)
        return job

    return edit


def _clash(job: Job, wires: tuple[LoomWire, ...], colour: str) -> Iterator[Fix]:
    """The usual colours again where wires have their own; else a colour that no other wire has for one of the meanings."""
    usual = usual_colours()
    odd = [w for w in wires if w.colour == colour and usual[w.function] != colour]
    if odd:

        def as_usual(job: Job) -> Job:
            for function in dict.fromkeys(w.function for w in odd):
                job = set_colour(job, function, "")
            for w in odd:
                job = set_conductor(job, w.link, w.port, colour="")
            return job

        yield tr("give each its usual colour"), as_usual
    functions = list(dict.fromkeys(w.function for w in wires if w.colour == colour))
    free = [c for c in SPARE if all(w.colour != c for w in wires)]
    if len(functions) > 1 and free:
        last = [w for w in wires if w.function == functions[-1] and w.colour == colour]

        def other(job: Job) -> Job:
            job = set_colour(job, functions[-1], free[0])
            for w in last:
                job = set_conductor(job, w.link, w.port, colour="")
            return job

        yield f"{functions[-1]} {free[0]}", other


def _apart(wires: tuple[LoomWire, ...], a: LoomWire, b: LoomWire) -> Iterator[Fix]:
    usual = usual_colours()
    for w, other in ((a, b), (b, a)):
        if usual[w.function] not in (w.colour, other.colour):
            yield (
                tr("{function} {usual}, as is usual", function=w.function, usual=usual[w.function]),
                _on(w, colour=usual[w.function]),
            )
    free = [c for c in SPARE if all(w.colour != c for w in wires)]
    if free:
        yield (
            tr("{function} of {start} {free}", function=a.function, start=a.start, free=free[0]),
            _on(a, colour=free[0]),
        )


def _measured_on_photo(job: Job, wires: list[LoomWire]) -> Iterator[Fix]:
    """The length between two points that are pinned on one scaled photo: along its edges, not across."""
    for w in (w for w in wires if w.length is None and w.b):
        for picture in job.pictures:
            length = pinned_length(picture, w.a, w.b)
            if length is not None:
                known = Known.of(
                    length, "m", Basis.MEASURED, tolerance=PHOTO_SPREAD, source=f"pinned on {picture.name}"
                )
                yield (
                    tr("{value:.0f} cm, as pinned on {picture}", value=100 * length, picture=picture.name),
                    _on(w, length=known),
                )


def pinned_length(picture: Picture, a: str, b: str) -> float | None:
    """How long a wire between two points is [m] that are pinned on a scaled picture; None where they are not, or where it hangs on how high
    the picture is, which is not kept: photos are from 9:16 to 16:9."""
    pins = {p.point: p for p in picture.pins}
    if picture.mm_per_width <= 0 or a not in pins or b not in pins or a == b:
        return None
    dx, dy = pins[a].x - pins[b].x, pins[a].y - pins[b].y
    least, most = (math.hypot(dx, dy * high) * picture.mm_per_width * 1e-3 for high in (9 / 16, 16 / 9))
    if most > (1 + PHOTO_SPREAD) * least:
        return None
    return round(BENT * most + ENDS_M, 3)


def _held(job: Job, of: str, kind: str) -> Iterator[Fix]:
    fixes: dict[str, tuple[tuple[str, dict[str, Any]], ...]] = {
        "loose": (
            (tr("tape it down"), {"fixing": Fixing.TAPE}),
            (tr("put it on stand-offs"), {"fixing": Fixing.STANDOFFS}),
        ),
        "fixing_unsaid": (
            (tr("tape it down"), {"fixing": Fixing.TAPE}),
            (tr("put it on stand-offs"), {"fixing": Fixing.STANDOFFS}),
        ),
        "antenna_shut": (
            (tr("put it at a slot or window"), {"antenna": Metal.SLOT}),
            (tr("put it outside the metal"), {"antenna": Metal.CLEAR}),
        ),
        "sharp": ((tr("trim the leads and put a sheet between"), {"sharp": False}),),
    }
    stem = next((s for s in fixes if kind.startswith(s)), "")
    for label, changes in fixes.get(stem, ()):
        if kind not in ("sharp_battery", "sharp_unknown"):
            yield label, partial(set_mounting, of=of, **changes)


def _places(job: Job, fitting_id: str) -> Iterator[Fix]:
    """The best places that the panel has for a fitting."""
    panel = job.build.panel
    fitting = next((f for f in panel.fittings if f.id == fitting_id), None) if panel is not None else None
    if panel is None or fitting is None:
        return
    for place in ranked_places(panel, replace(fitting, x=None, y=None), PLACES):
        label = tr(
            "{fitting} at {x:g}, {y:g} mm: {why}", fitting=fitting.name, x=place.x, y=place.y, why=place.why
        )
        yield label, partial(place_fitting, fitting_id=fitting_id, x=place.x, y=place.y)


def _swarf(job: Job) -> Iterator[Fix]:
    panel = job.build.panel
    if panel is None:
        return
    yield tr("take the panel off for drilling"), partial(change_panel, comes_off=True)
    open_boards = [a for a in panel.areas if a.kind is AreaKind.BOARD and a.covered is not True]
    if open_boards and panel.comes_off is False:

        def cover(job: Job) -> Job:
            for area in open_boards:
                job = put_area(job, replace(area, covered=True))
            return job

        yield tr("cover {listed} with tape and a cloth", listed=", ".join(a.name for a in open_boards)), cover
