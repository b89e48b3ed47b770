"""Writing the sheet's files into a folder."""

from __future__ import annotations

from pathlib import Path

from pigtail.job.document import Job
from pigtail.job.errors import FileError
from pigtail.job.file import write_atomically
from pigtail.sheet.content import Sheet, make_sheet
from pigtail.sheet.html import html_text
from pigtail.sheet.pdf import pdf_bytes
from pigtail.sheet.picture import plan_svg
from pigtail.sheet.tables import csv_text
from pigtail.studies.found import Studies


def sheet_files(job: Job, sheet: Sheet) -> dict[str, bytes]:
    """The files of a sheet by their name."""
    tables = {t.title: t for t in sheet.tables}
    return {
        "sheet.html": html_text(job, sheet).encode(),
        "sheet.pdf": pdf_bytes(sheet),
        "loom.csv": csv_text(tables["Loom"]).encode("utf-8-sig"),
        "parts.csv": csv_text(tables["Parts"]).encode("utf-8-sig"),
        "plan.svg": plan_svg(job).encode(),
        "netlist.cir": sheet.netlist.encode(),
    }


def write_sheet(job: Job, studies: Studies, folder: Path) -> list[Path]:
    """Write all files of the sheet into a folder, made if need be; raises FileError."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(folder, f"the folder cannot be made ({error.strerror}); choose another") from error
    written = []
    for name, data in sheet_files(job, make_sheet(job, studies)).items():
        write_atomically(folder / name, data)
        written.append(folder / name)
    return written
