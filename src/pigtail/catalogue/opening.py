"""Opening a job file: what the document can check by itself, then whether the catalogue knows its networks."""

from __future__ import annotations

from pathlib import Path

from pigtail.catalogue.errors import CatalogueError
from pigtail.catalogue.topologies import topology
from pigtail.job.checking import check_known
from pigtail.job.document import Job, Section
from pigtail.job.errors import FileError, JobError
from pigtail.job.file import Document, load
from pigtail.language import tr

LEAST = {"Ω": 1e-9, "F": 0.0, "V": 0.0, "A": 0.0, "": 1e-6, "°C/W": 0.0, "°C": -273.15}


def open_job(path: Path | str) -> Document:
    """Read a job file that can be studied; raises FileError with one sentence naming file, place and mend."""
    document = load(path)
    try:
        check_networks(document.job)
    except JobError as error:
        raise FileError(path, str(error)) from error
    return document


def check_networks(job: Job) -> None:
    """Raise JobError for a network that the catalogue does not hold, or a part that it does not have."""
    for at, link in enumerate(job.links):
        for index, section in enumerate(link.sections):
            _check_section(section, f"links[{at}].sections[{index}]")


def _check_section(section: Section, where: str) -> None:
    try:
        shape = topology(section.topology)
    except CatalogueError as error:
        raise JobError(str(error), where=f"{where}.topology", value=section.topology) from error
    rules = {p.name: p for p in shape.parts}
    for at, part in enumerate(section.parts):
        place = f"{where}.parts[{at}]"
        rule = rules.get(part.name)
        if rule is None:
            known = ", ".join(rules) or "none"
            raise JobError(
                tr(
                    "“{shape}” has no part “{part}”; it has: {known}",
                    shape=shape.title,
                    part=part.name[:40],
                    known=known,
                ),
                where=place,
            )
        check_known(part.value, rule.unit, f"{place}.value", lowest=LEAST.get(rule.unit, 0.0))
