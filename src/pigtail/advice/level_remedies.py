"""What mends a finding about a feed: candidate edits by the finding's code, to be solved before any is offered."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from msgspec.structs import replace

from pigtail import edits
from pigtail.advice import joining_remedies as joining
from pigtail.advice.candidates import sum_section
from pigtail.advice.plan import (
    bare_blocking,
    blocking,
    coupling_part,
    fit_coupling,
    fit_pad,
    fit_volume,
    padding,
    part_for,
    with_part,
    with_plus,
)
from pigtail.catalogue.ratings import heavy, rated, ratings
from pigtail.catalogue.topologies import Does, Task, does, first, is_film, those, topology
from pigtail.edits.change import Edit
from pigtail.edits.plan import drop_network, put_networks, rejoined, with_network
from pigtail.job.document import AudioIn, AudioOut, Job, Link, Part, Plus, Purpose, Section
from pigtail.language import tr
from pigtail.studies.findings import Finding
from pigtail.studies.level.aim import has_own_dc
from pigtail.studies.level.study import twin_of
from pigtail.units import Basis, Known, format_quantity, marking
from pigtail.units.series import nearest, step

#: A bleed, a supply for a power stage and a larger mixing resistor, as they are usually tried.
BLEED_OHM = 220e3
SUPPLIES_V = (9.0, 12.0, 18.0, 24.0)
DECADE = 24
#: Series resistors of a pad that stands at the source itself [Ω].
PAD_FIRST_OHM = (10e3, 2.2e3)
#: The smallest series resistor that an output is loaded with [Ω].
LEAST_SERIES_OHM = 1e3
Fix = tuple[str, Edit]


def level_fixes(job: Job, finding: Finding) -> Iterator[Fix]:
    """Edits worth trying for a finding about a feed, each with its label."""
    link = job.link(finding.subject)
    if link is None:
        return
    what = finding.code.partition(".")[2]
    if what == "fits" and finding.value is None:
        return
    twin = twin_of(job, link) if what not in ALONE else None
    for codes, fixes in _TABLE:
        if what in codes:
            for label, edit in fixes(job, link, finding):
                if twin is None:
                    yield label, edit
                else:
                    yield (
                        tr("{label}, in both channels", label=label),
                        partial(alike, edit=edit, first=link.id, second=twin.id),
                    )


#: What is mended in one channel only: that it differs from the other, or what is joined to it.
ALONE = (
    "unbalanced", "balance", "bridge_grounded", "behind_volume", "with_picture", "dead_source", "channels_swapped", "side_missing",
    "half_of_stereo", "tied_outputs", "no_way_home", "through_dead", "through_unpowered",
)  # fmt: skip


def alike(job: Job, edit: Edit, first: str, second: str) -> Job:
    """Edit: change the feed of one channel, and give that of the other the same networks."""
    changed = edit(job)
    link = changed.link(first)
    return changed if link is None else put_networks(changed, second, link.sections)


def _at(link: Link, *what: Does) -> int | None:
    """Where a network stands in a feed, the first that does some things."""
    return next((k for k, s in enumerate(link.sections) if topology(s.topology).does.issuperset(what)), None)


def _apart_from_wire(link: Link) -> tuple[Section, ...]:
    return tuple(s for s in link.sections if not does(s, Does.CONDUCTS))


def _own(link: Link, *what: Does) -> Section:
    """The first network of a feed that does some things, as it is; else the plainest of the catalogue."""
    at = _at(link, *what)
    return link.sections[at] if at is not None else first("feed", *what).section()


def _free(link: Link, task: Task, *what: Does) -> tuple[int, str] | None:
    """A part that is there for something and is not locked: the number of its network and its name."""
    found = part_for(link, task, *what)
    return None if found is None or _locked(link, *found) else found


def _put(label: str, link: Link) -> Fix:
    return label, partial(edits.replace_link, link=link)


def _part(link: Link, index: int, name: str) -> float:
    section = link.sections[index]
    return topology(section.topology).values(section)[name].nominal


def _locked(link: Link, index: int, name: str) -> bool:
    return any(p.name == name and p.locked for p in link.sections[index].parts)


def _label(new: Link, index: int, name: str) -> str:
    rule = topology(new.sections[index].topology).part(name)
    return tr(
        "{upper} to {part}", upper=name.upper(), part=format_quantity(_part(new, index, name), rule.unit)
    )


def _level(job: Job, link: Link, finding: Finding) -> Iterator[Fix]:
    pad = _at(link, Does.PADS)
    level = _free(link, Task.LEVEL, Does.PADS)
    knob = _free(link, Task.KNOB)
    if knob is not None and (turned := fit_volume(job, link)) != link:
        yield _put(tr("the volume control at {part:.0%} of its turn", part=_part(turned, *knob)), turned)
    loud = finding.value is not None and (finding.value > 0 or finding.code in TOO_STRONG)
    if level is not None and (fitted := fit_pad(job, link)):
        yield _put(_label(fitted, *level), fitted)
    elif pad is None and loud:
        for shape in those("feed", Does.PADS):
            if shape.remedy and (fitted := fit_pad(job, with_network(job, link, shape.key))):
                yield _put(shape.remedy, fit_coupling(job, fitted))
        yield from _pad_first(job, link)
    if pad is not None and finding.value is not None and finding.value < 0 and not loud:
        yield tr("take the pad out"), partial(drop_network, link_id=link.id, index=pad)


#: What tells that too much arrives by a room that is negative.
TOO_STRONG = ("level.clips", "level.headroom")


def _pad_first(job: Job, link: Link) -> Iterator[Fix]:
    """A pad before everything else, and a capacitor behind it where none is: for an input that holds a DC of its own."""
    head = [s for s in link.sections if len(topology(s.topology).inputs) > 1]
    rest = [s for s in _apart_from_wire(link) if s not in head]
    blocks = any(topology(s.topology).couples for s in rest)
    after = rest if blocks else [*rest, bare_blocking().section()]
    for ohm in PAD_FIRST_OHM:
        made = rejoined(job, link, (*head, padding().section(r1=ohm), *after))
        if fitted := fit_pad(job, made):
            r1, r2 = (marking(_part(fitted, len(head), p.name), "Ω") for p in padding().bought())
            where = tr("before the capacitor") if blocks else tr("and a capacitor")
            yield _put(
                tr("a pad of {r1} and {r2} {where}", r1=r1, r2=r2, where=where),
                with_plus(job, fit_coupling(job, fitted)),
            )


#: The largest capacitor that is usually had as film [F].
LARGEST_FILM_F = 4.7e-6
#: What film capacitors stand at least, as they are usually sold [V].
FILM_V = 63.0


def _film(job: Job, link: Link) -> Iterator[Fix]:
    """A film capacitor in the place of an electrolytic, which leaks."""
    part = coupling_part(link)
    if part is None or _locked(link, *part):
        return
    rule = topology(link.sections[part[0]].topology).part(part[1])
    given = next((p for p in link.sections[part[0]].parts if p.name == part[1]), None)
    if is_film(given, rule):
        return
    needed = fit_coupling(job, link)
    farads = min(_part(needed, *part), LARGEST_FILM_F)
    label = tr("a film {upper} of {farads}", upper=part[1].upper(), farads=format_quantity(farads, "F"))
    yield label, partial(filmed, link=with_part(link, *part, farads), section=part[0], name=part[1])


def filmed(job: Job, link: Link, section: int, name: str) -> Job:
    """Edit: put a changed feed in, one of its capacitors a film one, rated as it was or as film is."""
    given = next((p.rating for p in link.sections[section].parts if p.name == name), None)
    rating = given if given is not None and given.nominal >= FILM_V else Known.of(FILM_V, "V", Basis.TYPICAL)
    return edits.set_capacitor(edits.replace_link(job, link), link.id, section, name, Plus.FILM, rating)


def _block(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    yield from _film(job, link)
    for shape in those("feed", Does.BLOCKS, without=(Does.AMPLIFIES, Does.ISOLATES)):
        if shape.remedy:
            added = with_network(job, link, shape.key)
            fitted = fit_pad(job, added) if Does.PADS in shape.does else added
            yield _put(shape.remedy, fit_coupling(job, fitted or added))


def _bass(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    part, fitted = coupling_part(link), fit_coupling(job, link)
    part = None if part is not None and _locked(link, *part) else part
    if part is not None and fitted != link:
        yield _put(_label(fitted, *part), fitted)


def _load(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    series = _free(link, Task.SERIES, Does.PADS)
    if series is None:
        return
    for by in (DECADE // 2, DECADE, 3 * DECADE // 2, 2 * DECADE):
        heavier = with_part(link, *series, step(_part(link, *series), by=by))
        if fitted := fit_pad(job, heavier):
            yield _put(_label(fitted, *series), fitted)


def _treble(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    series = _free(link, Task.SERIES, Does.PADS)
    if series is not None:
        lighter = with_part(link, *series, step(_part(link, *series), by=-DECADE // 2))
        if fitted := fit_pad(job, lighter):
            yield _put(_label(fitted, *series), fitted)
    for by, words in ((DECADE, "a tenth"), (2 * DECADE, "a hundredth")):
        lighter = _lighter(link, by)
        if lighter != link:
            fitted = fit_coupling(job, fit_pad(job, lighter) or lighter)
            yield _put(tr("all its series resistors at {words}", words=words), fitted)


def _lighter(link: Link, by: int) -> Link:
    """The feed with the resistors in the way of the signal, and those of its pads, so many steps of E24 smaller, none under 1 kΩ."""
    for index, section in enumerate(link.sections):
        shape = topology(section.topology)
        ratio = 1.0
        for rule in shape.bought():
            if rule.role in (Task.SERIES, Task.APART) and not _locked(link, index, rule.name):
                now = _part(link, index, rule.name)
                smaller = max(step(now, by=-by), LEAST_SERIES_OHM)
                if smaller < now:
                    ratio = smaller / now
                    link = with_part(link, index, rule.name, smaller)
            elif rule.role is Task.LEVEL and ratio < 1.0 and not _locked(link, index, rule.name):
                link = with_part(
                    link, index, rule.name, nearest(_part(link, index, rule.name) * ratio, "E24")
                )
    return link


def _tap(job: Job, link: Link, finding: Finding) -> Iterator[Fix]:
    yield from _load(job, link, finding)
    sections = _apart_from_wire(link)
    kept = [s for s in sections if topology(s.topology).couples and not does(s, Does.PADS)] or [
        _small_capacitor()
    ]
    rest = [s for s in sections if s not in kept]
    if not any(does(s, Does.AMPLIFIES) for s in sections):
        buffered = (kept[0], _own(link, Does.BUFFERS), *rest)
        yield tr("add a buffer at the tap"), partial(put_networks, link_id=link.id, sections=buffered)


def _small_capacitor() -> Section:
    """A coupling capacitor of 1 µF, which before a buffer is enough."""
    shape = blocking()
    return shape.section(**{shape.doing(Task.BLOCKS).name: 1e-6})  # type: ignore[union-attr]


def _apart(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    sources = [a for a in link.starts if isinstance(job.terminal(a), AudioOut)]
    key = sum_section(job, sources)
    head = (topology(key).section(), *link.sections[1:])
    yield tr("hold the outputs apart by 4.7 kΩ each"), partial(put_networks, link_id=link.id, sections=head)


def _equal(job: Job, link: Link, finding: Finding) -> Iterator[Fix]:
    if len(topology(link.sections[0].topology).inputs) < 2:
        return
    first, second = _part(link, 0, "r1"), _part(link, 0, "r2")
    if first != second:
        yield _put(
            tr("both resistors {marking}", marking=marking(first, "Ω")), with_part(link, 0, "r2", first)
        )
        yield _put(
            tr("both resistors {marking}", marking=marking(second, "Ω")), with_part(link, 0, "r1", second)
        )


def _bleed(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    yield from _film(job, link)
    bleed = _free(link, Task.BLEED)
    if bleed is not None and _part(link, *bleed) != BLEED_OHM:
        yield _put(tr("a bleed of 220 kΩ"), with_part(link, *bleed, BLEED_OHM))


def _mixing(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    level = _free(link, Task.LEVEL, Does.MIXES)
    if level is None:
        return
    for by in (-DECADE, -DECADE // 2, DECADE // 2, DECADE, 2 * DECADE):
        other = with_part(link, *level, step(_part(link, *level), by=by))
        yield _put(_label(other, *level), other)


def _record(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    head = [s for s in link.sections if len(topology(s.topology).inputs) > 1 or topology(s.topology).couples]
    yield (
        tr("an inverse record network in the place of the others"),
        partial(put_networks, link_id=link.id, sections=(*head, _own(link, Does.UNRECORDS))),
    )


def _headphones(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    head = [s for s in link.sections if len(topology(s.topology).inputs) > 1]
    driven = (*head, _own(link, Does.TURNS), _own(link, Does.DRIVES_HEADPHONES))
    turned = fit_volume(job, rejoined(job, link, driven))
    yield _put(tr("a volume control and a headphone amplifier"), turned)


def _quieter(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """Less gain for what is loud enough to hurt."""
    gain = _free(link, Task.GAIN, Does.DRIVES_HEADPHONES)
    if gain is not None:
        for by in (-DECADE // 2, -DECADE):
            less = with_part(link, *gain, step(_part(link, *gain), by=by))
            yield _put(tr("less gain: {label}", label=_label(less, *gain)), less)
    if _at(link, Does.PADS) is None and (at := _at(link, Does.TURNS)) is not None:
        for r1, r2, words in ((10e3, 4.7e3, "10 dB"), (33e3, 3.6e3, "20 dB")):
            before = padding().section(r1=r1, r2=r2)
            sections = (*link.sections[:at], before, *link.sections[at:])
            yield _put(
                tr("a pad of {words} before the volume control", words=words),
                fit_volume(job, rejoined(job, link, sections)),
            )


def _power(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    at = _at(link, Does.DRIVES_SPEAKERS)
    supply = part_for(link, Task.SUPPLY, Does.DRIVES_SPEAKERS)
    if at is None or supply is None:
        return
    if not does(link.sections[at], Does.BRIDGES):
        amplifier = first("feed", Does.DRIVES_SPEAKERS, Does.BRIDGES)
        bridged = tuple(amplifier.section() if k == at else s for k, s in enumerate(link.sections))
        yield tr("a bridge-tied amplifier"), partial(put_networks, link_id=link.id, sections=bridged)
    if not link.at("sup"):
        for volts in SUPPLIES_V:
            if volts > _part(link, *supply):
                yield _put(tr("{volts:g} V for the amplifier", volts=volts), with_part(link, *supply, volts))
    strongest = those("feed", Does.DRIVES_SPEAKERS, Does.BRIDGES)[-1]
    if link.sections[at].topology != strongest.key:
        for volts in SUPPLIES_V[1:]:
            part = strongest.doing(Task.SUPPLY)
            larger = strongest.section(**({part.name: volts} if part else {}))
            made = tuple(larger if k == at else s for k, s in enumerate(link.sections))
            free = replace(link, joins=tuple(j for j in link.joins if j.port != "sup"))
            yield _put(
                tr("a {short} on {volts:g} V of its own", short=strongest.short, volts=volts),
                fit_volume(job, rejoined(job, free, made)),
            )


def _core(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """A pad before the transformer keeps its core from filling."""
    at = _at(link, Does.ISOLATES)
    if at is None:
        return
    for r1, words in ((1e3, "6 dB"), (2.2e3, "10 dB")):
        before = padding().section(r1=r1, r2=1e3)
        padded = (*link.sections[:at], before, *link.sections[at:])
        yield (
            tr("a pad of {words} before the transformer", words=words),
            partial(put_networks, link_id=link.id, sections=padded),
        )


#: Coupling capacitors before a transformer: so large that with its primary they make no hump [F].
LARGE_F = (100e-6, 220e-6)
#: Series resistors of a pad with 1 kΩ to its common that brings a power output down to what a small core takes [Ω].
PADS_OHM = (2.2e3, 4.7e3, 10e3, 22e3)
DAMPING_OHM = (470.0, 1e3, 2.2e3)


def _before_core(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """A capacitor before the transformer keeps DC out of its core; so large that the two do not resonate."""
    at = _at(link, Does.ISOLATES)
    if at is None:
        return
    shape, damping = bare_blocking(), first("feed", Does.DROPS)
    for farads, ohm in (
        (LARGE_F[0], 0.0),
        (LARGE_F[1], 0.0),
        (LARGE_F[1], DAMPING_OHM[0]),
        (LARGE_F[0], DAMPING_OHM[1]),
    ):
        damped = (damping.section(r1=ohm),) if ohm else ()
        made = (*link.sections[:at], shape.section(c1=farads), *damped, *link.sections[at:])
        added = with_plus(job, rejoined(job, link, tuple(s for s in made if not does(s, Does.CONDUCTS))))
        words = tr(" and ") + marking(ohm, "Ω") if ohm else ""
        yield (
            tr(
                "a capacitor of {farads}{words} before the transformer",
                farads=format_quantity(farads, "F"),
                words=words,
            ),
            partial(edits.replace_link, link=added),
        )


def _damped(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """A larger capacitor, or a resistor in series, against the hump of capacitor and primary."""
    at, part = _at(link, Does.ISOLATES), coupling_part(link)
    if part is not None and not _locked(link, *part):
        for farads in LARGE_F:
            if farads > _part(link, *part):
                larger = with_part(link, *part, farads)
                yield _put(_label(larger, *part), larger)
    if at is not None:
        shape = first("feed", Does.DROPS)
        for ohm in DAMPING_OHM:
            made = (*link.sections[:at], shape.section(r1=ohm), *link.sections[at:])
            yield (
                tr("{marking} in series with the transformer", marking=marking(ohm, "Ω")),
                partial(put_networks, link_id=link.id, sections=made),
            )


def _twin(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    other = twin_of(job, link)
    if other is not None:
        yield (
            tr("the values of {lower}", lower=other.name.lower()),
            partial(put_networks, link_id=link.id, sections=other.sections),
        )


def _isolate(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    kept = [s for s in _apart_from_wire(link) if not topology(s.topology).couples]
    unpadded = [s for s in kept if not does(s, Does.PADS)]
    sink = job.terminal(link.at("out")[0]) if link.at("out") else None
    # an input with a DC of its own must not meet the winding
    after = [bare_blocking().section()] if isinstance(sink, AudioIn) and has_own_dc(sink) else []
    own = _own(link, Does.ISOLATES)
    for farads in LARGE_F:  # the bias of a bridge must not magnetise the core
        first_one = bare_blocking().section(c1=farads)
        made = with_plus(job, rejoined(job, link, (first_one, own, *kept, *after)))
        yield _put(tr("through a capacitor and a transformer"), fit_pad(job, made) or made)
        for r1 in PADS_OHM:
            padded = (first_one, padding().section(r1=r1, r2=1e3), own, *unpadded, *after)
            label = tr(
                "through a capacitor, a pad of {marking} and 1k, and a transformer", marking=marking(r1, "Ω")
            )
            yield _put(label, with_plus(job, rejoined(job, link, padded)))


def _ungrounded(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """The return wires that join a driven end to a ground."""
    ends = set(link.at("com"))
    for other in job.links:
        if other.purpose is Purpose.RETURN and any(j.terminal in ends for j in other.joins):
            yield (
                tr("leave out {lower}", lower=other.name.lower()),
                partial(edits.remove_link, link_id=other.id),
            )


def part_fixes(job: Job, finding: Finding) -> Iterator[Fix]:
    """Edits worth trying for a finding about one part: another rating, the other way round, or a capacitor without polarity."""
    link = job.link(finding.subject)
    if link is None or finding.part is None or finding.value is None:
        return
    at, name = finding.part
    rule = topology(link.sections[at].topology).part(name)
    part = next((p for p in link.sections[at].parts if p.name == name), None) or Part(
        name=name, value=rule.known()
    )
    if rule.kind == "resistor":
        watts = heavy(ratings().resistor.margin * finding.value)
        if watts is not None:
            rating = Known.of(watts, "W", Basis.DOCUMENTED)
            yield (
                tr("{upper} for {watts:g} W", upper=name.upper(), watts=watts),
                partial(edits.set_rating, link_id=link.id, section=at, name=name, rating=rating),
            )
        return
    if finding.low is None or finding.high is None:
        return
    volts = rated(ratings().capacitor.margin * max(abs(finding.low), abs(finding.high)))
    if volts is None:
        return
    fine = part.rating is not None and part.rating.nominal >= volts
    rated_for = part.rating if fine else Known.of(volts, "V", Basis.DOCUMENTED)
    change = partial(edits.set_capacitor, link_id=link.id, section=at, name=name, rating=rated_for)
    if finding.low < 0 < finding.high:
        yield tr("film for {upper}", upper=name.upper()), partial(change, plus=Plus.FILM)
    elif finding.code.endswith(("reversed", "unsaid")):
        right = Plus.SOURCE if finding.low + finding.high > 0 else Plus.INPUT
        turn = (
            tr("turn {upper} round: plus", upper=name.upper())
            if finding.code.endswith("reversed")
            else f"{name.upper()}: plus"
        )
        yield f"{turn} {right.value}", partial(change, plus=right)
    else:
        yield tr("{upper} for {volts:g} V", upper=name.upper(), volts=volts), partial(change, plus=part.plus)


_TABLE: tuple[tuple[tuple[str, ...], Callable[[Job, Link, Finding], Iterator[Fix]]], ...] = (
    (("too_loud", "too_quiet", "off_target", "clips", "headroom", "fits", "turned"), _level),
    (("too_quiet", "off_target"), joining.gained),
    (("behind_volume", "with_picture", "dead_source"), joining.elsewhere),
    (("channels_swapped",), joining.changed_over),
    (("side_missing",), joining.other_side),
    (("half_of_stereo",), joining.both_summed),
    (("tied_outputs",), joining.one_feed),
    (("no_way_home",), joining.way_home),
    (("no_middle",), joining.own_middle),
    (("through_dead", "through_unpowered"), joining.relay),
    (("magnetised", "core_dc"), _before_core),
    (("hump", "resonates", "peak"), _damped),
    (("dc_reaches_input", "offset"), _block),
    (("no_bass", "thin_bass", "bass"), _bass),
    (("no_treble", "dull_treble", "treble"), _treble),
    (("loads_source", "load"), _load),
    (("tap", "weakens_host"), _tap),
    (("tied_outputs",), _apart),
    (("unflat_sum", "flat"), _equal),
    (("pops", "pop"), _bleed),
    (("mix", "mix_weakens_host", "mixed", "mixed_unequal", "mixed_quiet", "mixed_loud"), _mixing),
    (("equalised_input", "equalisation"), _record),
    (("headphones_weak", "not_for_headphones", "loud_enough", "damping"), _headphones),
    (("can_hurt",), _quieter),
    (("too_little_power", "power"), _power),
    (("saturates", "core"), _core),
    (("unbalanced", "balance"), _twin),
    (("bridge_tied",), _isolate),
    (("bridge_grounded",), _ungrounded),
)
