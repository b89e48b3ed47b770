"""The candidates of one family for a feed: every combination of values solved at once, the nearest over their spread."""

from __future__ import annotations

import itertools
import math
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from pigtail.advice.plan import with_part
from pigtail.advice.shapes import Family, Member, Wish, table
from pigtail.catalogue.topologies import Does, Task, does, topology
from pigtail.circuit import noise_of
from pigtail.edits.plan import as_held, rejoined
from pigtail.job.document import AudioIn, AudioOut, Job, Link
from pigtail.job.measured import Measured
from pigtail.language import tr
from pigtail.model import names, subjects
from pigtail.model.cascade import networks, section_inputs, swing_dbv, told_against
from pigtail.model.estimate import Estimate, Input, Wanted
from pigtail.model.model import Model
from pigtail.model.netlist import Netlist
from pigtail.model.spread import Samples, estimate_many
from pigtail.model.terminals import OPEN_OHM, heard_node
from pigtail.studies.judging import judgements
from pigtail.studies.level.aim import CLEAR_DB, aim_db, has_own_dc
from pigtail.units import Basis, format_quantity
from pigtail.units.series import members
from pigtail.units.store import cached_property

Array = NDArray[np.float64]
#: Combinations of one cascade at most: beyond this the parts that set the level least are taken more coarsely.
MOST = 250_000
#: Candidates of a member that are solved over their spread: the nearest to the level aimed at, then those a technician would take.
CLOSEST = 5
#: Between these a network is easy to drive and hard to disturb [Ω]; what lies outside, and a part of a finer series than E12, counts as
#: so much further off [dB].
EASY_OHM = (2e3, 22e3)
UNEASY_DB, UNUSUAL_DB = 0.5, 0.15
#: What a decibel too little of room above full scale counts for beside one off the level aimed at.
CRAMPED = 2.0
#: A capacitor is taken as if it were so much smaller still: the impedances around it have a spread too.
CAPACITOR_MARGIN = 0.7
NOISE_HZ = np.geomspace(20.0, 20e3, 4)
CORNER_DB = -3.0103
#: An input that moves nothing by more than this, relative, is left at its nominal value.
IMMATERIAL = 1e-6


class Candidate(NamedTuple):
    """One candidate that was solved over its spread: the cascade it is, the link as it would be, its numbers, the levels
    along it [dBV], its noise [V]."""

    member: Member
    link: Link
    found: dict[str, Estimate]
    ladder: tuple[float, ...]
    hiss: float


#: A cascade with the values that were chosen for its parts.
Chosen = tuple[Member, dict[str, float]]


class Candidates:
    """One family put into the place of a link.

    Args: job as measured, a feed of it, the family, how parts are chosen; `telling` names inputs of the rest of the job that
    matter, None for all.
    """

    def __init__(
        self, job: Job, link: Link, family: Family, wish: Wish, telling: frozenset[str] | None = None
    ) -> None:
        self.family, self.wish, self.old = family, wish, link
        sources = [a for a in link.starts if isinstance(job.terminal(a), AudioOut)]
        self.summed = len(sources) > 1
        self.shift = int(self.summed)
        self.sum_key = sum_section(job, sources)
        self.link = self._as_sections(job, family.sections, family.set)
        others = tuple(x for x in job.links if x.id != link.id)
        self.plain = job
        self.job = replace(job, links=(*others, self.link))
        self.net: Netlist = Model(Measured(replace(self.job, readings=()))).netlist()
        (self.sink,) = self.link.at("out")
        end = job.terminal(self.sink)
        assert isinstance(end, AudioIn)
        self.own_dc = has_own_dc(end)
        self.aim = aim_db(end)
        self.matched = end.wanted is not None and end.wanted.basis is Basis.MEASURED
        self.source = sources[0]
        self.out, self.back = self.net.node(self.sink), self.net.reference(self.sink)
        self.heard, self.heard_back = heard_node(self.job, self.sink)
        driven = set(sources)
        self.drives = {f"{self.net.node(a)}__drive": 0.0 for a in self.net.outputs if a not in driven}
        self.stages = networks(self.link)
        self.amplifiers = tuple(s for s in self.stages if s.shape.amplifies)
        own = {subjects.terminal(self.sink), *(s.subject for s in self.stages)}
        ours = [i for i in self.net.inputs if i.in_deck or i.subject in own]
        self.inputs = [i for i in ours if telling is None or i.subject in own or i.name in telling]

    def _as_sections(self, job: Job, keys: Sequence[str], values: Mapping[str, float]) -> Link:
        sections = [topology(k).section(**self._usual(k)) for k in keys]
        if self.summed:
            head = topology(self.sum_key).section(**self._usual(self.sum_key))
            sections = [head, *(s for s in sections if not does(s, Does.CONDUCTS))]
        link = rejoined(job, self.old, tuple(sections))
        for part, value in values.items():
            at, name = part.split(".")
            if not self._locked_in(keys[int(at)], name):
                held = self.wish.usual(value, topology(keys[int(at)]).part(name).kind)
                link = with_part(link, int(at) + self.shift, name, held)
        return link

    def _usual(self, key: str) -> dict[str, float]:
        """The values of a network's parts that are not the catalogue's: locked ones, those in stock that are near."""
        found = {}
        for rule in topology(key).bought():
            locked = self._locked_in(key, rule.name)
            default = topology(key).values(topology(key).section())[rule.name].nominal
            value = locked[0] if locked else self.wish.usual(default, rule.kind)
            if value != default:
                found[rule.name] = value
        return found

    # -- candidates -----------------------------------------------------------------------------------------

    def grid(self, member: Member) -> dict[str, Array]:
        """Every combination of the values that vary: part → values [N], all of one length; absent parts as they are."""
        runs: dict[str, tuple[float, ...]] = {}
        if self.summed:
            either = self._locked("0.r1") or self._locked("0.r2")
            runs["0.r1"] = either or self.wish.values(table().sum.vary, "resistor")
        for part, run in member.vary.items():
            place = self._place(part)
            runs[place] = self._locked(place) or self.wish.values(run, self._kind(place))
        runs = _thinned(runs)
        every = list(itertools.product(*runs.values()))
        combined = np.array(every, dtype=float).reshape(len(every), len(runs))
        found = {part: combined[:, k] for k, part in enumerate(runs)}
        if self.summed:
            other = self._locked("0.r2")
            found["0.r2"] = np.full(len(every), other[0]) if other else found["0.r1"]
        return found

    def _place(self, part: str) -> str:
        at, name = part.split(".")
        return f"{int(at) + self.shift}.{name}"

    def _kind(self, place: str) -> str:
        at, name = place.split(".")
        return topology(self.link.sections[int(at)].topology).part(name).kind

    def _tolerance(self, place: str) -> float:
        """What a part that is searched for is made to, at worst."""
        return self.wish.tolerance if self._kind(place) == "resistor" else np.inf

    def _locked(self, place: str) -> tuple[float, ...]:
        """The value of a part that the feed as it is has locked, of the first network of the same kind."""
        at, name = place.split(".")
        return self._locked_in(self.link.sections[int(at)].topology, name)

    def _locked_in(self, key: str, name: str) -> tuple[float, ...]:
        for section in self.old.sections:
            if section.topology == key:
                return tuple(p.value.nominal for p in section.parts if p.name == name and p.locked)
        return ()

    def keeps_locked(self, member: Member) -> bool:
        """Whether a cascade has a place for every locked part of the feed as it is."""
        held = [s.topology for s in self.old.sections if any(p.locked for p in s.parts)]
        return all(key in (*member.sections, self.sum_key) for key in held)

    def short_of(self, member: Member) -> set[str]:
        """What a cascade needs and the stock has not, in words."""
        found = set()
        for part, run in (*member.vary.items(), *member.then.items()):
            place = self._place(part)
            kind = self._kind(place)
            if not self._locked(place) and not self.wish.values(run, kind):
                unit = "F" if kind == "capacitor" else "Ω"
                found.add(
                    tr(
                        "a {kind} of {run} to {run2}",
                        kind=kind,
                        run=format_quantity(run[1], unit),
                        run2=format_quantity(run[2], unit),
                    )
                )
        return found

    def nearest(self, member: Member) -> tuple[int, float, list[dict[str, float]]]:
        """How many candidates a member has, the highest level any of them reaches over the wanted one [dB], and the
        nearest to it, one for each choice of all parts but the last."""
        grid = self.grid(member)
        size = next((v.size for v in grid.values()), 1) if grid else 1
        if size == 0:
            return 0, -np.inf, []
        found = self._solve(self._samples(member, grid), [1000.0])
        level, cramped = found["target"], np.maximum(CLEAR_DB - found["headroom"], 0.0)
        off = np.broadcast_to(
            np.abs(level - self.aim + self.skew) + CRAMPED * np.nan_to_num(cramped), (size,)
        )
        keys = [k for k in grid if not (self.summed and k == "0.r2")]
        # one of each impedance level: of each sum, or of each choice of all parts but the one that sets the level
        telling = keys[:1] if self.summed and len(keys) > 1 else keys[:-1] if len(keys) > 1 else keys
        seen: dict[tuple[float, ...], int] = {}
        liked = np.argsort(off + self._dislike(grid, size), kind="stable")
        for k in (int(np.abs(level - self.aim).argmin()), int(off.argmin()), *liked):
            seen.setdefault(tuple(float(grid[p][k]) for p in telling), int(k))
            if len(seen) >= CLOSEST + int(self.summed):
                break
        chosen = [{part: float(v[k]) for part, v in grid.items()} for k in seen.values()]
        return size, float(np.max(level)), self._followed(member, chosen)

    def _dislike(self, grid: Mapping[str, Array], size: int) -> Array:
        """By how much a technician would rather not take each candidate [dB], shape [N]: resistors outside of what is easy to drive, and
        values that are not in E12."""
        total = np.zeros(size)
        for place, values in grid.items():
            if self._kind(place) != "resistor":
                continue
            at, name = place.split(".")
            rule = topology(self.link.sections[int(at)].topology).part(name)
            if rule.role in (Task.SERIES, Task.APART):
                total += UNEASY_DB * ((values < EASY_OHM[0] / 2) | (values > EASY_OHM[1]))
            total += UNUSUAL_DB * ~np.isin(values, self._common)
        return total

    @cached_property
    def skew(self) -> float:
        """By how much the spread of the level reaches further up than down, halved [dB]: about the same for all candidates of a family,
        it shifts the aim to where the worse end is nearest."""
        (found,) = estimate_many(
            [self._case(self.family.member[-1], {})],
            lambda s: self._solve(s, [1000.0]),
            {"target": WANTED["target"]},
        )
        target = found["target"]
        return 0.0 if target.value is None else (target.high + target.low) / 2 - target.value

    @cached_property
    def _common(self) -> Array:
        return np.array(members("E12", 1.0, 10e6))

    def _followed(self, member: Member, chosen: list[dict[str, float]]) -> list[dict[str, float]]:
        """The candidates with the parts that follow: the smallest capacitor that keeps the bass, its tolerance allowed for."""
        for part, run in member.then.items():
            key = self._place(part)
            at, name = key.split(".")
            rule = topology(self.link.sections[int(at)].topology).part(name)
            values = np.array(self._locked(key) or self.wish.values(run, "capacitor"))
            if not values.size or not chosen:
                return []
            grid = {k: np.repeat([c[k] for c in chosen], values.size) for k in chosen[0]}
            least = np.tile(CAPACITOR_MARGIN * values * (1 - rule.tolerance), len(chosen))
            bass = self._bass(member, grid | {key: least}).reshape(len(chosen), values.size)
            enough = bass >= CORNER_DB
            first = np.where(enough.any(axis=1), enough.argmax(axis=1), values.size - 1)
            chosen = [c | {key: float(values[k])} for c, k in zip(chosen, first, strict=True)]
        return chosen

    def _bass(self, member: Member, grid: Mapping[str, Array]) -> Array:
        """Response [dB re 1 kHz] of candidates where the bass is to be whole, all else at its nominal value."""
        batch = self.net.small(self.net.deck_samples(self._samples(member, grid), **self.drives))
        ends = [n for n in (self.heard, self.heard_back) if n != "0"]
        h = np.abs(
            batch.ac([judgements()["level.bass"].limits[0], 1000.0], ends).v(self.heard, self.heard_back)
        )
        return _db(h[:, 0]) - _db(h[:, 1])

    def _samples(self, member: Member, grid: Mapping[str, Array]) -> Samples:
        """Only what differs from the deck, and what is not in it."""
        count = next((v.size for v in grid.values()), 1)
        samples: Samples = {i.name: np.full(count, i.ends[1]) for i in self.inputs if not i.in_deck}
        samples |= {self._parameter(self._place(p)): np.array([v]) for p, v in member.absent.items()}
        for part, values in grid.items():
            samples[self._parameter(part)] = values
        return samples

    def _parameter(self, part: str) -> str:
        at, _, name = part.partition(".")
        return subjects.network(self.link.id, int(at)).parameter(name)

    def link_of(self, member: Member, values: Mapping[str, float]) -> Link:
        """The feed through a member with its values; what is said of its parts besides their values stays.

        Values in SI [Ω, F, ratio].
        """
        link = self._as_sections(self.plain, member.sections, {})
        usual = {
            f"{k}.{p}": v
            for k, s in enumerate(self.link.sections)
            for p, v in ((p.name, p.value.nominal) for p in s.parts)
        }
        given = {self._place(p): usual[self._place(p)] for p in self.family.set} | dict(values)
        for part, value in given.items():
            at, name = part.split(".")
            place = int(at) - member.shift if int(at) >= self.shift else int(at)
            if not 0 <= place < len(link.sections):
                continue
            if name in {p.name for p in link.sections[place].parts}:
                link = with_part(link, place, name, value, self._tolerance(part))
        return replace(link, sections=as_held(link.sections, self.old.sections))

    # -- solving --------------------------------------------------------------------------------------------

    def _solve(self, samples: Samples, hertz: list[float]) -> dict[str, Array]:
        batch = self.net.small(self.net.deck_samples(samples, **self.drives))
        source, source_back = self.net.node(self.source), self.net.reference(self.source)
        feet = {told_against(self.link, s, self.back) for s in self.amplifiers}
        only = {self.out, self.back, *(s.behind for s in self.amplifiers), *feet} - {"0"}
        found = batch.ac(hertz, sorted(only) if len(hertz) == 1 else None)
        at = hertz.index(1000.0)
        delivered = _db(np.abs(found.v(self.out, self.back))[:, at])
        stem = names.at(self.sink)
        room = _db(samples[f"{stem}__overload"]) - delivered
        for stage in self.amplifiers:
            level = _db(np.abs(found.v(stage.behind, told_against(self.link, stage, self.back)))[:, at])
            load = samples.get(f"{stem}__impedance", np.inf) if stage is self.stages[-1] else np.inf
            supply = self.net.swings_on(batch.operating_point(), self.link, stage)
            room = np.minimum(room, swing_dbv(self._with_figures(samples), stage, supply, load) - level)
        results = {"target": delivered - _db(samples[f"{stem}__wanted"]), "headroom": room}
        if len(hertz) > 1:
            pin = np.abs(found.v(source, source_back))[:, at]
            current = np.abs(self.net.terminal_current(found, self.source))[:, at]
            heard = _db(np.abs(found.v(self.heard, self.heard_back)))
            relative = heard - heard[:, at : at + 1]
            rest = np.asarray(batch.operating_point().v(self.out, self.back))
            results |= {
                "load": pin / np.maximum(current, 1e-15),
                "offset": rest - (samples[f"{stem}__dc"] if self.own_dc else 0.0),
                "bass": relative[:, 0],
                "bass_good": relative[:, 1],
                "treble": relative[:, 3],
                "treble_good": relative[:, 4],
                "peak": relative[:, 5:].max(axis=1) if len(hertz) > 5 else np.zeros(delivered.shape),
                "output": self._driven_from(samples, delivered),
            }
        return {k: np.broadcast_to(v, delivered.shape) for k, v in results.items()}

    def _driven_from(self, samples: Samples, delivered: Array) -> Array:
        """The impedance that the input is driven from [Ω], shape [S], of the level that is delivered [dBV]: by the level without it."""
        stem = names.at(self.sink)
        count = max(v.size for v in samples.values())
        apart = self.net.deck_samples(
            samples | {f"{stem}__impedance": np.full(count, OPEN_OHM)}, **self.drives
        )
        ends = [n for n in (self.out, self.back) if n != "0"]
        opened = _db(np.abs(self.net.small(apart).ac([1000.0], ends).v(self.out, self.back))[:, 0])
        ohm = samples.get(f"{stem}__impedance")
        there = np.array([1e4]) if ohm is None else ohm
        return np.asarray(np.maximum(there * (10 ** ((opened - delivered) / 20) - 1), 1e-3))

    def _with_figures(self, samples: Samples) -> Samples:
        """The samples with the figures of the stages that are in the deck and not sampled."""
        stems = {s.parameter("") + "__" for s in self.amplifiers}
        missing = {
            i.name: np.array([i.ends[1]])
            for i in self.inputs
            if i.name not in samples and any(i.name.startswith(s) for s in stems)
        }
        return samples | missing

    def solved(self, chosen: Sequence[Chosen]) -> Iterator[Candidate]:
        """Everything that is judged of the chosen candidates, over the spread of all they rest on."""
        if not chosen:
            return
        cases = [self._case(member, values) for member, values in chosen]
        hertz = judged_hertz() + (HUMP_HZ if any(Does.ISOLATES in s.shape.does for s in self.stages) else [])
        estimates = estimate_many(cases, lambda s: self._solve(s, hertz), WANTED)
        nominal: Samples = {
            i.name: np.array([c[k].ends[1] for c in cases]) for k, i in enumerate(self.inputs)
        }
        levels, hisses = self._levels(nominal), self._noise(nominal)
        for k, ((member, values), found) in enumerate(zip(chosen, estimates, strict=True)):
            link = self.link_of(member, values)
            there = [0, *(1 + at for at in self._there(member)[:-1]), len(self.stages) + 1]
            ladder = tuple(float(levels[k, at]) for at in there)
            yield Candidate(member, link, found, ladder, float(hisses[k]))

    def _there(self, member: Member) -> list[int]:
        """Places of the family's networks that a member has."""
        absent = Counter(int(p.split(".")[0]) + self.shift for p in member.absent)
        return [s.at for s in self.stages if absent[s.at] < max(len(s.shape.bought()), 1)]

    def _case(self, member: Member, values: Mapping[str, float]) -> list[Input]:
        """The inputs of one candidate: its own parts at their values with their tolerance, absent ones without."""
        link = self.link
        for part, value in values.items():
            at, name = part.split(".")
            link = with_part(link, int(at), name, value, self._tolerance(part))
        own = {i.name: i for k in range(len(link.sections)) for i in section_inputs(link, k)}
        for part, value in member.absent.items():
            name = self._parameter(self._place(part))
            known = own[name].known
            assert known is not None
            own[name] = replace(own[name], known=replace(known, nominal=value, low=value, high=value))
        return [own.get(i.name, i) for i in self.inputs]

    def _levels(self, nominal: Samples) -> Array:
        """Levels [dBV] of candidates [N, 2 + networks]: at the output pin, behind each network, at the input."""
        found = self.net.small(self.net.deck_samples(nominal, **self.drives)).ac([1000.0])
        pairs = [
            (self.net.node(self.source), self.net.reference(self.source)),
            *((s.behind, told_against(self.link, s, self.back)) for s in self.stages),
            (self.out, self.back),
        ]
        return np.array([_db(np.abs(found.v(*pair))[:, 0]) for pair in pairs]).T

    def _noise(self, nominal: Samples) -> Array:
        """Noise [V rms, 20 Hz to 20 kHz] that stands at the input, of all resistors and of an op-amp if there is one."""
        batch = self.net.small(self.net.deck_samples(nominal, **self.drives))
        heard = noise_of(batch, NOISE_HZ, self.heard, against=self.heard_back)
        return np.asarray(heard.output_total)

    def telling(self, member: Member) -> frozenset[str]:
        """Names of the inputs of the rest of the job that move anything judged, by a candidate of this family."""
        own = {subjects.terminal(self.sink), *(s.subject for s in self.stages)}
        others = [i for i in self.inputs if i.subject not in own]
        (case,) = [self._case(member, {})]
        nominal = {i.name: i.ends[1] for i in case}
        samples: Samples = {name: np.full(1 + 2 * len(others), value) for name, value in nominal.items()}
        for k, i in enumerate(others):
            low, _, high = i.ends
            samples[i.name][1 + 2 * k] = low if low < high else low * 0.9 - 1e-12
            samples[i.name][2 + 2 * k] = high if low < high else high * 1.1 + 1e-12
        found = self._solve(samples, judged_hertz())
        moved = np.zeros(1 + 2 * len(others), dtype=bool)
        for values in found.values():
            moved |= ~(np.abs(values - values[0]) <= IMMATERIAL * max(abs(values[0]), 1e-3))
        return frozenset(i.name for k, i in enumerate(others) if moved[1 + 2 * k] or moved[2 + 2 * k])


def _thinned(runs: dict[str, tuple[float, ...]]) -> dict[str, tuple[float, ...]]:
    """The runs with every other value left out of the longest, again and again, until their combinations are not too many; the
    last one, which sets the level, stays whole."""
    runs = dict(runs)
    while math.prod(map(len, runs.values())) > MOST:
        part = max(list(runs)[:-1], key=lambda p: len(runs[p]), default="")
        if not part or len(runs[part]) < 3:
            break
        runs[part] = runs[part][::2]
    return runs


WANTED = {
    "target": Wanted("dB", tr("delivered minus wanted")),
    "headroom": Wanted("dB", tr("the headroom to overload")),
    "load": Wanted("Ω", tr("what the network loads the source with")),
    "offset": Wanted("V", tr("the DC forced on the input")),
    **{k: Wanted("dB", tr("the response")) for k in ("bass", "bass_good", "treble", "treble_good")},
    "peak": Wanted("dB", tr("the hump in the response")),
    "output": Wanted("Ω", tr("what the input is driven from")),
}
#: Where a hump is looked for besides the frequencies that are judged [Hz].
HUMP_HZ = [2.0, 3.0, 4.5, 6.0, 8.0, 12.0, 17.0, 25.0, 60.0, 10e3, 18e3]


def judged_hertz() -> list[float]:
    """The frequencies that are judged: where the bass may be down and where it must be whole, 1 kHz, the treble alike.

    In [Hz].
    """
    (low_good, low_watch), (high_good, high_watch) = (
        judgements()[code].limits for code in ("level.bass", "level.treble")
    )
    return [low_watch, low_good, 1000.0, high_watch, high_good]


def sum_section(job: Job, sources: Sequence[str]) -> str:
    """The network that holds two outputs apart: for the ways of a crossover, or for two channels."""
    from pigtail.job.document import Way

    ways = any(getattr(job.terminal(a), "way", Way.FULL) is not Way.FULL for a in sources)
    return table().sum.sections["ways" if ways else "plain"]


def _db(volts: Array) -> Array:
    return np.asarray(20 * np.log10(np.maximum(volts, 1e-12)))
