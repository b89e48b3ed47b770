"""What is printed, measured back by other programs' readers: PDF by its content, SVG by its text, DXF by the DXF library.

Wire against the tables of the American gauge: NBS Handbook 100, Copper Wire Tables (1966), annealed copper at 20 °C, from memory.
"""

from __future__ import annotations

import io
import re
import xml.etree.ElementTree as ElementTree
from collections.abc import Iterator

import ezdxf
import pytest
from ezdxf import bbox
from msgspec.structs import replace
from pypdf import PdfReader
from pypdf.generic import ContentStream

from pigtail import edits
from pigtail.board.layout import laid_out
from pigtail.board.parts import mounted
from pigtail.board.picture import solder_side
from pigtail.drawing.svg import svg_text
from pigtail.edits.build import put_fitting, set_panel
from pigtail.job.build import BoardKind, Fitting, Panel
from pigtail.job.document import Job
from pigtail.panel.template import template
from pigtail.sheet.blocks import Sheet
from pigtail.sheet.content import make_sheet
from pigtail.sheet.dxf import dxf_bytes
from pigtail.sheet.pdf import PageSize, pdf_bytes
from pigtail.studies.all import study_job
from pigtail.studies.loom.wires import loom_wires
from pigtail.units import Basis, Known

TENTH = 0.1
MM = 25.4 / 72.0
Box = tuple[float, float, float, float]
#: Ω/km of solid copper by its gauge.
TABLE = {18: 20.95, 20: 33.31, 22: 52.96, 24: 84.22, 26: 133.9, 28: 212.9, 30: 338.6, 32: 538.3}


@pytest.fixture
def drilled(larkmoor: Job) -> Job:
    """The demo with three fittings, one of them square, on a panel that fits a page."""
    job = set_panel(
        larkmoor, Panel(name="side", width=180.0, height=70.0, thickness=1.5, depth=50.0, comes_off=True)
    )
    for k, (kind, x, y) in enumerate(
        (("jack_3_5", 30.0, 25.0), ("optical", 95.4, 40.2), ("led", 150.0, 12.5))
    ):
        job = put_fitting(job, Fitting(id=f"f_{k}", kind=kind, name=kind, x=x, y=y))
    return job


def boxes(page_bytes: bytes) -> Iterator[tuple[int, Box]]:
    """All drawn paths of a PDF as page and bounding box [mm from the lower left], the transforms of its content worked out."""
    for number, page in enumerate(PdfReader(io.BytesIO(page_bytes)).pages):
        stack, now, points = [], (1.0, 0.0, 0.0, 1.0, 0.0, 0.0), []
        for operands, operator in ContentStream(page.get_contents(), page.pdf).operations:  # type: ignore[attr-defined]
            v = [float(x) for x in operands] if operator in (b"cm", b"m", b"l", b"c", b"re") else []
            if operator == b"q":
                stack.append(now)
            elif operator == b"Q":
                now = stack.pop()
            elif operator == b"cm":
                now = product(v, now)
            elif operator in (b"m", b"l"):
                points.append(through(now, v[0], v[1]))
            elif operator == b"c":
                points.append(through(now, v[4], v[5]))
            elif operator == b"re":
                points += [through(now, v[0], v[1]), through(now, v[0] + v[2], v[1] + v[3])]
            elif operator in (b"S", b"s", b"f", b"F", b"B", b"b", b"n", b"f*", b"B*", b"b*"):
                if points:
                    xs, ys = [p[0] * MM for p in points], [p[1] * MM for p in points]
                    yield number, (min(xs), min(ys), max(xs), max(ys))
                points = []


def product(a: list[float], b: tuple[float, ...]) -> tuple[float, ...]:
    return (
        a[0] * b[0] + a[1] * b[2], a[0] * b[1] + a[1] * b[3], a[2] * b[0] + a[3] * b[2], a[2] * b[1] + a[3] * b[3],
        a[4] * b[0] + a[5] * b[2] + b[4], a[4] * b[1] + a[5] * b[3] + b[5],
    )  # fmt: skip


def through(m: tuple[float, ...], x: float, y: float) -> tuple[float, float]:
    return m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]


def sized(found: list[tuple[int, Box]], width: float, height: float) -> list[tuple[int, Box]]:
    """Those that are so large, to a tenth of a millimetre."""
    return [
        (n, b) for n, b in found if abs(b[2] - b[0] - width) < TENTH and abs(b[3] - b[1] - height) < TENTH
    ]


def sheet_of(job: Job) -> Sheet:
    return make_sheet(job, study_job(job))


@pytest.mark.parametrize("paper", list(PageSize))
def test_the_template_in_the_pdf_measures_as_it_should(drilled: Job, paper: PageSize) -> None:
    """Outline, check square and holes, and where the holes lie in the outline: to 0.1 mm, on A4 and on Letter."""
    found = list(boxes(pdf_bytes(sheet_of(drilled), paper)))
    (page, outline), *_ = sized(found, 180.0, 70.0)
    assert any(n == page for n, _ in sized(found, 50.0, 50.0))
    for width, height, x, y in ((6.0, 6.0, 30.0, 25.0), (9.7, 9.7, 95.4, 40.2), (3.0, 3.0, 150.0, 12.5)):
        middles = [
            ((b[0] + b[2]) / 2 - outline[0], outline[3] - (b[1] + b[3]) / 2)
            for n, b in sized(found, width, height)
            if n == page
        ]
        assert any(abs(mx - x) < TENTH and abs(my - y) < TENTH for mx, my in middles), (width, middles)


def test_a_panel_larger_than_the_page_comes_in_tiles_at_true_size(drilled: Job) -> None:
    """The 50 mm square is whole on one of them, and every hole on at least one, at its true size."""
    panel = drilled.build.panel
    assert panel is not None
    wide = set_panel(
        drilled,
        replace(
            panel, width=430.0, fittings=(*panel.fittings, replace(panel.fittings[0], id="far", x=410.0))
        ),
    )
    found = list(boxes(pdf_bytes(sheet_of(wide))))
    assert sized(found, 50.0, 50.0)
    assert len({n for n, _ in sized(found, 6.0, 6.0)}) == 2


def test_the_board_is_printed_at_true_size_from_both_sides(larkmoor: Job) -> None:
    """Its outline measures as holes of 2.54 mm make it; twice, and twice larger for reading."""
    board = laid_out(mounted(larkmoor), BoardKind.STRIP)
    width, height = board.columns * 2.54 + 1.27, board.rows * 2.54 + 1.27
    assert board.size_mm == pytest.approx((width, height))
    assert len(sized(list(boxes(pdf_bytes(sheet_of(larkmoor)))), width, height)) == 2


@pytest.mark.parametrize("paper", list(PageSize))
def test_every_font_is_embedded_and_nothing_is_a_bitmap(drilled: Job, paper: PageSize) -> None:
    """So it prints anywhere as it was seen."""
    reader = PdfReader(io.BytesIO(pdf_bytes(sheet_of(drilled), paper)))
    for page in reader.pages:
        size = (float(page.mediabox.width), float(page.mediabox.height))
        assert sorted(round(s) for s in size) == ([595, 842] if paper is PageSize.A4 else [612, 792])
        assert not page.images
        for font in (page["/Resources"].get("/Font") or {}).values():  # type: ignore[attr-defined]
            assert "/FontFile2" in font.get_object()["/FontDescriptor"]


def test_the_svg_measures_as_it_should(drilled: Job) -> None:
    """Width in millimetres against its units; holes in place; on a ground of its own."""
    panel = drilled.build.panel
    assert panel is not None
    root = ElementTree.fromstring(svg_text(template(panel)))
    name = "{http://www.w3.org/2000/svg}"
    unit = float(root.attrib["width"].removesuffix("mm")) / float(root.attrib["viewBox"].split()[2])
    ground = root.find(f"{name}rect")
    assert ground is not None
    assert ground.attrib["fill"] == "#ffffff"
    outline = next(p for p in paths(root) if close(p, 180.0 / unit, 70.0 / unit, unit))
    circles = [
        (
            (float(c.attrib["cx"]) - outline[0]) * unit,
            (float(c.attrib["cy"]) - outline[1]) * unit,
            2 * float(c.attrib["r"]) * unit,
        )
        for c in root.iter(f"{name}circle")
    ]
    for x, y, wide in ((30.0, 25.0, 6.0), (150.0, 12.5, 3.0)):
        assert any(
            abs(cx - x) < TENTH and abs(cy - y) < TENTH and abs(d - wide) < TENTH for cx, cy, d in circles
        )
    assert any(close(p, 50.0 / unit, 50.0 / unit, unit) for p in paths(root))


def paths(root: ElementTree.Element) -> Iterator[Box]:
    for path in root.iter("{http://www.w3.org/2000/svg}path"):
        numbers = [float(x) for x in re.findall(r"-?[\d.]+", path.attrib["d"])]
        yield min(numbers[::2]), min(numbers[1::2]), max(numbers[::2]), max(numbers[1::2])


def close(p: Box, width: float, height: float, unit: float) -> bool:
    return abs(p[2] - p[0] - width) * unit < TENTH and abs(p[3] - p[1] - height) * unit < TENTH


def test_the_dxf_is_read_by_the_library_and_measures_as_it_should(drilled: Job) -> None:
    """Millimetres, sound, holes on a layer of their own, y upward."""
    panel = drilled.build.panel
    assert panel is not None
    document = ezdxf.read(io.StringIO(dxf_bytes(template(panel, checks=False)).decode()))  # type: ignore[attr-defined]
    assert document.header["$INSUNITS"] == 4
    assert not document.audit().errors
    space = document.modelspace()
    outline = bbox.extents(space.query('*[layer=="outline"]'))
    assert (outline.size.x, outline.size.y) == pytest.approx((180.0, 70.0), abs=TENTH)
    holes = {
        round(2 * c.dxf.radius, 2): (c.dxf.center.x - outline.extmin.x, outline.extmax.y - c.dxf.center.y)
        for c in space.query('CIRCLE[layer=="holes"]')
    }
    assert holes[6.0] == pytest.approx((30.0, 25.0), abs=TENTH)
    assert holes[3.0] == pytest.approx((150.0, 12.5), abs=TENTH)
    square = bbox.extents(space.query('LWPOLYLINE[layer=="holes"]'))
    assert (square.size.x, square.center.x - outline.extmin.x) == pytest.approx((9.7, 95.4), abs=TENTH)


def test_the_solder_side_is_the_part_side_seen_from_behind(larkmoor: Job) -> None:
    """Printed back to back, hole lies on hole: the pitch of 2.54 mm counted from the right."""
    board = laid_out(mounted(larkmoor), BoardKind.STRIP)
    drawn = solder_side(board)
    numbers = [s for s in drawn.shapes if getattr(s, "text", "").isdigit() and s.y < 5.0]
    xs = {int(s.text): s.x for s in numbers}  # type: ignore[union-attr]
    assert xs[1] - xs[2] == pytest.approx(2.54, abs=1e-6)


@pytest.mark.parametrize("gauge", list(TABLE))
def test_wire_of_the_loom_has_the_resistance_of_the_tables(larkmoor: Job, gauge: int) -> None:
    """A metre cut of each gauge, and what falls along it at the burst of the module."""
    length = Known.of(1.0 / 1.1, "m", Basis.MEASURED)
    job = edits.set_conductor(larkmoor, "supply", "in", gauge=gauge, length=length)
    wire = next(w for w in loom_wires(job) if (w.link, w.port) == ("supply", "in"))
    assert wire.length == pytest.approx(1.0)
    assert wire.ohms == pytest.approx(TABLE[gauge] * 1e-3, rel=5e-3)
    burst = larkmoor.terminal("rx.supply").burst.high  # type: ignore[union-attr]
    assert wire.drop == pytest.approx(TABLE[gauge] * 1e-3 * burst, rel=5e-3)
