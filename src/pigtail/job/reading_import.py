"""Readings from text: rows of a CSV or of a pasted table, each told by point, function and value.

Columns, in any order, by their heading: point, against, state, function, value; load, series, current, drive, note,
instrument, when. Points and states are named by id or by the name on the screen. Without a heading the first five are
taken in that order.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import datetime
from typing import TYPE_CHECKING, Any

from pigtail.job.document import FUNCTION_UNITS, HEARD, HOST, SEEN, Function, Job, Reading
from pigtail.job.errors import EditError, JobError
from pigtail.job.taking import taken
from pigtail.job.wiring import probe_against
from pigtail.language import tr
from pigtail.units import UnreadableError, Volts, format_quantity, parse_quantity
from pigtail.units.storable import storable

if TYPE_CHECKING:
    import csv

COLUMNS = ("point", "against", "state", "function", "value")
OTHERS = ("load", "series", "current", "drive", "note", "instrument", "when")
MOST_ROWS, MOST_CHARACTERS = 20_000, 8_000_000
#: What an open circuit is logged as [Ω].
OPEN_OHM = 1e9
#: How the volts of a function are counted.
_COUNTED = {Function.DC_VOLTS: Volts.DC, Function.AC_VOLTS: Volts.RMS}
_SHORT = {
    "dc": Function.DC_VOLTS, "vdc": Function.DC_VOLTS, "v": Function.DC_VOLTS, "ac": Function.AC_VOLTS, "vac": Function.AC_VOLTS,
    "ohm": Function.RESISTANCE, "ohms": Function.RESISTANCE, "r": Function.RESISTANCE, "a": Function.CURRENT, "hz": Function.FREQUENCY,
}  # fmt: skip


def read_rows(job: Job, text: str, when: datetime) -> tuple[Reading, ...]:
    """The readings in a text; raises JobError naming the row and the mend, and then takes none."""
    import csv  # asked for by an import of readings only; the window imports this module at its start

    def dialect(beginning: str) -> type[csv.Dialect]:
        try:
            return csv.Sniffer().sniff(beginning, delimiters=",;\t")
        except csv.Error:
            return csv.excel

    rows = table_rows(
        text,
        dialect,
        tr("there are no readings in the text; copy rows with point, against, state, function and value"),
    )
    head = [c.strip().lower() for c in rows[0]]
    heading = "point" in head and "value" in head
    columns = head if heading else list(COLUMNS)
    found = []
    for number, row in enumerate(rows[1:] if heading else rows, 2 if heading else 1):
        cells = {name: cell.strip() for name, cell in zip(columns, row, strict=False)}
        try:
            found.append(_reading(job, cells, when, len(job.readings) + number))
        except (JobError, UnreadableError) as error:
            raise JobError(str(error), where=tr("row {number}", number=number)) from error
    return tuple(found)


def table_rows(text: str, dialect_of: Callable[[str], Any], empty: str) -> list[list[str]]:
    """The rows of a table that hold anything, by the dialect that its beginning tells; raises JobError for what is none, is `empty` or too
    long."""
    import csv
    import io

    if len(text) > MOST_CHARACTERS:
        raise JobError(
            tr(
                "the text is longer than {most_characters:,} characters; take it in parts",
                most_characters=MOST_CHARACTERS,
            )
        )
    text = storable(text)
    try:
        reader = csv.reader(io.StringIO(text), dialect_of(text[:4000]))
        rows = [[c.strip() for c in r] for r in reader if any(c.strip() for c in r)]
    except csv.Error as error:
        raise JobError(tr("this is no table of readings ({error}); save it as CSV", error=error)) from error
    if not rows:
        raise JobError(empty)
    if len(rows) > MOST_ROWS:
        raise JobError(tr("there are more than {most_rows:,} rows; take them in parts", most_rows=MOST_ROWS))
    return rows


def _reading(job: Job, cells: dict[str, str], when: datetime, number: int) -> Reading:
    function = function_of(cells.get("function", "") or tr("DC volts"))
    point = _point(job, cells.get("point", ""))
    usual = "" if function is Function.CURRENT else probe_against(job, point)
    against = _point(job, cells["against"]) if cells.get("against") else usual
    state = _state(job, cells.get("state", ""))
    load, series, current = (
        _quantity(cells.get(k, ""), u) for k, u in (("load", "Ω"), ("series", "Ω"), ("current", "A"))
    )
    return taken(
        job, point=point, against=against, state=state, function=function, value=value_of(function, cells.get("value", "")),
        when=_when(cells.get("when", ""), when), drive=cells.get("drive", ""), note=cells.get("note", ""),
        instrument=cells.get("instrument", ""), number=number, load=load, series=series, current=current,
    )  # fmt: skip


def function_of(text: str) -> Function:
    """A function by its words or its short form; raises EditError."""
    lowered = text.strip().lower()
    for function in Function:
        if function.value.lower() == lowered:
            return function
    if lowered in _SHORT:
        return _SHORT[lowered]
    raise EditError(
        tr(
            "“{text}” is no function; write one of {listed}",
            text=text[:40],
            listed=", ".join(f.value for f in Function),
        ),
        value=text,
    )


def value_of(function: Function, text: str) -> float:
    """A value as it is typed: engineering text, or for what was heard or seen one of its words.

    Raises UnreadableError, or EditError for what cannot be heard or seen.

    In the [unit of the function].
    """
    lowered = text.strip().lower()
    if function is Function.HEARD:
        if lowered in HEARD:
            return float(HEARD.index(lowered))
        raise EditError(
            tr(
                "“{text}” is not what can be heard; write one of {listed}",
                text=text[:40],
                listed=", ".join(HEARD),
            ),
            value=text,
        )
    if function is Function.LOOK:
        found = [k for k, words in enumerate(SEEN) if lowered and words.startswith(lowered)]
        if found:
            return float(found[0])
        raise EditError(
            tr("“{text}” feeds no host; write one of {listed}", text=text[:40], listed=", ".join(SEEN)),
            value=text,
        )
    if function in (Function.RESISTANCE, Function.CONTINUITY) and lowered in (
        "ol",
        "open",
        "inf",
        "∞",
        "o.l",
    ):
        return OPEN_OHM
    return parse_quantity(text, FUNCTION_UNITS[function], _COUNTED.get(function, Volts.ANY))


def text_of(function: Function, value: float) -> str:
    """A value as it is typed and shown: the other way of `value_of`. In the [unit of the function]."""
    if function is Function.HEARD:
        return HEARD[int(value)] if 0 <= value < len(HEARD) else "?"
    if function is Function.LOOK:
        return tuple(SEEN)[int(value)] if 0 <= value < len(SEEN) else "?"
    if math.isinf(value) or (function in (Function.RESISTANCE, Function.CONTINUITY) and value >= OPEN_OHM):
        return "open"
    return format_quantity(value, FUNCTION_UNITS[function], 4)


def _quantity(text: str, unit: str) -> float | None:
    return parse_quantity(text, unit) if text else None


def _point(job: Job, text: str) -> str:
    lowered = text.lower()
    for address in job.addresses():
        if lowered in (
            address,
            address.partition(".")[2] if address.startswith(HOST) else address,
            job.label(address).lower(),
        ):
            return address
    raise EditError(tr("there is no point “{text}”; name it as the Survey does", text=text[:40]), value=text)


def _state(job: Job, text: str) -> str:
    if not text:
        return job.working_state()
    for state in job.host.states:
        if text.lower() in (state.id, state.name.lower()):
            return state.id
    raise EditError(
        tr(
            "there is no state “{text}”; write one of {listed}",
            text=text[:40],
            listed=", ".join(s.name for s in job.host.states),
        ),
        value=text,
    )


def _when(text: str, default: datetime) -> datetime:
    try:
        return datetime.fromisoformat(text) if text else default
    except ValueError as error:
        raise EditError(
            tr("“{text}” is no time; write 2026-11-25T10:30", text=text[:40]), value=text
        ) from error
