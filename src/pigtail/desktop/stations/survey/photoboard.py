"""A photo with its pins in Qt's own graphics view: wheel and drag, or the keyboard alone, with a cross that the arrow keys move."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QFocusEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPen,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import (
    QGraphicsItem,
    QGraphicsScene,
    QGraphicsView,
    QStyleOptionGraphicsItem,
    QWidget,
)

from pigtail.desktop import theme
from pigtail.desktop.stations.base import Align, say
from pigtail.job.document import Job, Picture
from pigtail.job.latest import latest_words
from pigtail.language import tr

ZOOM_MOST, ZOOM_STEP = 16.0, 1.25
PIN_PX = 7.0
#: A step of the cross, and a fine one, as parts of what is seen; a press that moves further is a drag [px].
STEP, FINE, DRAG_PX = 0.04, 0.004, 5
#: So far from its middle a pin's words reach at the most [px].
REACH_PX = 420.0


class PinMark(QGraphicsItem):
    """A pin: a ring on its place, of one size however near the photo is looked at, with its point and the latest reading there."""

    def __init__(self, board: PhotoBoard, point: str, words: str, reading: str) -> None:
        super().__init__()
        self.setFlag(QGraphicsItem.GraphicsItemFlag.ItemIgnoresTransformations)
        self.board, self.point, self.words, self.reading = board, point, words, reading
        self.setToolTip(f"{words}: {reading}" if reading else words)
        self.setZValue(1)

    def boundingRect(self) -> QRectF:
        return QRectF(-REACH_PX, -24, 2 * REACH_PX, 48)

    def paint(
        self, painter: QPainter | None, option: QStyleOptionGraphicsItem | None, widget: QWidget | None = None
    ) -> None:
        if painter is None:
            return
        t = theme.current()
        painter.setFont(theme.font(11, bold=True))
        metrics = painter.fontMetrics()
        width = min(
            max(metrics.horizontalAdvance(self.words), metrics.horizontalAdvance(self.reading)) + 14,
            REACH_PX - 12,
        )
        box = QRectF(11, -17, width, 34 if self.reading else 19)
        if self.board.mapFromScene(self.pos()).x() + box.right() > self.board.width():
            box.moveRight(-11)
        painter.setPen(QPen(t.color("copper"), 1.5))
        painter.setBrush(t.color("field"))
        painter.drawRoundedRect(box, 4, 4)
        say(painter, box.adjusted(6, 1, -2, -15 if self.reading else 0), self.words, bold=True, px=11)
        if self.reading:
            say(painter, box.adjusted(6, 16, -2, 0), self.reading, use="good", px=11)
        painter.setBrush(t.color("copper") if self.reading else t.color("field"))
        painter.setPen(QPen(t.color("copper"), 3))
        painter.drawEllipse(QPointF(), PIN_PX, PIN_PX)


class PhotoBoard(QGraphicsView):
    """The picture with its pins. `clicked` tells where, as parts of its width and height; `picked` a point.

    Keys: arrows move the cross (Shift: finely), Enter or Space clicks there, N and P go from pin to pin, + and − zoom, 0 shows the whole.
    """

    clicked = pyqtSignal(float, float)
    picked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("board")
        self.setMinimumSize(320, 150)
        self.setToolTip(
            tr(
                "Arrows move the cross, Enter clicks there, N goes to the next pin, + and − zoom, 0 shows all of it"
            )
        )
        self._scene = QGraphicsScene(self)
        self.setScene(self._scene)
        self.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        self.setDragMode(QGraphicsView.DragMode.ScrollHandDrag)
        self.setTransformationAnchor(QGraphicsView.ViewportAnchor.NoAnchor)
        self.setResizeAnchor(QGraphicsView.ViewportAnchor.NoAnchor)
        self.setViewportUpdateMode(QGraphicsView.ViewportUpdateMode.FullViewportUpdate)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QGraphicsView.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.image = QImage()
        self.picture: Picture | None = None
        self.job: Job | None = None
        self.zoom = 1.0
        self.waiting = False
        self.marks: list[QPointF] = []
        self.cross = QPointF(0.5, 0.5)
        self._kept: tuple[float, float, float] | None = None
        self._pressed: QPoint | None = None

    def show_picture(self, job: Job, picture: Picture | None, image: QImage) -> None:
        """Show a picture of a job; another one starts whole."""
        another = self.picture is None or picture is None or picture.id != self.picture.id
        if another:
            self.zoom, self.marks, self.cross, self._kept = 1.0, [], QPointF(0.5, 0.5), None
        fresh = another or image.cacheKey() != self.image.cacheKey()
        self.job, self.picture, self.image = job, picture, image
        pins = ", ".join(job.label(p.point) for p in picture.pins) if picture else ""
        self.setAccessibleName(
            tr("{picture}, pinned: {value}", picture=picture.name, value=pins or tr("nothing"))
            if picture
            else tr("no picture")
        )
        self._scene.clear()
        if picture is not None and not image.isNull():
            self._scene.addPixmap(QPixmap.fromImage(image))
            self._scene.setSceneRect(QRectF(image.rect()))
            for pin in picture.pins:
                item = PinMark(self, pin.point, job.label(pin.point), latest_words(job, pin.point))
                item.setPos(self._at(pin.x, pin.y))
                self._scene.addItem(item)
            if fresh:
                self._fit()
        self._viewport().update()

    def mark(self, marks: list[QPointF]) -> None:
        """Show marks at places of the picture, as parts of its width and height."""
        self.marks = marks
        self._viewport().update()

    # -- where ------------------------------------------------------------------------------------------------

    def _viewport(self) -> QWidget:
        found = self.viewport()
        assert found is not None
        return found

    def _at(self, x: float, y: float) -> QPointF:
        """A place of the picture, as parts of its width and height, in the scene."""
        return QPointF(x * self.image.width(), y * self.image.height())

    def _fit(self) -> None:
        """The picture as large as its zoom says: 1 shows the whole."""
        if self.image.isNull():
            return
        room = self._viewport().size()
        whole = min(room.width() / self.image.width(), room.height() / self.image.height())
        self.resetTransform()
        self.scale(whole * self.zoom, whole * self.zoom)
        if self._kept is not None:
            self.centerOn(self._at(*self._kept[:2]))
        elif self.zoom <= 1.0:
            self.centerOn(self._at(0.5, 0.5))

    def look_at(self, x: float, y: float, zoom: float) -> None:
        """Keep a place of the picture, as parts of its width and height, in the middle, so many times as large as the whole fits."""
        self._kept, self.zoom = (x, y, zoom), zoom
        self._fit()

    def frame(self) -> QRectF:
        """Where the whole picture lies in the view [px]."""
        return (
            QRectF(self.mapFromScene(self._scene.sceneRect()).boundingRect())
            if not self.image.isNull()
            else QRectF()
        )

    def place(self, x: float, y: float) -> QPointF:
        """A place on the picture in the view [px]."""
        return QPointF(self.mapFromScene(self._at(x, y)))

    def zoom_by(self, factor: float, about: QPointF) -> None:
        """Zoom about a place of the view [px]."""
        if self.image.isNull():
            return
        held = self.mapToScene(about.toPoint())
        self.zoom, self._kept = min(max(self.zoom * factor, 1.0), ZOOM_MOST), None
        self._fit()
        if self.zoom > 1.0:
            middle = self.mapToScene(self._viewport().rect().center())
            self.centerOn(middle + held - self.mapToScene(about.toPoint()))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    # -- paint ------------------------------------------------------------------------------------------------

    def drawBackground(self, painter: QPainter | None, rect: QRectF) -> None:
        if painter is not None:
            painter.fillRect(rect, theme.current().color("panel"))

    def drawForeground(self, painter: QPainter | None, rect: QRectF) -> None:
        if painter is None:
            return
        painter.save()
        painter.resetTransform()
        t = theme.current()
        if self.image.isNull() or self.picture is None:
            box = QRectF(self._viewport().rect()).adjusted(20, 20, -20, -20)
            say(painter, box, self._empty(), use="dim", px=13, align=Align.AlignCenter, wrap=True)
        else:
            painter.setPen(QPen(t.color("accent"), 2))
            for mark in self.marks:
                _cross(painter, self.place(mark.x(), mark.y()), 8)
            if self.hasFocus():
                at = self.place(self.cross.x(), self.cross.y())
                painter.setPen(QPen(t.color("field"), 4))
                _cross(painter, at, 12)
                painter.setPen(QPen(t.color("accent"), 2))
                _cross(painter, at, 12)
            if self.picture.mm_per_width > 0:
                self._scale_bar(painter)
        painter.restore()

    def _empty(self) -> str:
        if self.picture is None:
            return tr("Add a photo of a board, or a page of the papers, and pin the points on it.")
        if self.waiting:
            return tr("The picture is being opened …")
        return tr("The file of this picture is not beside the job, or cannot be shown.")

    def _scale_bar(self, painter: QPainter) -> None:
        assert self.picture is not None
        t = theme.current()
        per_mm = self.frame().width() / self.picture.mm_per_width
        mm = next((m for m in (1, 2, 5, 10, 20, 50, 100) if m * per_mm >= 60), 100)
        left, y = 14.0, self._viewport().height() - 14.0
        box = QRectF(left - 6, y - 22, mm * per_mm + 12, 30)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(t.color("field"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QPen(t.color("ink"), 3))
        painter.drawLine(QPointF(left, y), QPointF(left + mm * per_mm, y))
        say(painter, QRectF(left, y - 20, 80, 16), f"{mm} mm", px=11, bold=True)

    # -- hands ------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        self._pressed = event.position().toPoint() if event is not None else None

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        super().mouseReleaseEvent(event)
        pressed, self._pressed = self._pressed, None
        if event is None or pressed is None:
            return
        at = event.position().toPoint()
        if (at - pressed).manhattanLength() > DRAG_PX:
            self._kept = None
        else:
            self._click(QPointF(at))

    def _click(self, at: QPointF) -> None:
        """A click at a place of the view [px]: a pin there is picked, else the place is told."""
        if self.picture is None or self.image.isNull():
            return
        for pin in self.picture.pins:
            if (self.place(pin.x, pin.y) - at).manhattanLength() < 2 * PIN_PX:
                self.picked.emit(pin.point)
                return
        there = self.mapToScene(at.toPoint())
        x, y = there.x() / self.image.width(), there.y() / self.image.height()
        if 0 <= x <= 1 and 0 <= y <= 1:
            self.clicked.emit(x, y)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or self.image.isNull():
            return
        self.zoom_by(ZOOM_STEP if event.angleDelta().y() > 0 else 1 / ZOOM_STEP, event.position())
        event.accept()

    # -- keys -------------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.picture is None or self.image.isNull():
            super().keyPressEvent(event)
            return
        key, at = event.key(), self.place(self.cross.x(), self.cross.y())
        ways = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
        }  # fmt: skip
        if key in ways:
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            step = (FINE if fine else STEP) / self.zoom
            self._cross_to(self.cross + QPointF(*ways[Qt.Key(key)]) * step)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._click(at)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom_by(ZOOM_STEP, at)
        elif key == Qt.Key.Key_Minus:
            self.zoom_by(1 / ZOOM_STEP, at)
        elif key == Qt.Key.Key_0:
            self.zoom_by(1 / ZOOM_MOST, at)
        elif key in (Qt.Key.Key_N, Qt.Key.Key_P) and self.picture.pins:
            self._next_pin(1 if key == Qt.Key.Key_N else -1)
        else:
            super().keyPressEvent(event)

    def _next_pin(self, step: int) -> None:
        """The cross on the next pin, or the one before."""
        assert self.picture is not None
        pins = self.picture.pins
        here = next(
            (k for k, p in enumerate(pins) if abs(p.x - self.cross.x()) + abs(p.y - self.cross.y()) < 1e-9),
            None,
        )
        pin = pins[(here + step) % len(pins)] if here is not None else pins[0 if step > 0 else -1]
        self._cross_to(QPointF(pin.x, pin.y))

    def _cross_to(self, to: QPointF) -> None:
        """Move the cross; what it stands on stays in view."""
        self.cross = QPointF(min(max(to.x(), 0.0), 1.0), min(max(to.y(), 0.0), 1.0))
        if self.zoom > 1.0:
            self._kept = None
            self.ensureVisible(QRectF(self._at(self.cross.x(), self.cross.y()), self._at(0, 0)), 40, 40)
        self._viewport().update()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self._viewport().update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self._viewport().update()


def _cross(painter: QPainter, at: QPointF, arm: float) -> None:
    painter.drawLine(at - QPointF(arm, 0), at + QPointF(arm, 0))
    painter.drawLine(at - QPointF(0, arm), at + QPointF(0, arm))
