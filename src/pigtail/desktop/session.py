"""The open job: its document, its history, its file, its studies. Views read it and change it only by `edit`."""

from __future__ import annotations

import shutil
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from pigtail.catalogue.opening import open_job
from pigtail.desktop.history import History
from pigtail.desktop.work import CLOSING_S, Lane
from pigtail.edits.change import Change
from pigtail.edits.record import carried
from pigtail.job.disk import Seen, sweep_parts
from pigtail.job.document import Job
from pigtail.job.errors import JobError
from pigtail.job.file import Document
from pigtail.job.held import OpenFile
from pigtail.job.recovery import FILES, Keeper, Leftover, discard
from pigtail.job.saving import Obstacle, ObstacleError, save_over
from pigtail.language import tr
from pigtail.service import services
from pigtail.service.client import CancelledError, Helper, Inside
from pigtail.studies.found import Studies
from pigtail.units.memory import EVERY, give_back

#: Edits that come closer together than this are studied when they come to rest [ms].
BURST_MS = 150
#: A value that is turned on within this time is still being turned [s].
TURNING_S = 1.0
#: A quick look at a change has so long for itself [ms].
QUICK_LOOK_MS = 40
#: A study that has gone on for longer than this is given up when a newer edit comes [s].
LONG_S = 1.5


class Session(QObject):
    """The one open job and what happens to it.

    Signals: changed (another job is current), studied (studies of the current job), kept (number of the edit that
    is on disk), saved (path), failed (one sentence).
    """

    changed = pyqtSignal(object)
    studied = pyqtSignal(object)
    kept = pyqtSignal(int)
    saved = pyqtSignal(str)
    failed = pyqtSignal(str)

    def __init__(
        self,
        keeper: Keeper | None = None,
        helper: Helper | Inside | None = None,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self.helper = helper or Inside()
        self.trouble = ""
        self._keeper = keeper or self._make_keeper()
        self._disk = Lane("disk", self)
        self._study = Lane("study", self)
        self._history = History()
        self._extras: dict[str, object] = {}
        self._saved: Job | None = None
        self._seen: Seen | None = None
        self._held: OpenFile | None = None
        self._taken_over: Leftover | None = None
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._study_now)
        self._keep_later = QTimer(self)
        self._keep_later.setSingleShot(True)
        self._keep_later.setInterval(QUICK_LOOK_MS)
        self._keep_later.timeout.connect(self._keep)
        self._edited, self._postponed, self._turning = 0.0, False, ""
        self.job: Job | None = None
        self.studies: Studies | None = None
        self.path: Path | None = None
        self.number = 0
        self._advised = 0
        self.kept_number = 0

    def _make_keeper(self) -> Keeper:
        """A keeper in the usual folder; where that cannot be written, in a temporary one, and `trouble` says so."""
        try:
            return Keeper()
        except OSError as error:
            folder = Path(tempfile.mkdtemp(prefix="pigtail-recovery-"))
            self.trouble = tr(
                "{value} cannot be written ({strerror}); edits are kept in {folder} meanwhile. Save "
                "often, and free or unlock the folder.",
                value=error.filename or tr("The recovery folder"),
                strerror=error.strerror,
                folder=folder,
            )
            return Keeper(folder)

    # -- the document ---------------------------------------------------------------------------------------

    def start(
        self,
        document: Document,
        path: Path | None,
        *,
        unsaved: bool = False,
        studies: Studies | None = None,
        adopted: bool = False,
    ) -> None:
        """Make a document the open job, with an empty history; `studies` of it, if they were made already.
        `adopted`: its pictures are here too."""
        self._forget()
        if not adopted:
            self._part_with_files()
        self._extras, self._seen = document.extras, document.seen
        self._saved = None if unsaved else document.job
        self._hold(path)
        self.path, self.studies = path, None
        self._become(document.job, studies)
        if not unsaved:
            self._disk.submit("keep", self._keeper.drop, lambda _: None, self._not_kept)

    def open(self, path: Path) -> bool:
        """Open a job file; on trouble `failed` tells it in one sentence and the open job stays."""
        try:
            document = open_job(path)
        except JobError as error:
            self.failed.emit(str(error))
            return False
        self.start(document, path)
        return True

    def recover(self, leftover: Leftover) -> None:
        """Go on with a job that a killed program left; it counts as not saved. Its file is given up once another copy is on disk."""
        path = Path(leftover.saved_as) if leftover.saved_as else None
        self._part_with_files()
        try:
            self._keeper.adopt(leftover.file)
        except OSError as error:
            self.failed.emit(
                tr(
                    "Its pictures stay in {with_suffix} ({error})",
                    with_suffix=leftover.file.with_suffix(FILES),
                    error=error,
                )
            )
            return
        self.start(leftover.document, path, unsaved=True, adopted=True)
        self._taken_over = leftover
        self._keep()

    def save(self, path: Path, allowed: frozenset[Obstacle] = frozenset()) -> bool:
        """Save to a file at once; on trouble `failed` tells it in one sentence and nothing is lost. What needs a word first and was not
        allowed raises ObstacleError."""
        if self.job is None:
            return False
        try:
            seen = self._seen if path == self.path else None
            seen = save_over(self.document(), path, seen, allowed)
        except ObstacleError:
            raise
        except JobError as error:
            self.failed.emit(str(error))
            return False
        self._seen = seen
        if self.path is None:
            self._take_beside(path.parent)
        elif path.parent != self.path.parent:
            self._take_along(self.path.parent, path.parent)
        if path != self.path:
            self._hold(path)
        self.path, self._saved = path, self.job
        self._keep_later.stop()
        self._disk.submit("keep", self._keeper.drop, lambda _: self._give_up_taken(), self._not_kept)
        self.saved.emit(str(path))
        return True

    def _take_along(self, old: Path, new: Path) -> None:
        """Copy the pictures and recordings of the job to where it was saved anew; what lies there already is left."""
        from pigtail.desktop.beside import copy_missing
        from pigtail.job.pack import files_of

        assert self.job is not None
        names = tuple(files_of(self.job))
        self._disk.submit(
            "take along", lambda: copy_missing(names, old, new), self._taken_along, self._not_kept
        )

    def _take_beside(self, new: Path) -> None:
        """At its first save a job's pictures and recordings come beside it; what finds no room is kept, and told."""
        from pigtail.desktop.beside import copy_missing
        from pigtail.job.pack import files_of

        assert self.job is not None
        if not self._keeper.files.is_dir():
            return
        left = copy_missing(tuple(files_of(self.job)), self._keeper.files, new)
        if not left:
            self._part_with_files()
        elif (kept := self._keeper.part_with_files(stay=True)) is not None:
            self.failed.emit(
                tr(
                    "No room beside the job for {listed}; kept in {kept}: copy them from there",
                    listed=", ".join(left[:6]),
                    kept=kept,
                )
            )

    def _part_with_files(self) -> None:
        """What lay beside a job without a file goes with it."""
        gone = self._keeper.part_with_files()
        if gone is not None:
            self._disk.submit(
                f"remove {gone.name}",
                lambda: shutil.rmtree(gone, ignore_errors=True),
                lambda _: None,
                self._not_kept,
            )

    def _taken_along(self, left: tuple[str, ...]) -> None:
        if left:
            self.failed.emit(
                tr("Not taken along, not there or no room: {listed}", listed=", ".join(left[:6]))
            )

    def leave(self) -> None:
        """Close the open job: nothing is open then, and its recovery file is given up."""
        self._forget()
        self._part_with_files()
        self._later.stop()
        self._postponed = False
        self.job, self.studies, self.path = None, None, None
        self._saved, self._seen, self._extras = None, None, {}
        if self._held is not None:
            self._held.close()
            self._held = None
        self.helper.cancel()
        self._disk.submit("keep", self._keeper.drop, lambda _: None, self._not_kept)

    def _forget(self) -> None:
        """What belongs to the job that was open: its history, what is being turned, what was taken over, what waits to be kept."""
        self._history.clear()
        self._turning, self._taken_over = "", None
        self._keep_later.stop()

    def _hold(self, path: Path | None) -> None:
        """Hold the job's file open, and no other; `owner` tells who else has it."""
        if self._held is not None:
            if path is not None and self._held.path == path and self._held.mine:
                return
            self._held.close()
        self._held = OpenFile(path) if path is not None else None
        if path is not None:
            self._disk.submit("sweep", lambda: sweep_parts(path.parent), lambda _: None, lambda _: None)

    @property
    def folder(self) -> Path | None:
        """Where pictures and recordings of the open job lie: beside its file, or beside its recovery file as long as it has none."""
        if self.job is None:
            return None
        return self.path.parent if self.path else self._keeper.files

    @property
    def held(self) -> OpenFile | None:
        """The open job's file as it is held open; None for a job without a file."""
        return self._held

    def document(self) -> Document:
        """The open document with the fields of its file that this version does not know."""
        assert self.job is not None
        return Document(self.job, self._extras, self._seen)

    @property
    def unsaved(self) -> bool:
        """Whether the job differs from its file."""
        return self.job is not None and self.job is not self._saved

    # -- edits ----------------------------------------------------------------------------------------------

    def edit(self, change: Change) -> bool:
        """Change the job; on trouble `failed` tells it in one sentence and the job stays as it was.

        Changes that turn the same thing in quick succession are one step of the history.
        """
        if self.job is None:
            return False
        try:
            job = change.edit(self.job)
        except JobError as error:
            self.failed.emit(str(error))
            return False
        if job == self.job:
            return True
        still = (
            change.turning and change.turning == self._turning and time.monotonic() - self._edited < TURNING_S
        )
        self._history.add(self.job, change.words, going_on=bool(still))
        self._turning = change.turning
        self._become(job)
        if not self._postponed:
            self._keep()
        elif not self._keep_later.isActive():
            self._keep_later.start()
        return True

    @property
    def undo_words(self) -> str:
        """Words of the edit that undo would take back; empty when there is none."""
        return self._history.undo_words

    @property
    def redo_words(self) -> str:
        """Words of the edit that redo would bring again; empty when there is none."""
        return self._history.redo_words

    def undo(self) -> None:
        """Take back the last edit."""
        self._step(back=True)

    def redo(self) -> None:
        """Bring again the edit taken back last."""
        self._step(back=False)

    def _step(self, *, back: bool) -> None:
        if self.job is None:
            return
        job = self._history.step(self.job, back=back)
        if job is None:
            return
        self._turning = ""
        job = carried(job, self.job)
        self._become(self._saved if self._saved is not None and job == self._saved else job)
        self._keep()

    # -- what follows a change ------------------------------------------------------------------------------

    def _become(self, job: Job, studies: Studies | None = None) -> None:
        self.job = job
        self.number += 1
        self._postponed = False
        self.changed.emit(job)
        if studies is not None:
            self._is_studied(job, studies)
            return
        now = time.monotonic()
        again, self._edited = now - self._edited < BURST_MS / 1000, now
        if again or self._postponed:
            self._later.start(BURST_MS if again else QUICK_LOOK_MS)
        else:
            self._study_now()

    def postpone(self) -> None:
        """Let the studies of the change that is being told wait for a quick look at it."""
        self._postponed = True

    def _study_now(self) -> None:
        """Study the current job. Edits in quick succession, as when a value is turned, are studied when they come to rest."""
        self._later.stop()
        job = self.job
        if job is None:
            return
        if not self._study.idle:  # what is studied is no longer what is open
            self.helper.cancel(LONG_S)
        self._study.submit(
            "study",
            lambda: self.helper.call(services.study, job),
            lambda s: self._is_studied(job, s),
            self._not_studied,
        )

    def _is_studied(self, job: Job, studies: Studies) -> None:
        if job is not self.job:
            return
        self.studies = studies
        self.studied.emit(studies)
        self._study.submit(
            "advise",
            lambda: self.helper.call(services.advise, job, studies),
            lambda s: self._is_advised(job, s),
            self._not_studied,
        )

    def _is_advised(self, job: Job, studies: Studies) -> None:
        if job is self.job:
            self.studies = studies
            self.studied.emit(studies)
        self._advised += 1
        if self._advised % EVERY == 0:
            self._disk.submit("give back", give_back, lambda _: None, lambda _: None)

    def _not_studied(self, error: BaseException) -> None:
        if isinstance(error, CancelledError):
            return
        self.failed.emit(
            tr(
                "The job cannot be studied ({name}: {error}); undo the last edit",
                name=type(error).__name__,
                error=error,
            )
        )

    def _keep(self) -> None:
        self._keep_later.stop()
        number, document, path = self.number, self.document(), str(self.path or "")
        self._disk.submit(
            "keep",
            lambda: self._keeper.keep(document, number, path),
            lambda _: self._is_kept(number),
            self._not_kept,
        )

    def keep_now(self) -> None:
        """Put the open job into the recovery file though nothing was edited yet."""
        self._keep()

    def _is_kept(self, number: int) -> None:
        self.kept_number = number
        self._give_up_taken()
        self.kept.emit(number)

    def _give_up_taken(self) -> None:
        """What a killed program left and is on disk here now need not be kept there."""
        left, self._taken_over = self._taken_over, None
        if left is not None:
            self._disk.submit("discard", lambda: discard(left.file), lambda _: None, self._not_kept)

    def _not_kept(self, error: BaseException) -> None:
        self.failed.emit(tr("The recovery file cannot be written ({error}); save the job now", error=error))

    @property
    def quiet(self) -> bool:
        """Whether all background work of the session is done."""
        waiting = self._later.isActive() or self._keep_later.isActive()
        return self._disk.idle and self._study.idle and not waiting

    def close(self) -> None:
        """End the background work and give up the recovery file."""
        self._later.stop()
        self._keep_later.stop()
        self.helper.close()
        self._study.close(CLOSING_S)
        self._disk.close()
        self._keeper.close()
        if self._held is not None:
            self._held.close()
            self._held = None
