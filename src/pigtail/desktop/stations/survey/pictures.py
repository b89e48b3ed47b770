"""Photos of boards and pages of the papers with points pinned on them: zoom, drag, pin, scale by two clicks."""

from __future__ import annotations

import re
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QPointF, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QComboBox, QLabel, QPushButton, QVBoxLayout, QWidget

from pigtail.desktop import ask
from pigtail.desktop.beside import keep_beside
from pigtail.desktop.fields import fill_combo
from pigtail.desktop.stations.survey.photoboard import PhotoBoard
from pigtail.desktop.wants import Looked, Shown
from pigtail.desktop.wrapping import row_of
from pigtail.edits import host as host_edits
from pigtail.edits.change import Change
from pigtail.job.document import HOST, Job, Picture
from pigtail.language import tr

FOLDER = "pictures"


class Pictures(QWidget):
    """The pictures of a job. `edited` carries a Change; `refused` one sentence; `point_picked` an address; `wants` a want of the window."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)
    point_picked = pyqtSignal(str)
    wants = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.board = PhotoBoard()
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
        self.point.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.add = QPushButton(tr("Add…"))
        self.add.setObjectName("add_picture")
        self.remove = QPushButton(tr("Take out"))
        self.remove.setObjectName("remove_picture")
        row = row_of(self.list, self.add, self.remove, self.does, self.point)
        self.hint = QLabel(
            tr(
                "Wheel: zoom. Drag: move. Click a pin: its point on the bench strip. Keys: arrows and Enter, N, + and −."
            )
        )
        self.hint.setObjectName("dim")
        self.hint.setWordWrap(True)
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
        self.board.mark([])
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
            self.board.mark([*self.board.marks, QPointF(x, y)])
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
