"""What a finding rests on, told with the figures of the job in hand: from where it comes, step by step, to the number and its limit."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from pigtail.catalogue.topologies import Does, topology
from pigtail.job.document import AudioIn, AudioOut, Job
from pigtail.model.estimate import Estimate, Input
from pigtail.studies.findings import Finding, Severity, Study
from pigtail.studies.found import Studies
from pigtail.studies.level.found import FeedDetail, LevelFound
from pigtail.studies.power.found import PowerFound, SupplyDetail
from pigtail.studies.survey.found import SurveyFound
from pigtail.studies.wording import listed
from pigtail.units import format_quantity, from_dbv
from pigtail.units.known import Known

#: How many inputs are put in where a number has no story of its own.
MOST_INPUTS = 3


def figures_of(job: Job, studies: Studies, finding: Finding) -> tuple[str, ...]:
    """The steps from this job's values to the number that a finding judges, one sentence each; empty where nothing was reckoned."""
    study = next(
        (s for s in studies.each() if finding in s.findings or s.name == finding.number.partition(".")[0]),
        None,
    )
    if study is None or not finding.number:
        return ()
    job = studies.of(SurveyFound).job or job  # with what was read above the papers, as it was reckoned
    field = finding.number.rpartition(".")[2]
    number = study.numbers.get(study.number_of(finding))
    teller = TELLERS.get((study.name, field))
    told = tuple(teller(job, study, finding)) if teller is not None else ()
    if number is None:
        return told
    told = told or tuple(_plainly(number, finding))
    return (*told, *_unsettled(number)) if told and finding.severity is Severity.UNKNOWN else told


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:]


def _known(known: Known | None) -> str:
    return "?" if known is None else format_quantity(known.nominal, known.unit)


def _volts(level: Estimate) -> str:
    """A level in volts, with its decibels behind."""
    return "?" if level.value is None else f"{format_quantity(from_dbv(level.value), 'V')}: {level.short()}"


def _plainly(number: Estimate, finding: Finding) -> Iterator[str]:
    """The inputs that move a number most, and what they make."""
    inputs: tuple[Input, ...] = (*number.leading, *number.missing)
    if not inputs or number.value is None:
        return
    shown = listed(f"{i.words} {_known(i.known)}" for i in inputs[:MOST_INPUTS])
    verb = "makes" if len(inputs) == 1 else "make"
    more = f", with {len(inputs) - MOST_INPUTS} more," if len(inputs) > MOST_INPUTS else ""
    yield f"{_sentence(shown)}{more} {verb} {number.words} {number.short()}."
    if finding.limit and finding.value is not None:
        yield f"The limit is {format_quantity(finding.limit, finding.unit)}."


def _unsettled(number: Estimate) -> Iterator[str]:
    """Where a number may lie that is not settled: its nominal value alone would look like an answer."""
    if number.value is not None:
        low, high = (format_quantity(x, number.unit) for x in (number.low, number.high))
        yield f"That is the middle: over the spread it lies anywhere from {low} to {high}, so it is not settled."


# -- levels -------------------------------------------------------------------------------------------------


def _way(job: Job, feed: FeedDetail) -> Iterator[str]:
    """From the e.m.f. through every network to what is left at the input."""
    link, sink = job.link(feed.link), job.terminal(feed.sink)
    sources = [t for a in feed.sources if isinstance(t := job.terminal(a), AudioOut)]
    if link is None or not sources or not isinstance(sink, AudioIn) or not feed.rungs:
        return
    each = "" if len(sources) == 1 else "each of " + listed(job.label(a) for a in feed.sources) + ": "
    through = []
    for section in link.sections:
        shape = topology(section.topology)
        if Does.CONDUCTS in shape.does:
            continue
        given = {p.name: p.value for p in section.parts}
        values = [_known(given.get(p.name, p.known())) for p in shape.parts if p.unit in ("Ω", "F")]
        through.append(f"{listed(values)} ({shape.short})" if values else shape.short)
    way = f", through {', '.join(through)}," if through else ","
    start = f"{each}{_known(sources[0].emf)} behind {_known(sources[0].impedance)}"
    yield f"{_sentence(start)}{way} into {_known(sink.impedance)} leaves {_volts(feed.rungs[-1].level)}."


def _at_input(
    job: Job, study: Study, finding: Finding, says: Callable[[FeedDetail, str, float], str]
) -> Iterator[str]:
    """The way to the input of a feed, and what is said of the decibels that its number tells there."""
    feeds = study.feeds if isinstance(study, LevelFound) else ()
    feed = next((f for f in feeds if f.link == finding.subject), None)
    if feed is None:
        return
    yield from _way(job, feed)
    number = study.numbers.get(study.number_of(finding))
    if number is not None and number.value is not None:
        told = says(feed, format_quantity(abs(number.value), "dB"), number.value)
        yield from [_sentence(f"{job.label(feed.sink)} {told}.")] if told else []


def _wants(feed: FeedDetail, size: str, over_db: float) -> str:
    if feed.wanted.value is None:
        return ""
    return f"wants {_volts(feed.wanted)}; it gets {size} {'over' if over_db >= 0 else 'under'} that"


def _overloads(feed: FeedDetail, size: str, room_db: float) -> str:
    if feed.overload.value is None:
        return ""
    return f"distorts from {_volts(feed.overload)}; {size} {'room is left' if room_db >= 0 else 'too much'}"


# -- supplies -----------------------------------------------------------------------------------------------


def _supply(study: Study, finding: Finding) -> SupplyDetail | None:
    supplies = study.supplies if isinstance(study, PowerFound) else ()
    owner = finding.number.partition(".")[2].rpartition(".")[0]
    named = [s for s in supplies if finding.subject in (s.link, s.rail, s.supply) or owner == s.link]
    return named[0] if named else supplies[0] if len(supplies) == 1 else None


def _spare(job: Job, study: Study, finding: Finding) -> Iterator[str]:
    supply = _supply(study, finding)
    if supply is None:
        return
    drawn, margin = supply.numbers.get("rail_current_burst_a"), supply.numbers.get("rail_margin_a")
    if drawn is None or margin is None or drawn.value is None or margin.value is None:
        return
    rail = job.terminal(supply.rail)
    used: Known | None = getattr(rail, "used", None)
    own = (
        f"{_known(used)} that the host takes already, and what the module draws in a burst, make"
        if used
        else "A burst makes"
    )
    yield f"{own} {drawn.short()} from {job.label(supply.rail)}."
    yield (
        f"It can give {format_quantity(drawn.value + margin.value, 'A')}: "
        + (
            f"{margin.short()} remain."
            if margin.value >= 0
            else f"{format_quantity(-margin.value, 'A')} are missing."
        )
    )


def _heat(job: Job, study: Study, finding: Finding) -> Iterator[str]:
    supply = _supply(study, finding)
    n = supply.numbers if supply is not None else {}
    wanted = ("input_v", "module_v", "module_current_a", "regulator_w", "regulator_tj_c")
    if any(w not in n or n[w].value is None for w in wanted):
        return
    heat, junction = n["regulator_w"], n["regulator_tj_c"]
    yield (
        f"{n['input_v'].short()} come in and {n['module_v'].short()} go out at {n['module_current_a'].short()}: "
        f"{heat.short()} of heat."
    )
    if job.ambient is not None and heat.value and junction.value is not None:
        rise = junction.value - job.ambient.nominal
        yield (
            f"At {format_quantity(rise / heat.value, '°C/W')} that is {format_quantity(rise, '°C')} over the "
            f"{_known(job.ambient)} in the case: {junction.short()} at the junction."
        )


def _at_pins(job: Job, study: Study, finding: Finding) -> Iterator[str]:
    supply = _supply(study, finding)
    pin = job.terminal(supply.supply) if supply is not None else None
    if supply is None or pin is None:
        return
    low = finding.number.endswith("low_margin_v")
    volts, limit = (
        supply.numbers.get("module_v_burst" if low else "highest_v"),
        getattr(pin, "minimum" if low else "maximum", None),
    )
    room = study.numbers.get(study.number_of(finding))
    if volts is None or volts.value is None or limit is None or room is None or room.value is None:
        return
    what = "in a burst" if low else "at the most"
    yield f"{volts.short()} reach {job.label(supply.supply)} {what}; it wants {_known(limit)} {'or more' if low else 'or less'}."
    yield f"{format_quantity(abs(room.value), 'V')} {'of room' if room.value >= 0 else 'too ' + ('little' if low else 'much')}."


TELLERS: dict[tuple[str, str], Callable[[Job, Study, Finding], Iterator[str]]] = {
    ("level", "target_db"): partial(_at_input, says=_wants),
    ("level", "headroom_db"): partial(_at_input, says=_overloads),
    ("power", "rail_room"): _spare,
    ("power", "rail_margin_a"): _spare,
    ("power", "regulator_tj_c"): _heat,
    ("power", "low_margin_v"): _at_pins,
    ("power", "high_margin_v"): _at_pins,
}
