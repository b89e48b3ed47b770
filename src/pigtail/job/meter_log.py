"""A meter's own log: rows of time, value and unit in a table of any shape, made into one reading."""

from __future__ import annotations

import csv
import statistics
from typing import NamedTuple

from pigtail.job.document import FUNCTION_UNITS, Function, Job
from pigtail.job.errors import JobError
from pigtail.job.reading_import import table_rows
from pigtail.language import tr
from pigtail.units import UnreadableError, format_quantity, parse_quantity

#: Words by which columns are known, in small letters.
TIMES = ("time", "date", "when", "zeit", "datum", "timestamp", "no", "nr", "#")
VALUES = ("value", "reading", "measurement", "wert", "messwert", "display", "main")
UNITS = ("unit", "units", "einheit", "function", "mode")
#: What a meter writes where it shows no value.
OVER = ("OL", "O.L", "OVLD", "---", "----")


class Columns(NamedTuple):
    """Which columns of a log hold the value and its unit, and how many rows stand before the first value. −1: none."""

    value: int
    unit: int = -1
    head: int = 0


class LogSum(NamedTuple):
    """What a log came to [unit of the function]: the middle of its values, their ends, how many."""

    middle: float
    low: float
    high: float
    values: int

    def note(self, function: Function, name: str) -> str:
        """What is noted with the reading."""
        unit = FUNCTION_UNITS[function]
        ends = f"{format_quantity(self.low, unit)} … {format_quantity(self.high, unit)}"
        return tr("middle of {values} values in {name}, {ends}", values=self.values, name=name, ends=ends)


def rows_of(text: str) -> list[list[str]]:
    """The rows of a log that has semicolons, tabs or commas between its cells; raises JobError for what is none."""
    return table_rows(text, _dialect, tr("there is nothing in the log; record it again"))


def _dialect(beginning: str) -> type[csv.Dialect]:
    """Commas part its cells where nothing else does: beside a semicolon or a tab they are decimal points."""

    class Parted(csv.excel):
        delimiter = next((c for c in ";\t" if c in beginning), ",")

    return Parted


def is_log(job: Job, text: str) -> bool:
    """Whether a table is a meter's own log: rows of values, none of which names a point."""
    rows = rows_of(text)
    heads = {c.lower() for row in rows[:12] for c in row}
    if "point" in heads or guessed(rows) is None:
        return False
    points = {w.lower() for a in job.addresses() for w in (a, a.partition(".")[2], job.label(a))}
    return not any(row[0].lower() in points for row in rows)


def guessed(rows: list[list[str]]) -> Columns | None:
    """The columns as they seem to be: by their heading, else the last that holds numbers in most rows; None where no column does."""
    for at, row in enumerate(rows[:12]):
        words = [c.lower().strip() for c in row]
        value = next(
            (k for k, w in enumerate(words) if w.split("(")[0].strip() in VALUES or w.startswith(VALUES)), -1
        )
        if value >= 0:
            unit = next((k for k, w in enumerate(words) if w.startswith(UNITS) and k != value), -1)
            return Columns(value, unit, at + 1)
    width = max(len(r) for r in rows)
    best = max(range(width), key=lambda k: (_numbers(rows, k), k))
    if _numbers(rows, best) * 2 < len(rows):
        return None
    head = next(at for at, row in enumerate(rows) if len(row) > best and _is_number(row[best]))
    after = best + 1
    has_unit = all(len(r) > after and r[after] and not _is_number(r[after]) for r in rows[head : head + 20])
    return Columns(best, after if has_unit else -1, head)


def _numbers(rows: list[list[str]], column: int) -> int:
    return sum(len(r) > column and _is_number(r[column]) for r in rows)


def _is_number(text: str) -> bool:
    figures = (
        bool(text)
        and text[0] in "+-−.,0123456789"
        and ":" not in text
        and text.count("-") + text.count(".") < 3
    )
    return figures or text.upper() in OVER


def read_log(rows: list[list[str]], columns: Columns, function: Function) -> LogSum:
    """The middle of a log's values. Raises JobError with the row that cannot be read, or where none can."""
    unit, found = FUNCTION_UNITS[function], []
    for number, row in enumerate(rows[columns.head :], columns.head + 1):
        text = row[columns.value] if len(row) > columns.value else ""
        if not text or text.upper() in OVER:
            continue
        tail = row[columns.unit] if 0 <= columns.unit < len(row) else ""
        try:
            found.append(parse_quantity(f"{text} {_unit_of(tail)}".strip(), unit))
        except UnreadableError as error:
            raise JobError(str(error), where=tr("row {number}", number=number)) from error
    if not found:
        raise JobError(tr("no row of the log holds a value; choose another column"))
    return LogSum(statistics.median(found), min(found), max(found), len(found))


def _unit_of(text: str) -> str:
    """A unit as meters write it, without what they say beside: `mV DC`, `VDC`, `kOhm`, `DegC`."""
    word = text.strip().split(" ")[0]
    for tail in ("DC", "AC", "dc", "ac"):
        word = word.removesuffix(tail) if word != tail else ""
    return {"DegC": "°C", "degC": "°C", "℃": "°C"}.get(word, word)
