"""Which row of a board belongs to which net: what the search moves, and what follows from it before anything has a column.

A board is a row of zones. Between two zones stands what straddles the copper (a chip in two rows of pins, a relay), or one column of
cuts; in a zone each row belongs to one net or to none.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from pigtail.board.parts import BoardPart, Mounted

EMPTY = -1
#: Legs in a line may be bent to these rows, from the first; neighbouring ones are best.
BENDS = {3: ((0, 1, 2), (0, 2, 4), (0, 1, 3), (0, 2, 3))}


class LayTask:
    """A netlist in numbers, ready to be laid out."""

    def __init__(self, wanted: Mounted) -> None:
        self.wanted = wanted
        self.names = wanted.nets
        number = {n: k for k, n in enumerate(self.names)}
        self.nets = [tuple(number[n] for n in p.nets) for p in wanted.parts]
        self.holes = [number[h.net] for h in wanted.holes]
        self.supply = {number[n] for n in wanted.supply_nets}
        self.returns = {number[h.net] for h in wanted.holes if h.port in ("com", "back")}
        self.blocks = [k for k, p in enumerate(wanted.parts) if p.shape.straddles]
        self.plain = [k for k, p in enumerate(wanted.parts) if not p.shape.straddles]

    def part(self, k: int) -> BoardPart:
        """A part by its number."""
        return self.wanted.parts[k]

    def side(self, k: int, *, right: bool) -> list[tuple[int, int]]:
        """LaidRows, from its first, and nets of the pins on one side of what straddles."""
        pins = self.part(k).shape.pins
        return [(r, self.nets[k][i]) for i, (c, r) in enumerate(pins) if (c > 0) is right]

    def height(self, k: int) -> int:
        """How many rows something that straddles takes."""
        return 1 + max(r for _, r in self.part(k).shape.pins)


class LayState(NamedTuple):
    """What the search moves: what stands between the zones (a part that straddles by its number, or cuts), the net of each row of each
    zone, the zone of each part, the first row of each part that straddles."""

    separators: tuple[int, ...]
    zones: list[list[int]]
    zone_of: list[int]
    block_row: dict[int, int]

    def copy(self) -> LayState:
        """Another one with the same in it."""
        return LayState(self.separators, [z[:] for z in self.zones], self.zone_of[:], dict(self.block_row))

    def blocks(self) -> Iterator[tuple[int, int]]:
        """What straddles, as (boundary, part)."""
        return ((z, k) for z, k in enumerate(self.separators) if k != EMPTY)


class Segment(NamedTuple):
    """A run of copper that carries a net: along a row, from one zone to another."""

    net: int
    row: int
    first: int
    last: int


class Jump(NamedTuple):
    """A jumper between two segments of a net: in a zone, or insulated between zones (EMPTY)."""

    a: Segment
    b: Segment
    zone: int


class LaidRows(NamedTuple):
    """What follows from a state: the rows of each part's pins, zone and row of each wire, the rows in use, the cuts as (boundary, row), the
    jumpers, and how many parts fit nowhere."""

    of: dict[int, tuple[int, ...]]
    wires: dict[int, tuple[int, int]]
    labels: list[list[int]]
    used: list[set[int]]
    cuts: list[tuple[int, int]]
    joins: list[Jump]
    misfits: int


def shapes(task: LayTask) -> list[tuple[int, ...]]:
    """What may stand between the zones: a block by its number, or cuts. Two blocks share no zone, since each says what its rows are."""
    blocks: tuple[int, ...] = ()
    for k in task.blocks:
        blocks = (*blocks, EMPTY, k) if blocks else (k,)
    return [blocks, (*blocks, EMPTY)] if len(task.plain) >= 4 else [blocks]


def starts(task: LayTask) -> Iterator[LayState]:
    """The states that a search starts from, one for each shape."""
    rows = max((task.height(k) for k in task.blocks), default=0)
    for separators in shapes(task):
        zones = [[EMPTY] * rows for _ in range(len(separators) + 1)]
        state = LayState(separators, zones, [0] * len(task.nets), dict.fromkeys(task.blocks, 0))
        near = {
            net: z + right
            for z, k in state.blocks()
            for right in (0, 1)
            for _, net in task.side(k, right=bool(right))
        }
        for k in task.plain:
            state.zone_of[k] = next((near[n] for n in task.nets[k] if n in near), 0)
        complete(task, state)
        yield state


def labels_of(task: LayTask, state: LayState) -> list[list[int]]:
    """Which net has each row of each zone, what the pins of blocks force put in."""
    found = [z[:] for z in state.zones]
    for z, k in state.blocks():
        for right in (False, True):
            for r, net in task.side(k, right=right):
                found[z + right][state.block_row[k] + r] = net
    return found


def complete(task: LayTask, state: LayState) -> None:
    """Give each net that a zone needs a row in it, in place."""
    height = max(1, len(state.zones[0]), *(state.block_row[k] + task.height(k) for _, k in state.blocks()))
    for zone in state.zones:
        zone.extend([EMPTY] * (height - len(zone)))
    labels = labels_of(task, state)
    have = [set(z) for z in labels]
    for k in task.plain:
        z = state.zone_of[k]
        for net in task.nets[k]:
            if net not in have[z]:
                _add_row(state, labels, z, net)
                have[z].add(net)
    everywhere = set().union(*have)
    for net in task.holes:
        if net not in everywhere:
            _add_row(state, labels, 0, net)
            everywhere.add(net)


def _add_row(state: LayState, labels: list[list[int]], z: int, net: int) -> None:
    free = next((r for r, n in enumerate(labels[z]) if n == EMPTY), None)
    if free is None:
        for every in (*state.zones, *labels):
            every.append(EMPTY)
        free = len(labels[z]) - 1
    state.zones[z][free] = net
    labels[z][free] = net


def mended(task: LayTask, state: LayState) -> LayState:
    """A state with rows of their own for parts that fit nowhere else: joined by jumpers, so that every netlist has a board."""
    state = state.copy()
    labels = labels_of(task, state)
    for k in task.plain:
        if rows_for(task, k, labels[state.zone_of[k]]) is not None:
            continue
        form, nets = task.part(k).shape, task.nets[k]
        fresh = list(nets) if form.pins else [nets[0], *[EMPTY] * (min(form.spans) - 1), nets[1]]
        for z, (zone, told) in enumerate(zip(state.zones, labels, strict=True)):
            more = fresh if z == state.zone_of[k] else [EMPTY] * len(fresh)
            zone.extend(more)
            told.extend(more)
    return state


def rows_for(task: LayTask, k: int, zone: list[int]) -> tuple[int, ...] | None:
    """The rows of a part's pins in a zone, as close as they come; None where it fits nowhere."""
    nets, form = task.nets[k], task.part(k).shape
    if form.pins:
        return _in_line(nets, zone)
    best = None
    first, second = ([r for r, n in enumerate(zone) if n == net] for net in nets)
    for r in first:
        for s in second:
            span = abs(s - r)
            if span in form.spans and (best is None or span < abs(best[1] - best[0])):
                best = (r, s)
    return best


def _in_line(nets: tuple[int, ...], zone: list[int]) -> tuple[int, ...] | None:
    for bend in BENDS.get(len(nets), (tuple(range(len(nets))),)):
        for first, net in enumerate(zone):
            if net != nets[0]:
                continue
            for way in (1, -1):
                rows = tuple(first + way * b for b in bend)
                if 0 <= rows[-1] < len(zone) and all(zone[r] == n for r, n in zip(rows, nets, strict=True)):
                    return rows
    return None


def worked_out(task: LayTask, state: LayState) -> LaidRows:
    """What follows from a state."""
    labels = labels_of(task, state)
    of: dict[int, tuple[int, ...]] = {}
    used: list[set[int]] = [set() for _ in labels]
    for k in task.plain:
        found = rows_for(task, k, labels[state.zone_of[k]])
        if found is not None:
            of[k] = found
            used[state.zone_of[k]].update(found)
    for z, k in state.blocks():
        for right in (False, True):
            used[z + right].update(state.block_row[k] + r for r, _ in task.side(k, right=right))
    wires = _wire_rows(task, labels, used)
    for z, row in wires.values():
        used[z].add(row)
    segments, cuts = _segments(labels, used)
    return LaidRows(of, wires, labels, used, cuts, _joins(segments), len(task.plain) - len(of))


def _wire_rows(task: LayTask, labels: list[list[int]], used: list[set[int]]) -> dict[int, tuple[int, int]]:
    """Zone and row of each wire's hole: what comes in as far left as its net is, what goes out as far right; in rows in use first."""
    found = {}
    for h, net in enumerate(task.holes):
        cells = [(z, r) for z, zone in enumerate(labels) for r, n in enumerate(zone) if n == net]
        live = [c for c in cells if c[1] in used[c[0]]] or cells
        found[h] = live[0] if task.wanted.holes[h].comes_in else live[-1]
    return found


def _segments(labels: list[list[int]], used: list[set[int]]) -> tuple[list[Segment], list[tuple[int, int]]]:
    """The runs of copper that carry a net, and the cuts between them as (boundary, row)."""
    found, cuts = [], []
    for row in range(len(labels[0])):
        current: Segment | None = None
        for z, zone in enumerate(labels):
            if row not in used[z]:
                continue
            if current is not None and zone[row] == current.net:
                current = current._replace(last=z)
                continue
            if current is not None:
                found.append(current)
                cuts.append((z - 1, row))
            current = Segment(zone[row], row, z, z)
        if current is not None:
            found.append(current)
    return found, cuts


def _joins(segments: list[Segment]) -> list[Jump]:
    """The jumpers that join the segments of each net, the shortest first (Prim 1957)."""
    of: dict[int, list[Segment]] = {}
    for s in segments:
        of.setdefault(s.net, []).append(s)
    found = []
    for group in of.values():
        inside, rest = [group[0]], group[1:]
        while rest:
            a, b = min(((a, b) for a in inside for b in rest), key=lambda pair: _length(*pair))
            shared = max(a.first, b.first)
            found.append(Jump(a, b, shared if shared <= min(a.last, b.last) else EMPTY))
            inside.append(b)
            rest.remove(b)
    return found


def _length(a: Segment, b: Segment) -> float:
    apart = max(a.first, b.first) > min(a.last, b.last)
    return abs(a.row - b.row) + 100.0 * apart
