"""The little board of 12 and of 16 parts and a panel with 60 keep-outs, as ratios to the Power study of the demo in the same run; the drawing
of a plan of 30 wires as a ratio to two frames."""

from __future__ import annotations

import random
from typing import TYPE_CHECKING

from timed import median

if TYPE_CHECKING:
    from pigtail.board.parts import Mounted
    from pigtail.job.build import Panel
    from pigtail.job.document import Job

FRAME_S = 1 / 60


def amplifier(count: int) -> Mounted:
    """A netlist as a stage has it: a chip, a transistor, and resistors and capacitors from net to net, so many parts in all."""
    from pigtail.board.parts import BoardPart, Mounted, WireHole

    chance = random.Random(count)
    nets = ["in", "p", "mid", "f", "g", "o", "out", "com", "sup", "b", "c"]
    parts = [
        BoardPart("U1", "dual op-amp", "", "dip8", ("o", "f", "p", "com", "mid", "x", "x", "sup")),
        BoardPart("Q1", "NPN", "", "to92", ("c", "b", "com")),
    ]
    for k in range(count - 2):
        form = ("resistor", "resistor", "resistor", "ceramic", "electrolytic5")[k % 5]
        parts.append(BoardPart(f"P{k}", "part", "", form, tuple(chance.sample(nets, 2))))
    holes = tuple(
        WireHole(n, n, "feed", n, "there", n == "in", n == "sup") for n in ("in", "out", "com", "sup")
    )
    return Mounted(tuple(parts), holes)


def crowded(count: int) -> Panel:
    """A panel with so many keep-outs."""
    from pigtail.job.build import KEPT, Area, Panel

    chance = random.Random(count)
    areas = tuple(
        Area(
            id=f"a_{k}", name=f"area {k}", kind=chance.choice(KEPT), x=chance.uniform(0, 420), y=chance.uniform(0, 85),
            width=chance.uniform(4, 25), height=chance.uniform(4, 15),
        )
        for k in range(count)
    )  # fmt: skip
    return Panel(width=430, height=90, thickness=1.2, depth=60, areas=areas)


def many_wires() -> Job:
    """The demo with its feed three times over: more than thirty wires."""
    from msgspec.structs import replace

    from pigtail.catalogue.demo import demo
    from pigtail.edits.links import add_link

    job = demo("larkmoor").job
    feed = job.link("feed")
    assert feed is not None
    for k in range(6):
        job = add_link(job, replace(feed, id=f"feed{k}", name=f"Feed {k + 2}"))
    return job


def main() -> None:
    """Print the ratios."""
    from pigtail.board.layout import laid_out, lay_step
    from pigtail.catalogue.demo import demo
    from pigtail.job.build import BoardKind, Fitting
    from pigtail.model.model import Model
    from pigtail.panel.places import ranked_places
    from pigtail.sheet.wiring import wiring_drawing
    from pigtail.studies.loom.study import study_loom
    from pigtail.studies.power.study import study_power

    job = demo("larkmoor").job
    study_power(Model.of(job))
    reference = median(lambda _k: study_power(Model.of(job)))
    print(f"reference: Power study of the demo {1e3 * reference:.0f} ms; two frames {2e3 * FRAME_S:.0f} ms")

    def lay(count: int) -> object:
        lay_step.cache_clear()
        return laid_out(amplifier(count), BoardKind.STRIP)

    for count in (12, 16):
        took = median(lambda _k, count=count: lay(count))
        board = laid_out(amplifier(count), BoardKind.STRIP)
        size = f"{board.columns} × {board.rows} holes, {len(board.jumpers)} jumpers, {len(board.cuts)} cuts"
        print(f"a board of {count} parts: {took:.2f} s, {took / reference:.1f} × the study; {size}")
    panel, jack = crowded(60), Fitting(id="jack", kind="jack_3_5", name="jack")
    took = median(lambda _k: ranked_places(panel, jack))
    print(f"a panel with 60 keep-outs searched: {1e3 * took:.0f} ms, {took / reference:.2f} × the study")
    large = many_wires()
    build = study_loom(Model.of(large))
    took = median(lambda _k: wiring_drawing(large, build))
    print(
        f"the drawing of {len(build.wires)} wires: {1e3 * took:.1f} ms, {took / (2 * FRAME_S):.2f} × two frames"
    )


if __name__ == "__main__":
    main()
