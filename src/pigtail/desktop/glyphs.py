"""Severity marks: each its own shape, so that none is told by colour alone."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPen, QPixmap, QPolygonF

from pigtail.desktop import theme

#: Words of the severities as the core writes them; "" stands for not studied yet.
WORDS = ("stop", "fix", "unknown", "watch", "good", "")


def paint(painter: QPainter, rect: QRectF, word: str) -> None:
    """Paint the mark of a severity into a square."""
    color = theme.current().severity(word) if word else theme.current().color("dim")
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(color, rect.width() / 8))
    painter.setBrush(QBrush(color))
    box = rect.adjusted(1, 1, -1, -1)
    light = QPen(theme.current().color("panel"), rect.width() / 7, cap=Qt.PenCapStyle.RoundCap)
    if word == "stop":
        painter.drawRect(box)
        painter.setPen(light)
        painter.drawLine(box.topLeft() + QPointF(3, 3), box.bottomRight() - QPointF(3, 3))
        painter.drawLine(box.topRight() + QPointF(-3, 3), box.bottomLeft() + QPointF(3, -3))
    elif word == "fix":
        painter.drawPolygon(
            QPolygonF([box.topLeft(), box.topRight(), QPointF(box.center().x(), box.bottom())])
        )
    elif word == "watch":
        painter.setBrush(Qt.BrushStyle.NoBrush)
        middle = box.center()
        painter.drawPolygon(
            QPolygonF(
                [
                    QPointF(middle.x(), box.top()),
                    QPointF(box.right(), middle.y()),
                    QPointF(middle.x(), box.bottom()),
                    QPointF(box.left(), middle.y()),
                ]
            )
        )
    elif word == "unknown":
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(box)
        painter.setFont(theme.font(max(7, int(rect.height() * 0.62)), bold=True))
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, "?")
    elif word == "good":
        painter.drawEllipse(box)
        painter.setPen(light)
        painter.drawPolyline(
            QPolygonF(
                [
                    QPointF(box.left() + box.width() * 0.27, box.center().y()),
                    QPointF(box.left() + box.width() * 0.44, box.top() + box.height() * 0.68),
                    QPointF(box.left() + box.width() * 0.74, box.top() + box.height() * 0.32),
                ]
            )
        )
    else:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(box.adjusted(3, 3, -3, -3))
    painter.restore()


def pixmap(word: str, size: int = 16) -> QPixmap:
    """The mark of a severity as a picture."""
    made = QPixmap(size * 2, size * 2)
    made.setDevicePixelRatio(2.0)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    paint(painter, QRectF(0, 0, size, size), word)
    painter.end()
    return made
