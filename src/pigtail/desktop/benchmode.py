"""Bench mode: the full window, large type, one reading at a time, one key to log it; both hands stay on the probes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, QSettings, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from pigtail.desktop import theme
from pigtail.desktop.doubting import Doubt
from pigtail.desktop.probing import HINTS, LOGGED, expected_text, judge_text, log_edit, words_of
from pigtail.desktop.tips import Dialog
from pigtail.edits.change import Change
from pigtail.job.ask import IN_SERIES, OPENED, meanwhile, what_words
from pigtail.job.document import Function, Job
from pigtail.job.errors import JobError
from pigtail.job.reading_import import text_of
from pigtail.language import tr
from pigtail.units import UnreadableError

if TYPE_CHECKING:
    from pigtail.job.ask import Ask

#: How many of the readings to come are shown.
COMING = 3
KEYS = tr(
    "Space or Enter: read, then log    N: another one    Ctrl+Z: take the last back    F11: "
    "full screen    Esc: back"
)
FOOT_SWITCH = "foot_switch"


class BenchMode(Dialog):
    """One reading at a time. `logged` carries a Change; `asked` a request for the meter.

    Space or Enter reads the meter when the field is empty, and logs what is in it; so does a foot switch that types one.
    """

    logged = pyqtSignal(object)
    asked = pyqtSignal(object)
    undone = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("bench_mode_window")
        self.setWindowTitle(tr("Bench mode"))
        self._job: Job | None = None
        self._measures: tuple[Ask, ...] = ()
        self._still = ""
        self._skipped: list[tuple[object, ...]] = []
        self._there = False
        self.point, self.against, self.state, self.reason = QLabel(), QLabel(), QLabel(), QLabel()
        self.expected, self.verdict, self.last, self.meter = QLabel(), QLabel(), QLabel(), QLabel()
        self.round, self.coming, self.what = QLabel(), QLabel(), QLabel()
        self._settings = QSettings("pigtail", "pigtail")
        self._learning = False
        self.value = QLineEdit()
        self.value.setObjectName("bench_value")
        self.value.setAccessibleName(tr("Reading"))
        self.value.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.doubt = Doubt(self.value)
        self.doubt.taken.connect(self.go_on)
        self.auto = QCheckBox(tr("log by itself when the reading stands still"))
        self.auto.setObjectName("auto_log")
        self.log_button = QPushButton(tr("Log it"))
        self.log_button.setObjectName("main")
        self.skip = QPushButton(tr("Another one"))
        self.skip.setObjectName("skip")
        self.back = QPushButton(tr("Back"))
        self.foot = QPushButton(tr("Foot switch…"))
        self.foot.setObjectName("foot_switch")
        for control, tip in (
            (self.auto, tr("The meter's reading is logged once it stands still")),
            (self.log_button, tr("Log what is in the field (Space or Enter)")),
            (self.skip, tr("Ask for another reading first (N)")),
            (self.back, tr("Back to the window (Esc)")),
            (self.foot, tr("Then press the foot switch: whatever key it types reads and logs from then on")),
            (self.value, tr("What the meter shows; empty, Space reads the meter")),
        ):
            control.setToolTip(tip)
        self.what.setObjectName("bench_what")
        for label in (
            self.what,
            self.point,
            self.against,
            self.state,
            self.reason,
            self.expected,
            self.verdict,
        ):
            label.setWordWrap(True)
            label.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.coming.setObjectName("bench_coming")
        self.coming.setWordWrap(True)
        self.round.setObjectName("bench_round")
        self.point.setObjectName("bench_point")
        self.verdict.setObjectName("bench_verdict")
        self._lay_out()
        self.value.textChanged.connect(lambda _t: self._judge())
        self.log_button.clicked.connect(self.go_on)
        self.skip.clicked.connect(self.skip_one)
        self.back.clicked.connect(self.reject)
        self.foot.clicked.connect(self._learn)
        self.auto.toggled.connect(lambda on: self._auto() if on else None)
        for button in (self.log_button, self.skip, self.back, self.foot):
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.setAutoDefault(False)
        self.auto.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(36, 24, 36, 20)
        layout.setSpacing(10)
        layout.addWidget(self.state)
        layout.addStretch(1)
        layout.addWidget(self.what)
        layout.addWidget(self.point)
        layout.addWidget(self.against)
        layout.addWidget(self.reason)
        layout.addStretch(1)
        layout.addWidget(self.value)
        layout.addWidget(self.expected)
        layout.addWidget(self.verdict)
        layout.addStretch(1)
        ahead = QHBoxLayout()
        ahead.addWidget(self.coming, 1)
        ahead.addWidget(self.round, 0, Qt.AlignmentFlag.AlignBottom)
        layout.addLayout(ahead)
        row = QHBoxLayout()
        row.addWidget(self.last, 1)
        row.addWidget(self.auto)
        row.addWidget(self.foot)
        row.addWidget(self.skip)
        row.addWidget(self.log_button)
        row.addWidget(self.back)
        layout.addLayout(row)
        foot = QHBoxLayout()
        keys = QLabel(KEYS)
        keys.setObjectName("dim")
        self.meter.setObjectName("dim")
        foot.addWidget(keys, 1)
        foot.addWidget(self.meter)
        layout.addLayout(foot)
        self._fonts(800)

    def _fonts(self, height: int) -> None:
        big = max(28, height // 16)
        self.point.setFont(theme.font(big, bold=True))
        self.against.setFont(theme.font(big * 2 // 3))
        self.what.setFont(theme.font(big * 2 // 3, bold=True))
        self.state.setFont(theme.font(big * 2 // 3, bold=True))
        self.reason.setFont(theme.font(big // 2))
        self.value.setFont(theme.font(big * 3 // 2, bold=True))
        self.value.setFixedHeight(big * 5 // 2)
        self.expected.setFont(theme.font(big // 2))
        self.round.setFont(theme.font(max(13, big * 2 // 5), bold=True))
        self.coming.setFont(theme.font(max(13, big * 2 // 5)))
        self.verdict.setFont(theme.font(big // 2, bold=True))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fonts(self.height())

    # -- what is asked --------------------------------------------------------------------------------------

    def show_next(self, job: Job, measures: Sequence[Ask], still: str = "") -> None:
        """Show what is to be read next; what was skipped comes last. Where no reading is asked for, what is still open all the same."""
        self._job, self._measures, self._still = job, tuple(measures), still
        self._show()

    def show_meter(self, words: str, there: bool) -> None:
        """Show what the meter is doing."""
        self.meter.setText(words)
        self._there = there

    def current(self) -> Ask | None:
        """The reading that is asked for now."""
        fresh = [m for m in self._measures if m.key not in self._skipped]
        return next(iter(fresh or self._measures), None)

    def _show(self) -> None:
        m = self.current()
        if self._job is None or m is None:
            self.state.setText("")
            self.round.setText("")
            self.coming.setText("")
            self.what.setText("")
            self.point.setText(tr("No reading is asked for"))
            self.against.setText("")
            self.reason.setText(
                self._still or tr("Every check of the plan's points is done, or nothing is planned yet.")
            )
            self.expected.setText("")
            self.value.setEnabled(False)
            return
        self.value.setEnabled(True)
        state = self._job.state(m.state)
        off = m.unpowered
        caution = f"  ·  {m.caution}" if m.caution else ""
        name = state.name if state else "?"
        self.state.setText(
            f"{tr('POWER OFF, unplugged and discharged') if off else tr('host: {name}', name=name)}{caution}"
        )
        theme.wear(self.state, "stop" if off else "accent")
        looks = m.function is Function.LOOK
        self.point.setText(f"{tr('look at') if looks else tr('red on')} {self._job.label(m.point)}")
        across = "" if looks else tr("black on {against}", against=self._job.label(m.against))
        self.against.setText(f"{IN_SERIES}, {OPENED}" if m.in_series else across)
        self._show_round(m)
        self.what.setText("" if looks else f"{tr(m.function.value)}{meanwhile(m)}")
        self.reason.setText(m.reason)
        setup = self.current()
        example = "" if looks else tr("type it as {hints}", hints=HINTS[m.function])
        told = expected_text(self._job, setup) if setup else ""
        self.expected.setText("\n".join(x for x in (told, example) if x))
        self.value.setPlaceholderText("" if looks else HINTS[m.function])
        self._judge()
        self.value.setFocus()
        if self.auto.isChecked():
            self._auto()

    def _show_round(self, now: Ask) -> None:
        """How much of the round is left, and what comes after this reading."""
        assert self._job is not None
        left = [now, *(m for m in self._measures if m.key != now.key)]
        self.round.setText(tr("left: {words_of}", words_of=words_of(self._job, left)))
        lines = []
        for before, then in pairwise(left[: COMING + 1]):
            switch = then.state != before.state and not (then.unpowered and before.unpowered)
            name = self._job.state(then.state)
            place = tr("switch to “{name}”, ", name=name.name) if switch and name is not None else ""
            lines.append(tr("then {place}{what_words}", place=place, what_words=what_words(self._job, then)))
        self.coming.setText("\n".join(lines))

    def _judge(self) -> None:
        setup, text = self.current(), self.value.text().strip()
        found = judge_text(self._job, setup, text) if setup and self._job and text else None
        self.verdict.setText(found.sentence if found else "")
        theme.wear(self.verdict, found.severity if found else "")

    # -- keys -----------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        self._key_of(event.key(), lambda: super(BenchMode, self).keyPressEvent(event))

    def _key_of(self, key: int, otherwise: Callable[[], None]) -> None:
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.go_on()
        elif key == Qt.Key.Key_F11:
            self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)
        elif key == Qt.Key.Key_Escape:
            self.reject()
        else:
            otherwise()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Space, and N in an empty field, are keys of this window, not text."""
        if watched is self.value and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if self._learning:
                self._learned(event)
                return True
            if event.key() == self._foot_key:
                self.go_on()
                return True
            if event.matches(QKeySequence.StandardKey.Undo) and not self.value.text():
                self.undone.emit()
                return True
            if event.key() == Qt.Key.Key_Space and (
                not self.value.text() or self.value.text()[-1:].isalpha()
            ):
                self.go_on()
                return True
            if event.key() == Qt.Key.Key_N and not self.value.text():
                self.skip_one()
                return True
        return super().eventFilter(watched, event)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.value.installEventFilter(self)
        self.value.setFocus()

    def go_on(self) -> None:
        """Read when there is nothing yet, log when there is."""
        setup = self.current()
        if setup is None or self._job is None:
            return
        if not self.value.text().strip():
            self.asked.emit(setup)
            return
        if question := self.doubt.question(self._job, setup):
            self.verdict.setText(question)
            theme.wear(self.verdict, "fix")
            return
        try:
            words, edit = log_edit(self._job, setup, self.value.text())
        except (UnreadableError, JobError) as error:
            self.verdict.setText(str(error))
            theme.wear(self.verdict, "fix")
            self.value.selectAll()
            return
        self.last.setText(tr("last: {reading}", reading=words.removeprefix(LOGGED)))
        self.value.clear()
        self.logged.emit(Change(words, edit))

    @property
    def _foot_key(self) -> int:
        """The key that the foot switch types, besides Space and Enter; 0 for none."""
        told = str(self._settings.value(FOOT_SWITCH, "0"))
        return int(told) if told.isdigit() else 0

    def _learn(self) -> None:
        self._learning = True
        self.tell(tr("Press the foot switch now, or Esc to leave it as it is."))
        self.value.setFocus()

    def _learned(self, event: QKeyEvent) -> None:
        """Remember the key that the foot switch typed; a key that values are typed with is refused."""
        self._learning = False
        typing = (Qt.Key.Key_Backspace, Qt.Key.Key_Minus, Qt.Key.Key_Period, Qt.Key.Key_Comma)
        if event.key() == Qt.Key.Key_Escape:
            self.tell(tr("The foot switch stays as it was."))
        elif event.text().isalnum() or event.key() in typing:
            self.tell(
                tr("Values are typed with that key; set the foot switch to another, such as a function key.")
            )
        else:
            self._settings.setValue(FOOT_SWITCH, event.key())
            self.tell(tr("The foot switch reads and logs now."))

    def skip_one(self) -> None:
        """Ask for another reading; this one comes again at the end."""
        m = self.current()
        if m is not None:
            if m.key in self._skipped:
                self._skipped.remove(m.key)
            self._skipped.append(m.key)
            if all(x.key in self._skipped for x in self._measures):
                self._skipped = [m.key] if len(self._measures) > 1 else []
            self.value.clear()
            self._show()

    def _auto(self) -> None:
        setup = self.current()
        if setup is not None and self._there and not self.value.text():
            self.asked.emit(setup)

    def put_reading(self, value: float) -> None:
        """Show what the meter read; log it at once where that is wanted."""
        setup = self.current()
        if setup is None:
            return
        self.value.setText(text_of(setup.function, value))
        if self.auto.isChecked():
            self.go_on()

    def tell(self, sentence: str) -> None:
        """Show one sentence where the verdict stands."""
        self.verdict.setText(sentence)
        theme.wear(self.verdict, "fix")
