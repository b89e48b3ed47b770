"""What a search found for the supply of a module: every source through every converter that fits, ranked, each with its catch."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from pigtail.desktop.stations.level.schools import Schools
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.desktop.wants import answer
from pigtail.edits.change import Change
from pigtail.service import services
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.advice.found import Contest, Supplied, SuppliesFound
    from pigtail.job.document import Job

COLUMNS = ("supply", "in a burst", "heat", "ripple", "buzz", "parts", "cost")


class SupplyFound(QWidget):
    """Asks for a search, one source a step, and shows what came of it.

    `edited` carries a Change, `wants` a want of the window, `refused` one sentence, `opened` whether options are on view.
    """

    edited = pyqtSignal(object)
    wants = pyqtSignal(object)
    refused = pyqtSignal(str)
    opened = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.rows = RowsModel(COLUMNS)
        self.table = make_table(self.rows, "supplies_table", "Supplies that fit, the best first", 0)
        set_widths(self.table, (None, 74, 66, 66, 70, 46, 46))
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda _now, _before: self._say())
        self.schools = Schools()
        self.board = QStackedWidget()
        self.board.addWidget(self.table)
        self.board.addWidget(self.schools)
        self.board.setFixedHeight(140)
        self.ways = QPushButton("Methods…")
        self.ways.setObjectName("supply_ways")
        self.ways.setAccessibleName("What modders disagree on about this supply, each method solved")
        self.ways.clicked.connect(self._ask_ways)
        self.schools.edited.connect(self.edited)
        self.schools.closed.connect(self.forget)
        self.schools.reasoned.connect(self._say_words)
        self.seek = QPushButton("Find supplies")
        self.seek.setObjectName("find_supplies")
        self.seek.setAccessibleName("Search every rail, winding and adapter for a supply of this module")
        self.take = QPushButton("Use this")
        self.take.setObjectName("main")
        self.take.setAccessibleName("Supply the module in the chosen way")
        self.words = QLabel()
        self.words.setObjectName("dim")
        self.words.setWordWrap(True)
        self.seek.clicked.connect(self._seek)
        self.take.clicked.connect(self._take)
        told = QHBoxLayout()
        told.addWidget(self.words, 1)
        told.addWidget(self.take)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(told)
        layout.addWidget(self.board)
        self._job: Job | None = None
        self._pin = ""
        self._found: SuppliesFound | None = None
        self._turn, self.searching = 0, False
        self.forget()

    def show_pin(self, job: Job | None, pin: str) -> None:
        """Another job or supply is on view: what was found for the last one goes."""
        if job is not self._job or pin != self._pin:
            self._job, self._pin = job, pin
            self.forget()
        self.seek.setEnabled(bool(pin))
        self.ways.setEnabled(bool(pin))

    def forget(self) -> None:
        """Show no search, and stop the one that runs."""
        self._turn += 1
        self._found = None
        self._is_searching(False)
        self._say_words("")
        self._show(False)

    @property
    def is_open(self) -> bool:
        """Whether options are on view."""
        return not self.board.isHidden()

    def _is_searching(self, now: bool) -> None:
        self.searching = now
        self.seek.setText("Stop" if now else "Find supplies")

    def _show(self, shown: bool) -> None:
        self.board.setVisible(shown)
        self.board.setCurrentWidget(self.table)
        self.take.setVisible(shown)
        if shown and not self.table.currentIndex().isValid():
            self.table.selectRow(0)
        self.opened.emit(shown)

    def _say_words(self, words: str) -> None:
        self.words.setText(words)
        self.words.setVisible(bool(words))

    def _seek(self) -> None:
        job, pin = self._job, self._pin
        if self.searching:
            self._turn += 1
            self._is_searching(False)
            self._say()
            return
        if job is None or not pin:
            return
        self.forget()
        self._is_searching(True)
        self._say_words("searching …")
        turn = self._turn

        def step(sources: tuple[str, ...], done: int, before: bytes) -> None:
            if turn != self._turn or done >= len(sources):
                return

            def show(found: tuple[bytes, SuppliesFound]) -> None:
                after, search = found
                if turn == self._turn:
                    self.show_search(search, done + 1, len(sources))
                    step(sources, done + 1, after)

            want = answer(services.supply_step, show, job, pin, sources[done], before)
            self.wants.emit(want._replace(failed=self._lost))

        want = answer(services.supply_sources, lambda sources: step(sources, 0, b""), job, pin)
        self.wants.emit(want._replace(failed=self._lost))

    def _ask_ways(self) -> None:
        job, pin = self._job, self._pin
        if job is None or not pin:
            return
        self.forget()
        self._say_words("solving both methods …")
        turn = self._turn

        def show(contests: tuple[Contest, ...]) -> None:
            if turn == self._turn:
                self.show_ways(contests)

        self.wants.emit(answer(services.supply_contests, show, job, pin)._replace(failed=self._lost))

    def show_ways(self, contests: tuple[Contest, ...]) -> None:
        """Show what modders disagree on about the supply on view."""
        if not contests:
            self._say_words("There is no other method to compare: the module is not supplied yet.")
            return
        self.board.setCurrentWidget(self.schools)
        self.board.setVisible(True)
        self.schools.show_contests(contests)
        self.opened.emit(True)

    def _lost(self, error: BaseException) -> None:
        self.forget()
        self.refused.emit(str(error))

    def show_search(self, found: SuppliesFound, done: int, steps: int) -> None:
        """Show what was found after some of the steps."""
        self._found = found
        self._is_searching(done < steps)
        self.rows.show_rows([_row(o) for o in found.options])
        self._show(bool(found.options))
        self._say(f"{done} of {steps} sources tried …" if done < steps else "")

    def _say(self, progress: str = "") -> None:
        if self._found is None:
            self._say_words(progress)
            return
        option = self._option()
        if option is None:
            self._say_words(progress or self._found.trouble)
            return
        mark = "● any other here that is better in one column is worse in another. " if option.pareto else ""
        buy = f"Not among your parts: {', '.join(option.lacks)}. " if option.lacks else ""
        tail = progress or f"{self._found.solved:,} ways looked at."
        self._say_words(f"{mark}{buy}{option.catch} {tail}")

    def _option(self) -> Supplied | None:
        row = self.table.currentIndex().row()
        options = self._found.options if self._found is not None else ()
        return options[row] if 0 <= row < len(options) else None

    def _take(self) -> None:
        option = self._option()
        if option is not None:
            self.edited.emit(Change(f"supply from {option.source}: {option.words}", option.edit))


def _row(o: Supplied) -> tuple[Cell, ...]:
    words = f"{o.source}: {o.words}"
    buzz = "–" if o.buzz is None or o.buzz.value is None else f"{o.buzz.value:.0f} dB".replace("-", "−")
    return (
        Cell(f"{'● ' if o.pareto else ''}{words[:1].upper()}{words[1:]}", mark=o.severity.value, tip=words),
        Cell(o.volts.short()),
        Cell(format_quantity(o.heat_w, "W", 2), tip="in all that converts, while it plays"),
        Cell(format_quantity(o.ripple_v, "V", 2) if o.ripple_v else "–", use="dim", tip="on the reservoir"),
        Cell(buzz, use="dim", tip="what the module's bursts leave at the input, against the programme"),
        Cell(str(o.parts), use="dim"),
        Cell(f"{o.cost:.1f}", use="dim", tip="roughly, in any money: a resistor is 0.1"),
    )
