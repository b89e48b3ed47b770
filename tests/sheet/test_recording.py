"""What leaves of the work: the runbook and record on paper, the story for others."""

from __future__ import annotations

from io import BytesIO

import pytest
from msgspec.structs import replace
from pypdf import PdfReader

from pigtail.bench.walked import BEGAN, proved, walked
from pigtail.catalogue.demo import demo
from pigtail.edits.record import put_alteration, spend, strike_entry
from pigtail.job.document import Job
from pigtail.job.logbook import Alteration, Alters, Fate, Noted
from pigtail.sheet.pdf import pdf_bytes
from pigtail.sheet.recording import record_sheet, runbook_sheet, story
from pigtail.sheet.write import pack_files
from pigtail.studies.all import study_job
from pigtail.studies.prove.record import tables_of


@pytest.fixture(scope="module")
def built() -> Job:
    """The quiet demo, built and closed, a part of it burnt on the way."""
    job = put_alteration(
        demo("tidewell").job,
        Alteration(id="c9", kind=Alters.LIFT, what="C9, 10 µF", back=False, way_round=True),
    )
    job = walked(job)
    job = spend(spend(job, "receiver", 12.0, BEGAN, fate=Fate.BURNT), "receiver", 12.0, BEGAN)
    return replace(
        job,
        record=(
            *job.record,
            Noted(id="n1", when=BEGAN.isoformat(), text="read the plug | first *always* <b>", otherwise=True),
        ),
    )


def text_of_pdf(data: bytes) -> str:
    return " ".join(" ".join(p.extract_text().split()) for p in PdfReader(BytesIO(data)).pages)


def test_the_runbook_is_printed_with_its_hold_points(built: Job) -> None:
    """Before it is begun every step has an empty box and its range; after it they are ticked."""
    fresh = replace(built, record=())
    words = text_of_pdf(pdf_bytes(runbook_sheet(fresh, study_job(fresh))))
    found = proved(fresh)
    assert words.count("[ ]") >= sum(1 for s in found.stands if s.open)
    assert "4.86 V to 5.14 V" in words
    assert "licensed" in words
    done = text_of_pdf(pdf_bytes(runbook_sheet(built, study_job(built))))
    assert done.count("[x]") == len(proved(built).stands)


def test_the_way_back_says_first_what_stays(built: Job) -> None:
    """What cannot be undone, then every step."""
    sheet = runbook_sheet(built, study_job(built), back=True)
    assert sheet.blocks[0].lines[0].startswith("C9, 10 µF: part taken out, and it cannot be put back")  # type: ignore[union-attr]
    assert sum(len(t.rows) for t in sheet.tables) == len(proved(built).back)


def test_the_record_tells_parts_readings_and_cost(built: Job) -> None:
    """Where C9 is, what each hold point read against what was expected, the cost with what burnt."""
    words = text_of_pdf(pdf_bytes(record_sheet(built, study_job(built))))
    for part in (
        "bag of c9",
        "4.99 V",
        "as the model says",
        "12.00 €",
        "burnt or broken",
        "24.00 €",
        "6.00 € left",
        "Next time: read the plug",
    ):
        assert part in words, part
    tables = tables_of(built)
    assert [line.cells[1:] for line in tables.cost if line.cells[0] == "in all"] == [
        ("24.00 €", "12.00 € of it burnt")
    ]
    assert [line.cells for line in tables.cost if line.cells[0] == "the ready-made thing"] == [
        ("the ready-made thing", "79.00 €", "55.00 € cheaper")
    ]


def test_a_struck_entry_is_shown_as_struck_and_counts_no_more(built: Job) -> None:
    """In the table, in the sums, and not in the story."""
    burnt = next(e for e in built.record if getattr(e, "fate", None) is Fate.BURNT)
    job = strike_entry(built, burnt.id)
    tables = tables_of(job)
    assert [line.struck for line in tables.cost[:2]] == [True, False]
    assert next(line for line in tables.cost if line.cells[0] == "in all").cells[1] == "12.00 €"
    assert "burnt or broken" not in story(job, study_job(job), markdown=True)


def test_the_story_as_markdown_takes_no_word_for_a_mark(built: Job) -> None:
    """Pipes, stars and tags of the person's own words come out as letters; tables have as many cells as headings."""
    words = story(built, study_job(built), markdown=True)
    assert "read the plug \\| first \\*always\\* &lt;b&gt;" in words
    rows = [line for line in words.splitlines() if line.startswith("|")]
    for row in rows:
        assert row.replace("\\|", "").count("|") in (4, 5, 6), row
    assert "![Wiring](wiring.svg)" in words
    assert "--[ white, 6 cm ]--" in words


def test_the_story_as_text_is_plain(built: Job) -> None:
    """Lines that no forum turns into anything else."""
    words = story(built, study_job(built), markdown=False)
    assert "<b>" in words
    assert all(c.isprintable() or c == "\n" for c in words)
    assert words.splitlines()[1].startswith("====")


def test_control_characters_of_a_name_do_not_leave(tidewell: Job) -> None:
    """Neither as a line end in a table nor as anything else."""
    job = replace(tidewell, name="A\n# heading\x07")
    words = story(job, study_job(job), markdown=True)
    assert words.splitlines()[0] == "# A \\# heading"


def test_a_pack_holds_sheet_runbook_record_and_story(built: Job) -> None:
    """By their names."""
    files = pack_files(built, study_job(built))
    assert {"sheet.pdf", "runbook.pdf", "record.pdf", "story.md", "wiring.svg"} <= set(files)
