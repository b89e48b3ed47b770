"""Where modders disagree about a supply: both ways solved for the job in hand, side by side, with our pick and its reason.

Linear or switching; the host's supply or an adapter of its own; one ground or a converter whose two sides are separate; one diode with a
large reservoir or a doubler; a rail that goes off with the host or one that is always there.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import NamedTuple

from pigtail.advice.found import Contest, Side
from pigtail.catalogue.kinds import adapter_kinds
from pigtail.catalogue.topologies import Does, does, topology
from pigtail.circuit import CircuitError
from pigtail.edits.change import Edit
from pigtail.edits.plan import own_adapter, put_supply
from pigtail.edits.usual import rails
from pigtail.job.document import Job, Link, Mode, Rail
from pigtail.job.energy import Earthed
from pigtail.job.errors import JobError
from pigtail.job.windings import winding_of
from pigtail.job.wiring import rail_of, supply_links
from pigtail.language import tr
from pigtail.model.estimate import Estimate
from pigtail.model.model import Model
from pigtail.studies.findings import ORDER, Finding, Severity
from pigtail.studies.power.study import study_power
from pigtail.studies.returns.study import study_returns
from pigtail.units import format_quantity

#: Up to this much heat a linear regulator is taken for its quiet [W]; by so much less buzz a separate converter is worth its price [dB].
WARM_W, WORTH_DB = 0.6, 6.0
#: The reservoir of one diode, and that of a doubler [F].
LARGE_F, DOUBLER_F = 4700e-6, 2200e-6
LINEAR, SWITCHING = ("linear_cooled", "ldo"), ("buck",)


class _SolvedWay(NamedTuple):
    """One way, solved: its label, the edit that makes it (None: as it is), its numbers, what is worst of it, its buzz, states in which it
    stays on for nothing."""

    label: str
    edit: Edit | None
    numbers: dict[str, Estimate]
    worst: Finding | None
    buzz: Estimate | None
    idle: tuple[str, ...]

    @property
    def severity(self) -> Severity:
        return self.worst.severity if self.worst is not None else Severity.GOOD

    def value(self, name: str) -> float:
        found = self.numbers.get(f"power.{name}")
        return found.value if found is not None and found.value is not None else 0.0

    @property
    def heat(self) -> float:
        """All that becomes heat [W]."""
        return self.value("regulator_w") + self.value("diodes_w")

    def side(self) -> Side:
        volts = self.numbers.get("power.module_v_burst")
        ripple = (
            f"{format_quantity(self.value('ripple_v'), 'V', 2)}" if "power.ripple_v" in self.numbers else "–"
        )
        figures = (
            ("verdict", self.severity.value),
            (tr("in a burst"), volts.short() if volts is not None else "?"),
            ("heat", format_quantity(self.heat, "W", 2)),
            ("ripple", ripple),
            ("buzz", self.buzz.short() if self.buzz is not None else "–"),
            (tr("on while off"), "yes" if self.idle else "no"),
        )
        return Side(self.label, figures, self.edit)


def supply_contests(job: Job, pin: str) -> tuple[Contest, ...]:
    """What is argued about a supply, solved; none for a pin that is not supplied yet."""
    link = next(iter(supply_links(job, pin)), None)
    if link is None:
        return ()
    now = _solved(job, pin, tr("as it is"), None)
    if now is None:
        return ()
    found: list[Contest] = []
    for contest in (_switching, _own, _apart, _pumped, _switched):
        try:
            found += list(contest(job, link, pin, now))
        except (JobError, CircuitError):
            continue
    return tuple(found)


def _solved(job: Job, pin: str, label: str, edit: Edit | None) -> _SolvedWay | None:
    try:
        model = Model.of(edit(job) if edit is not None else job)
        power = study_power(model)
        buzz = study_returns(model).numbers.get("returns.buzz_db")
        idle = tuple(
            s.name
            for s in model.job.host.states
            if s.kind in (Mode.OFF, Mode.STANDBY) and model.powered(s.id, pin)
        )
    except (CircuitError, JobError):
        return None
    worst = power.findings[0] if power.findings and power.findings[0].severity is not Severity.GOOD else None
    return _SolvedWay(label, edit, power.numbers, worst, buzz, idle)


def _keys(link: Link) -> tuple[str, ...]:
    return tuple(s.topology for s in link.sections)


def _with(link: Link, converter: str) -> tuple[str, ...]:
    """The networks of a link with another converter in the place of what converts, or straight."""
    kept = [s.topology for s in link.sections if not does(s, Does.CONVERTS, Does.CONDUCTS)]
    rectifiers = [k for k in kept if Does.RECTIFIES in topology(k).does]
    return (*rectifiers, converter, *(k for k in kept if k not in rectifiers))


def _source(job: Job, link: Link) -> str:
    winding = winding_of(job, link)
    return winding.id if winding is not None else rail_of(job, link)


def _way(
    job: Job, pin: str, label: str, source: str, keys: tuple[str, ...], farads: float | None = None
) -> _SolvedWay | None:
    return _solved(job, pin, label, partial(put_supply, pin=pin, source=source, keys=keys, reservoir=farads))


def _contest(
    question: str,
    a: _SolvedWay,
    b: _SolvedWay,
    pick: Callable[[_SolvedWay, _SolvedWay], bool],
    why: tuple[str, str],
) -> Contest:
    """A contest: one that is worse by its verdict is never our pick; else the second where `pick` says so."""
    one, other = (ORDER[::-1].index(x.severity) for x in (a, b))
    second = other < one or (other == one and pick(a, b))
    reason = (
        why[second]
        if one == other
        else tr("the other is {severity}", severity=tr((a if second else b).severity.value))
    )
    return Contest(question, (a.side(), b.side()), int(second), reason)


def _switching(job: Job, link: Link, pin: str, now: _SolvedWay) -> Iterator[Contest]:
    """A linear regulator, or a converter that chops."""
    chops = any(does(s, Does.CHOPS) for s in link.sections)
    source = _source(job, link)
    tried = (
        _way(job, pin, topology(k).title.partition(",")[0], source, _with(link, k))
        for k in (LINEAR if chops else SWITCHING)
    )
    others = [w for w in tried if w is not None]
    if not others or not any(does(s, Does.CONVERTS) for s in link.sections):
        return
    other = min(others, key=lambda w: (ORDER[::-1].index(w.severity), w.heat))
    linear, switching = (other, now) if chops else (now, other)
    yield _contest(
        tr("Linear or switching?"), linear, switching, lambda a, b: a.heat > WARM_W,
        (tr("it stays cool enough and switches nothing"), tr("the linear one burns {heat}", heat=format_quantity(linear.heat, 'W', 2))),
    )  # fmt: skip


def _own(job: Job, link: Link, pin: str, now: _SolvedWay) -> Iterator[Contest]:
    """The host's supply, or an adapter of its own."""
    for kind in adapter_kinds():
        other = _solved(job, pin, kind.summary, partial(own_adapter, link_id=link.id, key=kind.key))
        if other is not None and not rail_of(job, link).startswith("adapter"):
            yield _contest(
                tr("The host's supply or one of its own?"), now, other, lambda a, b: False,
                (tr("it goes on and off with the host, and there is no second plug"), tr("the host has nothing to spare")),
            )  # fmt: skip


def _apart(job: Job, link: Link, pin: str, now: _SolvedWay) -> Iterator[Contest]:
    """One ground, or a converter whose two sides are separate."""
    if any(does(s, Does.SEPARATES) for s in link.sections):
        return
    source = _source(job, link)
    keys = ("bridge", "isolated_wide") if winding_of(job, link) is not None else ("isolated_wide",)
    others = [_way(job, pin, tr("isolated converter"), source, keys)]
    if winding_of(job, link) is None:
        others.append(_way(job, pin, tr("isolated converter"), source, ("isolated",)))
    found = [w for w in others if w is not None]
    if not found:
        return
    other = min(found, key=lambda w: ORDER[::-1].index(w.severity))

    def quieter(a: _SolvedWay, b: _SolvedWay) -> bool:
        return bool(
            a.buzz
            and b.buzz
            and a.buzz.value is not None
            and b.buzz.value is not None
            and a.buzz.value - b.buzz.value > WORTH_DB
            and a.buzz.value > -75
        )

    yield _contest(
        tr("One ground or separate?"), now, other, quieter,
        (tr("its bursts are quiet enough: nothing more to buy"), tr("only one return is left, and the bursts go home by themselves")),
    )  # fmt: skip


def _pumped(job: Job, link: Link, pin: str, now: _SolvedWay) -> Iterator[Contest]:
    """On a winding with an end on the ground: one diode with a large reservoir, or a doubler."""
    winding = winding_of(job, link)
    if winding is None or winding.earthed in (Earthed.NONE, Earthed.TAP, Earthed.UNKNOWN):
        return
    half = _way(
        job, pin, tr("one diode, large reservoir"), winding.id, ("half_wave_schottky", "ldo"), LARGE_F
    )
    pumped = _way(job, pin, tr("doubler and buck"), winding.id, ("doubler", "buck"), DOUBLER_F)
    if half is not None and pumped is not None:
        yield _contest(
            tr("One diode or a doubler?"), half, pumped, lambda a, b: False,
            (tr("it has room enough with fewer parts, and switches nothing"), tr("one diode leaves too few volts at low mains")),
        )  # fmt: skip


def _switched(job: Job, link: Link, pin: str, now: _SolvedWay) -> Iterator[Contest]:
    """A rail that goes off with the host, or one that is always there."""
    here = rail_of(job, link)
    if not here or not isinstance(job.terminal(here), Rail):
        return
    for rail in rails(job, pin):
        if rail == here:
            continue
        other = _way(job, pin, job.label(rail), rail, _keys(link))
        if other is None or bool(other.idle) == bool(now.idle):
            continue
        permanent, switched = (now, other) if now.idle else (other, now)
        yield _contest(
            tr("A rail that is always there or one that goes off?"), permanent, switched, lambda a, b: True,
            (tr("the other has too little"), tr("the module sleeps with the host and draws nothing then")),
        )  # fmt: skip
        return
