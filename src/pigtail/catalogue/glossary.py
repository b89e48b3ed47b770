"""What the words of the screens mean, and how a value is found that few papers tell."""

from __future__ import annotations

import re
import tomllib
from functools import cache

from pigtail.catalogue.topologies import data
from pigtail.language import language, said, tr
from pigtail.units.store import remembered


@cache
def _told() -> dict[str, dict[str, str]]:
    found: dict[str, dict[str, str]] = said("glossary.toml", tomllib.loads(data("glossary.toml")))
    if language() != "en":
        found = {part: {tr(word): means for word, means in told.items()} for part, told in found.items()}
    return found


def words() -> dict[str, str]:
    """Every word that is explained, with what it means, in the order of the alphabet."""
    return dict(sorted(_told()["words"].items(), key=lambda item: item[0].lower()))


def how_to_find(value: str) -> str:
    """How a value is measured or looked up, by what it is called; empty where nothing is told.

    >>> how_to_find("bias").startswith("Read the DC volts")
    True
    """
    return _told()["how"].get(value, "")


@cache
def _pattern() -> re.Pattern[str]:
    longest_first = sorted(_told()["words"], key=len, reverse=True)
    return re.compile(rf"(?<!\w)({'|'.join(map(re.escape, longest_first))})(?:e?s)?(?!\w)", re.IGNORECASE)


def explain(text: str) -> tuple[tuple[str, str], ...]:
    """The words of a text that are explained, each once, with what it means.

    >>> [word for word, _ in explain("Record input against the star")]
    ['record input', 'star']
    """
    known = {w.lower(): w for w in _told()["words"]}
    found = dict.fromkeys(known[m[1].lower()] for m in _pattern().finditer(text))
    return tuple((word, _told()["words"][word]) for word in found)


@remembered(1024)
def tip_for(text: str, value: str = "") -> str:
    """A tip for what stands on the screen: its words explained, and how its value is found."""
    told = [f"{word}: {means}" for word, means in explain(text)]
    how = how_to_find(value)
    return "\n".join([*([tr("How to find it: {how}", how=how)] if how else []), *told])
