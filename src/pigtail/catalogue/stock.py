"""The parts that the person has: kept in their own library, an SQLite file in the XDG data folder.

As text a part stands on a line of its own or between commas: `4k7`, `100n x20`, `22u x 3`. Resistors are told from
capacitors by how they are written.
"""

from __future__ import annotations

import re
import sqlite3
from contextlib import closing
from pathlib import Path

import msgspec
import platformdirs

from pigtail.job.disk import read_whole
from pigtail.job.errors import FileError, JobError
from pigtail.language import tr
from pigtail.units import UnreadableError, marking, parse_quantity

_LINE = re.compile(r"^(?P<value>.*?)(?:\s*[x×*]\s*(?P<count>\d{1,6}))?$", re.IGNORECASE)
_CAPACITOR = re.compile(r"F$|[pnuµμ]\d*$|\dF", re.IGNORECASE)
#: A comma between figures alone is a decimal point; any other parts two values.
_DECIMAL = re.compile(r"(?<![\w.,])(\d+),(\d+)(?![\d,])")
_MILLI = re.compile(r"^\d[\d.]*m$")
#: The most bytes of a list, letters of a line in it, and pieces of one value.
MOST_BYTES, MOST_WORDS, MOST_COUNT = 1_000_000, 80, 999_999
LIMITS = {"resistor": (0.1, 100e6), "capacitor": (1e-13, 1.0)}
UNITS = {"resistor": "Ω", "capacitor": "F"}


class Held(msgspec.Struct, frozen=True):
    """Parts of one value that the person has: kind, value [Ω or F], how many (0: some)."""

    kind: str
    value: float
    count: int = 0


class Stock(msgspec.Struct, frozen=True):
    """Values of parts that the person has: resistors [Ω] and capacitors [F]."""

    resistors: tuple[float, ...] = ()
    capacitors: tuple[float, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.resistors or self.capacitors)

    def holds(self, kind: str, value: float) -> bool:
        """Whether a value is there, to a thousandth. The value in [Ω] or [F]."""
        values = self.capacitors if kind == "capacitor" else self.resistors
        return any(abs(v - value) <= 1e-3 * value for v in values)


def stock_of(held: tuple[Held, ...]) -> Stock:
    """The values alone, each once, in rising order."""
    return Stock(
        *(tuple(sorted({h.value for h in held if h.kind == kind})) for kind in ("resistor", "capacitor"))
    )


def parse_stock(text: str) -> tuple[Held, ...]:
    """The parts that a text lists; raises JobError naming the line that cannot be read."""
    found: dict[tuple[str, float], Held] = {}
    if len(text) > MOST_BYTES:
        raise JobError(
            tr("the list is longer than {most_bytes:,} characters; leave some out", most_bytes=MOST_BYTES)
        )
    text = _DECIMAL.sub(r"\1.\2", text)
    for number, line in enumerate(re.split(r"[\n,;]", text), 1):
        words = line.strip()
        if not words:
            continue
        if len(words) > MOST_WORDS:
            raise JobError(
                tr("“{words}…” is no part; write a value such as 4k7 or 100n x20", words=words[:30]),
                where=tr("line {number}", number=number),
            )
        match = _LINE.match(words)
        value = (match["value"] if match else words).strip()
        kind = "capacitor" if _CAPACITOR.search(value) and not _MILLI.match(value) else "resistor"
        try:
            size = parse_quantity(value, UNITS[kind])
        except UnreadableError as error:
            raise JobError(
                tr("“{words}” is no part; write a value such as 4k7 or 100n x20", words=words[:30]),
                where=tr("line {number}", number=number),
            ) from error
        low, high = LIMITS[kind]
        if not low <= size <= high:
            raise JobError(
                tr("{value} is no {kind} that can be bought; mend the value", value=value, kind=kind),
                where=tr("line {number}", number=number),
            )
        count = int(match["count"]) if match and match["count"] else 0
        found[kind, size] = Held(kind, size, count)
    return tuple(sorted(found.values(), key=lambda h: (h.kind != "resistor", h.value)))


def read_stock(path: Path) -> tuple[Held, ...]:
    """The parts that a text file lists; raises FileError for a file that cannot be read, JobError for a line in it."""
    try:
        text = read_whole(path, MOST_BYTES, "list").decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise FileError(
            path, tr("this is no text; give a file with a part a line, such as 4k7 x20")
        ) from error
    return parse_stock(text)


def stock_text(held: tuple[Held, ...]) -> str:
    """The parts as text, a line each, that reads back to the same."""
    return "\n".join(marking(h.value, UNITS[h.kind]) + (f" x{h.count}" if h.count else "") for h in held)


def library_path() -> Path:
    """The person's library, by the XDG base directory rules."""
    return Path(platformdirs.user_data_dir("pigtail", appauthor=False)) / "library.sqlite"


def load_stock(path: Path | None = None) -> tuple[Held, ...]:
    """The parts in the library, none if there is no library yet. Raises FileError."""
    path = path or library_path()
    if not path.exists():
        return ()
    if not path.is_file():
        raise FileError(path, tr("this is no library; move it away and list the parts again"))
    try:
        with closing(_open(path)) as library:
            rows = library.execute("SELECT kind, value, count FROM stock").fetchall()
    except sqlite3.Error as error:
        raise FileError(
            path,
            tr("the library cannot be read ({error}); move it away and list the parts again", error=error),
        ) from error
    held = (Held(k, float(v), int(n)) for k, v, n in rows if _is_part(k, v, n))
    return tuple(sorted(held, key=lambda h: (h.kind != "resistor", h.value)))


def _is_part(kind: object, value: object, count: object) -> bool:
    """Whether a row of the library is a part: whatever is no number, or none that can be bought, is passed over."""
    if kind not in LIMITS or not isinstance(value, int | float) or not isinstance(count, int):
        return False
    low, high = LIMITS[str(kind)]
    return low <= value <= high and 0 <= count <= MOST_COUNT


def save_stock(held: tuple[Held, ...], path: Path | None = None) -> None:
    """Put parts into the library in the place of those that were there. Raises FileError."""
    path = path or library_path()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with closing(_open(path)) as library, library:
            library.execute("DELETE FROM stock")
            library.executemany(
                "INSERT INTO stock VALUES (?, ?, ?)", [(h.kind, h.value, h.count) for h in held]
            )
    except (sqlite3.Error, OSError) as error:
        raise FileError(
            path, tr("the library cannot be written ({error}); free space or unlock its folder", error=error)
        ) from error


def _open(path: Path) -> sqlite3.Connection:
    library = sqlite3.connect(path)
    library.execute(
        "CREATE TABLE IF NOT EXISTS stock (kind TEXT NOT NULL, value REAL NOT NULL, count INTEGER NOT NULL, "
        "PRIMARY KEY (kind, value))"
    )
    return library
