"""The sheet for those who hear it, and for the machines that check it: tags, fonts and HTML, by tools that know nothing of us.

The tools are those of the Debian archive (poppler-utils, tidy); where one is not installed its test is left out, CI has them.
"""

from __future__ import annotations

import io
import shutil
import subprocess
from pathlib import Path

import pytest
from pypdf import PdfReader

from pigtail.catalogue.demo import demo
from pigtail.sheet.content import make_sheet
from pigtail.sheet.html import html_text
from pigtail.sheet.pdf import PageSize, pdf_bytes
from pigtail.sheet.recording import record_sheet, runbook_sheet
from pigtail.studies.all import study_job

NAMES = ("tidewell", "larkmoor")


def needs(tool: str) -> None:
    """Leave a test out where its tool is not installed."""
    if shutil.which(tool) is None:
        pytest.skip(f"{tool} is not installed")


@pytest.fixture(scope="module", params=NAMES)
def paper(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with the sheet of a demo: as PDF on both papers, its runbook and record, as HTML."""
    job = demo(request.param).job
    studies, folder = study_job(job), tmp_path_factory.mktemp(request.param)
    sheet = make_sheet(job, studies)
    (folder / "sheet.pdf").write_bytes(pdf_bytes(sheet))
    (folder / "letter.pdf").write_bytes(pdf_bytes(sheet, PageSize.LETTER))
    (folder / "runbook.pdf").write_bytes(pdf_bytes(runbook_sheet(job, studies)))
    (folder / "record.pdf").write_bytes(pdf_bytes(record_sheet(job, studies)))
    (folder / "sheet.html").write_text(html_text(sheet))
    return folder


def run(*command: str) -> str:
    """What a tool prints of both kinds; it may complain."""
    done = subprocess.run(command, capture_output=True, text=True, check=False, timeout=60)
    return done.stdout + done.stderr


def test_every_pdf_is_tagged_without_a_fault(paper: Path) -> None:
    """poppler reads the structure of each: one title, sections, tables by rows, figures; no syntax error."""
    needs("pdfinfo")
    for path in paper.glob("*.pdf"):
        assert "Tagged:          yes" in run("pdfinfo", str(path))
        told = run("pdfinfo", "-struct", str(path))
        assert "rror" not in told
        roles = [line.split()[0] for line in told.splitlines() if line.strip()]
        assert roles[:2] == ["Document", "H1"]
        assert roles.count("H1") == 1
        assert roles.count("H2") >= 1
        assert roles.count("TD") >= roles.count("TR") >= roles.count("Table")


def test_every_font_of_every_pdf_is_embedded(paper: Path) -> None:
    """Each line of poppler's list says `yes` to embedded, and each font is the one that ships with the program."""
    needs("pdffonts")
    for path in paper.glob("*.pdf"):
        rows = run("pdffonts", str(path)).splitlines()[2:]
        assert rows
        for row in rows:
            assert "B612" in row
            assert row.split()[-5:-2] == ["yes", "yes", "yes"]


def test_all_that_is_said_is_said_in_the_structure_too(paper: Path) -> None:
    """Every caution and every heading of the sheet is read out, in its order; the foot of the page is not."""
    needs("pdfinfo")
    told = " ".join(run("pdfinfo", "-struct-text", str(paper / "sheet.pdf")).split())
    assert told.index("Cautions first") < told.index("Wiring") < told.index("Open questions")
    assert "Unplug the adapter before opening" in told or "Unplug" in told
    assert "page 2" not in told


def test_the_tree_and_the_pages_know_each_other(paper: Path) -> None:
    """Every mark of every page has its element, every element its mark; figures have words (ISO 32000-1, 14.7, from memory)."""
    reader = PdfReader(io.BytesIO((paper / "sheet.pdf").read_bytes()))
    root = reader.trailer["/Root"]
    assert root["/Lang"] == "en"
    tree = root["/StructTreeRoot"]
    numbers = tree["/ParentTree"]["/Nums"]
    seen: list[tuple[int, int]] = []
    pages = [p.indirect_reference for p in reader.pages]

    def walk(element) -> None:  # type: ignore[no-untyped-def]
        if element["/S"] == "/Figure":
            assert str(element["/Alt"]).strip()
        for kid in element["/K"]:
            part = kid.get_object()
            if part["/Type"] == "/MCR":
                seen.append((pages.index(part.raw_get("/Pg")), part["/MCID"]))
            else:
                walk(part)

    walk(tree["/K"][0].get_object())
    expected = [(k, n) for k in range(len(pages)) for n in range(len(numbers[2 * k + 1]))]
    assert sorted(seen) == expected
    assert [p["/StructParents"] for p in reader.pages] == list(range(len(pages)))
    for page in reader.pages:
        marks = page.get_contents().get_data().decode("latin-1")
        assert marks.count("BDC") + marks.count("BMC") == marks.count("EMC")


def test_the_html_is_valid(paper: Path) -> None:
    """tidy finds nothing but what it does not know of drawings: their sizes in millimetres and their fonts, which SVG 1.1 allows."""
    needs("tidy")
    found = run("tidy", "-e", "-q", "-utf8", str(paper / "sheet.html"))
    rest = [line for line in found.splitlines() if "<svg>" not in line]
    assert rest == []
