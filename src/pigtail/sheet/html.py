"""The build sheet as one HTML page; every text of the job is escaped."""

from __future__ import annotations

import base64
from functools import cache
from importlib import resources
from typing import TYPE_CHECKING

from pigtail import __version__
from pigtail.drawing.shapes import Drawing
from pigtail.drawing.svg import svg_text
from pigtail.language import language, tr
from pigtail.sheet.blocks import Sheet, SheetPhoto, SheetPicture, SheetTable

if TYPE_CHECKING:
    from jinja2 import Template


@cache
def _template() -> Template:
    from jinja2 import Environment, StrictUndefined

    environment = Environment(
        autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    text = resources.files("pigtail.sheet").joinpath("data", "sheet.html.j2").read_text(encoding="utf-8")
    return environment.from_string(text)


def html_text(sheet: Sheet) -> str:
    """The page of a sheet."""
    return _template().render(
        sheet=sheet,
        svg=_svg,
        is_table=_is_table,
        is_picture=_is_picture,
        is_photo=_is_photo,
        base64=_base64,
        version=__version__,
        tr=tr,
        language=language(),
    )


def _svg(drawing: Drawing, times: float) -> str:
    return svg_text(drawing, times or 1.0)


def _is_photo(block: object) -> bool:
    return isinstance(block, SheetPhoto)


def _base64(data: bytes) -> str:
    return base64.b64encode(data).decode()


def _is_table(block: object) -> bool:
    return isinstance(block, SheetTable)


def _is_picture(block: object) -> bool:
    return isinstance(block, SheetPicture)
