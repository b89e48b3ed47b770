"""What the Level station asks of the studies' process and of the person beside a search: the quick look, a match, the parts."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from pigtail.desktop.wants import answer
from pigtail.edits.change import Change
from pigtail.edits.values import set_values
from pigtail.job.document import Job
from pigtail.language import tr
from pigtail.service import services

if TYPE_CHECKING:
    from pigtail.desktop.stations.level.found import Found
    from pigtail.studies.level.found import FeedDetail
    from pigtail.units import Known


class Asking(QObject):
    """Serves what a Level station has found. `wants` carries a want, `edited` a Change, `glanced` a job and what a quick look at its feed
    shows."""

    wants = pyqtSignal(object)
    edited = pyqtSignal(object)
    glanced = pyqtSignal(object, object)

    def __init__(self, found: Found) -> None:
        super().__init__(found)
        self._found = found
        self._newest: Job | None = None
        found.match_wanted.connect(self.ask_match)
        found.stock_wanted.connect(self.ask_stock)

    # -- the quick look -------------------------------------------------------------------------------------

    def glance(self, job: Job, link: str) -> None:
        """Look quickly at a feed of a job that has just become the current one."""
        self._newest = job

        def show(detail: FeedDetail | None) -> None:
            if detail is not None and job is self._newest:
                self.glanced.emit(job, detail)

        # a quick look that fails is left to the studies, which tell why
        want = answer(services.glance, show, job, link)
        self.wants.emit(want._replace(quick=True, failed=lambda _e: None))

    # -- a match, the parts ---------------------------------------------------------------------------------

    def ask_match(self, job: Job, link_id: str, other: Path | None = None) -> None:
        """Ask how much louder another source is, and want that level; a recording of that other, if one is there already."""
        from pigtail.desktop.matchdialog import MatchDialog
        from pigtail.job.readings import levels_read

        link = job.link(link_id)
        if link is None:
            return
        readings = next((r for a in link.at("out") if (r := levels_read(job, a))), ())
        dialog = MatchDialog(link.name, readings, self._found.window())

        def judge(now: Path, wanted: Path) -> None:
            want = answer(services.louder, dialog.show_louder, now, wanted)
            self.wants.emit(want._replace(failed=lambda error: dialog.show_trouble(str(error))))

        dialog.measure_wanted.connect(judge)
        if other is not None:
            dialog.set_file(1, other)
        if dialog.exec() and dialog.louder_db is not None:
            self.match(job, link_id, dialog.louder_db, dialog.source)

    def match(self, job: Job, link: str, louder_db: float, source: str) -> None:
        """Want at a feed's input what is so much louder [dB] than what arrives now."""

        def apply(values: tuple[tuple[str, str, Known], ...]) -> None:
            self.edited.emit(
                Change(tr("want it {source}", source=source), partial(set_values, values=values))
            )

        self.wants.emit(answer(services.matched, apply, job, link, louder_db, source))

    def ask_stock(self) -> None:
        """Ask which parts the person has."""
        from pigtail.desktop.stockdialog import StockDialog

        StockDialog(self._found.window()).exec()
