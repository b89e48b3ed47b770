"""What searches and comparisons found, as views and the command line read it. Free of numerical packages."""

from __future__ import annotations

import msgspec

from pigtail.edits.change import Edit
from pigtail.job.document import Link
from pigtail.model.estimate import Estimate
from pigtail.studies.findings import Severity


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


class Option(msgspec.Struct, frozen=True):
    """A network that fits a feed: the link as it would be, in words, its worst severity, how far off the level may be
    [dB], its numbers, its thermal noise at the input [V rms], parts to buy, its catch, what could not be told of it.

    ladder: its rungs by their words [dBV]; cost: roughly, a resistor being 0.1; host_joints: joints to be undone at the host; lacks:
    parts that are not in stock, in words; actives: stages that need a supply; split: one of them needs a supply with a middle of
    its own; easy: it loads its source with 2 kΩ or more and drives the input from 20 kΩ or less; unusual: parts of a finer series than
    E12; doubtful: it leaves a bias that nobody knows unblocked; fits: its level is good over the whole spread and is to match no other;
    near_db: how far its nominal level is off [dB]; pareto: no other option is as good in every respect and better in one.
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
    lacks: tuple[str, ...] = ()
    actives: int = 0
    split: bool = False
    easy: bool = True
    unusual: int = 0
    doubtful: bool = False
    fits: bool = False
    near_db: float = 0.0

    @property
    def missing(self) -> int:
        """How many of its parts are not in stock. A count [1]."""
        return len(self.lacks)


class SearchFound(msgspec.Struct, frozen=True):
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


class Supplied(msgspec.Struct, frozen=True):
    """A way to supply a module that fits: the link as it would be, where it comes from, the networks in words, the edit that makes it;
    its worst severity; heat of all that converts [W], the hottest junction, the room above dropout, the volts in a burst, the ripple on
    its reservoir [V], the buzz it leaves; the states in which the host is off or waiting and the module is up; parts, rough cost (a
    resistor being 0.1), joints at the host, parts that are not in stock; its catch; what cannot be told of it."""

    link: Link
    source: str
    words: str
    severity: Severity
    edit: Edit
    heat_w: float
    hottest: Estimate | None
    dropout: Estimate | None
    volts: Estimate
    ripple_v: float
    buzz: Estimate | None
    idle: tuple[str, ...]
    parts: int
    cost: float
    host_joints: int
    lacks: tuple[str, ...]
    catch: str
    unknown: tuple[str, ...] = ()
    pareto: bool = False

    @property
    def noise_db(self) -> float:
        """The buzz it leaves, nought where none is known [dB]."""
        return self.buzz.high if self.buzz is not None and self.buzz.value is not None else 0.0


class SuppliesFound(msgspec.Struct, frozen=True):
    """What a search for the supply of a pin found: options, the best first; how many were solved; why there is none."""

    pin: str
    options: tuple[Supplied, ...]
    solved: int
    trouble: str = ""


class Controlled(msgspec.Struct, frozen=True):
    """A way to wake a module, to mute an output or to show a line: in words, the line that works it, the edit that makes it, its worst
    severity; the most that it takes from that line [A], what the rail gives while it is off [A], the volts lost in it; parts, rough cost,
    joints at the host, parts that are not in stock; its catch; what cannot be told of it."""

    words: str
    line: str
    link: Link
    severity: Severity
    edit: Edit
    stolen_a: float
    drain_a: float
    lost_v: float
    parts: int
    cost: float
    host_joints: int
    lacks: tuple[str, ...]
    catch: str
    unknown: tuple[str, ...] = ()
    pareto: bool = False


class ControlsFound(msgspec.Struct, frozen=True):
    """What a search for the control of something found: options, the best first; how many were solved; why there is none; the states that
    nothing surveyed tells apart, and what to measure."""

    of: str
    options: tuple[Controlled, ...]
    solved: int
    trouble: str = ""
