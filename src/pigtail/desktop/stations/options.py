"""What a search found, as Level, Power and Control show it: a table of options, the best first, what there is to know of the chosen one,
both sides of what modders disagree on, and the buttons that ask for them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any, Protocol

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from pigtail.advice.found import Contest
from pigtail.desktop.stations.schools import Schools
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.desktop.wants import Answer
from pigtail.language import tr

if TYPE_CHECKING:
    from pigtail.job.document import Job


class Weighed(Protocol):
    """What every option tells of itself."""

    @property
    def catch(self) -> str: ...
    @property
    def lacks(self) -> tuple[str, ...]: ...
    @property
    def unknown(self) -> tuple[str, ...]: ...
    @property
    def pareto(self) -> bool: ...


class Searched(Protocol):
    """What a search came to."""

    @property
    def options(self) -> Sequence[Weighed]: ...
    @property
    def solved(self) -> int: ...
    @property
    def trouble(self) -> str: ...


def told_of(option: Weighed, tail: str) -> str:
    """What there is to know of an option: what is not known of it first."""
    mark = tr("● any other here that is better in one column is worse in another. ") if option.pareto else ""
    open_points = tr("Not known: {listed}. ", listed=", ".join(option.unknown)) if option.unknown else ""
    buy = tr("Not among your parts: {listed}. ", listed=", ".join(option.lacks)) if option.lacks else ""
    return f"{mark}{open_points}{buy}{option.catch} {tail}"


def button(words: str, name: str, accessible: str) -> QPushButton:
    """A button with its names."""
    made = QPushButton(words)
    made.setObjectName(name)
    made.setAccessibleName(accessible)
    return made


def by_steps(
    ask: Callable[[Answer], None],
    steps: Callable[[Callable[[tuple[Any, ...]], None]], Answer],
    step: Callable[[Callable[[tuple[bytes, Any]], None], Any, bytes], Answer],
    show: Callable[[Any, int, int], None],
    goes_on: Callable[[], bool],
) -> None:
    """Let a search go step by step through the studies' process, so that it can be stopped between any two and the first answers
    are seen early.

    steps: the want that tells the steps to its listener; step: the want of one step after the bytes of those before it; show: takes
    what was found, the steps done and how many there are; goes_on: whether it is still asked for.
    """

    def go(all_steps: tuple[Any, ...], done: int, before: bytes) -> None:
        if not goes_on() or done >= len(all_steps):
            return

        def told(found: tuple[bytes, Any]) -> None:
            after, search = found
            if goes_on():
                show(search, done + 1, len(all_steps))
                go(all_steps, done + 1, after)

        ask(step(told, all_steps[done], before))

    ask(steps(lambda all_steps: go(all_steps, 0, b"")))


class OptionsBoard(QWidget):
    """A table of options, the words and the button of the chosen one, and both sides of a dispute in the table's place.

    `edited` carries a Change, `wants` a want of the window, `refused` one sentence, `opened` whether options are on view. Those who
    build on it lay out the buttons and say what is asked, how an option is a row, and what taking one does.
    """

    edited = pyqtSignal(object)
    wants = pyqtSignal(object)
    refused = pyqtSignal(str)
    opened = pyqtSignal(bool)

    #: What a search looks at, of which so many are told when it ends; what a step is of.
    looked_at, step_of = tr("ways looked at"), "steps"
    #: Said where nobody disagrees.
    no_contest = ""

    #: Columns that a table narrower than so much does without [px].
    last_columns: tuple[int, ...] = ()
    narrow_px = 640

    def __init__(
        self,
        columns: tuple[str, ...],
        widths: tuple[int | None, ...],
        height_px: int,
        *,
        table: tuple[str, str],
        seek: QPushButton,
        ways: QPushButton,
        take: str,
    ) -> None:
        """table: its name and what it is for people; seek, ways: the buttons that ask, laid out by others; take: what taking one does."""
        super().__init__()
        self.seek, self.ways, self._seek_words = seek, ways, seek.text()
        self.take = button(tr("Use this"), "main", take)
        self.rows = RowsModel(columns)
        self.table = make_table(self.rows, *table, 0)
        set_widths(self.table, widths)
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda _now, _before: self._say())
        self.schools = Schools()
        self.board = QStackedWidget()
        self.board.addWidget(self.table)
        self.board.addWidget(self.schools)
        self.board.setFixedHeight(height_px)
        self.words = QLabel()
        self.words.setObjectName("dim")
        self.words.setWordWrap(True)
        self._found: Searched | None = None
        self._turn, self.searching = 0, False
        self.seek.clicked.connect(self._sought)
        self.ways.clicked.connect(self._ask_ways)
        self.take.clicked.connect(self._taken)
        self.schools.edited.connect(self.edited)
        self.schools.closed.connect(self.forget)
        self.schools.reasoned.connect(self._say_words)
        told = QHBoxLayout()
        told.addWidget(self.words, 1)
        told.addWidget(self.take)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(told)
        layout.addWidget(self.board)
        self.forget()

    # -- what those who build on it say ---------------------------------------------------------------------

    def _search(self, goes_on: Callable[[], bool], ask: Callable[[Answer], None]) -> bool:
        """Begin a search for what is on view; whether there is anything to search for."""
        raise NotImplementedError

    def _contests(self, show: Callable[[tuple[Contest, ...]], None]) -> Answer | None:
        """The want of what modders disagree on about what is on view."""
        raise NotImplementedError

    def _row(self, option: Any) -> tuple[Cell, ...]:
        raise NotImplementedError

    def _take(self, option: Any) -> None:
        raise NotImplementedError

    def _picked(self, option: Any) -> None:
        """An option is chosen in the table; None: there is none on view."""

    # -- showing --------------------------------------------------------------------------------------------

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """A narrow table keeps what is weighed first."""
        super().resizeEvent(event)
        for column in self.last_columns:
            self.table.setColumnHidden(column, self.width() < self.narrow_px)

    def name_seek(self, words: str) -> None:
        """Call the button that begins a search otherwise."""
        self._seek_words = words
        if not self.searching:
            self.seek.setText(words)

    def forget(self) -> None:
        """Show no search, and stop the one that runs."""
        self._found = None
        self._is_searching(False)
        self._say_words("")
        self._show(False)

    @property
    def is_open(self) -> bool:
        """Whether options are on view."""
        return not self.board.isHidden()

    def show_search(self, found: Searched, done: int, steps: int) -> None:
        """Show what was found after some of the steps; a search that was stopped is left aside."""
        if not self.searching:
            return
        self._found = found
        if done >= steps:
            self._is_searching(False)
        self.rows.show_rows([self._row(o) for o in found.options])
        self._show(bool(found.options))
        self._say(
            tr("{done} of {steps} {step_of} tried …", done=done, steps=steps, step_of=self.step_of)
            if done < steps
            else ""
        )

    def show_ways(self, contests: tuple[Contest, ...]) -> None:
        """Show what modders disagree on about what is on view."""
        if not contests:
            self._say_words(self.no_contest)
            return
        self.schools.show_contests(contests)
        self.board.setCurrentWidget(self.schools)
        self._open(True)

    def _is_searching(self, now: bool) -> None:
        """A search begins or ends: what another one still answers is left aside."""
        self._turn += 1
        self.searching = now
        self.seek.setText(tr("Stop") if now else self._seek_words)

    def _open(self, shown: bool) -> None:
        self.board.setVisible(shown)
        self.opened.emit(shown)

    def _show(self, shown: bool) -> None:
        self._open(shown)
        self.board.setCurrentWidget(self.table)
        self.take.setVisible(shown)
        if shown and not self.table.currentIndex().isValid():
            self.table.selectRow(0)
        if not shown:
            self._picked(None)

    def _say_words(self, words: str) -> None:
        self.words.setText(words)
        self.words.setVisible(bool(words))

    def _say(self, progress: str = "") -> None:
        """What there is to know of the chosen option; or why there is none."""
        option = self._option()
        if self._found is None or option is None:
            self._say_words(progress or (self._found.trouble if self._found is not None else ""))
            return
        self._picked(option)
        self._say_words(told_of(option, progress or f"{self._found.solved:,} {self.looked_at}."))

    def _option(self) -> Weighed | None:
        row = self.table.currentIndex().row()
        options = self._found.options if self._found is not None else ()
        return options[row] if 0 <= row < len(options) else None

    # -- asking ---------------------------------------------------------------------------------------------

    def _sought(self) -> None:
        if self.searching:
            self._is_searching(False)
            self._say()
            return
        self.forget()
        self._is_searching(True)
        if self._search(self._asked_for(), self._ask):
            self._say_words(tr("searching …"))
        else:
            self._is_searching(False)

    def _asked_for(self) -> Callable[[], bool]:
        turn = self._turn
        return lambda: turn == self._turn

    def _ask_ways(self) -> None:
        self.forget()
        goes_on = self._asked_for()
        want = self._contests(lambda contests: self.show_ways(contests) if goes_on() else None)
        if want is not None:
            self._say_words(tr("solving both methods …"))
            self._ask(want)

    def _ask(self, want: Answer) -> None:
        goes_on = self._asked_for()
        self.wants.emit(want._replace(failed=lambda error: self._lost(error) if goes_on() else None))

    def _lost(self, error: BaseException) -> None:
        """A want could not be served."""
        self.forget()
        self.refused.emit(str(error))

    def _taken(self) -> None:
        option = self._option()
        if option is not None:
            self._take(option)


class SubjectBoard(OptionsBoard):
    """What a search found for one thing of a job, a step at a time, and what modders disagree on about it.

    `asks` are the services that tell the steps, take one, and tell the disputes, each given the job and the thing's address.
    """

    asks: tuple[Callable[..., Any], Callable[..., Any], Callable[..., Any]]

    def __init__(self, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self._job: Job | None = None
        self._of = ""

    def show_subject(self, job: Job | None, of: str) -> None:
        """Another job or thing is on view: what was found for the last one goes."""
        if job is not self._job or of != self._of:
            self._job, self._of = job, of
            self.forget()
        self.seek.setEnabled(bool(of))
        self.ways.setEnabled(bool(of))

    def _choices(self) -> tuple[Any, ...]:
        """What a step is given besides."""
        return ()

    def _search(self, goes_on: Callable[[], bool], ask: Callable[[Answer], None]) -> bool:
        job, of, choices = self._job, self._of, self._choices()
        if job is None or not of:
            return False
        steps, step, _ = self.asks
        by_steps(
            ask,
            lambda told: Answer(steps, (job, of), told),
            lambda told, each, before: Answer(step, (job, of, each, *choices, before), told),
            self.show_search,
            goes_on,
        )
        return True

    def _contests(self, show: Callable[[tuple[Contest, ...]], None]) -> Answer | None:
        job, of = self._job, self._of
        return Answer(self.asks[2], (job, of), show) if job is not None and of else None
