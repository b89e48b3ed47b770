"""What is on a panel and what is wanted there, as tables that are typed into, and the places that were ranked for the fitting chosen."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from pigtail.catalogue.fittings import fitting_kinds
from pigtail.desktop.stations.loom.parts import mm_text, read_mm
from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.edits.build import place_fitting, put_area, put_fitting, remove_area, remove_fitting
from pigtail.edits.change import Change
from pigtail.job.build import Area, AreaKind, Fitting, Panel
from pigtail.job.document import Job
from pigtail.language import tr
from pigtail.panel.found import PlaceFound
from pigtail.units import UnreadableError

#: What is typed before the diameter of something round.
_ROUND = re.compile(r"^(ø|Ø|⌀|dia\.?|d)\s*", re.IGNORECASE)


#: A page narrower than this is narrow [px].
NARROW_PX = 640


class PanelTables(QWidget):
    """The tables. `edited` carries a Change, `refused` one sentence, `chosen` the id of the fitting that is chosen, empty for none."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)
    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.areas = RowsModel(
            (tr("what is there"), "x", "y", tr("wide"), tr("high"), tr("free"), tr("covered"))
        )
        self.areas_table = make_table(
            self.areas, "areas_table", tr("What is on the panel already; sizes in millimetres"), 0
        )
        set_widths(self.areas_table, (None, 36, 36, 44, 40, 38, 60))
        self.fittings = RowsModel((tr("what is wanted"), tr("kind"), "x", "y", tr("hole")))
        self.fittings_table = make_table(
            self.fittings, "fittings_table", tr("What is wanted in the panel"), 0
        )
        set_widths(self.fittings_table, (None, 92, 48, 48, 54))
        self.places = RowsModel((tr("place"), tr("why")))
        self.places_table = make_table(
            self.places, "places_table", tr("Places for the fitting chosen, the best first"), 1
        )
        set_widths(self.places_table, (74,))
        self.fitting = ""
        self._panel: Panel | None = None
        self._found: tuple[PlaceFound, ...] = ()
        selection = self.fittings_table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda _n, _b: self.choose())
        right = QVBoxLayout()
        right.setSpacing(5)
        right.addWidget(self.fittings_table)
        right.addWidget(self.places_table)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.areas_table, 6)
        row.addLayout(right, 5)
        for table, high in ((self.areas_table, 176), (self.fittings_table, 84), (self.places_table, 87)):
            table.setFixedHeight(high)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """A narrow page keeps names and places."""
        super().resizeEvent(event)
        narrow = self.width() < NARROW_PX
        for column in (1, 4):
            self.fittings_table.setColumnHidden(column, narrow)
        self.areas_table.setColumnHidden(6, narrow)

    def show_panel(self, panel: Panel | None) -> None:
        """Show a panel; its first fitting is chosen where none is."""
        self._panel = panel
        self.areas.show_rows([self._area_row(a) for a in panel.areas] if panel else [])
        self.fittings.show_rows([self._fitting_row(f) for f in panel.fittings] if panel else [])
        if panel is not None and panel.fittings and not self.fittings_table.currentIndex().isValid():
            self.fittings_table.selectRow(0)
        self.choose()

    def choose(self) -> None:
        """The fitting of the row that is on is chosen."""
        row = self.fittings_table.currentIndex().row()
        fittings = self._panel.fittings if self._panel is not None else ()
        self.fitting = fittings[row].id if 0 <= row < len(fittings) else ""
        self.chosen.emit(self.fitting)

    def show_places(self, found: tuple[PlaceFound, ...]) -> None:
        """Show the places of the fitting chosen; the best is on."""
        fresh, self._found = found != self._found, found
        self.places.show_rows([(Cell(f"{p.x:g}, {p.y:g}"), Cell(p.why)) for p in found])
        if found and (fresh or not self.places_table.currentIndex().isValid()):
            self.places_table.selectRow(0)

    # -- rows ---------------------------------------------------------------------------------------------------

    def _area_row(self, area: Area) -> tuple[Cell, ...]:
        def length(field: str, shown: str) -> Cell:
            return Cell(shown, edit=partial(self._area_typed, area, field))

        covered = {True: "yes", False: "no", None: "—"}[area.covered]
        board = area.kind is AreaKind.BOARD
        tip = tr("type ø7 for a round one")
        return (
            Cell(area.name, edit=partial(self._area_named, area), tip=tr(area.kind.value)),
            length("x", f"{area.x:g}"), length("y", f"{area.y:g}"),
            length("width", f"ø{area.width:g}" if area.round else f"{area.width:g}")._replace(tip=tip),
            length("height", f"{area.height:g}"),
            length("depth", f"{area.depth:g}" if area.depth else "?") if board else Cell("—", use="dim"),
            Cell(covered, edit=partial(self._covered, area)) if board else Cell("—", use="dim"),
        )  # fmt: skip

    def _fitting_row(self, fitting: Fitting) -> tuple[Cell, ...]:
        kind = fitting_kinds().get(fitting.kind)
        at = [("x", fitting.x), ("y", fitting.y)]
        return (
            Cell(fitting.name, edit=partial(self._fitting_named, fitting)),
            Cell(kind.name if kind else fitting.kind, use="dim"),
            *(
                Cell("?" if v is None else f"{v:g}", edit=partial(self._fitting_typed, fitting, f))
                for f, v in at
            ),
            Cell(mm_text(kind.hole) if kind else "?", use="dim"),
        )

    # -- edits --------------------------------------------------------------------------------------------------

    def _edit(self, words: str, edit: Callable[[Job], Job]) -> None:
        self.edited.emit(Change(words, edit))

    def _put_area(self, area: Area) -> None:
        self._edit(tr("panel, {area}", area=area.name), partial(put_area, area=area))

    def _area_named(self, area: Area, text: str) -> None:
        self._put_area(replace(area, name=text.strip() or area.name))

    def _area_typed(self, area: Area, field: str, text: str) -> None:
        bare = _ROUND.sub("", text.strip())
        try:
            value = read_mm(bare)
        except UnreadableError as error:
            self.refused.emit(str(error))
            return
        changes: dict[str, Any] = {field: value}
        if field == "width":
            is_round = bare != text.strip()
            changes |= {"round": is_round, "height": value if is_round else area.height}
        elif field == "height":
            changes["round"] = False
        self._put_area(replace(area, **changes))

    def _covered(self, area: Area, text: str) -> None:
        word = text.strip().lower()
        self._put_area(
            replace(area, covered=True if word in ("yes", "y") else False if word in ("no", "n") else None)
        )

    def _fitting_named(self, fitting: Fitting, text: str) -> None:
        self._edit(
            tr("panel, {fitting}", fitting=fitting.name),
            partial(put_fitting, fitting=replace(fitting, name=text.strip() or fitting.name)),
        )

    def _fitting_typed(self, fitting: Fitting, field: str, text: str) -> None:
        panel = self._panel
        assert panel is not None
        try:
            value = read_mm(text)
        except UnreadableError as error:
            self.refused.emit(str(error))
            return
        x = fitting.x if fitting.x is not None else panel.width / 2
        y = fitting.y if fitting.y is not None else panel.height / 2
        x, y = (value, y) if field == "x" else (x, value)
        self._edit(
            tr("panel, {fitting}", fitting=fitting.name),
            partial(place_fitting, fitting_id=fitting.id, x=x, y=y),
        )

    def use(self) -> None:
        """Put the fitting chosen at the place that is on."""
        row = max(self.places_table.currentIndex().row(), 0)
        if self.fitting and row < len(self._found):
            place = self._found[row]
            self._edit(
                tr("place of a fitting"),
                partial(place_fitting, fitting_id=self.fitting, x=place.x, y=place.y),
            )

    def take_out(self) -> None:
        """Take out what is on in the table that has the keyboard, else the fitting chosen."""
        panel, row = self._panel, self.areas_table.currentIndex().row()
        if panel is None:
            return
        if self.areas_table.hasFocus() and 0 <= row < len(panel.areas):
            area = panel.areas[row]
            self._edit(tr("take out {area}", area=area.name), partial(remove_area, area_id=area.id))
        elif self.fitting:
            self._edit(tr("take a fitting out"), partial(remove_fitting, fitting_id=self.fitting))
