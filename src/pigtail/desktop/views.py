"""The stations of the window: made when first needed, joined by one rule, shown with what was studied."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QIcon

from pigtail.desktop.stations import first_station, station_class
from pigtail.desktop.tables import RowsModel, RowsView
from pigtail.desktop.tips import tip_all
from pigtail.desktop.window import icon_path
from pigtail.job.document import Job
from pigtail.language import tr
from pigtail.studies.found import Studies
from pigtail.studies.register import REGISTER

if TYPE_CHECKING:
    from pigtail.desktop.desk import Desk
    from pigtail.desktop.stations.base import Station
    from pigtail.desktop.work import Lane

AFTERWARDS_MS = 300  # what can wait begins when the first view has been painted and is at rest


class Views(QObject):
    """The stations by their key. `here` is the one on view."""

    def __init__(self, desk: Desk, side: Lane, parent: QObject) -> None:
        super().__init__(parent)
        self._desk, self._side = desk, side
        self.made: dict[str, Station] = {}
        self.here = REGISTER[0].key
        self._fresh = True

    def wire(self) -> None:
        """Join the lead, the tell-tales and what the session tells."""
        window, session = self._desk.window, self._desk.session
        window.lead.chosen.connect(self.go)
        window.telltales.chosen.connect(self._telltale)
        session.changed.connect(self._glance)
        session.studied.connect(self._studied)

    def of(self, key: str) -> Station:
        """The view of a station, made and joined when first needed."""
        if key not in self.made:
            made = station_class(key)()
            made.edited.connect(self._desk.session.edit)
            made.refused.connect(self._desk.tell)
            made.wants.connect(self._desk.answer)
            made.folder = self._folder
            for table in made.findChildren(RowsView):
                if isinstance(model := table.model(), RowsModel):
                    made.refused.connect(model.note_refusal)
            tip_all(made)
            self.made[key] = made
            self._desk.window.stations.addWidget(made)
        return self.made[key]

    def _folder(self) -> Path | None:
        return self._desk.session.folder

    def go(self, key: str) -> None:
        """Show a station."""
        self.here = key
        view = self.of(key)
        self._desk.window.lead.choose(key)
        self._desk.window.stations.setCurrentWidget(view)
        self.refresh()

    def begin_afresh(self) -> None:
        """Another job comes: it is shown at the station that needs it most."""
        self._fresh = True

    def go_on(self) -> None:
        """The job on view stays after all."""
        self._fresh = False

    def refresh(self) -> None:
        """Paint the station on view, and Why beside it."""
        job, studies = self._desk.session.job, self._desk.session.studies
        if job is None or studies is None:
            return
        from pigtail.studies.narrating import figures_of

        self.of(self.here).show_job(job, studies)
        study = next(s for s in studies.each() if s.name == self.here)
        figures = partial(figures_of, job, studies)
        self._desk.why.show_study(self._desk.window.lead.splices[self.here].words, study, figures)

    def _glance(self, job: Job) -> None:
        """Another job is current: the station on view may show at once what can be shown."""
        view = self.made.get(self.here)
        if view is not None and view.isVisible() and view.glance(job):
            self._desk.session.postpone()

    def _studied(self, studies: Studies) -> None:
        window = self._desk.window
        window.lead.show_verdicts({k: v.value for k, v in studies.verdicts.items()})
        window.telltales.show_studies(studies)
        if self._desk.session.job is not None:
            words = {key: splice.words for key, splice in window.lead.splices.items()}
            mend = [words[s.name] for s in studies.each() if s.verdict.value in ("stop", "fix")]
            unknown = [words[s.name] for s in studies.each() if s.verdict.value == "unknown"]
            self._desk.bench.show_next(studies.asked, mend, unknown, len(studies.open))
            self._desk.bench.show_run(studies)
        if self._fresh:
            self._fresh = False
            here = self.here = first_station(studies)
            self._side.submit(
                "first", lambda: station_class(here), lambda _: self._first_view(), self._not_shown
            )
        else:
            self.refresh()

    def _not_shown(self, error: BaseException) -> None:
        self._desk.tell(tr("The station cannot be shown ({error}); choose another", error=error))

    def _first_view(self) -> None:
        """Show the station that a job just opened starts at, in turns of their own, so that none is long."""

        def fill() -> None:
            self.refresh()
            self._desk.window.ready.emit()
            QTimer.singleShot(0, self.put_icon)
            QTimer.singleShot(AFTERWARDS_MS, lambda: self._load([e.key for e in REGISTER]))

        self.of(self.here)
        self._desk.window.lead.choose(self.here)
        QTimer.singleShot(0, lambda: self._desk.window.stations.setCurrentWidget(self.made[self.here]))
        QTimer.singleShot(1, fill)

    def _load(self, left: list[str]) -> None:
        """Load the files of the other stations one by one, so that the first look at each is quick."""
        if left:
            key = left.pop(0)
            self._side.submit("load", lambda: station_class(key), lambda _: self._load(left), self._not_shown)

    def put_icon(self) -> None:
        """The icon comes last: reading its drawing takes longer than a turn should."""
        if self._desk.window.windowIcon().isNull():
            self._desk.window.setWindowIcon(QIcon(icon_path()))

    def _telltale(self, station: str, code: str) -> None:
        self.go(station)
        self._desk.why.pick(code)
