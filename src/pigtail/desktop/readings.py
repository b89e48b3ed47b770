"""Readings that come in otherwise than by the strip: from a file, from the clipboard, as a correction."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QApplication

from pigtail.desktop import ask
from pigtail.desktop.probing import now
from pigtail.edits.change import Change
from pigtail.edits.readings import correct_reading, log_reading, log_readings, strike_reading
from pigtail.job.disk import read_whole
from pigtail.job.document import FUNCTION_UNITS
from pigtail.job.errors import JobError
from pigtail.job.meter_log import is_log, rows_of
from pigtail.job.reading_import import read_rows, text_of, value_of
from pigtail.language import tr, trn
from pigtail.units import UnreadableError

if TYPE_CHECKING:
    from collections.abc import Callable

    from pigtail.desktop.assemble import Assembly
    from pigtail.desktop.desk import Desk
    from pigtail.job.document import Reading

MOST_BYTES = 8_000_000


def import_text(desk: Desk, text: str, source: str) -> None:
    """Log the readings of a text, or say in one sentence why none was taken."""
    job = desk.session.job
    if job is None:
        return
    try:
        rows = read_rows(job, text, now())
    except JobError as error:
        desk.tell(tr("{source}: {error}; no reading was imported", source=source, error=error))
        return
    if desk.session.edit(
        Change(
            trn("import {count} reading", "import {count} readings", len(rows)),
            partial(log_readings, rows=rows),
        )
    ):
        desk.tell(
            trn(
                "{count} reading was imported from {source}.",
                "{count} readings were imported from {source}.",
                len(rows),
                source=source,
            )
        )


def ask_file(desk: Desk) -> None:
    """Ask for a file of readings and import them."""
    path = ask.readings_path(desk.window, str(Path.home()))
    if path is not None:
        import_file(desk, path)


def import_file(desk: Desk, path: Path) -> None:
    """Log the readings in a file, or say in one sentence why none was taken."""
    try:
        text = read_whole(path, MOST_BYTES, tr("table of readings")).decode("utf-8-sig", "replace")
    except JobError as error:
        desk.tell(str(error))
        return
    if desk.session.job is None:
        return
    try:
        log = is_log(desk.session.job, text)
    except JobError as error:
        desk.tell(tr("{path}: {error}; no reading was imported", path=path.name, error=error))
        return
    if log:
        take_log(desk, text, path.name)
    else:
        import_text(desk, text, path.name)


def take_log(desk: Desk, text: str, name: str) -> None:
    """Ask how a meter's own log is to be read, and log what it came to where the probes are set."""
    from pigtail.desktop.logdialog import LogDialog

    job, setup = desk.session.job, desk.bench.strip.setup()
    if job is None or setup is None:
        return
    if not FUNCTION_UNITS.get(setup.function):
        desk.tell(
            tr(
                "A log holds no {function}; set the bench strip to what the meter recorded.",
                function=tr(setup.function.value),
            )
        )
        return
    dialog = LogDialog(job, setup, name, rows_of(text), desk.settings, desk.window)
    if not dialog.exec() or dialog.found is None:
        return
    value, note = dialog.found.middle, dialog.found.note(setup.function, name)
    words = tr("log {value} at {point}", value=text_of(setup.function, value), point=job.label(setup.point))
    edit = partial(log_reading, value=value, when=now(), note=note, **setup.setup())
    if desk.session.edit(Change(words, edit)):
        desk.tell(tr("One reading was logged from {name}: {note}.", name=name, note=note))


def paste(desk: Desk) -> None:
    """Import what lies on the clipboard."""
    clipboard = QApplication.clipboard()
    import_text(desk, clipboard.text() if clipboard else "", tr("the clipboard"))


def correct(desk: Desk, reading: Reading | None) -> None:
    """Ask what a reading should have been; the old one is struck and kept."""
    if reading is None:
        desk.tell(tr("choose a reading in the Survey's list of readings taken first"))
        return
    text = ask.line(
        desk.window,
        tr("Correct a reading"),
        tr("What should {id} have been?", id=reading.id),
        text_of(reading.function, reading.value.nominal),
    )
    if text is None:
        return
    try:
        value = value_of(reading.function, text)
    except (UnreadableError, JobError) as error:
        desk.tell(str(error))
        return
    desk.session.edit(
        Change(
            tr("correct reading {id}", id=reading.id),
            partial(correct_reading, reading_id=reading.id, value=value, when=now()),
        ),
    )


def strike(desk: Desk, reading: Reading | None) -> None:
    """Strike a reading; it is kept, and counts no more."""
    if reading is not None:
        desk.session.edit(
            Change(tr("strike reading {id}", id=reading.id), partial(strike_reading, reading_id=reading.id))
        )


def _chosen(assembly: Assembly) -> Reading | None:
    """The reading that is chosen on the station on view."""
    view = assembly.views.made.get(assembly.views.here)
    return view.chosen_reading() if view is not None else None


def ask_first_meter(desk: Desk) -> None:
    """The meter with no job open: only a stand-in makes sense, whose papers become the job."""
    from pigtail.desktop.meterdialog import MeterDialog

    dialog = MeterDialog("handheld", desk.window)
    dialog.roads.setCurrentIndex(dialog.roads.count() - 1)
    if dialog.exec() and dialog.truth:
        desk.bench.use_stand_in(dialog.truth, with_papers=True)


#: What the menus ask for, by name.
ERRANDS: dict[str, Callable[[Assembly], None]] = {
    "import": ask_file,
    "paste": paste,
    "correct": lambda a: correct(a, _chosen(a)),
    "strike": lambda a: strike(a, _chosen(a)),
}
