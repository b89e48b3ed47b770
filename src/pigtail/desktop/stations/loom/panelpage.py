"""The panel at scale: what is there dragged on it, what is wanted clicked on it, with places ranked for the fitting that is chosen; its
size typed, or its outline dragged on a scaled photo."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QRectF, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QComboBox, QLabel, QPushButton, QSizePolicy, QWidget

from pigtail.catalogue.fittings import fitting_kinds
from pigtail.desktop.drawing import DrawingView
from pigtail.desktop.stations.loom.paneltables import PanelTables
from pigtail.desktop.stations.loom.parts import YES_NO, MmField, choice, of_enum, read_mm, show_choice
from pigtail.desktop.wants import Answer, Shown
from pigtail.desktop.wrapping import row_of, scrolled_layout
from pigtail.drawing.shapes import Drawing
from pigtail.edits.build import (
    change_panel,
    free_panel_id,
    outlined,
    place_fitting,
    put_area,
    put_fitting,
    set_panel,
    stem_of,
)
from pigtail.edits.change import Change
from pigtail.job.build import Area, AreaKind, Fitting, Panel
from pigtail.job.document import Job, Picture
from pigtail.language import tr
from pigtail.panel.found import EDGE, PlaceFound
from pigtail.service import services
from pigtail.units import UnreadableError

_FIELDS = (
    ("width", tr("width")),
    ("height", tr("height")),
    ("thickness", tr("thick")),
    ("depth", tr("free behind")),
)
HINT = tr("Millimetres. Drag a rectangle over what is there; choose a fitting and click where it should go.")
#: The least height the picture of the panel is useful at [px]; a window with less scrolls.
VIEW_HEIGHT = 150
NOWHERE = tr("It fits nowhere on this panel: another fitting, another side, or a box of its own.")


class PanelPage(QWidget):
    """The panel."""

    edited = pyqtSignal(object)
    wants = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.view = DrawingView(
            "panel_drawing",
            tr("Type width and height of the side that gets holes, or choose a scaled photo of it."),
        )
        self.view.clicked.connect(self._clicked)
        self.view.dragged.connect(self._dragged)
        self.view.marks = True
        self.fields = {
            f: MmField(
                f"panel_{f}", tr("Panel: {words}", words=words), partial(self._sized, f), self.refused.emit
            )
            for f, words in _FIELDS
        }
        self.metal = choice(
            "panel_metal", tr("Whether the panel is metal"), YES_NO, partial(self._set, "metal")
        )
        self.off = choice(
            "panel_off",
            tr("Whether the panel comes off for drilling"),
            YES_NO,
            partial(self._set, "comes_off"),
        )
        self.photo = QComboBox()
        self.photo.setObjectName("panel_photo")
        self.photo.setAccessibleName(tr("Scaled photo that the panel is taken from"))
        self.photo.activated.connect(self._photo_chosen)
        kinds = [*of_enum(AreaKind), (tr("the panel's outline, on its photo"), None)]
        self.kind = choice("area_kind", tr("What a rectangle that is dragged is"), kinds, lambda _v: None)
        self.add_area = _button(tr("Add area"), "add_area", self._add_area)
        wanted = [(k.name, key) for key, k in fitting_kinds().items()]
        self.wanted = choice("fitting_kind", tr("What is wanted in the panel"), wanted, lambda _v: None)
        self.add_fitting = _button(tr("Add fitting"), "add_fitting", self._add_fitting)
        for combo in (self.kind, self.wanted):
            combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            combo.setMinimumContentsLength(13)
            combo.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.tables = PanelTables()
        self.tables.edited.connect(self.edited)
        self.tables.refused.connect(self.refused)
        self.tables.chosen.connect(self._fitting_chosen)
        self.take_out = _button(tr("Take out"), "panel_take_out", self.tables.take_out)
        self.use = _button(tr("Use this place"), "use_place", self.tables.use)
        self.hint = QLabel(HINT)
        self.hint.setObjectName("dim")
        self.hint.setWordWrap(True)
        self._job: Job | None = None
        self._folder: Path | None = None
        self._lay_out()

    def _lay_out(self) -> None:
        layout = scrolled_layout(self)
        layout.setSpacing(5)
        sizes: list[QWidget | str] = []
        for f, words in _FIELDS:
            sizes += [words, self.fields[f]]
            self.fields[f].setMinimumWidth(70)
        layout.addLayout(row_of(*sizes))
        self.view.setMinimumHeight(VIEW_HEIGHT)
        layout.addWidget(self.view, 1)
        layout.addLayout(row_of(self.kind, self.add_area, self.wanted, self.add_fitting, self.take_out))
        layout.addWidget(self.tables)
        layout.addLayout(
            row_of(tr("metal"), self.metal, tr("comes off"), self.off, tr("photo"), self.photo, self.use)
        )
        layout.addWidget(self.hint)

    # -- showing ----------------------------------------------------------------------------------------------

    @property
    def _panel(self) -> Panel | None:
        return self._job.build.panel if self._job is not None else None

    def show_job(self, job: Job, folder: Path | None) -> None:
        """Show the panel of a job."""
        self._job, self._folder = job, folder
        panel = job.build.panel
        for f, widget in self.fields.items():
            widget.set_value(getattr(panel, f) if panel else 0.0)
        show_choice(self.metal, panel.metal if panel else None)
        show_choice(self.off, panel.comes_off if panel else None)
        scaled = [p for p in job.pictures if p.mm_per_width > 0]
        self.photo.clear()
        self.photo.addItem(tr("none") if scaled else tr("none scaled yet"), "")
        for picture in scaled:
            self.photo.addItem(picture.name, picture.id)
        show_choice(self.photo, panel.picture if panel else "")
        tools: tuple[QWidget, ...] = (
            self.kind, self.add_area, self.wanted, self.add_fitting, self.take_out, self.metal, self.off,
        )  # fmt: skip
        for tool in tools:
            tool.setEnabled(panel is not None)
        self.tables.show_panel(panel)

    def show_drawing(self, drawing: Drawing | None) -> None:
        """Show the panel, once it was drawn."""
        panel = self._panel
        words = (
            tr("no panel yet")
            if panel is None
            else tr(
                "{panel}, {width:g} by {height:g} mm",
                panel=panel.name,
                width=panel.width,
                height=panel.height,
            )
        )
        self._show_backdrop(panel)
        self.view.show_drawings(
            (drawing,) if drawing is not None and panel is not None else (), tr("Panel: {words}", words=words)
        )

    def _show_backdrop(self, panel: Panel | None) -> None:
        """The photo under the panel, at its own scale, once it is decoded."""
        picture = (
            next((p for p in self._job.pictures if panel and p.id == panel.picture), None)
            if self._job
            else None
        )
        if panel is None or picture is None or picture.page:
            self.view.backdrop = QImage()
            return
        self.wants.emit(Shown(picture.file, picture.sha256, 0, partial(self._have_photo, panel, picture)))

    def _have_photo(self, panel: Panel, picture: Picture, image: QImage) -> None:
        """The photo is decoded: it lies under the panel if that is still the one on view."""
        if self._panel is not panel:
            return
        self.view.backdrop = image
        if not image.isNull():
            wide = picture.mm_per_width
            high = wide * image.height() / image.width()
            self.view.backdrop_at = QRectF(EDGE - panel.photo_x, EDGE - panel.photo_y, wide, high)
        self.view.update()

    def _fitting_chosen(self, fitting_id: str) -> None:
        """Ask for the places of the fitting chosen."""
        self.use.setEnabled(False)
        if not fitting_id or self._job is None:
            self._show_places("", ())
            return
        want = Answer(services.panel_places, (self._job, fitting_id), partial(self._show_places, fitting_id))
        self.wants.emit(want._replace(quick=True))

    def _show_places(self, fitting_id: str, found: tuple[PlaceFound, ...]) -> None:
        if fitting_id == self.tables.fitting:
            self.tables.show_places(found)
            self.use.setEnabled(bool(found))
            self.hint.setText(NOWHERE if fitting_id and not found else HINT)

    # -- edits ------------------------------------------------------------------------------------------------

    def _edit(self, words: str, edit: Callable[[Job], Job]) -> None:
        self.edited.emit(Change(words, edit))

    def _sized(self, field: str, value: float) -> None:
        """A size was typed; a panel begins once it has both width and height."""
        if self._panel is not None:
            self._set(field, value)
            return
        self.fields[field].set_value(value)
        try:
            width, height = (read_mm(self.fields[f].text()) for f in ("width", "height"))
        except UnreadableError:
            return
        if width > 0 and height > 0:
            self._edit(tr("the panel"), partial(set_panel, panel=Panel(width=width, height=height)))

    def _set(self, field: str, value: Any) -> None:
        changes: dict[str, Any] = {field: value}
        self._edit(tr("panel, {field}", field=field), partial(change_panel, **changes))

    def _photo_chosen(self, index: int) -> None:
        picture = (
            next((p for p in self._job.pictures if p.id == self.photo.itemData(index)), None)
            if self._job
            else None
        )
        panel = self._panel
        if picture is None:
            if panel is not None:
                self._set("picture", "")
            return
        self.wants.emit(Shown(picture.file, picture.sha256, 0, partial(self._take_photo, picture)))

    def _take_photo(self, picture: Picture, image: QImage) -> None:
        """The photo chosen is decoded: the panel is taken from it."""
        if image.isNull():
            self.refused.emit(
                tr(
                    "{picture} is no photo that lies beside the job; put it back or type the size",
                    picture=picture.name,
                )
            )
            return
        panel = self._panel
        wide = round(picture.mm_per_width, 1)
        high = round(picture.mm_per_width * image.height() / image.width(), 1)
        made = replace(panel or Panel(width=wide, height=high), picture=picture.id, photo_x=0.0, photo_y=0.0)
        self._edit(tr("panel from {picture}", picture=picture.name), partial(set_panel, panel=made))

    def _add_area(self) -> None:
        panel = self._panel
        if panel is not None and self.kind.currentData() is not None:
            self._dragged(EDGE + panel.width / 2 - 10, EDGE + panel.height / 2 - 5, 20.0, 10.0)

    def _dragged(self, x: float, y: float, width: float, height: float) -> None:
        """A rectangle was dragged: something that is there, or the outline of the panel itself on its photo."""
        panel, kind = self._panel, self.kind.currentData()
        if panel is None or width < 0.5 or height < 0.5:
            return
        x, y, width, height = (round(v, 1) for v in (x - EDGE, y - EDGE, width, height))
        if kind is None:
            self._edit(
                tr("outline of the panel"), partial(set_panel, panel=outlined(panel, x, y, width, height))
            )
            return
        name = kind.value.split(" that")[0]
        area = Area(
            id=free_panel_id(panel, stem_of(kind)), name=name, kind=kind, x=x, y=y, width=width, height=height
        )
        self._edit(tr("panel, {name}", name=name), partial(put_area, area=area))

    def _add_fitting(self) -> None:
        panel = self._panel
        if panel is None:
            return
        key = self.wanted.currentData()
        fitting = Fitting(id=free_panel_id(panel, stem_of(key)), kind=key, name=fitting_kinds()[key].name)
        self._edit(tr("panel, {fitting}", fitting=fitting.name), partial(put_fitting, fitting=fitting))

    def _clicked(self, x: float, y: float) -> None:
        panel = self._panel
        x, y = round(x - EDGE, 1), round(y - EDGE, 1)
        if panel is not None and self.tables.fitting and 0 <= x <= panel.width and 0 <= y <= panel.height:
            self._edit(
                tr("place of a fitting"), partial(place_fitting, fitting_id=self.tables.fitting, x=x, y=y)
            )


def _button(words: str, name: str, run: Callable[[], None]) -> QPushButton:
    made = QPushButton(words)
    made.setObjectName(name)
    made.setAccessibleName(words)
    made.clicked.connect(lambda _c: run())
    return made
