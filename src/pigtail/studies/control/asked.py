"""What all columns of the table of states share: the scene, and what a column asks of a moment and judges."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pigtail.circuit import Solution
from pigtail.job.control import OFF, PLAYING, UNPLUGGED, WantedOf
from pigtail.job.document import Job, Mode, Module
from pigtail.language import tr
from pigtail.model.estimate import Estimate, Wanted
from pigtail.model.model import Model
from pigtail.model.netlist import Netlist
from pigtail.model.spread import Samples
from pigtail.studies.control.found import Column, ColumnKind, StateCell
from pigtail.studies.control.meant import StateMoment, wish
from pigtail.studies.findings import ORDER, Finding, Severity, worst

Array = NDArray[np.float64]
Numbers = Mapping[str, Estimate]


#: What is less than this is told as nought [V, A].
NOUGHT_V, NOUGHT_A = 1e-3, 1e-8


def shown(estimate: Estimate) -> str:
    """A number as a cell has it: what only leaks is nought."""
    least = {"V": NOUGHT_V, "A": NOUGHT_A}.get(estimate.unit, 0.0)
    if estimate.value is not None and abs(estimate.value) < least:
        return f"0 {estimate.unit}"
    return estimate.short()


class Judged(NamedTuple):
    """A cell, and the findings that it rests on."""

    cell: StateCell
    findings: tuple[Finding, ...]


class Scene(NamedTuple):
    """What all columns share: the model, the netlist with the diodes of pins, and its moments."""

    model: Model
    net: Netlist
    moments: tuple[StateMoment, ...]

    @property
    def job(self) -> Job:
        """The job as it was measured."""
        return self.model.job

    def when(self, moment: StateMoment) -> str:
        """When a moment is, in words that follow a sentence."""
        state, module = self.job.state(moment.state), self.job.device(moment.module)
        where = tr(" while “{state}”", state=state.name) if state is not None else ""
        if moment.doing == UNPLUGGED and module is not None:
            return tr("{where} with the plug of {module} off", where=where, module=module.name)
        told = isinstance(module, Module) and bool(module.doings or moment.doing not in (OFF, PLAYING))
        return where + tr(" and ") + tr(moment.doing) if told and moment.doing != OFF else where

    def wanted(self, of: str, what: WantedOf, moment: StateMoment) -> bool | None:
        """What the person wants of something in a moment; None where nothing is said."""
        return wish(self.job, of, what, moment)

    def kind(self, moment: StateMoment) -> Mode:
        """The kind of its host state."""
        state = self.job.state(moment.state)
        return state.kind if state is not None else Mode.WORKING


class Asked:
    """A column: what it asks of each moment and how it judges that."""

    kind = ColumnKind.MODULE

    def __init__(self, scene: Scene, key: str, subject: str, words: str) -> None:
        self.scene, self.column = scene, Column(key, self.kind, subject, words)
        self.job, self.net = scene.job, scene.net

    def wanted(self) -> dict[str, Wanted]:
        """The numbers of a cell. Raises NotImplementedError in what is no column."""
        raise NotImplementedError

    def solve(self, samples: Samples, solved: Solution) -> dict[str, Array]:
        """Those numbers for samples, each with its moment: arrays [S]. Raises NotImplementedError in what is no column."""
        raise NotImplementedError

    def judged(self, moment: StateMoment, n: Numbers) -> Judged:
        """The cell of a moment by its numbers [their units], and what is said of it. Raises NotImplementedError in what is no column."""
        raise NotImplementedError

    def made(
        self,
        word: str,
        text: str,
        findings: list[Finding],
        lit: tuple[str, ...],
        *,
        yes: bool | None,
        severity: Severity | None = None,
        why: str = "",
    ) -> Judged:
        """A cell with the worst of its findings as its why, or with a severity and a why where nothing is told of it."""
        found = worst([f.severity for f in findings]) if findings else severity
        why = next((f.sentence for f in findings if f.severity is found), why)
        return Judged(StateCell(self.column.key, word, text, found, why, lit, yes), tuple(findings))


def gathered(findings: Sequence[Finding]) -> list[Finding]:
    """Of everything that was said of a subject by one judgement the worst, with the least margin."""
    found: dict[tuple[str, str], Finding] = {}
    for finding in findings:
        key = (finding.judgement or finding.code, finding.subject)
        other = found.get(key)
        if other is None or _rank(finding) < _rank(other):
            found[key] = finding
    return list(found.values())


def _rank(finding: Finding) -> tuple[int, float]:
    return ORDER.index(finding.severity), finding.margin if finding.margin is not None else np.inf
