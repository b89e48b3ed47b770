"""What the hands follow, as blocks of the sheet: the wiring drawing, the little board, the panel, what is cut, bought and labelled."""

from __future__ import annotations

import pickle

from pigtail.board.board import LittleBoard
from pigtail.board.layout import laid_out, lay_step
from pigtail.board.parts import Mounted, mounted
from pigtail.board.picture import part_side, point_to_point, seats, solder_side, words_of
from pigtail.drawing.shapes import Drawing, Lettering, Shape, box, fitted, moved, scale_bar
from pigtail.job.build import BoardKind, Mounting
from pigtail.job.document import Job
from pigtail.panel.template import order_of_work, template
from pigtail.sheet.blocks import Block, BoardFound, SheetLines, SheetPicture, SheetTable
from pigtail.sheet.wiring import wiring_drawing
from pigtail.studies.loom.found import LoomFound, LoomWire
from pigtail.studies.loom.mounts import thing
from pigtail.studies.loom.shopping import to_buy
from pigtail.units import format_quantity

#: What is said where legs are drawn.
PINOUTS = "Legs are drawn as usual for the kind: hold each part against its data sheet."
#: How much larger than true the part side is printed for reading.
LARGE = 2.5


def wiring_block(job: Job, build: LoomFound) -> SheetPicture:
    """The wiring drawing on a page of its own."""
    note = (
        "Every wire has its number at both ends; its colour has marks along it that a grey print shows too."
    )
    return SheetPicture("Wiring", (wiring_drawing(job, build),), 0.0, broad=True, note=note)


def board_step(job: Job, number: int, before: bytes) -> tuple[bytes, BoardFound]:
    """One step of laying out the little board: what the next one goes on from, and the best so far."""
    wanted = mounted(job)
    if not wanted.parts or job.build.board is BoardKind.POINT:
        return b"", _point_found(wanted) if wanted.parts else BoardFound()
    best = lay_step(wanted, job.build.board, number, pickle.loads(before) if before else None)  # noqa: S301  our own
    return pickle.dumps(best), board_found(best.board)


def board_found(board: LittleBoard) -> BoardFound:
    """A board as it is shown."""
    words = words_of(board)
    width, height = board.size_mm
    holes, tall = f"{board.columns} × {board.rows} holes", f"{board.tall_mm:.0f} mm high with its parts"
    size = f"{board.kind.value}, {holes}, {width:.0f} × {height:.0f} mm, {tall}"
    work = [f"Cut the copper at {', '.join(words['cuts'])}."] if words["cuts"] else []
    work += [f"Jumper {j}." for j in words["jumpers"]] + [
        f"Bare wire on the solder side {t}." for t in words["bare wires"]
    ]
    work += [f"{w[0].upper()}{w[1:]}." for w in words["wires"]]
    if any(p.part.legs or len(p.holes) > 2 for p in board.placed):
        work.append(PINOUTS)
    return BoardFound((part_side(board), solder_side(board)), size, tuple(work), seats(board))


def _point_found(wanted: Mounted) -> BoardFound:
    rows = tuple(
        (p.name, p.value or p.words, ", ".join(f"joint {wanted.nets.index(n) + 1}" for n in p.nets), "")
        for p in wanted.parts
    )
    return BoardFound((point_to_point(wanted),), "joined point to point, a sleeve over each joint", (), rows)


def board_blocks(job: Job) -> list[Block]:
    """The little board: larger for reading, at true size from both sides, where to cut and bridge, what sits where."""
    wanted = mounted(job)
    if not wanted.parts:
        return []
    joined = job.build.board is BoardKind.POINT
    found = _point_found(wanted) if joined else board_found(laid_out(wanted, job.build.board))
    table = SheetTable(
        "Board",
        ("part", "value", "between" if joined else "holes", "sits"),
        found.seats,
        weights=(1, 2, 3, 1),
    )
    if joined:
        return [
            SheetPicture("Joined point to point", found.drawings, 0.0, note="A sleeve over each joint."),
            table,
        ]
    true = tuple(_with_bar(d) for d in found.drawings)
    return [
        SheetPicture("The little board, for reading", found.drawings, LARGE, note=found.size),
        SheetPicture(
            "The little board, 1:1",
            true,
            1.0,
            note="Measure the bar before you trust the print.",
        ),
        SheetLines("Work on the board", found.work, "Nothing to cut and nothing to bridge."),
        table,
    ]


def _with_bar(drawing: Drawing) -> Drawing:
    """A drawing at true size with a bar to measure under it."""
    bar = scale_bar(5.0, drawing.height + 4.0, 20.0)
    return Drawing(
        drawing.title, max(drawing.width, 36.0), drawing.height + 9.0, (*drawing.shapes, *bar), true=True
    )


def panel_blocks(job: Job) -> list[Block]:
    """The template at true size, and the order of work."""
    panel = job.build.panel
    if panel is None:
        return []
    return [
        SheetPicture(
            "Template",
            (template(panel),),
            1.0,
            broad=True,
            note="Prove the print by its square before anything is marked.",
        ),
        SheetLines("Drilling, in this order", order_of_work(panel), "Nothing has a place yet."),
    ]


def mounting_block(job: Job) -> list[Block]:
    """How things sit."""
    if not job.build.mountings:
        return []
    rows = tuple((thing(job, m.of), _size(m), m.fixing.value, m.antenna.value) for m in job.build.mountings)
    return [SheetTable("Mounting", ("what", "size and room", "held by", "round its antenna"), rows)]


def _size(m: Mounting) -> str:
    size = f"{m.width:g} × {m.depth:g} × {m.height:g} mm" if m.width and m.depth else "size ?"
    return f"{size}, room {m.room:g} mm" if m.room else size


def loom_table(build: LoomFound) -> SheetTable:
    """The cut list."""
    rows = tuple(
        (
            str(k), w.start, w.end, w.function, w.colour, _gauge(w), w.cut, _drop(w), _how(w),
        )
        for k, w in enumerate(build.wires, start=1)
    )  # fmt: skip
    columns = (
        "no.",
        "from",
        "to",
        "carries",
        "colour",
        "gauge",
        "cut to",
        "resistance, drop",
        "route, screen, relief",
    )
    note = "Lengths include a tenth of slack. A screen is joined at one end only."
    return SheetTable("Loom", columns, rows, note, (0.5, 2.2, 2.2, 1.6, 0.9, 1.3, 0.9, 1.2, 2.2))


def _gauge(w: LoomWire) -> str:
    return f"AWG {w.gauge}" + (", screened" if w.screened else ", enamelled" if w.gauge >= 30 else "")


def _drop(w: LoomWire) -> str:
    if w.ohms is None:
        return "?"
    return format_quantity(w.ohms, "Ω") + (f", {format_quantity(w.drop, 'V')}" if w.drop is not None else "")


def _how(w: LoomWire) -> str:
    found = [w.route, f"screen {w.screen.value}" if w.screened else "", f"twist {w.twist}" if w.twist else ""]
    found.append(w.relief.value if w.relief.value not in ("not said", "nothing") else "")
    return "; ".join(x for x in found if x)


def supplies_lines(build: LoomFound) -> SheetLines:
    """What the loom needs besides its list."""
    lines = [
        f"{kind}: {'length ?' if metres is None else f'{100 * metres:.0f} cm'}"
        for kind, metres in build.supplies.wire
    ]
    lines.append(
        f"{build.supplies.sleeves} sleeves, one over each joint that lies beside another; {build.supplies.ties} ties"
    )
    return SheetLines("Wire and sleeving", tuple(lines) if build.wires else ())


def parts_tables(job: Job, build: LoomFound) -> tuple[SheetTable, SheetTable]:
    """The parts as they are used, and what to buy for so many copies."""
    parts = tuple((p.reference, p.name, p.words, p.value, p.note) for p in build.parts)
    buy = tuple((k, v, n, str(c), str(b)) for k, v, n, c, b in to_buy(build.parts, job.build.copies))
    copies = f"For {job.build.copies} {'copy' if job.build.copies == 1 else 'copies'}; small parts in the multiples that they come in."
    return (
        SheetTable(
            "Parts", ("where", "on the board", "part", "value", "note"), parts, weights=(2.4, 0.8, 2, 1, 2.4)
        ),
        SheetTable("To buy", ("what", "value", "note", "needed", "buy"), buy, copies, (2, 1.2, 3, 0.7, 0.7)),
    )


def labels_picture(build: LoomFound) -> list[Block]:
    """Labels for both ends of every wire, to cut out and fold round it."""
    labels = build.supplies.labels
    if not labels:
        return []
    shapes: list[Shape] = []
    wide, high, columns = 44.0, 7.0, 4
    for k, text in enumerate(labels):
        x, y = wide * (k % columns), high * (k // columns)
        number, _, words = text.partition(" ")
        part = (
            box(0, 0, wide, high, line=0.15, dash=(1.0, 1.0)),
            Lettering(2, 4.9, number, 3.6, bold=True),
            Lettering(12, 4.6, fitted(words, 2.5, wide - 13), 2.5),
        )
        shapes += moved(part, x, y)
    rows = -(-len(labels) // columns)
    return [
        SheetPicture(
            "Labels", (Drawing("Labels", wide * columns, high * rows, tuple(shapes), true=True),), 1.0
        )
    ]
