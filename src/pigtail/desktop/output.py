"""What leaves the window: the sheet into a folder, or to a printer, made in the studies' process."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from pigtail.desktop import ask
from pigtail.desktop.wants import Paper, answer
from pigtail.language import tr, trn
from pigtail.service import services

if TYPE_CHECKING:
    from PyQt6.QtPrintSupport import QPrinter

    from pigtail.desktop.desk import Desk


class Output:
    """The sheet of the open job."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk

    def give(self, want: Paper) -> None:
        """Ask where to, and let the sheet go there."""
        if want.printed:
            self.ask_print(want.what)
        else:
            self.ask_sheet()

    def ask_sheet(self) -> None:
        """Ask for a folder and write the sheet into it."""
        path = self._desk.session.path
        folder = ask.folder(self._desk.window, str(path.parent if path else Path.home()))
        if folder is not None:
            self.write(folder)

    def write(self, folder: Path) -> None:
        """Write the sheet's files in the background."""
        job, studies = self._desk.session.job, self._desk.session.studies
        if job is None or studies is None:
            return

        def tell(paths: list[Path]) -> None:
            from pigtail.sheet.write import left_out

            less = left_out(job)
            self._desk.tell(
                tr(
                    "The sheet is written: {listed} in {folder}.{more}",
                    listed=", ".join(p.name for p in paths),
                    folder=folder,
                    more=f" {less}." if less else "",
                )
            )

        self._desk.answer(answer(services.write_sheet, tell, job, studies, folder, self._desk.session.folder))

    def preview(self) -> None:
        """Show the sheet as it will be printed; from there it can be."""
        job, studies = self._desk.session.job, self._desk.session.studies
        if job is None or studies is None:
            return

        def show(data: bytes) -> None:
            from pigtail.desktop.paper import Preview

            if Preview(data, self._desk.window).exec():
                self.ask_print()

        self._desk.answer(
            answer(services.printed, show, job, studies, "sheet", False, self._desk.session.folder)
        )

    def ask_print(self, what: str = "sheet") -> None:
        """Ask for a printer and print the sheet, the runbook, the way back or the record."""
        from pigtail.desktop.paper import ask_printer

        printer = ask_printer(self._desk.window)
        if printer is not None:
            self.print(printer, what)

    def print(self, printer: QPrinter, what: str = "sheet") -> None:
        """Print one of them: made in the background, sent to the printer page by page."""
        from pigtail.desktop.paper import on_letter, print_pdf

        job, studies = self._desk.session.job, self._desk.session.studies
        if job is None or studies is None:
            return

        def tell(data: bytes) -> None:
            try:
                count = print_pdf(data, printer)
            except OSError as error:
                self._desk.tell(
                    tr(
                        "It cannot be printed there ({strerror}); choose another place",
                        strerror=error.strerror,
                    )
                )
                return
            self._desk.tell(trn("It is printed: {count} page.", "It is printed: {count} pages.", count))

        self._desk.answer(
            answer(services.printed, tell, job, studies, what, on_letter(printer), self._desk.session.folder)
        )
