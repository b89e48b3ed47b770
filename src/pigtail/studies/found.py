"""What all studies found of one job. Free of numerical packages: views read it."""

from __future__ import annotations

from typing import TypeVar

import msgspec

from pigtail.job.ask import Ask
from pigtail.model.estimate import Estimate
from pigtail.studies.findings import Finding, Severity, Study

F = TypeVar("F", bound=Study)


class Studies(msgspec.Struct, frozen=True):
    """What all studies found of one job, in working order; `asked` is what to measure next, put in by those who advise."""

    found: tuple[Study, ...]
    asked: tuple[Ask, ...] = ()

    def of(self, kind: type[F]) -> F:
        """What one study found, by the type of its answer; raises KeyError for a study that is not registered."""
        for each in self.found:
            if isinstance(each, kind):
                return each
        raise KeyError(kind.__name__)

    def each(self) -> tuple[Study, ...]:
        """The studies in working order."""
        return self.found

    @property
    def findings(self) -> tuple[Finding, ...]:
        """All findings in working order."""
        return tuple(f for s in self.found for f in s.findings)

    @property
    def numbers(self) -> dict[str, Estimate]:
        """All numbers by their stable name."""
        return {k: v for s in self.found for k, v in s.numbers.items()}

    @property
    def verdicts(self) -> dict[str, Severity]:
        """Worst severity of each study."""
        return {s.name: s.verdict for s in self.found}
