"""What is passed on of a job: packs written and opened, its story on the clipboard, the next copy of the same gear."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QApplication

from pigtail.desktop import ask
from pigtail.desktop.wants import Leave, answer
from pigtail.job.errors import JobError
from pigtail.language import tr, trn
from pigtail.service import services

if TYPE_CHECKING:
    from pigtail.desktop.desk import Desk
    from pigtail.desktop.files import Files


class Passing:
    """Packs, stories and copies of the open job."""

    def __init__(self, desk: Desk, files: Files) -> None:
        self._desk, self._files = desk, files
        files.packed = self.open_pack

    def leave(self, want: Leave) -> None:
        """Let something of the job leave."""
        {
            "pack": self.ask_pack,
            "markdown": self.copy_markdown,
            "text": self.copy_text,
            "again": self.ask_again,
        }[want.how]()

    # -- packs ----------------------------------------------------------------------------------------------

    def ask_pack(self) -> None:
        """Ask where to, and write a pack there."""
        session = self._desk.session
        if session.job is None:
            return
        folder, name = (session.path.parent, session.path.stem) if session.path else (Path.home(), "job")
        path = ask.pack_path(self._desk.window, str(folder / f"{name}.pigtail.zip"))
        if path is not None:
            self.write_pack(path)

    def write_pack(self, path: Path) -> None:
        """Write a pack of the open job: its file, what lies beside it, its sheet, runbook, record and story."""
        session = self._desk.session
        if session.job is None or session.studies is None:
            return
        folder = session.folder

        def tell(missing: tuple[str, ...]) -> None:
            left = (
                tr(" Left out, not there or changed: {listed}.", listed=", ".join(missing[:6]))
                if missing
                else ""
            )
            self._desk.tell(tr("The pack is written: {path}.{left}", path=path, left=left))

        self._desk.answer(
            answer(services.write_pack, tell, session.document(), session.studies, folder, path)
        )

    def open_pack(self, path: Path) -> Path | None:
        """Unpack a pack beside it, and tell the job file in it; None where it cannot be, and why is told."""
        try:
            return services.open_pack(path)
        except JobError as error:
            self._desk.tell(str(error))
            return None

    # -- the story ------------------------------------------------------------------------------------------

    def copy_markdown(self) -> None:
        """Copy the story as Markdown."""
        self._copy(markdown=True)

    def copy_text(self) -> None:
        """Copy the story as plain text."""
        self._copy(markdown=False)

    def _copy(self, *, markdown: bool) -> None:
        session = self._desk.session
        if session.job is None or session.studies is None:
            return

        def take(words: str) -> None:
            clipboard = QApplication.clipboard()
            if clipboard is not None:
                clipboard.setText(words)
                count = len(words.splitlines())
                self._desk.tell(
                    trn(
                        "The story is on the clipboard, as Markdown: {count} line.",
                        "The story is on the clipboard, as Markdown: {count} lines.",
                        count,
                    )
                    if markdown
                    else trn(
                        "The story is on the clipboard, as text: {count} line.",
                        "The story is on the clipboard, as text: {count} lines.",
                        count,
                    )
                )

        self._desk.answer(answer(services.story, take, session.job, session.studies, markdown))

    # -- again ----------------------------------------------------------------------------------------------

    def ask_again(self) -> None:
        """Ask how many copies are built, and begin a new job of the same plan."""
        copies = ask.number(
            self._desk.window, tr("Build it again"), tr("How many copies of the same gear?"), 1, 1, 1000
        )
        if copies:
            self.again(int(copies))

    def again(self, copies: int) -> None:
        """Begin a new job from the open one: the same plan, nothing read, nothing done, values narrowed by what was measured."""
        from pigtail.edits.again import again
        from pigtail.job.file import Document

        job = self._desk.session.job
        if job is None or not self._files.may_leave():
            return
        try:
            made = again(job, copies)
        except JobError as error:
            self._desk.tell(str(error))
            return
        self._files.start(Document(made), None, unsaved=True)
        self._desk.session.keep_now()
