"""Texts that every file, page and drawing can hold."""

from __future__ import annotations

import re

#: What none can hold: control characters but tab and line feed, halves of surrogate pairs, and two that are no characters.
UNSTORABLE = re.compile("[\x00-\x08\x0b-\x1f\x7f\ud800-\udfff\ufffe\uffff]")


def storable(text: str) -> str:
    """A text with a replacement character for each that no file can hold; a carriage return becomes a line feed."""
    if text.isascii() and text.isprintable():
        return text
    return UNSTORABLE.sub("\ufffd", text.replace("\r\n", "\n").replace("\r", "\n"))
