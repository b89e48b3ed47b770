"""What is said about a reading: the finding of a code, its words the point, the state and what was read."""

from __future__ import annotations

from pigtail.job.document import Job, Reading
from pigtail.language import tr
from pigtail.studies.findings import Finding
from pigtail.studies.wording import tell
from pigtail.units import format_quantity, format_spread

#: From here on a resistance is no connection [Ω].
APART_OHM = 1e6


def about(job: Job, reading: Reading, code: str, limit: float | None = None, **words: str) -> Finding:
    """The finding of a code about a reading: its words are the point and what it was read against, the state, what was read. The limit
    in the [unit of the reading]."""
    value, state = reading.value, job.state(reading.state)
    state_name = state.name if state else reading.state
    ohms = (
        tr("no connection")
        if value.unit == "Ω" and value.nominal >= APART_OHM
        else format_quantity(value.nominal, value.unit)
    )
    spread = format_spread(value.nominal, value.low, value.high, value.unit)
    own = {
        "name": job.label(reading.point),
        "other": job.label(reading.against),
        "state": state_name,
        "shown": format_quantity(value.nominal, value.unit),
        "ohms": ohms,
        "reading": tr(
            "reading {id}: {spread} while “{state_name}”", id=reading.id, spread=spread, state_name=state_name
        ),
    }
    return tell(
        code, reading.point, own | words,
        value=value.nominal, low=value.low, high=value.high, limit=limit, unit=value.unit, basis="measured",
    )  # fmt: skip
