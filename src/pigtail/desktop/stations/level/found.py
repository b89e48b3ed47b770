"""What the search found for a feed: the networks that fit, ranked, each with its catch, ready to be used."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from pigtail.desktop.stations.level.schools import Schools
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.edits.change import FeedChange
from pigtail.edits.plan import put_networks
from pigtail.job.document import Job
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.advice.found import Contest, Option, SearchFound
    from pigtail.model.estimate import Estimate

#: How parts are chosen: words, series, only what is in stock.
CHOICES = (
    ("usual values", "", False),
    ("E12 resistors", "E12", False),
    ("E24 resistors", "E24", False),
    ("E96 resistors", "E96", False),
    ("parts I have", "", True),
)
COLUMNS = ("network", "over what is wanted", "headroom", "noise", "parts", "cost", "host joints")

#: Columns that a table narrower than this does without.
LAST_COLUMNS, NARROW_PX = (5, 6), 640


class Found(QWidget):
    """Asks for a search, for two ways of doing it, for a match to another source, and shows what came of it.

    `changed` carries a FeedChange, `edited` a Change; `search_wanted` the job, the
    feed, the series and whether only the stock is used; `picked` the ladder of the network that is chosen; `opened`
    whether alternatives are on view.
    """

    changed = pyqtSignal(object)
    edited = pyqtSignal(object)
    picked = pyqtSignal(object)
    opened = pyqtSignal(bool)
    search_wanted = pyqtSignal(object, str, str, bool)
    stop_wanted = pyqtSignal()
    schools_wanted = pyqtSignal(object, str)
    match_wanted = pyqtSignal(object, str)
    stock_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.rows = RowsModel(COLUMNS)
        self.table = make_table(self.rows, "found_table", "Networks that fit, the best first", 0)
        set_widths(self.table, (None, 168, 74, 60, 44, 42, 78))
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda _now, _before: self._say())
        self.words = QLabel()
        self.words.setObjectName("dim")
        self.words.setWordWrap(True)
        self.parts = QComboBox()
        self.parts.setObjectName("part_values")
        self.parts.setAccessibleName("Which part values a search takes")
        for words, _, _ in CHOICES:
            self.parts.addItem(words)
        self.seek = _button("Find networks", "find_networks", "Search the networks that fit this feed")
        self.take = _button("Use this", "use_network", "Put the chosen network into the feed")
        self.take.setObjectName("main")
        self.ways = _button(
            "Methods…", "level_schools", "What modders disagree on, each method solved for this feed"
        )
        self.match = _button("As loud as…", "match_source", "Make this source as loud as another")
        self.stock = _button("My parts…", "my_parts", "List the parts that you have")
        self.schools = Schools()
        self.board = QStackedWidget()
        self.board.addWidget(self.table)
        self.board.addWidget(self.schools)
        self.board.setFixedHeight(128)
        self._job: Job | None = None
        self._link = ""
        self._search: SearchFound | None = None
        self.searching = False
        self._wire()
        row = QHBoxLayout()
        row.setSpacing(6)
        for widget in (self.seek, self.parts, self.stock, self.ways, self.match):
            row.addWidget(widget)
        row.addStretch(1)
        told = QHBoxLayout()
        told.addWidget(self.words, 1)
        told.addWidget(self.take)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(row)
        layout.addLayout(told)
        layout.addWidget(self.board)
        self.forget()

    def _wire(self) -> None:
        self.seek.clicked.connect(self._seek)
        self.take.clicked.connect(self._take)
        self.ways.clicked.connect(self._ask_schools)
        self.match.clicked.connect(lambda: self.match_wanted.emit(self._job, self._link))
        self.stock.clicked.connect(self.stock_wanted)
        self.schools.edited.connect(self.edited)
        self.schools.closed.connect(self.forget)
        self.schools.reasoned.connect(self._say_words)

    def show_feed(self, job: Job | None, link_id: str) -> None:
        """Another job or feed is on view: what was found for the last one goes."""
        if job is not self._job or link_id != self._link:
            self._job, self._link = job, link_id
            self.forget()
        for button in (self.seek, self.ways, self.match):
            button.setEnabled(bool(link_id))

    def forget(self) -> None:
        """Show no search, and stop the one that runs."""
        self._search = None
        if self.searching:
            self.stop_wanted.emit()
        self._is_searching(False)
        self._say_words("")
        self._show(False)

    def _is_searching(self, now: bool) -> None:
        self.searching = now
        self.seek.setText("Stop" if now else "Find networks")

    def _say_words(self, words: str) -> None:
        self.words.setText(words)
        self.words.setVisible(bool(words))

    @property
    def is_open(self) -> bool:
        """Whether alternatives are on view."""
        return not self.board.isHidden()

    def _open(self, shown: bool) -> None:
        self.board.setVisible(shown)
        self.opened.emit(shown)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """A narrow table keeps what is weighed first."""
        super().resizeEvent(event)
        for column in LAST_COLUMNS:
            self.table.setColumnHidden(column, self.width() < NARROW_PX)

    def _show(self, shown: bool) -> None:
        self._open(shown)
        self.board.setCurrentWidget(self.table)
        self.take.setVisible(shown)
        if shown and not self.table.currentIndex().isValid():
            self.table.selectRow(0)
        if not shown:
            self.picked.emit(())

    def _seek(self) -> None:
        if self.searching:
            self.stop_wanted.emit()
            self._is_searching(False)
            self._say()
            return
        if self._job is not None and self._link:
            self.forget()
            self._is_searching(True)
            self._say_words("searching …")
            _, series, stock = CHOICES[self.parts.currentIndex()]
            self.search_wanted.emit(self._job, self._link, series, stock)

    def show_search(self, job: Job, found: SearchFound, done: int, steps: int) -> None:
        """Show what was found for a job after some of its steps; what another edit or feed has overtaken is left aside."""
        if job is not self._job or found.link != self._link or not self.searching:
            return
        self._search = found
        self._is_searching(done < steps)
        self.rows.show_rows([_row(o) for o in found.options])
        self._show(bool(found.options))
        self._say(f"{done} of {steps} kinds of network tried …" if done < steps else "")

    def show_trouble(self) -> None:
        """The search could not go on; the reason is told elsewhere."""
        self._is_searching(False)
        self._say_words("")

    def _say(self, progress: str = "") -> None:
        """What there is to know of the chosen network; or why there is none."""
        if self._search is None:
            self._say_words(progress)
            return
        option = self._option()
        if option is None:
            self._say_words(progress or self._search.trouble)
            return
        self.picked.emit(option.ladder)
        open_points = f"Not known: {', '.join(option.unknown)}. " if option.unknown else ""
        buy = f"Not among your parts: {', '.join(option.lacks)}. " if option.lacks else ""
        mark = (
            "● any network here that is better in one column is worse in another. " if option.pareto else ""
        )
        tail = progress or f"{self._search.solved:,} candidates solved."
        self._say_words(f"{mark}{open_points}{buy}{option.catch} {tail}")

    def _option(self) -> Option | None:
        row = self.table.currentIndex().row()
        options = self._search.options if self._search is not None else ()
        return options[row] if 0 <= row < len(options) else None

    def _take(self) -> None:
        option = self._option()
        if option is not None:
            change = partial(put_networks, sections=option.link.sections)
            self.changed.emit(FeedChange(f"use {option.words}", change))

    # -- two ways of doing it -------------------------------------------------------------------------------

    def _ask_schools(self) -> None:
        if self._job is not None and self._link:
            self.forget()
            self._say_words("solving both methods …")
            self.schools_wanted.emit(self._job, self._link)

    def show_schools(self, job: Job, link_id: str, contests: tuple[Contest, ...]) -> None:
        """Show what modders disagree on about a feed, solved; what an edit has overtaken is left aside."""
        if job is not self._job or link_id != self._link:
            return
        if not contests:
            self._say_words("Modders do not disagree about this feed: no sum, no pad, no second return.")
            return
        self.schools.show_contests(contests)
        self.board.setCurrentWidget(self.schools)
        self._open(True)


def _button(words: str, name: str, accessible: str) -> QPushButton:
    button = QPushButton(words)
    button.setObjectName(name)
    button.setAccessibleName(accessible)
    return button


def _spread(e: Estimate) -> str:
    """A value in decibels with its spread, in few letters."""
    if e.value is None:
        return "not known"
    value = f"{e.value:+.1f}" if abs(e.value) >= 0.05 else "0.0"
    return f"{value} ({e.low:+.1f} … {e.high:+.1f}) dB".replace("-", "−")


def _row(o: Option) -> tuple[Cell, ...]:
    return (
        Cell(f"{'● ' if o.pareto else ''}{o.words}", mark=o.severity.value, tip=o.words),
        Cell(_spread(o.target)),
        Cell(o.headroom.short()),
        Cell(format_quantity(o.noise_v, "V", 2), use="dim"),
        Cell(str(o.parts), use="dim"),
        Cell(f"{o.cost:.1f}", use="dim", tip="roughly, in any money: a resistor is 0.1"),
        Cell(str(o.host_joints), use="dim", tip="what is to be undone in the host"),
    )
