"""The panel at scale: what is there and what is wanted, marked on it or typed, with places ranked for the fitting that is chosen."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QRectF, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from pigtail.catalogue.fittings import fitting_kinds
from pigtail.desktop.drawing import DrawingView
from pigtail.desktop.stations.loom.parts import (
    YES_NO,
    MmField,
    choice,
    mm_text,
    of_enum,
    read_mm,
    row_of,
    show_choice,
)
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.desktop.wants import Answer
from pigtail.drawing.shapes import Drawing
from pigtail.edits.build import (
    change_panel,
    free_panel_id,
    place_fitting,
    put_area,
    put_fitting,
    remove_area,
    remove_fitting,
    set_panel,
    stem_of,
)
from pigtail.edits.change import Change
from pigtail.job.build import Area, AreaKind, Fitting, Panel
from pigtail.job.document import Job
from pigtail.panel.found import EDGE, PlaceFound
from pigtail.service import services
from pigtail.units import UnreadableError

_FIELDS = (("width", "width"), ("height", "height"), ("thickness", "thick"), ("depth", "free behind"))


class PanelPage(QWidget):
    """The panel."""

    edited = pyqtSignal(object)
    wants = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.view = DrawingView(
            "panel_drawing",
            "Type width and height of the side that gets holes, or take them from a scaled photo.",
        )
        self.view.clicked.connect(self._clicked)
        self.view.dragged.connect(self._dragged)
        self.fields = {
            f: MmField(f"panel_{f}", f"Panel: {words}", partial(self._sized, f), self.refused.emit)
            for f, words in _FIELDS
        }
        self.metal = choice("panel_metal", "Whether the panel is metal", YES_NO, partial(self._set, "metal"))
        self.off = choice(
            "panel_off", "Whether the panel comes off for drilling", YES_NO, partial(self._set, "comes_off")
        )
        self.photo = QComboBox()
        self.photo.setObjectName("panel_photo")
        self.photo.setAccessibleName("Scaled photo that the panel is taken from")
        self.photo.activated.connect(self._photo_chosen)
        self.kind = choice(
            "area_kind", "What a rectangle that is dragged is", of_enum(AreaKind), lambda _v: None
        )
        self.add_area = _button("Add what is there", "add_area", self._add_area)
        self.wanted = choice(
            "fitting_kind",
            "What is wanted in the panel",
            [(k.name, key) for key, k in fitting_kinds().items()],
            lambda _v: None,
        )
        self.add_fitting = _button("Add what is wanted", "add_fitting", self._add_fitting)
        self.take_out = _button("Take out", "panel_take_out", self._take_out)
        self.areas = RowsModel(("what is there", "x", "y", "wide", "high", "free", "covered"))
        self.areas_table = make_table(
            self.areas, "areas_table", "What is on the panel already; sizes in millimetres", 0
        )
        set_widths(self.areas_table, (None, 44, 44, 46, 44, 44, 62))
        self.fittings = RowsModel(("what is wanted", "kind", "x", "y", "hole"))
        self.fittings_table = make_table(self.fittings, "fittings_table", "What is wanted in the panel", 0)
        set_widths(self.fittings_table, (None, 92, 48, 48, 54))
        self.places = RowsModel(("place", "why"))
        self.places_table = make_table(
            self.places, "places_table", "Places for the fitting chosen, the best first", 1
        )
        set_widths(self.places_table, (74,))
        self.use = _button("Use this place", "use_place", self._use)
        self.hint = QLabel(
            "Drag a rectangle over what is there; choose a fitting and click where it should go."
        )
        self.hint.setObjectName("dim")
        self._job: Job | None = None
        self._found: tuple[PlaceFound, ...] = ()
        self._chosen = ""
        self._folder: Path | None = None
        for table in (self.fittings_table, self.areas_table):
            selection = table.selectionModel()
            assert selection is not None
            selection.currentRowChanged.connect(lambda _n, _b: self._choose())
        self.view.marks = True
        self._lay_out()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        sizes: list[QWidget | str | int] = []
        for f, words in _FIELDS:
            sizes += [words, self.fields[f]]
            self.fields[f].setMinimumWidth(70)
        layout.addLayout(row_of(*sizes, "from photo", self.photo))
        layout.addWidget(self.view, 1)
        layout.addLayout(row_of(self.kind, self.add_area, self.wanted, self.add_fitting, self.take_out, 1))
        right = QVBoxLayout()
        right.setSpacing(5)
        right.addWidget(self.fittings_table)
        right.addWidget(self.places_table)
        row = QHBoxLayout()
        row.addWidget(self.areas_table, 5)
        row.addLayout(right, 5)
        layout.addLayout(row)
        for table, high in ((self.areas_table, 176), (self.fittings_table, 84), (self.places_table, 87)):
            table.setFixedHeight(high)
        layout.addLayout(row_of("metal", self.metal, "comes off for drilling", self.off, 1, self.use))
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
        self.photo.addItem("none" if scaled else "none scaled yet", "")
        for picture in scaled:
            self.photo.addItem(picture.name, picture.id)
        show_choice(self.photo, panel.picture if panel else "")
        self.areas.show_rows([self._area_row(a) for a in panel.areas] if panel else [])
        self.fittings.show_rows([self._fitting_row(f) for f in panel.fittings] if panel else [])
        tools: tuple[QWidget, ...] = (
            self.kind, self.add_area, self.wanted, self.add_fitting, self.take_out, self.metal, self.off,
        )  # fmt: skip
        for tool in tools:
            tool.setEnabled(panel is not None)
        if panel is not None and panel.fittings and not self.fittings_table.currentIndex().isValid():
            self.fittings_table.selectRow(0)
        self._choose()

    def show_drawing(self, drawing: Drawing | None) -> None:
        """Show the panel, once it was drawn."""
        panel = self._panel
        words = "no panel yet" if panel is None else f"{panel.name}, {panel.width:g} by {panel.height:g} mm"
        self._show_backdrop()
        self.view.show_drawings(
            (drawing,) if drawing is not None and panel is not None else (), f"Panel: {words}"
        )

    def _show_backdrop(self) -> None:
        panel, job = self._panel, self._job
        picture = next((p for p in job.pictures if panel and p.id == panel.picture), None) if job else None
        image = QImage()
        if picture is not None and panel is not None and self._folder is not None:
            path = self._folder / picture.file
            image = QImage(str(path)) if path.is_file() and picture.page == 0 else QImage()
        self.view.backdrop = image
        if panel is not None:
            self.view.backdrop_at = QRectF(EDGE, EDGE, panel.width, panel.height)

    def _area_row(self, area: Area) -> tuple[Cell, ...]:
        def length(field: str, shown: str) -> Cell:
            return Cell(shown, edit=partial(self._area_typed, area, field))

        covered = {True: "yes", False: "no", None: "—"}[area.covered]
        board = area.kind is AreaKind.BOARD
        return (
            Cell(area.name, edit=partial(self._area_named, area), tip=area.kind.value),
            length("x", f"{area.x:g}"), length("y", f"{area.y:g}"),
            length("width", f"{area.width:g}"), length("height", f"{area.height:g}"),
            length("depth", f"{area.depth:g}" if area.depth else "?") if board else Cell("—", use="dim"),
            Cell(covered, edit=partial(self._covered, area)) if board else Cell("—", use="dim"),
        )  # fmt: skip

    def _fitting_row(self, fitting: Fitting) -> tuple[Cell, ...]:
        kind = fitting_kinds().get(fitting.kind)
        return (
            Cell(
                fitting.name,
                edit=lambda text: self._put_fitting(replace(fitting, name=text.strip() or fitting.name)),
            ),
            Cell(kind.name if kind else fitting.kind, use="dim"),
            Cell(
                "?" if fitting.x is None else f"{fitting.x:g}",
                edit=partial(self._fitting_typed, fitting, "x"),
            ),
            Cell(
                "?" if fitting.y is None else f"{fitting.y:g}",
                edit=partial(self._fitting_typed, fitting, "y"),
            ),
            Cell(mm_text(kind.hole) if kind else "?", use="dim"),
        )

    def _choose(self) -> None:
        """A fitting is chosen: ask for its places."""
        panel, row = self._panel, self.fittings_table.currentIndex().row()
        fittings = panel.fittings if panel is not None else ()
        self._chosen = fittings[row].id if 0 <= row < len(fittings) else ""
        self.use.setEnabled(False)
        if not self._chosen or self._job is None:
            self._show_places("", ())
            return
        want = Answer(
            services.panel_places, (self._job, self._chosen), partial(self._show_places, self._chosen)
        )
        self.wants.emit(want._replace(quick=True))

    def _show_places(self, fitting_id: str, found: tuple[PlaceFound, ...]) -> None:
        if fitting_id != self._chosen:
            return
        self._found = found
        self.places.show_rows([(Cell(f"{p.x:g}, {p.y:g}"), Cell(p.why)) for p in found])
        if found and not self.places_table.currentIndex().isValid():
            self.places_table.selectRow(0)
        self.use.setEnabled(bool(found))
        self.hint.setText(
            "It fits nowhere on this panel: another fitting, another side, or a box of its own."
            if fitting_id and not found
            else "Drag a rectangle over what is there; choose a fitting and click where it should go."
        )

    # -- edits ------------------------------------------------------------------------------------------------

    def _edit(self, words: str, edit: Callable[[Job], Job]) -> None:
        self.edited.emit(Change(words, edit))

    def _sized(self, field: str, value: float) -> None:
        panel = self._panel
        if panel is None:
            other = {"width": "height", "height": "width"}.get(field)
            try:
                typed = read_mm(self.fields[other].text()) if other else 0.0
            except UnreadableError:
                typed = 0.0
            if other is None or not typed or not value:
                self.fields[field].set_value(value)  # waits for the other one
                return
            size = {field: value, other: typed}
            self._edit(
                "the panel", partial(set_panel, panel=Panel(width=size["width"], height=size["height"]))
            )
            return
        self._set(field, value)

    def _set(self, field: str, value: Any) -> None:
        changes: dict[str, Any] = {field: value}
        self._edit(f"panel, {field}", partial(change_panel, **changes))

    def _photo_chosen(self, index: int) -> None:
        picture = (
            next((p for p in self._job.pictures if p.id == self.photo.itemData(index)), None)
            if self._job
            else None
        )
        if picture is None:
            if self._panel is not None:
                self._set("picture", "")
            return
        path = (self._folder or Path()) / picture.file
        image = QImage(str(path)) if path.is_file() else QImage()
        if image.isNull():
            self.refused.emit(
                f"the file of {picture.name} is not beside the job; put it back or type the size"
            )
            return
        wide = round(picture.mm_per_width, 1)
        high = round(picture.mm_per_width * image.height() / image.width(), 1)
        panel = self._panel or Panel(width=wide, height=high)
        made = replace(panel, width=wide, height=high, picture=picture.id)
        self._edit(f"panel from {picture.name}", partial(set_panel, panel=made))

    def _area_named(self, area: Area, text: str) -> None:
        self._put_area(replace(area, name=text.strip() or area.name))

    def _area_typed(self, area: Area, field: str, text: str) -> None:
        try:
            value = read_mm(text)
        except UnreadableError as error:
            self.refused.emit(str(error))
            return
        changes: dict[str, Any] = {field: value}
        self._put_area(replace(area, **changes))

    def _covered(self, area: Area, text: str) -> None:
        word = text.strip().lower()
        self._put_area(
            replace(area, covered=True if word in ("yes", "y") else False if word in ("no", "n") else None)
        )

    def _put_area(self, area: Area) -> None:
        self._edit(f"panel, {area.name}", partial(put_area, area=area))

    def _put_fitting(self, fitting: Fitting) -> None:
        self._edit(f"panel, {fitting.name}", partial(put_fitting, fitting=fitting))

    def _fitting_typed(self, fitting: Fitting, field: str, text: str) -> None:
        try:
            value = read_mm(text)
        except UnreadableError as error:
            self.refused.emit(str(error))
            return
        panel = self._panel
        assert panel is not None
        x, y = (
            fitting.x if fitting.x is not None else panel.width / 2,
            fitting.y if fitting.y is not None else panel.height / 2,
        )
        x, y = (value, y) if field == "x" else (x, value)
        self._edit(f"panel, {fitting.name}", partial(place_fitting, fitting_id=fitting.id, x=x, y=y))

    def _add_area(self) -> None:
        panel = self._panel
        if panel is not None:
            self._dragged(EDGE + panel.width / 2 - 10, EDGE + panel.height / 2 - 5, 20.0, 10.0)

    def _dragged(self, x: float, y: float, width: float, height: float) -> None:
        panel = self._panel
        if panel is None or width < 0.5 or height < 0.5:
            return
        kind: AreaKind = self.kind.currentData()
        area = Area(
            id=free_panel_id(panel, stem_of(kind)), name=kind.value.split(" that")[0], kind=kind,
            x=round(x - EDGE, 1), y=round(y - EDGE, 1), width=round(width, 1), height=round(height, 1),
        )  # fmt: skip
        self._put_area(area)

    def _add_fitting(self) -> None:
        panel = self._panel
        if panel is None:
            return
        key = self.wanted.currentData()
        fitting = Fitting(id=free_panel_id(panel, stem_of(key)), kind=key, name=fitting_kinds()[key].name)
        self._put_fitting(fitting)

    def _clicked(self, x: float, y: float) -> None:
        panel = self._panel
        if panel is None or not self._chosen:
            return
        x, y = round(x - EDGE, 1), round(y - EDGE, 1)
        if 0 <= x <= panel.width and 0 <= y <= panel.height:
            self._edit("place of a fitting", partial(place_fitting, fitting_id=self._chosen, x=x, y=y))

    def _use(self) -> None:
        row = max(self.places_table.currentIndex().row(), 0)
        if self._chosen and row < len(self._found):
            place = self._found[row]
            self._edit(
                "place of a fitting", partial(place_fitting, fitting_id=self._chosen, x=place.x, y=place.y)
            )

    def _take_out(self) -> None:
        """Take out what is chosen in the table that has the keyboard, else the fitting chosen."""
        panel, row = self._panel, self.areas_table.currentIndex().row()
        if panel is None:
            return
        if self.areas_table.hasFocus() and 0 <= row < len(panel.areas):
            self._edit(f"take out {panel.areas[row].name}", partial(remove_area, area_id=panel.areas[row].id))
        elif self._chosen:
            self._edit("take a fitting out", partial(remove_fitting, fitting_id=self._chosen))


def _button(words: str, name: str, run: Callable[[], None]) -> QPushButton:
    made = QPushButton(words)
    made.setObjectName(name)
    made.setAccessibleName(words)
    made.clicked.connect(lambda _c: run())
    return made
