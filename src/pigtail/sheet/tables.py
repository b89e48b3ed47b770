"""CSV tables that a spreadsheet can open without a cell becoming a formula."""

from __future__ import annotations

import csv
import io
import unicodedata

from pigtail.sheet.blocks import SheetTable

#: What a formula begins with, and what looks like it: some programs take the one for the other.
RISKY = frozenset("=+-@\t\r\n|%꞊᐀゠⹀")
#: What stands before it and is not seen: spaces, what only tells how to write, controls.
_UNSEEN = ("Zs", "Zl", "Zp", "Cf", "Cc")


def safe_cell(text: str) -> str:
    """A cell that no spreadsheet takes for a formula: an apostrophe before a risky first character.

    >>> safe_cell("=1+1"), safe_cell("red")
    ("'=1+1", 'red')
    """
    if text[:1] in RISKY and text:
        return f"'{text}"
    first = next((c for c in text if unicodedata.category(c) not in _UNSEEN), "")
    return f"'{text}" if unicodedata.normalize("NFKC", first)[:1] in RISKY and first else text


def csv_text(table: SheetTable) -> str:
    """A table as CSV (RFC 4180), its heading in the first row."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([safe_cell(c) for c in table.columns])
    writer.writerows([[safe_cell(c) for c in row] for row in table.rows])
    return out.getvalue()
