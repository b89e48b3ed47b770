"""The networks of a link as lanes: each net a lane, its parts between the lanes as they stand on the little board, ports at the edges."""

from __future__ import annotations

from typing import NamedTuple

from pigtail.board.forms import bodies_of
from pigtail.board.parts import BoardPart, LinkNets, Mounted, hangs
from pigtail.drawing.shapes import Circle, Lettering, Shape, Stroke, box, fitted, words_width
from pigtail.job.document import HOST, Link
from pigtail.language import tr
from pigtail.model import names
from pigtail.model.cascade import networks

#: Distance of lanes, room for a part of two leads and for one of more, half of its box, the border beside them, sizes of type [mm].
_LANE, _COLUMN, _BLOCK, _HALF, _BORDER = 11.0, 15.0, 20.0, 6.8, 6.0
_TYPE, _SMALL, _TINY = 3.3, 2.9, 2.6
_HEAD = 13.0


class Lanes(NamedTuple):
    """What stands in the middle for a link: how high and wide it is, the height of each of its ports within it, its shapes [mm]."""

    link: Link
    height: float
    width: float
    ports: dict[str, float]
    shapes: tuple[Shape, ...]


def lanes_of(link: Link, board: Mounted) -> Lanes:
    """The networks of a link: a lane for each net, its parts of the board between them, ports at the edges."""
    nets = LinkNets(link)
    units = _units(link, board, nets)
    on_port = {j.port: nets.of(names.of_link(link.id, j.port)) for j in link.joins}
    lanes = _lanes(units, on_port)
    heights = {n: _HEAD + _LANE * k for k, n in enumerate(lanes)}
    rooms = [_COLUMN if _slim(u) else _BLOCK for u in units]
    starts = [_BORDER + sum(rooms[:k]) for k in range(len(units))]
    at = [x + (4.0 if _slim(u) else _BLOCK / 2) for x, u in zip(starts, units, strict=True)]
    width = max(2 * _BORDER + sum(rooms), words_width(link.name, _TYPE, bold=True) + 10, 40.0)
    shapes: list[Shape] = [Lettering(3, 5.0, link.name, _TYPE, bold=True)]
    taken: dict[str, int] = {}
    ports: dict[str, float] = {}
    reach: dict[str, list[float]] = {
        n: [x for x, u in zip(at, units, strict=True) if n in u.nets] for n in lanes
    }
    for join in link.joins:
        net = on_port[join.port]
        x = 0.0 if join.terminal.startswith(f"{HOST}.") else width
        ports[join.port] = heights[net] + 3.6 * taken.get(net, 0)
        taken[net] = taken.get(net, 0) + 1
        reach[net].append(x)
        if ports[join.port] != heights[net]:
            shapes.append(Stroke(((x, heights[net]), (x, ports[join.port])), 0.4))
    for net, xs in reach.items():
        shapes.append(Stroke(((min(xs), heights[net]), (max(xs), heights[net])), 0.4))
    for x, unit in zip(at, units, strict=True):
        shapes += _unit(unit, x, heights, {n: min(xs) < x for n, xs in reach.items()})
        if not _slim(unit):
            passing = [n for n, xs in reach.items() if n not in unit.nets and min(xs) < x < max(xs)]
            shapes += _passing(unit, x, heights, passing)
    return Lanes(link, _HEAD + _LANE * len(lanes), width, ports, tuple(shapes))


def _slim(unit: BoardPart) -> bool:
    """Whether a part has two leads, and so stands between two lanes."""
    return len(unit.nets) == 2 and bool(unit.form)


def _passing(unit: BoardPart, x: float, heights: dict[str, float], nets: list[str]) -> list[Shape]:
    """Lanes that pass a part of several pins without being joined to it: dashed over it."""
    ys = [heights[n] for n in unit.nets]
    between = [heights[n] for n in nets if min(ys) < heights[n] < max(ys)]
    return [Stroke(((x - _HALF, y), (x + _HALF, y)), 0.3, "dim", dash=(0.9, 0.9)) for y in between]


def _units(link: Link, board: Mounted, nets: LinkNets) -> list[BoardPart]:
    """What lies between the nets of a link: parts of the board, what hangs from wires, lights."""
    units = [p for p in board.parts if p.link == link.id]
    for network in networks(link):
        needs = bodies_of(network.shape.key)
        if hangs(network) and needs.apart:
            on = tuple(nets.of(network.node(p)) for p in network.shape.ports)
            legs = " ".join(network.shape.ports)
            units.append(BoardPart(network.shape.short, network.shape.title, "", "", on, legs, link=link.id))
        for light in needs.lights:
            on = tuple(nets.of(network.node(n)) for n in light)
            units.append(BoardPart("LED", tr("on wires"), "", "light", on, link=link.id))
    return units


def _lanes(units: list[BoardPart], on_port: dict[str, str]) -> list[str]:
    """The nets from top to bottom: what comes in, what lies between, what goes out, returns last."""
    last = [on_port[p] for p in ("out", "com", "back") if p in on_port]
    first = [n for n in on_port.values() if n not in last]
    return list(dict.fromkeys([*first, *(n for u in units for n in u.nets if n not in last), *last]))


def _unit(unit: BoardPart, x: float, heights: dict[str, float], from_left: dict[str, bool]) -> list[Shape]:
    """A part between its lanes, with its name and value beside it."""
    ys = [heights[n] for n in unit.nets]
    top, bottom = min(ys), max(ys)
    if _slim(unit):
        middle = top + _LANE / 2
        return [
            Stroke(((x, top), (x, bottom)), 0.35),
            *(Circle(x, y, 0.65, 0, "", "ink") for y in ys),
            *_symbol(unit, x, middle, down=ys[1] > ys[0]),
            Lettering(x + 2.4, middle - 0.3, unit.name, _SMALL, bold=True),
            Lettering(x + 2.4, middle + 2.7, fitted(unit.value or unit.words, _SMALL, _COLUMN - 3.4), _SMALL),
        ]
    shapes: list[Shape] = [box(x - _HALF, top - 2.2, 2 * _HALF, bottom - top + 4.4, fill="paper", line=0.35)]
    legs = unit.legs.split() if not unit.form else unit.legs or [str(k) for k in range(1, len(ys) + 1)]
    for leg, net in zip(legs, unit.nets, strict=True):
        left = from_left[net]
        place = x - _HALF + 0.5 if left else x + _HALF - 0.5
        shapes.append(Lettering(place, heights[net] + 0.8, leg, _TINY, "dim", "start" if left else "end"))
    label = fitted(unit.name, _TYPE, max(bottom - top + 3, 9))
    return [
        *shapes,
        Lettering(x + 0.9, (top + bottom) / 2, label, _TYPE, anchor="middle", bold=True, angle=-90.0),
    ]


def _symbol(unit: BoardPart, x: float, y: float, *, down: bool) -> list[Shape]:
    """A resistor is a rectangle, a capacitor two plates with its plus, a diode or LED a triangle with a bar."""
    if unit.name.startswith("R"):
        return [box(x - 1.3, y - 2.8, 2.6, 5.6, fill="paper", line=0.35)]
    if unit.name.startswith("C"):
        shapes: list[Shape] = [box(x - 0.4, y - 0.7, 0.8, 1.4, line=0, ink="", fill="paper")]
        shapes += [Stroke(((x - 2, y + off), (x + 2, y + off)), 0.5) for off in (-0.7, 0.7)]
        if unit.mark >= 0:
            above = (unit.mark == 0) is down
            shapes.append(Lettering(x - 3.4, y - 1.2 if above else y + 2.8, "+", 2.4))
        return shapes
    if unit.name.startswith(("D", "LED")):
        cathode_below = down if unit.form == "light" else not down
        tip = 1.6 if cathode_below else -1.6
        points = ((x - 1.6, y - tip), (x + 1.6, y - tip), (x, y + tip))
        return [
            Stroke(points, 0.35, fill="paper", closed=True),
            Stroke(((x - 1.6, y + tip), (x + 1.6, y + tip)), 0.5),
        ]
    return [box(x - 1.6, y - 2.4, 3.2, 4.8, fill="paper", line=0.35)]
