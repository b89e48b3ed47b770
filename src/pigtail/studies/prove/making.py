"""The steps of a plan: every kind of step for each of its subjects, in the order of their needs."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from msgspec.structs import replace

from pigtail.job.document import HOST
from pigtail.job.hazards import MAINS, caution_of
from pigtail.job.steps import TURN, Hold, Power, RunStep
from pigtail.language import tr
from pigtail.studies.prove.expecting import RULES, HeldAt, Predicted, alive_words, as_it_was, reservoir
from pigtail.studies.prove.kinds import Kind, kinds
from pigtail.studies.prove.ordering import HostStand, ordered
from pigtail.studies.prove.plan import WorkPlan, state_name
from pigtail.studies.prove.subjects import LISTS, StepFor, job_words
from pigtail.studies.survey.discharge import study_discharge

#: What every step with a hand inside comes after, and what must not be there for it.
GONE, SHUT = ("gone:*",), ("closed:*",)
#: What a question that is answered with no is explained by, by the phase it stands in.
_LOOKS = {"before": "look.before", TURN: "look.turn"}


class Maker:
    """Makes the steps of one plan."""

    def __init__(self, plan: WorkPlan) -> None:
        self.plan, self.predicted = plan, Predicted(plan)
        self._words = job_words(plan.papers)
        self._ranks = {key: k for k, key in enumerate(kinds())}

    def acts(self, gone: Sequence[tuple[str, str]] = ()) -> tuple[RunStep, ...]:
        """All steps of the plan in order, without those that only turn power on and off. gone: what is to be taken back, as the id of
        the step that did it, and words."""
        return ordered(list(self._all(gone)), lambda s: self._ranks[s.kind])

    def _all(self, gone: Sequence[tuple[str, str]]) -> Iterator[RunStep]:
        for key, kind in kinds().items():
            if kind.of == "gone":
                for step, words in gone:
                    yield self._step(key, kind, StepFor(step, {"words": words}, mark=words))
            elif kind.of in LISTS:
                for subject in LISTS[kind.of](self.plan):
                    if kind.applies(subject.traits):
                        yield self._step(key, kind, subject)

    def _step(self, key: str, kind: Kind, subject: StepFor) -> RunStep:
        words = self._words | {"id": subject.id, "state": subject.state} | subject.words
        hold = self._hold(kind, subject, words)
        power = kind.power or Power.ANY
        outside = kind.outside or (kind.of == "gone" and kinds()[subject.id.partition(":")[0]].outside)
        inside = power in (Power.OFF, Power.LIVE) and not kind.outside and kind.of != "gone"
        after, without = (
            (kind.after, kind.without) if not inside else ((*kind.after, *GONE), (*kind.without, *SHUT))
        )
        return RunStep(
            f"{key}:{subject.id}", key, subject.id, kind.phase, kind.says.format_map(words), kind.why.format_map(words),
            self._heed(hold, kind.heed.format_map(words)), kind.stays.format_map(words), kind.back.format_map(words), power,
            subject.state if power is Power.LIVE else "",
            self._facts(kind.needs, subject, words), self._facts(after, subject, words), self._facts(without, subject, words),
            kind.makes.format_map(words), hold, self._back_hold(hold), kind.keeps.format_map(words), kind.files, kind.minutes,
            subject.mark, subject.point, kind.lasting, kind.risks, kind.until.format_map(words), outside,
        )  # fmt: skip

    def _facts(self, patterns: tuple[str, ...], subject: StepFor, words: dict[str, str]) -> tuple[str, ...]:
        found = []
        for pattern in patterns:
            links: Sequence[str] = subject.links if "{links}" in pattern else ("",)
            found += [pattern.format_map(words | {"links": link}) for link in links]
        return tuple(dict.fromkeys(found))

    def _hold(self, kind: Kind, subject: StepFor, words: dict[str, str]) -> Hold | None:
        if kind.look:
            work = "look.work" if kind.power in (Power.OFF, None) else "look.proof"
            return Hold(_LOOKS.get(kind.phase, work), question=kind.look.format_map(words))
        if not kind.hold:
            return None
        return RULES[kind.hold](HeldAt(self.plan, self.predicted, subject.point, subject.state))

    def _heed(self, hold: Hold | None, words: str) -> str:
        """What may hurt: what the kind of step says, and what stands at the two points of a reading."""
        caution = caution_of(self.plan.job, hold.ask) if hold is not None and hold.ask is not None else ""
        return "; ".join(x for x in (words, caution) if x)

    def _back_hold(self, hold: Hold | None) -> Hold | None:
        if hold is None or hold.kind not in ("found", "look.before"):
            return None
        return (
            as_it_was(hold, self.plan.papers)
            if hold.ask is not None
            else replace(hold, kind="look.proof", question=AS_BEFORE)
        )

    # -- between steps --------------------------------------------------------------------------------------

    def turns(self, mode: HostStand, step: RunStep, risky: bool) -> tuple[RunStep, ...]:
        """What brings the host from one mode to what a step wants."""
        if step.power is Power.OFF:
            return self._unplugging(mode, step)
        if step.power is Power.USED:
            before = (self._turn("unplug", step),) if mode.power is Power.LIVE else ()
            return (*before, self._turn("use", step))
        if mode.power is Power.LIVE:
            return (self._turn("switch", step),)
        return (self._turn("on_limited" if risky else "on", step),)

    def _unplugging(self, mode: HostStand, step: RunStep) -> tuple[RunStep, ...]:
        """Pull the plug where it is in; once the cover is off read what the host holds, before a hand is inside."""
        unplug = () if mode.power is Power.OFF else (self._turn("unplug", step),)
        if step.outside:
            return unplug
        at = reservoir(self.plan)
        if at:
            return (*unplug, self._turn("empty", step, point=at, name=self.plan.papers.label(at)))
        return (*unplug, self._turn("drain", step)) if self.plan.papers.host.supply in MAINS else unplug

    def _turn(self, key: str, step: RunStep, **more: Any) -> RunStep:
        job, kind = self.plan.papers, kinds()[key]
        words = {
            "state_name": state_name(job, step.state), "name": "", "wait": self._wait(),
            "alive": alive_words(self.plan.job, (step.point,)) if step.point.startswith(f"{HOST}.") else "",
        } | more  # fmt: skip
        made = self._step(
            key, kind, StepFor(step.id, words, mark=step.state, state=step.state, point=more.get("point", ""))
        )
        return replace(made, state=step.state, makes=f"{key}:{step.id}")

    def _wait(self) -> str:
        mains = self.plan.papers.host.supply in MAINS
        return (
            study_discharge(self.plan.job.host).sentence
            if reservoir(self.plan) or mains
            else tr("Wait a minute.")
        )


AS_BEFORE = tr("Does everything work as it did before the work?")
