"""What stands against the wires of a plan: lengths that nobody knows, colours of two meanings, wires that a swap would fry, screens that
make a second way back, joints that a shake breaks, wires that may not run together."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

from pigtail.catalogue.fittings import shaken
from pigtail.catalogue.topologies import Does, does
from pigtail.job.build import BOARD, Relief, ScreenAt
from pigtail.job.document import HOST, AudioIn, AudioOut, Job, Purpose, Rail, SupplyIn, WindingEnd
from pigtail.job.places import Pad
from pigtail.language import tr
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.loom.found import LoomWire
from pigtail.studies.wording import listed, tell

#: Pads that take thin wire only, and the gauge [AWG] from which on it is thin. Common practice: enamelled wire for small pads.
TINY = (Pad.VIA, Pad.SMD_0805, Pad.SMD_0603, Pad.SMD_0402, Pad.CHIP_LEG)
PAD_AWG = 28
#: Up to this a wire lies at hand between a network and its terminal, and is cut as it comes [m].
AT_HAND_M = 0.12
#: What a wire carries, as one meaning: all returns are one.
_RETURNS = ("return", "return of the network", "supply negative")


def judge_wires(job: Job, wires: tuple[LoomWire, ...]) -> list[Finding]:
    """The findings about the wires, none for a loom that can be made as it is."""
    return [
        *_left_out(job),
        *_swaps(wires),
        *_screens(wires),
        *_shaken(job, wires),
        *(tell("build.length_unknown", w.link, {"start": w.start}) for w in wires if w.length is None),
        *_together(job, wires),
        *_colours(wires),
        *_twists(wires),
        *_heavy(job, wires),
        *_guessed(wires),
    ]


def _left_out(job: Job) -> Iterator[Finding]:
    """Modules of the job that the plan leaves out, or to which no signal goes."""
    joined = {j.terminal.partition(".")[0] for x in job.links for j in x.joins}
    fed = {j.terminal.partition(".")[0] for x in job.links if x.purpose is Purpose.FEED for j in x.joins}
    for module in job.modules:
        words = {"name": module.name, "Name": module.name[:1].upper() + module.name[1:]}
        if module.id not in joined:
            yield tell("build.left_out", module.id, words)
        elif module.id not in fed and any(isinstance(t, AudioIn | AudioOut) for t in module.terminals):
            yield tell("build.silent", module.id, words)


def meaning(wire: LoomWire) -> str:
    """What the colour of a wire stands for: all returns mean one."""
    return "return" if wire.function in _RETURNS else wire.function


def _colours(wires: tuple[LoomWire, ...]) -> Iterator[Finding]:
    meanings: dict[str, set[str]] = {}
    for wire in wires:
        if wire.length != 0:
            meanings.setdefault(wire.colour, set()).add(meaning(wire))
    for colour, functions in meanings.items():
        if len(functions) > 1:
            words = {"Colour": colour.capitalize(), "functions": listed(sorted(functions))}
            yield tell("build.colour_clash", colour, words)


def _live(wire: LoomWire) -> str:
    """What burns when a wire is put where another belongs: a supply's plus, an end of a winding, a speaker's; empty for what burns
    nothing."""
    if wire.function in ("supply, at the pin", "supply, from the rail", "AC from the winding", "speaker"):
        return wire.function
    return ""


def alike_pairs(wires: tuple[LoomWire, ...]) -> Iterator[tuple[LoomWire, LoomWire]]:
    """Pairs of wires alike to the eye that end on one device, of which one carries what burns what the other belongs to."""
    for a, b in combinations([w for w in wires if w.length != 0], 2):
        if _look(a) != _look(b) or not _devices(a) & _devices(b):
            continue
        if (_live(a) or _live(b)) and (meaning(a) != meaning(b) or _other_supply(a, b)):
            yield a, b


def _swaps(wires: tuple[LoomWire, ...]) -> Iterator[Finding]:
    for a, b in alike_pairs(wires):
        words = {
            "first": str(a.number), "second": str(b.number), "carries": a.function, "other": b.function, "colour": a.colour,
        }  # fmt: skip
        yield tell("build.swap", a.link, words)


def _other_supply(a: LoomWire, b: LoomWire) -> bool:
    """Whether two wires of one meaning carry different supplies: another rail, another pin."""
    return a.function.startswith("supply,") and a.a != b.a and a.link != b.link


def _look(wire: LoomWire) -> tuple[str, bool]:
    """What the eye tells two wires apart by; gauges it does not."""
    return wire.colour, wire.screened


def _devices(wire: LoomWire) -> set[str]:
    """What a wire ends on: devices, and the board of the networks."""
    return {x.partition(".")[0] for x in (wire.a, wire.b) if x} | ({BOARD} if not wire.b else set())


def _screens(wires: tuple[LoomWire, ...]) -> Iterator[Finding]:
    for w in wires:
        words = {"number": str(w.number), "start": w.start}
        if w.screened and w.screen is ScreenAt.BOTH:
            yield tell("build.screen_both", w.link, words)
        elif w.screened and w.screen is ScreenAt.NEITHER:
            yield tell("build.screen_neither", w.link, words)


def _shaken(job: Job, wires: tuple[LoomWire, ...]) -> Iterator[Finding]:
    """Fine joints that nothing holds: in a box that a speaker shakes they break."""
    shakes = shaken(job)
    for w in wires:
        if w.fine and w.relief is Relief.NONE:
            words = {"number": str(w.number), "start": w.start}
            yield tell("build.shaken" if shakes else "build.no_relief", w.link, words)


def _noisy(job: Job, wire: LoomWire) -> str:
    """Why a wire may not lie beside a signal: it carries what is heard when it couples over; empty for one that may."""
    ends = [job.terminal(x) for x in (wire.a, wire.b) if x]
    if any(isinstance(t, WindingEnd) for t in ends):
        return tr("charging current of the rectifier")
    if wire.function == "speaker":
        return tr("the loudspeaker's current")
    link = job.link(wire.link)
    if (
        link is not None
        and any(does(s, Does.CHOPS) for s in link.sections)
        and isinstance(ends[0], Rail | SupplyIn)
    ):
        return tr("the converter's switching")
    return ""


def beside_noise(job: Job, wires: tuple[LoomWire, ...]) -> Iterator[tuple[LoomWire, LoomWire, str]]:
    """Signals without a screen on the route of what disturbs them, with that and why it does."""
    routes: dict[str, list[LoomWire]] = {}
    for w in wires:
        if w.route.strip():
            routes.setdefault(w.route.strip().lower(), []).append(w)
    for group in routes.values():
        noisy = [(w, what) for w in group if (what := _noisy(job, w))]
        for w in group if noisy else ():
            if w.function.startswith("signal") and not w.screened:
                yield w, *noisy[0]


def _together(job: Job, wires: tuple[LoomWire, ...]) -> Iterator[Finding]:
    for w, loud, what in beside_noise(job, wires):
        words = {
            "number": str(w.number),
            "other": str(loud.number),
            "route": w.route.strip(),
            "what": what,
        }
        yield tell("build.together", w.link, words)


def _twists(wires: tuple[LoomWire, ...]) -> Iterator[Finding]:
    """A twist of one wire is none; a signal in a twist with a supply takes its noise up."""
    groups: dict[str, list[LoomWire]] = {}
    for w in wires:
        if w.twist.strip():
            groups.setdefault(w.twist.strip().lower(), []).append(w)
    for group in groups.values():
        words = {"number": str(group[0].number), "twist": group[0].twist}
        signals = [w for w in group if w.function.startswith("signal")]
        if len(group) == 1:
            yield tell("build.twist_alone", group[0].link, words)
        elif signals and any(w.function.startswith(("supply,", "AC", "speaker")) for w in group):
            yield tell("build.twist_mixed", group[0].link, words, severity=Severity.FIX)


def heavy_on_pads(job: Job, wires: tuple[LoomWire, ...]) -> Iterator[LoomWire]:
    """Wires too stiff for the host's pad that they are soldered to: a pull turns them, and the pad comes off."""
    for w in wires:
        ends = [job.terminal(x) for x in (w.a, w.b) if x.startswith(f"{HOST}.")]
        if w.gauge < PAD_AWG and w.length != 0 and any(t is not None and t.place.pad in TINY for t in ends):
            yield w


def _heavy(job: Job, wires: tuple[LoomWire, ...]) -> Iterator[Finding]:
    for w in heavy_on_pads(job, wires):
        yield tell("build.heavy", w.link, {"number": str(w.number), "gauge": str(w.gauge), "start": w.start})


def _guessed(wires: tuple[LoomWire, ...]) -> Iterator[Finding]:
    """Lengths that the plan guessed: cut to them, a wire is too short or lies about."""
    found = [str(w.number) for w in wires if w.guessed and w.length is not None and w.length > AT_HAND_M]
    if found:
        yield tell("build.length_guessed", "", {"numbers": listed(found)})
