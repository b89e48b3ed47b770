"""What the study of the runbook found: every step as it stands, the way back, time and cost. Free of numerical packages."""

from __future__ import annotations

import msgspec

from pigtail.job.steps import RunStand
from pigtail.studies.findings import Study


class Cost(msgspec.Struct, frozen=True):
    """What was paid, burnt parts included: the sum of all that is told, of it what burnt, and what has no price yet."""

    total: float = 0.0
    burnt: float = 0.0
    unpriced: tuple[str, ...] = ()


class ProveFound(Study, frozen=True):
    """The runbook: steps in order as they stand, those that only turn power among them; the way back of what was done, as it stands;
    what of that stays; minutes that are left, and that were taken as the record tells."""

    stands: tuple[RunStand, ...] = ()
    back: tuple[RunStand, ...] = ()
    stays: tuple[str, ...] = ()
    minutes_left: float = 0.0
    minutes_taken: float = 0.0
    cost: Cost = Cost()

    @property
    def next(self) -> RunStand | None:
        """The step that is next; None when all is done, or nothing planned."""
        return next((s for s in self.stands if s.open), None)

    @property
    def next_back(self) -> RunStand | None:
        """The step that is next on the way back; None when nothing is left to take back."""
        return next((s for s in self.back if s.open), None)

    def stand(self, step: str) -> RunStand | None:
        """How a step stands, by its id; None for one that there is not."""
        return next((s for s in self.stands if s.step.id == step), None)

    @property
    def holds_left(self) -> int:
        """How many hold points are still to be passed: readings, and what is looked at or listened to."""
        return sum(1 for s in self.stands if s.open and s.step.hold is not None)


FOUND = ProveFound
