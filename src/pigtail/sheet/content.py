"""The build sheet as plain text blocks: what HTML and PDF both print, in the order of the work."""

from __future__ import annotations

from dataclasses import dataclass, field

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
from pigtail.model.errors import CompileError
from pigtail.model.model import Model
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.found import Studies
from pigtail.studies.loom.found import LoomFound
from pigtail.units import format_known, format_quantity

#: Cautions that stand on every sheet. Common practice.
ALWAYS = (
    "Before the module is joined: measure the supply at its plug, volts and polarity, unloaded and then loaded.",
    "No short between supply and return; first power through a current limit; second look at every polarity.",
    "Nothing on this sheet is joined to the primary (mains) side. If mains gear is new to you, start on cheaper gear.",
)


@dataclass(frozen=True)
class SheetTable:
    """A table with its heading; rows of text."""

    title: str
    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    note: str = ""


@dataclass(frozen=True)
class Sheet:
    """All that the build sheet says."""

    title: str
    subtitle: str
    wanted: str
    verdicts: tuple[tuple[str, str], ...]
    cautions: tuple[str, ...]
    plan: tuple[str, ...]
    tables: tuple[SheetTable, ...]
    questions: tuple[str, ...]
    netlist: str = field(default="")


def make_sheet(job: Job, studies: Studies) -> Sheet:
    """The build sheet of a job."""
    measured = Measured(job).job
    return Sheet(
        title=job.name,
        subtitle=f"{job.host.name}, fed by: {job.host.supply.value}",
        wanted=job.brief.wanted,
        verdicts=tuple((name.capitalize(), severity.value) for name, severity in studies.verdicts.items()),
        cautions=tuple(dict.fromkeys((*CAUTIONS[job.host.supply], *ALWAYS, LOCAL_CODES))),
        plan=tuple(_link_sentence(job, link) for link in job.links),
        tables=(
            _numbers(studies),
            _loom(studies),
            _parts(studies),
            _to_read(job, measured),
            _known(job, measured),
            _log(job),
        ),
        questions=_questions(job, studies),
        netlist=netlist_text(job),
    )


def netlist_text(job: Job) -> str:
    """The deck that the studies solve, in the working state; a comment when the plan has none."""
    try:
        return Model.of(job).netlist().text
    except (CompileError, CircuitError) as error:
        return f"* no netlist: {error}\n"


def _link_sentence(job: Job, link: Link) -> str:
    """One link in a sentence: from where, through what, to where."""
    starts = [job.label(a) for a in link.starts]
    ends = [job.label(a) for a in link.at("out")]
    commons = [job.label(a) for a in link.at("com")]
    through = ", ".join(_section(link, k) for k in range(len(link.sections)))
    common = f"; its common to {commons[0]}" if commons else ""
    for port, words in (("back", "the source's return"), ("sup", "its supply")):
        common += "".join(f"; {words} to {job.label(a)}" for a in link.at(port))
    return f"{link.name}: {' and '.join(starts)} → {through} → {' and '.join(ends)}{common}."


def _section(link: Link, index: int) -> str:
    section = link.sections[index]
    shape = topology(section.topology)
    given = shape.values(section)
    values = [f"{p.name.upper()} {format_quantity(given[p.name].nominal, p.unit)}" for p in shape.bought()]
    title = shape.title[0].lower() + shape.title[1:]
    return title + (f" ({', '.join(values)})" if values else "")


def _numbers(studies: Studies) -> SheetTable:
    rows = tuple(
        (name, e.words, e.text(), e.basis.value if not e.missing else f"needs: {e.missing[0].words}")
        for name, e in studies.numbers.items()
        if name.count(".") == 1
    )
    return SheetTable("Numbers", ("name", "what it is", "value (spread)", "basis"), rows)


def _loom(studies: Studies) -> SheetTable:
    rows = tuple(
        (
            str(k),
            w.start,
            w.end,
            w.function,
            w.colour,
            f"AWG {w.gauge}" + (", screened" if w.screened else ""),
            "?" if w.length is None else "on the part" if w.length == 0 else f"{100 * w.length:.0f} cm",
            w.route,
        )
        for k, w in enumerate(studies.of(LoomFound).wires, start=1)
    )
    columns = ("no.", "from", "to", "carries", "colour", "gauge", "cut to", "route")
    return SheetTable(
        "Loom", columns, rows, "Lengths include a tenth of slack. A screen is joined at one end only."
    )


def _parts(studies: Studies) -> SheetTable:
    rows = tuple((p.reference, p.words, p.value, p.note) for p in studies.of(LoomFound).parts)
    return SheetTable("Parts", ("where", "part", "value", "note"), rows)


def _to_read(job: Job, measured: Job) -> SheetTable:
    """Readings to take on the way, each with what is expected there."""
    rows = []
    for address in used_points(job):
        function = first_function(job, address)
        against = probe_against(job, address)
        state = job.state(job.working_state())
        when = "power off" if function is Function.RESISTANCE else state.name if state else "?"
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
                f"{low.nominal:g} … {high.nominal:g} V, plus on {job.label(pin)}"
                if low and high
                else "unknown"
            )
            rows.append(
                (
                    f"{job.label(pin)}, at the plug, module off",
                    job.label(probe_against(job, pin)),
                    "on",
                    "DC volts",
                    span,
                    "…………",
                )
            )
    columns = ("point", "against", "state", "function", "expected", "read")
    return SheetTable(
        "Readings to take", columns, tuple(rows), "A reading outside what is expected is a reason to stop."
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
    return "unknown" if isinstance(terminal, Rail) else "0 V, a few mV"


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
    return SheetTable("What the numbers rest on", ("terminal", "value", "", "basis", "from"), tuple(rows))


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
                    f"corrects {r.corrects}" if r.corrects else "",
                    r.note,
                )
                if x
            ),
        )
        for r in job.readings
    )
    return SheetTable("Readings taken", ("no.", "when", "point", "against", "state", "reading", "note"), rows)


def _questions(job: Job, studies: Studies) -> tuple[str, ...]:
    """What is still open: findings above watch, and readings that would settle them."""
    bad = (Severity.STOP, Severity.FIX, Severity.UNKNOWN)
    found = [_question(f) for f in studies.findings if f.severity in bad]
    for m in next_readings(job, studies):
        words = in_words(job, m)
        heed = f" Heed: {m.caution}." if m.caution else ""
        found.append(f"{words[0].upper()}{words[1:]}: {m.reason}.{heed}")
    return tuple(dict.fromkeys(found))


def _question(finding: Finding) -> str:
    remedy = f" Remedy: {finding.remedies[0].label}." if finding.remedies else ""
    return f"{finding.severity.value.upper()}: {finding.sentence}{remedy}"
