"""Finding the network of a feed: the cascades of the trade with preferred parts, solved in batches, filtered, ranked.

Every candidate is solved on the whole netlist of the job. Those nearest the wanted level are then solved over the
spread of all that they rest on; one that breaks a hard limit anywhere in it is not offered. What is left is ranked, and
those that no other betters in every respect are marked. If nothing fits, the limit that stands in the way is named.

A search is a row of steps, one a family of cascades, so that the first answers can be shown while the rest is solved,
and so that it can be stopped between any two.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import replace

from pigtail.advice.candidates import CORNER_DB, Candidate, Candidates, Chosen
from pigtail.advice.found import Option, SearchFound
from pigtail.advice.plan import with_plus
from pigtail.advice.shapes import Wish, families, suits, traits_of
from pigtail.advice.weighing import bought, not_held, unbettered
from pigtail.catalogue.stock import Stock
from pigtail.catalogue.topologies import FILM_F, Does, Task, topology
from pigtail.edits.values import set_value
from pigtail.job.document import HOST, AudioIn, AudioOut, Job, Link, Purpose
from pigtail.job.errors import EditError
from pigtail.job.measured import Measured
from pigtail.job.quantities import Quantity, quantities
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.estimate import Estimate
from pigtail.model.subjects import Subject, SubjectKind
from pigtail.studies.findings import ORDER, Severity, graded, worst
from pigtail.studies.judging import judgements
from pigtail.units import Basis, Known, format_quantity, marking
from pigtail.units.series import is_member

#: Options of one cascade that are offered: the best of each impedance level.
OF_A_SHAPE = 3
#: Two options of one cascade are alike when no part differs by more than this factor.
ALIKE = 1.15
#: What is offered at most.
OFFERED = 12
#: Two levels are as good as each other within this [dB].
SAME_DB = 0.5
#: So many steps away is what cannot be said in figures.
MOST_STEPS = 10**9
#: A feed that comes so near the wanted level without gain is not quiet: the volume control does the rest [dB].
QUIET_DB = -3.0
#: What a stage that needs a supply, one that needs a supply with a middle, and a bias that nobody knows and nothing blocks count for
#: beside a step of severity.
STAGE, SPLIT, DOUBT = 1.5, 0.5, 2.5
#: What a network should load its source with at least and drive the input from at most [Ω].
EASY_LOAD_OHM, EASY_DRIVE_OHM = 2e3, 20e3
#: Rough prices, a common resistor being 0.1: a film capacitor, an electrolytic.
PRICES = {"resistor": 0.1, "film": 0.3, "electrolytic": 0.2}
#: Limits as numbers of a candidate: the judgement that holds them.
JUDGED = {
    "target": "level.fits",
    "headroom": "level.headroom",
    "offset": "level.offset",
    "load": "level.load",
    "peak": "level.peak",
}
WORDS = {
    "target": tr("the level"),
    "headroom": tr("the overload limit"),
    "offset": tr("DC at the input"),
    "load": tr("what the output may be loaded with"),
    "bass": tr("the bass"),
    "treble": tr("the treble"),
    "peak": tr("the hump of capacitor and transformer"),
    "stock": tr("a part that is not in stock"),
}
CHANGES = {
    "target": tr("Nothing brings the level within its limits over the whole spread."),
    "headroom": tr(
        "The input, or the stage before it, overloads: a higher supply for the stage, or another input."
    ),
    "offset": tr("DC gets through: a coupling capacitor is needed, or the bias is to be measured."),
    "load": tr("The output cannot drive it: a buffer is needed."),
    "bass": tr("The bass is cut: a larger capacitor, or a higher input impedance."),
    "treble": tr("The treble is cut: shorter or unscreened wire, or a lower resistance."),
    "peak": tr("Capacitor and transformer resonate: a larger capacitor, or a resistor in series."),
    "stock": tr("Search the preferred series too, or add what is missing to the parts you have."),
}


class SearchStep(msgspec.Struct, frozen=True):
    """What one step of a search found: options that fit, how many candidates it solved, which sets of limits the others
    broke how often, the highest level that was reached without a stage over the wanted one [dB], inputs that matter, which of them
    widens the level most, and what parts the stock is short of, in words."""

    options: tuple[Option, ...] = ()
    solved: int = 0
    broken: dict[str, int] = {}
    best: float = -np.inf
    telling: frozenset[str] | None = None
    widest: str = ""
    short: frozenset[str] = frozenset()


def feed_of(job: Job, link_id: str) -> Link:
    """The feed of a job by its id; raises EditError for a link that is no feed with both ends."""
    link = job.link(link_id)
    if link is None or link.purpose is not Purpose.FEED:
        raise EditError(tr("there is no feed {link_id}", link_id=link_id), value=link_id)
    starts = any(isinstance(job.terminal(a), AudioOut) for a in link.starts)
    if not starts or not any(isinstance(job.terminal(a), AudioIn) for a in link.at("out")):
        raise EditError(
            tr("{link} has no output to start from or no input to end at", link=link.name), value=link_id
        )
    return link


#: What a level rests on whatever the network: of the output and of the input.
OF_AN_OUTPUT, OF_AN_INPUT = ("emf", "impedance"), ("impedance", "wanted")


def lacking(job: Job, link: Link) -> tuple[tuple[str, Quantity], ...]:
    """The values of a feed's ends that a search needs and that are not known, by the address of the terminal."""
    found = []
    for address in (*link.starts, *link.at("out")):
        terminal = job.terminal(address)
        if not isinstance(terminal, AudioOut | AudioIn):
            continue
        needed = OF_AN_OUTPUT if isinstance(terminal, AudioOut) else OF_AN_INPUT
        found += [
            (address, q)
            for q in quantities(terminal)
            if q.field in needed and getattr(terminal, q.field) is None
        ]
    return tuple(found)


def plausibly(job: Job, link_id: str) -> Job:
    """The job with what a search of a feed lacks put in as a guess over its plausible range. Raises EditError."""
    for address, item in lacking(Measured(job).job, feed_of(job, link_id)):
        low, high = item.plausible
        middle = float(np.sqrt(low * high)) if low > 0 else (low + high) / 2
        guess = Known(
            nominal=middle,
            low=low,
            high=high,
            unit=item.unit,
            basis=Basis.GUESSED,
            source="its plausible range",
        )
        job = set_value(job, address, item.field, guess)
    return job


def steps_of(job: Job, link_id: str) -> tuple[int, ...]:
    """The steps that a search of a feed takes, as numbers of families; raises EditError, also where a value is not known that
    every level rests on."""
    measured = Measured(job).job
    link = feed_of(measured, link_id)
    missing = lacking(measured, link)
    if missing:
        names = ", ".join(f"{measured.label(a)}: {q.words}" for a, q in missing)
        raise EditError(
            tr(
                "a search of {link} rests on what is not known: {names}; measure it, or type it in Survey",
                link=link.name,
                names=names,
            ),
            value=link_id,
        )
    traits = traits_of(measured, link)
    return tuple(k for k, family in enumerate(families()) if suits(family, traits))


def take_step(job: Job, link_id: str, number: int, wish: Wish, before: SearchStep) -> SearchStep:
    """One step of a search, its findings added to those of the steps before."""
    measured = Measured(job).job
    link = feed_of(measured, link_id)
    family = families()[number]
    if "quiet" in family.when and before.best >= QUIET_DB:
        return before
    amplifies = any(topology(k).amplifies for k in family.sections)
    candidates = Candidates(measured, link, family, wish, before.telling)
    telling = before.telling
    if telling is None:
        telling = candidates.telling(family.member[-1])
        candidates.inputs = [
            i for i in candidates.inputs if i.name in telling or _is_own(i.subject, candidates)
        ]
    found, broken, best, solved = list(before.options), Counter(before.broken), before.best, before.solved
    chosen: list[Chosen] = []
    widest, short = before.widest, set(before.short)
    for member in family.member:
        if not candidates.keeps_locked(member):
            continue
        size, high, nearest = candidates.nearest(member)
        solved, best = solved + size, best if amplifies else max(best, high)
        if not nearest and wish.only_stock:
            short |= candidates.short_of(member)
        chosen += [(member, values) for values in nearest]
    fitting: dict[str, list[Option]] = {}
    ends = [measured.terminal(a) for a in (*link.starts, *link.at("out"))]
    unknown_bias = any(getattr(t, "bias" if isinstance(t, AudioOut) else "dc", 0) is None for t in ends)
    for candidate in candidates.solved(chosen):
        option, limits = _option(candidate, wish.stock, candidates.aim, matched=candidates.matched)
        option = replace(
            option, link=with_plus(measured, option.link), doubtful=unknown_bias and option.doubtful
        )
        widest = widest or _widest(candidate)
        if wish.only_stock and option.missing:
            limits = (*limits, "stock")
        if limits:
            broken[" ".join(limits)] += 1
        else:
            fitting.setdefault(candidate.member.words, []).append(option)
    for options in fitting.values():
        closest = min(options, key=lambda o: o.near_db)
        found += _unlike([closest, *sorted(options, key=_rank)])[:OF_A_SHAPE]
    return SearchStep(tuple(found), solved, dict(broken), best, telling, widest, frozenset(short))


def _unlike(options: list[Option]) -> list[Option]:
    """Options of one cascade without those that differ from one before by next to nothing: by what holds outputs apart or bleeds, or by
    values close by."""
    kept: list[tuple[Option, list[float]]] = []
    for option in options:
        values = _telling_parts(option.link)
        if all(
            any(max(a, b) > ALIKE * min(a, b) for a, b in zip(values, other, strict=True))
            for _, other in kept
        ):
            kept.append((option, values))
    return [option for option, _ in kept]


def _telling_parts(link: Link) -> list[float]:
    """The values [Ω, F] that make one option of a cascade another: not those of what holds outputs apart, of bleeds and capacitors."""
    found = []
    for section in link.sections:
        shape = topology(section.topology)
        values = shape.values(section)
        found += [
            values[r.name].nominal
            for r in shape.parts
            if r.role not in (Task.APART, Task.BLEED, Task.BLOCKS) and not r.of
        ]
    return found


def _widest(candidate: Candidate) -> str:
    """What is not part of the network and widens its level most."""
    leading = candidate.found["target"].leading
    return next((i.words for i in leading if not _of_link(i.subject, candidate.link.id)), "")


def _is_own(subject: Subject, candidates: Candidates) -> bool:
    return subject == subjects.terminal(candidates.sink) or _of_link(subject, candidates.link.id)


def _of_link(subject: Subject, link_id: str) -> bool:
    """Whether a value belongs to a network of a link."""
    return subject.kind is SubjectKind.NETWORK and subject.owner == link_id


def ranked(link_id: str, step: SearchStep) -> SearchFound:
    """What the steps so far come to: the options that are offered, the best first, or why there is none."""
    every = sorted(_without_doubles(step.options), key=_rank)
    nearest = min(every, key=lambda o: o.near_db, default=None)
    options = [o for o in every if o is nearest or not any(_saves(p, o) for p in every)][:OFFERED]
    if nearest is not None and nearest not in options:
        options[-1] = nearest
    best = unbettered([_figures(o) for o in options])
    marked = tuple(replace(o, pareto=alone) for o, alone in zip(options, best, strict=True))
    return SearchFound(link_id, marked, step.solved, "" if marked else _in_the_way(step))


def search(job: Job, link_id: str, wish: Wish | None = None) -> SearchFound:
    """The networks that fit a feed of a job, ranked: all steps. Raises EditError for a link that is no feed with both ends."""
    step = SearchStep()
    for number in steps_of(job, link_id):
        step = take_step(job, link_id, number, wish or Wish(), step)
    return ranked(link_id, step)


def _in_the_way(step: SearchStep) -> str:
    """Which limit stops the networks that come nearest to fitting, and what would have to change."""
    if not step.broken and step.short:
        return tr(
            "No network can be made of the stock: it lacks {listed}. Search the preferred series "
            "too, or add it to the parts you have.",
            listed=tr(" and ").join(sorted(step.short)[:2]),
        )
    if not step.broken:
        return tr(
            "Nothing could be solved: a value that the level rests on is not known, or no part in "
            "stock suits. Measure what is asked for next, or search with all values."
        )
    sets = {tuple(k.split(" ")): n for k, n in step.broken.items()}
    nearest = min(sets, key=lambda limits: (len(limits), limits == ("target",), -sets[limits]))
    limit = nearest[0]
    if limit == "target" and step.best < 0:
        short = format_quantity(-step.best, "dB", 2)
        return tr(
            "No network fits: the level is {short} short even straight. A gain stage, a louder "
            "source or a more sensitive input is needed.",
            short=short,
        )
    measure = (
        tr(" Measure {widest}: it widens the level most.", widest=step.widest)
        if limit == "target" and step.widest
        else ""
    )
    return tr(
        "No network fits: {words} stands in the way. {changes}{measure}",
        words=WORDS[limit],
        changes=CHANGES[limit],
        measure=measure,
    )


def _without_doubles(options: Iterable[Option]) -> list[Option]:
    """One option for each set of parts."""
    return list({o.words: o for o in options}.values())


def _steps(value: float, step: float) -> int:
    """A figure in whole steps; one that is not finite lies beyond all others. Both in the [same unit]."""
    return round(value / step) if math.isfinite(value) else MOST_STEPS


def _figures(option: Option) -> tuple[int, ...]:
    """What options are weighed by, less is better: severity, nearness, parts, cost, host joints, noise, parts to be bought."""
    return (
        ORDER[::-1].index(option.severity),
        _steps(option.off_db, SAME_DB),
        option.parts,
        round(option.cost * 2),
        option.host_joints,
        _steps(option.noise_v, 1e-7),
        option.missing,
    )


def _rank(option: Option) -> tuple[Any, ...]:
    """The order in which a good technician would take them: what fits without a stage before what needs one, unless it is no more than
    usable; easy to drive, few parts, usual values; then the nearest, then the quietest."""
    doubt = (
        ORDER[::-1].index(option.severity)
        + STAGE * option.actives
        + SPLIT * option.split
        + DOUBT * option.doubtful
    )
    return (
        doubt,
        option.missing,
        0 if option.fits else _steps(option.off_db, SAME_DB),
        not option.easy,
        option.parts,
        option.unusual,
        option.cost,
        option.host_joints,
        option.off_db,
        option.noise_v,
    )


def _saves(a: Option, b: Option) -> bool:
    """Whether one option comes to the same as another with fewer parts."""
    if a.target.value is None or b.target.value is None or a.parts >= b.parts:
        return False
    return (
        abs(a.target.value - b.target.value) < SAME_DB
        and (a.actives, a.split) <= (b.actives, b.split)
        and a.doubtful <= b.doubtful
        and a.easy >= b.easy
        and ORDER.index(a.severity) >= ORDER.index(b.severity)
        and a.missing <= b.missing
    )


def _option(
    candidate: Candidate, stock: Stock, aim: float, *, matched: bool = False
) -> tuple[Option, tuple[str, ...]]:
    """A candidate as it is offered, and the hard limits that it breaks. Where full scale is aimed at over the level wanted in [dB];
    matched: that level was measured of another source, so that nearness counts before all else."""
    link, found = candidate.link, candidate.found
    severities: dict[str, Severity] = {}
    for name, code in JUDGED.items():
        entry = judgements()[code]
        severities[name] = graded(found[name], entry.grading())
    for name in ("bass", "treble"):
        passes, whole = found[name], found[f"{name}_good"]
        if passes.value is None:
            severities[name] = Severity.UNKNOWN
        elif passes.low < CORNER_DB:
            severities[name] = Severity.FIX
        else:
            severities[name] = Severity.GOOD if whole.low >= CORNER_DB else Severity.WATCH
    limits = tuple(
        n for n, s in severities.items() if s in (Severity.FIX, Severity.UNKNOWN) and _hard(n, s, found)
    )
    target = found["target"]
    off = max(abs(target.low - aim), abs(target.high - aim)) if target.value is not None else np.inf
    option = Option(
        link=link,
        words=_words(link),
        severity=worst(list(severities.values())),
        off_db=float(off),
        target=target,
        headroom=found["headroom"],
        offset=found["offset"],
        load=found["load"],
        noise_v=candidate.hiss,
        parts=len(bought(link)),
        catch=" ".join(dict.fromkeys(topology(s.topology).catch for s in link.sections)),
        unknown=tuple(n for n, s in severities.items() if s is Severity.UNKNOWN),
        ladder=_ladder(link, candidate.ladder),
        cost=_cost(link),
        host_joints=sum(j.terminal.startswith(f"{HOST}.") for j in link.joins),
        lacks=_lacks(link, stock) if stock else (),
        actives=sum(topology(s.topology).amplifies for s in link.sections),
        split=any(
            topology(s.topology).amplifies and bool(topology(s.topology).middle) for s in link.sections
        ),
        easy=_easy(found),
        unusual=_unusual(link),
        doubtful=not any(Does.BLOCKS in topology(s.topology).does for s in link.sections),
        near_db=abs(target.value - aim) if target.value is not None else np.inf,
        fits=severities["target"] is Severity.GOOD and not matched,
    )
    return option, limits


def _easy(found: dict[str, Estimate]) -> bool:
    """Whether a network is easy to drive and hard to disturb."""
    load, output = found["load"].value, found["output"].value
    return load is not None and load >= EASY_LOAD_OHM and (output is None or output <= EASY_DRIVE_OHM)


def _unusual(link: Link) -> int:
    """How many of its resistors are of a finer series than E12."""
    return sum(rule.kind == "resistor" and not is_member(value, "E12") for rule, value in bought(link))


def _hard(name: str, severity: Severity, found: dict[str, Estimate]) -> bool:
    """Whether a limit forbids an option: broken anywhere in the spread. What is not known at all forbids nothing, and is told."""
    return severity is Severity.FIX or found[name].value is not None


def _ladder(link: Link, levels: tuple[float, ...]) -> tuple[tuple[str, float], ...]:
    """The rungs of an option by their words [dBV], from the output pin to the input."""
    shorts = [tr("after the {short}", short=topology(s.topology).short) for s in link.sections[:-1]]
    words = [tr("output pin"), *shorts, tr("at the input")]
    return tuple(zip(words, levels, strict=True))


def _cost(link: Link) -> float:
    """Rough cost of what is to be bought."""
    total = 0.0
    for section in link.sections:
        shape = topology(section.topology)
        values = shape.values(section)
        total += shape.cost
        for rule in shape.bought():
            kind = rule.kind
            if kind == "capacitor":
                kind = "film" if values[rule.name].nominal <= FILM_F else "electrolytic"
            total += PRICES[kind]
    return round(total, 2)


def _lacks(link: Link, stock: Stock) -> tuple[str, ...]:
    """Which of its parts are not in stock, in words."""
    return tuple(f"{rule.kind} {marking(value, rule.unit)}" for rule, value in not_held(link, stock))


def _words(link: Link) -> str:
    """A cascade in words: `capacitor 10u / 220k; pad 4k7 / 1k2`."""
    found = []
    for section in link.sections:
        shape = topology(section.topology)
        values = shape.values(section)
        parts = " / ".join(marking(values[p.name].nominal, p.unit) for p in shape.bought())
        found.append(f"{shape.short} {parts}".strip())
    return "; ".join(found)
