"""What is to be said, gathered for its translators: `python tools/words.py` brings each `.po` up to date and makes its `.mo`.

Messages are those of `tr`, `trn` and `mark` in the sources, the texts of the tables (`pigtail.language.TABLES`) and the values of the
enumerations that are shown. The formats are gettext's; Babel reads and writes them. With `--open` it prints what has no translation yet, with
`--fill FILE` it takes translations from lines of `number<TAB>text`, the numbers being those of `--open`.
"""

from __future__ import annotations

import argparse
import enum
import importlib
import io
import re
import tomllib
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from babel.messages import Catalog
from babel.messages.extract import extract
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

from pigtail.language import LANGUAGES, TABLES

SOURCE = Path(__file__).parents[1] / "src" / "pigtail"
DATA = SOURCE / "language" / "data"
KEYWORDS: dict[str, Any] = {"tr": None, "trn": (1, 2), "mark": None}
#: Modules whose enumerations stand on the screen by their values.
SHOWN = (
    "build", "control", "document", "energy", "logbook", "places", "safety", "saving", "steps",
)  # fmt: skip
ELSEWHERE = ("pigtail.studies.findings", "pigtail.studies.survey.sweep", "pigtail.units.known")
#: The same words give the same bytes, whenever they are written.
NO_DATE = datetime(2000, 1, 1, tzinfo=UTC)
#: What is said has a word in it; the codes of findings, and what only holds a place, are not said.
WORD = re.compile(r"[^\W\d_]{2,}|(?:[^\W\d_]\.){2}")
CODE = re.compile(r"[a-z]{2,}\.[a-z_{}]+|\W*(\{[A-Za-z_]+\}\W*)+")


def messages() -> dict[str | tuple[str, str], list[tuple[str, int]]]:
    """Every message, or pair of forms, with the places where it is said."""
    found: dict[str | tuple[str, str], list[tuple[str, int]]] = {}
    for path in sorted(SOURCE.rglob("*.py")):
        with path.open("rb") as file:
            for line, message, _comments, _context in extract(
                "python", file, KEYWORDS, (), {"encoding": "utf-8"}
            ):
                found.setdefault(message, []).append((path.relative_to(SOURCE).as_posix(), line))
    for path in sorted(SOURCE.rglob("data/*.j2")):
        for message in re.findall(r'tr\("([^"]+)"', path.read_text(encoding="utf-8")):
            found.setdefault(message, []).append((path.relative_to(SOURCE).as_posix(), 0))
    for path in sorted(SOURCE.rglob("data/*.toml")):
        if path.name in TABLES:
            table = tomllib.loads(path.read_text(encoding="utf-8"))
            for text in _texts(table, TABLES[path.name]):
                found.setdefault(text, []).append((path.relative_to(SOURCE).as_posix(), 0))
            if path.name == "glossary.toml":
                for word in table["words"]:
                    found.setdefault(word, []).append((path.relative_to(SOURCE).as_posix(), 0))
    for module in (*(f"pigtail.job.{m}" for m in SHOWN), *ELSEWHERE):
        for name, kind in vars(importlib.import_module(module)).items():
            if isinstance(kind, type) and issubclass(kind, enum.Enum) and kind.__module__ == module:
                for member in kind:
                    found.setdefault(str(member.value), []).append((f"{module}.{name}", 0))
    return {
        m: at for m, at in found.items() if isinstance(m, tuple) or (WORD.search(m) and not CODE.fullmatch(m))
    }


def _texts(table: Any, fields: tuple[str, ...]) -> Iterator[str]:
    every = "*" in fields
    if isinstance(table, dict):
        for key, value in table.items():
            if isinstance(value, str) and (every or key in fields):
                yield value
            else:
                yield from _texts(value, ("*",) if key in fields else fields)
    elif isinstance(table, list):
        for value in table:
            if isinstance(value, str) and every:
                yield value
            else:
                yield from _texts(value, fields)


def read(code: str) -> Catalog:
    """The catalogue of a language, empty where there is none yet."""
    path = DATA / f"{code}.po"
    if not path.exists():
        return Catalog(locale=code)
    with path.open("rb") as file:
        return read_po(file, locale=code)


def updated(code: str) -> Catalog:
    """The catalogue with all that is to be said and nothing else; what was translated stays."""
    before = read(code)
    made = Catalog(locale=code, project="Pigtail", version="", fuzzy=False, charset="utf-8")
    for message, places in messages().items():
        old = before.get(message if isinstance(message, str) else message[0])
        made.add(message, old.string if old is not None else None, locations=sorted(set(places))[:3])
    return made


def write(code: str, catalogue: Catalog) -> None:
    """Write the catalogue as text and as it is read; without dates, so that the same words give the same bytes."""
    (DATA / f"{code}.po").write_bytes(po_bytes(catalogue))
    (DATA / f"{code}.mo").write_bytes(mo_bytes(catalogue))


def po_bytes(catalogue: Catalog) -> bytes:
    """The catalogue as translators edit it."""
    out = io.BytesIO()
    write_po(out, catalogue, width=110, omit_header=True, sort_output=True, no_location=True)
    forms = f"nplurals={catalogue.num_plurals}; plural={catalogue.plural_expr};"
    head = (
        f'msgid ""\nmsgstr ""\n"Language: {catalogue.locale}\\n"\n"MIME-Version: 1.0\\n"\n'
        f'"Content-Type: text/plain; charset=utf-8\\n"\n"Content-Transfer-Encoding: 8bit\\n"\n"Plural-Forms: {forms}\\n"\n\n'
    )
    return head.encode() + out.getvalue()


def mo_bytes(catalogue: Catalog) -> bytes:
    """The catalogue as the program reads it."""
    plain = read_po(io.BytesIO(po_bytes(catalogue)), locale=catalogue.locale)
    head = plain.mime_headers
    keep = ("Language", "MIME-Version", "Content-Type", "Content-Transfer-Encoding", "Plural-Forms")
    plain.mime_headers = [(k, v) for k, v in head if k in keep]
    plain.creation_date = plain.revision_date = NO_DATE
    out = io.BytesIO()
    write_mo(out, plain)
    return out.getvalue()


def wanting(catalogue: Catalog) -> list[Any]:
    """The messages that have no translation yet, in the order of their first place."""
    return [m for m in catalogue if m.id and not (all(m.string) if isinstance(m.string, tuple) else m.string)]


def main() -> None:
    """Bring the catalogues up to date; see above."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0] if __doc__ else "")
    parser.add_argument("--open", action="store_true", help="print what has no translation yet, numbered")
    parser.add_argument("--fill", type=Path, help="take translations from this file")
    options = parser.parse_args()
    for code in LANGUAGES:
        if code == "en":
            continue
        catalogue = updated(code)
        left = wanting(catalogue)
        if options.fill:
            given = dict(
                line.split("\t", 1)
                for line in options.fill.read_text(encoding="utf-8").splitlines()
                if "\t" in line
            )
            for number, message in enumerate(left):
                text = given.get(str(number))
                if text is not None:
                    forms = tuple(t.replace("\\n", "\n") for t in text.split("\t"))
                    message.string = forms if isinstance(message.id, tuple) else forms[0]
            left = wanting(catalogue)
        if options.open:
            for number, message in enumerate(left):
                texts = (message.id,) if isinstance(message.id, str) else message.id
                print(number, *(t.replace("\n", "\\n") for t in texts), sep="\t")
        write(code, catalogue)
        print(
            f"{code}: {len(catalogue)} messages, {len(left)} without a translation"
        ) if not options.open else None


if __name__ == "__main__":
    main()
