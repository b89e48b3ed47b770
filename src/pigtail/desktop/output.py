"""What leaves the window: the sheet into a folder, or to a printer, made in the studies' process."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pigtail.desktop.desk import Desk


def write_sheet(desk: Desk, folder: Path) -> None:
    """Write the sheet's files in the background."""
    job, studies = desk.session.job, desk.session.studies
    if job is None or studies is None:
        return
    desk.side.submit(
        "sheet",
        lambda: desk.session.helper.call("write_sheet", job, studies, folder),
        lambda paths: desk.tell(f"The sheet is written: {', '.join(p.name for p in paths)} in {folder}."),
        lambda error: desk.tell(str(error)),
    )


def print_sheet(desk: Desk, printer: object) -> None:
    """Print the sheet: made in the background, sent to the printer page by page."""
    from pigtail.desktop.paper import print_pdf

    job, studies = desk.session.job, desk.session.studies
    if job is None or studies is None:
        return
    desk.side.submit(
        "print",
        lambda: desk.session.helper.call("sheet_pdf", job, studies),
        lambda data: desk.tell(f"The sheet is printed: {print_pdf(data, printer)} pages."),  # type: ignore[arg-type]
        lambda error: desk.tell(str(error)),
    )
