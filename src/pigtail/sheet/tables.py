"""CSV tables that a spreadsheet can open without a cell becoming a formula."""

from __future__ import annotations

import csv
import io

from pigtail.sheet.blocks import SheetTable

RISKY = ("=", "+", "-", "@", "\t", "\r", "\n")


def safe_cell(text: str) -> str:
    """A cell that no spreadsheet takes for a formula: an apostrophe before a risky first character.

    >>> safe_cell("=1+1"), safe_cell("red")
    ("'=1+1", 'red')
    """
    return f"'{text}" if text.lstrip(" ").startswith(RISKY) or text.startswith(RISKY) else text


def csv_text(table: SheetTable) -> str:
    """A table as CSV (RFC 4180), its heading in the first row."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([safe_cell(c) for c in table.columns])
    writer.writerows([[safe_cell(c) for c in row] for row in table.rows])
    return out.getvalue()
