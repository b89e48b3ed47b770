"""The wiring drawing: every wire is there, can be followed and told apart without colour."""

from __future__ import annotations

from itertools import combinations

import pytest
from msgspec.structs import replace

from pigtail import edits
from pigtail.drawing.shapes import Drawing, Lettering, Stroke, fitted, mirrored, moved, words_width
from pigtail.drawing.svg import svg_text
from pigtail.edits.links import add_link
from pigtail.job.build import ScreenAt
from pigtail.job.document import Job
from pigtail.model.model import Model
from pigtail.sheet.wiring import MARKS, PAINT, wiring_drawing
from pigtail.studies.loom.found import LoomFound
from pigtail.studies.loom.study import study_loom
from pigtail.studies.loom.wires import usual_colours


def drawn(job: Job) -> tuple[Drawing, LoomFound]:
    build = study_loom(Model.of(job))
    return wiring_drawing(job, build), build


def many(larkmoor: Job) -> Job:
    """More than thirty wires."""
    feed = larkmoor.link("feed")
    assert feed is not None
    for k in range(6):
        larkmoor = add_link(larkmoor, replace(feed, id=f"feed{k}", name=f"Feed {k}"))
    return larkmoor


def numbers(drawing: Drawing) -> list[str]:
    return [
        s.text
        for s in drawing.shapes
        if isinstance(s, Lettering) and s.text.isdigit() and s.anchor == "middle"
    ]


@pytest.mark.parametrize("name", ["larkmoor", "tidewell", "many"])
def test_every_wire_has_its_number_at_both_ends(larkmoor: Job, tidewell: Job, name: str) -> None:
    """At its terminals, and at its network."""
    drawing, build = drawn({"larkmoor": larkmoor, "tidewell": tidewell, "many": many(larkmoor)}[name])
    told = numbers(drawing)
    for k in range(1, len(build.wires) + 1):
        assert told.count(str(k)) >= 2
    layers = {s.layer for s in drawing.shapes if isinstance(s, Stroke) and s.layer}
    assert layers - {"wire 0"} == {f"wire {k}" for k in range(1, len(build.wires) + 1)}


def test_no_two_wires_run_on_one_track(larkmoor: Job) -> None:
    """Upright pieces of different wires lie apart, or do not meet."""
    drawing, _ = drawn(many(larkmoor))
    upright = [
        (s.layer, a[0], min(a[1], b[1]), max(a[1], b[1]))
        for s in drawing.shapes
        if isinstance(s, Stroke) and s.layer.startswith("wire ")
        for a, b in zip(s.points, s.points[1:], strict=False)
        if a[0] == b[0] and abs(a[1] - b[1]) > 0.1
    ]
    for a, b in combinations(upright, 2):
        assert a[0] == b[0] or abs(a[1] - b[1]) > 2.0 or a[3] < b[2] or b[3] < a[2]


def test_each_colour_has_marks_of_its_own() -> None:
    """So a grey print tells them apart: all but black and white have marks, no two the same."""
    assert set(MARKS) == set(PAINT) - {"black", "white"}
    assert len(set(MARKS.values())) == len(MARKS)
    assert set(usual_colours().values()) <= set(PAINT)


def test_terminals_are_named_with_their_pins(larkmoor: Job) -> None:
    """The host's plug and pin, the module's pad, and what the wire is."""
    drawing, _ = drawn(larkmoor)
    text = {s.text for s in drawing.shapes if isinstance(s, Lettering)}
    assert {"record input", "J3-1", "left out", "pad L", "R1", "4.7 kΩ"} <= text
    assert any(t.startswith("3: yellow, AWG 26") for t in text)


@pytest.mark.parametrize(
    ("at", "words"),
    [
        (ScreenAt.TERMINAL, "screen here, to audio return"),
        (ScreenAt.BOARD, "network's common"),
        (ScreenAt.BOTH, "BOTH"),
        (ScreenAt.NEITHER, "nowhere"),
    ],
)
def test_the_drawing_says_where_a_screen_is_joined(larkmoor: Job, at: ScreenAt, words: str) -> None:
    """And draws its sheath."""
    drawing, _ = drawn(edits.set_conductor(larkmoor, "feed", "in_l", screened=True, screen=at))
    assert any(words in s.text for s in drawing.shapes if isinstance(s, Lettering))


def test_nothing_of_it_lies_off_the_page(larkmoor: Job) -> None:
    """Neither lines nor words, as wide as they are in our own face."""
    drawing, _ = drawn(many(larkmoor))
    for s in drawing.shapes:
        if isinstance(s, Lettering) and not s.angle:
            wide = words_width(s.text, s.size, bold=s.bold)
            left = s.x - {"start": 0.0, "middle": wide / 2, "end": wide}[s.anchor]
            assert left >= -0.5
            assert left + wide <= drawing.width + 0.5
        elif isinstance(s, Stroke):
            assert all(
                -0.5 <= x <= drawing.width + 0.5 and -0.5 <= y <= drawing.height + 0.5 for x, y in s.points
            )


def test_an_empty_plan_is_said_and_text_is_escaped(larkmoor: Job) -> None:
    """No tag of the job reaches the picture."""
    for link in larkmoor.links:
        larkmoor = edits.remove_link(larkmoor, link.id)
    drawing, _ = drawn(larkmoor)
    assert "Nothing is planned yet." in svg_text(drawing)
    assert "<script>" not in svg_text(Drawing("<script>", 1, 1, (Lettering(0, 0, "<script>"),)))


def test_shapes_are_moved_mirrored_and_words_fitted() -> None:
    """There and back again is where it was; words are cut no wider than asked."""
    shapes = (Stroke(((1.0, 2.0), (3.0, 4.0))), Lettering(5.0, 6.0, "a word"))
    assert moved(moved(shapes, 1.5, -2.0), -1.5, 2.0) == shapes
    assert mirrored(mirrored(shapes, 10.0), 10.0) == shapes
    assert words_width(fitted("a long line of words", 2.0, 15.0), 2.0) <= 15.0
