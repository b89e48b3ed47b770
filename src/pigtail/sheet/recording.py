"""What leaves of the work: the runbook to tick off on paper, the record, and the story for others as Markdown or plain text."""

from __future__ import annotations

from collections.abc import Sequence

from pigtail.catalogue.cautions import CAUTIONS, LOCAL_CODES
from pigtail.job.document import Job
from pigtail.job.logbook import Alters
from pigtail.job.steps import RunStand, Standing
from pigtail.language import tr
from pigtail.sheet.blocks import Block, Sheet, SheetLines, SheetTable
from pigtail.sheet.content import link_sentence
from pigtail.studies.found import Studies
from pigtail.studies.loom.found import LoomFound
from pigtail.studies.prove.found import ProveFound
from pigtail.studies.prove.kinds import phase_words
from pigtail.studies.prove.record import COST, DONE, FILES, KEPT, NOTES, READINGS, RecordLine, tables_of, took

#: How a step stands, as it is printed.
MARKS = {Standing.OPEN: "[  ]", Standing.DONE: "[x]", Standing.WAIVED: "[r]", Standing.AGAIN: "[!]"}


def runbook_sheet(job: Job, studies: Studies, *, back: bool = False) -> Sheet:
    """The runbook, or the way back, to be ticked off on paper."""
    found = studies.of(ProveFound)
    stands = found.back if back else found.stands
    blocks: list[Block] = (
        [SheetLines(tr("What stays as it is now"), found.stays, tr("Nothing: all of it can be taken back."))]
        if back
        else []
    )
    for phase, group in phases(stands):
        rows = tuple((MARKS[s.standing], s.step.says + _heed(s), _hold(s), "") for s in group)
        blocks.append(
            SheetTable(
                phase,
                ("", tr("step"), tr("hold point: it must be"), tr("read, or seen")),
                rows,
                weights=(0.5, 4.6, 2.6, 1.4),
            )
        )
    return Sheet(
        title=f"{job.name}: {tr('the way back') if back else 'runbook'}",
        subtitle=tr("{host}, fed by: {supply}", host=job.host.name, supply=tr(job.host.supply.value)),
        wanted=job.brief.wanted,
        verdicts=(),
        cautions=(*CAUTIONS[job.host.supply], LOCAL_CODES),
        blocks=tuple(blocks),
    )


def phases(stands: tuple[RunStand, ...]) -> list[tuple[str, list[RunStand]]]:
    """Steps in their groups; what turns power belongs to the step after it."""
    found: list[tuple[str, list[RunStand]]] = []
    waiting: list[RunStand] = []
    for stand in stands:
        if stand.step.is_turn:
            waiting.append(stand)
            continue
        name = phase_words(stand.step.phase, back=stand.step.turned)
        if not found or found[-1][0] != name:
            found.append((name, []))
        found[-1][1].extend((*waiting, stand))
        waiting = []
    if waiting and found:
        found[-1][1].extend(waiting)
    return found


def _heed(stand: RunStand) -> str:
    return (
        tr(" Heed: {heed}.", heed=stand.step.heed)
        if stand.step.heed and stand.step.kind not in ("heed", "unplug")
        else ""
    )


def _hold(stand: RunStand) -> str:
    hold = stand.step.hold
    if hold is None:
        return ""
    return hold.question or hold.words or tr("unknown: {unknown}", unknown=hold.unknown)


def record_sheet(job: Job, studies: Studies) -> Sheet:
    """The record on paper."""
    tables, found = tables_of(job), studies.of(ProveFound)
    again = tuple(
        tr("{says} Why: {why}.", says=s.step.says, why=s.why)
        for s in found.stands
        if s.standing is Standing.AGAIN
    )
    jumpers = tuple(f"{a.what}: {a.how}" for a in job.work.alterations if a.kind is Alters.JUMPER)
    altered = tuple(
        f"{a.kind.value}: {a.what}"
        for a in job.work.alterations
        if a.kind is not Alters.JUMPER and a.back is not False
    )
    blocks: list[Block] = [
        SheetTable(tr("Parts, screws and where they are"), KEPT, _rows(tables.kept), weights=(2, 2, 2, 1)),
        SheetLines(tr("Done to the host"), (*altered, *found.stays), tr("Nothing that stays.")),
        SheetLines(tr("Jumpers"), jumpers, tr("None was set.")),
        SheetTable(
            tr("Readings against what was expected"),
            READINGS,
            _rows(tables.readings),
            weights=(3, 1.6, 1.2, 2, 2),
        ),
        SheetTable(tr("Cost"), COST, _rows(tables.cost), weights=(3, 1.6, 2)),
        SheetTable(tr("Notes"), NOTES, _rows(tables.notes), weights=(1.2, 5)),
        SheetLines(tr("To do again"), again, tr("Nothing.")),
        SheetTable(tr("Photos and recordings"), FILES, _rows(tables.files), weights=(2, 3)),
        SheetTable(
            tr("What was done, in its order"), DONE, _rows(tables.done), weights=(1.1, 4.2, 1.6, 0.7, 1.6)
        ),
    ]
    return Sheet(
        title=f"{job.name}: record",
        subtitle=f"{job.host.name}; {_progress(found)}",
        wanted=job.brief.wanted,
        verdicts=tuple((name.capitalize(), severity.value) for name, severity in studies.verdicts.items()),
        cautions=CAUTIONS[job.host.supply],
        blocks=tuple(blocks),
    )


def _rows(lines: tuple[RecordLine, ...]) -> tuple[tuple[str, ...], ...]:
    return tuple(
        tuple(tr("struck: {c}", c=c) if k == 0 and line.struck else c for k, c in enumerate(line.cells))
        for line in lines
    )


def _progress(found: ProveFound) -> str:
    left = sum(1 for s in found.stands if s.open)
    taken = took(60 * found.minutes_taken)
    if not found.stands:
        return tr("nothing is planned")
    if not left:
        return tr("all {count} steps are done, in {taken}", count=len(found.stands), taken=taken)
    return tr(
        "{left} of {count} steps are left, {taken} so far", left=left, count=len(found.stands), taken=taken
    )


# -- the story ----------------------------------------------------------------------------------------------


def story(job: Job, studies: Studies, *, markdown: bool) -> str:
    """The story of a job for others: what was wanted, how it is joined, what was read, what it cost, what to do otherwise."""
    tables, build, found = tables_of(job), studies.of(LoomFound), studies.of(ProveFound)
    write = _Markdown() if markdown else _Plain()
    write.title(job.name)
    write.line(
        tr("{host}, fed by: {supply}", host=job.host.name, supply=tr(job.host.supply.value))
        + f". {job.brief.wanted}".strip()
    )
    write.line(" ".join((*CAUTIONS[job.host.supply], LOCAL_CODES)))
    write.heading(tr("How it is joined"))
    for link in job.links:
        write.point(link_sentence(job, link))
    write.picture("Wiring", "wiring.svg")
    write.drawing(
        [
            f"{w.number:>3}  {w.start}  --[ {w.colour}, {w.cut} ]--  {w.end}"
            for w in build.wires
            if w.length != 0
        ]
    )
    parts = [(p.reference, p.words, p.value) for p in build.parts]
    write.table(("where", "part", "value"), parts)
    if any(True for line in tables.readings if not line.struck):
        write.heading(tr("What was read"))
        write.table(READINGS, [line.cells for line in tables.readings if not line.struck])
    if tables.kept:
        write.heading(tr("What came off, and where it is"))
        write.table(KEPT, [line.cells for line in tables.kept if not line.struck])
    for words in found.stays:
        write.point(tr("This stays: {words}.", words=words))
    if tables.cost:
        write.heading(tr("What it cost"))
        write.table(COST, [line.cells for line in tables.cost if not line.struck])
    notes = [line.cells[1] for line in tables.notes if not line.struck]
    if notes:
        write.heading("Notes")
        for text in notes:
            write.point(text)
    write.line(f"{_progress(found)[:1].upper()}{_progress(found)[1:]}.")
    return write.text()


class _Plain:
    """Plain text, with tables set in columns."""

    def __init__(self) -> None:
        self._lines: list[str] = []

    def title(self, words: str) -> None:
        self._lines += [_one_line(words), "=" * min(len(words), 72), ""]

    def heading(self, words: str) -> None:
        self._lines += ["", words, "-" * len(words), ""]

    def line(self, words: str) -> None:
        self._lines += [_one_line(words), ""]

    def point(self, words: str) -> None:
        self._lines.append(f"* {_one_line(words)}")

    def picture(self, words: str, file: str) -> None:
        """Text has no pictures."""

    def drawing(self, lines: list[str]) -> None:
        self._lines += ["", *(_one_line(x, keep=True) for x in lines), ""]

    def table(self, columns: tuple[str, ...], rows: Sequence[tuple[str, ...]]) -> None:
        if not rows:
            return
        every = [columns, *(tuple(_one_line(c) for c in r) for r in rows)]
        widths = [min(max(len(r[k]) for r in every), 44) for k in range(len(columns))]
        self._lines += [
            "  ".join(c.ljust(w) for c, w in zip(r, widths, strict=True)).rstrip() for r in every
        ] + [""]

    def text(self) -> str:
        return "\n".join(self._lines).strip() + "\n"


class _Markdown(_Plain):
    """Markdown, with nothing of the person's own words taken for a mark."""

    def title(self, words: str) -> None:
        self._lines += [f"# {_marked(words)}", ""]

    def heading(self, words: str) -> None:
        self._lines += ["", f"## {words}", ""]

    def line(self, words: str) -> None:
        self._lines += [_marked(words), ""]

    def point(self, words: str) -> None:
        self._lines.append(f"- {_marked(words)}")

    def picture(self, words: str, file: str) -> None:
        self._lines += ["", f"![{words}]({file})", ""]

    def drawing(self, lines: list[str]) -> None:
        self._lines += ["", *(f"    {_one_line(x, keep=True)}" for x in lines), ""]

    def table(self, columns: tuple[str, ...], rows: Sequence[tuple[str, ...]]) -> None:
        if not rows:
            return
        self._lines += [f"| {' | '.join(columns)} |", f"|{'---|' * len(columns)}"]
        self._lines += [f"| {' | '.join(_marked(c) for c in r)} |" for r in rows] + [""]


def _one_line(words: str, *, keep: bool = False) -> str:
    """Text without line ends and control characters."""
    clean = "".join(c if c.isprintable() else " " for c in words)
    return clean.rstrip() if keep else " ".join(clean.split())


def _marked(words: str) -> str:
    """Text in which no letter is a mark of Markdown or HTML."""
    found = _one_line(words)
    for mark in "\\`*_{}[]<>#|!":
        found = found.replace(mark, f"\\{mark}" if mark not in "<>" else {"<": "&lt;", ">": "&gt;"}[mark])
    return found
