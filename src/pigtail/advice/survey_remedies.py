"""Remedies for what the meter found otherwise than the papers: sides and ways exchanged, states as they were read."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from pigtail.edits.change import Edit
from pigtail.edits.host import set_point
from pigtail.edits.joining import exchanged
from pigtail.job.document import HOST, AudioOut, Function, Job, Rail, Way
from pigtail.job.measured import Measured
from pigtail.job.readings import plain, standing
from pigtail.job.wiring import twin
from pigtail.language import tr
from pigtail.studies.findings import Finding
from pigtail.studies.survey.playing import SILENT_V

Fix = tuple[str, Edit, str]
#: What the wires then do.
FOLLOWS = tr("The feeds go to where each side really is.")


def survey_fixes(job: Job, finding: Finding) -> Iterator[Fix]:
    """Edits worth trying for a finding about a reading: label, edit, why."""
    for codes, fixes in _FIXES:
        if finding.code in codes:
            yield from fixes(job, finding.subject)


def _sides(job: Job, address: str) -> Iterator[Fix]:
    other = twin(job, address)
    if other:
        yield _exchange(job, address, other, "channel")


def _exchange(job: Job, address: str, other: str, field: str) -> Fix:
    first, second = sorted((address, other), key=job.addresses().index)
    label = tr("exchange {first} and {second}", first=job.label(first), second=job.label(second))
    return label, partial(exchanged, address=first, other=second, field=field), FOLLOWS


def _ways(job: Job, address: str) -> Iterator[Fix]:
    terminal = job.terminal(address)
    if not isinstance(terminal, AudioOut) or terminal.way is Way.FULL:
        return
    for t in job.host.terminals:
        if (
            isinstance(t, AudioOut)
            and t.way not in (Way.FULL, terminal.way)
            and t.channel is terminal.channel
        ):
            yield _exchange(job, address, f"{HOST}.{t.id}", "way")
            return


def _states(job: Job, address: str) -> Iterator[Fix]:
    """The states in which a rail was found alive, or an output not silent."""
    terminal = job.terminal(address)
    real = Measured(job).job.terminal(address)
    if isinstance(terminal, Rail) and isinstance(real, Rail) and real.states != terminal.states:
        states = real.states
    elif isinstance(terminal, AudioOut):
        silent = {
            r.state
            for r in standing(job, address, Function.AC_VOLTS)
            if r.drive and plain(r) and r.value.nominal < SILENT_V
        }
        known = terminal.states or tuple(s.id for s in job.live_states())
        states = tuple(s for s in known if s not in silent)
    else:
        return
    names = [s.name for s in job.host.states if s.id in states]
    if states and names:
        label = tr(
            "note that {address} is there while “{listed}” only",
            address=job.label(address),
            listed="”, “".join(names),
        )
        yield (
            label,
            partial(set_point, address=address, states=states),
            tr("What the plan needs of it is judged by that."),
        )


_FIXES: tuple[tuple[tuple[str, ...], Callable[[Job, str], Iterator[Fix]]], ...] = (
    (("survey.sides_swapped", "survey.swapped"), _sides),
    (("survey.ways_swapped",), _ways),
    (("survey.muted_here", "survey.rail_not_there", "survey.rail_stays"), _states),
)
