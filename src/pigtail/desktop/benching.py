"""The bench of the window: strip, bench mode and meter tied together. What is read is put where it was asked for."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from pigtail.desktop.metering import MeterLink
from pigtail.language import tr, trn
from pigtail.studies.found import questions

if TYPE_CHECKING:
    from pathlib import Path

    from pigtail.desktop.benchmode import BenchMode
    from pigtail.desktop.runmode import RunMode
    from pigtail.desktop.strip import BenchStrip
    from pigtail.edits.change import Change
    from pigtail.job.ask import Ask
    from pigtail.job.document import Job
    from pigtail.job.file import Document
    from pigtail.studies.found import Studies
    from pigtail.studies.prove.found import ProveFound


class Benching(QObject):
    """Signals: logged (a Change), told (one sentence), papers (the document that belongs to a stand-in), wanted (a want of bench mode)."""

    logged = pyqtSignal(object)
    told = pyqtSignal(str)
    papers = pyqtSignal(object)
    wanted = pyqtSignal(object)
    undone = pyqtSignal()

    def __init__(self, strip: BenchStrip, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.strip = strip
        self.meter = MeterLink(self)
        self.mode: BenchMode | None = None
        self.run: RunMode | None = None
        self._taker: Callable[[float], None] | None = None
        self._job: Job | None = None
        self._measures: tuple[Ask, ...] = ()
        self._still = ""
        strip.logged.connect(self.logged)
        strip.refused.connect(self.told)
        strip.asked.connect(self._read_on_strip)
        self.meter.read.connect(self._read)
        self.meter.failed.connect(self._failed)
        self.meter.status.connect(self._status)

    @property
    def idle(self) -> bool:
        """Whether nothing is asked of a meter."""
        return self.meter.idle

    def show_job(self, job: Job) -> None:
        """Another job is current."""
        self._job = job
        self.strip.show_job(job)

    def show_next(
        self, measures: tuple[Ask, ...], mend: list[str], unknown: list[str], still_open: int = 0
    ) -> None:
        """What is to be measured next; how many questions are open in all."""
        self._measures = measures
        self.strip.show_next(measures, mend, unknown, still_open)
        left = [tr("mend {listed}", listed=tr(" and ").join(mend))] if mend else []
        if unknown:
            left.append(
                trn(
                    "see what {listed} lacks",
                    "see what {listed} lack",
                    len(unknown),
                    listed=tr(" and ").join(unknown),
                )
            )
        count = f" {questions(still_open)}." if still_open else ""
        self._still = (
            tr("Not to be built yet: {listed}.{count}", listed=tr(", then ").join(left), count=count)
            if left
            else ""
        )
        if self.mode is not None and self.mode.isVisible() and self._job is not None:
            self.mode.show_next(self._job, measures, self._still)

    def _read_on_strip(self, ask: Ask) -> None:
        self._taker = None
        self.meter.take(ask)

    def read_for(self, ask: Ask, done: Callable[[float], None]) -> None:
        """Let the meter read for somebody, who takes what it shows."""
        self._taker = done
        self.meter.take(ask)

    def show_run(self, studies: Studies) -> None:
        """The job was studied: the runbook goes on, where it is run."""
        if self.run is not None and self.run.isVisible() and self._job is not None:
            from pigtail.studies.prove.found import ProveFound

            self.run.show_found(self._job, studies.of(ProveFound))

    def open_run(
        self, job: Job, found: ProveFound, folder: Callable[[], Path | None], *, back: bool
    ) -> RunMode:
        """The runbook, or the way back, over the whole window."""
        from pigtail.desktop.runmode import RunMode

        window = self.strip.window()
        if self.run is not None:
            self.run.close()
            self.run.deleteLater()
        self.run = RunMode(window, back=back)
        self.run.folder = self.run.panel.folder = folder
        self.run.edited.connect(self.logged)
        self.run.refused.connect(self.told)
        self.run.wants.connect(self.wanted)
        self.run.show_meter(self.meter.words, self.meter.there)
        if window is not None:
            self.run.resize(window.size())
            self.run.move(window.pos())
        self.run.setModal(True)
        self.run.show()
        self.run.show_found(job, found)
        return self.run

    def _status(self, words: str, there: bool) -> None:
        self.strip.show_meter(words, there, self.meter.wanted)
        if self.mode is not None:
            self.mode.show_meter(words, there)
        if self.run is not None:
            self.run.show_meter(words, there)

    def _read(self, value: float) -> None:
        taker, self._taker = self._taker, None
        if taker is not None:
            taker(value)
            return
        if self.mode is not None and self.mode.isVisible():
            self.mode.put_reading(value)
        else:
            self.strip.put_reading(value)

    def _failed(self, sentence: str) -> None:
        self._taker = None
        if self.run is not None and self.run.isVisible():
            self.run.tell(sentence)
            return
        if self.mode is not None and self.mode.isVisible():
            self.mode.tell(sentence)
        else:
            self.told.emit(sentence)

    def open_mode(self) -> None:
        """Bench mode over the whole window."""
        from pigtail.desktop.benchmode import BenchMode

        window = self.strip.window()
        if self._job is None or window is None:
            return
        if self.mode is None:
            self.mode = BenchMode(window)
            self.mode.logged.connect(self.logged)
            self.mode.asked.connect(self.meter.take)
            self.mode.undone.connect(self.undone)
        self.mode.show_meter(self.meter.words, self.meter.there)
        self.mode.resize(window.size())
        self.mode.move(window.pos())
        self.mode.setModal(True)
        self.mode.value.clear()
        self.mode.show()
        self.mode.show_next(self._job, self._measures, self._still)

    def ask_meter(self, job: Job, edit: Callable[[Change], object]) -> None:
        """Ask which meter is used, and take it."""
        from functools import partial

        from pigtail.desktop.meterdialog import STAND_IN, MeterDialog
        from pigtail.edits.change import Change
        from pigtail.edits.readings import set_meter

        dialog = MeterDialog(job.meter, self.strip.window())
        if not dialog.exec():
            return
        if dialog.road == STAND_IN and dialog.truth:
            self.use_stand_in(dialog.truth, with_papers=dialog.papers.isChecked())
        elif dialog.address is not None:
            self.meter.connect_to(dialog.address)
        else:
            self.meter.leave()
        if dialog.kind != job.meter and not (dialog.road == STAND_IN and dialog.papers.isChecked()):
            edit(Change(tr("the kind of meter"), partial(set_meter, key=dialog.kind)))

    def use_stand_in(self, truth: str, *, with_papers: bool) -> None:
        """Start a stand-in by its name and use its meter; with its papers as the job."""
        from pigtail.bench.chosen import stand_in_of
        from pigtail.job.errors import JobError
        from pigtail.job.file import Document

        try:
            stand_in = stand_in_of(truth)
        except JobError as error:
            self.told.emit(str(error))
            return
        if with_papers:
            found: Document = Document(stand_in.papers)
            self.papers.emit(found)
        self.meter.start_stand_in(truth)

    def close(self) -> None:
        """End the meter and bench mode."""
        if self.run is not None:
            self.run.close()
            self.run.deleteLater()
            self.run = None
        if self.mode is not None:
            self.mode.close()
            self.mode.deleteLater()
            self.mode = None
        self.meter.close()
