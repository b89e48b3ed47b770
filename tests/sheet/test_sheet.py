"""What leaves the program: whole, escaped, and safe to open."""

from __future__ import annotations

import csv
import io
import xml.etree.ElementTree as ElementTree
from pathlib import Path

import pytest
from msgspec.structs import replace

from pigtail import edits
from pigtail.advice.remedies import advised
from pigtail.circuit import operating_point, parse
from pigtail.job.document import Job
from pigtail.job.errors import FileError
from pigtail.job.places import Place
from pigtail.sheet.content import make_sheet
from pigtail.sheet.html import html_text
from pigtail.sheet.tables import csv_text, safe_cell
from pigtail.sheet.write import write_sheet
from pigtail.studies.all import study_job

NASTY = '=HYPERLINK("x")<script>alert(1)</script>&"\''


@pytest.fixture
def nasty(larkmoor: Job) -> Job:
    """The demo with text that would do harm if it were not escaped."""
    job = edits.set_brief(edits.rename(larkmoor, NASTY), NASTY, NASTY)
    for link in job.links:
        job = edits.set_conductor(job, link.id, link.joins[0].port, route="=1+1", colour="@red")
    terminals = tuple(replace(t, name=NASTY, place=Place(part="+cmd")) for t in job.host.terminals)
    return replace(job, host=replace(job.host, name=NASTY, terminals=terminals))


def test_all_files_are_written(tmp_path: Path, larkmoor: Job) -> None:
    """HTML, PDF, tables, picture and netlist, none empty; the folder is made."""
    written = write_sheet(larkmoor, advised(larkmoor, study_job(larkmoor)), tmp_path / "new" / "folder")
    assert {p.name for p in written} == {
        "sheet.html",
        "sheet.pdf",
        "sheet-letter.pdf",
        "loom.csv",
        "parts.csv",
        "buy.csv",
        "wiring.svg",
        "board-part-side.svg",
        "board-solder-side.svg",
        "template.svg",
        "template.dxf",
        "labels.svg",
        "netlist.cir",
    }
    assert all(p.stat().st_size > 200 for p in written)
    assert (tmp_path / "new" / "folder" / "sheet.pdf").read_bytes().startswith(b"%PDF-")


def test_cautions_come_first(larkmoor: Job) -> None:
    """Before the drawing, which comes before the lists; numbers come last."""
    text = html_text(make_sheet(larkmoor, study_job(larkmoor)))
    order = (
        "Cautions first",
        ">Wiring<",
        ">The little board",
        ">Template<",
        ">Loom<",
        ">To buy<",
        ">Readings to take<",
        ">Numbers<",
    )
    places = [text.index(words) for words in order]
    assert places == sorted(places)
    assert "primary side is lethal" in text


def test_open_questions_name_the_faults_and_their_remedies(larkmoor: Job) -> None:
    """The sheet of a job that is not ready says so."""
    questions = make_sheet(larkmoor, advised(larkmoor, study_job(larkmoor))).lines("Open questions")
    assert any(q.startswith("FIX: The regulator overheats") and "buck" in q for q in questions)


def test_text_of_the_job_is_escaped(nasty: Job) -> None:
    """No tag of the job reaches HTML or SVG."""
    text = html_text(make_sheet(nasty, study_job(nasty)))
    assert "<script>" not in text
    assert "&lt;script&gt;" in text
    picture = text[text.index("<svg") : text.index("</svg>") + 6]
    ElementTree.fromstring(picture)


def test_no_cell_can_start_a_formula(nasty: Job, tmp_path: Path) -> None:
    """Every cell of the written tables, read back as a spreadsheet reads them."""
    write_sheet(nasty, study_job(nasty), tmp_path)
    for name in ("loom.csv", "parts.csv"):
        rows = list(csv.reader(io.StringIO((tmp_path / name).read_text(encoding="utf-8-sig"))))
        assert len(rows) > 3
        assert not [c for row in rows for c in row if c[:1] in "=+-@\t\r" and c]


@pytest.mark.parametrize("cell", ["=1", "+1", "-1", "@x", "\tx", " =1"])
def test_risky_cells_are_quoted(cell: str) -> None:
    """An apostrophe goes before what a spreadsheet would run."""
    assert safe_cell(cell) == f"'{cell}"


def test_the_netlist_is_the_one_that_was_solved(larkmoor: Job) -> None:
    """Reading the written deck gives the operating point that the study reports."""
    solution = operating_point(parse(make_sheet(larkmoor, study_job(larkmoor)).netlist))
    volts = solution.v("rx__supply", "rx__supply_return")[0]
    assert volts == pytest.approx(study_job(larkmoor).numbers["power.module_v"].value, rel=1e-9)


def test_readings_to_take_have_what_is_expected(larkmoor: Job) -> None:
    """Every point of the plan and the plug of the module, each with a range."""
    table = next(t for t in make_sheet(larkmoor, study_job(larkmoor)).tables if t.title == "Readings to take")
    expected = {row[0]: row[4] for row in table.rows}
    assert expected["regulated rail"].startswith("24.1 V")
    assert "4.75 … 5.25 V" in " ".join(expected.values())
    assert "unknown" not in expected.values()


def test_an_empty_job_has_a_sheet_too(larkmoor: Job) -> None:
    """Nothing planned is said, not broken."""
    for link in larkmoor.links:
        larkmoor = edits.remove_link(larkmoor, link.id)
    sheet = make_sheet(larkmoor, study_job(larkmoor))
    assert "Nothing is planned yet." in html_text(sheet)
    assert csv_text(next(t for t in sheet.tables if t.title == "Loom")).count("\n") == 1


def test_a_folder_that_cannot_be_made_is_told(tmp_path: Path, larkmoor: Job) -> None:
    """One sentence with the path."""
    (tmp_path / "file").write_text("x")
    with pytest.raises(FileError, match="folder cannot be made"):
        write_sheet(larkmoor, study_job(larkmoor), tmp_path / "file" / "x")


def test_what_was_heard_and_corrected_stands_in_the_sheet_in_words(tidewell: Job) -> None:
    """Left and right as words, an open circuit as open, a correction beside what it corrects."""
    from datetime import datetime

    from pigtail.edits.readings import correct_reading, log_reading
    from pigtail.job.document import Function
    from pigtail.sheet.content import make_sheet

    when = datetime(2026, 11, 25, 10, 0)
    job = log_reading(
        tidewell,
        point="host.line_left",
        against="host.star",
        state="off",
        function=Function.RESISTANCE,
        value=1e9,
        when=when,
    )
    job = correct_reading(job, job.readings[-1].id, 22e3, when)
    log = next(t for t in make_sheet(job, study_job(job)).tables if t.title == "Readings taken")
    text = [" ".join(row) for row in log.rows]
    assert any("heard: left" in x for x in text)
    assert any("resistance: open" in x and "struck" in x for x in text)
    assert any("resistance: 22 kΩ" in x and "corrects" in x for x in text)
