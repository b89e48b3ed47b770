"""The bench strip: two probes, state, function, the reading and what it means; log it; what to measure next."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout

from pigtail.desktop import theme
from pigtail.desktop.doubting import Doubt
from pigtail.desktop.fields import ValueField, fill_combo
from pigtail.desktop.labels import OneLine
from pigtail.desktop.probing import HINTS, expected_text, judge_text, log_edit, words_of
from pigtail.edits.change import Change
from pigtail.job.ask import IN_SERIES, OPENED, Ask, in_words
from pigtail.job.document import HOST, OUTSIDE, Function, Job
from pigtail.job.errors import JobError
from pigtail.job.reading_import import text_of
from pigtail.job.safety import Safety, safety
from pigtail.job.wiring import probe_against
from pigtail.language import tr
from pigtail.studies.found import questions
from pigtail.units import UnreadableError

#: What may be clipped on for a reading: words, the field of the reading, its unit, a usual value.
CLIPPED = (
    (tr("the meter alone"), "", "", None),
    (tr("a load across"), "load", "Ω", 1000.0),
    (tr("a resistor in series"), "series", "Ω", 47_000.0),
    (tr("a current through"), "current", "A", 0.5),
)
JUDGE_AFTER_MS = 60
NEXT = tr("Next on the bench")
#: Hosts that no probe is put on, in words.
FORBIDDEN = {
    Safety.LIVE: tr("live chassis: put no probe and no meter earth on it; it is for a qualified person."),
    Safety.NOT_KNOWN: tr(
        "first find out how the host is fed: its rating plate, its power entry. Put no probe on it before."
    ),
}


class BenchStrip(QFrame):
    """Where readings come in. `logged` carries a Change; `refused` one sentence; `asked` a request for the meter;
    `meter_wanted` and `mode_wanted` are pressed buttons."""

    logged = pyqtSignal(object)
    refused = pyqtSignal(str)
    asked = pyqtSignal(object)
    meter_wanted = pyqtSignal()
    mode_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self._job: Job | None = None
        self._next: Ask | None = None
        self.point = self._combo("probe_point", tr("Red probe: point"))
        self.against = self._combo("probe_against", tr("Black probe: against"))
        self.state = self._combo("probe_state", tr("Host state"))
        self.function = self._combo("probe_function", tr("What is read"))
        for function in Function:
            self.function.addItem(tr(function.value), function)
        self.reading = QLineEdit()
        self.reading.setObjectName("reading")
        self.reading.setAccessibleName(tr("Reading, as engineering text"))
        self.reading.setFixedWidth(126)
        self.doubt = Doubt(self.reading)
        self.button = self._button(tr("Log it"), "main", tr("Log the reading"))
        self.clipped = self._combo("clipped", tr("What is clipped on besides the meter"))
        self.clipped.setMinimumContentsLength(15)
        for words, field, _, _ in CLIPPED:
            self.clipped.addItem(words, field)
        self.clip_value = ValueField("Ω", "E12")
        self.clip_value.setObjectName("clip_value")
        self.clip_value.setAccessibleName(tr("Value of what is clipped on"))
        self.clip_value.setFixedWidth(74)
        self.drive = QLineEdit()
        self.drive.setObjectName("drive")
        self.drive.setAccessibleName(tr("What is played or injected meanwhile"))
        self.drive.setPlaceholderText(tr("nothing"))
        self.drive.setFixedWidth(104)
        self.verdict = OneLine("")
        self.verdict.setObjectName("verdict")
        self.read_button = self._button(tr("Read"), "read_meter", tr("Read the meter (F9)"))
        self.meter_button = self._button(tr("Meter…"), "choose_meter", tr("Choose the meter"))
        self.mode_button = self._button(
            tr("Bench mode"), "bench_mode", tr("Large type, one reading at a time (F8)")
        )
        self.next_words = OneLine("")
        self.next_words.setObjectName("dim")
        self.take = self._button(
            tr("Set the probes"), "take_next", tr("Set the probes to what is to be measured next")
        )
        self._judge_soon = QTimer(self)
        self._judge_soon.setSingleShot(True)
        self._judge_soon.setInterval(JUDGE_AFTER_MS)
        self._lay_out()
        self._wire()

    def _button(self, words: str, name: str, accessible: str) -> QPushButton:
        button = QPushButton(words)
        button.setObjectName(name)
        button.setAccessibleName(accessible)
        return button

    def _combo(self, name: str, accessible: str) -> QComboBox:
        combo = QComboBox()
        combo.setObjectName(name)
        combo.setAccessibleName(accessible)
        combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        combo.setMinimumContentsLength(9)
        return combo

    def _wire(self) -> None:
        self.reading.returnPressed.connect(self.log)
        self.doubt.taken.connect(self.log)
        self.button.clicked.connect(self.log)
        self.point.activated.connect(self._follow)
        self.take.clicked.connect(self.take_next)
        self.clipped.currentIndexChanged.connect(lambda _k: self._clip_chosen())
        self.read_button.clicked.connect(self.ask_meter)
        self.meter_button.clicked.connect(self.meter_wanted)
        self.mode_button.clicked.connect(self.mode_wanted)
        self.function.currentIndexChanged.connect(lambda _k: self._series_or_across())
        for combo in (self.point, self.against, self.state, self.function):
            combo.currentIndexChanged.connect(lambda _k: self._judge_soon.start())
        self.reading.textChanged.connect(lambda _t: self._judge_soon.start())
        self._judge_soon.timeout.connect(self._judge)
        self.take.hide()
        self.read_button.setEnabled(False)
        self._clip_chosen()

    def _lay_out(self) -> None:
        self.series_words = self._dim(f"{IN_SERIES}, {OPENED}")
        self.series_words.setToolTip(tr("an ammeter between two points is a dead short"))
        self.series_words.hide()
        row = QHBoxLayout()
        row.setSpacing(6)
        for words, widget, stretch in (
            (tr("red on"), self.point, 3), (tr("black on"), self.against, 3), (tr("while"), self.state, 2),
            (tr("read"), self.function, 1), ("=", self.reading, 0),
        ):  # fmt: skip
            label = self._dim(words)
            row.addWidget(label)
            row.addWidget(widget, stretch)
            if widget is self.point:
                self.red_words = label
            if widget is self.against:
                self.black_words = label
                row.addWidget(self.series_words, stretch)
        row.addWidget(self.button)
        middle = QHBoxLayout()
        middle.setSpacing(6)
        middle.addWidget(self._dim(tr("with")))
        middle.addWidget(self.clipped)
        middle.addWidget(self.clip_value)
        middle.addWidget(self._dim(tr("playing")))
        middle.addWidget(self.drive)
        middle.addWidget(self.verdict, 1)
        for button in (self.read_button, self.meter_button, self.mode_button):
            middle.addWidget(button)
        below = QHBoxLayout()
        self.next_title = QLabel(NEXT)
        self.next_title.setObjectName("next_title")
        self.next_title.setFont(theme.font(12, bold=True))
        below.addWidget(self.next_title)
        below.addWidget(self.next_words, 1)
        below.addWidget(self.take)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 7, 10, 7)
        layout.setSpacing(5)
        for part in (row, middle, below):
            layout.addLayout(part)

    def _dim(self, words: str) -> QLabel:
        label = QLabel(words)
        label.setObjectName("dim")
        return label

    # -- the job --------------------------------------------------------------------------------------------

    def show_job(self, job: Job) -> None:
        """Offer the terminals and states of a job; what is chosen stays chosen."""
        fresh = self._job is None or self._job.host.name != job.host.name
        self._job = job
        addresses = job.addresses()
        fill_combo(self.point, [(job.label(a), a) for a in addresses])
        fill_combo(self.against, [(job.label(a), a) for a in (*addresses, *OUTSIDE)])
        fill_combo(self.state, [(s.name, s.id) for s in job.host.states])
        if self.point.currentData() == self.against.currentData():
            self._follow()
        if fresh:
            self.state.setCurrentIndex(max(self.state.findData(job.working_state()), 0))
        self._judge_soon.start()

    def show_meter(self, words: str, there: bool, wanted: bool) -> None:
        """Show what the meter is doing."""
        self.read_button.setEnabled(wanted)
        self.meter_button.setToolTip(words)
        self.meter_button.setText(
            tr("Meter: there") if there else tr("Meter: lost") if wanted else tr("Meter…")
        )

    def _series_or_across(self) -> None:
        """A current is read in the opened lead of the red point: the black probe goes to no second point."""
        series = self.function.currentData() is Function.CURRENT
        looks = self.function.currentData() is Function.LOOK
        for widget in (self.against, self.black_words):
            widget.setVisible(not series and not looks)
        self.point.setVisible(not looks)
        self.red_words.setVisible(not looks)
        self.series_words.setVisible(series)

    def _follow(self) -> None:
        """Put the black probe where it belongs for the point chosen."""
        if self._job is not None:
            self.against.setCurrentIndex(
                max(self.against.findData(probe_against(self._job, self.point.currentData())), 0)
            )

    def show_next(
        self,
        measures: Sequence[Ask],
        mend: Sequence[str] = (),
        unknown: Sequence[str] = (),
        still_open: int = 0,
    ) -> None:
        """Show what is to be measured next; `mend` names the stations that need mending first, `unknown` those that cannot tell;
        `still_open` how many questions are open in all."""
        count = f"{questions(still_open)}; " if still_open else ""
        self._next = measures[0] if measures else None
        self.take.setVisible(bool(measures))
        if self._next is None or self._job is None:
            self.next_title.setText(NEXT)
            words = tr("nothing is open that a meter would settle: build, step by step in Prove (Shift+F8).")
            if mend:
                words = tr(
                    "{count}no reading is asked for; mend {listed} first, with the remedies at the right.",
                    count=count,
                    listed=tr(" and ").join(mend),
                )
            elif unknown:
                words = tr(
                    "{count}no reading is asked for yet; what {listed} lack stands at the right of each.",
                    count=count,
                    listed=tr(" and ").join(unknown),
                )
            forbidden = FORBIDDEN.get(safety(self._job)) if self._job else None
            self.next_words.setText(forbidden or words)
            return
        self.next_title.setText(
            tr(
                "{next}: {count}{words_of}, first",
                next=NEXT,
                count=count,
                words_of=words_of(self._job, measures),
            )
        )
        self.next_words.setText(f"{in_words(self._job, self._next)}: {self._next.reason}")

    def take_next(self) -> None:
        """Set the probes to what is asked for."""
        if self._next is not None:
            self.set_probes(self._next)

    def set_probes(self, m: Ask) -> None:
        """Set probes, state, function and drive, and wait for the reading."""
        for combo, value in (
            (self.point, m.point), (self.against, m.against), (self.state, m.state), (self.function, m.function),
        ):  # fmt: skip
            if (combo is self.against and m.in_series) or combo.findData(value) < 0:
                continue
            combo.setCurrentIndex(max(combo.findData(value), 0))
        self.drive.setText(m.drive)
        on = next(
            (k for k, (_, field, _, _) in enumerate(CLIPPED) if field and getattr(m, field) is not None), 0
        )
        self.clipped.setCurrentIndex(on)
        if on:
            self.clip_value.set_value(getattr(m, CLIPPED[on][1]))
        self.reading.clear()
        self.reading.setFocus()

    # -- the reading ----------------------------------------------------------------------------------------

    def _clip_chosen(self) -> None:
        _, field, unit, usual = CLIPPED[self.clipped.currentIndex()]
        self.clip_value.setVisible(bool(field))
        if field:
            from pigtail.studies.taps.protocol import suggested_clip

            better = suggested_clip(self._job, self.point.currentData() or "", field) if self._job else None
            self.clip_value.unit = unit
            self.clip_value.set_value(better or usual)
            self.clip_value.setToolTip(tr("a value that makes the reading telling") if better else "")
        self._judge_soon.start()

    def setup(self) -> Ask | None:
        """Where the probes are, None while there is no job."""
        function = self.function.currentData()
        if self._job is None or not isinstance(function, Function) or not self.point.currentData():
            return None
        if function is Function.LOOK:
            return Ask(HOST, "", self._job.off_state(), function)
        self.clip_value.commit()
        clipped = {self.clipped.currentData(): self.clip_value.value}
        return Ask(
            self.point.currentData(),
            "" if function is Function.CURRENT else self.against.currentData() or "",
            self.state.currentData() or "",
            function,
            drive=self.drive.text().strip(),
            load=clipped.get("load"),
            series=clipped.get("series"),
            current=clipped.get("current"),
        )

    def _judge(self) -> None:
        """Say what is expected, or what the value typed would mean."""
        setup = self.setup()
        if setup is None or self._job is None:
            return
        self.reading.setPlaceholderText(HINTS[setup.function])
        text = self.reading.text().strip()
        found = judge_text(self._job, setup, text) if text else None
        words = found.sentence if found else "" if text else expected_text(self._job, setup)
        use = found.severity if found else "dim"
        self.verdict.setText(words)
        theme.wear(self.verdict, use, bold=found is not None)

    def ask_meter(self) -> None:
        """Ask the meter for what the probes are on."""
        setup = self.setup()
        if setup is not None and self.read_button.isEnabled():
            self.asked.emit(setup)

    def put_reading(self, value: float) -> None:
        """Show what the meter read; it is logged by Enter or the button."""
        function = self.function.currentData()
        if isinstance(function, Function):
            self.reading.setText(text_of(function, value))
            self.reading.setFocus()

    def log(self) -> None:
        """Log the reading as typed, or tell why it cannot be."""
        setup = self.setup()
        if setup is None or self._job is None:
            return
        if question := self.doubt.question(self._job, setup):
            self._judge_soon.stop()
            self.verdict.setText(question)
            theme.wear(self.verdict, "fix", bold=True)
            return
        try:
            words, edit = log_edit(self._job, setup, self.reading.text())
        except (UnreadableError, JobError) as error:
            self.refused.emit(str(error))
            self.reading.selectAll()
            return
        self.reading.clear()
        self.logged.emit(Change(words, edit))
