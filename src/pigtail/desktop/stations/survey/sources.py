"""Where the energy comes from, edited in place: the mains, windings and AC adapters, batteries, what keeps each rail and what the host
draws in each state, what stands behind a module's supply pin."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any, cast

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from pigtail.desktop import ask
from pigtail.desktop.fields import read_known
from pigtail.desktop.tables import Cell, RowsModel, lay_out_page, make_table, set_widths
from pigtail.edits import sources as edits
from pigtail.edits.change import Change, Edit
from pigtail.edits.values import set_value
from pigtail.job.document import HOST, Job, Rail, SupplyIn
from pigtail.job.energy import Battery, KeptBy, Regulator, Winding
from pigtail.job.errors import JobError
from pigtail.job.markings import decode
from pigtail.job.quantities import (
    BATTERY_QUANTITIES,
    DOINGS,
    MAINS_QUANTITIES,
    REGULATOR_QUANTITIES,
    WINDING_QUANTITIES,
    Quantity,
    beside,
)
from pigtail.job.windings import regulation, source_resistance
from pigtail.language import tr
from pigtail.units import Basis, KnownError, UnreadableError, format_known
from pigtail.units.known import Known

#: A row with what it belongs to: the kind and the id of it.
Row = tuple[tuple[str, str], tuple[Cell, ...]]
COLUMNS = (tr("source"), tr("what"), tr("on paper"), tr("which means"))
#: What holds where nobody has told what may be told besides.
BESIDE_TOLD = dict.fromkeys(DOINGS, tr("no more than in a burst")) | {
    "capacitance": tr("not judged: add up the electrolytics on the board"),
    "store": tr("not judged: add up the electrolytics on the rail"),
    "least": tr("a tenth below its volts"),
}
#: What a rail is asked in each state: field, words, unit.
IN_STATE = (
    ("voltage", tr("volts"), "V"),
    ("limit", tr("what it can give"), "A"),
    ("used", tr("what the host draws"), "A"),
)


class SourcesTable(QWidget):
    """The table of sources. `edited` carries a Change; `refused` one sentence."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.rows = RowsModel(COLUMNS)
        self.table = make_table(
            self.rows, "sources_table", tr("Where the energy comes from, edited in place"), 3
        )
        set_widths(self.table, (170, 210, 170))
        self._job: Job | None = None
        self._owners: list[tuple[str, str]] = []
        hint = tr(
            "Type over the column on paper. Two voltages of a winding, with nothing drawn and under "
            "a load, tell its resistance. Which end the host joins to its ground: first end, second "
            "end, tap, none; ? while nobody has rung it out."
        )
        buttons = (
            (tr("Add a winding or AC adapter…"), "add_winding", self._add_winding),
            (tr("Add a tapped winding…"), "add_tapped", self._add_tapped),
            (tr("Add a battery…"), "add_battery", self._add_battery),
            (tr("Remove"), "remove_source", self._remove),
        )
        lay_out_page(self, self.table, hint, buttons)

    def show_job(self, job: Job) -> None:
        """Show the sources of a job."""
        self._job = job
        rows: list[tuple[Cell, ...]] = []
        self._owners = []
        for owner, made in (
            *self._windings(job),
            *self._batteries(job),
            *self._rails(job),
            *self._pins(job),
            *self._mains(job),
        ):
            rows.append(made)
            self._owners.append(owner)
        self.rows.show_rows(rows)

    # -- rows -------------------------------------------------------------------------------------------------

    def _windings(self, job: Job) -> Iterator[Row]:
        names = {t.id: t.name for t in job.host.terminals}
        for winding in job.host.windings:
            owner, put = ("winding", winding.id), partial(partial, edits.set_winding, winding_id=winding.id)
            earthed = _read(put, "earthed", partial(edits.earthed_of, winding=winding, names=names))
            told = (
                tr("{names} is on the ground", names=names[winding.earthed_at]) if winding.earthed_at else ""
            )
            yield (
                owner,
                self._words_row(
                    winding.name, tr("end that the host earths"), winding.earthed.value, earthed, told
                ),
            )
            for item in WINDING_QUANTITIES:
                known = getattr(winding, item.field)
                yield (
                    owner,
                    self._known_row(
                        winding.name, item, known, _put(put, item.field), _meaning(winding, item.field)
                    ),
                )

    def _batteries(self, job: Job) -> Iterator[Row]:
        for battery in job.host.batteries:
            owner, put = ("battery", battery.id), partial(partial, edits.set_battery, battery_id=battery.id)
            name = tr(
                "{battery}, behind {value}", battery=battery.name, value=job.label(f"{HOST}.{battery.rail}")
            )
            protected = {True: "yes", False: "no", None: "?"}[battery.protected]
            must = tr("a lithium cell must have one") if battery.chemistry.lithium else ""
            cells = f"{battery.series}s{battery.parallel}p"
            yield (
                owner,
                self._words_row(
                    name, tr("made of"), battery.chemistry.value, _read(put, "chemistry", edits.chemistry_of)
                ),
            )
            yield owner, self._words_row(name, tr("cells in series and parallel"), cells, _cells(put))
            yield (
                owner,
                self._words_row(
                    name, tr("has a protection"), protected, _read(put, "protected", edits.yes_no), must
                ),
            )
            for item in BATTERY_QUANTITIES:
                told = _of_battery(battery, item.field)
                yield owner, self._known_row(name, item, item.of(battery), _put(put, item.field), told)
        if job.host.batteries:
            for state in job.host.states:
                hours = next((h.hours for h in job.day if h.state == state.id), None)
                shown = "?" if hours is None else f"{hours:g}"
                edit = partial(self._hours, state.id)
                yield (
                    ("day", state.id),
                    _row(tr("a day's use"), tr("hours while “{state}”", state=state.name), shown, edit),
                )

    def _rails(self, job: Job) -> Iterator[Row]:
        for rail in job.host.terminals:
            if not isinstance(rail, Rail):
                continue
            address, owner = f"{HOST}.{rail.id}", ("rail", rail.id)
            put = partial(partial, edits.set_rail, address=address)
            told = tr("moves with the mains") if rail.kept is KeptBy.NOTHING else ""
            shown = "?" if rail.kept is KeptBy.UNKNOWN else rail.kept.value
            yield (
                owner,
                self._words_row(rail.name, tr("kept by"), shown, _read(put, "kept", edits.kept_of), told),
            )
            for item in REGULATOR_QUANTITIES if rail.kept is KeptBy.LINEAR else ():
                known = item.of(rail.regulator or Regulator())
                figure = partial(partial, edits.set_regulator, address=address, field=item.field)
                yield owner, self._known_row(rail.name, item, known, _put(figure, "value"))
            yield from self._beside(job, address, owner)
            for state in job.host.states:
                for field, words, unit in IN_STATE:
                    item = Quantity(
                        field,
                        tr("{words} while “{state}”", words=words, state=state.name),
                        unit,
                        -1e12,
                        (0.0, 1.0),
                    )
                    here = partial(
                        partial, edits.set_rail_state, address=address, state=state.id, field=field
                    )
                    known = getattr(rail.in_state(state.id), field)
                    yield (
                        owner,
                        self._known_row(rail.name, item, known, _put(here, "value"), tr("as in all states")),
                    )

    def _pins(self, job: Job) -> Iterator[Row]:
        for module in job.modules:
            for pin in module.terminals:
                if isinstance(pin, SupplyIn):
                    address = f"{module.id}.{pin.id}"
                    put = partial(partial, edits.set_behind, address=address)
                    found = decode(pin.behind)
                    told = (
                        found.sentence
                        if found
                        else tr("look it up")
                        if pin.behind
                        else tr("read the marking on the board")
                    )
                    label, shown = job.label(address), pin.behind or "?"
                    yield (
                        ("pin", address),
                        self._words_row(
                            label, tr("marking behind it"), shown, _read(put, "marking", _marking), told
                        ),
                    )
                    yield from self._beside(job, address, ("pin", address))

    def _beside(self, job: Job, address: str, owner: tuple[str, str]) -> Iterator[Row]:
        """What may be told of a rail or a supply pin besides."""
        terminal = job.terminal(address)
        assert terminal is not None
        for item in beside(terminal):
            put = partial(partial, set_value, address=address, field=item.field)
            known = item.of(terminal)
            name = terminal.name if isinstance(terminal, Rail) else job.label(address)
            yield (
                owner,
                self._known_row(
                    name, item, known, _put(put, "value"), "" if known else BESIDE_TOLD[item.field]
                ),
            )

    def _mains(self, job: Job) -> Iterator[Row]:
        moved = any(isinstance(t, Rail) and t.kept is KeptBy.NOTHING for t in job.host.terminals)
        for item in MAINS_QUANTITIES if job.host.windings or moved else ():
            put = partial(partial, edits.set_mains, field=item.field)
            yield (
                ("mains", item.field),
                self._known_row(tr("the mains"), item, item.of(job.mains), _put(put, "value")),
            )

    def _words_row(
        self, source: str, words: str, text: str, make: Callable[[str], Edit], told: str = ""
    ) -> tuple[Cell, ...]:
        return _row(source, words, text, partial(self._words, make), told)

    def _known_row(
        self,
        source: str,
        item: Quantity,
        known: Known | None,
        make: Callable[[Known | None], Edit],
        told: str = "",
    ) -> tuple[Cell, ...]:
        edit = partial(self._value, item, make)
        if known is None:
            return _row(source, item.words, "?", edit, told or tr("measure it, or type what the papers say"))
        shown = told if told and told != "as in all states" else known.basis.value
        return _row(source, item.words, format_known(known), edit, shown)

    # -- edits ------------------------------------------------------------------------------------------------

    def _value(self, item: Quantity, make: Callable[[Known | None], Edit], text: str) -> None:
        try:
            known = read_known(text, item.unit, Basis.DOCUMENTED, "typed", item.sort)
        except (UnreadableError, KnownError) as error:
            self.refused.emit(str(error))
            return
        self.edited.emit(Change(f"{item.words} {text}", make(known)))

    def _words(self, make: Callable[[str], Edit], text: str) -> None:
        try:
            edit = make(text)
        except JobError as error:
            self.refused.emit(str(error))
            return
        self.edited.emit(Change(text.strip() or tr("not known"), edit))

    def _hours(self, state: str, text: str) -> None:
        try:
            hours = 0.0 if text.strip() in ("", "?") else float(text.replace("h", ""))
        except ValueError:
            self.refused.emit(tr("“{text}” is no number of hours; write 2.5", text=text[:30]))
            return
        self.edited.emit(
            Change(tr("{text} hours", text=text), partial(edits.set_hours, state=state, hours=hours))
        )

    def _add_winding(self) -> None:
        self._add(tr("Add a winding or AC adapter"), tapped=False)

    def _add_tapped(self) -> None:
        self._add(tr("Add a winding with a tap"), tapped=True)

    def _add(self, title: str, *, tapped: bool) -> None:
        name = ask.line(self, title, tr("What is it called? Heater winding, AC adapter …"))
        if name:
            self.edited.emit(
                Change(tr("add {name}", name=name), partial(edits.add_winding, name=name, tapped=tapped))
            )

    def _add_battery(self) -> None:
        job = self._job
        if job is None:
            return
        free = [
            t
            for t in job.host.terminals
            if isinstance(t, Rail) and t.id not in {b.rail for b in job.host.batteries}
        ]
        kind, owner = self._chosen()
        rail = next(
            (t for t in free if kind == "rail" and t.id == owner), free[0] if len(free) == 1 else None
        )
        if rail is None:
            self.refused.emit(
                tr(
                    "choose in the table the rail that the battery feeds; add a rail in Points if there is "
                    "none"
                )
            )
            return
        self.edited.emit(
            Change(tr("add a battery"), partial(edits.add_battery, rail=rail.id, name="battery"))
        )

    def _remove(self) -> None:
        kind, owner = self._chosen()
        removes = {
            "winding": partial(edits.remove_winding, winding_id=owner),
            "battery": partial(edits.remove_battery, battery_id=owner),
        }
        if kind not in removes:
            self.refused.emit(tr("choose a winding or a battery in the table first"))
            return
        self.edited.emit(Change(tr("remove the {kind}", kind=kind), removes[kind]))

    def _chosen(self) -> tuple[str, str]:
        row = self.table.currentIndex().row()
        return self._owners[row] if 0 <= row < len(self._owners) else ("", "")


def _row(source: str, words: str, text: str, edit: Callable[[str], None], told: str = "") -> tuple[Cell, ...]:
    unknown = text in ("?", "not known")
    return (
        Cell(source), Cell(words, use="dim"), Cell(text, edit=edit, use="unknown" if unknown else "ink"), Cell(told, use="dim", tip=told),
    )  # fmt: skip


def _put(put: Callable[..., Any], field: str) -> Callable[[Known | None], Edit]:
    """Makes the edit that gives a field a value."""

    def make(value: Known | None) -> Edit:
        return cast("Edit", put(**{field: value}))

    return make


def _read(put: Callable[..., Any], field: str, read: Callable[[str], Any]) -> Callable[[str], Edit]:
    """Makes the edit that gives a field what was typed. Raises EditError for what cannot be read."""

    def make(text: str) -> Edit:
        return cast("Edit", put(**{field: read(text)}))

    return make


def _cells(put: Callable[..., Any]) -> Callable[[str], Edit]:
    def make(text: str) -> Edit:
        series, parallel = edits.cells_of(text)
        return cast("Edit", put(series=series, parallel=parallel))

    return make


def _marking(text: str) -> str:
    return "" if text.strip() == "?" else text


def _meaning(winding: Winding, field: str) -> str:
    """What the figures of a winding tell together."""
    ohm = source_resistance(winding)
    if field == "resistance" and winding.resistance is None and ohm is not None:
        return tr("{nominal:.3g} Ω from its two voltages", nominal=ohm.nominal)
    rises = regulation(winding)
    if field == "rated" and rises is not None:
        return tr("it rises by {value:.0f} % from there to nothing drawn", value=100 * rises)
    return ""


def _of_battery(battery: Battery, field: str) -> str:
    """What the figures of a battery tell together."""
    if field == "charge" and battery.charge is not None and battery.capacity is not None:
        return tr(
            "{value:.2g} of its capacity an hour", value=battery.charge.nominal / battery.capacity.nominal
        )
    return ""
