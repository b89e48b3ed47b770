"""Fills the frame: session, stations, Why, strip and menus, and wires them together. No judgement lives here."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QSettings, QTimer
from PyQt6.QtGui import QAction, QIcon, QKeySequence
from PyQt6.QtWidgets import QApplication, QMenu

from pigtail import __version__
from pigtail.desktop import actions, ask, theme
from pigtail.desktop.benching import Benching
from pigtail.desktop.recent import Recent
from pigtail.desktop.session import Session
from pigtail.desktop.stations import KEYS, first_station, station_class
from pigtail.desktop.strip import BenchStrip
from pigtail.desktop.why import Why
from pigtail.desktop.window import icon_path
from pigtail.desktop.work import Lane
from pigtail.job.edits import set_name_and_brief
from pigtail.job.model import Job, SupplyClass
from pigtail.job.recovery import discard, leftovers
from pigtail.studies.results import Studies

if TYPE_CHECKING:
    from pigtail.desktop.helper import Helper, Inside
    from pigtail.desktop.levelling import Levelling
    from pigtail.desktop.stations.base import Station
    from pigtail.desktop.stations.returns import ReturnsStation
    from pigtail.desktop.window import MainWindow
    from pigtail.job.file import Document
    from pigtail.job.recovery import Keeper, Leftover
    from pigtail.studies.findings import Remedy

AFTERWARDS_MS = 300  # what can wait begins when the first view has been painted and is at rest


class Assembly(QObject):
    """The working window: the session and its views."""

    def __init__(
        self,
        window: MainWindow,
        keeper: Keeper | None = None,
        settings: QSettings | None = None,
        helper: Helper | Inside | None = None,
    ) -> None:
        super().__init__(window)
        self.window = window
        self.settings = settings or QSettings("pigtail", "pigtail")
        self.session = Session(keeper, helper, self)
        self.side = Lane("side", self)
        self.strip: BenchStrip
        self.bench: Benching
        self.why: Why
        self.views: dict[str, Station] = {}
        self.levelling: Levelling | None = None
        self.here = "survey"
        self._fresh = True
        self.actions: dict[str, QAction] = {}
        self.recent = Recent(self.settings, self.open_path)

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
        w, s = self.window, self.session
        w.lead.chosen.connect(self.go)
        w.telltales.chosen.connect(self._telltale)
        w.dropped.connect(lambda path: self.open_path(Path(path)))
        w.may_close = self.may_leave
        s.changed.connect(self._changed)
        s.studied.connect(self._studied)
        s.failed.connect(self.tell)
        s.kept.connect(lambda _n: self._show_kept())
        s.saved.connect(self._saved)
        self.bench.logged.connect(s.edit)
        self.bench.told.connect(self.tell)
        self.bench.papers.connect(self._papers)
        self.strip.meter_wanted.connect(self.ask_meter)
        self.strip.mode_wanted.connect(self.bench.open_mode)
        self.why.remedy_chosen.connect(self._remedy)
        self._enable()

    def view(self, key: str) -> Station:
        """The view of a station, made when first needed."""
        if key not in self.views:
            made: Any = station_class(key)()
            made.edited.connect(self.session.edit)
            made.refused.connect(self.tell)
            if key == "returns":
                made.schools_wanted.connect(partial(self._solve_schools, made))
            if key == "level":
                from pigtail.desktop.levelling import Levelling

                self.levelling = Levelling(self, made)
            if key in ("survey", "taps"):
                made.probe.connect(self.strip.set_probes)
            if key == "survey":
                made.set_folder(lambda: self.session.path.parent if self.session.path else None)
            if key == "build":
                made.sheet_wanted.connect(self.ask_sheet)
                made.print_wanted.connect(self.ask_print)
            self.views[key] = made
            self.window.stations.addWidget(made)
        return self.views[key]

    def go(self, key: str) -> None:
        """Show a station."""
        self.here = key
        view = self.view(key)
        self.window.lead.choose(key)
        self.window.stations.setCurrentWidget(view)
        self._refresh()

    def _changed(self, job: Job) -> None:
        self.window.message.hide()
        self.bench.show_job(job)
        self._show_title()
        self._enable()

    def _studied(self, studies: Studies) -> None:
        self.window.lead.show_verdicts({k: v.value for k, v in studies.verdicts.items()})
        self.window.telltales.show_studies(studies)
        if self.session.job is not None:
            words = {key: splice.words for key, splice in self.window.lead.splices.items()}
            mend = [words[s.name] for s in studies.each() if s.verdict.value in ("stop", "fix")]
            self.bench.show_next(studies.asked, mend)
        if self._fresh:
            self._fresh = False
            here = self.here = first_station(studies)
            self.side.submit(
                "first", lambda: station_class(here), lambda _: self._first_view(), self._not_shown
            )
        else:
            self._refresh()

    def _not_shown(self, error: BaseException) -> None:
        self.tell(f"The station cannot be shown ({error}); choose another")

    def _first_view(self) -> None:
        """Show the station that a job just opened starts at, in turns of their own, so that none is long."""

        def fill() -> None:
            self._refresh()
            self.window.ready.emit()
            QTimer.singleShot(0, self._put_icon)
            QTimer.singleShot(AFTERWARDS_MS, lambda: self._load_stations(list(KEYS)))

        self.view(self.here)
        self.window.lead.choose(self.here)
        QTimer.singleShot(0, lambda: self.window.stations.setCurrentWidget(self.views[self.here]))
        QTimer.singleShot(1, fill)

    def _load_stations(self, left: list[str]) -> None:
        """Load the files of the other stations one by one, so that the first look at each is quick."""
        if left:
            key = left.pop(0)
            self.side.submit(
                "load", lambda: station_class(key), lambda _: self._load_stations(left), self._not_shown
            )

    def _put_icon(self) -> None:
        """The icon comes last: reading its drawing takes longer than a turn should."""
        if self.window.windowIcon().isNull():
            self.window.setWindowIcon(QIcon(icon_path()))

    def _refresh(self) -> None:
        job, studies = self.session.job, self.session.studies
        if job is None or studies is None:
            return
        self.view(self.here).show_job(job, studies)
        study = next(s for s in studies.each() if s.name == self.here)
        self.why.show_study(self.window.lead.splices[self.here].words, study)

    def _telltale(self, station: str, code: str) -> None:
        self.go(station)
        self.why.pick(code)

    def _solve_schools(self, view: ReturnsStation, job: Job) -> None:
        self.side.submit(
            "schools",
            lambda: self.session.helper.call("schools", job),
            lambda found: view.show_schools(job, found),
            lambda e: self.tell(str(e)),
        )

    def _remedy(self, remedy: Remedy) -> None:
        self.session.edit(remedy.label, remedy.edit)

    def tell(self, sentence: str) -> None:
        """Show one sentence in the message line."""
        self.window.message.tell(sentence)

    def start(
        self, document: Document, path: Path | None, *, unsaved: bool = False, studies: Studies | None = None
    ) -> None:
        """Put a document on view, with its studies if they were made already."""
        self._fresh = True
        self.session.start(document, path, unsaved=unsaved, studies=studies)
        if path is not None:
            self.recent.remember(path)

    def show_empty(self) -> None:
        """No job is open: say how to begin."""
        self._fresh = True
        self.window.lead.choose("survey")
        self.window.message.tell(
            "No job is open. Begin a new one, open a file, or drop a job onto the window.",
            (("New job…", self.new_job), ("Open…", self.ask_open), ("Try a stand-in…", self.ask_meter)),
        )
        self.window.show_words("Describe the host, the module and what the meter said;\nthe rest follows.")
        self._put_icon()
        self.window.ready.emit()

    def offer_leftovers(self, found: list[Leftover]) -> None:
        """Offer what a killed program left."""
        if not found:
            return
        first = found[0]
        more = f" ({len(found) - 1} more after it)" if len(found) > 1 else ""
        self.window.message.tell(
            f"“{first.document.job.name}” was not saved when the program ended{more}.",
            (
                ("Take it over", lambda: self._take_over(first)),
                ("Give it up", lambda: self._give_up(first)),
            ),
        )

    def _take_over(self, leftover: Leftover) -> None:
        if self.may_leave():
            self._fresh = True
            self.session.take_over(leftover)

    def _give_up(self, leftover: Leftover) -> None:
        discard(leftover)
        self.offer_leftovers(leftovers(leftover.file.parent))

    def new_job(self) -> None:
        """Ask for a new job and put it on view."""
        from pigtail.desktop.newjob import NewJob
        from pigtail.job.file import Document

        if not self.may_leave():
            return
        dialog = NewJob(self.window)
        if dialog.exec() and dialog.made is not None:
            self.start(Document(dialog.made), None, unsaved=True)
            self.session.keep_now()

    def ask_open(self) -> None:
        """Ask which job to open."""
        path = ask.open_path(self.window, str(self.session.path.parent if self.session.path else Path.home()))
        if path is not None:
            self.open_path(path)

    def open_path(self, path: Path) -> None:
        """Open a job file, after the open one was seen to."""
        if self.may_leave():
            self._fresh = True
            if self.session.open(path):
                self.recent.remember(path)
            else:
                self._fresh = False

    def save_job(self) -> bool:
        """Save to the job's file, or ask for one."""
        return self.session.save(self.session.path) if self.session.path else self.ask_save_as()

    def ask_save_as(self) -> bool:
        """Ask where to save, and save there."""
        job = self.session.job
        if job is None:
            return False
        path = ask.save_path(
            self.window, str(self.session.path or Path.home() / f"{_file_name(job.name)}.pigtail")
        )
        return path is not None and self.session.save(path)

    def may_leave(self) -> bool:
        """Whether the open job may be left: saved, or the person says so."""
        if not self.session.unsaved or self.session.job is None:
            return True
        answer = ask.save_before_leaving(self.window, self.session.job.name)
        return answer == "leave" or (answer == "save" and self.save_job())

    def _saved(self, path: str) -> None:
        self.recent.remember(Path(path))
        self._show_title()
        self._show_kept()

    def _show_title(self) -> None:
        job, path = self.session.job, self.session.path
        name = path.name if path else "not saved yet"
        self.window.setWindowTitle(f"{job.name if job else ''}[*] ({name}) – Pigtail")
        self.window.setWindowModified(self.session.unsaved)
        self._show_kept()

    def _show_kept(self) -> None:
        s = self.session
        if not s.unsaved:
            words = "saved" if s.path else ""
        elif s.kept_number >= s.number:
            words = "not saved; every edit is kept against a crash"
        else:
            words = "not saved; keeping…"
        if s.job is not None:
            self.window.lead.show_job(s.job.name, s.job.brief.wanted, words)

    def _make_menus(self) -> None:
        bar = self.window.menuBar()
        assert bar is not None
        menus: dict[str, QMenu] = {}
        for name in actions.MENUS:
            menu = bar.addMenu(name)
            assert menu is not None
            menus[name] = menu
        for entry in actions.TABLE:
            action = QAction(entry.words, self.window)
            action.setObjectName(f"action_{entry.id}")
            if entry.keys:
                action.setShortcut(QKeySequence(entry.keys))
            action.triggered.connect(lambda _c, run=entry.run: run(self))
            menus[entry.menu].addAction(action)
            self.actions[entry.id] = action
            if entry.id == "open":
                self.recent.fill(menus["Job"].addMenu("Recent"))

    def _enable(self) -> None:
        open_job = self.session.job is not None
        self.strip.setEnabled(open_job)
        self.window.lead.setEnabled(open_job)
        self.window.telltales.setEnabled(open_job)
        for entry in actions.TABLE:
            self.actions[entry.id].setEnabled(entry.enabled(self))
        undo, redo = self.session.undo_words, self.session.redo_words
        self.actions["undo"].setText(f"Undo: {undo}" if undo else "Undo")
        self.actions["redo"].setText(f"Redo: {redo}" if redo else "Redo")

    def quit(self) -> None:
        """Close the window, which asks about unsaved work."""
        self.window.close()

    def can_propose(self) -> bool:
        """Whether there is a module that a plan can be proposed for."""
        job = self.session.job
        return job is not None and bool(job.modules) and job.host.supply is not SupplyClass.LIVE_CHASSIS

    def propose_plan(self) -> None:
        """Propose the plan anew for the first module."""
        job = self.session.job
        if job is not None and job.modules:
            from pigtail.advice.networks import propose_plan

            module = job.modules[0]
            self.session.edit(f"propose a plan for {module.name}", partial(propose_plan, module_id=module.id))

    def ask_brief(self) -> None:
        """Ask what the job is called and what is wanted, and set both in one edit."""
        job = self.session.job
        answer = ask.brief(self.window, job.name, job.brief.wanted, job.brief.notes) if job else None
        if answer is not None:
            name, wanted, notes = answer
            self.session.edit(
                "name and brief", partial(set_name_and_brief, name=name, wanted=wanted, notes=notes)
            )

    def strike_reading(self) -> None:
        """Strike the reading chosen in Survey's log."""
        view: Any = self.view("survey")
        view.strike_chosen()

    def focus_findings(self) -> None:
        """Put the keyboard on the findings."""
        self.why.list.setFocus()

    def focus_bench(self) -> None:
        """Put the keyboard on the reading."""
        self.strip.reading.setFocus()

    def set_theme(self, name: str) -> None:
        """Dress the window light or dark, and remember it."""
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        theme.apply(application, theme.DARK if name == "dark" else theme.LIGHT)
        self.settings.setValue("theme", name)
        self.window.update()
        self._refresh()

    def show_keys(self) -> None:
        """Show the keys of all actions."""
        lines = [f"{e.keys:<14} {e.menu}: {e.words}" for e in actions.TABLE if e.keys]
        lines.append("Up, Down       in a part's field: along the preferred series")
        ask.tell(self.window, "Keys", "<pre>" + "\n".join(lines) + "</pre>")

    def show_about(self) -> None:
        """Say what the program is."""
        ask.about(self.window, __version__)

    def ask_meter(self) -> None:
        """Ask which meter is used."""
        job = self.session.job
        if job is None:
            from pigtail.desktop import readings

            readings.ask_first_meter(self)
        else:
            self.bench.ask_meter(job, self.session.edit)

    def _papers(self, document: Document) -> None:
        if self.may_leave():
            self.start(document, None, unsaved=True)

    def ask_readings(self) -> None:
        """Take in readings from a file."""
        from pigtail.desktop import readings

        readings.ask_file(self)

    def paste_readings(self) -> None:
        """Take in readings from the clipboard."""
        from pigtail.desktop import readings

        readings.paste(self)

    def correct_reading(self) -> None:
        """Correct the reading chosen in the log."""
        from pigtail.desktop import readings

        view: Any = self.view("survey")
        readings.correct(self, view.chosen_reading())

    def ask_sheet(self) -> None:
        """Ask for a folder and write the sheet into it."""
        folder = ask.folder(self.window, str(self.session.path.parent if self.session.path else Path.home()))
        if folder is not None:
            self.write_sheet(folder)

    def write_sheet(self, folder: Path) -> None:
        """Write the sheet's files in the background."""
        from pigtail.desktop import output

        output.write_sheet(self, folder)

    def ask_print(self) -> None:
        """Ask for a printer and print the sheet."""
        from pigtail.desktop.paper import ask_printer

        printer = ask_printer(self.window)
        if printer is not None:
            self.print_sheet(printer)

    def print_sheet(self, printer: object) -> None:
        """Print the sheet: made in the background, sent to the printer page by page."""
        from pigtail.desktop import output

        output.print_sheet(self, printer)

    @property
    def quiet(self) -> bool:
        """Whether all background work is done."""
        looking = self.levelling is not None and not self.levelling.idle
        return self.session.quiet and self.side.idle and self.bench.idle and not looking

    def close(self) -> None:
        """End all background work."""
        self.bench.close()
        if self.levelling is not None:
            self.levelling.close()
        self.side.close()
        self.session.close()


def _file_name(name: str) -> str:
    kept = "".join(c if c.isalnum() else "-" for c in name.lower()).strip("-")
    return kept[:60] or "job"
