"""A board as drawings: the part side and the solder side at true size, and parts joined point to point.

What is cut is crossed out, what is soldered is a dot, a bare jumper a heavy line, an insulated one a double one: told apart without colour.
"""

from __future__ import annotations

import itertools

from pigtail.board.board import LittleBoard, Placed, at, named
from pigtail.board.forms import PITCH
from pigtail.board.parts import BoardPart, Mounted, WireHole
from pigtail.drawing.shapes import (
    Circle,
    Drawing,
    Lettering,
    Shape,
    Stroke,
    box,
    cross,
    fitted,
    mirrored,
    moved,
    words_width,
)
from pigtail.job.build import BoardKind
from pigtail.language import tr

#: Room for the letters of rows and the numbers of columns [mm].
_EDGE = 5.0
_TYPE, _SMALL = 1.7, 1.3


def part_side(board: LittleBoard) -> Drawing:
    """The board from the side of the parts."""
    shapes: list[Shape] = [*_copper(board, behind=True), *_grid(board, "faint")]
    for j in board.jumpers:
        shapes += _jumper(at(j.start), at(j.end), insulated=j.insulated)
    for placed in board.placed:
        shapes += _part(placed)
    for wire, hole in board.wires:
        x, y = at(hole)
        shapes += [
            Circle(x, y, 1.05, 0.2, "ink", "paper"),
            Lettering(x, y + 0.5, wire.name, _SMALL, anchor="middle", bold=True),
        ]
    return _framed(board, tr("Part side"), shapes, seen_from_behind=False)


def solder_side(board: LittleBoard) -> Drawing:
    """The board from the side of the copper, mirrored, as it lies when it is soldered."""
    width = board.size_mm[0]
    copper = [*_copper(board, behind=False), *_joints(board)]
    for hole in board.cuts:
        x, y = at(hole)
        copper += [Circle(x, y, 1.1, 0.2, "ink", "paper")]
        copper += _crossed(x, y, 1.0, 0.45, "ink")
    return _framed(board, tr("Solder side, mirrored"), list(mirrored(copper, width)), seen_from_behind=True)


def _framed(board: LittleBoard, title: str, shapes: list[Shape], *, seen_from_behind: bool) -> Drawing:
    """Shapes of a board with its edge, the letters of its rows and the numbers of its columns."""
    width, height = board.size_mm
    marks: list[Shape] = [box(0, 0, width, height, line=0.35)]
    for row in range(board.rows):
        marks.append(Lettering(-0.8, at((0, row))[1] + 0.6, named((0, row))[:-1], _TYPE, "dim", "end"))
    for column in range(board.columns):
        x = at((column, 0))[0]
        x = width - x if seen_from_behind else x
        if column % 2 == 0 or board.columns <= 12:
            marks.append(Lettering(x, -0.8, str(column + 1), _TYPE, "dim", "middle"))
    every = moved([*marks[:1], *shapes, *marks[1:]], _EDGE, _EDGE)
    return Drawing(title, width + 2 * _EDGE, height + 1.5 * _EDGE, every, true=True)


def _copper(board: LittleBoard, *, behind: bool) -> list[Shape]:
    """Strips, their ends at the cuts left open; or the wires of a perforated board. From the part side only a hint of them."""
    found: list[Shape] = []
    right = board.columns - 1
    if board.kind is BoardKind.STRIP:
        for row in range(board.rows):
            stops = [-1, *sorted(c for c, r in board.cuts if r == row), right + 1]
            for a, b in itertools.pairwise(stops):
                if b - a > 1:
                    x0, y = at((a + 1, row))
                    x1, _ = at((b - 1, row))
                    found.append(
                        box(
                            x0 - 1,
                            y - 0.95,
                            x1 - x0 + 2,
                            1.9,
                            line=0,
                            ink="",
                            fill="#eee7da" if behind else "#ddd2bf",
                        )
                    )
    for trace in board.traces:
        line = (at((trace.start, trace.row)), at((trace.end, trace.row)))
        found.append(Stroke(line, 0.8 if not behind else 0.5, "dim" if not behind else "faint"))
    if behind:
        for hole in board.cuts:
            x, y = at(hole)
            found += _crossed(x, y, 0.8, 0.2, "dim")
    return found


def _crossed(x: float, y: float, arm: float, line: float, ink: str) -> list[Shape]:
    """What is cut: crossed out."""
    ways = (((x - arm, y - arm), (x + arm, y + arm)), ((x - arm, y + arm), (x + arm, y - arm)))
    return [Stroke(way, line, ink) for way in ways]


def _grid(board: LittleBoard, ink: str) -> list[Shape]:
    holes = ((c, r) for r in range(board.rows) for c in range(board.columns))
    return [Circle(*at(h), 0.4, 0.12, ink, "paper") for h in holes]


def _joints(board: LittleBoard) -> list[Shape]:
    """What is soldered: a dot in each hole that is used, and which pin it is."""
    found = _grid(board, "dim")
    pins = [(f"{p.part.name}", h) for p in board.placed for h in p.holes] + [
        (w.name, h) for w, h in board.wires
    ]
    pins += [("", h) for j in board.jumpers for h in (j.start, j.end)]
    for name, hole in pins:
        x, y = at(hole)
        found += [Circle(x, y, 0.6, 0, "", "ink"), Lettering(x, y - 0.75, name, 1.1, "ink", "middle")]
    return found


def _jumper(a: tuple[float, float], b: tuple[float, float], *, insulated: bool) -> list[Shape]:
    ends: list[Shape] = [Circle(*a, 0.4, 0, "", "ink"), Circle(*b, 0.4, 0, "", "ink")]
    if insulated:
        return [Stroke((a, b), 0.9, "ink"), Stroke((a, b), 0.5, "paper"), *ends]
    return [Stroke((a, b), 0.55, "ink"), *ends]


def _part(placed: Placed) -> list[Shape]:
    part, (left, top, right, bottom) = placed.part, placed.body
    holes = [at(h) for h in placed.holes]
    middle = ((left + right) / 2, (top + bottom) / 2)
    shapes: list[Shape] = []
    if len(holes) == 2:
        shapes.append(Stroke((holes[0], holes[1]), 0.3))
        shapes += _two_leads(placed, holes, middle)
    else:
        shapes.append(box(left + 0.2, top + 0.2, right - left - 0.4, bottom - top - 0.4, fill="paper"))
        if part.shape.straddles:
            shapes.append(Circle(holes[0][0] + 1.6, holes[0][1], 0.5, 0.25))
    shapes += [Circle(x, y, 0.4, 0, "", "ink") for x, y in holes]
    for k, leg in enumerate(part.legs):
        shapes.append(Lettering(holes[k][0] + 0.7, holes[k][1] + 0.5, leg, _SMALL, "dim"))
    return [*shapes, *_name(placed, middle)]


def _two_leads(placed: Placed, holes: list[tuple[float, float]], middle: tuple[float, float]) -> list[Shape]:
    """The body of a part of two leads: a rectangle between them, a circle where it stands on end or is round; its bar or plus."""
    part, form = placed.part, placed.part.shape
    x, y = middle
    reach = abs(holes[1][1] - holes[0][1])
    shapes: list[Shape] = []
    if form.high and form.high == form.wide:
        shapes.append(Circle(x, y, form.wide / 2 - 0.2, 0.3, "ink", "paper"))
    elif placed.stands and part.axial:
        shapes.append(Circle(*holes[0], form.wide / 2 - 0.2, 0.3, "ink", "paper"))
    else:
        high = form.high or min(reach - 1.2, 6.5) if reach > 2 * PITCH else max(form.high, reach, 1.6)
        shapes.append(box(x - form.wide / 2 + 0.2, y - high / 2, form.wide - 0.4, high, fill="paper"))
        if part.mark >= 0 and part.form.startswith("diode"):
            end = y + (high / 2 - 0.7) * (1 if holes[part.mark][1] > y else -1)
            shapes.append(Stroke(((x - form.wide / 2 + 0.2, end), (x + form.wide / 2 - 0.2, end)), 0.6))
    if part.mark >= 0 and part.form.startswith("electrolytic"):
        mark = holes[part.mark]
        shapes += cross(mark[0] - 1.3, mark[1], 0.5, line=0.25)
    elif part.mark >= 0 and placed.stands:
        mark = holes[part.mark]
        shapes.append(Stroke(((mark[0] - 0.9, mark[1] - 0.9), (mark[0] + 0.9, mark[1] - 0.9)), 0.5))
    return shapes


def _name(placed: Placed, middle: tuple[float, float]) -> list[Shape]:
    """The designator on a ground of its own, turned along a part that is narrow; beside the body of one that stands on end."""
    left, top, right, bottom = placed.body
    turned = bottom - top > right - left and right - left < 6
    room = bottom - top - 0.6 if turned else right - left - 0.6
    text = fitted(placed.part.name, _TYPE, room)
    x, y = middle
    wide = words_width(text, _TYPE, bold=True) + 0.3
    if len(placed.holes) == 2 and placed.stands and placed.part.axial:
        (x0, y0), (_, y1) = (at(h) for h in placed.holes)
        body = placed.part.shape.wide / 2
        x, y = x0, y1 - (wide / 2 - 0.4) * (1 if y1 > y0 else -1)
        if abs(y1 - y0) < body + wide:
            x, y = x0 + body + 0.3, (y0 + y1) / 2
    if turned:
        ground = box(x - _TYPE / 2 + 0.1, y - wide / 2, _TYPE - 0.1, wide, line=0, ink="", fill="paper")
        return [ground, Lettering(x + 0.6, y, text, _TYPE, anchor="middle", bold=True, angle=-90.0)]
    return [Lettering(x, y + 0.6, text, _TYPE, anchor="middle", bold=True)]


def point_to_point(wanted: Mounted) -> Drawing:
    """Parts joined without a board: each net a joint, from left to right, each part between the joints that it belongs to."""
    nets = wanted.nets
    at_x = {n: 22.0 + 34.0 * k for k, n in enumerate(nets)}
    width = max(44.0 + 34.0 * max(len(nets) - 1, 0), 60.0)
    height = 16.0 + 11.0 * max(len(wanted.parts), 1) + 14.0
    shapes: list[Shape] = []
    rows = {p.name: 14.0 + 11.0 * k for k, p in enumerate(wanted.parts)}
    for k, net in enumerate(nets, start=1):
        ys = [rows[p.name] for p in wanted.parts if net in p.nets]
        wires = [w for w in wanted.holes if w.net == net]
        bottom = height - 9.0 if wires else max(ys, default=14.0)
        top = min(ys, default=14.0)
        shapes.append(Stroke(((at_x[net], top), (at_x[net], bottom)), 0.6))
        shapes.append(Lettering(at_x[net], 6.0, tr("joint {k}", k=k), 2.2, "dim", "middle"))
        for n, wire in enumerate(wires):
            label = fitted(f"{_wire_word(wire)} {wire.leads}", 2.2, 33.0)
            shapes.append(Lettering(at_x[net], bottom + 3.4 + 3 * n, label, 2.2, anchor="middle", bold=True))
    for part in wanted.parts:
        shapes += _between(part, rows[part.name], at_x)
    return Drawing(tr("Joined point to point"), width, height, tuple(shapes))


def _between(part: BoardPart, y: float, at_x: dict[str, float]) -> list[Shape]:
    xs = [at_x[n] for n in part.nets]
    shapes: list[Shape] = [Stroke(((min(xs), y), (max(xs), y)), 0.35)]
    shapes += [Circle(x, y, 0.7, 0, "", "ink") for x in xs]
    first, last = min(xs), max(xs)
    middle = (first + last) / 2 if len(at_x) < 3 or last - first < 60 else first + 17.0
    shapes.append(box(middle - 11, y - 3, 22, 6, fill="paper"))
    shapes.append(
        Lettering(
            middle, y + 0.8, fitted(f"{part.name} {part.value}", 2.3, 21), 2.3, anchor="middle", bold=True
        )
    )
    if part.mark >= 0:
        side = 1 if xs[part.mark] > middle else -1
        shapes.append(
            Lettering(
                middle + side * 13.0,
                y - 1.0,
                "+" if part.name.startswith("C") else "bar",
                2.4,
                anchor="middle",
            )
        )
    return shapes


def words_of(board: LittleBoard) -> dict[str, tuple[str, ...]]:
    """The work on a board in words: where to cut, what to bridge, what goes where."""
    return {
        "cuts": tuple(named(h) for h in board.cuts),
        "jumpers": tuple(
            f"{named(j.start)}–{named(j.end)}, {'insulated' if j.insulated else 'bare'}"
            for j in board.jumpers
        ),
        "wires": tuple(
            tr("{wire_word} at {named}: {leads}", wire_word=_wire_word(w), named=named(h), leads=w.leads)
            for w, h in board.wires
        ),
        "bare wires": tuple(f"{named((t.start, t.row))}–{named((t.end, t.row))}" for t in board.traces),
    }


def _wire_word(wire: WireHole) -> str:
    return tr("wire {wire}", wire=wire.name) if wire.name.isdigit() else tr("lead {wire}", wire=wire.name)


def seats(board: LittleBoard) -> tuple[tuple[str, str, str, str], ...]:
    """Each part with its value, its holes and how it sits."""
    found = []
    for p in board.placed:
        holes = " ".join(named(h) for h in p.holes)
        if p.part.mark >= 0:
            word = "bar" if p.part.form.startswith("diode") else "+"
            holes += f", {word} {named(p.holes[p.part.mark])}"
        elif p.part.form.startswith("electrolytic"):
            holes += tr(", way round not said")
        how = ("standing" if p.stands else "lying") if p.part.axial else ""
        found.append((p.part.name, p.part.value or p.part.words, holes, how))
    return tuple(found)
