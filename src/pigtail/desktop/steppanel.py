"""One step: what is done, what may hurt, what it must read or show, and where the answer goes. The Prove station has it small, bench
mode large."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QElapsedTimer, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from pigtail.desktop import ask, theme
from pigtail.desktop.beside import keep_beside
from pigtail.desktop.stepping import (
    Answered,
    Said,
    done_change,
    offered_change,
    probes_words,
    range_words,
    told_of,
    told_of_no,
    value_change,
    waived_change,
)
from pigtail.desktop.wants import MeterRead
from pigtail.edits.change import Change
from pigtail.job.document import Job
from pigtail.job.errors import JobError
from pigtail.job.logbook import FileKind
from pigtail.job.reading_import import text_of
from pigtail.job.steps import RunStand, Standing
from pigtail.language import tr
from pigtail.units import UnreadableError

#: Where files of the record lie beside a job.
FOLDER = "record"
#: Type above this is that of bench mode [px].
LARGE = 20


class StepPanel(QWidget):
    """A step and its answer. `edited` carries a Change, `refused` one sentence, `wants` a want; `stood` tells the step on view.

    timed: the time for which a step is on view is written with it.
    """

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)
    wants = pyqtSignal(object)

    def __init__(self, *, timed: bool = False) -> None:
        super().__init__()
        self.setObjectName("step_panel")
        self._timed, self._clock = timed, QElapsedTimer()
        self.folder: Callable[[], Path | None] = lambda: None
        #: Told what the meter has read: whoever runs hands free goes on there.
        self.was_read: Callable[[float], None] = lambda _value: None
        self.stand: RunStand | None = None
        self._job: Job | None = None
        self._asked_twice = ""
        self._answered: RunStand | None = None
        self._kept: tuple[tuple[str, str], ...] = ()
        self.says, self.why, self.heed, self.must, self.told = (QLabel() for _ in range(5))
        self.says.setObjectName("step_says")
        self.must.setObjectName("step_must")
        self.told.setObjectName("step_told")
        for label in (self.says, self.why, self.heed, self.must, self.told):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.NoTextInteraction)
        self.value = self._field("step_value", tr("Reading at the hold point"), tr("reading"))
        self.where = self._field(
            "step_where", tr("Where it is kept"), tr("kept where: a bag, a box, a place")
        )
        self.note = self._field("step_note", tr("Note to this step"), tr("note"))
        self.reason = self._field(
            "step_reason", tr("Reason why it is passed without"), tr("the reason: it stays on the record")
        )
        self.done = self._button(tr("Done"), "main", self.go_on)
        self.no = self._button(tr("No"), "step_no", self.say_no)
        self.read = self._button(tr("Read the meter"), "step_read", self.ask_meter)
        self.offer = self._button("", "step_offer", self.take_offer)
        self.attach = self._button(tr("File…"), "step_attach", self.ask_files)
        self.waive = self._button(tr("Pass with a reason"), "step_waive", self.pass_with_reason)
        self._lay_out()
        self.value.textChanged.connect(lambda _t: self._judge())
        self.value.returnPressed.connect(self.go_on)
        self.where.returnPressed.connect(self.go_on)
        self.reason.returnPressed.connect(self.pass_with_reason)

    def _field(self, name: str, accessible: str, hint: str) -> QLineEdit:
        field = QLineEdit()
        field.setObjectName(name)
        field.setAccessibleName(accessible)
        field.setPlaceholderText(hint)
        return field

    def _button(self, words: str, name: str, does: Callable[[], object]) -> QPushButton:
        button = QPushButton(words)
        button.setObjectName(name)
        button.setAccessibleName(words)
        button.clicked.connect(lambda _c: does())
        button.setAutoDefault(False)
        return button

    def _lay_out(self) -> None:
        answer, reason = QHBoxLayout(), QHBoxLayout()
        for item in (
            self.value,
            self.where,
            self.read,
            self.offer,
            self.done,
            self.no,
            self.attach,
            self.note,
        ):
            answer.addWidget(item, 1 if isinstance(item, QLineEdit) else 0)
        for item in (self.reason, self.waive):
            reason.addWidget(item, 1 if isinstance(item, QLineEdit) else 0)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        for label in (self.says, self.heed, self.must, self.told):
            layout.addWidget(label)
        layout.addLayout(answer)
        layout.addLayout(reason)
        layout.addWidget(self.why)
        self.fonts(14)

    def fonts(self, px: int) -> None:
        """Set the type: what is to be done so high [px], the rest by it."""
        self.says.setFont(theme.font(px, bold=True))
        large = px > LARGE
        self.must.setFont(theme.font(max(12, px * 3 // 5)))
        self.told.setFont(theme.font(max(12, px * 3 // 5), bold=True))
        self.heed.setFont(theme.font(max(12, px // 2)))
        self.why.setFont(theme.font(max(11, px * 2 // 5)))
        for field in (self.value, self.where):
            field.setFont(theme.font(px if large else theme.BODY_PX, bold=large))
        for item in (
            self.done,
            self.no,
            self.read,
            self.offer,
            self.attach,
            self.waive,
            self.note,
            self.reason,
        ):
            item.setFont(theme.font(px // 2 if large else theme.BODY_PX, bold=large and item is self.done))

    # -- the step -------------------------------------------------------------------------------------------

    def show_stand(self, job: Job, stand: RunStand | None) -> None:
        """Show a step; the same step again keeps what was typed."""
        same = self.stand is not None and stand is not None and self.stand.step.id == stand.step.id
        changed = not same or (
            self.stand is not None and stand is not None and self.stand.standing is not stand.standing
        )
        self._job, self.stand = job, stand
        if changed:
            self._clear()
        self._show()

    def _clear(self) -> None:
        for field in (self.value, self.where, self.note, self.reason):
            field.clear()
        self._asked_twice, self._kept = "", ()
        self._tell(None)
        self._clock.start()

    @property
    def seconds(self) -> float:
        """For how long the step has been on view [s]; nought where time is not kept."""
        return self._clock.elapsed() / 1000 if self._timed and self._clock.isValid() else 0.0

    def _show(self) -> None:
        stand, job = self.stand, self._job
        if stand is None or job is None:
            self._nothing()
            return
        step, open_now = stand.step, stand.open and not stand.blocked
        reads = step.hold is not None and step.hold.ask is not None
        looks = step.hold is not None and bool(step.hold.question)
        self.says.setText(step.says)
        self.why.setText("; ".join(x for x in (step.why, self._standing()) if x))
        stays = tr("This cannot be undone: {stays}. ", stays=step.stays) if step.stays else ""
        self.heed.setText(f"{stays}{tr('Heed: {heed}', heed=step.heed) if step.heed else ''}")
        theme.wear(self.heed, "stop")
        must = "\n".join(x for x in (probes_words(job, stand), range_words(stand)) if x)
        self.must.setText(stand.blocked or must)
        theme.wear(self.must, "fix" if stand.blocked else "")
        for item, there in (
            (self.value, reads), (self.read, reads), (self.where, bool(step.keeps) and not step.turned), (self.no, looks),
            (self.attach, bool(step.files) and not step.turned), (self.note, True), (self.done, True), (self.offer, bool(stand.offer)),
            (self.reason, reads or looks or bool(step.files)), (self.waive, reads or looks or bool(step.files)),
        ):  # fmt: skip
            item.setVisible(bool(there) and open_now)
        self.done.setText(tr("Log it") if reads else tr("Yes") if looks else tr("Done"))
        self.done.setAccessibleName(f"{self.done.text()}: {step.says}")
        self.offer.setText(tr("Take {offer}, read already", offer=stand.offer))
        self.attach.setText(
            tr("{count} filed", count=len(self._kept))
            if self._kept
            else tr("File the recording…")
            if self._sound
            else tr("File photos…")
        )
        for label in (self.heed, self.told, self.must, self.why):
            label.setVisible(bool(label.text()))

    def _nothing(self) -> None:
        for item in (
            self.value,
            self.where,
            self.note,
            self.reason,
            self.done,
            self.no,
            self.read,
            self.offer,
            self.attach,
            self.waive,
        ):
            item.setVisible(False)
        self.says.setText(tr("Nothing is left to do."))
        for label in (self.heed, self.told, self.must, self.why):
            label.setText("")
            label.setVisible(False)

    def _standing(self) -> str:
        assert self.stand is not None
        if self.stand.standing is Standing.OPEN:
            return self.stand.why
        why = f": {self.stand.why}" if self.stand.why else ""
        return f"{tr(self.stand.standing.value)}{why}"

    @property
    def _sound(self) -> bool:
        return self.stand is not None and self.stand.step.files == FileKind.SOUND.value

    def _tell(self, told: Said | None) -> None:
        self.told.setText("\n".join(told.lines) if told else "")
        theme.wear(self.told, told.severity if told else "")
        self.told.setVisible(told is not None)

    def _judge(self) -> None:
        self._asked_twice = ""
        if self.stand is not None and self._job is not None and self.value.text().strip():
            self._tell(told_of(self._job, self.stand, self.value.text().strip()))

    # -- the answer -----------------------------------------------------------------------------------------

    @property
    def reading(self) -> bool:
        """Whether the step is a reading."""
        return (
            self.stand is not None
            and self.stand.step.hold is not None
            and self.stand.step.hold.ask is not None
        )

    def go_on(self) -> None:
        """What the step asks for: log what is in the field, answer yes, or done."""
        stand = self.stand
        if stand is None or not stand.open:
            return
        if stand.blocked:
            self.refused.emit(stand.blocked)
        elif self.reading:
            self._log()
        else:
            self._send(done_change(stand, self._given()))

    def _send(self, change: Change) -> bool:
        """Send the answer to a step, once: it is not answered again before it is shown as it stands then. Whether it was sent."""
        if self.stand is self._answered or self._job is None:
            return False
        try:
            change.edit(self._job)
        except JobError as error:
            self.refused.emit(str(error))
            return False
        self._answered = self.stand
        self.edited.emit(change)
        return True

    def _given(self) -> Answered:
        return Answered(self.seconds, self.note.text().strip(), self.where.text().strip(), self._kept)

    def _log(self) -> None:
        assert self.stand is not None
        assert self._job is not None
        text = self.value.text().strip()
        if not text:
            self.ask_meter()
            return
        told = told_of(self._job, self.stand, text)
        if told is not None and not told.passes and self._asked_twice != text:
            self._asked_twice = text
            self._tell(
                told._replace(
                    lines=(*told.lines, tr("Once more logs it as it is: the hold point stays open."))
                )
            )
            return
        try:
            change = value_change(self._job, self.stand, text, self.seconds, self.note.text().strip())
        except UnreadableError as error:
            self.refused.emit(str(error))
            self.value.selectAll()
            return
        if self._send(change):
            self.value.clear()
            self._tell(told)

    def say_no(self) -> None:
        """Answer that it is not as it should be: that is written, and what it means is said."""
        stand = self.stand
        if (
            stand is None
            or not stand.open
            or stand.blocked
            or stand.step.hold is None
            or not stand.step.hold.question
        ):
            return
        if self._send(done_change(stand, self._given(), fine=False)):
            self._tell(told_of_no(stand))

    def pass_with_reason(self) -> None:
        """Pass it for the reason in the field."""
        stand = self.stand
        if stand is None or not stand.open or stand.blocked:
            return
        if not self.reason.text().strip():
            self.reason.setFocus()
            self.refused.emit(tr("write the reason: it stays on the record"))
            return
        self._send(waived_change(stand, self.reason.text().strip(), self.seconds))

    def take_offer(self) -> None:
        """Pass the hold point by the reading that it is offered."""
        if self.stand is not None and self.stand.offer:
            self._send(offered_change(self.stand))

    def ask_meter(self) -> None:
        """Let the meter read for this hold point."""
        stand = self.stand
        if (
            stand is None
            or stand.blocked
            or not self.reading
            or stand.step.hold is None
            or stand.step.hold.ask is None
        ):
            return
        step = stand.step.id
        self.wants.emit(MeterRead(stand.step.hold.ask, lambda value: self._put(step, value)))

    def _put(self, step: str, value: float) -> None:
        stand = self.stand
        if stand is None or stand.step.id != step or stand.step.hold is None or stand.step.hold.ask is None:
            return
        self.value.setText(text_of(stand.step.hold.ask.function, value))
        self.was_read(value)

    def ask_files(self) -> None:
        """Ask for photos or a recording, and keep them beside the job."""
        folder = self.folder()
        if folder is None:
            return
        self.keep_files(ask.record_paths(self, str(folder), self.stand.step.files if self.stand else ""))

    def keep_files(self, paths: list[Path]) -> None:
        """Keep files beside the job, to be filed with the step."""
        folder = self.folder()
        if folder is None:
            return
        try:
            self._kept = (*self._kept, *(keep_beside(p, folder, FOLDER) for p in paths))
        except OSError as error:
            self.refused.emit(
                tr(
                    "a file cannot be kept beside the job ({value}); free or unlock its folder",
                    value=error.strerror or error,
                )
            )
        self._show()
