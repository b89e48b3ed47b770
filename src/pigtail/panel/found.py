"""What is told of a panel. Free of numerical packages."""

from __future__ import annotations

from typing import NamedTuple

#: The edge round a panel in its drawing [mm].
EDGE = 8.0


class PlaceFound(NamedTuple):
    """A place for a fitting: its middle [mm], what it is worth, why, and the opening that it uses, empty for a new hole."""

    x: float
    y: float
    worth: float
    why: str
    opening: str = ""
