"""A drawing as an SVG picture at true size, on a ground of its own. All text is escaped."""

from __future__ import annotations

from xml.sax import saxutils

from pigtail.drawing.shapes import Circle, Drawing, Lettering, Shape, Stroke
from pigtail.units.storable import storable


def escape(text: str) -> str:
    """A text as XML holds it."""
    return saxutils.escape(storable(text))


#: What the names of inks are on paper.
PAPER_INKS = {
    "ink": "#1d1b18",
    "dim": "#6f675b",
    "paper": "#ffffff",
    "heed": "#a3262a",
    "accent": "#1d5c63",
    "faint": "#d9d2c5",
}


def on_paper(ink: str) -> str:
    """The colour of an ink on paper; nothing for nothing."""
    return PAPER_INKS.get(ink, ink) or "none"


def svg_text(drawing: Drawing, times: float = 1.0) -> str:
    """The SVG picture of a drawing, in print so many times as large as true: a unit of it is a tenth of a millimetre. times: a ratio
    [1]."""
    w, h = _n(drawing.width), _n(drawing.height)
    size = f'width="{drawing.width * times:g}mm" height="{drawing.height * times:g}mm" viewBox="0 0 {w} {h}"'
    head = (
        f'<svg xmlns="http://www.w3.org/2000/svg" {size} role="img" font-family="B612, sans-serif">'
        f'<title>{escape(drawing.title)}</title><rect width="{w}" height="{h}" fill="#ffffff"/>'
    )
    return head + "".join(_shape(s) for s in drawing.shapes) + "</svg>\n"


#: Units of the picture in a millimetre: some programs round the size of type to whole units.
UNITS = 10.0


def _n(value: float) -> str:
    """A measure [mm] in units of the picture."""
    return f"{round(value * UNITS, 2):.10g}"


def _stroke(ink: str, width: float) -> str:
    return f'stroke="{on_paper(ink)}" stroke-width="{_n(width)}"' if ink and width > 0 else 'stroke="none"'


def _shape(shape: Shape) -> str:
    if isinstance(shape, Circle):
        return (
            f'<circle cx="{_n(shape.x)}" cy="{_n(shape.y)}" r="{_n(shape.radius)}" fill="{on_paper(shape.fill)}" '
            f"{_stroke(shape.ink, shape.width)}/>"
        )
    if isinstance(shape, Lettering):
        return _words(shape)
    return _line(shape)


def _line(line: Stroke) -> str:
    path = "M" + "L".join(f"{_n(x)} {_n(y)}" for x, y in line.points) + ("Z" if line.closed else "")
    dash = f' stroke-dasharray="{" ".join(_n(d) for d in line.dash)}"' if line.dash else ""
    return f'<path d="{path}" fill="{on_paper(line.fill)}" stroke-linejoin="round"{dash} {_stroke(line.ink, line.width)}/>'


def _words(words: Lettering) -> str:
    turn = f' transform="rotate({words.angle:g} {_n(words.x)} {_n(words.y)})"' if words.angle else ""
    bold = ' font-weight="bold"' if words.bold else ""
    return (
        f'<text x="{_n(words.x)}" y="{_n(words.y)}" font-size="{_n(words.size)}" text-anchor="{words.anchor}" '
        f'fill="{on_paper(words.ink)}"{bold}{turn}>{escape(words.text)}</text>'
    )
