"""Proposing a plan: feeds, supply and returns for a host and a module, each choice solved, not assumed."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from pigtail import edits
from pigtail.catalogue.topologies import (
    Does,
    Task,
    Topology,
    converters,
    does,
    first,
    plain,
    topology,
    usual_converters,
)
from pigtail.circuit import CircuitError
from pigtail.edits.plan import put_supply, set_converter
from pigtail.edits.usual import NEAR_M, ROUTE_M, join, rails, return_link, supply_link
from pigtail.job.chain import trait
from pigtail.job.check import refuse_live_chassis
from pigtail.job.document import (
    HOST,
    AudioIn,
    AudioOut,
    Channel,
    Job,
    Join,
    Link,
    Plus,
    Purpose,
    Section,
    SupplyClass,
    SupplyIn,
    Trait,
    Use,
    Way,
)
from pigtail.job.errors import EditError
from pigtail.job.measured import Measured
from pigtail.job.windings import unknown_of
from pigtail.job.wiring import addresses_of, return_address, star_address
from pigtail.language import tr
from pigtail.model import subjects
from pigtail.model.model import Model
from pigtail.studies.findings import ORDER, Severity
from pigtail.studies.judging import judgements
from pigtail.studies.level.aim import CLEAR_DB, aim_db, fits_of, has_own_dc
from pigtail.studies.power.study import study_power
from pigtail.studies.returns.study import study_returns
from pigtail.units import Known
from pigtail.units.series import members

Array = NDArray[np.float64]
SUM_OHM = 4700.0
PAD_SERIES_OHM = 1000.0
SMALL_STEP_DB = 1.0
#: How far below the most that fits full scale must lie for no pad to be needed, its spread allowed for [dB].
FOR_SPREAD_DB = 3.0
COUPLING_F = (470e-9, 1e-6, 2.2e-6, 4.7e-6, 10e-6, 22e-6, 47e-6, 100e-6)
LOW_CORNER_HZ = 5.0


def propose(job: Job, module_id: str) -> Job:
    """A plan for a module on the host of a job: its links replaced by proposed ones.

    Raises EditError when the host and the module have nothing to join, or the host's chassis is live.
    """
    if job.host.supply is SupplyClass.LIVE_CHASSIS:
        refuse_live_chassis(replace(job, links=(_probe_link(job),)))
    module = job.device(module_id)
    if module is None or module_id == HOST:
        raise EditError(tr("there is no module {module_id}", module_id=module_id), value=module_id)
    kept = tuple(x for x in job.links if not any(j.terminal.startswith(f"{module_id}.") for j in x.joins))
    job = replace(job, links=kept)
    pairs = list(_pairs(job, module_id))
    pin = next(iter(addresses_of(job, SupplyIn, module_id)), None)
    if not pairs and pin is None:
        raise EditError(
            tr("the host and the module have no output and input to join, and no supply"), value=module_id
        )
    job = _returns(job, module_id, pin, pairs[0][1] if pairs else "")
    job = _feeds(job, pairs)
    return _supply(job, pin) if pin else job


def _probe_link(job: Job) -> Link:
    """A link to the host's star, which a live chassis refuses in its own words."""
    star = star_address(job) or f"{HOST}.{job.host.terminals[0].id}"
    return Link(
        id="probe",
        name=tr("any link"),
        purpose=Purpose.RETURN,
        sections=(),
        joins=(Join(port="in", terminal=star),),
    )


def _audio(job: Job, device_id: str, kind: type) -> list[tuple[str, Any]]:
    device = job.device(device_id)
    assert device is not None
    found = [(f"{device_id}.{t.id}", t) for t in device.terminals if isinstance(t, kind)]
    if device_id == HOST:  # a chip pin that an easier point rings out to is the same net
        chip_pins = {t.rings_to for t in device.terminals if t.rings_to}
        found = [(a, t) for a, t in found if t.id not in chip_pins]
    if kind is AudioOut:
        found = [(a, t) for a, t in found if not trait(job, t, Trait.BRIDGE_TIED)]
    if device_id == HOST and kind is AudioOut:
        found.sort(
            key=lambda x: [trait(job, x[1], w) is True for w in (Trait.POWER_OUTPUT, Trait.FOLLOWS_VOLUME)]
        )
    return found


def _pairs(job: Job, module_id: str) -> Iterator[tuple[list[str], str, Channel]]:
    """Which outputs drive which input: the module's into the host's, else the host's into the module's."""
    for source_id, sink_id in ((module_id, HOST), (HOST, module_id)):
        outs, ins = _audio(job, source_id, AudioOut), _audio(job, sink_id, AudioIn)
        if source_id == module_id:  # an amplifier's outputs are for its own speaker
            outs = [(a, t) for a, t in outs if trait(job, t, Trait.POWER_OUTPUT) is not True]
        if not outs or not ins:
            continue
        sides = {t.channel for _, t in ins}
        ways = [a for a, t in outs if t.way is not Way.FULL]
        for sink, terminal in ins:
            if len(ways) > 1:
                yield ways[:2], sink, terminal.channel
                continue
            same = [a for a, t in outs if t.channel is terminal.channel]
            if same:
                yield same[:1], sink, terminal.channel
            elif terminal.channel is Channel.MONO or len(sides) == 1:
                yield [a for a, _ in outs][:2], sink, terminal.channel
            else:
                yield [outs[0][0]], sink, terminal.channel
        return


def _feeds(job: Job, pairs: list[tuple[list[str], str, Channel]]) -> Job:
    """The feeds; the returns are there already, without which no level could be solved."""
    for sources, sink, channel in pairs:
        stem = "feed" if len(pairs) == 1 else f"feed_{channel.value}"
        name = "Feed" if len(pairs) == 1 else tr("Feed, {channel}", channel=tr(channel.value))
        job = edits.add_link(job, _feed(job, edits.free_id(job, stem), name, sources, sink))
    return job


def _feed(job: Job, link_id: str, name: str, sources: list[str], sink: str) -> Link:
    """A feed with the networks it needs: a sum for two sources, a capacitor for a bias, what the end asks for, a pad for
    the level."""
    summed = len(sources) > 1
    ways = any(getattr(job.terminal(a), "way", Way.FULL) is not Way.FULL for a in sources)
    sections: list[Section] = [sum_for(ways=ways).section(r1=SUM_OHM, r2=SUM_OHM)] if summed else []
    last = _for_the_end(job, sink)
    capacitor = [blocking().section()] if _biased(job, sources, sink) else []
    end = job.terminal(sink)
    if capacitor and isinstance(end, AudioIn) and has_own_dc(end) and not last:
        return _capacitor_last(job, _joined(job, link_id, name, sources, sink, sections or [plain()]))
    if capacitor and not (last and Does.BLOCKS in last[0].does):
        sections += capacitor
    if last:
        whole = [*sections, *(shape.section() for shape in last)]
        return fit_coupling(job, fit_volume(job, _joined(job, link_id, name, sources, sink, whole)))
    pad = [*sections, padding().section(r1=PAD_SERIES_OHM)]
    with_pad = _joined(job, link_id, name, sources, sink, pad)
    fitted = fit_pad(job, with_pad)
    link = fitted or _joined(job, link_id, name, sources, sink, sections or [plain()])
    return fit_coupling(job, link)


def _capacitor_last(job: Job, link: Link) -> Link:
    """The feed into an input with a DC of its own: the pad first, then a capacitor; the input itself holds its outer side."""
    padded = fit_pad(job, with_section(job, link, padding().section(r1=PAD_SERIES_OHM))) or link
    return fit_coupling(job, with_section(job, padded, bare_blocking().section()))


def with_section(job: Job, link: Link, section: Section) -> Link:
    """The feed with one more network at its end."""
    kept = tuple(s for s in link.sections if not does(s, Does.CONDUCTS))
    (sink,) = link.at("out")
    return _joined(job, link.id, link.name, list(link.starts), sink, [*kept, section])


def fit_volume(job: Job, link: Link) -> Link:
    """The link with its volume control, if it has one, turned to the wanted level."""
    found = part_for(link, Task.KNOB)
    if found is None:
        return link
    index, name = found
    turns = np.linspace(0.1, 1.0, 19)
    level, wanted = _delivered(job, link, name, index, turns)
    if wanted is None:
        return link
    return with_part(
        link, index, name, round(float(turns[np.argmin(np.abs(level - 20 * np.log10(wanted)))]), 2)
    )


def part_for(link: Link, task: Task, *what: Does) -> tuple[int, str] | None:
    """Where in a link the first part stands that is there for something, in a network that does some things: the number of the
    network and the part's name; None if there is none."""
    for index, section in enumerate(link.sections):
        shape = topology(section.topology)
        rule = shape.doing(task)
        if rule is not None and (not what or shape.does & frozenset(what)):
            return index, rule.name
    return None


def coupling_part(link: Link) -> tuple[int, str] | None:
    """The coupling capacitor of a feed: the number of its network and its name; None if there is none."""
    for index, section in enumerate(link.sections):
        shape = topology(section.topology)
        rule = shape.doing(Task.BLOCKS)
        if rule is not None and shape.couples:
            return index, rule.name
    return None


def sum_for(*, ways: bool) -> Topology:
    """The network that holds two outputs apart: of two channels, or of the ways of a crossover."""
    return first(
        "feed", Does.SUMS, *((Does.RECOMBINES,) if ways else ()), without=() if ways else (Does.RECOMBINES,)
    )


def blocking() -> Topology:
    """The plainest network that keeps DC out and bleeds."""
    return first("feed", Does.BLOCKS, Does.BLEEDS, without=(Does.AMPLIFIES, Does.PADS))


def bare_blocking() -> Topology:
    """The plainest network that keeps DC out and leaves the outer side to what follows."""
    return first("feed", Does.BLOCKS, without=(Does.AMPLIFIES, Does.PADS, Does.ISOLATES, Does.BLEEDS))


def padding() -> Topology:
    """The plainest network that brings a level down."""
    return first("feed", Does.PADS, without=(Does.AMPLIFIES, Does.BLOCKS))


def _for_the_end(job: Job, sink: str) -> tuple[Topology, ...]:
    """The networks that what a feed ends at asks for whatever the level: an amplifier, or the inverse of an equaliser."""
    terminal = job.terminal(sink)
    assert isinstance(terminal, AudioIn)
    if terminal.has(Trait.EQUALISED):
        return (first("feed", Does.UNRECORDS),)
    knob = first("feed", Does.TURNS)
    if terminal.use is Use.HEADPHONES:
        return knob, first("feed", Does.DRIVES_HEADPHONES)
    return (knob, first("feed", Does.DRIVES_SPEAKERS, Does.BRIDGES)) if terminal.use is Use.SPEAKER else ()


def _joined(
    job: Job, link_id: str, name: str, sources: list[str], sink: str, sections: list[Section]
) -> Link:
    inputs = topology(sections[0].topology).inputs
    joins = [join(p, a, ROUTE_M, 28, screened=True) for p, a in zip(inputs, sources, strict=False)]
    joins.append(join("out", sink, NEAR_M))
    if any(topology(s.topology).common for s in sections):
        joins.append(join("com", return_address(job, sink), NEAR_M))
    if any(topology(s.topology).back for s in sections):
        joins.append(join("back", return_address(job, sources[0]), NEAR_M))
    return Link(id=link_id, name=name, purpose=Purpose.FEED, sections=tuple(sections), joins=tuple(joins))


def _biased(job: Job, sources: list[str], sink: str) -> bool:
    """Whether the two sides may differ in DC: a bias that is not known counts as one."""
    values = [getattr(job.terminal(a), "bias", None) for a in sources] + [
        getattr(job.terminal(sink), "dc", None)
    ]
    return any(v is None or max(abs(v.low), abs(v.high)) > 0.02 for v in values)


def model_with(job: Job, link: Link) -> Model:
    """The model of a job with a link as it would be."""
    others = tuple(x for x in job.links if x.id != link.id)
    return Model(Measured(replace(job, links=(*others, link))))


def _delivered(job: Job, link: Link, part: str, index: int, candidates: Array) -> tuple[Array, float | None]:
    """Level [dBV] at the end of a feed for each candidate of a part, and the voltage wanted there [V]."""
    model = model_with(job, link)
    netlist = model.netlist()
    (sink,) = link.at("out")
    wanted = getattr(model.job.terminal(sink), "wanted", None)
    varied = {subjects.network(link.id, index).parameter(part): candidates}
    solution = netlist.small(netlist.deck_samples(varied)).ac([1000.0])
    level = np.abs(solution.v(netlist.node(sink), netlist.reference(sink))[:, 0])
    return 20 * np.log10(np.maximum(level, 1e-12)), None if wanted is None else wanted.nominal


def fit_pad(job: Job, link: Link) -> Link | None:
    """The link with the shunt of its pad chosen from E24 so that the level is where it is aimed at; None when no pad is
    needed, or the wanted level is not known."""
    found = part_for(link, Task.LEVEL, Does.PADS)
    if found is None or any(p.name == found[1] and p.locked for p in link.sections[found[0]].parts):
        return None
    index, name = found
    candidates = np.array(members("E24", 47.0, 470e3))
    level, wanted = _delivered(job, link, name, index, candidates)
    if wanted is None:
        return None
    sink = Measured(job).job.terminal(link.at("out")[0])
    assert isinstance(sink, AudioIn)
    over, aim = level - 20 * np.log10(wanted), aim_db(sink)
    if over[-1] < aim + SMALL_STEP_DB or _fits_straight(sink, float(over[-1])):
        return None
    best = float(candidates[np.argmin(np.abs(over - aim))])
    return with_part(link, index, name, best)


def _fits_straight(sink: AudioIn, over_db: float) -> bool:
    """Whether full scale so far over the level wanted [dB] needs no pad: the volume control is there for it."""
    if sink.use is not Use.LINE:
        return False
    overload = (
        20 * np.log10(sink.overload.nominal / sink.wanted.nominal)
        if sink.overload and sink.wanted
        else np.inf
    )
    _, most = fits_of(sink).ends
    return bool(over_db <= most - FOR_SPREAD_DB and over_db <= overload - CLEAR_DB)


def with_part(link: Link, index: int, name: str, nominal: float, tolerance: float = np.inf) -> Link:
    """The link with one part of one network at another preferred value, to its usual tolerance or a closer one.

    The nominal value in SI [Ω, F], the tolerance a ratio [1].
    """
    rule = topology(link.sections[index].topology).part(name)
    return _with_changed(link, index, name, value=rule.known(nominal, tolerance=tolerance))


def _with_changed(link: Link, index: int, name: str, **fields: Any) -> Link:
    section = link.sections[index]
    parts = tuple(replace(p, **fields) if p.name == name else p for p in section.parts)
    return replace(
        link, sections=(*link.sections[:index], replace(section, parts=parts), *link.sections[index + 1 :])
    )


#: A difference of DC that decides which way round a capacitor goes [V].
NOTABLE_DC_V = 0.1


#: Where capacitor and primary may ring [Hz], and by how much at most [dB].
HUMP_HZ, HUMP_DB = tuple(np.geomspace(1.0, 40.0, 17).tolist()), 0.5


def fit_coupling(job: Job, link: Link) -> Link:
    """The link with its coupling capacitor the smallest that keeps the corner at or below 5 Hz, and good over the spread."""
    found = coupling_part(link)
    if found is None:
        return link
    index, name = found
    netlist = model_with(job, link).netlist()
    (sink,) = link.at("out")
    farads = np.array(COUPLING_F)
    part, ohm = (
        subjects.network(link.id, index).parameter(name),
        subjects.terminal(sink).parameter("impedance"),
    )
    ends = {i.name: i.ends for i in netlist.inputs if i.name in (part, ohm)}
    least, usual = ends[ohm][0], ends[ohm][1]
    spread = topology(link.sections[index].topology).part(name).tolerance
    varied = {
        part: np.concatenate([farads, farads * (1 - spread)]),
        ohm: np.repeat([usual, least], farads.size),
    }
    hertz = [LOW_CORNER_HZ, judgements()["level.bass"].limits[0], 1000.0]
    rings = any(does(s, Does.ISOLATES) for s in link.sections)  # with a transformer's primary
    solution = netlist.small(netlist.deck_samples(varied)).ac([*hertz, *HUMP_HZ] if rings else hertz)
    h = np.abs(solution.v(netlist.node(sink), netlist.reference(sink)))
    nominal, worst = np.split(h, 2)
    enough = (nominal[:, 0] >= nominal[:, 2] / np.sqrt(2)) & (worst[:, 1] >= worst[:, 2] / np.sqrt(2))
    if rings:
        enough &= 20 * np.log10(nominal.max(axis=1) / nominal[:, 2]) <= HUMP_DB
    chosen = float(farads[enough.argmax()]) if enough.any() else COUPLING_F[-1]
    return with_plus(job, with_part(link, index, name, chosen))


def with_plus(job: Job, link: Link) -> Link:
    """The link with its coupling capacitor the way round that the DC at both ends asks for, where that is known, nobody has said
    otherwise and nothing before it has a level of its own."""
    found = coupling_part(link)
    if found is None or any(topology(s.topology).amplifies for s in link.sections[: found[0]]):
        return link
    sources, sinks = ([job.terminal(a) for a in ends] for ends in (link.starts, link.at("out")))
    highs = [t.bias for t in sources if isinstance(t, AudioOut)]
    lows = [t.dc for t in sinks if isinstance(t, AudioIn)]
    if not highs or not lows or None in highs or None in lows:
        return link
    there = max(k.nominal for k in lows if k)
    least, most = min(k.low for k in highs if k), max(k.high for k in highs if k)
    way = (
        Plus.SOURCE
        if least > there + NOTABLE_DC_V
        else Plus.INPUT
        if most < there - NOTABLE_DC_V
        else Plus.UNSAID
    )
    index, name = found
    said = any(p.name == name and p.plus is not Plus.UNSAID for p in link.sections[index].parts)
    return link if said else _with_changed(link, index, name, plus=way)


def _supply(job: Job, pin: str) -> Job:
    """The supply whose worst finding is the least bad; of equals the simplest, from the likeliest rail."""
    best: tuple[tuple[int, int], Job] | None = None
    plain_key = first("supply", Does.CONDUCTS).key
    least = getattr(job.terminal(pin), "minimum", None)
    every = [(rail, getattr(job.terminal(rail), "voltage", None)) for rail in rails(job, pin)]
    fitting = {rail: usual_converters(volts, least) for rail, volts in every}
    for shape in converters():
        for rail, volts in every:
            if shape not in fitting[rail]:
                continue
            if volts is None and shape.does & {Does.CONDUCTS, Does.SEPARATES}:
                continue  # a rail of unknown voltage is never joined straight to a module, and decides for no dear converter
            if Does.SEPARATES in shape.does and volts is not None and not _suits_input(shape, volts):
                continue
            link = supply_link(job, edits.free_id(job, "supply"), rail, pin, plain_key)
            trial = set_converter(edits.add_link(job, link), link.id, shape.key)
            rank = _supply_rank(trial, best[0] if best else None, blind=volts is None)
            if rank is not None and (best is None or rank < best[0]):
                best = (rank, trial)
            if best is not None and best[0] == (0, 0):
                return best[1]
    return best[1] if best else _from_windings(job, pin)


#: What is tried first of a winding: the rectifier that suits where it is earthed, and what usually follows; the search tries them all.
FROM_WINDINGS = (
    ("half_wave_schottky", "ldo"),
    ("half_wave", "linear_cooled"),
    ("bridge", "linear_cooled"),
    ("bridge", "buck"),
)
#: The reservoir that a plan begins with [F].
RESERVOIR_F = 2200e-6


def _from_windings(job: Job, pin: str) -> Job:
    """A supply from a winding of a host that has no rail: of a few usual ones that whose worst finding is the least bad."""
    best: tuple[tuple[int, int], Job] | None = None
    for winding in Measured(job).job.host.windings:
        for keys in FROM_WINDINGS:
            trial = put_supply(job, pin, winding.id, keys, RESERVOIR_F)
            rank = _supply_rank(trial, best[0] if best else None, blind=True)
            if rank is not None and (best is None or rank < best[0]):
                best = (rank, trial)
            if unknown_of(winding) or rank == (0, 0):
                break
    return best[1] if best else job


def _suits_input(shape: Topology, volts: Known) -> bool:
    """Whether a rail lies within what a converter stands and needs at its input."""
    values = shape.values(shape.section())
    least, most = values.get("vin_min"), values.get("vin_max")
    return (least is None or volts.high >= least.nominal) and (most is None or volts.low <= most.nominal)


def _supply_rank(job: Job, beaten: tuple[int, int] | None, *, blind: bool) -> tuple[int, int] | None:
    """Rank of a supply plan, less is better: its worst finding, then how many of it; None when power alone is
    worse than a plan found before, or has no steady state. blind: the volts of its rail are not known."""
    model = Model.of(job)
    try:
        severities = [f.severity for f in study_power(model).findings]
    except CircuitError:
        return None  # a converter that starves on this rail and finds no steady state
    first = _worst_of(severities)
    if beaten is not None and first > beaten:
        return None
    if blind:
        return first  # of a rail that nobody has read the returns would not be told either
    return _worst_of(severities + [f.severity for f in study_returns(model).findings])


def _worst_of(severities: list[Severity]) -> tuple[int, int]:
    bad = min(severities, key=ORDER.index, default=Severity.GOOD)
    return len(ORDER) - 1 - ORDER.index(bad), severities.count(bad) if bad is not Severity.GOOD else 0


def _returns(job: Job, module_id: str, pin: str | None, sink: str) -> Job:
    """The supply return to the star, and the audio return to the input's own return: heavy wires, short routes."""
    device = job.device(module_id)
    assert device is not None
    star = star_address(job)
    if pin is not None and return_address(job, pin) and star:
        link_id = edits.free_id(job, "supply_return")
        job = edits.add_link(
            job, return_link(link_id, tr("Supply return"), return_address(job, pin), star, 20)
        )
    audio = next((t for t in device.terminals if isinstance(t, AudioOut | AudioIn)), None)
    if audio is None or not sink or getattr(audio, "use", Use.LINE) is Use.SPEAKER:
        return job  # a speaker hangs between the two ends of its amplifier
    here = return_address(job, f"{module_id}.{audio.id}")
    there = return_address(job, sink) if sink.startswith(f"{HOST}.") else _host_return(job)
    if here and there:
        job = edits.add_link(
            job, return_link(edits.free_id(job, "audio_return"), tr("Audio return"), here, there, 24)
        )
    return job


def _host_return(job: Job) -> str:
    """The return of the host's first output, else its star."""
    out = next((t for t in job.host.terminals if isinstance(t, AudioOut)), None)
    return return_address(job, f"{HOST}.{out.id}") if out else star_address(job)
