"""The steps in their order, by the part of the work, and the one that is picked with its answer."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QItemSelectionModel, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QLabel, QVBoxLayout, QWidget

from pigtail.desktop.steppanel import StepPanel
from pigtail.desktop.stepping import range_words
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.job.document import Job
from pigtail.job.steps import RunStand, Standing
from pigtail.language import tr
from pigtail.studies.prove.found import ProveFound

#: The marks of how a step stands: the words of severities, whose shapes they have.
MARKS = {Standing.OPEN: "", Standing.DONE: "good", Standing.WAIVED: "watch", Standing.AGAIN: "fix"}
#: How wide the column of hold points is, as a part of the page, and at least [px].
MUST_PART, LEAST_PX = 0.28, 110


class RunPage(QWidget):
    """The runbook, or the way back."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)
    wants = pyqtSignal(object)

    def __init__(self, *, back: bool = False) -> None:
        super().__init__()
        self._back = back
        self._job: Job | None = None
        self._stands: tuple[RunStand, ...] = ()
        self._rows: list[RunStand | None] = []
        self._follows, self._filling = True, False
        self.stays = QLabel()
        self.stays.setWordWrap(True)
        self.stays.setObjectName("back_stays")
        self.model = RowsModel(("", tr("what is done"), tr("it must be"), tr("minutes")))
        name, words = ("back_table", tr("The way back")) if back else ("run_table", tr("The runbook"))
        self.table = make_table(self.model, name, tr("{words}: steps in their order", words=words), 1)
        self.panel = StepPanel()
        self.panel.edited.connect(self._edited)
        self.panel.refused.connect(self.refused)
        self.panel.wants.connect(self.wants)
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda now, _before: self._pick(now.row()))
        card = QFrame()
        card.setObjectName("panel")
        inner = QVBoxLayout(card)
        inner.setContentsMargins(12, 10, 12, 10)
        inner.addWidget(self.panel)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.stays)
        layout.addWidget(self.table, 1)
        layout.addWidget(card)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        set_widths(self.table, (30, None, max(LEAST_PX, round(MUST_PART * self.width())), 62))

    def set_folder(self, folder: Callable[[], Path | None]) -> None:
        """Where the job's folder is found."""
        self.panel.folder = folder

    def show_found(self, job: Job, found: ProveFound) -> None:
        """Show the steps of a job; what was picked stays picked, unless it was the next one, which is followed."""
        picked = self.panel.stand.step.id if self.panel.stand is not None and not self._follows else ""
        self._job, self._stands = job, found.back if self._back else found.stands
        self.stays.setVisible(self._back)
        stays = (
            tr("What stays: {listed}.", listed="; ".join(found.stays))
            if found.stays
            else tr("Nothing stays: all of it can be taken back.")
        )
        done = "" if self._stands else tr(" Nothing is left to take back.")
        self.stays.setText(f"{stays}{done}")
        self._rows = _grouped(self._stands)
        self._filling = True  # what the table chooses while it is filled is nobody's choice
        self.model.show_rows([_row(r, self._rows, k) for k, r in enumerate(self._rows)])
        self._filling = False
        at = next((k for k, r in enumerate(self._rows) if r is not None and r.step.id == picked), None)
        self._choose(at if at is not None else self._next_row())

    def _next_row(self) -> int:
        return next((k for k, r in enumerate(self._rows) if r is not None and r.open), -1)

    def _choose(self, row: int) -> None:
        selection = self.table.selectionModel()
        assert selection is not None
        if row < 0:
            self._show(None)
            return
        index = self.model.index(row, 1)
        flags = QItemSelectionModel.SelectionFlag
        selection.setCurrentIndex(index, flags.ClearAndSelect | flags.Rows)
        self.table.scrollTo(self.model.index(max(row - 2, 0), 1))
        self.table.scrollTo(self.model.index(min(row + 3, len(self._rows) - 1), 1))
        self._pick(row)

    def _pick(self, row: int) -> None:
        stand = self._rows[row] if 0 <= row < len(self._rows) and not self._filling else None
        if stand is not None:
            self._follows = row == self._next_row()
            self._show(stand)

    def _show(self, stand: RunStand | None) -> None:
        if self._job is not None:
            self.panel.show_stand(self._job, stand)

    def _edited(self, change: object) -> None:
        self._follows = True
        self.edited.emit(change)


def _grouped(stands: tuple[RunStand, ...]) -> list[RunStand | None]:
    """Steps with a place for the heading of each part of the work."""
    from pigtail.sheet.recording import phases

    rows: list[RunStand | None] = []
    for _, group in phases(stands):
        rows += [None, *group]
    return rows


def _row(stand: RunStand | None, rows: list[RunStand | None], at: int) -> list[Cell]:
    if stand is None:
        from pigtail.studies.prove.kinds import phase_words

        first = next(r for r in rows[at + 1 :] if r is not None and not r.step.is_turn)
        return [
            Cell(""),
            Cell(phase_words(first.step.phase, back=first.step.turned).upper(), use="copper"),
            Cell(""),
            Cell(""),
        ]
    use = "ink" if stand.open else "dim"
    tip = f"{stand.step.says}\n{tr(stand.standing.value)}{f': {stand.why}' if stand.why else ''}"
    return [
        Cell("", mark=MARKS[stand.standing], tip=tr(stand.standing.value)), Cell(stand.step.says, use=use, tip=tip),
        Cell(range_words(stand), use=use), Cell(f"{stand.step.minutes:g}", use="dim"),
    ]  # fmt: skip
