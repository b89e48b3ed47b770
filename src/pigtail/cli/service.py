"""The studies as a service of a process of its own: the window asks, this answers, and neither waits for the other.

Requests and answers are pickles with their length before them, over the process's own pipes. The parent is the only
one who can write to them; nothing here listens on a network. The process ends when its input does.
"""

from __future__ import annotations

import os
import pickle
import struct
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO

LENGTH = struct.Struct(">Q")
#: What the last quick look at a feed left for the next.
_HINTS: dict[str, Any] = {}


def _study(job: Any) -> Any:
    from pigtail.advice.measure import with_asked
    from pigtail.studies.all import study_job

    return with_asked(job, study_job(job))


def _first_demo(name: str) -> Any:
    from pigtail.catalogue.demo import demo

    document = demo(name)
    return document, _study(document.job)


def _advise(job: Any, studies: Any) -> Any:
    from pigtail.advice.remedies import advised

    return advised(job, studies)


def _suggest_steps(job: Any, link_id: str) -> Any:
    from pigtail.advice.search import steps_of

    return steps_of(job, link_id)


def _suggest_step(job: Any, link_id: str, number: int, series: str, only_stock: bool, before: bytes) -> Any:
    """One step of a search: what the next step goes on from, which is nothing to the asker, and what is found so far."""
    from pigtail.advice.search import Step, ranked, take_step
    from pigtail.cli.suggesting import wish_of

    wish = wish_of(series, only_stock=only_stock)
    step = take_step(job, link_id, number, wish, pickle.loads(before) if before else Step())  # noqa: S301  our own
    return pickle.dumps(step), ranked(link_id, step)


def _glance(job: Any, link_id: str) -> Any:
    from pigtail.job.readings import effective
    from pigtail.studies.level import glance_level
    from pigtail.studies.spread import Hints

    if link_id not in _HINTS:
        _HINTS.clear()
        _HINTS[link_id] = Hints()
    return glance_level(effective(job), link_id, _HINTS[link_id])


def _level_schools(job: Any, link_id: str) -> Any:
    from pigtail.advice.level_schools import contests

    return contests(job, link_id)


def _louder(now: Path, wanted: Path) -> Any:
    """How much louder the second recording is than the first [LU]."""
    from pigtail.studies.loudness import loudness_of

    return loudness_of(wanted).lufs - loudness_of(now).lufs


def _matched(job: Any, link_id: str, louder_db: float, source: str) -> Any:
    from pigtail.advice.matching import matched_values

    return matched_values(job, link_id, louder_db, source)


def _schools(job: Any) -> Any:
    from pigtail.advice.remedies import schools

    return schools(job)


def _write_sheet(job: Any, studies: Any, folder: Path) -> list[Path]:
    from pigtail.sheet.write import write_sheet

    return write_sheet(job, studies, folder)


def _sheet_pdf(job: Any, studies: Any) -> bytes:
    from pigtail.sheet.content import make_sheet
    from pigtail.sheet.pdf import pdf_bytes

    return pdf_bytes(make_sheet(job, studies))


#: What can be asked for.
SERVICES: dict[str, Callable[..., Any]] = {
    "study": _study,
    "first_demo": _first_demo,
    "advise": _advise,
    "schools": _schools,
    "suggest_steps": _suggest_steps,
    "suggest_step": _suggest_step,
    "glance": _glance,
    "level_schools": _level_schools,
    "louder": _louder,
    "matched": _matched,
    "write_sheet": _write_sheet,
    "sheet_pdf": _sheet_pdf,
}


def send(stream: BinaryIO, value: Any) -> None:
    """Write one value to a stream."""
    data = pickle.dumps(value, protocol=pickle.HIGHEST_PROTOCOL)
    stream.write(LENGTH.pack(len(data)))
    stream.write(data)
    stream.flush()


def receive(stream: BinaryIO) -> Any:
    """Read one value from a stream; raises EOFError at its end."""
    head = stream.read(LENGTH.size)
    if len(head) < LENGTH.size:
        raise EOFError
    data = stream.read(LENGTH.unpack(head)[0])
    return pickle.loads(data)  # noqa: S301  from our own parent over a private pipe


def serve(requests: BinaryIO, answers: BinaryIO) -> None:
    """Answer requests (name, arguments) with (True, result) or (False, exception) until the input ends."""
    while True:
        try:
            name, arguments = receive(requests)
        except (EOFError, OSError):
            return
        try:
            answer = (True, SERVICES[name](*arguments))
        except Exception as error:  # noqa: BLE001  every failure is the parent's to tell
            answer = (False, error)
        try:
            send(answers, answer)
        except (AttributeError, TypeError, pickle.PicklingError) as error:
            send(answers, (False, RuntimeError(str(error))))
        except OSError:
            return


def main() -> None:
    """Serve on the process's own pipes; whatever else prints goes to the error output."""
    answers = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    import pigtail.studies.all  # noqa: F401  loaded while the window is still being painted

    serve(os.fdopen(0, "rb", closefd=False), answers)


if __name__ == "__main__":
    main()
