"""Making one source as loud as another: how far they are apart, and the wanted level that follows for the input."""

from __future__ import annotations

import math

from msgspec.structs import replace

from pigtail.advice.search import feed_of
from pigtail.job import edits
from pigtail.job.errors import EditError
from pigtail.job.model import Function, Job, Reading
from pigtail.job.readings import effective
from pigtail.studies.level import study_level, twin_of
from pigtail.units import Basis, Known

#: How well two recordings or two readings tell the difference [dB].
CERTAIN_DB = 0.5
FURTHEST_DB = 60.0


def match_source(job: Job, link_id: str, louder_db: float, source: str) -> Job:
    """Edit: want at a feed's input what is so many dB louder [dB] than what it delivers now; of both channels alike.

    Raises EditError where the level delivered now is not known, or the difference makes no sense.
    """
    if not (math.isfinite(louder_db) and abs(louder_db) <= FURTHEST_DB):
        raise EditError(
            f"{louder_db:g} dB between two sources makes no sense; compare again", value=louder_db
        )
    measured = effective(job)
    link = feed_of(measured, link_id)
    twin = twin_of(measured, link)
    study = study_level(measured)
    for each in (link, twin):
        if each is None:
            continue
        detail = next((d for d in study.feeds if d.link == each.id), None)
        now = detail.numbers["delivered_dbv"].value if detail is not None else None
        if now is None:
            raise EditError(
                f"what {each.name} delivers now is not known; measure what is asked for next", value=each.id
            )
        (sink,) = each.at("out")
        ends = (10 ** ((now + louder_db + step) / 20) for step in (-CERTAIN_DB, 0.0, CERTAIN_DB))
        low, nominal, high = ends
        wanted = Known(nominal=nominal, low=low, high=high, unit="V", basis=Basis.MEASURED, source=source)
        job = edits.set_value(job, sink, "wanted", wanted)
    return job


def readings_of(job: Job, link_id: str) -> tuple[Reading, ...]:
    """AC readings at the input of a feed that two sources can be compared by, the last first."""
    (sink,) = feed_of(job, link_id).at("out")
    return tuple(
        r for r in reversed(job.readings)
        if r.point == sink and r.function is Function.AC_VOLTS and not r.struck and r.value.nominal > 0
    )  # fmt: skip


def difference_db(now: Reading, wanted: Reading) -> float:
    """How much louder the second reading is than the first [dB]."""
    return 20 * math.log10(wanted.value.nominal / now.value.nominal)


def without_pads(job: Job, link_id: str) -> Job:
    """The job with the pads of a feed taken out, for comparing with turning the source down."""
    from pigtail.advice.networks import rejoined
    from pigtail.catalogue.topologies import topology

    link = feed_of(job, link_id)
    kept = tuple(s for s in link.sections if s.topology != "pad") or (topology("wire").section(),)
    changed = rejoined(job, link, kept)
    return replace(job, links=tuple(changed if x.id == link.id else x for x in job.links))
