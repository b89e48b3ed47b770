"""Fills the frame: session, files, views, bench, output and menus, and joins them. No judgement lives here."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QSettings
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu

from pigtail.desktop import actions, ask
from pigtail.desktop.beginning import Beginning
from pigtail.desktop.benching import Benching
from pigtail.desktop.files import Files
from pigtail.desktop.imaging import Images
from pigtail.desktop.output import Output
from pigtail.desktop.passing import Passing
from pigtail.desktop.session import Session
from pigtail.desktop.strip import BenchStrip
from pigtail.desktop.tips import tip_all
from pigtail.desktop.views import Views
from pigtail.desktop.wants import Answer, AtBench, Leave, Looked, MeterRead, Paper, Probes, Shown, Want
from pigtail.desktop.why import Why
from pigtail.desktop.work import CLOSING_S, Lane
from pigtail.edits.change import Change
from pigtail.edits.values import set_name_and_brief
from pigtail.job.document import Job, SupplyClass
from pigtail.language import tr
from pigtail.service.client import CancelledError

if TYPE_CHECKING:
    from pigtail.desktop.window import MainWindow
    from pigtail.job.recovery import Keeper
    from pigtail.service.client import Helper, Inside
    from pigtail.studies.findings import Remedy


class Assembly(QObject):
    """The working window: the session and what shows and changes it."""

    def __init__(
        self,
        window: MainWindow,
        keeper: Keeper | None = None,
        settings: QSettings | None = None,
        helper: Helper | Inside | None = None,
    ) -> None:
        super().__init__(window)
        self.window: MainWindow = window
        self.settings: QSettings = settings or QSettings("pigtail", "pigtail")
        self.session: Session = Session(keeper, helper, self)
        self.side = Lane("side", self)
        self._quick: tuple[Lane, Helper | Inside] | None = None
        self.strip: BenchStrip
        self.bench: Benching
        self.why: Why
        self.files: Files = Files(self, self)
        self.views: Views = Views(self, self.side, self)
        self.output: Output = Output(self)
        self.passing: Passing = Passing(self, self.files)
        self.images: Images = Images(self)
        self.actions: dict[str, QAction] = {}
        self._beginning: Beginning | None = None
        self._answers: dict[type, Callable[[Any], None]] = {
            Answer: self._ask,
            Shown: self._show_picture,
            Looked: lambda want: self.images.look(*want),
            Paper: self.output.give,
            Probes: lambda want: self.strip.set_probes(want.ask),
            MeterRead: lambda want: self.bench.read_for(want.ask, want.done),
            AtBench: lambda want: self.run_book(back=want.back),
            Leave: self.passing.leave,
        }

    def steps(self) -> tuple[Callable[[], None], ...]:
        """What is still to be made, in order; each is short enough for a turn of the event loop."""
        return (self._make_strip, self._make_why, self._make_menus, self._wire)

    def finish(self) -> None:
        """Make all of it at once."""
        for step in self.steps():
            step()

    def _make_strip(self) -> None:
        self.strip = BenchStrip()
        self.bench = Benching(self.strip, self)
        self.window.put_strip(self.strip)

    def _make_why(self) -> None:
        self.why = Why()
        self.window.put_why(self.why)

    def _wire(self) -> None:
        """All connections of the window."""
        self.session.changed.connect(self._changed)
        self.files.wire()
        self.window.dropped.connect(self._dropped)
        self.views.wire()
        self.files.opening.connect(self.views.begin_afresh)
        self.files.refused.connect(self.views.go_on)
        self.session.failed.connect(self.tell)
        self.bench.logged.connect(self.session.edit)
        self.bench.told.connect(self.tell)
        self.bench.wanted.connect(self.answer)
        self.bench.undone.connect(self._undo_reading)
        self.strip.meter_wanted.connect(self.ask_meter)
        self.strip.mode_wanted.connect(self.bench.open_mode)
        self.why.remedy_chosen.connect(self._remedy)
        tip_all(self.window)
        self._enable()

    def _dropped(self, paths: list[str]) -> None:
        """Files were dropped on the window: each goes where it belongs."""
        from pigtail.desktop.dropping import drop

        for path in paths:
            drop(self, Path(path))

    def close_job(self) -> None:
        """Close the open job, once it was seen to, and show what can be begun."""
        if self.files.may_leave():
            self.session.leave()
            self.window.message.hide()
            self.show_empty()

    def _changed(self, job: Job) -> None:
        for part in (self.window.why, self.window.telltales, self.window.strip):
            part.show()
        self.window.message.hide()
        self.bench.show_job(job)
        self._enable()

    def tell(self, sentence: str) -> None:
        """Show one sentence in the message line."""
        self.window.message.tell(sentence)

    # -- what is wanted -------------------------------------------------------------------------------------

    def answer(self, want: Want) -> None:
        """Do what a station wants, by the type of the want."""
        self._answers[type(want)](want)

    def _ask(self, want: Answer) -> None:
        lane, helper = self._quick_lane() if want.quick else (self.side, self.session.helper)
        lane.submit(
            want.service.__name__,
            lambda: helper.call(want.service, *want.arguments),
            want.done,
            want.failed or self._not_answered,
        )

    def _show_picture(self, want: Shown) -> None:
        self.images.fetch(self.session.folder, *want)

    def _not_answered(self, error: BaseException) -> None:
        if not isinstance(error, CancelledError):
            self.tell(str(error))

    def _quick_lane(self) -> tuple[Lane, Helper | Inside]:
        """A lane and a process of their own for quick looks, made when first needed."""
        if self._quick is None:
            self._quick = (Lane("quick", self), type(self.session.helper)())
        return self._quick

    def _undo_reading(self) -> None:
        """Take the last reading back, from bench mode; any other edit is left alone there."""
        from pigtail.desktop.probing import LOGGED

        if self.session.undo_words.startswith(LOGGED):
            self.session.undo()

    def _remedy(self, remedy: Remedy) -> None:
        self.session.edit(Change(remedy.label, remedy.edit))

    def show_empty(self) -> None:
        """No job is open: say how to begin."""
        self.views.begin_afresh()
        self.window.lead.choose(self.views.here)
        if self._beginning is None:
            runs = (self.files.new_job, self.files.ask_open, self.files.open_demo, self.ask_meter)
            self._beginning = Beginning(runs, self.files.open_path)
            self.window.stations.addWidget(self._beginning)
        self._beginning.show_recent(self.files.recent.paths())
        self.window.stations.setCurrentWidget(self._beginning)
        self.window.why.hide()
        self.window.telltales.hide()
        self.window.strip.hide()
        self.window.setWindowTitle("Pigtail")
        self.window.setWindowModified(False)
        self.window.lead.show_verdicts({})
        self.window.lead.show_job("", "", "")
        self._enable()
        self.views.put_icon()
        self.window.ready.emit()

    # -- menus ----------------------------------------------------------------------------------------------

    def _make_menus(self) -> None:
        bar = self.window.menuBar()
        assert bar is not None
        menus: dict[str, QMenu] = {}
        for name in actions.MENUS:
            menu = bar.addMenu(f"&{name}")
            assert menu is not None
            menus[name] = menu
        for entry in actions.TABLE:
            action = QAction(entry.words, self.window)
            action.setObjectName(f"action_{entry.id}")
            if entry.keys:
                action.setShortcuts([QKeySequence(k) for k in (entry.keys, entry.more_keys) if k])
            action.triggered.connect(lambda _c, run=entry.run: run(self))
            menus[entry.menu].addAction(action)
            self.actions[entry.id] = action
            if entry.id == "open":
                self.files.recent.fill(menus[tr("Job")].addMenu(tr("&Recent")))

    def _enable(self) -> None:
        open_job = self.session.job is not None
        self.strip.setEnabled(open_job)
        self.window.lead.setEnabled(open_job)
        self.window.telltales.setEnabled(open_job)
        for entry in actions.TABLE:
            self.actions[entry.id].setEnabled(entry.enabled(self))
        undo, redo = self.session.undo_words, self.session.redo_words
        self.actions["undo"].setText(tr("&Undo: {plain}", plain=_plain(undo)) if undo else tr("&Undo"))
        self.actions["redo"].setText(tr("&Redo: {plain}", plain=_plain(redo)) if redo else tr("&Redo"))

    # -- errands of the menus -------------------------------------------------------------------------------

    def can_propose(self) -> bool:
        """Whether there is a module that a plan can be proposed for."""
        job = self.session.job
        return job is not None and bool(job.modules) and job.host.supply is not SupplyClass.LIVE_CHASSIS

    def propose_plan(self) -> None:
        """Propose the plan anew for the first module."""
        job = self.session.job
        if job is not None and job.modules:
            from pigtail.advice.proposing import propose_plan

            module = job.modules[0]
            edit = partial(propose_plan, module_id=module.id)
            self.session.edit(Change(tr("propose a plan for {module}", module=module.name), edit))

    def add_module(self) -> None:
        """Ask for another module, on the page of host and modules."""
        from pigtail.desktop.stations.survey.station import SurveyStation

        self.views.go("survey")
        view = self.views.of("survey")
        assert isinstance(view, SurveyStation)
        view.show_devices().ask_for_one()

    def ask_brief(self) -> None:
        """Ask what the job is called and what is wanted, and set both in one edit."""
        job = self.session.job
        answer = ask.brief(self.window, job.name, job.brief.wanted, job.brief.notes) if job else None
        if answer is not None:
            name, wanted, notes = answer
            edit = partial(set_name_and_brief, name=name, wanted=wanted, notes=notes)
            self.session.edit(Change(tr("name and brief"), edit))

    def run_book(self, *, back: bool = False) -> None:
        """The runbook in large type, one step at a time."""
        from pigtail.studies.prove.found import ProveFound

        job, studies = self.session.job, self.session.studies
        if job is None or studies is None:
            return
        found = studies.of(ProveFound)
        if not found.stands:
            self.tell(tr("There is nothing to build yet: plan it first."))
            return
        self.bench.open_run(job, found, lambda: self.session.folder, back=back)

    def ask_meter(self) -> None:
        """Ask which meter is used."""
        from pigtail.desktop import readings

        job = self.session.job
        if job is None:
            readings.ask_first_meter(self)
        else:
            self.bench.ask_meter(job, self.session.edit)

    @property
    def quiet(self) -> bool:
        """Whether all background work is done."""
        looking = self._quick is not None and not self._quick[0].idle
        here = self.session.quiet and self.side.idle and self.bench.idle and self.images.idle
        return here and not looking

    def close(self) -> None:
        """End all background work."""
        helpers = [self.session.helper, *([self._quick[1]] if self._quick is not None else [])]
        for helper in helpers:  # first, so that no lane waits for what they are asked
            helper.close()
        self.images.close()
        self.bench.close()
        self.files.close()
        if self._quick is not None:
            self._quick[0].close(CLOSING_S)
        self.side.close(CLOSING_S)
        self.session.close()


def _plain(words: str) -> str:
    """Words for a menu, in which a single & would underline a letter."""
    return words.replace("&", "&&")
