"""The drilling template of a panel: printed 1:1, taped on, pricked through; with what is there drawn in so that it can be laid on right."""

from __future__ import annotations

from pigtail.catalogue.fittings import FittingKind, fitting_kind, fitting_kinds
from pigtail.drawing.shapes import (
    Circle,
    Drawing,
    Lettering,
    Shape,
    Stroke,
    box,
    cross,
    fitted,
    moved,
    scale_bar,
)
from pigtail.job.build import Area, AreaKind, Fitting, Panel
from pigtail.language import tr
from pigtail.panel.found import EDGE
from pigtail.panel.geometry import in_opening

#: The pilot hole, the square that proves the print, and the room under the panel for square and bar [mm].
PILOT, SQUARE, FOOT = 1.0, 50.0, 52.0
#: Layers of a template, as a DXF file has them.
LAYERS = ("outline", "holes", "keep", "marks", "words")


def hole_of(kind: FittingKind) -> str:
    """The hole of a fitting in words."""
    return (
        f"□ {kind.square[0]:g} × {kind.square[1]:g} mm"
        if kind.square
        else f"⌀ {kind.hole:g} mm".replace("⌀", "ø")
    )


def template(panel: Panel, *, checks: bool = True) -> Drawing:
    """The template as seen from outside; checks: with the square and the bar that prove the print."""
    shapes: list[Shape] = [box(0, 0, panel.width, panel.height, line=0.4, layer="outline")]
    for area in panel.areas:
        shapes += _area(area)
    placed = sorted((f for f in panel.fittings if f.kind in fitting_kinds()), key=lambda f: f.x or 0.0)
    for k, fitting in enumerate(placed):
        if fitting.x is not None and fitting.y is not None:
            shapes += _fitting(panel, fitting, fitting.x, fitting.y, below=k % 2 == 0)
    high = panel.height + 2 * EDGE
    every = list(moved(shapes, EDGE, EDGE))
    width = panel.width + 2 * EDGE
    if checks:
        top = high
        every += [box(EDGE, top, SQUARE, SQUARE, line=0.3, layer="marks")]
        every += [
            Lettering(
                EDGE + SQUARE / 2, top + SQUARE / 2, tr("50 mm each way"), 3.0, anchor="middle", layer="words"
            )
        ]
        every += moved(scale_bar(0, 0, 50.0), EDGE + SQUARE + 10, top + 8)
        words = (
            tr("Measure the square before you trust the print:"),
            tr("print at 100 %, not fitted to the page."),
            tr("Seen from outside."),
        )
        every += [
            Lettering(EDGE + SQUARE + 10, top + 20 + 4.2 * k, w, 2.8, layer="words")
            for k, w in enumerate(words)
        ]
        high += FOOT
        width = max(width, EDGE * 2 + SQUARE + 75)
    return Drawing(tr("Template, {panel}, 1:1", panel=panel.name), width, high, tuple(every), true=True)


def _area(area: Area) -> list[Shape]:
    kept = area.kind not in (AreaKind.OPENING, AreaKind.BOARD)
    dash = () if area.kind is AreaKind.OPENING else (3.0, 1.5) if kept else (1.0, 1.5)
    ink = "heed" if kept else "dim"
    found: list[Shape] = [
        box(area.x, area.y, area.width, area.height, line=0.25, ink=ink, dash=dash, layer="keep")
    ]
    if area.round:
        radius = area.width / 2
        found = [Circle(area.x + radius, area.y + radius, radius, 0.25, ink, layer="keep")]
    if kept and area.kind is not AreaKind.FITTED and not area.round:
        found += _hatched(area)
    size = 3.0
    text = fitted(area.name, size, max(area.width - 1, 8))
    found.append(
        Lettering(area.x + 0.8, area.y + min(area.height - 0.6, 3.8), text, size, "dim", layer="words")
    )
    return found


def _hatched(area: Area) -> list[Shape]:
    """Slanted lines over what must not be drilled."""
    found: list[Shape] = []
    offset = 5.0
    while offset < area.width + area.height:
        x0, y0 = area.x + min(offset, area.width), area.y + max(0.0, offset - area.width)
        x1, y1 = area.x + max(0.0, offset - area.height), area.y + min(offset, area.height)
        found.append(Stroke(((x0, y0), (x1, y1)), 0.1, "heed", layer="keep"))
        offset += 5.0
    return found


def _fitting(panel: Panel, fitting: Fitting, x: float, y: float, *, below: bool) -> list[Shape]:
    kind = fitting_kind(fitting.kind)
    found: list[Shape] = []
    if kind.square:
        w, h = kind.square
        found.append(box(x - w / 2, y - h / 2, w, h, line=0.3, layer="holes"))
    else:
        found.append(Circle(x, y, kind.hole / 2, 0.3, layer="holes"))
    found.append(Circle(x, y, kind.outer / 2, 0.15, "dim", layer="marks"))
    found += cross(x, y, kind.outer / 2 + 2.0, layer="marks")
    opened = in_opening(panel, kind, x, y) is not None
    if not opened:
        found.append(Circle(x, y, PILOT / 2, 0.15, layer="marks"))
    below = (below or y - kind.outer / 2 < 6.0) and y + kind.outer / 2 + 5.0 <= panel.height
    at = y + kind.outer / 2 + 3.4 if below else y - kind.outer / 2 - 1.6
    found.append(Lettering(x, at, f"{fitting.name}, {hole_of(kind)}", 2.6, anchor="middle", layer="words"))
    return found


def work_on(panel: Panel, fitting: Fitting) -> tuple[str, bool]:
    """How the hole of a fitting that has its place is made, in words, and whether anything is taken off the panel for it."""
    kind = fitting_kind(fitting.kind)
    assert fitting.x is not None
    assert fitting.y is not None
    opening = in_opening(panel, kind, fitting.x, fitting.y)
    if opening is not None and min(opening.width, opening.height) >= kind.hole:
        return tr("sits in {opening}; nothing to drill.", opening=opening.name), False
    if opening is not None:
        return tr(
            "open {opening} up to {hole_of} with a reamer or file.",
            opening=opening.name,
            hole_of=hole_of(kind),
        ), True
    if kind.square:
        filed = tr("drill ø {min:g} mm, file out to {hole_of}", min=min(kind.square), hole_of=hole_of(kind))
        return tr(
            "pilot {pilot:g} mm, {filed}; a bezel hides an untidy edge.", pilot=PILOT, filed=filed
        ), True
    if kind.hole > 4:
        return tr(
            "pilot {pilot:g} mm, then 3 mm, then {hole_of} (step drill or reamer).",
            pilot=PILOT,
            hole_of=hole_of(kind),
        ), True
    return tr("pilot {pilot:g} mm, then {hole_of}.", pilot=PILOT, hole_of=hole_of(kind)), True


def order_of_work(panel: Panel) -> tuple[str, ...]:
    """How the holes are made, in their order. Common practice."""
    drilled = [f for f in panel.fittings if f.x is not None and f.kind in fitting_kinds()]
    if not drilled:
        return ()
    lines = [tr("Unplug, wait until the reservoir is empty, and measure that it is.")]
    if panel.comes_off:
        lines.append(tr("Take the panel off and carry it away from the boards before anything is drilled."))
    else:
        lines.append(
            tr(
                "Turn the unit so that swarf falls out and not in; cover every board behind with tape "
                "and a cloth; have the vacuum run beside the drill."
            )
        )
    lines.append(
        tr(
            "Measure the 50 mm square of the print, lay the template on by its edges and by what is "
            "drawn in, tape it down."
        )
    )
    lines.append(tr("Look behind each mark once more: no wire, no board, no part of the supply."))
    lines += [f"{f.name}: {work_on(panel, f)[0]}" for f in drilled]
    return (
        *lines,
        tr(
            "Deburr both sides; take up all swarf with the vacuum and a magnet or tape before the "
            "cover goes on."
        ),
    )
