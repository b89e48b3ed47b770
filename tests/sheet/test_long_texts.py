"""Texts as long as their fields allow, and of every strange kind: every producer copes, and no cell becomes a formula."""

from __future__ import annotations

import time
from typing import Any
from xml.etree import ElementTree

import msgspec
import pytest

from pigtail.catalogue.demo import demo
from pigtail.drawing.shapes import Drawing, Lettering
from pigtail.drawing.svg import svg_text
from pigtail.edits.change import checked
from pigtail.job.document import Job
from pigtail.service.services import study
from pigtail.sheet.dxf import dxf_bytes
from pigtail.sheet.tables import safe_cell
from pigtail.sheet.write import pack_files

LIMITS = {
    "name": 300,
    "notes": 4000,
    "wanted": 4000,
    "papers": 4000,
    "route": 300,
    "colour": 300,
    "source": 4000,
    "words": 4000,
    "text": 4000,
}
FILLINGS = {
    "one word without an end": "W" * 4000, "many words": "word " * 800, "nothing but lines": "x" + "\n" * 800, "a letter a line": "a\n" * 400,
    "markup": "<b>&amp;]]>" * 400, "formulas": "=1+1 " * 100, "no letters of ours": "日本語" * 300,
}  # fmt: skip


def filled(job: Job, text: str) -> Job:
    """The job with every free text as long as it may be."""

    def walk(value: Any, key: str = "") -> Any:
        if isinstance(value, dict):
            return {k: v if k == "name" and "value" in value else walk(v, k) for k, v in value.items()}
        if isinstance(value, list | tuple):
            return [walk(v, key) for v in value]
        return (text[: LIMITS[key]] or value) if isinstance(value, str) and key in LIMITS else value

    return checked(msgspec.convert(walk(msgspec.to_builtins(job)), Job))


@pytest.mark.one_of(9)
@pytest.mark.parametrize("name", FILLINGS)
def test_the_whole_sheet_is_written_whatever_the_texts(name: str) -> None:
    """Pages, tables, drawings, record and story of a job whose every text is at its limit, in seconds."""
    job = filled(demo("tidewell").job, FILLINGS[name])
    began = time.process_time()
    files = pack_files(job, study(job))
    assert time.process_time() - began < 60
    assert {n for n in files if n.endswith(".pdf")} >= {
        "sheet.pdf",
        "sheet-letter.pdf",
        "runbook.pdf",
        "record.pdf",
    }
    for file, data in files.items():
        if file.endswith(".svg"):
            ElementTree.fromstring(data)


@pytest.mark.parametrize("text", ["a\x00b", "\x1b[1m", "\ud800", "\ufffe", "<&>\"'", "]]>"])
def test_a_drawing_holds_any_text(text: str) -> None:
    """SVG stays XML, and DXF a file of lines."""
    drawing = Drawing(text, 10, 10, (Lettering(1, 1, text, 2),))
    ElementTree.fromstring(svg_text(drawing).encode("utf-8"))
    dxf_bytes(drawing)


@pytest.mark.parametrize(
    "cell",
    [
        "=1",
        "+1",
        "-1",
        "@x",
        "\t=1",
        "\r=1",
        " =1",
        "\u00a0=1",
        "\u200b=1",
        "\ufeff=1",
        "＝1",
        "﹦1",
        "＋1",
        "－1",
        "＠x",
        "꞊1",
        "|calc",
        "%x",
        "\n=1",
        "\u2003＝1",
    ],
)
def test_what_looks_like_a_formula_is_text(cell: str) -> None:
    """An apostrophe stands before it."""
    assert safe_cell(cell) == f"'{cell}"


@pytest.mark.parametrize("cell", ["", "red", "4k7", "−11.8 dB", "a=1", "1-2", "µ", "(=1)", "日本"])
def test_plain_cells_stay_as_they_are(cell: str) -> None:
    """Numbers with a true minus among them."""
    assert safe_cell(cell) == cell
