"""Making one source as loud as another: the wanted level of an input that follows from how far the two are apart."""

from __future__ import annotations

import math

from pigtail.advice.search import feed_of
from pigtail.edits.values import set_values
from pigtail.job.document import Job
from pigtail.job.errors import EditError
from pigtail.language import tr
from pigtail.model.model import Model
from pigtail.studies.judging import judgements
from pigtail.studies.level.study import study_level, twin_of
from pigtail.units import Basis, Known

#: How well two recordings or two readings tell the difference [dB].
CERTAIN_DB = 0.5
FURTHEST_DB = 60.0


def match_source(job: Job, link_id: str, louder_db: float, source: str) -> Job:
    """Edit: want at a feed's input what is so many dB louder [dB] than what it delivers now; of both channels alike.

    Raises EditError where the level delivered now is not known, or the difference makes no sense.
    """
    return set_values(job, matched_values(job, link_id, louder_db, source))


def matched_values(
    job: Job, link_id: str, louder_db: float, source: str
) -> tuple[tuple[str, str, Known], ...]:
    """The wanted levels that make it so: address, field, value. Raises EditError as `match_source` does.

    How much louder is in [dB].
    """
    if not (math.isfinite(louder_db) and abs(louder_db) <= FURTHEST_DB):
        raise EditError(
            tr("{louder_db:g} dB between two sources makes no sense; compare again", louder_db=louder_db),
            value=louder_db,
        )
    model = Model.of(job)
    link = feed_of(model.job, link_id)
    twin = twin_of(model.job, link)
    study = study_level(model)
    found = []
    for each in (link, twin):
        if each is None:
            continue
        detail = next((d for d in study.feeds if d.link == each.id), None)
        now = detail.numbers["delivered_dbv"].value if detail is not None else None
        if now is None:
            raise EditError(
                tr("what {each} delivers now is not known; measure what is asked for next", each=each.name),
                value=each.id,
            )
        (sink,) = each.at("out")
        # what an input wants is programme: full scale of the other source lies that far over it at which a feed aims
        under = judgements()["level.fits"].middle
        ends = (10 ** ((now + louder_db - under + step) / 20) for step in (-CERTAIN_DB, 0.0, CERTAIN_DB))
        low, nominal, high = ends
        known = Known(nominal=nominal, low=low, high=high, unit="V", basis=Basis.MEASURED, source=source)
        found.append((sink, "wanted", known))
    return tuple(found)
