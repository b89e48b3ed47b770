"""Photos of boards and pages of the papers with points pinned on them: zoom, drag, pin, scale by two clicks."""

from __future__ import annotations

import re
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from pigtail.desktop import ask, theme
from pigtail.desktop.beside import keep_beside
from pigtail.desktop.fields import fill_combo
from pigtail.desktop.stations.base import Align, say
from pigtail.desktop.wants import Looked, Shown
from pigtail.edits import host as host_edits
from pigtail.edits.change import Change
from pigtail.job.document import FUNCTION_UNITS, HOST, Function, Job, Picture
from pigtail.job.log import log_of
from pigtail.language import tr
from pigtail.units import format_quantity

ZOOM_MOST, ZOOM_STEP = 16.0, 1.25
PIN_PX = 7.0
FOLDER = "pictures"


class Board(QWidget):
    """The picture with its pins. `clicked` tells where, as parts of its width and height; `picked` a point."""

    clicked = pyqtSignal(float, float)
    picked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("board")
        self.setMinimumSize(320, 150)
        self.setMouseTracking(True)
        self.image = QImage()
        self.picture: Picture | None = None
        self.job: Job | None = None
        self.zoom, self.shift = 1.0, QPointF()
        self._kept: tuple[float, float, float] | None = None
        self.waiting = False
        self.marks: list[QPointF] = []
        self._pressed: QPointF | None = None
        self._moved = False

    def show_picture(self, job: Job, picture: Picture | None, image: QImage) -> None:
        """Show a picture of a job; another one starts whole."""
        if self.picture is None or picture is None or picture.id != self.picture.id:
            self.zoom, self.shift, self.marks = 1.0, QPointF(), []
        self.job, self.picture, self.image = job, picture, image
        pins = ", ".join(job.label(p.point) for p in picture.pins) if picture else ""
        self.setAccessibleName(
            tr("{picture}, pinned: {value}", picture=picture.name, value=pins or "nothing")
            if picture
            else tr("no picture")
        )
        self.update()

    def look_at(self, x: float, y: float, zoom: float) -> None:
        """Keep a place of the picture, as parts of its width and height, in the middle, so many times as large as the whole fits."""
        self._kept = (x, y, zoom)
        self.zoom, self.shift = zoom, QPointF()
        frame = self.frame()
        self.shift = QPointF((0.5 - x) * frame.width(), (0.5 - y) * frame.height())
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if self._kept is not None:
            self.look_at(*self._kept)

    def frame(self) -> QRectF:
        """Where the whole picture lies in the widget."""
        if self.image.isNull():
            return QRectF()
        scale = min(self.width() / self.image.width(), self.height() / self.image.height()) * self.zoom
        size = QPointF(self.image.width() * scale, self.image.height() * scale)
        middle = QPointF(self.width() / 2, self.height() / 2) + self.shift
        return QRectF(middle.x() - size.x() / 2, middle.y() - size.y() / 2, size.x(), size.y())

    def place(self, x: float, y: float) -> QPointF:
        """A place on the picture in the widget."""
        frame = self.frame()
        return QPointF(frame.left() + x * frame.width(), frame.top() + y * frame.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        t = theme.current()
        painter.fillRect(self.rect(), t.color("panel"))
        if self.image.isNull() or self.picture is None or self.job is None:
            words = tr("Add a photo of a board, or a page of the papers, and pin the points on it.")
            if self.picture:
                words = tr("The file of this picture is not beside the job, or cannot be shown.")
                if self.waiting:
                    words = tr("The picture is being opened …")
            say(
                painter,
                QRectF(self.rect()).adjusted(20, 20, -20, -20),
                words,
                use="dim",
                px=13,
                align=Align.AlignCenter,
                wrap=True,
            )
            return
        painter.drawImage(self.frame(), self.image)
        for pin in self.picture.pins:
            self._pin(painter, self.place(pin.x, pin.y), pin.point)
        painter.setPen(QPen(t.color("accent"), 2))
        for mark in self.marks:
            at = self.place(mark.x(), mark.y())
            painter.drawLine(at - QPointF(8, 0), at + QPointF(8, 0))
            painter.drawLine(at - QPointF(0, 8), at + QPointF(0, 8))
        if self.picture.mm_per_width > 0:
            self._scale_bar(painter)

    def _pin(self, painter: QPainter, at: QPointF, point: str) -> None:
        assert self.job is not None
        t = theme.current()
        text = self.job.label(point)
        reading = latest_words(self.job, point)
        painter.setFont(theme.font(11, bold=True))
        width = (
            max(
                painter.fontMetrics().horizontalAdvance(text),
                painter.fontMetrics().horizontalAdvance(reading),
            )
            + 14
        )
        box = QRectF(at.x() + 11, at.y() - 17, width, 34 if reading else 19)
        if box.right() > self.width():
            box.moveRight(at.x() - 11)
        painter.setPen(QPen(t.color("copper"), 1.5))
        painter.setBrush(t.color("field"))
        painter.drawRoundedRect(box, 4, 4)
        say(painter, box.adjusted(6, 1, -2, -15 if reading else 0), text, bold=True, px=11)
        if reading:
            say(painter, box.adjusted(6, 16, -2, 0), reading, use="good", px=11)
        painter.setBrush(t.color("copper") if reading else t.color("field"))
        painter.setPen(QPen(t.color("copper"), 3))
        painter.drawEllipse(at, PIN_PX, PIN_PX)

    def _scale_bar(self, painter: QPainter) -> None:
        assert self.picture is not None
        t = theme.current()
        per_mm = self.frame().width() / self.picture.mm_per_width
        mm = next((m for m in (1, 2, 5, 10, 20, 50, 100) if m * per_mm >= 60), 100)
        left, y = 14.0, self.height() - 14.0
        box = QRectF(left - 6, y - 22, mm * per_mm + 12, 30)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(t.color("field"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QPen(t.color("ink"), 3))
        painter.drawLine(QPointF(left, y), QPointF(left + mm * per_mm, y))
        say(painter, QRectF(left, y - 20, 80, 16), f"{mm} mm", px=11, bold=True)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._pressed, self._moved = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._pressed is None:
            return
        step = event.position() - self._pressed
        if self._moved or step.manhattanLength() > 5:
            self._moved = True
            self.shift += step
            self._pressed = event.position()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._pressed is None:
            return
        self._pressed = None
        if self._moved or self.picture is None or self.image.isNull():
            return
        at = event.position()
        for pin in self.picture.pins:
            if (self.place(pin.x, pin.y) - at).manhattanLength() < 2 * PIN_PX:
                self.picked.emit(pin.point)
                return
        frame = self.frame()
        x, y = (at.x() - frame.left()) / frame.width(), (at.y() - frame.top()) / frame.height()
        if 0 <= x <= 1 and 0 <= y <= 1:
            self.clicked.emit(x, y)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or self.image.isNull():
            return
        self.zoom_by(ZOOM_STEP if event.angleDelta().y() > 0 else 1 / ZOOM_STEP, event.position())
        event.accept()

    def zoom_by(self, factor: float, about: QPointF) -> None:
        """Zoom about a place of the widget."""
        new = min(max(self.zoom * factor, 1.0), ZOOM_MOST)
        middle = QPointF(self.width() / 2, self.height() / 2)
        self.shift = (
            (self.shift + middle - about) * (new / self.zoom) + about - middle if new > 1 else QPointF()
        )
        self.zoom = new
        self.update()


def latest_words(job: Job, point: str) -> str:
    """The latest reading at a point, in words."""
    found = [r for r in log_of(job).touching(point) if r.point == point]
    if not found:
        return ""
    volts = [r for r in found if r.function in (Function.DC_VOLTS, Function.AC_VOLTS)]
    last = (volts or found)[-1]
    state = job.state(last.state)
    if last.function is Function.HEARD:
        return tr("listened to")
    return f"{format_quantity(last.value.nominal, FUNCTION_UNITS[last.function])} {tr(last.function.value)}, {state.name if state else '?'}"


class Pictures(QWidget):
    """The pictures of a job. `edited` carries a Change; `refused` one sentence; `point_picked` an address; `wants` a want of the window."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)
    point_picked = pyqtSignal(str)
    wants = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.board = Board()
        self.list, self.point, self.does = QComboBox(), QComboBox(), QComboBox()
        for widget, name, accessible in (
            (self.list, "picture", tr("Picture")), (self.point, "pin_point", tr("Point to pin")),
            (self.does, "click_does", tr("What a click does")),
        ):  # fmt: skip
            widget.setObjectName(name)
            widget.setAccessibleName(accessible)
        for words, key in (
            (tr("a click pins"), "pin"),
            (tr("a click takes the pin off"), "unpin"),
            (tr("two clicks set the scale"), "scale"),
        ):
            self.does.addItem(words, key)
        self.list.setMinimumWidth(170)
        self.add = QPushButton(tr("Add…"))
        self.add.setObjectName("add_picture")
        self.remove = QPushButton(tr("Take out"))
        self.remove.setObjectName("remove_picture")
        row = QHBoxLayout()
        for item in (self.list, self.add, self.remove, self.does, self.point):
            row.addWidget(item)
        row.addStretch(1)
        self.hint = QLabel(tr("Wheel: zoom. Drag: move. Click a pin: its point on the bench strip."))
        self.hint.setObjectName("dim")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(row)
        layout.addWidget(self.board, 1)
        layout.addWidget(self.hint)
        self.list.currentIndexChanged.connect(lambda _k: self._fill())
        self.does.currentIndexChanged.connect(lambda _k: self._does_chosen())
        self.add.clicked.connect(self.ask_add)
        self.remove.clicked.connect(self._remove)
        self.board.clicked.connect(self._clicked)
        self.board.picked.connect(self._pin_picked)
        self.folder: Path | None = None
        self._job: Job | None = None

    def show_job(self, job: Job, folder: Path | None) -> None:
        """Show the pictures of a job, whose files lie under a folder."""
        self._job, self.folder = job, folder
        fill_combo(self.list, [(p.name, p.id) for p in job.pictures])
        fill_combo(self.point, [(t.name, f"{HOST}.{t.id}") for t in job.host.terminals])
        self._fill()

    def picture(self) -> Picture | None:
        """The picture on view."""
        if self._job is None:
            return None
        return next((p for p in self._job.pictures if p.id == self.list.currentData()), None)

    def _fill(self) -> None:
        picture = self.picture()
        if self._job is None or picture is None:
            self._put(picture, QImage())
            return
        before = self.board.picture
        if before is None or (before.sha256, before.page) != (picture.sha256, picture.page):
            self._put(picture, QImage())
            self.board.waiting = True
        else:
            self._put(picture, self.board.image)
        self.wants.emit(Shown(picture.file, picture.sha256, picture.page, partial(self._have, picture)))

    def _have(self, picture: Picture, image: QImage) -> None:
        """A picture is decoded: shown, if it is still the one on view."""
        now = self.picture()
        if now is not None and (now.sha256, now.page) == (picture.sha256, picture.page):
            self.board.waiting = False
            self._put(now, image)

    def _put(self, picture: Picture | None, image: QImage) -> None:
        if self._job is not None:
            self.board.show_picture(self._job, picture, image)

    def _has_folder(self) -> bool:
        """Whether there is a folder for pictures yet; tells what makes one."""
        if self.folder is None:
            self.refused.emit(tr("open a job first: pictures belong to it"))
        return self.folder is not None

    def take(self, path: Path) -> None:
        """Add a file, or say why it cannot be yet."""
        if self._has_folder():
            self.add_file(path)

    def ask_add(self) -> None:
        """Ask for files and add them."""
        if not self._has_folder():
            return
        for path in ask.picture_paths(self, str(self.folder)):
            self.add_file(path)

    def add_file(self, path: Path) -> None:
        """Add a photo, or every page of a PDF; its file is copied beside the job unless it lies there already."""
        if self.folder is None or self._job is None:
            return
        self.wants.emit(Looked(path, partial(self._add, path), lambda error: self.refused.emit(str(error))))

    def _add(self, path: Path, pages: int) -> None:
        """Add a file that was looked at, so many pages of it."""
        if self.folder is None or self._job is None:
            return
        wanted = chosen_pages(pages, ask.pages(self, path.name, pages) if pages > 1 else "all")
        if wanted is None:
            self.refused.emit(
                tr("{path} has {pages} pages; write all, or some as 2, 5-7", path=path.name, pages=pages)
            )
            return
        if pages and not wanted:
            return
        try:
            kept, digest = keep_beside(path, self.folder, FOLDER)
        except OSError as error:
            self.refused.emit(
                tr(
                    "{path} cannot be kept beside the job ({strerror}); free or unlock its folder",
                    path=path.name,
                    strerror=error.strerror,
                )
            )
            return
        taken = [p.id for p in self._job.pictures]
        made = []
        for page in wanted or (0,):
            name = tr("{stem}, page {page}", stem=path.stem, page=page) if page else path.stem
            new = host_edits.id_of(name, taken)
            taken.append(new)
            made.append(Picture(id=new, name=name, file=kept, sha256=digest, page=page))
        self.edited.emit(Change(tr("add {path}", path=path.name), partial(_add_all, pictures=tuple(made))))
        self.list.setCurrentIndex(max(self.list.findData(made[0].id), 0))

    def _remove(self) -> None:
        picture = self.picture()
        if picture is not None:
            self.edited.emit(
                Change(
                    tr("take out {picture}", picture=picture.name),
                    partial(host_edits.remove_picture, picture_id=picture.id),
                )
            )

    def _does_chosen(self) -> None:
        self.board.marks = []
        self.board.update()
        self.point.setVisible(self.does.currentData() == "pin")

    def _clicked(self, x: float, y: float) -> None:
        picture = self.picture()
        if picture is None:
            return
        if self.does.currentData() == "pin" and self.point.currentData():
            edit = partial(
                host_edits.pin_point, picture_id=picture.id, address=self.point.currentData(), x=x, y=y
            )
            self.edited.emit(Change(tr("pin {currenttext}", currenttext=self.point.currentText()), edit))
        elif self.does.currentData() == "scale":
            self.board.marks.append(QPointF(x, y))
            self.board.update()
            if len(self.board.marks) == 2:
                self._ask_scale(picture)

    def _ask_scale(self, picture: Picture) -> None:
        first, second = self.board.marks
        self.board.marks = []
        image = self.board.image
        across = (second.x() - first.x()) * image.width()
        down = (second.y() - first.y()) * image.height()
        part = (across**2 + down**2) ** 0.5 / image.width()
        mm = ask.number(self, tr("Scale"), tr("How many millimetres apart are the two places?"), 10, 1, 2000)
        if mm:
            edit = partial(
                host_edits.set_scale, picture_id=picture.id, part_of_width=part, millimetres=float(mm)
            )
            self.edited.emit(Change(tr("scale {picture}", picture=picture.name), edit))

    def _pin_picked(self, address: str) -> None:
        picture = self.picture()
        if picture is not None and self.does.currentData() == "unpin":
            self.edited.emit(
                Change(
                    tr("take a pin off"), partial(host_edits.unpin, picture_id=picture.id, address=address)
                )
            )
        else:
            self.point_picked.emit(address)


def chosen_pages(pages: int, text: str) -> tuple[int, ...] | None:
    """The pages that a text names, of so many; none for an empty text, None for one that cannot be read.

    >>> chosen_pages(9, "2, 5-7"), chosen_pages(3, "all"), chosen_pages(3, ""), chosen_pages(3, "4")
    ((2, 5, 6, 7), (1, 2, 3), (), None)
    """
    if text.strip().lower() == "all":
        return tuple(range(1, pages + 1))
    found: list[int] = []
    for part in filter(None, (p.strip() for p in re.split("[,; ]", re.sub(r"\s*[-–]\s*", "-", text)))):
        ends = part.split("-")
        if not all(e.isascii() and e.isdigit() for e in ends) or len(ends) > 2:
            return None
        first, last = int(ends[0]), int(ends[-1])
        if not 1 <= first <= last <= pages:
            return None
        found += range(first, last + 1)
    return tuple(dict.fromkeys(found))


def _add_all(job: Job, pictures: tuple[Picture, ...]) -> Job:
    for picture in pictures:
        job = host_edits.add_picture(job, picture)
    return job
