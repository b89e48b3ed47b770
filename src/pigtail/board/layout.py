"""The search for the smallest board: rows are given to nets, parts stand across them, and what is left is joined by jumpers.

A part of two leads stands across the rows of its two nets, one with its pins in a line across neighbouring ones, so whatever is drawn is
right by construction, and `copper.troubles` proves it by another way. What the search moves is which row belongs to which net, in which
zone a part stands, where a chip sits (simulated annealing; Kirkpatrick, Gelatt and Vecchi, Science 220, 1983); what it pays for is holes,
jumpers, cuts, and supply beside audio. The same netlist always gives the same board.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from typing import NamedTuple

from msgspec.structs import replace

from pigtail.board.board import Hole, Jumper, LittleBoard, Placed, Trace
from pigtail.board.forms import PITCH
from pigtail.board.packing import Packed, Rect, packed
from pigtail.board.parts import Mounted
from pigtail.board.rows import (
    EMPTY,
    LaidRows,
    LayState,
    LayTask,
    complete,
    mended,
    shapes,
    starts,
    worked_out,
)
from pigtail.job.build import BoardKind
from pigtail.units.store import remembered

#: What is paid for: a hole of the board, a jumper, an insulated one, a cut, a part that fits nowhere, supply beside audio.
HOLE, JUMPER, INSULATED, CUT, MISFIT, BESIDE = 0.12, 2.0, 5.0, 0.4, 60.0, 0.7
#: Up to so many parts the search takes one step; above it takes one for each so many.
ONE_STEP, PER_STEP, MOST_STEPS = 16, 8, 6
#: How many moves one step tries.
MOVES = 2600
_WARM, _COLD = 6.0, 0.15


class Best(NamedTuple):
    """The best board that was found so far, and what it costs [1]."""

    cost: float
    board: LittleBoard


def steps_of(wanted: Mounted) -> int:
    """How many steps a search takes: one for a small board."""
    n = len(wanted.parts)
    return 1 if n <= ONE_STEP else min(math.ceil(n / PER_STEP), MOST_STEPS)


def laid_out(wanted: Mounted, kind: BoardKind = BoardKind.STRIP, moves: int = MOVES) -> LittleBoard:
    """The smallest board that was found for what is to be mounted, with so many moves a step."""
    best: Best | None = None
    for step in range(steps_of(wanted)):
        best = lay_step(wanted, kind, step, best, moves)
    assert best is not None
    return best.board


@remembered(32)
def lay_step(wanted: Mounted, kind: BoardKind, step: int, best: Best | None, moves: int = MOVES) -> Best:
    """One step of a search: the better of what was found before and of what it finds itself. Kept, since a colour changes no board."""
    if not wanted.parts:
        return Best(0.0, LittleBoard(kind, 0, 0))
    task = LayTask(wanted)
    large = max(len(wanted.parts) / ONE_STEP, 1.0)  # a move costs as the board is large
    moves = math.ceil(moves / large**2)
    for number, start in enumerate(starts(task)):
        chance = random.Random(1000 * step + number)  # noqa: S311  the same netlist gives the same board
        state = mended(task, _annealed(task, start, chance, moves // len(shapes(task))))
        cost, rows, found = _priced(task, state)
        if best is None or cost < best.cost - 1e-9:
            best = Best(cost, _board(task, rows, found, kind))
    assert best is not None
    return best


def _priced(task: LayTask, state: LayState) -> tuple[float, LaidRows, Packed]:
    """A state worked out, and its cost."""
    rows = worked_out(task, state)
    found = packed(task, state, rows)
    live = [r for used in rows.used for r in used] or [0]
    insulated = sum(1 for j in rows.joins if j.zone == EMPTY)
    cost = HOLE * found.columns * (max(live) - min(live) + 1) + CUT * len(rows.cuts) + MISFIT * rows.misfits
    cost += JUMPER * (len(rows.joins) - insulated) + INSULATED * insulated + BESIDE * _beside(task, rows)
    return cost, rows, found


def _beside(task: LayTask, rows: LaidRows) -> int:
    """How often a supply runs beside a signal: neighbouring rows of one zone."""
    count = 0
    for zone, live in zip(rows.labels, rows.used, strict=True):
        for r in live:
            if r + 1 in live:
                pair = {zone[r], zone[r + 1]} - task.returns
                count += len(pair) == 2 and len(pair & task.supply) == 1
    return count


def _annealed(task: LayTask, state: LayState, chance: random.Random, moves: int) -> LayState:
    now = _priced(task, state)[0]
    best, best_cost = state, now
    for k in range(moves):
        warm = _WARM * (_COLD / _WARM) ** (k / moves)
        tried = state.copy()
        move = chance.choices(_MOVES, _WEIGHTS)[0]
        move(task, tried, chance)
        complete(task, tried)
        cost = _priced(task, tried)[0]
        if cost <= now or chance.random() < math.exp((now - cost) / warm):
            state, now = tried, cost
            if cost < best_cost - 1e-9:
                best, best_cost = tried, cost
    return best


def _two_rows(state: LayState, chance: random.Random) -> tuple[int, int]:
    height = len(state.zones[0])
    return chance.randrange(height), chance.randrange(height)


def _swap_in_zone(task: LayTask, state: LayState, chance: random.Random) -> None:
    a, b = _two_rows(state, chance)
    zone = chance.choice(state.zones)
    zone[a], zone[b] = zone[b], zone[a]


def _swap_rows(task: LayTask, state: LayState, chance: random.Random) -> None:
    a, b = _two_rows(state, chance)
    for z in state.zones:
        z[a], z[b] = z[b], z[a]


def _shift_row(task: LayTask, state: LayState, chance: random.Random) -> None:
    a, b = _two_rows(state, chance)
    for z in state.zones:
        z.insert(b, z.pop(a))


def _set_cell(task: LayTask, state: LayState, chance: random.Random) -> None:
    a, _ = _two_rows(state, chance)
    zone = chance.choice(state.zones)
    zone[a] = chance.randrange(len(task.names)) if zone[a] == EMPTY else EMPTY


def _add_row(task: LayTask, state: LayState, chance: random.Random) -> None:
    a, _ = _two_rows(state, chance)
    for z in state.zones:
        z.insert(a, EMPTY)


def _drop_row(task: LayTask, state: LayState, chance: random.Random) -> None:
    a, _ = _two_rows(state, chance)
    for z in state.zones:
        z.pop(a)


def _other_zone(task: LayTask, state: LayState, chance: random.Random) -> None:
    if task.plain:
        state.zone_of[chance.choice(task.plain)] = chance.randrange(len(state.zones))


def _move_block(task: LayTask, state: LayState, chance: random.Random) -> None:
    if not task.blocks:
        _swap_in_zone(task, state, chance)
        return
    k = chance.choice(task.blocks)
    state.block_row[k] = max(0, state.block_row[k] + chance.choice((-2, -1, 1, 2)))


_Move = Callable[[LayTask, LayState, random.Random], None]
#: The moves, and how often each is tried.
_TRIED: dict[_Move, int] = {
    _swap_in_zone: 35, _swap_rows: 15, _shift_row: 15, _set_cell: 10, _add_row: 5, _drop_row: 8, _other_zone: 7, _move_block: 5,
}  # fmt: skip
_MOVES, _WEIGHTS = list(_TRIED), list(_TRIED.values())


def _board(task: LayTask, rows: LaidRows, found: Packed, kind: BoardKind) -> LittleBoard:
    """The board of a state, with rows that nothing uses left out at its edges and room for all bodies."""
    rects = found.bodies.values()
    live = [r for used in rows.used for r in used]
    reach = 0.75 * PITCH
    top = min([*live, *(math.ceil((r[1] + reach) / PITCH - 1e-6) for r in rects)])
    bottom = max([*live, *(math.floor((r[3] - reach) / PITCH + 1e-6) for r in rects)])
    left = min([0, *(math.ceil((r[0] + reach) / PITCH - 1e-6) for r in rects)])
    right = max([found.columns - 1, *(math.floor((r[2] - reach) / PITCH + 1e-6) for r in rects)])

    def hole(h: Hole) -> Hole:
        return (h[0] - left, h[1] - top)

    def body(r: Rect) -> Rect:
        dx, dy = (0.75 - left) * PITCH, (0.75 - top) * PITCH
        return (r[0] + dx, r[1] + dy, r[2] + dx, r[3] + dy)

    board = LittleBoard(
        kind,
        right - left + 1,
        bottom - top + 1,
        tuple(
            Placed(task.part(k), tuple(map(hole, at)), body(found.bodies[k]))
            for k, at in sorted(found.placed.items())
        ),
        tuple((w, hole(found.wires[k])) for k, w in enumerate(task.wanted.holes)),
        tuple(sorted(map(hole, found.cuts))),
        tuple(Jumper(hole(a), hole(b), task.names[n]) for a, b, n in found.jumpers),
    )
    return board if kind is BoardKind.STRIP else replace(board, cuts=(), traces=_traces(board))


def _traces(board: LittleBoard) -> tuple[Trace, ...]:
    """The bare wires of a perforated board: along each row from the first to the last hole of a run that one net uses; runs end where a
    strip would be cut."""
    ends = [(h, n) for p in board.placed for h, n in zip(p.holes, p.part.nets, strict=True)]
    ends += [(h, w.net) for w, h in board.wires] + [
        (h, j.net) for j in board.jumpers for h in (j.start, j.end)
    ]
    found = []
    for row in range(board.rows):
        runs: dict[int, list[tuple[int, str]]] = {}
        for column, net in sorted((h[0], n) for h, n in ends if h[1] == row):
            walls = sum(c < column for c, r in board.cuts if r == row)
            runs.setdefault(walls, []).append((column, net))
        found += [
            Trace(row, run[0][0], run[-1][0], run[0][1]) for run in runs.values() if run[-1][0] > run[0][0]
        ]
    return tuple(found)
