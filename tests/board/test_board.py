"""The little board: whatever is drawn is the netlist, proved by a walk over copper that knows nothing of how it was laid out."""

from __future__ import annotations

import random

import pytest
from msgspec.structs import replace

from pigtail import edits
from pigtail.board.board import Jumper, LittleBoard, named
from pigtail.board.copper import joined, troubles
from pigtail.board.forms import bodies_of, forms
from pigtail.board.layout import laid_out, lay_step, steps_of
from pigtail.board.parts import BoardPart, Mounted, WireHole, mounted, wire_numbers
from pigtail.board.picture import part_side, seats, solder_side, words_of
from pigtail.catalogue.topologies import topologies
from pigtail.drawing.shapes import Circle
from pigtail.edits.plan import set_converter
from pigtail.job.build import BoardKind
from pigtail.job.document import Job
from pigtail.studies.loom.wires import loom_wires

#: How often each form comes in a random network.
FORMS = {
    "resistor": 8, "ceramic": 2, "film": 1, "film_large": 1, "electrolytic5": 1, "electrolytic10": 1, "electrolytic18": 1, "diode": 2,
    "to92": 3, "to220": 1, "sip4": 1, "dip8": 1, "dip4": 1, "relay": 1,
}  # fmt: skip


def network(seed: int, most: int = 18) -> Mounted:
    """A random network of up to so many parts, sensible or not: nets of many pins and of one, wires in and out, supply or not."""
    chance = random.Random(seed)
    count = chance.randint(1, most)
    nets = [f"n{k}" for k in range(max(2, chance.randint(count // 2, count + 3)))]
    parts = []
    for k in range(count):
        form = chance.choices(list(FORMS), list(FORMS.values()))[0]
        pins = len(forms()[form].pins)
        on = tuple(chance.choice(nets) for _ in range(pins)) if pins else tuple(chance.sample(nets, 2))
        parts.append(BoardPart(f"P{k}", "part", "", form, on))
    used = sorted({n for p in parts for n in p.nets})
    holes = [
        WireHole(str(k), n, "link", "in", "there", chance.random() < 0.5, chance.random() < 0.3)
        for k, n in enumerate(used)
        if chance.random() < 0.5
    ]
    return Mounted(tuple(parts), tuple(holes))


@pytest.mark.one_of(3)
@pytest.mark.parametrize("kind", [BoardKind.STRIP, BoardKind.PERFORATED])
@pytest.mark.parametrize("block", range(4))
def test_every_random_network_is_laid_out_as_its_netlist(kind: BoardKind, block: int) -> None:
    """Four hundred of them, on both kinds of board: joined as wanted, nothing over another, nothing in a cut."""
    for seed in range(100 * block, 100 * block + 100):
        wanted = network(seed)
        assert troubles(laid_out(wanted, kind, moves=12), wanted) == (), seed


def demo_board(job: Job) -> tuple[Mounted, LittleBoard]:
    wanted = mounted(job)
    return wanted, laid_out(wanted)


@pytest.mark.parametrize("name", ["larkmoor", "tidewell"])
def test_the_boards_of_the_demos_are_small_and_right(request: pytest.FixtureRequest, name: str) -> None:
    """No jumper, no cut, and no larger than a stamp."""
    wanted, board = demo_board(request.getfixturevalue(name))
    assert troubles(board, wanted) == ()
    assert (board.cuts, board.jumpers) == ((), ())
    assert board.columns * board.rows <= 70


def test_the_same_netlist_gives_the_same_board(larkmoor: Job) -> None:
    """So the sheet that is printed twice is the same."""
    wanted = mounted(larkmoor)
    lay_step.cache_clear()
    first = laid_out(wanted, moves=200)
    lay_step.cache_clear()
    assert laid_out(wanted, moves=200) == first


def test_a_larger_board_takes_steps_and_each_is_no_worse() -> None:
    """Up to sixteen parts one step; what comes after keeps the best."""
    assert steps_of(network(3, 8)) == 1
    large = Mounted(tuple(BoardPart(f"R{k}", "", "", "resistor", (f"n{k}", f"n{k + 1}")) for k in range(24)))
    assert steps_of(large) == 3
    assert troubles(laid_out(large, moves=30), large) == ()


def spoilt(board: LittleBoard) -> dict[str, LittleBoard]:
    """A board with one fault each."""
    first, second = board.placed[0], board.placed[1]
    moved = replace(
        first, holes=((first.holes[0][0], (first.holes[0][1] + 1) % board.rows), *first.holes[1:])
    )
    other = next(p for p in board.placed if not set(p.part.nets) & set(first.part.nets))
    return {
        "a lead one row off": replace(board, placed=(moved, *board.placed[1:])),
        "two parts in one place": replace(
            board, placed=(first, replace(second, body=first.body), *board.placed[2:])
        ),
        "a part left out": replace(board, placed=board.placed[1:]),
        "a cut under a lead": replace(board, cuts=(first.holes[0],)),
        "a jumper to another net": replace(
            board, jumpers=(Jumper(first.holes[0], other.holes[0], first.part.nets[0]),)
        ),
        "a wire off the board": replace(board, wires=((board.wires[0][0], (99, 0)), *board.wires[1:])),
        "a lead in a hole that is taken": replace(
            board,
            placed=(first, replace(second, holes=(first.holes[0], *second.holes[1:])), *board.placed[2:]),
        ),
    }


@pytest.mark.parametrize("fault", list(range(7)))
def test_the_walk_finds_each_fault(larkmoor: Job, fault: int) -> None:
    """A walk that finds nothing would prove nothing."""
    wanted, board = demo_board(larkmoor)
    name, wrong = list(spoilt(board).items())[fault]
    assert troubles(wrong, wanted), name


def test_a_cut_parts_a_strip_and_a_jumper_joins_two() -> None:
    """Of three holes in a row the middle one cut, the ends are apart until a jumper joins them."""
    board = LittleBoard(BoardKind.STRIP, 3, 1, cuts=((1, 0),))
    group = joined(board)
    assert len({group[0, 0], group[1, 0], group[2, 0]}) == 3
    bridged = joined(replace(board, jumpers=(Jumper((0, 0), (2, 0), "n"),)))
    assert bridged[0, 0] == bridged[2, 0] != bridged[1, 0]


def test_a_perforated_board_joins_only_by_its_wires() -> None:
    """Its holes have copper of their own each."""
    board = LittleBoard(BoardKind.PERFORATED, 3, 1)
    assert len(set(joined(board).values())) == 3


def test_holes_are_counted_as_at_the_bench(larkmoor: Job) -> None:
    """Rows by letters, columns by numbers; each part has as many as pins."""
    assert (named((0, 0)), named((11, 26))) == ("A1", "AA12")
    wanted, board = demo_board(larkmoor)
    rows = {row[0]: row for row in seats(board)}
    assert set(rows) == {p.name for p in wanted.parts}
    assert len(rows["U1"][2].split()) == 3
    assert "+ " in rows["C1"][2]


def test_wires_have_the_numbers_of_the_loom(larkmoor: Job) -> None:
    """What the drawing calls 3 is 3 on the board and in the cut list."""
    numbers = wire_numbers(larkmoor)
    assert [(w.link, w.port) for w in loom_wires(larkmoor)] == list(numbers)
    wanted, board = demo_board(larkmoor)
    assert {h.name for h in wanted.holes} <= {str(n) for n in numbers.values()}
    assert any("wire 3 at" in line for line in words_of(board)["wires"])


def test_both_sides_show_every_joint_mirrored(larkmoor: Job) -> None:
    """A dot for each lead on the solder side, at the place that it has on the part side seen from behind."""
    _, board = demo_board(larkmoor)
    front, back = part_side(board), solder_side(board)
    dots = [(s.x, s.y) for s in back.shapes if isinstance(s, Circle) and s.fill == "ink"]
    leads = [h for p in board.placed for h in p.holes] + [h for _, h in board.wires]
    assert len(dots) == len(leads)
    where = [(s.x, s.y) for s in front.shapes if isinstance(s, Circle) and s.fill == "ink"]
    mirrored = {(round(front.width - x, 6), round(y, 6)) for x, y in where}
    assert {(round(x, 6), round(y, 6)) for x, y in dots} >= mirrored


@pytest.mark.parametrize("key", list(topologies()))
def test_every_topology_says_what_sits_on_a_board(key: str) -> None:
    """Its bodies have forms with as many pins, on nodes that its subcircuit has or that are told to be spare."""
    needs = bodies_of(key)
    text = topologies()[key].netlist.replace("{", " ").replace("}", " ").split()
    for body in needs.bodies:
        form = forms()[body.form]
        assert len(body.pins) == (len(form.pins) or 2)
        assert not {n for n in body.pins.values() if n != "spare"} - set(text), f"{key}: {body}"
    for a, b in (*needs.same, *needs.lights):
        assert {a, b} <= set(text)


def test_a_bought_converter_hangs_from_wires(larkmoor: Job) -> None:
    """A buck board sits beside the little board, which has then no part of the supply."""
    job = set_converter(larkmoor, "supply", "buck")
    assert not [p for p in mounted(job).parts if p.link == "supply"]
    assert [p for p in mounted(larkmoor).parts if p.link == "supply"]


def test_nothing_sits_on_a_board_where_nothing_is_planned(larkmoor: Job) -> None:
    """An empty plan has an empty board."""
    for link in larkmoor.links:
        larkmoor = edits.remove_link(larkmoor, link.id)
    assert mounted(larkmoor) == Mounted()


def same_copper(key: str, a: str, b: str) -> bool:
    """Whether two nodes are one, or told to be one piece of copper."""
    return a == b or any({a, b} == set(pair) for pair in bodies_of(key).same)


def elements(key: str, letter: str) -> list[list[str]]:
    """The nodes of a subcircuit's elements of a letter."""
    lines = [x.split() for x in topologies()[key].netlist.splitlines() if x[:1].upper() == letter]
    return [x[1:] for x in lines]


@pytest.mark.parametrize(
    "key", [k for k in topologies() if any(b.name in "DQU" for b in bodies_of(k).bodies)]
)
def test_legs_lie_where_the_netlist_has_them(key: str) -> None:
    """Bars of diodes at cathodes, collectors, bases and emitters, drains, gates and sources, inputs and outputs of amplifiers: as solved."""
    for body in bodies_of(key).bodies:
        pins = list(body.pins.values())
        wanted: list[tuple[str, list[int]]] = []
        if body.words == "zener diode":  # solved as a relation; its bar is at the plus
            assert pins == ["out", "com"]
        elif body.name == "D":
            wanted = [("D", [1, 0])]  # anode, cathode; the bar is at the first pin
        elif body.name == "Q":
            wanted = (
                [("Q", [0, 1, 2])]
                if "NP" in body.words
                else [("M", [2, 1, 0])]
                if "MOSFET" in body.words
                else [("M", [0, 2, 1])]
            )
        elif "operational amplifier" in body.words:
            wanted = [("X", [2, 1, 0])]
        for letter, order in wanted:
            there = [nodes[: len(order)] for nodes in elements(key, letter)]
            told = [pins[k] for k in order]
            assert any(
                all(same_copper(key, a, b) for a, b in zip(nodes, told, strict=True)) for nodes in there
            ), (key, body, there)
