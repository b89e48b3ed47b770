"""Writing the sheet's files into a folder."""

from __future__ import annotations

from pathlib import Path

from pigtail.drawing.svg import svg_text
from pigtail.job.disk import write_atomically
from pigtail.job.document import Job
from pigtail.job.errors import FileError
from pigtail.job.extras import command, there
from pigtail.language import tr
from pigtail.panel.template import template
from pigtail.sheet.blocks import Sheet
from pigtail.sheet.content import make_sheet
from pigtail.sheet.dxf import dxf_bytes
from pigtail.sheet.html import html_text
from pigtail.sheet.pdf import PageSize, pdf_bytes
from pigtail.sheet.recording import record_sheet, runbook_sheet, story
from pigtail.sheet.tables import csv_text
from pigtail.studies.found import Studies


def left_out(job: Job) -> str:
    """What of the sheet cannot be written here, and what brings it in; empty where all can."""
    if job.build.panel is None or there("ezdxf"):
        return ""
    return tr("template.dxf is left out: it needs one more package, {command}", command=command("dxf"))


def sheet_files(job: Job, sheet: Sheet) -> dict[str, bytes]:
    """The files of a sheet by their name."""
    tables = {t.title: t for t in sheet.tables}
    files = {
        "sheet.html": html_text(sheet).encode(),
        "sheet.pdf": pdf_bytes(sheet),
        "sheet-letter.pdf": pdf_bytes(sheet, PageSize.LETTER),
        "netlist.cir": sheet.netlist.encode(),
    }
    for name, title in (("loom.csv", tr("Loom")), ("parts.csv", tr("Parts")), ("buy.csv", tr("To buy"))):
        files[name] = csv_text(tables[title]).encode("utf-8-sig")
    for picture in sheet.pictures:
        names = PICTURES.get(picture.title, ())
        files |= {
            name: svg_text(drawing).encode() for name, drawing in zip(names, picture.drawings, strict=False)
        }
    if job.build.panel is not None and there("ezdxf"):
        files["template.dxf"] = dxf_bytes(template(job.build.panel, checks=False))
    return files


#: The drawings that leave as pictures of their own, by the heading that they stand under.
PICTURES = {
    tr("Wiring"): ("wiring.svg",), tr("The little board, 1:1"): ("board-part-side.svg", "board-solder-side.svg"),
    tr("Joined point to point"): ("point-to-point.svg",), tr("Template"): ("template.svg",), tr("Labels"): ("labels.svg",),
}  # fmt: skip


def pack_files(job: Job, studies: Studies, beside: Path | None = None) -> dict[str, bytes]:
    """What is written for a pack, by its name: the sheet's files, the runbook, the record, the story."""
    runbook, record = runbook_sheet(job, studies), record_sheet(job, studies)
    return {
        **sheet_files(job, make_sheet(job, studies, beside)),
        "runbook.pdf": pdf_bytes(runbook),
        "record.pdf": pdf_bytes(record),
        "story.md": story(job, studies, markdown=True).encode(),
    }


def write_sheet(job: Job, studies: Studies, folder: Path, beside: Path | None = None) -> list[Path]:
    """Write all files of the sheet into a folder, made if need be; photos come from the folder beside which they lie. Raises FileError."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(
            folder, tr("the folder cannot be made ({strerror}); choose another", strerror=error.strerror)
        ) from error
    written = []
    for name, data in sheet_files(job, make_sheet(job, studies, beside)).items():
        write_atomically(folder / name, data)
        written.append(folder / name)
    return written
