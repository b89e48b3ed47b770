"""`pigtail runbook` and `pigtail pack`: the steps as they stand, the way back, the record's story; a pack of all of it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from pigtail.catalogue.opening import open_job
from pigtail.job.document import Job
from pigtail.job.pack import open_pack, write_pack
from pigtail.job.steps import RunStand
from pigtail.sheet.recording import MARKS, phases, story
from pigtail.sheet.write import pack_files
from pigtail.studies.all import study_job
from pigtail.studies.prove.found import ProveFound


def runbook_as_text(job: Job, *, back: bool) -> str:
    """The runbook, or the way back, a step a line."""
    found = study_job(job).of(ProveFound)
    lines = [f"What stays: {s}" for s in found.stays] if back else []
    for name, stands in phases(found.back if back else found.stands):
        lines += ["", name, *(f"{MARKS[s.standing]} {s.step.says}{_must(s)}{_why(s)}" for s in stands)]
    if not found.stands:
        return found.findings[0].sentence
    return "\n".join(lines).strip() or "Nothing is to be taken back."


def _must(stand: RunStand) -> str:
    hold = stand.step.hold
    return "" if hold is None else f"  HOLD: {hold.question or hold.words or hold.unknown}"


def _why(stand: RunStand) -> str:
    return f"  ({stand.standing.value}: {stand.why})" if stand.why else ""


def runbook_as_json(job: Job, *, back: bool) -> dict[str, Any]:
    """The same as an object: each step with what it needs, its hold point in SI units, and how it stands."""
    found = study_job(job).of(ProveFound)
    return {
        "format": "pigtail runbook", "job": job.name, "back": back, "stays": list(found.stays),
        "minutes_left": found.minutes_left, "minutes_taken": found.minutes_taken,
        "steps": [_as_json(s) for s in (found.back if back else found.stands)],
    }  # fmt: skip


def _as_json(stand: RunStand) -> dict[str, Any]:
    step, hold = stand.step, stand.step.hold
    return {
        "id": step.id, "says": step.says, "back": step.back, "heed": step.heed, "stays": step.stays, "power": step.power.value,
        "state": step.state, "needs": list(step.needs), "after": list(step.after), "makes": step.makes,
        "standing": stand.standing.value, "why": stand.why, "reading": stand.reading or None,
        "hold": None if hold is None else {
            "question": hold.question or None, "unknown": hold.unknown or None,
            "low": hold.low, "high": hold.high, "expected": hold.expected,
            "point": hold.ask.point if hold.ask else None, "against": hold.ask.against if hold.ask else None,
            "function": hold.ask.function.value if hold.ask else None, "load": hold.ask.load if hold.ask else None,
        },
    }  # fmt: skip


def story_text(job: Job, *, markdown: bool) -> str:
    """The story of a job."""
    return story(job, study_job(job), markdown=markdown)


def packed(file: Path, out: Path) -> str:
    """Write a pack of a job file and what lies beside it; what was left out, in words. Raises FileError."""
    document = open_job(file)
    missing = write_pack(document, file.parent, out, pack_files(document.job, study_job(document.job)))
    return f"{out}" + (f"\nleft out, not there or changed: {', '.join(missing)}" if missing else "")


def unpacked(file: Path, out: Path) -> str:
    """Unpack a pack into a folder; the job file in it, in words. Raises FileError."""
    return str(open_pack(file, out))
