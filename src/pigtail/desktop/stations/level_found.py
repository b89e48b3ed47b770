"""What the search found for a feed: the networks that fit, ranked, each with its catch, ready to be used."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from pigtail.desktop.tables import Cell, RowsModel, make_table, set_widths
from pigtail.job.edits import replace_link
from pigtail.job.model import Job
from pigtail.units import format_quantity

if TYPE_CHECKING:
    from pigtail.studies.results import Option, Search


class Found(QWidget):
    """Asks for a search and shows it. `edited` carries (words, edit); `search_wanted` the job and the feed."""

    edited = pyqtSignal(str, object)
    search_wanted = pyqtSignal(object, str)

    def __init__(self) -> None:
        super().__init__()
        self.rows = RowsModel(("network", "off the wanted level", "headroom", "noise", "parts"))
        self.table = make_table(self.rows, "found_table", "Networks that fit, the best first", 0)
        set_widths(self.table, (None, 178, 76, 66, 48))
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda _now, _before: self._say())
        self.table.setMinimumHeight(130)
        self.words = QLabel()
        self.words.setObjectName("dim")
        self.words.setWordWrap(True)
        self.seek = QPushButton("Find networks")
        self.seek.setObjectName("find_networks")
        self.seek.setAccessibleName("Search the networks that fit this feed")
        self.take = QPushButton("Use this")
        self.take.setObjectName("use_network")
        self.take.setAccessibleName("Put the chosen network into the feed")
        self.seek.clicked.connect(self._seek)
        self.take.clicked.connect(self._take)
        self._job: Job | None = None
        self._link = ""
        self._search: Search | None = None
        row = QHBoxLayout()
        row.addWidget(self.seek)
        row.addWidget(self.take)
        row.addWidget(self.words, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(row)
        layout.addWidget(self.table)
        self.forget()

    def show_feed(self, job: Job | None, link_id: str) -> None:
        """Another job or feed is on view: what was found for the last one goes."""
        if job is not self._job or link_id != self._link:
            self._job, self._link = job, link_id
            self.forget()
        self.seek.setEnabled(bool(link_id))

    def forget(self) -> None:
        """Show no search."""
        self._search = None
        self.words.setText("")
        self._show(False)

    def _show(self, shown: bool) -> None:
        self.table.setVisible(shown)
        self.take.setVisible(shown)
        if shown:
            self.table.selectRow(0)

    def _seek(self) -> None:
        if self._job is not None and self._link:
            self.words.setText("searching …")
            self.search_wanted.emit(self._job, self._link)

    def show_search(self, job: Job, found: Search) -> None:
        """Show what was found for a job; what another edit or feed has overtaken is left aside."""
        if job is not self._job or found.link != self._link:
            return
        self._search = found
        self.rows.show_rows([_row(o) for o in found.options])
        self._show(bool(found.options))
        self._say()

    def _say(self) -> None:
        """What there is to know of the chosen network; or why there is none."""
        if self._search is None:
            return
        option = self._option()
        if option is None:
            self.words.setText(self._search.trouble)
            return
        open_points = f"Not known: {', '.join(option.unknown)}. " if option.unknown else ""
        mark = "● none other is better in every respect. " if option.pareto else ""
        self.words.setText(f"{mark}{open_points}{option.catch} ({self._search.solved:,} candidates solved)")

    def _option(self) -> Option | None:
        row = self.table.currentIndex().row()
        options = self._search.options if self._search is not None else ()
        return options[row] if 0 <= row < len(options) else None

    def _take(self) -> None:
        option = self._option()
        if option is not None:
            self.edited.emit(f"use {option.words}", partial(replace_link, link=option.link))


def _row(o: Option) -> tuple[Cell, ...]:
    return (
        Cell(f"{'● ' if o.pareto else ''}{o.words}", mark=o.severity.value),
        Cell(o.target.text()),
        Cell(o.headroom.short()),
        Cell(format_quantity(o.noise_v, "V", 2), use="dim"),
        Cell(str(o.parts), use="dim"),
    )
