"""The build sheet as blocks: what HTML and PDF both print, in the order of the work."""

from __future__ import annotations

from pathlib import Path

from pigtail.advice.measure import next_readings
from pigtail.catalogue.cautions import CAUTIONS, LOCAL_CODES
from pigtail.catalogue.topologies import topology
from pigtail.circuit import CircuitError
from pigtail.job.ask import IN_SERIES, in_words
from pigtail.job.document import Function, Job, Link, Purpose, Rail
from pigtail.job.measured import Measured
from pigtail.job.quantities import quantities
from pigtail.job.reading_import import text_of
from pigtail.job.wiring import first_function, probe_against, used_points
from pigtail.language import tr
from pigtail.model.errors import CompileError
from pigtail.model.model import Model
from pigtail.sheet.blocks import Block, Sheet, SheetLines, SheetTable
from pigtail.sheet.making import (
    board_blocks,
    labels_picture,
    loom_table,
    mounting_block,
    panel_blocks,
    parts_tables,
    supplies_lines,
    wiring_block,
)
from pigtail.sheet.photos import photo_blocks
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.found import Studies, questions
from pigtail.studies.loom.found import LoomFound
from pigtail.studies.register import REGISTER
from pigtail.units import format_known, format_quantity

#: Cautions that stand on every sheet. Common practice.
ALWAYS = (
    tr(
        "Before the module is joined: measure the supply at its plug, volts and polarity, "
        "unloaded and then loaded."
    ),
    tr(
        "No short between supply and return; first power through a current limit; second look at "
        "every polarity."
    ),
    tr(
        "Nothing on this sheet is joined to the primary (mains) side. If mains gear is new to "
        "you, start on cheaper gear."
    ),
)
DRILLING = tr(
    "Drilling: unplugged and discharged; glasses on; clamp the panel, never hold it; swarf "
    "never falls on a board."
)


def make_sheet(job: Job, studies: Studies, folder: Path | None = None) -> Sheet:
    """The build sheet of a job: what may hurt, what the hands follow, what is read on the way, and last the numbers.

    Args: the folder that the photos lie beside; without it their pins are told alone.
    """
    measured = Measured(job).job
    build = studies.of(LoomFound)
    parts, buy = parts_tables(job, build)
    blocks: list[Block] = [
        wiring_block(job, build),
        SheetLines(tr("Open questions"), _questions(job, studies)),
        SheetLines(
            tr("The plan"),
            tuple(link_sentence(job, link) for link in job.links),
            tr("Nothing is planned yet."),
        ),
        *photo_blocks(job, folder),
        *board_blocks(job),
        *panel_blocks(job),
        *mounting_block(job),
        loom_table(build),
        supplies_lines(build),
        buy,
        parts,
        _to_read(job, measured),
        *labels_picture(build),
        _log(job),
        _known(job, measured),
        _numbers(studies),
    ]
    return Sheet(
        title=job.name,
        subtitle=tr("{host}, fed by: {supply}", host=job.host.name, supply=tr(job.host.supply.value)),
        wanted=job.brief.wanted,
        verdicts=tuple((name.capitalize(), severity.value) for name, severity in studies.verdicts.items()),
        cautions=tuple(dict.fromkeys((*CAUTIONS[job.host.supply], *ALWAYS, *_drilling(job), LOCAL_CODES))),
        blocks=tuple(blocks),
        netlist=netlist_text(job),
    )


def _drilling(job: Job) -> tuple[str, ...]:
    """What may hurt where a panel is drilled."""
    return (DRILLING,) if job.build.panel is not None and job.build.panel.fittings else ()


def netlist_text(job: Job) -> str:
    """The deck that the studies solve, in the working state; a comment when the plan has none."""
    try:
        return Model.of(job).netlist().text
    except (CompileError, CircuitError) as error:
        return f"* no netlist: {error}\n"


def link_sentence(job: Job, link: Link) -> str:
    """One link in a sentence: from where, through what, to where."""
    starts = [job.label(a) for a in link.starts]
    ends = [job.label(a) for a in link.at("out")]
    commons = [job.label(a) for a in link.at("com")]
    through = ", ".join(_section(link, k) for k in range(len(link.sections)))
    common = tr("; its common to {commons}", commons=commons[0]) if commons else ""
    for port, words in (("back", tr("the source's return")), ("sup", tr("its supply"))):
        common += "".join(tr("; {words} to {a}", words=words, a=job.label(a)) for a in link.at(port))
    return f"{link.name}: {' and '.join(starts)} → {through} → {' and '.join(ends)}{common}."


def _section(link: Link, index: int) -> str:
    section = link.sections[index]
    shape = topology(section.topology)
    given = shape.values(section)
    values = [f"{p.name.upper()} {format_quantity(given[p.name].nominal, p.unit)}" for p in shape.bought()]
    title = shape.title[0].lower() + shape.title[1:]
    return title + (f" ({', '.join(values)})" if values else "")


def _numbers(studies: Studies) -> SheetTable:
    """The few numbers that matter: those of the tell-tales, and those that something is told of."""
    dials = {d.judgement for e in REGISTER for d in e.dials}
    told = [
        f.number.split(".")
        for f in studies.findings
        if f.number and (f.severity is not Severity.GOOD or f.judgement in dials)
    ]
    shown = {f"{parts[0]}.{parts[-1]}" for parts in told}
    rows = tuple(
        (
            e.words,
            e.text(),
            e.basis.value if not e.missing else tr("needs: {words}", words=e.missing[0].words),
            name,
        )
        for name, e in studies.numbers.items()
        if name in shown
    )
    return SheetTable(
        tr("Numbers"),
        (tr("what it is"), tr("value (spread)"), tr("basis"), tr("its name")),
        rows,
        weights=(3, 3, 1.6, 2.4),
    )


def _to_read(job: Job, measured: Job) -> SheetTable:
    """Readings to take on the way, each with what is expected there."""
    rows = []
    for address in used_points(job):
        function = first_function(job, address)
        against = probe_against(job, address)
        state = job.state(job.working_state())
        when = tr("power off") if function is Function.RESISTANCE else state.name if state else "?"
        rows.append(
            (
                job.label(address),
                job.label(against) if against else "—",
                when,
                function.value,
                _expected(measured, address, function),
                "…………",
            )
        )
    for link in job.links:
        pins = link.at("out") if link.purpose is Purpose.SUPPLY else ()
        for pin in pins:
            terminal = job.terminal(pin)
            low, high = getattr(terminal, "minimum", None), getattr(terminal, "maximum", None)
            span = (
                tr(
                    "{nominal:g} … {nominal2:g} V, plus on {pin}",
                    nominal=low.nominal,
                    nominal2=high.nominal,
                    pin=job.label(pin),
                )
                if low and high
                else "unknown"
            )
            rows.append(
                (
                    tr("{pin}, at the plug, module off", pin=job.label(pin)),
                    job.label(probe_against(job, pin)),
                    "on",
                    tr("DC volts"),
                    span,
                    "…………",
                )
            )
    columns = ("point", "against", "state", "function", "expected", "read")
    return SheetTable(
        tr("Readings to take"),
        columns,
        tuple(rows),
        tr("A reading outside what is expected is a reason to stop."),
    )


def _expected(job: Job, address: str, function: Function) -> str:
    terminal = job.terminal(address)
    if terminal is None:
        return "unknown"
    item = next((q for q in quantities(terminal) if q.feeds is function), None)
    value = getattr(terminal, item.field) if item else None
    if value is not None:
        return format_known(value)
    if function is Function.RESISTANCE:
        device_id, _, name = address.partition(".")
        device = job.device(device_id)
        path = next((p for p in device.paths if name in (p.a, p.b)), None) if device else None
        return format_known(path.resistance) if path and path.resistance else "below 1 Ω"
    return "unknown" if isinstance(terminal, Rail) else tr("0 V, a few mV")


def _known(job: Job, measured: Job) -> SheetTable:
    rows = []
    for device_id, device in measured.devices():
        for terminal in device.terminals:
            for item in quantities(terminal):
                value = getattr(terminal, item.field)
                text = "unknown" if value is None else format_known(value)
                basis = "—" if value is None else value.basis.value
                rows.append(
                    (
                        job.label(f"{device_id}.{terminal.id}"),
                        item.words,
                        text,
                        basis,
                        value.source if value else "",
                    )
                )
    return SheetTable(
        tr("What the numbers rest on"),
        (tr("terminal"), tr("value"), "", tr("basis"), tr("from")),
        tuple(rows),
    )


def _log(job: Job) -> SheetTable:
    rows = tuple(
        (
            r.id,
            r.when.replace("T", " "),
            job.label(r.point),
            job.label(r.against) or IN_SERIES,
            (job.state(r.state).name if job.state(r.state) else r.state),  # type: ignore[union-attr]
            f"{r.function.value}: {text_of(r.function, r.value.nominal)}",
            "; ".join(
                x
                for x in (
                    "struck" if r.struck else "",
                    tr("corrects {corrects}", corrects=r.corrects) if r.corrects else "",
                    r.note,
                )
                if x
            ),
        )
        for r in job.readings
    )
    return SheetTable(
        tr("Readings taken"),
        (tr("no."), tr("when"), tr("point"), tr("against"), tr("state"), tr("reading"), tr("note")),
        rows,
    )


def _questions(job: Job, studies: Studies) -> tuple[str, ...]:
    """What is still open: findings above watch, and readings that would settle them."""
    bad = (Severity.STOP, Severity.FIX, Severity.UNKNOWN)
    count = len(studies.open)
    found = (
        [
            tr(
                "{upper}{count} that only papers or the meter can answer.",
                upper=questions(count)[:1].upper(),
                count=questions(count)[1:],
            )
        ]
        if count
        else []
    )
    found += [_question(f) for f in studies.findings if f.severity in bad]
    for m in next_readings(job, studies):
        words = in_words(job, m)
        heed = tr(" Heed: {caution}.", caution=m.caution) if m.caution else ""
        found.append(f"{words[0].upper()}{words[1:]}: {m.reason}.{heed}")
    return tuple(dict.fromkeys(found))


def _question(finding: Finding) -> str:
    remedy = tr(" Remedy: {label}.", label=finding.remedies[0].label) if finding.remedies else ""
    return f"{finding.severity.value.upper()}: {finding.sentence}{remedy}"
