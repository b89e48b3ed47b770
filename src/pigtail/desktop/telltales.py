"""Tell-tales: the few margins that matter, each with its spread against its limit."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QHBoxLayout, QSizePolicy, QWidget

from pigtail.desktop import glyphs, theme

TYPE_CHECKING = False
if TYPE_CHECKING:
    from pigtail.studies.findings import Finding
    from pigtail.studies.results import Studies


class Dial:
    """What a tell-tale shows: its number, the finding codes that judge it, and the scale it is drawn on."""

    def __init__(
        self,
        key: str,
        words: str,
        number: str,
        station: str,
        codes: tuple[str, ...],
        scale: tuple[float, float],
        limits: tuple[float, ...],
    ) -> None:
        self.key, self.words, self.number, self.station = key, words, number, station
        self.codes, self.scale, self.limits = codes, scale, limits


DIALS = (
    Dial("level", "level, from wanted", "level.target_db", "level",
         ("level.fits", "level.too_loud", "level.too_quiet", "level.off_target"), (-12.0, 12.0), (-3.0, 3.0)),
    Dial("headroom", "headroom", "level.headroom_db", "level", ("level.headroom", "level.clips"), (-6.0, 24.0), (0.0,)),
    Dial("rail", "rail to spare", "power.rail_margin_a", "power",
         ("power.rail", "power.rail_overload", "power.rail_tight"), (-0.1, 0.1), (0.0,)),
    Dial("heat", "regulator", "power.regulator_tj_c", "power",
         ("power.cool", "power.hot", "power.overheats"), (20.0, 200.0), (125.0,)),
    Dial("hum", "bursts under music", "returns.buzz_db", "returns",
         ("returns.quiet", "returns.loop", "returns.shared", "returns.faint_buzz"), (-90.0, -20.0), (-50.0,)),
)  # fmt: skip


class TellTale(QAbstractButton):
    """One margin: number, spread on a scale with its limit, and the mark of its finding."""

    def __init__(self, dial: Dial) -> None:
        super().__init__()
        self.dial = dial
        self.text_value, self.word = "…", ""
        self.span: tuple[float, float, float] | None = None
        self.limits = dial.limits
        self.setObjectName(f"telltale_{dial.key}")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"{dial.words}: not studied yet")

    def sizeHint(self) -> QSize:
        return QSize(150, 62)

    def minimumSizeHint(self) -> QSize:
        return QSize(110, 62)

    def show_value(self, text: str, span: tuple[float, float, float] | None, word: str, note: str) -> None:
        """Show a value with its spread (low, value, high) and the word of its finding."""
        self.text_value, self.span, self.word = text, span, word
        self.setAccessibleName(f"{self.dial.words}: {text}, {word or 'none'}")
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
        painter.drawText(QPointF(10, 17), self.dial.words)
        painter.setFont(theme.font(theme.LARGE_PX, bold=True))
        painter.setPen(t.color("ink"))
        painter.drawText(QPointF(10, 38), self.text_value)
        glyphs.paint(painter, QRectF(box.right() - 24, 8, 15, 15), self.word)
        painter.setFont(theme.font(theme.SMALL_PX, bold=True))
        painter.setPen(t.severity(self.word) if self.word else t.color("dim"))
        painter.drawText(
            QRectF(box.right() - 84, 25, 76, 16),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            self.word,
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
        self.dials = [TellTale(d) for d in DIALS]
        for dial in self.dials:
            dial.clicked.connect(
                lambda _c, d=dial: self.chosen.emit(d.dial.station, self._codes.get(d.dial.key, ""))
            )
            layout.addWidget(dial)
        self._codes: dict[str, str] = {}

    def show_studies(self, studies: Studies) -> None:
        """Show the margins of a job's studies."""
        for tale in self.dials:
            finding = _finding(studies, tale.dial)
            number = studies.numbers.get(tale.dial.number)
            self._codes[tale.dial.key] = finding.code if finding else ""
            if number is None:
                tale.show_value("none", None, "", "The plan has nothing that this would judge.")
                continue
            span = None if number.value is None else (number.low, number.value, number.high)
            word = finding.severity.value if finding else ""
            tale.show_value(number.short(), span, word, finding.sentence if finding else number.words)


def _finding(studies: Studies, dial: Dial) -> Finding | None:
    return next((f for f in studies.findings if f.code in dial.codes), None)
