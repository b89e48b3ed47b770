"""A drawing as a DXF file in millimetres, y upward, each kind of line on a layer of its own: for a machine that cuts or engraves."""

from __future__ import annotations

import io

from pigtail.drawing.shapes import Circle, Drawing, Stroke
from pigtail.units.storable import storable

#: DXF turns y upward, and says its unit by a number: 4 is the millimetre.
MILLIMETRES = 4


def dxf_bytes(drawing: Drawing) -> bytes:
    """The DXF file of a drawing; words are left out of the lines that are cut by their layer."""
    from ezdxf.enums import TextEntityAlignment
    from ezdxf.filemanagement import new

    document = new("R2010", setup=False, units=MILLIMETRES)
    space = document.modelspace()
    for name in dict.fromkeys(s.layer or "0" for s in drawing.shapes):
        if name != "0":
            document.layers.add(name)
    align = {
        "start": TextEntityAlignment.LEFT,
        "middle": TextEntityAlignment.CENTER,
        "end": TextEntityAlignment.RIGHT,
    }
    for shape in drawing.shapes:
        look = {"layer": shape.layer or "0"}
        if isinstance(shape, Circle):
            space.add_circle((shape.x, drawing.height - shape.y), shape.radius, dxfattribs=look)
        elif isinstance(shape, Stroke):
            points = [(x, drawing.height - y) for x, y in shape.points]
            space.add_lwpolyline(points, close=shape.closed, dxfattribs=look)
        else:
            text = space.add_text(
                " ".join(storable(shape.text).split()),
                height=shape.size,
                rotation=-shape.angle,
                dxfattribs=look,
            )
            text.set_placement((shape.x, drawing.height - shape.y), align=align[shape.anchor])
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode("utf-8")
