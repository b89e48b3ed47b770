"""Deck text as logical lines: comments out, continuations joined, lower case, and a line's words."""

from __future__ import annotations

import re
from collections.abc import Iterator

import msgspec

from pigtail.circuit.errors import DeckError
from pigtail.circuit.expressions import Expression, parse_value

_WORD = re.compile(r"\{[^{}]*\}|'[^']*'|[^\s=,(){}']+|=|[{}']")
#: The longest line, with all that continues it.
MAX_LINE = 50_000
_COMMENT = re.compile(r";|(?:^|\s)\$(?:\s|$)|(?:^|\s)//")


class Line(msgspec.Struct, frozen=True):
    """A logical line: the number of its first physical line, its text, its words."""

    number: int
    text: str
    words: tuple[str, ...]


def logical_lines(text: str) -> Iterator[Line]:
    """The lines of a deck after its title; what stands between .control and .endc is left out.

    Raises DeckError for a line that continues nothing.
    """
    pending: tuple[int, list[str]] | None = None
    commanding = False
    for index, raw in enumerate(text.split("\n"), start=2):
        line = _COMMENT.split(raw, maxsplit=1)[0].strip().lower()
        if line.startswith((".control", ".endc")):
            commanding = line.startswith(".control")
            continue
        if commanding or not line or line.startswith("*"):
            continue
        if line.startswith("+"):
            if pending is None:
                raise DeckError("a continuation line (+) follows nothing", line=index)
            pending[1].append(line[1:])
            continue
        if pending:
            yield _line(*pending)
        pending = (index, [line])
    if pending:
        yield _line(*pending)


def _line(number: int, parts: list[str]) -> Line:
    text = " ".join(parts)
    if len(text) > MAX_LINE:
        raise DeckError(f"the line is longer than {MAX_LINE:,} characters", line=number)
    words = tuple(_WORD.findall(text))
    if not words or words[0] in ("{", "}", "'", "="):
        raise DeckError(f"“{text[:40]}” is not an element or a card", line=number)
    return Line(number, text, words)


def split_options(words: tuple[str, ...]) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The words before the first name=value, and those from it on."""
    first = max(words.index("=") - 1, 0) if "=" in words else len(words)
    return words[:first], words[first:]


def assignments(words: tuple[str, ...], line: int) -> dict[str, Expression]:
    """`a = 1 b = {2*a}` as a mapping; raises DeckError."""
    found: dict[str, Expression] = {}
    if len(words) % 3:
        raise DeckError("parameters are written name=value", line=line)
    for at in range(0, len(words), 3):
        name, equals, value = words[at : at + 3]
        if equals != "=" or not name.isidentifier():
            raise DeckError(f"“{' '.join(words[at : at + 3])[:40]}” is not name=value", line=line)
        found[name] = parse_value(value, line)
    return found
