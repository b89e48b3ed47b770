"""The files of the window: jobs begun, opened, saved and left, and what a killed program left behind."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from pigtail.desktop import ask
from pigtail.desktop.recent import Recent
from pigtail.job.recovery import discard, leftovers

if TYPE_CHECKING:
    from collections.abc import Callable

    from pigtail.desktop.desk import Desk
    from pigtail.job.file import Document
    from pigtail.job.recovery import Leftover
    from pigtail.studies.found import Studies


class Files(QObject):
    """Jobs come and go. `opening`: another job is about to be put on view; `refused`: it could not be after all."""

    opening = pyqtSignal()
    refused = pyqtSignal()

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self._desk, self._session = desk, desk.session
        self.recent = Recent(desk.settings, self.open_path)
        #: Unpacks a pack and tells the job file in it; put in by who knows packs.
        self.packed: Callable[[Path], Path | None] = lambda _path: None

    def wire(self) -> None:
        """Join what the session and the window tell of files."""
        self._desk.window.may_close = self.may_leave
        self._desk.window.dropped.connect(lambda path: self.open_path(Path(path)))
        self._desk.bench.papers.connect(self.take_papers)
        self._session.changed.connect(lambda _job: self._show_title())
        self._session.kept.connect(lambda _n: self._show_kept())
        self._session.saved.connect(self._saved)

    # -- coming ---------------------------------------------------------------------------------------------

    def start(
        self, document: Document, path: Path | None, *, unsaved: bool = False, studies: Studies | None = None
    ) -> None:
        """Put a document on view, with its studies if they were made already."""
        self.opening.emit()
        self._session.start(document, path, unsaved=unsaved, studies=studies)
        if path is not None:
            self.recent.remember(path)

    def new_job(self) -> None:
        """Ask for a new job and put it on view."""
        from pigtail.desktop.newjob import NewJob
        from pigtail.job.file import Document

        if not self.may_leave():
            return
        dialog = NewJob(self._desk.window)
        if dialog.exec() and dialog.made is not None:
            self.start(Document(dialog.made), None, unsaved=True)
            self._session.keep_now()

    def take_papers(self, document: Document) -> None:
        """Put the papers of a stand-in on view as a new job."""
        if self.may_leave():
            self.start(document, None, unsaved=True)

    def ask_open(self) -> None:
        """Ask which job to open."""
        path = ask.open_path(
            self._desk.window, str(self._session.path.parent if self._session.path else Path.home())
        )
        if path is not None:
            self.open_path(path)

    def open_path(self, path: Path) -> None:
        """Open a job file, after the open one was seen to."""
        if self.may_leave():
            if path.suffix == ".zip":
                unpacked = self.packed(path)
                if unpacked is None:
                    return
                path = unpacked
            self.opening.emit()
            if self._session.open(path):
                self.recent.remember(path)
            else:
                self.refused.emit()

    # -- what a killed program left -------------------------------------------------------------------------

    def offer_leftovers(self, found: list[Leftover]) -> None:
        """Offer what a killed program left."""
        if not found:
            return
        first = found[0]
        more = f" ({len(found) - 1} more after it)" if len(found) > 1 else ""
        self._desk.window.message.tell(
            f"“{first.document.job.name}” was not saved when the program ended{more}.",
            (
                ("Recover it", lambda: self._recover(first)),
                ("Discard it", lambda: self._discard(first)),
            ),
        )

    def _recover(self, leftover: Leftover) -> None:
        if self.may_leave():
            self.opening.emit()
            self._session.recover(leftover)

    def _discard(self, leftover: Leftover) -> None:
        discard(leftover)
        self.offer_leftovers(leftovers(leftover.file.parent))

    # -- going ----------------------------------------------------------------------------------------------

    def save_job(self) -> bool:
        """Save to the job's file, or ask for one."""
        return self._session.save(self._session.path) if self._session.path else self.ask_save_as()

    def ask_save_as(self) -> bool:
        """Ask where to save, and save there."""
        job = self._session.job
        if job is None:
            return False
        path = ask.save_path(
            self._desk.window, str(self._session.path or Path.home() / f"{_file_name(job.name)}.pigtail")
        )
        return path is not None and self._session.save(path)

    def may_leave(self) -> bool:
        """Whether the open job may be left: saved, or the person says so."""
        if not self._session.unsaved or self._session.job is None:
            return True
        answer = ask.save_before_leaving(self._desk.window, self._session.job.name)
        return answer == "leave" or (answer == "save" and self.save_job())

    def _saved(self, path: str) -> None:
        self.recent.remember(Path(path))
        self._show_title()

    def _show_title(self) -> None:
        job, path = self._session.job, self._session.path
        name = path.name if path else "not saved yet"
        self._desk.window.setWindowTitle(f"{job.name if job else ''}[*] ({name}) – Pigtail")
        self._desk.window.setWindowModified(self._session.unsaved)
        self._show_kept()

    def _show_kept(self) -> None:
        s = self._session
        if not s.unsaved:
            words = "saved" if s.path else ""
        elif s.kept_number >= s.number:
            words = "not saved; every edit is kept against a crash"
        else:
            words = "not saved; keeping…"
        if s.job is not None:
            self._desk.window.lead.show_job(s.job.name, s.job.brief.wanted, words)


def _file_name(name: str) -> str:
    kept = "".join(c if c.isalnum() else "-" for c in name.lower()).strip("-")
    return kept[:60] or "job"
