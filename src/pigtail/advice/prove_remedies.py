"""What mends a record that stands against itself: a wrong entry is struck, so that its step is open again; a cover is glued so that it
opens; what is not said is said."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from msgspec.structs import replace

from pigtail.edits.change import Edit
from pigtail.edits.record import put_cover, strike_entry
from pigtail.job.document import Job
from pigtail.job.logbook import Glue
from pigtail.language import tr
from pigtail.studies.findings import Finding

Fix = tuple[str, Edit]
#: Findings whose subject is the entry that is wrong.
_ENTRIES = ("out_of_range", "other_reading", "reading_gone", "ticked")


def prove_fixes(job: Job, finding: Finding) -> Iterator[Fix]:
    """Edits worth trying for a finding of Prove."""
    kind = finding.code.removeprefix("prove.")
    if kind in _ENTRIES and any(e.id == finding.subject for e in job.record):
        yield (
            tr("strike the entry: the hold point is open again"),
            partial(strike_entry, entry_id=finding.subject),
        )
    elif kind == "sound_missing":
        last = next((e.id for e in reversed(job.record) if e.step == finding.subject and not e.struck), "")
        if last:
            yield (
                tr("strike the entry: the sound is still to be recorded"),
                partial(strike_entry, entry_id=last),
            )
    elif kind == "glued":
        cover = next((c for c in job.work.covers if c.id == finding.subject), None)
        if cover is not None:
            yield (
                tr("close it with rubbery adhesive"),
                partial(put_cover, cover=replace(cover, glue=Glue.RUBBERY)),
            )
