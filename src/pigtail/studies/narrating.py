"""What a finding rests on, told with the figures of the job in hand: from where it comes, step by step, to the number and its limit."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from pigtail.catalogue.topologies import Does, topology
from pigtail.job.document import AudioIn, AudioOut, Job
from pigtail.language import mark, tr, trn
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
    more = tr(", with {value} more,", value=len(inputs) - MOST_INPUTS) if len(inputs) > MOST_INPUTS else ""
    yield trn(
        "{shown}{more} makes {number} {short}.",
        "{shown}{more} make {number} {short}.",
        len(inputs),
        shown=_sentence(shown),
        more=more,
        number=number.words,
        short=number.short(),
    )
    if finding.limit and finding.value is not None:
        yield tr("The limit is {limit}.", limit=format_quantity(finding.limit, finding.unit))


def _unsettled(number: Estimate) -> Iterator[str]:
    """Where a number may lie that is not settled: its nominal value alone would look like an answer."""
    if number.value is not None:
        low, high = (format_quantity(x, number.unit) for x in (number.low, number.high))
        yield tr(
            "That is the middle: over the spread it lies anywhere from {low} to {high}, so it is not "
            "settled.",
            low=low,
            high=high,
        )


# -- levels -------------------------------------------------------------------------------------------------


def _way(job: Job, feed: FeedDetail) -> Iterator[str]:
    """From the e.m.f. through every network to what is left at the input."""
    link, sink = job.link(feed.link), job.terminal(feed.sink)
    sources = [t for a in feed.sources if isinstance(t := job.terminal(a), AudioOut)]
    if link is None or not sources or not isinstance(sink, AudioIn) or not feed.rungs:
        return
    each = "" if len(sources) == 1 else tr("each of ") + listed(job.label(a) for a in feed.sources) + ": "
    through = []
    for section in link.sections:
        shape = topology(section.topology)
        if Does.CONDUCTS in shape.does:
            continue
        given = {p.name: p.value for p in section.parts}
        values = [_known(given.get(p.name, p.known())) for p in shape.parts if p.unit in ("Ω", "F")]
        through.append(f"{listed(values)} ({shape.short})" if values else shape.short)
    way = tr(", through {listed},", listed=", ".join(through)) if through else ","
    start = tr(
        "{each}{known} behind {known2}",
        each=each,
        known=_known(sources[0].emf),
        known2=_known(sources[0].impedance),
    )
    yield tr(
        "{sentence}{way} into {known} leaves {volts}.",
        sentence=_sentence(start),
        way=way,
        known=_known(sink.impedance),
        volts=_volts(feed.rungs[-1].level),
    )


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
    wanted = _volts(feed.wanted)
    if over_db >= 0:
        return tr("wants {wanted}; it gets {size} over that", wanted=wanted, size=size)
    return tr("wants {wanted}; it gets {size} under that", wanted=wanted, size=size)


def _overloads(feed: FeedDetail, size: str, room_db: float) -> str:
    if feed.overload.value is None:
        return ""
    most = _volts(feed.overload)
    if room_db >= 0:
        return tr("distorts from {most}; {size} room is left", most=most, size=size)
    return tr("distorts from {most}; {size} too much", most=most, size=size)


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
        tr(
            "{known} that the host takes already, and what the module draws in a burst, make",
            known=_known(used),
        )
        if used
        else tr("A burst makes")
    )
    yield tr("{own} {short} from {rail}.", own=own, short=drawn.short(), rail=job.label(supply.rail))
    yield (
        tr("It can give {value}: ", value=format_quantity(drawn.value + margin.value, "A"))
        + (
            tr("{short} remain.", short=margin.short())
            if margin.value >= 0
            else tr("{value} are missing.", value=format_quantity(-margin.value, "A"))
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
        tr(
            "{short} come in and {short2} go out at {short3}: {short4} of heat.",
            short=n["input_v"].short(),
            short2=n["module_v"].short(),
            short3=n["module_current_a"].short(),
            short4=heat.short(),
        )
    )
    if job.ambient is not None and heat.value and junction.value is not None:
        rise = junction.value - job.ambient.nominal
        yield (
            tr(
                "At {value} that is {rise} over the {known} in the case: {short} at the junction.",
                value=format_quantity(rise / heat.value, "°C/W"),
                rise=format_quantity(rise, "°C"),
                known=_known(job.ambient),
                short=junction.short(),
            )
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
    what = tr("in a burst") if low else tr("at the most")
    yield tr(
        mark("{volts} reach {pin} {what}; it wants {limit} or more.")
        if low
        else mark("{volts} reach {pin} {what}; it wants {limit} or less."),
        volts=volts.short(),
        pin=job.label(supply.supply),
        what=what,
        limit=_known(limit),
    )
    left = format_quantity(abs(room.value), "V")
    if room.value >= 0:
        yield tr("{volts} of room.", volts=left)
    else:
        yield tr("{volts} too little.", volts=left) if low else tr("{volts} too much.", volts=left)


TELLERS: dict[tuple[str, str], Callable[[Job, Study, Finding], Iterator[str]]] = {
    ("level", "target_db"): partial(_at_input, says=_wants),
    ("level", "headroom_db"): partial(_at_input, says=_overloads),
    ("power", "rail_room"): _spare,
    ("power", "rail_margin_a"): _spare,
    ("power", "regulator_tj_c"): _heat,
    ("power", "low_margin_v"): _at_pins,
    ("power", "high_margin_v"): _at_pins,
}
