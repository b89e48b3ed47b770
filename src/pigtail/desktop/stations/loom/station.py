"""Build: the wiring drawing, the little board, the panel, the loom and parts, how things are held; and what leaves for paper."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QButtonGroup, QPushButton, QStackedWidget, QVBoxLayout

from pigtail.desktop.labels import OneLine
from pigtail.desktop.stations.base import Station
from pigtail.desktop.stations.loom.boardpage import BoardPage
from pigtail.desktop.stations.loom.holdpage import HoldPage
from pigtail.desktop.stations.loom.loompage import LoomPage
from pigtail.desktop.stations.loom.panelpage import PanelPage
from pigtail.desktop.stations.loom.wiringpage import WiringPage
from pigtail.desktop.wants import Answer, Paper
from pigtail.desktop.wrapping import Wrapping, add_choices
from pigtail.job.document import Job
from pigtail.language import tr
from pigtail.service import services
from pigtail.studies.loom.found import LoomFound

if TYPE_CHECKING:
    from pigtail.drawing.shapes import Drawing
    from pigtail.studies.found import Studies

#: The pages by their words and the names of their buttons.
PAGES = (
    (tr("Wiring"), "page_wiring"), (tr("Board"), "page_board"), (tr("Panel"), "page_panel"),
    (tr("Loom"), "page_loom"), (tr("Places"), "page_hold"),
)  # fmt: skip


class BuildStation(Station):
    """The Build station. It wants the sheet on paper, the drawings made, the board laid out and places looked for."""

    key = "build"

    def __init__(self) -> None:
        super().__init__()
        self.wiring, self.board, self.panel = WiringPage(), BoardPage(), PanelPage()
        self.loom, self.hold = LoomPage(), HoldPage()
        self.pages = QStackedWidget()
        self.chooser = QButtonGroup(self)
        self._row = Wrapping()
        pages: tuple[WiringPage | BoardPage | PanelPage | LoomPage | HoldPage, ...] = (
            self.wiring, self.board, self.panel, self.loom, self.hold,
        )  # fmt: skip
        for page in pages:
            page.edited.connect(self.edited)
            page.refused.connect(self.refused)
            self.pages.addWidget(page)
        named = ((words, name, tr("Page: {words}", words=words)) for words, name in PAGES)
        add_choices(self._row, self.chooser, named)
        self.board.wants.connect(self.wants)
        self.panel.wants.connect(self.wants)
        self.chooser.idClicked.connect(self.turn_to)
        self.sheet = QPushButton(tr("Write the sheet…"))
        self.sheet.setObjectName("main")
        self.sheet.setAccessibleName(
            tr("Write the build sheet, drawings, templates, lists and netlist into a folder")
        )
        self.sheet.clicked.connect(lambda: self.wants.emit(Paper(printed=False)))
        self.print = QPushButton(tr("Print…"))
        self.print.setObjectName("print")
        self.print.setAccessibleName(tr("Print the build sheet"))
        self.print.clicked.connect(lambda: self.wants.emit(Paper(printed=True)))
        self.words = OneLine("")
        self._job: Job | None = None
        self._lay_out()
        self.turn_to(0)

    def _lay_out(self) -> None:
        self._row.addWidget(self.print)
        self._row.addWidget(self.sheet)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(self._row)
        layout.addWidget(self.words)
        layout.addWidget(self.pages, 1)

    def turn_to(self, number: int) -> None:
        """Show a page by its number."""
        button = self.chooser.button(number)
        assert button is not None
        button.setChecked(True)
        self.pages.setCurrentIndex(number)
        if self.pages.currentWidget() is self.board:
            self.board.lay_out()

    def show_job(self, job: Job, studies: Studies) -> None:
        self._job = job
        build = studies.of(LoomFound)
        self.wiring.show_build(build)
        self.board.show_job(job)
        self.panel.show_job(job, self.folder())
        self.loom.show_job(job, build)
        self.hold.show_job(job, build)
        waits = build.findings[0].sentence if build.verdict.value in ("stop", "fix", "unknown") else ""
        self.words.setText(
            waits
            or tr(
                "Ready to build. Take the readings on the sheet in their order; stop where one is out of "
                "range."
            )
        )
        self.wants.emit(Answer(services.wiring, (job, build), partial(self._show_wiring, job), quick=True))
        self.wants.emit(Answer(services.panel_drawing, (job,), partial(self._show_panel, job), quick=True))

    def _show_wiring(self, job: Job, drawing: Drawing) -> None:
        if job is self._job:
            self.wiring.show_drawing(drawing)

    def _show_panel(self, job: Job, drawing: Drawing | None) -> None:
        if job is self._job:
            self.panel.show_drawing(drawing)


STATION = BuildStation
