"""What forbids any wire to a host, told at every station: while it holds, nothing that is joined to it is good."""

from __future__ import annotations

from msgspec.structs import replace

from pigtail.job.document import HOST, SupplyClass
from pigtail.job.safety import reaches_host
from pigtail.model.model import Model
from pigtail.studies.findings import Finding
from pigtail.studies.wording import tell
from pigtail.units import format_quantity

#: The study that tells it whether or not a wire is planned: it says how the host is fed.
SURVEY = "survey"


def forbidding(model: Model, area: str) -> list[Finding]:
    """The findings under the code of a study: the host's metal was read at a hazardous voltage, or how it is fed is not known."""
    job, read = model.papers, model.live
    if read is not None and (area == SURVEY or reaches_host(job)):
        words = {
            "volts": format_quantity(read.value.nominal, read.value.unit),
            "point": job.label(read.point),
            "against": job.label(read.against),
        }
        return [replace(tell("study.live", HOST, words), code=f"{area}.live")]
    if job.host.supply is SupplyClass.UNKNOWN and area != SURVEY and reaches_host(job):
        return [replace(tell("study.supply_unknown", HOST), code=f"{area}.supply_unknown")]
    return []
