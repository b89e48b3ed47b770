"""Prove: the runbook with its hold points, the way back, the record, what the work needs to be told; and what leaves of it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import (
    QButtonGroup,
    QMenu,
    QPushButton,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
)

from pigtail.desktop.labels import OneLine
from pigtail.desktop.stations.base import Station
from pigtail.desktop.stations.prove.recordpage import RecordPage
from pigtail.desktop.stations.prove.runpage import RunPage
from pigtail.desktop.stations.prove.workpage import WorkPage
from pigtail.desktop.wants import AtBench, Leave, Paper
from pigtail.desktop.wrapping import Wrapping, add_choices
from pigtail.language import tr
from pigtail.studies.prove.found import ProveFound

if TYPE_CHECKING:
    from pathlib import Path

    from pigtail.job.document import Job
    from pigtail.studies.found import Studies

#: The pages by their words, the names of their buttons, and what is printed of them.
PAGES = (
    (tr("Runbook"), "page_run", "runbook"), (tr("Way back"), "page_back", "back"), (tr("Record"), "page_record", "record"),
    (tr("Work"), "page_work", "runbook"),
)  # fmt: skip
#: What leaves: words, name, how.
LEAVES = (
    (tr("Write a pack…"), "leave_pack", "pack"), (tr("Copy the story as Markdown"), "leave_markdown", "markdown"),
    (tr("Copy the story as text"), "leave_text", "text"), (tr("Build it again…"), "leave_again", "again"),
)  # fmt: skip


class ProveStation(Station):
    """The Prove station. It wants the runbook at the bench, readings of the meter, paper, and what leaves of the work."""

    key = "prove"

    def __init__(self) -> None:
        super().__init__()
        self.run, self.back, self.record, self.work = RunPage(), RunPage(back=True), RecordPage(), WorkPage()
        self.pages = QStackedWidget()
        self.chooser = QButtonGroup(self)
        row = Wrapping()
        pages: tuple[RunPage | RecordPage | WorkPage, ...] = (self.run, self.back, self.record, self.work)
        for page in pages:
            page.edited.connect(self.edited)
            page.refused.connect(self.refused)
            self.pages.addWidget(page)
        named = ((words, name, tr("Page: {words}", words=words)) for words, name, _ in PAGES)
        add_choices(row, self.chooser, named)
        for page in (self.run, self.back, self.record):
            page.wants.connect(self.wants)
        for run in (self.run, self.back):
            run.set_folder(self._where)
        self.chooser.idClicked.connect(self.turn_to)
        self.leave = QToolButton()
        self.leave.setText(tr("Pass it on"))
        self.leave.setObjectName("leave")
        self.leave.setAccessibleName(tr("Pass it on: a pack, the story, the next copy"))
        self.leave.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.leave)
        paper = menu.addAction(tr("Print this page…"))
        assert paper is not None
        paper.setObjectName("print_record")
        paper.triggered.connect(
            lambda _c: self.wants.emit(Paper(printed=True, what=PAGES[self.pages.currentIndex()][2]))
        )
        for words, name, how in LEAVES:
            action = menu.addAction(words)
            assert action is not None
            action.setObjectName(name)
            action.triggered.connect(lambda _c, how=how: self.wants.emit(Leave(how)))
        self.leave.setMenu(menu)
        self.bench = QPushButton(tr("At the bench"))
        self.bench.setObjectName("main")
        self.bench.setAccessibleName(tr("The runbook in large type, one step at a time (Shift+F8)"))
        self.bench.clicked.connect(
            lambda _c: self.wants.emit(AtBench(back=self.pages.currentWidget() is self.back))
        )
        for item in (self.leave, self.bench):
            row.addWidget(item)
        self.words = OneLine("")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(row)
        layout.addWidget(self.words)
        layout.addWidget(self.pages, 1)
        self.turn_to(0)

    def _where(self) -> Path | None:
        return self.folder()  # the window sets it once the station is made

    def turn_to(self, number: int) -> None:
        """Show a page by its number."""
        button = self.chooser.button(number)
        assert button is not None
        button.setChecked(True)
        self.pages.setCurrentIndex(number)
        self.bench.setText(
            tr("Back at the bench") if self.pages.currentWidget() is self.back else tr("At the bench")
        )

    def show_job(self, job: Job, studies: Studies) -> None:
        found = studies.of(ProveFound)
        self.run.show_found(job, found)
        self.back.show_found(job, found)
        self.record.show_job(job)
        self.work.show_job(job)
        worst = found.findings[0].sentence if found.findings else ""
        self.words.setText(worst)
        self.bench.setEnabled(bool(found.stands))


STATION = ProveStation
