"""Tell-tales: the few margins that matter, each with its spread against its limit."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QHBoxLayout, QSizePolicy, QWidget

from pigtail.desktop import glyphs, theme
from pigtail.language import tr
from pigtail.studies.register import REGISTER

TYPE_CHECKING = False
if TYPE_CHECKING:
    from pigtail.studies.findings import Finding, Study
    from pigtail.studies.found import Studies
    from pigtail.studies.register import Dial


class TellTale(QAbstractButton):
    """One margin: number, spread on a scale with its limit, and the mark of its finding."""

    def __init__(self, station: str, dial: Dial) -> None:
        super().__init__()
        self.station, self.dial = station, dial
        self.text_value, self.word = "…", ""
        self.span: tuple[float, float, float] | None = None
        self.limits: tuple[float, ...] = ()
        self.setObjectName(f"telltale_{dial.key}")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("{dial}: not studied yet", dial=dial.words))

    def sizeHint(self) -> QSize:
        return QSize(150, 62)

    def minimumSizeHint(self) -> QSize:
        return QSize(110, 62)

    def show_value(self, text: str, span: tuple[float, float, float] | None, word: str, note: str) -> None:
        """Show a value with its spread (low, value, high) and the word of its finding."""
        self.text_value, self.span, self.word = text, span, word
        self.setAccessibleName(f"{self.dial.words}: {text}, {tr(word) or tr('none')}")
        self.setToolTip(note)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.setPen(QPen(t.color("accent"), 2) if self.hasFocus() else QPen(t.color("line"), 1))
        painter.setBrush(t.color("panel"))
        painter.drawRoundedRect(box, 6, 6)
        painter.setFont(theme.font(theme.SMALL_PX))
        painter.setPen(t.color("dim"))
        short = painter.fontMetrics().elidedText(
            self.dial.words, Qt.TextElideMode.ElideRight, int(box.width()) - 38
        )
        painter.drawText(QPointF(10, 17), short)
        painter.setFont(theme.font(theme.LARGE_PX, bold=True))
        painter.setPen(t.color("ink"))
        painter.drawText(QPointF(10, 38), self.text_value)
        taken = 10 + painter.fontMetrics().horizontalAdvance(self.text_value)
        glyphs.paint(painter, QRectF(box.right() - 24, 8, 15, 15), self.word)
        painter.setFont(theme.font(theme.SMALL_PX, bold=True))
        painter.setPen(t.severity(self.word) if self.word else t.color("dim"))
        if (
            taken + painter.fontMetrics().horizontalAdvance(tr(self.word)) + 12 < box.right()
        ):  # the mark tells it too
            painter.drawText(
                QRectF(box.right() - 84, 25, 76, 16),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                tr(self.word),
            )
        self._scale(painter, QRectF(10, 46, box.width() - 18, 8))

    def _scale(self, painter: QPainter, bar: QRectF) -> None:
        t = theme.current()
        low, high = self.dial.scale

        def x(value: float) -> float:
            part = (value - low) / (high - low)
            return bar.left() + bar.width() * min(max(part, 0.0), 1.0)

        painter.setPen(QPen(t.color("line"), 2))
        painter.drawLine(QPointF(bar.left(), bar.center().y()), QPointF(bar.right(), bar.center().y()))
        painter.setPen(QPen(t.color("ink"), 2))
        for limit in self.limits:
            painter.drawLine(QPointF(x(limit), bar.top() - 1), QPointF(x(limit), bar.bottom() + 1))
        if self.span is None:
            return
        a, value, b = self.span
        color = t.severity(self.word) if self.word else t.color("dim")
        painter.setPen(QPen(color, 5, cap=Qt.PenCapStyle.FlatCap))
        painter.drawLine(QPointF(x(a) - 1, bar.center().y()), QPointF(x(b) + 1, bar.center().y()))
        painter.setPen(QPen(t.color("ink"), 1))
        painter.setBrush(color)
        painter.drawEllipse(QPointF(x(value), bar.center().y()), 4, 4)


class TellTales(QWidget):
    """The row of tell-tales; one chosen tells its station and finding code."""

    chosen = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("telltales")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self.dials = [TellTale(entry.key, d) for entry in REGISTER for d in entry.dials]
        for tale in self.dials:
            tale.clicked.connect(
                lambda _c, t=tale: self.chosen.emit(t.station, self._codes.get(t.dial.key, ""))
            )
            layout.addWidget(tale)
        self._codes: dict[str, str] = {}

    def show_studies(self, studies: Studies) -> None:
        """Show the margins of a job's studies."""
        from pigtail.studies.judging import judgements  # not before it is painted

        for tale in self.dials:
            study, finding = _worst(studies, (tale.dial.judgement, *tale.dial.others))
            self._codes[tale.dial.key] = finding.code if finding else ""
            number = study.numbers.get(study.number_of(finding)) if study and finding else None
            if number is None or finding is None:
                tale.show_value(tr("none"), None, "", tr("The plan has nothing that this would judge."))
                continue
            span = None if number.value is None else (number.low, number.value, number.high)
            limit = finding.limit
            tale.limits = () if limit is None else judgements()[finding.judgement].marks(limit)
            tale.show_value(number.short(), span, finding.severity.value, finding.sentence)


def _worst(studies: Studies, codes: tuple[str, ...]) -> tuple[Study | None, Finding | None]:
    """The worst finding of some judgements, and the study that found it."""
    return next(((s, f) for s in studies.each() for f in s.findings if f.judgement in codes), (None, None))
