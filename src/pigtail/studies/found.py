"""What all studies found of one job. Free of numerical packages: views read it."""

from __future__ import annotations

from typing import TypeVar

import msgspec

from pigtail.job.ask import Ask
from pigtail.language import trn
from pigtail.model.estimate import Estimate
from pigtail.studies.findings import Finding, Severity, Study

F = TypeVar("F", bound=Study)


def questions(count: int) -> str:
    """How many questions are open, in words.

    >>> questions(1), questions(3)
    ('1 question is open', '3 questions are open')
    """
    return trn("{count} question is open", "{count} questions are open", count)


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
    def open(self) -> tuple[Finding, ...]:
        """The open questions: every finding that is not known, in working order, each once whatever stations tell it. What waits for others
        is none of its own."""
        found: dict[tuple[str, str], Finding] = {}
        for finding in self.findings:
            if finding.severity is Severity.UNKNOWN and not finding.code.endswith(".waits"):
                found.setdefault((finding.sentence, finding.subject), finding)
        return tuple(found.values())

    @property
    def numbers(self) -> dict[str, Estimate]:
        """All numbers by their stable name."""
        return {k: v for s in self.found for k, v in s.numbers.items()}

    @property
    def verdicts(self) -> dict[str, Severity]:
        """Worst severity of each study."""
        return {s.name: s.verdict for s in self.found}
