"""What a drawing is made of. All measures are millimetres, from the upper left, x to the right and y down.

Ink is a name that screen and paper each have a colour for (`ink`, `dim`, `paper`, `heed`, `accent`), or a colour such as `#c62828` that is
the colour of a thing: of a wire, say.
"""

from __future__ import annotations

import math
from collections.abc import Iterable

import msgspec
from msgspec.structs import replace

Point = tuple[float, float]
#: How wide a letter is, as a part of the size of the type: of the face that ships with the program, read from its tables.
_WIDTHS = {
    0.2: "'|", 0.25: ",;·", 0.3: ".:Iij°", 0.35: " !l’", 0.4: '"frt', 0.45: "()-J[s", 0.5: "=]cz“”", 0.525: "a",
    0.55: "$*/?FLS\\_`ekvxyä–−", 0.6: "+CEKPTYZbdghnopqu}öü±ø", 0.65: "0123456789<>ABDGRVXµµÄß≤≥{", 0.7: "&HUÜ", 0.75: "N^w~…→½",
    0.8: "OQΩÖ×", 0.85: "#", 0.9: "%Mm", 0.95: "W", 1.0: "@",
}  # fmt: skip
_WIDTH = {letter: width for width, letters in _WIDTHS.items() for letter in letters}
#: Of a bold letter, and of one that is not in the table.
_BOLD, _OTHER = 1.07, 0.8


class Stroke(msgspec.Struct, frozen=True, tag="line"):
    """A line through points, closed or not: width [mm], its ink, what it is filled with (empty for nothing), the lengths of its dashes and
    gaps [mm], and the layer that it lies on."""

    points: tuple[Point, ...]
    width: float = 0.3
    ink: str = "ink"
    fill: str = ""
    dash: tuple[float, ...] = ()
    closed: bool = False
    layer: str = ""


class Circle(msgspec.Struct, frozen=True, tag="circle"):
    """A circle: centre, radius and width of its line [mm]."""

    x: float
    y: float
    radius: float
    width: float = 0.3
    ink: str = "ink"
    fill: str = ""
    layer: str = ""


class Lettering(msgspec.Struct, frozen=True, tag="words"):
    """A line of text on its baseline: size of the type [mm], where x lies in it (`start`, `middle`, `end`), turned clockwise by an angle
    [°]."""

    x: float
    y: float
    text: str
    size: float = 2.6
    ink: str = "ink"
    anchor: str = "start"
    bold: bool = False
    angle: float = 0.0
    layer: str = ""


Shape = Stroke | Circle | Lettering


class Drawing(msgspec.Struct, frozen=True):
    """A drawing: what it shows, its size [mm], its shapes from the back to the front. true: it is meant to be printed 1:1."""

    title: str
    width: float
    height: float
    shapes: tuple[Shape, ...] = ()
    true: bool = False


def box(
    x: float, y: float, width: float, height: float, *, line: float = 0.3, ink: str = "ink", fill: str = "",
    dash: tuple[float, ...] = (), layer: str = "",
) -> Stroke:  # fmt: skip
    """A rectangle by its upper left corner and size [mm]."""
    corners = ((x, y), (x + width, y), (x + width, y + height), (x, y + height))
    return Stroke(corners, line, ink, fill, dash, True, layer)


def words_width(text: str, size: float, *, bold: bool = False) -> float:
    """How wide a line of text is [mm] at a size of type [mm].

    >>> round(words_width("4.7 kΩ", 2.0), 2)
    6.6
    """
    return size * sum(_WIDTH.get(c, _OTHER) for c in text) * (_BOLD if bold else 1.0)


def fitted(text: str, size: float, width: float) -> str:
    """A text cut so that it is no wider than so much [mm], its cut marked.

    >>> fitted("left out", 2.0, 6.0)
    'left…'
    """
    if words_width(text, size) <= width:
        return text
    while text and words_width(text + "…", size) > width:
        text = text[:-1]
    return text.rstrip() + "…"


def moved(shapes: Iterable[Shape], dx: float, dy: float) -> tuple[Shape, ...]:
    """Shapes moved by so much [mm]."""
    return tuple(_moved(s, dx, dy) for s in shapes)


def _moved(shape: Shape, dx: float, dy: float) -> Shape:
    if isinstance(shape, Stroke):
        return replace(shape, points=tuple((x + dx, y + dy) for x, y in shape.points))
    return replace(shape, x=shape.x + dx, y=shape.y + dy)


def mirrored(shapes: Iterable[Shape], width: float) -> tuple[Shape, ...]:
    """Shapes as they are seen from behind, within so much width [mm]; words stay readable."""
    swapped = {"start": "end", "end": "start", "middle": "middle"}
    found: list[Shape] = []
    for s in shapes:
        if isinstance(s, Stroke):
            found.append(replace(s, points=tuple((width - x, y) for x, y in s.points)))
        elif isinstance(s, Circle):
            found.append(replace(s, x=width - s.x))
        else:
            found.append(replace(s, x=width - s.x, anchor=swapped[s.anchor] if not s.angle else s.anchor))
    return tuple(found)


def cross(
    x: float, y: float, arm: float, *, line: float = 0.15, ink: str = "ink", layer: str = ""
) -> tuple[Stroke, Stroke]:
    """The cross that marks a centre: arms so long [mm]."""
    return (
        Stroke(((x - arm, y), (x + arm, y)), line, ink, layer=layer),
        Stroke(((x, y - arm), (x, y + arm)), line, ink, layer=layer),
    )


def around(points: Iterable[Point]) -> tuple[float, float, float, float]:
    """The least and largest x and y of points [mm]: left, top, right, bottom; nothing for no points."""
    every = tuple(points)
    if not every:
        return (0.0, 0.0, 0.0, 0.0)
    xs, ys = [p[0] for p in every], [p[1] for p in every]
    return (min(xs), min(ys), max(xs), max(ys))


def scale_bar(x: float, y: float, length: float = 50.0) -> tuple[Shape, ...]:
    """A bar so long with a mark each ten, to be held against a ruler; from a place on [mm]."""
    marks = [Stroke(((x, y), (x + length, y)), 0.3)]
    for k in range(math.floor(length / 10) + 1):
        marks.append(Stroke(((x + 10 * k, y - 1.5), (x + 10 * k, y)), 0.3))
    return (
        *marks,
        Lettering(x, y + 3.6, "0", 2.4, anchor="middle"),
        Lettering(x + length, y + 3.6, f"{length:g} mm", 2.4, anchor="middle"),
    )
