"""What can be asked of the studies' process: one typed function a service, light to import, each loads what it needs.

The window names a service by its function, the process runs it by the function's name.
"""

from __future__ import annotations

import pickle
from collections.abc import Callable
from typing import Any

TYPE_CHECKING = False
if TYPE_CHECKING:
    from pathlib import Path

    from pigtail.advice.found import Contest, ControlsFound, School, SearchFound, SuppliesFound
    from pigtail.drawing.shapes import Drawing
    from pigtail.job.document import Job
    from pigtail.job.file import Document
    from pigtail.panel.found import PlaceFound
    from pigtail.sheet.blocks import BoardFound
    from pigtail.studies.control.found import ControlFound, Transition
    from pigtail.studies.found import Studies
    from pigtail.studies.level.found import FeedDetail
    from pigtail.studies.loom.found import LoomFound
    from pigtail.studies.power.found import SupplyDetail
    from pigtail.studies.prove.record import RecordTables
    from pigtail.units import Known

#: What the last quick look at a feed left for the next.
_HINTS: dict[str, Any] = {}


def study(job: Job) -> Studies:
    """What all studies find of a job, with what to measure next."""
    from pigtail.advice.measure import with_asked
    from pigtail.studies.all import study_job

    return with_asked(job, study_job(job))


def first_demo(name: str) -> tuple[Document, Studies]:
    """A demo and what is found of it."""
    from pigtail.catalogue.demo import demo

    document = demo(name)
    return document, study(document.job)


def advise(job: Job, studies: Studies) -> Studies:
    """The studies with remedies on their findings."""
    from pigtail.advice.remedies import advised

    return advised(job, studies)


def schools(job: Job) -> tuple[School, ...]:
    """Every arrangement of the returns, solved, the quietest first."""
    from pigtail.advice.remedies import schools as solved

    return solved(job)


def contests(job: Job, link_id: str) -> tuple[Contest, ...]:
    """What modders disagree on about a feed, both ways solved."""
    from pigtail.advice.level_schools import contests as solved

    return solved(job, link_id)


def search_steps(job: Job, link_id: str) -> tuple[int, ...]:
    """The steps that a search of a feed's networks takes."""
    from pigtail.advice.search import steps_of

    return steps_of(job, link_id)


def search_step(
    job: Job, link_id: str, number: int, series: str, only_stock: bool, before: bytes
) -> tuple[bytes, SearchFound]:
    """One step of a search: what the next step goes on from, which is nothing to the asker, and what is found so far."""
    from pigtail.advice.search import SearchStep, ranked, take_step
    from pigtail.advice.shapes import wish_of

    wish = wish_of(series, only_stock=only_stock)
    step = take_step(job, link_id, number, wish, pickle.loads(before) if before else SearchStep())  # noqa: S301  our own
    return pickle.dumps(step), ranked(link_id, step)


def supply_sources(job: Job, pin: str) -> tuple[str, ...]:
    """The steps that a search of a module's supply goes through."""
    from pigtail.advice.supply_candidates import sources_of

    return sources_of(job, pin)


def supply_step(job: Job, pin: str, source: str, before: bytes) -> tuple[bytes, SuppliesFound]:
    """One step of a search of a supply: what the next step goes on from, and what is found so far."""
    from pigtail.advice.shapes import wish_of
    from pigtail.advice.supplies import SupplyStep, ranked, take_step

    step = take_step(job, pin, source, pickle.loads(before) if before else SupplyStep(), wish_of("").stock)  # noqa: S301  our own
    return pickle.dumps(step), ranked(job, pin, step)


def supply_contests(job: Job, pin: str) -> tuple[Contest, ...]:
    """What modders disagree on about a module's supply, both ways solved."""
    from pigtail.advice.supply_schools import supply_contests as solved

    return solved(job, pin)


def control_lines(job: Job, of: str) -> tuple[str, ...]:
    """The steps that a search of what wakes, mutes or shows goes through."""
    from pigtail.advice.controls import steps_of

    return steps_of(job, of) or ("",)


def control_step(job: Job, of: str, line: str, before: bytes) -> tuple[bytes, ControlsFound]:
    """One step of a search of control: what the next step goes on from, and what is found so far."""
    from pigtail.advice.controls import ControlStep, ranked, take_step
    from pigtail.advice.shapes import wish_of

    step = pickle.loads(before) if before else ControlStep()  # noqa: S301  our own
    if line:
        step = take_step(job, of, line, step, wish_of("").stock)
    return pickle.dumps(step), ranked(job, of, step)


def control_contests(job: Job, of: str) -> tuple[Contest, ...]:
    """What modders disagree on about what wakes a module or mutes an output, both ways solved."""
    from pigtail.advice.control_schools import control_contests as solved

    return solved(job, of)


def glance_supply(job: Job, link_id: str) -> SupplyDetail | None:
    """A quick look at a supply that was just changed; None where there is nothing to look at."""
    from pigtail.studies.power.study import glance_power

    return glance_power(job, link_id)


def transitions(job: Job) -> tuple[Transition, ...]:
    """What happens as the host goes from state to state, run in time."""
    from pigtail.studies.control.transitions import transitions_of

    return transitions_of(job)


def glance_control(job: Job) -> ControlFound:
    """A quick look at the table of states of a job that was just changed."""
    from pigtail.studies.control.study import glance_control as glanced

    return glanced(job)


def glance(job: Job, link_id: str) -> FeedDetail | None:
    """A quick look at a feed that was just changed; None where there is nothing to look at."""
    from pigtail.model.model import Model
    from pigtail.model.spread import Hints
    from pigtail.studies.level.study import glance_level

    if link_id not in _HINTS:
        _HINTS.clear()
        _HINTS[link_id] = Hints()
    return glance_level(Model.of(job), link_id, _HINTS[link_id])


def louder(now: Path, wanted: Path) -> tuple[float, str]:
    """How much louder the second recording is than the first [LU], and why they cannot be compared as they are, if so."""
    from pigtail.studies.loudness import loudness_of, unlike

    first, second = loudness_of(now), loudness_of(wanted)
    return second.lufs - first.lufs, unlike(first, second)


def matched(job: Job, link_id: str, louder_db: float, source: str) -> tuple[tuple[str, str, Known], ...]:
    """The values that want a feed's input so much louder [dB] than what arrives now."""
    from pigtail.advice.matching import matched_values

    return matched_values(job, link_id, louder_db, source)


def wiring(job: Job, build: LoomFound) -> Drawing:
    """The wiring drawing of a plan."""
    from pigtail.sheet.wiring import wiring_drawing

    return wiring_drawing(job, build)


def board_steps(job: Job) -> tuple[int, ...]:
    """The steps that laying out the little board takes."""
    from pigtail.board.layout import steps_of
    from pigtail.board.parts import mounted

    return tuple(range(steps_of(mounted(job))))


def board_step(job: Job, number: int, before: bytes) -> tuple[bytes, BoardFound]:
    """One step of laying out the little board: what the next step goes on from, and the best so far as it is drawn."""
    from pigtail.sheet.making import board_step as stepped

    return stepped(job, number, before)


def panel_places(job: Job, fitting_id: str) -> tuple[PlaceFound, ...]:
    """The best places for a fitting of the panel, the best first."""
    from pigtail.panel.places import ranked_places

    panel = job.build.panel
    fitting = next((f for f in panel.fittings if f.id == fitting_id), None) if panel is not None else None
    return ranked_places(panel, fitting) if panel is not None and fitting is not None else ()


def panel_drawing(job: Job) -> Drawing | None:
    """The panel as its template shows it, without what proves the print; None where there is none."""
    from pigtail.panel.template import template

    return template(job.build.panel, checks=False) if job.build.panel is not None else None


def write_sheet(job: Job, studies: Studies, folder: Path, beside: Path | None) -> list[Path]:
    """The sheet's files written into a folder, with the photos that lie beside the job."""
    from pigtail.sheet.write import write_sheet as written

    return written(job, studies, folder, beside)


def printed(job: Job, studies: Studies, what: str, letter: bool, beside: Path | None = None) -> bytes:
    """What is printed, as a PDF on Letter or on A4: the build sheet, the runbook, the way back or the record."""
    from pigtail.sheet.content import make_sheet
    from pigtail.sheet.pdf import PageSize, pdf_bytes
    from pigtail.sheet.recording import record_sheet, runbook_sheet

    if what == "sheet":
        made = make_sheet(job, studies, beside)
    elif what == "record":
        made = record_sheet(job, studies)
    else:
        made = runbook_sheet(job, studies, back=what == "back")
    return pdf_bytes(made, PageSize.LETTER if letter else PageSize.A4)


def story(job: Job, studies: Studies, markdown: bool) -> str:
    """The story of a job for others, as Markdown or as plain text."""
    from pigtail.sheet.recording import story as told

    return told(job, studies, markdown=markdown)


def record_tables(job: Job) -> RecordTables:
    """The record of a job as tables."""
    from pigtail.studies.prove.record import tables_of

    return tables_of(job)


def write_pack(document: Document, studies: Studies, folder: Path | None, path: Path) -> tuple[str, ...]:
    """A pack of a document, the files in its folder and its sheet; returns the files that are missing or have changed."""
    from pigtail.job.pack import write_pack as written
    from pigtail.sheet.write import pack_files

    return written(document, folder, path, pack_files(document.job, studies, folder))


def open_pack(path: Path) -> Path:
    """Unpack a pack into a new folder beside it; returns the job file in it."""
    from pigtail.job.pack import open_beside

    return open_beside(path)


#: What can be asked for, by name.
SERVICES: dict[str, Callable[..., Any]] = {
    f.__name__: f
    for f in (
        study, first_demo, advise, schools, contests, search_steps, search_step, supply_sources, supply_contests,
        supply_step, control_lines, control_step, control_contests, transitions, glance, glance_supply, glance_control, louder, matched,
        wiring, board_steps, board_step, panel_places, panel_drawing, write_sheet, printed, story, record_tables,
        write_pack, open_pack,
    )
}  # fmt: skip
