"""The files of the window: jobs begun, opened, saved and left, and what a killed program left behind."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, Qt, pyqtSignal

from pigtail.desktop import ask
from pigtail.desktop.handover import Handover
from pigtail.desktop.recent import Recent
from pigtail.job.difference import differences
from pigtail.job.errors import JobError
from pigtail.job.held import owner_of, show_owner
from pigtail.job.recovery import discard, leftovers
from pigtail.job.saving import Obstacle, ObstacleError, free_name, save_over
from pigtail.language import tr

if TYPE_CHECKING:
    from collections.abc import Callable

    from pigtail.desktop.desk import Desk
    from pigtail.job.file import Document
    from pigtail.job.recovery import Left, Leftover
    from pigtail.studies.found import Studies


class Files(QObject):
    """Jobs come and go. `opening`: another job is about to be put on view; `refused`: it could not be after all."""

    opening = pyqtSignal()
    refused = pyqtSignal()

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self._desk, self._session = desk, desk.session
        self.recent = Recent(desk.settings, self.open_path)
        self._handover = Handover(self)
        #: Unpacks a pack and tells the job file in it; put in by who knows packs.
        self.packed: Callable[[Path], Path | None] = lambda _path: None

    def wire(self) -> None:
        """Join what the session and the window tell of files."""
        self._desk.window.may_close = self.may_leave
        self._desk.bench.papers.connect(self.take_papers)
        self._session.changed.connect(lambda _job: self._show_title())
        self._session.kept.connect(lambda _n: self._show_kept())
        self._session.saved.connect(self._saved)
        self._handover.asked.connect(self._show_window)

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

    def open_demo(self) -> None:
        """Put the flawed demo on view, as a job of its own."""
        from pigtail.catalogue.demo import demo

        if self.may_leave():
            self.start(demo("larkmoor"), None)

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
            owner = owner_of(path) if path != self._session.path else None
            if owner is not None and show_owner(owner):
                self._desk.tell(
                    tr("{path} is open in another window already, which is shown now.", path=path.name)
                )
                return
            self.opening.emit()
            if self._session.open(path):
                self.recent.remember(path)
                self._tell_owner()
            else:
                self.refused.emit()

    def _tell_owner(self) -> None:
        """Tell who else has the open file open."""
        held = self._session.held
        if held is not None and held.owner is not None:
            self._desk.tell(
                tr(
                    "{path} is open in another program too (process {pid}). Whoever saves second is asked "
                    "first.",
                    path=held.path.name,
                    pid=held.owner.pid,
                )
            )

    def _show_window(self) -> None:
        window = self._desk.window
        window.setWindowState(window.windowState() & ~Qt.WindowState.WindowMinimized)
        window.raise_()
        window.activateWindow()

    # -- what a killed program left -------------------------------------------------------------------------

    def offer_leftovers(self, left: Left) -> None:
        """Offer what a killed program left, and tell what of it cannot be read."""
        bad = ""
        if left.unreadable:
            file, _ = left.unreadable[0]
            more = tr(" and {value} more", value=len(left.unreadable) - 1) if len(left.unreadable) > 1 else ""
            bad = tr(
                "A recovery file cannot be read and is left where it is: {file}{more}.", file=file, more=more
            )
        if not left.jobs:
            if bad:
                self._desk.tell(bad)
            return
        first, found = left.jobs[0], left.jobs
        more = tr(" ({value} more after it)", value=len(found) - 1) if len(found) > 1 else ""
        self._desk.window.message.tell(
            tr(
                "“{name}” was not saved when the program ended{more}. {bad}",
                name=first.document.job.name,
                more=more,
                bad=bad,
            ).strip(),
            (
                (tr("Recover it"), lambda: self._recover(first)),
                (tr("Discard it"), lambda: self._discard(first)),
            ),
        )

    def _recover(self, leftover: Leftover) -> None:
        if self.may_leave():
            self.opening.emit()
            self._session.recover(leftover)

    def _discard(self, leftover: Leftover) -> None:
        try:
            discard(leftover.file)
        except OSError as error:
            self._desk.tell(
                tr(
                    "{file} cannot be removed ({strerror}); unlock its folder",
                    file=leftover.file,
                    strerror=error.strerror,
                )
            )
            return
        self.offer_leftovers(leftovers(leftover.file.parent))

    # -- going ----------------------------------------------------------------------------------------------

    def save_job(self) -> bool:
        """Save to the job's file, or ask for one."""
        return self._save_to(self._session.path) if self._session.path else self.ask_save_as()

    def _save_to(self, path: Path, allowed: frozenset[Obstacle] = frozenset()) -> bool:
        """Save to a file; what stands in the way is asked, and done as was said."""
        while True:
            try:
                return self._session.save(path, allowed)
            except ObstacleError as error:
                answer = ask.about_obstacle(self._desk.window, path.name, error.obstacle)
                if answer == "over":
                    allowed |= {error.obstacle}
                elif answer == "copy":
                    path, allowed = free_name(path), frozenset()
                elif answer == "difference":
                    self._tell_difference(path)
                elif answer == "reload":
                    return self._reload(path)
                else:
                    return False

    def _tell_difference(self, path: Path) -> None:
        """Tell what the open job and a file differ in."""
        from pigtail.catalogue.opening import open_job

        assert self._session.job is not None
        try:
            lines = differences(self._session.job, open_job(path).job) or (
                tr("Nothing that this version knows of."),
            )
        except JobError as error:
            lines = (str(error),)
        ask.tell_lines(self._desk.window, tr("What {path} and the open job differ in", path=path.name), lines)

    def _reload(self, path: Path) -> bool:
        """Keep the open job as a copy beside the file, and open the file as it is now."""
        copy = free_name(path)
        try:
            save_over(self._session.document(), copy, None)
        except JobError as error:
            self._desk.tell(str(error))
            return False
        self.opening.emit()
        if not self._session.open(path):
            self.refused.emit()
            return False
        self._desk.tell(
            tr(
                "{path} is open as it is now; what was open is kept as {copy}.",
                path=path.name,
                copy=copy.name,
            )
        )
        return True

    def ask_save_as(self) -> bool:
        """Ask where to save, and save there."""
        job = self._session.job
        if job is None:
            return False
        path = ask.save_path(
            self._desk.window, str(self._session.path or Path.home() / f"{ask.file_name(job.name)}.pigtail")
        )
        # what is there was shown by the dialog, which asked whether it may be replaced
        chosen = frozenset((Obstacle.STRANGE,)) if path != self._session.path else frozenset()
        return path is not None and self._save_to(path, chosen)

    def may_leave(self) -> bool:
        """Whether the open job may be left: saved, or the person says so."""
        if not self._session.unsaved or self._session.job is None:
            return True
        answer = ask.save_before_leaving(self._desk.window, self._session.job.name)
        return answer == "leave" or (answer == "save" and self.save_job())

    def close(self) -> None:
        """Listen to other windows no longer."""
        self._handover.close()

    def _saved(self, path: str) -> None:
        self.recent.remember(Path(path))
        self._show_title()

    def _show_title(self) -> None:
        job, path = self._session.job, self._session.path
        name = path.name if path else tr("not saved yet")
        self._desk.window.setWindowTitle(f"{job.name if job else ''}[*] ({name}) – Pigtail")
        self._desk.window.setWindowModified(self._session.unsaved)
        self._handover.listen_for(self._session.held)
        self._show_kept()

    def _show_kept(self) -> None:
        s = self._session
        if not s.unsaved:
            words = tr("saved") if s.path else ""
        elif s.kept_number >= s.number:
            words = tr("not saved, but kept")
        else:
            words = tr("not saved; keeping…")
        if s.job is not None:
            self._desk.window.lead.show_job(s.job.name, s.job.brief.wanted, words)
