"""What each study found, as the views, the sheet and the command line read it. Free of numerical packages."""

from __future__ import annotations

import msgspec

from pigtail.job.edits import Edit
from pigtail.job.model import Job, Link
from pigtail.studies.estimate import Estimate
from pigtail.studies.findings import Finding, Measure, Severity, Study
from pigtail.studies.protocol import Check


class SurveyStudy(Study, frozen=True):
    """Findings about the host; `job` is the job with the readings that outrank its documents."""

    job: Job | None = None


class Mark(msgspec.Struct, frozen=True):
    """One criterion of a candidate: its weight, 0 to 1 or None where nothing is known, and why."""

    key: str
    words: str
    weight: float
    value: float | None
    text: str


class Candidate(msgspec.Struct, frozen=True):
    """A point that could serve a want: its score from low to high [0 to 1], its marks, why it is a wrong choice
    (code, severity, sentence), what would confirm it, whether the plan uses it."""

    address: str
    low: float
    high: float
    marks: tuple[Mark, ...]
    wrong: tuple[tuple[str, Severity, str], ...]
    asks: tuple[Check, ...]
    used: bool


class WantDetail(msgspec.Struct, frozen=True):
    """What the Taps station shows of one want: its candidates, the best first; whether the plan wants it."""

    key: str
    words: str
    candidates: tuple[Candidate, ...]
    planned: bool


class TapsStudy(Study, frozen=True):
    """Findings about the points that are used, and the candidates of every want."""

    wants: tuple[WantDetail, ...] = ()


class Rung(msgspec.Struct, frozen=True):
    """One rung of the ladder from the e.m.f. to the input: its words, its level, and the level at which it overloads."""

    words: str
    level: Estimate
    ceiling: Estimate | None = None


class FeedDetail(msgspec.Struct, frozen=True):
    """What the Level station paints of one feed: ladder, response, the limits and the noise [dBV] beside them; the feed of
    the other channel, if there is one."""

    link: str
    sources: tuple[str, ...]
    sink: str
    rungs: tuple[Rung, ...]
    wanted: Estimate
    overload: Estimate
    curve_hz: tuple[float, ...]
    curve_db: tuple[float, ...]
    numbers: dict[str, Estimate]
    noise: Estimate | None = None
    twin: str = ""


class LevelStudy(Study, frozen=True):
    """Numbers `level.…`, findings, and a detail for each feed."""

    feeds: tuple[FeedDetail, ...] = ()


class Side(msgspec.Struct, frozen=True):
    """One way of doing it, solved: what it is called, what it comes to (words and text), the edit that makes it."""

    label: str
    figures: tuple[tuple[str, str], ...]
    edit: Edit | None = None


class Contest(msgspec.Struct, frozen=True):
    """Two ways side by side, which of them we take (0 or 1), and why."""

    question: str
    sides: tuple[Side, Side]
    pick: int
    why: str


class SupplyDetail(msgspec.Struct, frozen=True):
    """What the Power station paints of one supply: the rail, the converter and the pin."""

    link: str
    module: str
    rail: str
    supply: str
    converter: str
    numbers: dict[str, Estimate]


class StateRow(msgspec.Struct, frozen=True):
    """One host state: whether the rail is alive and the module powered in it."""

    state: str
    name: str
    powered: bool


class PowerStudy(Study, frozen=True):
    """Numbers `power.…`, findings, a detail for each supply and the state table."""

    supplies: tuple[SupplyDetail, ...] = ()
    states: tuple[StateRow, ...] = ()


class Branch(msgspec.Struct, frozen=True):
    """One conductor of the return network in a burst: its ends, resistance [Ω], current [A] and drop [V]."""

    words: str
    start: str
    end: str
    link: str
    resistance: float
    current: float
    drop: float


class ReturnsDetail(msgspec.Struct, frozen=True):
    """What the Returns station paints: the branches and the burst current."""

    burst_a: float
    branches: tuple[Branch, ...]
    victim: str
    loops: bool


class ReturnsStudy(Study, frozen=True):
    """Numbers `returns.…`, findings and the detail of the worst feed."""

    detail: ReturnsDetail | None = None


class Wire(msgspec.Struct, frozen=True):
    """One wire of the loom: what it joins, colour, gauge [AWG], length to cut [m] or None, and whether screened."""

    link: str
    port: str
    function: str
    start: str
    end: str
    colour: str
    gauge: int
    length: float | None
    screened: bool
    route: str


class PartLine(msgspec.Struct, frozen=True):
    """One line of the parts list."""

    reference: str
    words: str
    value: str
    note: str
    link: str


class LoomStudy(Study, frozen=True):
    """The loom and the parts list with the findings about them."""

    wires: tuple[Wire, ...] = ()
    parts: tuple[PartLine, ...] = ()


class Studies(msgspec.Struct, frozen=True):
    """What all studies found of one job; `asked` is what to measure next, put in by those who advise."""

    survey: SurveyStudy
    taps: TapsStudy
    level: LevelStudy
    power: PowerStudy
    returns: ReturnsStudy
    build: LoomStudy
    asked: tuple[Measure, ...] = ()

    def each(self) -> tuple[Study, ...]:
        """The studies in working order."""
        return (self.survey, self.taps, self.level, self.power, self.returns, self.build)

    @property
    def findings(self) -> tuple[Finding, ...]:
        """All findings in working order."""
        return tuple(f for s in self.each() for f in s.findings)

    @property
    def numbers(self) -> dict[str, Estimate]:
        """All numbers by their stable name."""
        return {k: v for s in self.each() for k, v in s.numbers.items()}

    @property
    def verdicts(self) -> dict[str, Severity]:
        """Worst severity of each study."""
        return {s.name: s.verdict for s in self.each()}


class Option(msgspec.Struct, frozen=True):
    """A network that fits a feed: the link as it would be, in words, its worst severity, how far off the level may be
    [dB], its numbers, its thermal noise at the input [V rms], parts to buy, its catch, what could not be told of it.

    ladder: its rungs by their words [dBV]; cost: roughly, a resistor being 0.1; host_joints: joints to be undone at the
    host; missing: parts that are not in stock; pareto: no other option is as good in every respect and better in one.
    """

    link: Link
    words: str
    severity: Severity
    off_db: float
    target: Estimate
    headroom: Estimate
    offset: Estimate
    load: Estimate
    noise_v: float
    parts: int
    catch: str
    unknown: tuple[str, ...] = ()
    pareto: bool = False
    ladder: tuple[tuple[str, float], ...] = ()
    cost: float = 0.0
    host_joints: int = 0
    missing: int = 0


class Search(msgspec.Struct, frozen=True):
    """What a search for a feed found: options, the best first; how many were solved; why there is none."""

    link: str
    options: tuple[Option, ...]
    solved: int
    trouble: str = ""


class School(msgspec.Struct, frozen=True):
    """One way to arrange the returns, solved for the job in hand: the buzz it leaves, the edit that makes it, and
    what it does in a sentence."""

    label: str
    buzz: Estimate
    edit: Edit | None
    why: str = ""
