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
from pigtail.language import tr, trn
from pigtail.panel.template import order_of_work, template
from pigtail.sheet.blocks import Block, BoardFound, SheetLines, SheetPicture, SheetTable
from pigtail.sheet.wiring import wiring_drawing
from pigtail.studies.loom.found import LoomFound, LoomWire
from pigtail.studies.loom.mounts import thing
from pigtail.studies.loom.shopping import to_buy
from pigtail.units import format_quantity

#: What is said where legs are drawn.
PINOUTS = tr("Legs are drawn as usual for the kind: hold each part against its data sheet.")
#: How much larger than true the part side is printed for reading.
LARGE = 2.5


def wiring_block(job: Job, build: LoomFound) -> SheetPicture:
    """The wiring drawing on a page of its own."""
    note = tr(
        "Every wire has its number at both ends; its colour has marks along it that a grey print shows too."
    )
    return SheetPicture(tr("Wiring"), (wiring_drawing(job, build),), 0.0, broad=True, note=note)


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
    holes, tall = (
        tr("{columns} × {rows} holes", columns=board.columns, rows=board.rows),
        tr("{tall_mm:.0f} mm high with its parts", tall_mm=board.tall_mm),
    )
    size = f"{board.kind.value}, {holes}, {width:.0f} × {height:.0f} mm, {tall}"
    work = [tr("Cut the copper at {listed}.", listed=", ".join(words["cuts"]))] if words["cuts"] else []
    work += [tr("Jumper {j}.", j=j) for j in words["jumpers"]] + [
        tr("Bare wire on the solder side {t}.", t=t) for t in words["bare wires"]
    ]
    work += [f"{w[0].upper()}{w[1:]}." for w in words["wires"]]
    if any(p.part.legs or len(p.holes) > 2 for p in board.placed):
        work.append(PINOUTS)
    return BoardFound((part_side(board), solder_side(board)), size, tuple(work), seats(board))


def _point_found(wanted: Mounted) -> BoardFound:
    rows = tuple(
        (
            p.name,
            p.value or p.words,
            ", ".join(tr("joint {value}", value=wanted.nets.index(n) + 1) for n in p.nets),
            "",
        )
        for p in wanted.parts
    )
    return BoardFound(
        (point_to_point(wanted),), tr("joined point to point, a sleeve over each joint"), (), rows
    )


def board_blocks(job: Job) -> list[Block]:
    """The little board: larger for reading, at true size from both sides, where to cut and bridge, what sits where."""
    wanted = mounted(job)
    if not wanted.parts:
        return []
    joined = job.build.board is BoardKind.POINT
    found = _point_found(wanted) if joined else board_found(laid_out(wanted, job.build.board))
    table = SheetTable(
        tr("Board"),
        (tr("part"), tr("value"), "between" if joined else "holes", tr("sits")),
        found.seats,
        weights=(1, 2, 3, 1),
    )
    if joined:
        return [
            SheetPicture(
                tr("Joined point to point"), found.drawings, 0.0, note=tr("A sleeve over each joint.")
            ),
            table,
        ]
    true = tuple(_with_bar(d) for d in found.drawings)
    return [
        SheetPicture(tr("The little board, for reading"), found.drawings, LARGE, note=found.size),
        SheetPicture(
            tr("The little board, 1:1"),
            true,
            1.0,
            note=tr("Measure the bar before you trust the print."),
        ),
        SheetLines(tr("Work on the board"), found.work, tr("Nothing to cut and nothing to bridge.")),
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
            tr("Template"),
            (template(panel),),
            1.0,
            broad=True,
            note=tr("Prove the print by its square before anything is marked."),
        ),
        SheetLines(tr("Drilling, in this order"), order_of_work(panel), tr("Nothing has a place yet.")),
    ]


def mounting_block(job: Job) -> list[Block]:
    """How things sit."""
    if not job.build.mountings:
        return []
    rows = tuple((thing(job, m.of), _size(m), m.fixing.value, m.antenna.value) for m in job.build.mountings)
    return [
        SheetTable(
            tr("Mounting"), (tr("what"), tr("size and room"), tr("held by"), tr("round its antenna")), rows
        )
    ]


def _size(m: Mounting) -> str:
    size = f"{m.width:g} × {m.depth:g} × {m.height:g} mm" if m.width and m.depth else tr("size ?")
    return tr("{size}, room {room:g} mm", size=size, room=m.room) if m.room else size


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
        tr("cut to"),
        tr("resistance, drop"),
        tr("route, screen, relief"),
    )
    note = tr("Lengths include a tenth of slack. A screen is joined at one end only.")
    return SheetTable(tr("Loom"), columns, rows, note, (0.5, 2.2, 2.2, 1.6, 0.9, 1.3, 0.9, 1.2, 2.2))


def _gauge(w: LoomWire) -> str:
    return f"AWG {w.gauge}" + (", screened" if w.screened else ", enamelled" if w.gauge >= 30 else "")


def _drop(w: LoomWire) -> str:
    if w.ohms is None:
        return "?"
    return format_quantity(w.ohms, "Ω") + (f", {format_quantity(w.drop, 'V')}" if w.drop is not None else "")


def _how(w: LoomWire) -> str:
    found = [
        w.route,
        tr("screen {screen}", screen=w.screen.value) if w.screened else "",
        tr("twist {twist}", twist=w.twist) if w.twist else "",
    ]
    found.append(w.relief.value if w.relief.value not in ("not said", "nothing") else "")
    return "; ".join(x for x in found if x)


def supplies_lines(build: LoomFound) -> SheetLines:
    """What the loom needs besides its list."""
    lines = [
        f"{kind}: {tr('length ?') if metres is None else f'{100 * metres:.0f} cm'}"
        for kind, metres in build.supplies.wire
    ]
    lines.append(
        tr(
            "{sleeves} sleeves, one over each joint that lies beside another; {ties} ties",
            sleeves=build.supplies.sleeves,
            ties=build.supplies.ties,
        )
    )
    return SheetLines(tr("Wire and sleeving"), tuple(lines) if build.wires else ())


def parts_tables(job: Job, build: LoomFound) -> tuple[SheetTable, SheetTable]:
    """The parts as they are used, and what to buy for so many copies."""
    parts = tuple((p.reference, p.name, p.words, p.value, p.note) for p in build.parts)
    buy = tuple((k, v, n, str(c), str(b)) for k, v, n, c, b in to_buy(build.parts, job.build.copies))
    copies = trn(
        "For {count} copy; small parts in the multiples that they come in.",
        "For {count} copies; small parts in the multiples that they come in.",
        job.build.copies,
    )
    return (
        SheetTable(
            tr("Parts"),
            (tr("where"), tr("on the board"), tr("part"), tr("value"), tr("note")),
            parts,
            weights=(2.4, 0.8, 2, 1, 2.4),
        ),
        SheetTable(
            tr("To buy"),
            (tr("what"), tr("value"), tr("note"), tr("needed"), tr("buy")),
            buy,
            copies,
            (2, 1.2, 3, 0.7, 0.7),
        ),
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
            tr("Labels"), (Drawing("Labels", wide * columns, high * rows, tuple(shapes), true=True),), 1.0
        )
    ]
