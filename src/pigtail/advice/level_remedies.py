"""What mends a finding about a feed: candidate edits by the finding's code, to be solved before any is offered."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from pigtail.advice.candidates import sum_section
from pigtail.advice.networks import drop_network, put_networks, with_network
from pigtail.advice.plan import fit_coupling, fit_pad, with_part
from pigtail.catalogue.topologies import topology
from pigtail.job import edits
from pigtail.job.edits import Edit
from pigtail.job.model import AudioOut, Job, Link, Plus, Purpose, Section
from pigtail.studies.findings import Finding
from pigtail.studies.level import RATINGS, twin_of
from pigtail.units import Basis, Known, format_quantity, marking
from pigtail.units.series import step

#: A bleed, a supply for a power stage and a larger mixing resistor, as they are usually tried.
BLEED_OHM = 220e3
SUPPLIES_V = (9.0, 12.0, 24.0)
DECADE = 24
Fix = tuple[str, Edit]


def level_fixes(job: Job, finding: Finding) -> Iterator[Fix]:
    """Edits worth trying for a finding about a feed, each with its label."""
    link = job.link(finding.subject)
    if link is None:
        return
    what = finding.code.partition(".")[2]
    if what == "fits" and finding.value is None:
        return
    for codes, fixes in _TABLE:
        if what in codes:
            yield from fixes(job, link, finding)


def _at(link: Link, key: str) -> int | None:
    """Where a network stands in a feed, the first of its kind."""
    return next((k for k, s in enumerate(link.sections) if s.topology == key), None)


def _put(label: str, link: Link) -> Fix:
    return label, partial(edits.replace_link, link=link)


def _part(link: Link, index: int, name: str) -> float:
    section = link.sections[index]
    return topology(section.topology).values(section)[name].nominal


def _locked(link: Link, index: int, name: str) -> bool:
    return any(p.name == name and p.locked for p in link.sections[index].parts)


def _label(new: Link, index: int, name: str) -> str:
    rule = topology(new.sections[index].topology).part(name)
    return f"{name.upper()} to {format_quantity(_part(new, index, name), rule.unit)}"


def _level(job: Job, link: Link, finding: Finding) -> Iterator[Fix]:
    pad = _at(link, "pad")
    if pad is not None and (fitted := fit_pad(job, link)):
        yield _put(_label(fitted, pad, "r2"), fitted)
    elif pad is None and finding.value is not None and finding.value > 0:
        padded = with_network(job, link, "pad")
        if fitted := fit_pad(job, padded):
            yield _put("add a two-resistor pad", fitted)
    if pad is not None and finding.value is not None and finding.value < 0:
        yield "take the pad out", partial(drop_network, link_id=link.id, index=pad)


def _block(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    yield _put("add a coupling capacitor with bleed", fit_coupling(job, with_network(job, link, "coupling")))


def _bass(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    at, fitted = _at(link, "coupling"), fit_coupling(job, link)
    if at is not None and fitted != link:
        yield _put(_label(fitted, at, "c1"), fitted)


def _load(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    pad = _at(link, "pad")
    if pad is None or _locked(link, pad, "r1"):
        return
    heavier = with_part(link, pad, "r1", step(_part(link, pad, "r1"), by=DECADE // 2))
    if fitted := fit_pad(job, heavier):
        yield _put(_label(fitted, pad, "r1"), fitted)


def _treble(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    pad = _at(link, "pad")
    if pad is None or _locked(link, pad, "r1"):
        return
    lighter = with_part(link, pad, "r1", step(_part(link, pad, "r1"), by=-DECADE // 2))
    if fitted := fit_pad(job, lighter):
        yield _put(_label(fitted, pad, "r1"), fitted)


def _tap(job: Job, link: Link, finding: Finding) -> Iterator[Fix]:
    yield from _load(job, link, finding)
    sections = tuple(s for s in link.sections if s.topology not in ("wire", "coupling"))
    capacitor = topology("coupling").section(c1=1e-6)
    if not any(topology(s.topology).amplifier for s in sections):
        buffered = (capacitor, topology("buffer").section(), *sections)
        yield "add a buffer at the tap", partial(put_networks, link_id=link.id, sections=buffered)


def _apart(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    sources = [a for a in link.starts if isinstance(job.terminal(a), AudioOut)]
    key = sum_section(job, sources)
    head = (topology(key).section(), *link.sections[1:])
    yield "hold the outputs apart by 4.7 kΩ each", partial(put_networks, link_id=link.id, sections=head)


def _equal(job: Job, link: Link, finding: Finding) -> Iterator[Fix]:
    if len(topology(link.sections[0].topology).inputs) < 2:
        return
    first, second = _part(link, 0, "r1"), _part(link, 0, "r2")
    if first != second:
        yield _put(f"both resistors {marking(first, 'Ω')}", with_part(link, 0, "r2", first))
        yield _put(f"both resistors {marking(second, 'Ω')}", with_part(link, 0, "r1", second))


def _bleed(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    at = _at(link, "coupling")
    if at is not None and _part(link, at, "r1") != BLEED_OHM:
        yield _put("a bleed of 220 kΩ", with_part(link, at, "r1", BLEED_OHM))


def _mixing(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    at = _at(link, "mix")
    if at is None:
        return
    for by in (DECADE // 2, DECADE, 2 * DECADE):
        larger = with_part(link, at, "r1", step(_part(link, at, "r1"), by=by))
        yield _put(_label(larger, at, "r1"), larger)


def _record(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    head = [s for s in link.sections if len(topology(s.topology).inputs) > 1 or s.topology == "coupling"]
    yield (
        "an inverse record network in the place of the others",
        partial(put_networks, link_id=link.id, sections=(*head, topology("unrecord").section())),
    )


def _headphones(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    head = [s for s in link.sections if len(topology(s.topology).inputs) > 1]
    driven = (*head, topology("volume").section(), topology("headphone_amp").section())
    yield (
        "a volume control and a headphone amplifier",
        partial(put_networks, link_id=link.id, sections=driven),
    )


def _quieter(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """Less gain for what is loud enough to hurt."""
    at = _at(link, "headphone_amp")
    if at is not None and not _locked(link, at, "r2"):
        for by in (-DECADE // 2, -DECADE):
            less = with_part(link, at, "r2", step(_part(link, at, "r2"), by=by))
            yield _put(f"less gain: {_label(less, at, 'r2')}", less)


def _power(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    at = next((k for k, s in enumerate(link.sections) if topology(s.topology).power), None)
    if at is None:
        return
    if link.sections[at].topology == "amp_single":
        bridged = tuple(
            topology("amp_bridged").section() if k == at else s for k, s in enumerate(link.sections)
        )
        yield "a bridge-tied amplifier", partial(put_networks, link_id=link.id, sections=bridged)
    for volts in SUPPLIES_V:
        if volts > _part(link, at, "supply"):
            yield _put(f"{volts:g} V for the amplifier", with_part(link, at, "supply", volts))


def _core(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """A pad before the transformer keeps its core from filling."""
    at = next((k for k, s in enumerate(link.sections) if topology(s.topology).isolates), None)
    if at is None:
        return
    for r1, words in ((1e3, "6 dB"), (2.2e3, "10 dB")):
        before = topology("pad").section(r1=r1, r2=1e3)
        padded = (*link.sections[:at], before, *link.sections[at:])
        yield (
            f"a pad of {words} before the transformer",
            partial(put_networks, link_id=link.id, sections=padded),
        )


def _twin(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    other = twin_of(job, link)
    if other is not None:
        yield (
            f"the values of {other.name.lower()}",
            partial(put_networks, link_id=link.id, sections=other.sections),
        )


def _isolate(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    sections: tuple[Section, ...] = tuple(s for s in link.sections if s.topology != "wire")
    through = (topology("transformer").section(), *sections)
    yield "through a transformer", partial(put_networks, link_id=link.id, sections=through)


def _ungrounded(job: Job, link: Link, _finding: Finding) -> Iterator[Fix]:
    """The return wires that join a driven end to a ground."""
    ends = set(link.at("com"))
    for other in job.links:
        if other.purpose is Purpose.RETURN and any(j.terminal in ends for j in other.joins):
            yield f"leave out {other.name.lower()}", partial(edits.remove_link, link_id=other.id)


def _capacitor(job: Job, link: Link, finding: Finding) -> Iterator[Fix]:
    at = _at(link, "coupling")
    if at is None or finding.value is None or finding.low is None or finding.high is None:
        return
    most = max(abs(finding.low), abs(finding.high))
    volts = next((v for v in RATINGS if v >= 2 * most), RATINGS[-1])
    part = next(p for p in link.sections[at].parts if p.name == "c1")
    rating = (
        part.rating
        if part.rating and part.rating.nominal >= volts
        else Known.of(volts, "V", Basis.DOCUMENTED)
    )
    place = {"link_id": link.id, "section": at, "name": "c1", "rating": rating}
    if finding.low < 0 < finding.high:
        yield "a film capacitor", partial(edits.set_capacitor, plus=Plus.FILM, **place)  # type: ignore[arg-type]
        return
    right = Plus.SOURCE if finding.value > 0 else Plus.INPUT
    if finding.code.endswith("reversed"):
        yield f"turn it round: plus {right.value}", partial(edits.set_capacitor, plus=right, **place)  # type: ignore[arg-type]
    else:
        yield f"a capacitor for {volts:g} V", partial(edits.set_capacitor, plus=part.plus, **place)  # type: ignore[arg-type]


_TABLE: tuple[tuple[tuple[str, ...], Callable[[Job, Link, Finding], Iterator[Fix]]], ...] = (
    (("too_loud", "too_quiet", "off_target", "clips", "fits"), _level),
    (("dc_reaches_input", "offset"), _block),
    (("no_bass", "thin_bass", "bass"), _bass),
    (("no_treble", "dull_treble", "treble"), _treble),
    (("loads_source", "load"), _load),
    (("tap", "weakens_host"), _tap),
    (("tied_outputs",), _apart),
    (("unflat_sum", "flat"), _equal),
    (("pops", "pop"), _bleed),
    (("mix", "mix_weakens_host"), _mixing),
    (("equalised_input", "equalisation"), _record),
    (("headphones_weak", "not_for_headphones", "loud_enough", "damping"), _headphones),
    (("can_hurt",), _quieter),
    (("too_little_power", "power"), _power),
    (("saturates", "core"), _core),
    (("unbalanced", "balance"), _twin),
    (("bridge_tied",), _isolate),
    (("bridge_grounded",), _ungrounded),
    (("capacitor_reversed", "capacitor_rating"), _capacitor),
)
