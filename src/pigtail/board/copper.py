"""The independent walk: what the copper, the cuts, the jumpers and the wires of a board join, held against the netlist.

It knows nothing of how a board was laid out: it reads strips hole by hole. A hole that is cut joins nothing.
"""

from __future__ import annotations

from collections.abc import Iterator

from pigtail.board.board import Hole, LittleBoard, named
from pigtail.board.parts import Mounted
from pigtail.job.build import BoardKind
from pigtail.language import tr


def joined(board: LittleBoard) -> dict[Hole, Hole]:
    """For every hole of a board one hole that stands for all that it is joined to."""
    parent: dict[Hole, Hole] = {(c, r): (c, r) for c in range(board.columns) for r in range(board.rows)}

    def find(hole: Hole) -> Hole:
        while parent[hole] != hole:
            parent[hole] = parent[parent[hole]]
            hole = parent[hole]
        return hole

    for a, b in _copper(board):
        parent[find(a)] = find(b)
    for jumper in board.jumpers:
        parent[find(jumper.start)] = find(jumper.end)
    return {hole: find(hole) for hole in parent}


def _copper(board: LittleBoard) -> Iterator[tuple[Hole, Hole]]:
    """All pairs of neighbouring holes that copper, or a wire along the row, joins."""
    if board.kind is BoardKind.STRIP:
        cut = set(board.cuts)
        for row in range(board.rows):
            for column in range(board.columns - 1):
                pair = ((column, row), (column + 1, row))
                if not cut.intersection(pair):
                    yield pair
    for trace in board.traces:
        for column in range(trace.start, trace.end):
            yield ((column, trace.row), (column + 1, trace.row))


def troubles(board: LittleBoard, wanted: Mounted) -> tuple[str, ...]:
    """All by which a board differs from its netlist or cannot be built: nothing for a good one."""
    found: list[str] = []
    pins = [
        (f"{p.part.name}-{k}", h, n)
        for p in board.placed
        for k, (h, n) in enumerate(zip(p.holes, p.part.nets, strict=True), start=1)
    ]
    pins += [(w.name, h, w.net) for w, h in board.wires]
    ends = [
        (tr("jumper {named} to {named2}", named=named(j.start), named2=named(j.end)), h, j.net)
        for j in board.jumpers
        for h in (j.start, j.end)
    ]
    found += _missing(board, wanted)
    found += _clashes(board, [*pins, *ends])
    inside = [
        (what, h, n) for what, h, n in (*pins, *ends) if 0 <= h[0] < board.columns and 0 <= h[1] < board.rows
    ]
    found += [
        tr("{what} lies off the board", what=what)
        for what, h, n in (*pins, *ends)
        if (what, h, n) not in inside
    ]
    group = joined(board) if len(inside) == len(pins) + len(ends) else {}
    on: dict[Hole, str] = {}
    of: dict[str, Hole] = {}
    for what, hole, net in inside if group else ():
        root = group[hole]
        if on.setdefault(root, net) != net:
            found.append(tr("{what} of {net} is joined to {on}", what=what, net=net, on=on[root]))
        if of.setdefault(net, root) != root:
            found.append(tr("{what} is not joined to the rest of {net}", what=what, net=net))
    return tuple(dict.fromkeys(found))


def _missing(board: LittleBoard, wanted: Mounted) -> list[str]:
    placed = {p.part for p in board.placed}
    wires = {w for w, _ in board.wires}
    found = [tr("{p} is not on the board", p=p.name) for p in wanted.parts if p not in placed]
    found += [tr("{w} has no hole", w=w.name) for w in wanted.holes if w not in wires]
    if len(board.placed) != len(wanted.parts) or len(board.wires) != len(wanted.holes):
        found.append(tr("there is more or less on the board than in the plan"))
    return found


def _clashes(board: LittleBoard, ends: list[tuple[str, Hole, str]]) -> list[str]:
    """Two things in one hole, a lead in a cut, bodies that lie over each other, a lead under a body."""
    taken: dict[Hole, str] = {}
    found = []
    for what, hole, _ in ends:
        if hole in board.cuts:
            found.append(tr("{what} is in the cut at {named}", what=what, named=named(hole)))
        if hole in taken and taken[hole] != what:
            found.append(
                tr("{what} and {taken} share {named}", what=what, taken=taken[hole], named=named(hole))
            )
        taken[hole] = what
    for k, a in enumerate(board.placed):
        for b in board.placed[k + 1 :]:
            over_x = min(a.body[2], b.body[2]) - max(a.body[0], b.body[0])
            over_y = min(a.body[3], b.body[3]) - max(a.body[1], b.body[1])
            if min(over_x, over_y) > SQUEEZE_MM + 1e-6:
                found.append(tr("{part} lies over {part2}", part=a.part.name, part2=b.part.name))
    return found


#: Bodies may be pressed together by so much [mm]: leads give.
SQUEEZE_MM = 0.45
