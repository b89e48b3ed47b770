"""Where modders disagree about a feed: both ways solved for the job in hand, side by side, with our pick and its reason.

A resistor sum or a buffered one; straight or through a transformer; the pad at the module or at the host; parts or the
phone's own volume control.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import msgspec
from msgspec.structs import replace

from pigtail import edits
from pigtail.advice.found import Contest, Side
from pigtail.advice.plan import blocking, fit_coupling, fit_pad
from pigtail.advice.search import feed_of
from pigtail.catalogue.topologies import Does, Task, does, first, topology
from pigtail.circuit import CircuitError
from pigtail.edits.change import Edit
from pigtail.edits.plan import put_isolated, rejoined, without_pads
from pigtail.job.document import HOST, Conductor, Job, Link, Section
from pigtail.job.errors import JobError
from pigtail.job.measured import Measured
from pigtail.job.wiring import return_links
from pigtail.language import tr
from pigtail.model.errors import CompileError
from pigtail.model.estimate import Estimate
from pigtail.model.model import Model
from pigtail.studies.judging import judgements
from pigtail.studies.level.study import study_level
from pigtail.studies.returns.study import return_choices, study_returns
from pigtail.units import Basis, Known, format_quantity

#: How much better a transformer must make the buzz to be worth its price [dB].
WORTH_DB = 6.0
#: What a sum may lose to what follows before a buffer pays [dB], and the treble that must remain [Hz].
SUM_LOSS_DB = 1.0
TREBLE_HZ = 30e3
#: A long and a short piece of wire [m].
FAR_M, NEAR_M = 0.4, 0.05
DB_A_BIT = 6.02
MOST_TURNED_DOWN_DB = 6.0


class _Solved(msgspec.Struct, frozen=True):
    numbers: dict[str, Estimate]
    buzz: Estimate | None

    def text(self, name: str) -> str:
        return self.numbers[name].short() if name in self.numbers else "–"

    def value(self, name: str, missing: float) -> float:
        found = self.numbers.get(name)
        return missing if found is None or found.value is None else found.value

    @property
    def buzz_db(self) -> float | None:
        return None if self.buzz is None else self.buzz.value


def contests(job: Job, link_id: str) -> tuple[Contest, ...]:
    """What is argued about a feed, solved. Raises EditError for a link that is no feed."""
    link = feed_of(job, link_id)
    found = []
    for contest in (_sum, _transformer, _pad_place, _phone_volume):
        try:
            found += list(contest(job, link))
        except (JobError, CompileError, CircuitError):
            continue
    return tuple(found)


def _solve(job: Job, link_id: str) -> _Solved:
    model = Model.of(job)
    detail = next((d for d in study_level(model).feeds if d.link == link_id), None)
    buzz = study_returns(model).numbers.get("returns.buzz_db")
    return _Solved({} if detail is None else detail.numbers, buzz)


def _with(job: Job, link: Link) -> Job:
    return edits.replace_link(job, link)


def _figures(solved: _Solved, *names: tuple[str, str]) -> tuple[tuple[str, str], ...]:
    buzz = (("buzz", solved.buzz.short()),) if solved.buzz is not None else ()
    return (*((words, solved.text(name)) for words, name in names), *buzz)


def _sum(job: Job, link: Link) -> Iterator[Contest]:
    """A resistor sum, or one with a buffer behind it."""
    if len(topology(link.sections[0].topology).inputs) < 2 or any(
        does(s, Does.BUFFERS) for s in link.sections
    ):
        return
    kept = [s for s in link.sections[1:] if not _only_blocks(s)]
    between = next((s for s in link.sections[1:] if _only_blocks(s)), None) or _small_capacitor()
    buffered = rejoined(job, link, (link.sections[0], between, first("feed", Does.BUFFERS).section(), *kept))
    buffered = _refitted(job, buffered)
    a, b = _solve(job, link.id), _solve(_with(job, buffered), link.id)
    shown = (
        ("level", "delivered_dbv"),
        (tr("treble to"), "high_cut_hz"),
        ("noise", "noise_db"),
        (tr("driven from"), "output_ohm"),
    )
    treble = a.value("high_cut_hz", 0.0)
    input_ohm = _input_ohm(job, link)
    loss = a.value("output_ohm", 1e9) / input_ohm if input_ohm else 1.0
    pick = int(treble < TREBLE_HZ or loss > 10 ** (SUM_LOSS_DB / 20) - 1)
    why = (
        tr(
            "the input of {input_ohm} and the wire load the sum too much",
            input_ohm=format_quantity(input_ohm, "Ω"),
        )
        if pick
        else tr(
            "the input hardly loads it, the treble goes to {value}: no op-amp, no supply, nothing to hum",
            value=a.text("high_cut_hz"),
        )
    )
    yield Contest(
        tr("Resistor sum or buffered sum?"),
        (Side(tr("resistors alone"), _figures(a, *shown)),
         Side(tr("with a buffer"), _figures(b, *shown), partial(edits.replace_link, link=buffered))),
        pick, why,
    )  # fmt: skip


def _only_blocks(section: Section) -> bool:
    """Whether a network is nothing but a coupling capacitor with its bleed."""
    return topology(section.topology).couples and not does(section, Does.PADS)


def _small_capacitor() -> Section:
    """A coupling capacitor of 1 µF, which before a buffer is enough."""
    shape = blocking()
    part = shape.doing(Task.BLOCKS)
    return shape.section(**({part.name: 1e-6} if part is not None else {}))


def _input_ohm(job: Job, link: Link) -> float:
    (sink,) = link.at("out")
    known = getattr(Measured(job).job.terminal(sink), "impedance", None)
    return known.nominal if known else 0.0


def _refitted(job: Job, link: Link) -> Link:
    """The link with its pad, if it has one, chosen anew for the level."""
    link = fit_pad(job, link) or link
    return fit_coupling(job, link)


def _transformer(job: Job, link: Link) -> Iterator[Contest]:
    """Straight, or through an isolation transformer with the audio return wire left out."""
    if any(does(s, Does.ISOLATES) for s in link.sections):
        return
    module = next(
        (j.terminal.partition(".")[0] for j in link.joins if not j.terminal.startswith("host.")), ""
    )
    audio = return_choices(job, module)
    if not module or len(return_links(job, module)) < 2 or not audio:
        return
    head = 1 if len(topology(link.sections[0].topology).inputs) > 1 else 0
    sections: list[Section] = [s for s in link.sections if not does(s, Does.CONDUCTS)]
    at = next((k + 1 for k, s in enumerate(sections) if _only_blocks(s)), head)
    sections.insert(at, first("feed", Does.ISOLATES).section())
    through = fit_coupling(job, rejoined(job, link, tuple(sections)))

    change = partial(put_isolated, link=through, gone=audio[0].id)
    a, b = _solve(job, link.id), _solve(change(job), link.id)
    shown = (("level", "delivered_dbv"), (tr("bass from"), "low_cut_hz"), ("core", "core_db"))
    unnoticed_db, _ = judgements()["returns.quiet"].limits
    quiet = a.buzz is not None and a.buzz.value is not None and a.buzz.high <= unnoticed_db
    better = (a.buzz_db or 0.0) - (b.buzz_db or 0.0)
    pick = int(not quiet and better >= WORTH_DB)
    why = (
        tr(
            "it takes {better} off the buzz: nothing but the field joins the two sides",
            better=format_quantity(better, "dB"),
        )
        if pick
        else tr(
            "the buzz is {more} without it already: its price, its bass and its can are saved",
            more=a.buzz.short() if a.buzz else tr("not known"),
        )
        if quiet
        else tr("it would not make the buzz clearly better; mend the returns first")
    )
    yield Contest(
        tr("Straight or through a transformer?"),
        (Side("straight", _figures(a, *shown)), Side(tr("transformer, no audio return"), _figures(b, *shown), change)),
        pick, why,
    )  # fmt: skip


def _pad_place(job: Job, link: Link) -> Iterator[Contest]:
    """The pad at the module with the long wire behind it, or at the host with the long wire before it."""
    if not any(does(s, Does.PADS) for s in link.sections):
        return

    def placed(at_module: bool) -> Link:
        def moved(port: str, conductor: Conductor) -> Conductor:
            far = (port == "out") == at_module
            metres = Known.of(
                FAR_M if far else NEAR_M, "m", Basis.GUESSED, tolerance=0.5, source="guess: measure the route"
            )
            return replace(conductor, length=metres, screened=conductor.screened or far)

        signal = ("out", *topology(link.sections[0].topology).inputs)
        joins = tuple(
            replace(j, conductor=moved(j.port, j.conductor)) if j.port in signal else j for j in link.joins
        )
        return replace(link, joins=joins)

    there, here = placed(True), placed(False)
    a, b = _solve(_with(job, there), link.id), _solve(_with(job, here), link.id)
    shown = ((tr("treble to"), "high_cut_hz"), ("noise", "noise_db"), (tr("driven from"), "output_ohm"))
    pick = int(
        b.value("high_cut_hz", 0.0) >= TREBLE_HZ or b.value("high_cut_hz", 0.0) > a.value("high_cut_hz", 0.0)
    )
    why = (
        tr(
            "what the long wire picks up is padded with the signal, and its capacitance meets the "
            "low output of the source"
        )
        if pick
        else tr("the source is too weak for the long wire; behind the pad its capacitance does less")
    )
    yield Contest(
        tr("The pad at the module or at the host?"),
        (Side(tr("at the module"), _figures(a, *shown), _change(link, there)),
         Side(tr("at the host"), _figures(b, *shown), _change(link, here))),
        pick, why,
    )  # fmt: skip


def _change(now: Link, made: Link) -> Edit | None:
    """The edit that makes a link so; None where it is so already."""
    return None if made == now else partial(edits.replace_link, link=made)


def _phone_volume(job: Job, link: Link) -> Iterator[Contest]:
    """Matched by a pad with the phone at full, or by turning the phone down."""
    phone = not any(a.startswith(f"{HOST}.") for a in link.starts)
    if not phone or not any(does(s, Does.PADS) for s in link.sections):
        return
    a = _solve(job, link.id)
    b = _solve(without_pads(job, link.id), link.id)
    down = b.value("delivered_dbv", 0.0) - a.value("delivered_dbv", 0.0)
    if down <= 0:
        return
    bits = down / DB_A_BIT
    louder = b.value("noise_db", 0.0) + down
    pick = int(down > MOST_TURNED_DOWN_DB)
    why = (
        tr(
            "turned down by {down} the phone gives away {bits:.1f} bits, and the module's own hiss "
            "stays as loud",
            down=format_quantity(down, "dB"),
            bits=bits,
        )
        if pick
        else tr(
            "{down} are little: {bits:.1f} bits, and one part less",
            down=format_quantity(down, "dB"),
            bits=bits,
        )
    )
    turned = (
        (tr("phone turned down by"), format_quantity(down, "dB")),
        (tr("noise of the parts"), format_quantity(louder, "dB")),
        (tr("resolution lost"), tr("{bits:.1f} bits", bits=bits)),
    )
    full = (
        (tr("phone at"), tr("full volume")),
        (tr("noise of the parts"), a.text("noise_db")),
        (tr("resolution lost"), "none"),
    )
    yield Contest(
        tr("Matched by the phone's volume or by parts?"),
        (Side(tr("the phone's volume"), turned, partial(without_pads, link_id=link.id)), Side("a pad", full)),
        pick, why,
    )  # fmt: skip
