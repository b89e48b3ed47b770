"""Drawings on the pages of a PDF: at true size or fitted, a large one in tiles that overlap."""

from __future__ import annotations

import math
from typing import Any

from pigtail.drawing.shapes import Circle, Drawing, Lettering, Shape, Stroke, around
from pigtail.drawing.svg import on_paper
from pigtail.language import tr
from pigtail.sheet.blocks import SheetPhoto

#: Points in a millimetre.
POINT = 72.0 / 25.4
#: How much neighbouring tiles show of each other [mm].
OVERLAP = 10.0


def draw(canvas: Any, drawing: Drawing, x: float, y: float, scale: float) -> None:
    """A drawing on a canvas, its lower left corner at x and y [pt], so many times as large as true."""
    k = POINT * scale
    canvas.saveState()
    canvas.setLineJoin(1)
    for shape in drawing.shapes:
        _shape(canvas, shape, x, y + drawing.height * k, k)
    canvas.restoreState()


def _shape(canvas: Any, shape: Shape, left: float, top: float, k: float) -> None:
    if isinstance(shape, Lettering):
        _words(canvas, shape, left, top, k)
        return
    stroke, fill = bool(shape.ink) and shape.width > 0, bool(shape.fill)
    if stroke:
        canvas.setStrokeColor(_colour(shape.ink))
        canvas.setLineWidth(shape.width * k)
    if fill:
        canvas.setFillColor(_colour(shape.fill))
    if isinstance(shape, Circle):
        canvas.circle(
            left + shape.x * k, top - shape.y * k, shape.radius * k, stroke=int(stroke), fill=int(fill)
        )
        return
    _line(canvas, shape, left, top, k, stroke=stroke, fill=fill)


def _line(canvas: Any, line: Stroke, left: float, top: float, k: float, *, stroke: bool, fill: bool) -> None:
    path = canvas.beginPath()
    for n, (px, py) in enumerate(line.points):
        (path.lineTo if n else path.moveTo)(left + px * k, top - py * k)
    if line.closed:
        path.close()
    canvas.setDash([d * k for d in line.dash] if line.dash else [])
    canvas.drawPath(path, stroke=int(stroke), fill=int(fill))
    canvas.setDash([])


def _words(canvas: Any, words: Lettering, left: float, top: float, k: float) -> None:
    canvas.saveState()
    canvas.translate(left + words.x * k, top - words.y * k)
    if words.angle:
        canvas.rotate(-words.angle)
    canvas.setFillColor(_colour(words.ink))
    canvas.setFont("B612-Bold" if words.bold else "B612", words.size * k)
    write = {"start": canvas.drawString, "middle": canvas.drawCentredString, "end": canvas.drawRightString}[
        words.anchor
    ]
    write(0, 0, words.text)
    canvas.restoreState()


def _colour(ink: str) -> Any:
    from reportlab.lib.colors import HexColor

    return HexColor(on_paper(ink))


def pictures(drawings: tuple[Drawing, ...], scale: float, width: float, height: float) -> list[Any]:
    """Drawings as flowables of a frame [pt]: side by side where they fit, in tiles where one is larger than the frame; 0 fits them in."""
    found: list[Any] = []
    row: list[tuple[Drawing, float]] = []
    for drawing in drawings:
        times = scale or min(width / (drawing.width * POINT), height / (drawing.height * POINT), 1.4)
        if scale > 1.0:  # for reading: as large as it fits
            times = min(times, width / (drawing.width * POINT), height / (drawing.height * POINT))
        if drawing.width * POINT * times > width + 0.01 or drawing.height * POINT * times > height + 0.01:
            found += _tiles(drawing, times, width, height)
            continue
        if row and sum(d.width * POINT * t for d, t in row) + drawing.width * POINT * times > width:
            found.append(_abreast(row))
            row = []
        row.append((drawing, times))
    return [*found, _abreast(row)] if row else found


def _tiles(drawing: Drawing, scale: float, width: float, height: float) -> list[Any]:
    """A drawing cut into tiles that overlap, each as large as the frame allows, with marks where to cut and glue."""
    over = OVERLAP * POINT
    whole_w, whole_h = drawing.width * POINT * scale, drawing.height * POINT * scale
    room_h = height - 14  # the line that says which tile it is
    columns = 1 if whole_w <= width else math.ceil((whole_w - over) / (width - over))
    rows = 1 if whole_h <= room_h else math.ceil((whole_h - over) / (room_h - over))
    tile_w, tile_h = min(whole_w, width), min(whole_h, room_h)
    corners = [(c * (tile_w - over), r * (tile_h - over)) for r in range(rows) for c in range(columns)]
    full = [at for at in corners if _shows(drawing, scale * POINT, at, (tile_w, tile_h))]
    return [
        _tile(drawing, scale, at, (tile_w, tile_h), tr("tile {n} of {count}", n=n, count=len(full)))
        for n, at in enumerate(full, start=1)
    ]


def _shows(drawing: Drawing, k: float, at: tuple[float, float], size: tuple[float, float]) -> bool:
    """Whether anything of a drawing lies in a tile [pt from its upper left]."""
    for shape in drawing.shapes:
        if isinstance(shape, Stroke):
            left, top, right, bottom = around(shape.points)
        elif isinstance(shape, Circle):
            left, top, right, bottom = (
                shape.x - shape.radius,
                shape.y - shape.radius,
                shape.x + shape.radius,
                shape.y + shape.radius,
            )
        else:
            left, top, right, bottom = shape.x, shape.y - shape.size, shape.x + 1.0, shape.y
        if (
            left * k < at[0] + size[0]
            and right * k > at[0]
            and top * k < at[1] + size[1]
            and bottom * k > at[1]
        ):
            return True
    return False


def _abreast(drawings: list[tuple[Drawing, float]]) -> Any:
    """Drawings side by side, as a flowable; made here, so that the PDF library is loaded when first needed."""
    from pigtail.sheet.tagging import Figure

    class Shown(Figure):
        def __init__(self) -> None:
            super().__init__(
                sum(d.width * POINT * t for d, t in drawings),
                max(d.height * POINT * t for d, t in drawings),
                "; ".join(d.title for d, _ in drawings),
            )

        def paint(self) -> None:
            x = 0.0
            for d, t in drawings:
                draw(self.canv, d, x, self.height - d.height * POINT * t, t)
                x += d.width * POINT * t

    return Shown()


def shown_photo(photo: SheetPhoto, width: float, height: float) -> Any:
    """A photo with its numbered pins as large as a frame allows [pt], as a flowable."""
    import io

    from reportlab.lib.utils import ImageReader

    from pigtail.sheet.tagging import Figure

    times = min(width / photo.width, height / photo.height)

    class Shown(Figure):
        def __init__(self) -> None:
            points = ", ".join(f"{n} {p[2]}" for n, p in enumerate(photo.pins, start=1))
            super().__init__(photo.width * times, photo.height * times, f"{photo.title}: {points}")

        def paint(self) -> None:
            c = self.canv
            c.drawImage(ImageReader(io.BytesIO(photo.image)), 0, 0, self.width, self.height)
            c.setLineWidth(1.4)
            c.setFont("B612-Bold", 7)
            for number, (x, y, _point, _read) in enumerate(photo.pins, start=1):
                at_x, at_y = x * self.width, (1 - y) * self.height
                c.setFillColor(_colour("#fffdf7"))
                c.setStrokeColor(_colour("#a8561c"))
                c.circle(at_x, at_y, 6, stroke=1, fill=1)
                c.setFillColor(_colour("#1d1b18"))
                c.drawCentredString(at_x, at_y - 2.5, str(number))

    return Shown()


def _tile(
    drawing: Drawing, scale: float, at: tuple[float, float], size: tuple[float, float], words: str
) -> Any:
    """A part of a drawing, as a flowable."""
    from pigtail.sheet.tagging import Figure

    class Shown(Figure):
        def __init__(self) -> None:
            super().__init__(size[0], size[1] + 14, f"{drawing.title}, {words}")

        def paint(self) -> None:
            c = self.canv
            c.setFont("B612", 7)
            c.drawString(
                0,
                size[1] + 4,
                tr(
                    "{drawing}, {words}; neighbours overlap by {overlap:g} mm",
                    drawing=drawing.title,
                    words=words,
                    overlap=OVERLAP,
                ),
            )
            c.saveState()
            path = c.beginPath()
            path.rect(0, 0, *size)
            c.clipPath(path, stroke=0, fill=0)
            draw(c, drawing, -at[0], size[1] + at[1] - drawing.height * POINT * scale, scale)
            c.restoreState()
            c.setLineWidth(0.3)
            c.setDash([2, 2])
            c.rect(0, 0, *size, stroke=1, fill=0)
            c.setDash([])

    return Shown()
