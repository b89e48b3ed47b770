"""The lead: the work as stations spliced along one cable, each with its worst finding."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QAbstractButton, QLabel, QSizePolicy, QSpacerItem, QVBoxLayout, QWidget

from pigtail.desktop import glyphs, theme
from pigtail.language import tr
from pigtail.studies.register import REGISTER, Entry

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

WIDTH, CABLE_X = 164, 24
#: A splice is as tall as there is room for: between a line and two lines with air about them.
LEAST, MOST = 32, 70
#: Below this a splice says what it has to say in one line.
TWO_LINES = 54
#: Where the cable frays, and the card below it.
TAIL_HEIGHT, LOW_TAIL, CARD_HEIGHT = 64, 44, 96
#: Letters of what is wanted that the card has room for; all of it stands in its tip.
LETTERS = 30


class Splice(QAbstractButton):
    """One station on the cable."""

    def __init__(self, number: int, key: str, words: str, line: str) -> None:
        super().__init__()
        self.key, self.words, self.line, self.number, self.verdict = key, words, line, number, ""
        self.setObjectName(f"station_{key}")
        self.setCheckable(True)
        self.setText(words)
        self.setToolTip(tr("{words}: {line} (Alt+{number})", words=words, line=line, number=number))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.show_verdict("")

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, MOST)

    def show_verdict(self, word: str) -> None:
        """Show the worst finding of the station."""
        self.verdict = word
        self.setAccessibleName(
            tr(
                "Station {number}, {what}: {value}",
                number=self.number,
                what=self.words,
                value=tr(word) or tr("not studied yet"),
            )
        )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        low = self.height() < TWO_LINES
        air = 3 if low else 9
        sleeve = QRectF(8, air, WIDTH - 14, self.height() - 2 * air - (0 if low else 4))
        chosen = self.isChecked()
        painter.setBrush(t.color("panel") if chosen else t.color("ground"))
        edge = t.color("accent") if chosen or self.underMouse() else t.color("line")
        painter.setPen(QPen(edge, 2 if chosen else 1))
        painter.drawRoundedRect(sleeve, 9, 9)
        if self.hasFocus():
            painter.setPen(QPen(t.color("accent"), 1, Qt.PenStyle.DashLine))
            out = 1 if low else 3
            painter.drawRoundedRect(sleeve.adjusted(-out, -out, out, out), 11, 11)
        glyphs.paint(painter, QRectF(CABLE_X - 8, sleeve.center().y() - 8, 16, 16), self.verdict)
        left = CABLE_X + 18
        middle = Qt.AlignmentFlag.AlignVCenter
        line = QRectF(left, sleeve.top(), sleeve.right() - left - 8, sleeve.height())
        if low:
            painter.setPen(t.color("ink"))
            painter.setFont(theme.font(theme.BODY_PX, bold=True))
            painter.drawText(line, middle, self.words)
            wide = painter.fontMetrics().horizontalAdvance(self.words)
            painter.setFont(theme.font(theme.SMALL_PX, bold=True))
            painter.setPen(t.severity(self.verdict) if self.verdict else t.color("dim"))
            says = tr(self.verdict) or "…"
            room = line.width() - wide - 6  # the mark tells the verdict too
            if painter.fontMetrics().horizontalAdvance(says) <= room:
                painter.drawText(line, middle | Qt.AlignmentFlag.AlignRight, says)
            return
        painter.setPen(t.color("ink"))
        painter.setFont(theme.font(14, bold=True))
        half = line.height() / 2
        painter.drawText(line.adjusted(0, 3, 0, -half), middle, self.words)
        painter.setFont(theme.font(theme.SMALL_PX, bold=True))
        painter.setPen(t.severity(self.verdict) if self.verdict else t.color("dim"))
        says = tr(self.verdict) or ("…" if self.isEnabled() else self.line)
        if not self.isEnabled():
            painter.setFont(theme.font(theme.SMALL_PX))
        says = painter.fontMetrics().elidedText(says, Qt.TextElideMode.ElideRight, int(line.width() + 8))
        painter.drawText(line.adjusted(0, half - 2, 8, -3), middle, says)
        painter.setPen(t.color("dim"))
        painter.setFont(theme.font(theme.SMALL_PX))
        painter.drawText(
            QRectF(sleeve.right() - 26, sleeve.top() + 6, 18, 16),
            Qt.AlignmentFlag.AlignRight,
            str(self.number),
        )


class Lead(QWidget):
    """The cable with its splices; tells which station was chosen."""

    chosen = pyqtSignal(str)

    def __init__(self, entries: Sequence[Entry] = REGISTER) -> None:
        super().__init__()
        self.setObjectName("lead")
        self.setFixedWidth(WIDTH)
        self.setAccessibleName(tr("The lead: stations in working order"))
        self.splices: dict[str, Splice] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.setSpacing(0)
        layout.setSizeConstraint(QVBoxLayout.SizeConstraint.SetNoConstraint)
        for number, entry in enumerate(entries, start=1):
            splice = Splice(number, entry.key, entry.words, entry.line)
            splice.clicked.connect(lambda _checked, key=entry.key: self.chosen.emit(key))
            layout.addWidget(splice)
            self.splices[entry.key] = splice
        self._tail = QSpacerItem(0, TAIL_HEIGHT)
        layout.addItem(self._tail)
        self.card = QLabel()
        self.card.setObjectName("dim")
        self.card.setWordWrap(True)
        self.card.setTextFormat(Qt.TextFormat.PlainText)
        self.card.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.card.setContentsMargins(8, 0, 8, 0)
        layout.addWidget(self.card, 1)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Share the height among the splices."""
        super().resizeEvent(event)
        room = self.height() - LOW_TAIL - CARD_HEIGHT
        height = min(max(room // max(len(self.splices), 1), LEAST), MOST)
        self._tail.changeSize(0, TAIL_HEIGHT if height == MOST else LOW_TAIL)
        for splice in self.splices.values():
            splice.setFixedSize(WIDTH, height)

    def minimumSizeHint(self) -> QSize:
        return QSize(WIDTH, LEAST * len(self.splices) + LOW_TAIL + CARD_HEIGHT)

    def show_job(self, name: str, wanted: str, state: str) -> None:
        """Show what the job is called, what is wanted, and whether it is safe on disk."""
        short = wanted if len(wanted) <= LETTERS else f"{wanted[: LETTERS - 2].rstrip()}…"
        self.card.setText("\n".join(x for x in (name, state, short) if x))
        self.card.setToolTip(wanted)

    def show_verdicts(self, verdicts: Mapping[str, str]) -> None:
        """Show the worst finding of each station by its word."""
        for key, splice in self.splices.items():
            splice.show_verdict(verdicts.get(key, ""))

    def choose(self, key: str) -> None:
        """Mark a station as the one on view."""
        for name, splice in self.splices.items():
            splice.setChecked(name == key)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The cable behind the splices: two strands that cross between them and fray at the end."""
        t = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        end = sum(splice.height() for splice in self.splices.values()) + 2
        strands = ((t.color("copper"), 1), (t.color("ivory"), -1))
        for color, first_side in strands:
            side = first_side
            path = QPainterPath(QPointF(CABLE_X + 4 * side, 0))
            y = 0.0
            while y < end:
                path.cubicTo(
                    QPointF(CABLE_X + 4 * side, y + 9), QPointF(CABLE_X - 4 * side, y + 9),
                    QPointF(CABLE_X - 4 * side, y + 18),
                )  # fmt: skip
                side, y = -side, y + 18
            path.cubicTo(
                QPointF(CABLE_X + 4 * side, y + 16), QPointF(CABLE_X + 16 * side, y + 18),
                QPointF(CABLE_X + 15 * side, y + 40),
            )  # fmt: skip
            painter.setPen(QPen(color, 3, cap=Qt.PenCapStyle.RoundCap))
            painter.drawPath(path)
