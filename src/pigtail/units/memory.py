"""Memory that is free is given back to the system: what a large job needed is not held while a small one is open."""

from __future__ import annotations

from functools import cache
from typing import Any

#: After so many answers what is free is given back.
EVERY = 40


@cache
def _trim() -> Any:
    """The C library's function for it; None where there is none."""
    import ctypes

    try:
        return ctypes.CDLL(None).malloc_trim
    except (OSError, AttributeError):
        return None


def give_back() -> bool:
    """Give free memory back to the system; whether the C library knows how. Takes a few milliseconds."""
    trim = _trim()
    if trim is None:
        return False
    trim(0)
    return True
