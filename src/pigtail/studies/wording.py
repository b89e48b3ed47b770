"""What is said: every finding that is no judgement of a number has its severity and its sentences in a table.

The tables lie beside the studies, `data/findings.toml` in the folder of each; they are loaded strictly.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterable, Iterator, Mapping
from functools import cache
from pathlib import Path
from typing import Any

import msgspec

from pigtail import studies
from pigtail.language import said, tr
from pigtail.studies.findings import Finding, Severity

NO_WORDS: Mapping[str, str] = {}


class Wording(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One entry: how bad it is, what is said, the relation or reason, and what would settle it."""

    severity: Severity
    says: str
    why: str = ""
    settle: str = ""


def listed(names: Iterable[str]) -> str:
    """Names in a row: “a, b and c”."""
    *first, last = names
    return f"{', '.join(first)}{tr(' and ')}{last}" if first else last


@cache
def wordings() -> dict[str, Wording]:
    """All entries by their code; raises ValueError for a code that stands in two tables."""
    found: dict[str, Wording] = {}
    for path in _tables():
        table = msgspec.convert(
            said("findings.toml", tomllib.loads(path.read_text(encoding="utf-8"))), dict[str, Wording]
        )
        double = set(table) & set(found)
        if double:
            raise ValueError(f"{path}: {', '.join(sorted(double))} is worded in another table too")
        found |= table
    return found


def _tables() -> Iterator[Path]:
    for folder in studies.__path__:
        yield from sorted(Path(folder).glob("**/data/findings.toml"))


def tell(
    code: str,
    subject: str,
    words: Mapping[str, str] = NO_WORDS,
    *,
    severity: Severity | None = None,
    **more: Any,
) -> Finding:
    """The finding of a code about a subject, its sentences with the words put in.

    Args: severity in place of the table's; more fields of the finding, such as its value and limit. Raises KeyError for a code
    that no table has, or a word that its sentence wants and is not given.
    """
    entry = wordings()[code]
    return Finding(
        code,
        severity or entry.severity,
        subject,
        entry.says.format_map(words),
        why=more.pop("why", "") or entry.why.format_map(words),
        settle=more.pop("settle", "") or entry.settle.format_map(words),
        **more,
    )
