"""Taps: what is wanted of the host, the points that could serve ranked, and for the chosen one every reason."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout

from pigtail.desktop import theme
from pigtail.desktop.labels import OneLine
from pigtail.desktop.stations.base import Align, Painting, Station, say
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.desktop.wants import Probes
from pigtail.edits.change import Change
from pigtail.job.document import Job
from pigtail.language import tr, trn
from pigtail.studies.taps.found import TapsFound

if TYPE_CHECKING:
    from pigtail.studies.found import Studies
    from pigtail.studies.taps.found import Mark, TapCandidate, WantDetail

ROW = 38.0
MOST_ROWS = 6
SCALE_LEFT = 0.46
WEIGHT = "●"


class Ranking(Painting):
    """The candidates under one another, each with its score as a span on one scale. `chosen` tells the address."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__("ranking", QSize(420, 150))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(tr("Click a point, or go through them with the arrow keys"))
        self.job: Job | None = None
        self.want: WantDetail | None = None
        self.address = ""
        self.first = 0

    def show_want(self, job: Job, want: WantDetail, address: str) -> None:
        """Show the candidates of a want, one of them chosen."""
        self.job, self.want, self.address = job, want, address
        best = want.candidates[0] if want.candidates else None
        self.setFixedHeight(int(50 + ROW * min(max(len(want.candidates), 1), MOST_ROWS)))
        words = (
            tr("best: {address}", address=job.label(best.address))
            if best
            else tr("no point of this kind is known yet")
        )
        self.describe(
            tr(
                "{want}: {count} candidates, {words}",
                want=want.words,
                count=len(want.candidates),
                words=words,
            )
        )

    def candidates(self) -> tuple[TapCandidate, ...]:
        """The candidates from the first that is shown."""
        return self.want.candidates if self.want else ()

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if self.job is None or self.want is None:
            return
        t = theme.current()
        left = box.left() + box.width() * SCALE_LEFT
        say(
            painter,
            QRectF(box.left(), box.top(), left - box.left(), 16),
            f"{self.want.words[:1].upper()}{self.want.words[1:]}",
            bold=True,
            px=12,
        )
        say(painter, QRectF(left, box.top(), 90, 16), tr("poor"), use="dim", px=10)
        say(
            painter,
            QRectF(box.right() - 90, box.top(), 90, 16),
            tr("good"),
            use="dim",
            px=10,
            align=Align.AlignRight | Align.AlignVCenter,
        )
        if not self.candidates():
            words = tr(
                "No point of this kind is known on the host. Add one in the Survey, or sweep a connector "
                "there."
            )
            say(
                painter,
                box.adjusted(0, 26, 0, 0),
                words,
                use="dim",
                px=13,
                wrap=True,
                align=Align.AlignLeft | Align.AlignTop,
            )
            return
        rows = max(1, int((box.height() - 22) // ROW))
        index = next((k for k, c in enumerate(self.candidates()) if c.address == self.address), 0)
        self.first = (
            min(max(index - rows + 1, 0), self.first) if index < self.first + rows else index - rows + 1
        )
        for k, candidate in enumerate(self.candidates()[self.first : self.first + rows]):
            top = box.top() + 22 + k * ROW
            self._row(
                painter, QRectF(box.left() - 6, top, box.width() + 12, ROW - 4), left, box.right(), candidate
            )
        more = len(self.candidates()) - self.first - rows
        if more > 0:
            say(
                painter,
                QRectF(box.left(), box.bottom() - 10, 200, 14),
                tr("{more} more: arrow keys", more=more),
                use="dim",
                px=10,
            )
        painter.setPen(QPen(t.color("line"), 1))

    def _row(
        self, painter: QPainter, rect: QRectF, left: float, right: float, candidate: TapCandidate
    ) -> None:
        assert self.job is not None
        t = theme.current()
        if candidate.address == self.address:
            painter.setPen(QPen(t.color("accent"), 1.5 if self.hasFocus() else 0.8))
            painter.setBrush(t.color("picked"))
            painter.drawRoundedRect(rect, 5, 5)
        terminal = self.job.terminal(candidate.address)
        name = self.job.label(candidate.address) + (tr("  · in the plan") if candidate.used else "")
        text = QRectF(rect.left() + 6, rect.top() + 2, left - rect.left() - 14, 17)
        say(painter, text, name, bold=candidate.used, px=12)
        place = terminal.place.text() if terminal is not None else ""
        state = candidate.wrong[0][1].value if candidate.wrong else "unknown" if candidate.asks else "good"
        words = {
            "unknown": trn("{count} check open", "{count} checks open", len(candidate.asks)),
            "good": tr("every check done"),
        }.get(state, tr("{verdict}: a wrong choice", verdict=tr(state)))
        say(painter, text.translated(0, 15), f"{place} · {words}" if place else words, use=state, px=10)
        y = rect.center().y()
        width = right - left
        painter.setPen(QPen(t.color("line"), 2))
        painter.drawLine(QPointF(left, y), QPointF(right, y))
        color = t.severity("fix" if candidate.wrong else "unknown" if candidate.asks else "good")
        low, high = left + width * candidate.low, left + width * candidate.high
        painter.setPen(QPen(color, 7, cap=Qt.PenCapStyle.FlatCap))
        painter.drawLine(QPointF(low, y), QPointF(max(high, low + 3), y))
        painter.setPen(QPen(t.color("ink"), 1.5))
        painter.setBrush(t.color("field"))
        painter.drawEllipse(QPointF((low + high) / 2, y), 4, 4)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        row = int((event.position().y() - 32) // ROW) + self.first
        if 0 <= row < len(self.candidates()):
            self.chosen.emit(self.candidates()[row].address)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        by = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()), 0)
        at = next((k for k, c in enumerate(self.candidates()) if c.address == self.address), -1)
        if by and 0 <= at + by < len(self.candidates()):
            self.chosen.emit(self.candidates()[at + by].address)
        else:
            super().keyPressEvent(event)


class TapsStation(Station):
    """The Taps station. It wants the probes set."""

    key = "taps"

    def __init__(self) -> None:
        super().__init__()
        self.wanted = QComboBox()
        self.wanted.setObjectName("want")
        self.wanted.setAccessibleName(tr("What is wanted of the host"))
        self.wanted.setMinimumWidth(330)
        self.wanted.currentIndexChanged.connect(lambda _k: self._want_chosen())
        self.ranking = Ranking()
        self.ranking.chosen.connect(self._candidate_chosen)
        self.title = QLabel()
        self.title.setFont(theme.font(14, bold=True))
        self.wrong = QLabel()
        self.wrong.setObjectName("wrong_choice")
        self.wrong.setWordWrap(True)
        self.marks = RowsModel((tr("criterion"), tr("weight"), tr("counts"), tr("why")))
        self.marks_table = make_table(self.marks, "marks_table", tr("Criteria of the chosen point"), 3)
        set_widths(self.marks_table, (190, 84, 118))
        self.ask = QLabel()
        self.ask.setWordWrap(True)
        self.probes = QPushButton(tr("Set the probes"))
        self.probes.setObjectName("set_probes")
        self.use = QPushButton(tr("Use this point"))
        self.use.setObjectName("use_tap")
        self.use.setAccessibleName(tr("Use the chosen point in the plan"))
        self.probes.clicked.connect(self._set_probes)
        self.use.clicked.connect(self._use)
        self._job: Job | None = None
        self._found: tuple[WantDetail, ...] = ()
        self._picked: dict[str, str] = {}
        self._lay_out()

    def _lay_out(self) -> None:
        row = QHBoxLayout()
        words = QLabel(tr("Wanted of the host"))
        words.setBuddy(self.wanted)
        row.addWidget(words)
        row.addWidget(self.wanted)
        note = OneLine(tr("A wide bar: not all of it is known."))
        note.setObjectName("dim")
        note.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        row.addWidget(note, 1)
        below = QHBoxLayout()
        below.addWidget(self.ask, 1)
        below.addWidget(self.probes)
        below.addWidget(self.use)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addLayout(row)
        layout.addWidget(self.ranking)
        layout.addWidget(self.title)
        layout.addWidget(self.wrong)
        layout.addWidget(self.marks_table, 5)
        layout.addLayout(below)

    def show_job(self, job: Job, studies: Studies) -> None:
        self._job, self._found = job, studies.of(TapsFound).wants
        chosen = self.wanted.currentData()
        self.wanted.blockSignals(True)
        self.wanted.clear()
        for want in self._found:
            self.wanted.addItem(f"{want.words}{tr('  · in the plan') if want.planned else ''}", want.key)
        planned = next((w.key for w in self._found if w.planned), "audio_in")
        self.wanted.setCurrentIndex(max(self.wanted.findData(chosen or planned), 0))
        self.wanted.blockSignals(False)
        self._want_chosen()

    def want(self) -> WantDetail | None:
        """The want on view."""
        return next((w for w in self._found if w.key == self.wanted.currentData()), None)

    def candidate(self) -> TapCandidate | None:
        """The candidate on view: as chosen, else the best."""
        want = self.want()
        if want is None or not want.candidates:
            return None
        picked = self._picked.get(want.key, "")
        return next((c for c in want.candidates if c.address == picked), want.candidates[0])

    def _want_chosen(self) -> None:
        want, candidate = self.want(), self.candidate()
        if self._job is None or want is None:
            return
        self.ranking.show_want(self._job, want, candidate.address if candidate else "")
        self._show_candidate(candidate)

    def _candidate_chosen(self, address: str) -> None:
        want = self.want()
        if want is not None:
            self._picked[want.key] = address
            self._want_chosen()

    def _show_candidate(self, candidate: TapCandidate | None) -> None:
        from pigtail.job.ask import in_words

        for widget in (self.title, self.marks_table, self.probes, self.use, self.ask, self.wrong):
            widget.setVisible(candidate is not None)
        if candidate is None or self._job is None:
            return
        self.title.setText(self._job.label(candidate.address))
        self.wrong.setVisible(bool(candidate.wrong))
        self.wrong.setText(" ".join(sentence for _, _, sentence in candidate.wrong))
        theme.wear(self.wrong, "stop", bold=True)
        self.marks.show_rows([_mark_row(m) for m in candidate.marks])
        asks = [in_words(self._job, c) for c in candidate.asks]
        first = (
            tr("To settle: {asks}", asks=asks[0])
            + (tr(", and {value} more.", value=len(asks) - 1) if len(asks) > 1 else ".")
            if asks
            else ""
        )
        self.ask.setText(first or tr("Nothing is left to settle here."))
        self.probes.setVisible(bool(asks))
        self.use.setVisible(not candidate.used and not candidate.wrong)
        self.use.setEnabled(self._replaceable(candidate.address) is not None)
        self.use.setToolTip(
            "" if self.use.isEnabled() else tr("the plan wants nothing of this kind; propose a plan first")
        )

    def _set_probes(self) -> None:
        candidate = self.candidate()
        if candidate is not None and candidate.asks:
            self.wants.emit(Probes(candidate.asks[0]))

    def _replaceable(self, address: str) -> str | None:
        """The point of the plan that a candidate would take the place of: one of the same kind and channel."""
        want = self.want()
        terminal = self._job.terminal(address) if self._job else None
        if self._job is None or want is None or terminal is None:
            return None
        side = getattr(terminal, "channel", None)
        for other in want.candidates:
            used = self._job.terminal(other.address)
            if other.used and used is not None and getattr(used, "channel", None) is side:
                return other.address
        return None

    def _use(self) -> None:
        from pigtail.edits.links import move_tap

        candidate = self.candidate()
        old = self._replaceable(candidate.address) if candidate else None
        if candidate is None or old is None or self._job is None:
            return
        words = tr("use {address}", address=self._job.label(candidate.address))
        self.edited.emit(Change(words, partial(move_tap, old=old, new=candidate.address)))


def _mark_row(mark: Mark) -> tuple[Cell, ...]:
    use = (
        "unknown"
        if mark.value is None
        else "good"
        if mark.value >= 0.75
        else "watch"
        if mark.value >= 0.4
        else "fix"
    )
    counts = tr("not known") if mark.value is None else f"{100 * mark.value:.0f} %"
    return (
        Cell(mark.words),
        Cell(WEIGHT * int(mark.weight), use="dim"),
        Cell(counts, use=use, mark=use),
        Cell(mark.text, use=use),
    )


STATION = TapsStation
