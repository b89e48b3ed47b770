"""The build sheet as one HTML page; every text of the job is escaped."""

from __future__ import annotations

from functools import cache
from importlib import resources
from typing import TYPE_CHECKING

from pigtail import __version__
from pigtail.job.document import Job
from pigtail.sheet.content import Sheet
from pigtail.sheet.picture import plan_svg

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


def html_text(job: Job, sheet: Sheet) -> str:
    """The page of a sheet."""
    return _template().render(sheet=sheet, picture=plan_svg(job), version=__version__)
