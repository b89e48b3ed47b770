"""The little board: laid out when it is looked at, a step at a time above sixteen parts, with what to cut, bridge and put where."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QVBoxLayout, QWidget

from pigtail.desktop.drawing import DrawingView
from pigtail.desktop.stations.loom.parts import choice, of_enum, show_choice
from pigtail.desktop.stations.options import by_steps
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.desktop.wants import Answer
from pigtail.desktop.wrapping import row_of
from pigtail.edits.build import set_board_kind
from pigtail.edits.change import Change
from pigtail.job.build import BoardKind
from pigtail.job.document import Job
from pigtail.language import tr
from pigtail.service import services
from pigtail.sheet.blocks import BoardFound


class BoardPage(QWidget):
    """What the networks sit on."""

    edited = pyqtSignal(object)
    wants = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.view = DrawingView("board_drawing", tr("No network of the plan sits on a board."))
        self.kind = choice("board_kind", tr("What the parts sit on"), of_enum(BoardKind), self._kind_chosen)
        self.size_words = QLabel()
        self.size_words.setObjectName("dim")
        self.progress = QProgressBar()
        self.progress.setObjectName("board_progress")
        self.progress.setMaximumWidth(140)
        self.stop = QPushButton(tr("Stop"))
        self.stop.setObjectName("board_stop")
        self.stop.setAccessibleName(tr("Stop looking for a smaller board"))
        self.stop.clicked.connect(self._stopped)
        self.seats = RowsModel((tr("part"), tr("value"), tr("holes"), tr("sits")))
        self.table = make_table(self.seats, "board_table", tr("Parts of the board and their holes"), 2)
        set_widths(self.table, (42, 84))
        self.work = QLabel()
        self.work.setWordWrap(True)
        self.work.setObjectName("board_work")
        beside = QVBoxLayout()
        beside.addWidget(self.table, 3)
        beside.addWidget(self.work)
        row = QHBoxLayout()
        row.addWidget(self.view, 5)
        row.addLayout(beside, 3)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(row_of(tr("kind of board"), self.kind, self.size_words, self.progress, self.stop))
        layout.addLayout(row, 1)
        self._job: Job | None = None
        self._laid: object = None
        self._turn = 0
        self.busy = False
        self._say(BoardFound())
        self._busy(False)

    def show_job(self, job: Job) -> None:
        """Show a job: its board is laid out while this page is on view."""
        self._job = job
        show_choice(self.kind, job.build.board)
        if self.isVisible():
            self.lay_out()

    def lay_out(self) -> None:
        """Lay the board out, unless it is that already."""
        job = self._job
        if job is None:
            return
        laid = (job.links, job.build.board, tuple(job.modules))
        if laid == self._laid:
            return
        self._laid, self._turn = laid, self._turn + 1
        turn = self._turn
        self._busy(True)

        by_steps(
            lambda want: self.wants.emit(want._replace(failed=self._lost)),
            lambda told: Answer(services.board_steps, (job,), told),
            lambda told, number, before: Answer(services.board_step, (job, number, before), told),
            self._show_step,
            lambda: turn == self._turn,
        )

    def _show_step(self, found: BoardFound, done: int, steps: int) -> None:
        self.progress.setRange(0, steps)
        self.progress.setValue(done)
        self._say(found)
        self._busy(done < steps)

    def _say(self, found: BoardFound) -> None:
        self.view.show_drawings(found.drawings, tr("The little board: {value}", value=found.size or "none"))
        self.size_words.setText(found.size)
        self.seats.show_rows([(Cell(n), Cell(v), Cell(h), Cell(s, use="dim")) for n, v, h, s in found.seats])
        self.work.setText("\n".join(found.work))

    def _busy(self, now: bool) -> None:
        self.busy = now
        self.progress.setVisible(now)
        self.stop.setVisible(now)

    def _stopped(self) -> None:
        self._turn += 1
        self._busy(False)

    def _lost(self, error: BaseException) -> None:
        self._busy(False)
        self._laid = None
        self.refused.emit(str(error))

    def _kind_chosen(self, kind: BoardKind) -> None:
        self.edited.emit(
            Change(tr("parts on {kind}", kind=tr(kind.value)), partial(set_board_kind, kind=kind))
        )
