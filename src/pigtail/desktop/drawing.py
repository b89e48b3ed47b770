"""Drawings in millimetres on the screen: painted on paper as they are printed, zoomed by the wheel, moved by dragging."""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPen, QPolygonF, QWheelEvent

from pigtail.desktop import theme
from pigtail.desktop.stations.base import Align, Painting, say
from pigtail.drawing.shapes import Circle, Drawing, Lettering, Stroke
from pigtail.drawing.svg import on_paper
from pigtail.language import tr

if TYPE_CHECKING:
    from collections.abc import Sequence

#: Type is painted at this size and scaled, so that it is as wide on the screen as in print [px].
_TYPE_PX = 40
ZOOM_STEP, ZOOM_MOST = 1.25, 12.0
#: How near a click must be to a line, and how far a press must move to be a drag [px].
NEAR_PX, DRAG_PX = 9.0, 5.0


def paint_drawing(painter: QPainter, drawing: Drawing, left: float, top: float, scale: float) -> None:
    """A drawing with its upper left corner at a place [px], so many pixels a millimetre."""
    for shape in drawing.shapes:
        if isinstance(shape, Lettering):
            _words(painter, shape, left, top, scale)
            continue
        _pens(painter, shape, scale)
        if isinstance(shape, Circle):
            painter.drawEllipse(
                QPointF(left + shape.x * scale, top + shape.y * scale),
                shape.radius * scale,
                shape.radius * scale,
            )
            continue
        points = QPolygonF([QPointF(left + x * scale, top + y * scale) for x, y in shape.points])
        if shape.closed:
            painter.drawPolygon(points)
        else:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(points)


def _pens(painter: QPainter, shape: Stroke | Circle, scale: float) -> None:
    pen = QPen(Qt.PenStyle.NoPen)
    if shape.ink and shape.width > 0:
        pen = QPen(QColor.fromString(on_paper(shape.ink)), max(shape.width * scale, 0.6))
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        pen.setJoinStyle(Qt.PenJoinStyle.MiterJoin)
        if isinstance(shape, Stroke) and shape.dash:
            pen.setDashPattern([max(d * scale / pen.widthF(), 0.1) for d in shape.dash])
    painter.setPen(pen)
    painter.setBrush(QColor.fromString(on_paper(shape.fill)) if shape.fill else QColor(0, 0, 0, 0))


def _words(painter: QPainter, words: Lettering, left: float, top: float, scale: float) -> None:
    painter.save()
    painter.translate(left + words.x * scale, top + words.y * scale)
    painter.rotate(words.angle)
    painter.scale(words.size * scale / _TYPE_PX, words.size * scale / _TYPE_PX)
    painter.setFont(theme.font(_TYPE_PX, bold=words.bold))
    painter.setPen(QColor.fromString(on_paper(words.ink)))
    wide = painter.fontMetrics().horizontalAdvance(words.text)
    painter.drawText(
        QPointF({"start": 0.0, "middle": -wide / 2, "end": -wide}[words.anchor], 0.0), words.text
    )
    painter.restore()


class DrawingView(Painting):
    """Drawings side by side, fitted into the view. `clicked` tells a place of the first [mm], `dragged` a rectangle of it [mm] where
    dragging marks one; `picked` the number in the layer of a line that was clicked."""

    clicked = pyqtSignal(float, float)
    dragged = pyqtSignal(float, float, float, float)
    picked = pyqtSignal(int)

    def __init__(self, name: str, nothing: str) -> None:
        super().__init__(name, QSize(300, 160))
        self.nothing = nothing
        self.drawings: tuple[Drawing, ...] = ()
        self.marks = False
        self.chosen = 0
        self.backdrop = QImage()
        self.backdrop_at = QRectF()
        self.zoom, self.shift = 1.0, QPointF()
        self._pressed: QPointF | None = None
        self._now: QPointF | None = None
        self.setToolTip(tr("Wheel: zoom. Drag: move. Double click: the whole again."))

    def show_drawings(self, drawings: Sequence[Drawing], words: str) -> None:
        """Show drawings, told in words for those who cannot see them."""
        if [(d.width, d.height) for d in drawings] != [(d.width, d.height) for d in self.drawings]:
            self.zoom, self.shift = 1.0, QPointF()
        self.drawings = tuple(drawings)
        self.describe(words)

    def choose(self, number: int) -> None:
        """Mark the line of a number; 0 for none."""
        self.chosen = number
        self.update()

    def scale(self) -> float:
        """Pixels a millimetre."""
        wide = sum(d.width for d in self.drawings) + 8.0 * (len(self.drawings) - 1)
        high = max((d.height for d in self.drawings), default=1.0)
        return min((self.width() - 24) / max(wide, 1.0), (self.height() - 20) / high, 9.0) * self.zoom

    def corner(self) -> QPointF:
        """Where the upper left corner of the first drawing lies [px]."""
        k = self.scale()
        wide = (sum(d.width for d in self.drawings) + 8.0 * (len(self.drawings) - 1)) * k
        high = max((d.height for d in self.drawings), default=0.0) * k
        return QPointF((self.width() - wide) / 2, (self.height() - high) / 2) + self.shift

    def place(self, x: float, y: float) -> QPointF:
        """A place of the first drawing [mm] in the view [px]."""
        return self.corner() + QPointF(x, y) * self.scale()

    def millimetres(self, at: QPointF) -> tuple[float, float]:
        """A place of the view [px] on the first drawing [mm]."""
        inside = (at - self.corner()) / self.scale()
        return inside.x(), inside.y()

    def paint(self, painter: QPainter, box: QRectF) -> None:
        if not self.drawings:
            say(painter, box, self.nothing, use="dim", px=13, align=Align.AlignCenter, wrap=True)
            return
        painter.setClipRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        k, at = self.scale(), self.corner()
        x = at.x()
        for number, drawing in enumerate(self.drawings):
            painter.fillRect(QRectF(x, at.y(), drawing.width * k, drawing.height * k), QColor("#ffffff"))
            if number == 0 and not self.backdrop.isNull():
                painter.save()
                painter.setClipRect(QRectF(x, at.y(), drawing.width * k, drawing.height * k))
                painter.setOpacity(0.55)
                painter.drawImage(
                    QRectF(
                        self.place(self.backdrop_at.x(), self.backdrop_at.y()), self.backdrop_at.size() * k
                    ),
                    self.backdrop,
                )
                painter.restore()
            if number == 0:
                self._halo(painter, drawing, k, at)
            paint_drawing(painter, drawing, x, at.y(), k)
            x += (drawing.width + 8.0) * k
        if self.marks and self._pressed is not None and self._now is not None:
            painter.setPen(QPen(theme.current().color("accent"), 2, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self._pressed, self._now).normalized())

    def _halo(self, painter: QPainter, drawing: Drawing, k: float, at: QPointF) -> None:
        """A broad light line under the one that is chosen."""
        for shape in drawing.shapes:
            if self.chosen and isinstance(shape, Stroke) and shape.layer == f"wire {self.chosen}":
                pen = QPen(QColor("#f3d9a4"), max(4.0 * k, 7.0))
                pen.setCapStyle(Qt.PenCapStyle.RoundCap)
                painter.setPen(pen)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolyline(QPolygonF([at + QPointF(x, y) * k for x, y in shape.points]))

    def line_at(self, at: QPointF) -> int:
        """The number of the line under a place of the view [px]; 0 for none."""
        if not self.drawings:
            return 0
        x, y = self.millimetres(at)
        near = NEAR_PX / self.scale()
        found = [
            (_distance(shape, x, y), int(shape.layer.split()[1]))
            for shape in self.drawings[0].shapes
            if isinstance(shape, Stroke) and shape.layer.startswith("wire ") and shape.layer != "wire 0"
        ]
        best = min(found, default=(near, 0))
        return best[1] if best[0] < near else 0

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._pressed = self._now = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._pressed is None or self._now is None:
            return
        if not self.marks:
            self.shift += event.position() - self._now
        self._now = event.position()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._pressed is None:
            return
        start, self._pressed, self._now = self._pressed, None, None
        moved = (event.position() - start).manhattanLength() > DRAG_PX
        self.update()
        if not self.drawings:
            return
        if moved and self.marks:
            (x0, y0), (x1, y1) = self.millimetres(start), self.millimetres(event.position())
            self.dragged.emit(min(x0, x1), min(y0, y1), abs(x1 - x0), abs(y1 - y0))
        elif not moved:
            number = self.line_at(event.position())
            if number:
                self.picked.emit(number)
            self.clicked.emit(*self.millimetres(event.position()))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.zoom, self.shift = 1.0, QPointF()
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or not self.drawings:
            return
        factor = ZOOM_STEP if event.angleDelta().y() > 0 else 1 / ZOOM_STEP
        new = min(max(self.zoom * factor, 1.0), ZOOM_MOST)
        x, y = self.millimetres(event.position())
        self.zoom = new
        self.shift = QPointF() if new == 1.0 else self.shift + event.position() - self.place(x, y)
        self.update()
        event.accept()


def _distance(line: Stroke, x: float, y: float) -> float:
    """How far a place lies from a line [mm]."""
    best = 1e9
    for (ax, ay), (bx, by) in pairwise(line.points):
        dx, dy = bx - ax, by - ay
        along = max(0.0, min(1.0, ((x - ax) * dx + (y - ay) * dy) / ((dx * dx + dy * dy) or 1.0)))
        best = min(best, float(((x - ax - along * dx) ** 2 + (y - ay - along * dy) ** 2) ** 0.5))
    return best
