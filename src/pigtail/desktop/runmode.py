"""Bench mode of the runbook: the full window, one step at a time, large enough to be read from where one stands; one key goes on."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QImage, QKeyEvent, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from pigtail.desktop import theme
from pigtail.desktop.steppanel import StepPanel
from pigtail.desktop.tips import Dialog
from pigtail.desktop.wants import Shown
from pigtail.language import tr

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from pigtail.job.document import Job, Picture
    from pigtail.job.steps import RunStand
    from pigtail.studies.prove.found import ProveFound

#: How many steps to come are shown, and how often the clock is told [ms].
COMING, TICK_MS = 3, 1000
#: How far a photo is zoomed in on its pin.
CLOSE = 3.0
KEYS = tr("Space or Enter: go on   N: no   R: a reason   F: file   O: take what is offered   Esc: leave")


class RunMode(Dialog):
    """The runbook, one step at a time. `edited` carries a Change, `refused` one sentence, `wants` a want.

    One key goes on, so does a foot switch that types it: a reading is read when its field is empty and logged when it is not, a
    question is answered with yes, anything else is done. Hands free, a reading is asked of the meter by itself.
    """

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)
    wants = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None, *, back: bool = False) -> None:
        super().__init__(parent)
        self.setObjectName("run_mode")
        self.setWindowTitle(tr("The way back") if back else tr("The runbook"))
        self._back = back
        self.folder: Callable[[], Path | None] = lambda: None
        self._asked = ""
        self._there = False
        self.phase, self.clock, self.coming, self.told, self.meter = (QLabel() for _ in range(5))
        self.phase.setObjectName("run_phase")
        self.clock.setObjectName("run_clock")
        self.coming.setObjectName("run_coming")
        self.coming.setWordWrap(True)
        self.told.setWordWrap(True)
        for label in (self.phase, self.clock):
            label.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(6)
        self.panel = StepPanel(timed=True)
        self.panel.edited.connect(self.edited)
        self.panel.refused.connect(self.tell)
        self.panel.wants.connect(self.wants)
        self.panel.was_read = self._was_read
        self._photo: QWidget | None = None
        self._side = QVBoxLayout()
        self.auto = QCheckBox(tr("hands free: log what stands still"))
        self.auto.setObjectName("run_auto")
        self.auto.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.auto.toggled.connect(lambda on: self._read_by_itself() if on else None)
        self.leave = QPushButton(tr("Leave"))
        self.leave.setObjectName("run_leave")
        self.leave.setAutoDefault(False)
        self.leave.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.leave.clicked.connect(self.reject)
        self._taken_min, self._tick = 0.0, QTimer(self)
        self._tick.setInterval(TICK_MS)
        self._tick.timeout.connect(self._show_clock)
        self._lay_out()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(self.phase, 1)
        head.addWidget(self.clock)
        middle = QHBoxLayout()
        middle.setSpacing(20)
        middle.addWidget(self.panel, 3, Qt.AlignmentFlag.AlignTop)
        middle.addLayout(self._side)
        self._middle = middle
        foot, keys = QHBoxLayout(), QLabel(KEYS)
        keys.setObjectName("dim")
        self.meter.setObjectName("dim")
        foot.addWidget(keys, 1)
        foot.addWidget(self.meter)
        foot.addWidget(self.auto)
        foot.addWidget(self.leave)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(30, 20, 30, 16)
        layout.setSpacing(10)
        layout.addLayout(head)
        layout.addWidget(self.progress)
        layout.addLayout(middle, 1)
        layout.addWidget(self.told)
        layout.addWidget(self.coming)
        layout.addLayout(foot)
        for button in (
            self.panel.done,
            self.panel.no,
            self.panel.read,
            self.panel.offer,
            self.panel.attach,
            self.panel.waive,
        ):
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        for field in self._fields:
            field.installEventFilter(self)
        self._fonts(800)

    @property
    def _fields(self) -> tuple[QLineEdit, ...]:
        return (self.panel.value, self.panel.where, self.panel.note, self.panel.reason)

    def _fonts(self, height: int) -> None:
        big = max(28, height // 20)
        self.panel.fonts(big)
        self.phase.setFont(theme.font(big * 2 // 3, bold=True))
        self.clock.setFont(theme.font(big * 2 // 3, bold=True))
        self.coming.setFont(theme.font(max(14, big // 2)))
        self.told.setFont(theme.font(max(16, big * 2 // 3), bold=True))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fonts(self.height())

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._tick.start()
        self._focus()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self._tick.stop()
        super().closeEvent(event)

    def reject(self) -> None:
        """Leave: what was done is on the record, and it goes on here the next time."""
        self._tick.stop()
        super().reject()

    # -- the step -------------------------------------------------------------------------------------------

    def show_found(self, job: Job, found: ProveFound) -> None:
        """Show the step that is next."""
        stands = found.back if self._back else found.stands
        stand = found.next_back if self._back else found.next
        before = self.panel.stand.step.id if self.panel.stand is not None else ""
        self._taken_min = found.minutes_taken
        self.panel.show_stand(job, stand)
        self.told.setText("")
        done = sum(1 for s in stands if not s.open)
        self.progress.setMaximum(max(len(stands), 1))
        self.progress.setValue(done)
        self.phase.setText(self._phase(stand, done, len(stands)))
        self._show_clock()
        left = [s for s in stands if s.open][1 : COMING + 1]
        self.coming.setText("\n".join(tr("then: {says}", says=s.step.says) for s in left))
        if stand is None or stand.step.id != before:
            self._show_photo(job, stand)
            self._asked = ""
            if self.isVisible():
                self._focus()
        if self.auto.isChecked():
            self._read_by_itself()

    def _phase(self, stand: RunStand | None, done: int, every: int) -> str:
        from pigtail.studies.prove.kinds import PHASES

        if stand is None:
            return (
                tr("All {every} steps are done", every=every)
                if not self._back
                else tr("All of it is taken back")
            )
        name = tr("The way back") if self._back else PHASES.get(stand.step.phase, "")
        hold = tr("HOLD POINT  ·  ") if stand.step.hold is not None else ""
        return tr("{hold}{name}  ·  {value} of {every}", hold=hold, name=name, value=done + 1, every=every)

    def _show_clock(self) -> None:
        here = self.panel.seconds
        total = 60 * self._taken_min + here
        planned = self.panel.stand.step.minutes if self.panel.stand is not None else 0.0
        self.clock.setText(
            tr(
                "{clock} of {planned:g} min  ·  {clock2} in all",
                clock=_clock(here),
                planned=planned,
                clock2=_clock(total),
            )
        )

    def _show_photo(self, job: Job, stand: RunStand | None) -> None:
        """The photo that the step's point is pinned on, near its pin."""
        if self._photo is not None:
            self._photo.hide()
        self._middle.setStretch(1, 0)
        found = _pinned(job, stand.step.point) if stand is not None and stand.step.point else None
        if found is None:
            return
        from pigtail.desktop.stations.survey.photoboard import PhotoBoard

        picture, x, y = found
        if not isinstance(self._photo, PhotoBoard):
            self._photo = PhotoBoard()
            self._photo.setObjectName("run_photo")
            self._side.addWidget(self._photo)
        board = self._photo
        board.waiting = True
        board.show_picture(job, picture, QImage())
        board.show()
        self._middle.setStretch(1, 2)
        board.look_at(x, y, CLOSE)

        def have(image: QImage) -> None:
            if board.picture is picture:
                board.waiting = False
                board.show_picture(job, picture, image)
                board.look_at(x, y, CLOSE)

        self.wants.emit(Shown(picture.file, picture.sha256, picture.page, have))

    def _focus(self) -> None:
        panel = self.panel
        target = next((f for f in (panel.value, panel.where) if not f.isHidden()), None)
        (target or self).setFocus()

    def tell(self, sentence: str) -> None:
        """Say one sentence."""
        self.told.setText(sentence)
        theme.wear(self.told, "fix")

    def show_meter(self, words: str, there: bool) -> None:
        """Show what the meter is doing."""
        self.meter.setText(words)
        self._there = there

    # -- hands free -----------------------------------------------------------------------------------------

    def _read_by_itself(self) -> None:
        stand = self.panel.stand
        if (
            stand is None
            or not self.panel.reading
            or stand.blocked
            or not self._there
            or self._asked == stand.step.id
        ):
            return
        self._asked = stand.step.id
        self.panel.ask_meter()

    def _was_read(self, _value: float) -> None:
        if self.auto.isChecked():
            told = self.panel.told.property("worn")
            if told == "good":
                self.panel.go_on()

    # -- keys -----------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        does = self._keys().get(event.key())
        if does is not None and not event.isAutoRepeat():
            does()
        elif event.key() == Qt.Key.Key_Escape:
            self.reject()

    def _keys(self) -> dict[int, Callable[[], object]]:
        panel = self.panel
        return {
            Qt.Key.Key_Return: panel.go_on, Qt.Key.Key_Enter: panel.go_on, Qt.Key.Key_Space: panel.go_on, Qt.Key.Key_N: panel.say_no,
            Qt.Key.Key_R: self._reason, Qt.Key.Key_F: panel.ask_files,
            Qt.Key.Key_O: panel.take_offer,
        }  # fmt: skip

    def _entered(self, field: QObject | None) -> None:
        if field is self.panel.reason:
            self.panel.pass_with_reason()
        else:
            self.panel.go_on()

    def _reason(self) -> None:
        if not self.panel.reason.isHidden():
            self.panel.reason.setFocus()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """In the field of a reading Space goes on, and in an empty field N, R and F are keys of this window, not text."""
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and isinstance(watched, QLineEdit)
        ):
            if event.key() == Qt.Key.Key_Escape and watched is not self.panel.value:
                self.setFocus()
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._entered(watched)
                return True  # a line passes Enter on, and one press would go on twice
            reading = watched is self.panel.value
            if (
                reading
                and event.key() == Qt.Key.Key_Space
                and (not watched.text() or watched.text()[-1:].isalpha())
            ):
                self.panel.go_on()
                return True
            if (
                reading
                and not watched.text()
                and event.key() in (Qt.Key.Key_N, Qt.Key.Key_R, Qt.Key.Key_F, Qt.Key.Key_O)
            ):
                self._keys()[event.key()]()
                return True
        return super().eventFilter(watched, event)


def _pinned(job: Job, point: str) -> tuple[Picture, float, float] | None:
    """The picture that a point is pinned on, and where on it, as parts of its width and height."""
    for picture in job.pictures:
        for pin in picture.pins:
            if pin.point == point:
                return picture, pin.x, pin.y
    return None


def _clock(seconds: float) -> str:
    minutes, rest = divmod(int(seconds), 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours}:{minutes:02}:{rest:02}" if hours else f"{minutes}:{rest:02}"
