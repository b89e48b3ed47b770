"""What the program says, in the language of the person: English as it is written, another from its catalogue.

Catalogues are GNU gettext's: `data/<code>.po` is what translators edit, the `.mo` beside it what is read; `tools/words.py` gathers what is
to be said and makes the one from the other. The language is settled before the first word is said and holds until the program ends.
"""

from __future__ import annotations

import gettext
import io
import os
from importlib import resources
from pathlib import Path
from typing import Any

#: The languages there are, by code, each by its own name.
LANGUAGES = {"en": "English", "de": "Deutsch"}
#: Holds the language for this process and those that it starts.
VARIABLE = "PIGTAIL_LANGUAGE"
#: How the choice is kept among the settings; `system` follows the desk.
KEY, SYSTEM = "language", "system"


def _catalogue(code: str) -> gettext.NullTranslations:
    if code not in LANGUAGES or code == "en":
        return gettext.NullTranslations()
    found = resources.files("pigtail.language").joinpath("data", f"{code}.mo").read_bytes()
    return gettext.GNUTranslations(io.BytesIO(found))


_code = os.environ.get(VARIABLE, "en")
_said = _catalogue(_code)


def language() -> str:
    """The code of the language that is spoken."""
    return _code if _code in LANGUAGES else "en"


def speak(code: str) -> None:
    """Speak a language from here on, in this process and those that it starts; before anything is said, since words that stand are kept."""
    global _code, _said
    _code, _said = code, _catalogue(code)
    os.environ[VARIABLE] = code


def of_desk() -> str:
    """The language of the desk, as POSIX names it in the environment; English where it is none of ours."""
    for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG"):
        for wanted in os.environ.get(name, "").split(":"):
            code = wanted.split(".", maxsplit=1)[0].split("_", maxsplit=1)[0].lower()
            if code in LANGUAGES:
                return code
        if os.environ.get(name):
            return "en"
    return "en"


def chosen(settings: Path | None = None) -> str:
    """The language for the window: the one in the environment, else the one in the settings, else that of the desk."""
    import configparser

    if os.environ.get(VARIABLE) in LANGUAGES:
        return os.environ[VARIABLE]
    kept = configparser.ConfigParser(strict=False, interpolation=None)
    home = Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config")
    try:
        kept.read(settings or home / "pigtail" / "pigtail.conf", encoding="utf-8")
        code = kept.get("General", KEY, fallback=SYSTEM)
    except (configparser.Error, OSError, UnicodeDecodeError):
        code = SYSTEM
    return code if code in LANGUAGES else of_desk()


def tr(message: str, /, **values: Any) -> str:
    """A message in the language that is spoken, with values put in where it names them."""
    found = _said.gettext(message) if message else ""
    return found.format(**values) if values else found


def mark(message: str, /) -> str:
    """A message that stands as it is, and is said by `tr` where it is shown: so it can be compared."""
    return message


def trn(one: str, many: str, count: int, /, **values: Any) -> str:
    """A message about a number of things, in the form that the language has for that number; it is put in as `count`."""
    return _said.ngettext(one, many, count).format(count=count, **values)


#: What of the program's tables is said, by the table's name: fields, all below a field that holds a table; `*` is every text of it.
TABLES: dict[str, tuple[str, ...]] = {
    "adapters.toml": ("name", "summary"),
    "bodies.toml": ("words",),
    "control.toml": ("title", "short", "good_for", "catch", "words", "menu", "remedy", "rule"),
    "faults.toml": ("says",),
    "findings.toml": ("says", "why", "settle"),
    "fittings.toml": ("name",),
    "glossary.toml": ("*",),
    "hosts.toml": ("name",),
    "judgements.toml": ("good", "watch", "fix", "unknown", "why"),
    "markings.toml": ("words",),
    "meaning.toml": ("means", "not_now", "look"),
    "meters.toml": ("name",),
    "modules.toml": ("name", "summary"),
    "shapes.toml": ("words",),
    "steps.toml": ("says", "look", "back", "heed", "why"),
    "taps.toml": ("words", "says", "tamed", "criteria"),
    "topologies.toml": ("title", "short", "good_for", "catch", "words", "menu", "remedy", "rule"),
    "words.toml": ("*",),
}


def said(name: str, table: Any) -> Any:
    """A table of the program as it is said: what TABLES names of it, in the language that is spoken."""
    return table if language() == "en" else _said_of(table, TABLES[name])


def _said_of(table: Any, fields: tuple[str, ...]) -> Any:
    every = "*" in fields
    if isinstance(table, dict):
        below = {k: ("*",) if k in fields else fields for k in table}
        return {
            k: tr(v) if isinstance(v, str) and (every or k in fields) else _said_of(v, below[k])
            for k, v in table.items()
        }
    if isinstance(table, list):
        return [tr(v) if isinstance(v, str) and every else _said_of(v, fields) for v in table]
    return table
