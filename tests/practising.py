"""A person who does just what is asked, on stand-ins of every host kind with every fault planted; and what came of it."""

from __future__ import annotations

from typing import NamedTuple

from msgspec.structs import replace

from asking import OPEN_OHM, WHEN
from pigtail.advice.measure import next_readings
from pigtail.advice.plan import propose
from pigtail.advice.rounds import live_state, switches_of
from pigtail.bench.faults import FAULTS, NoPlaceError
from pigtail.bench.host import BlownFuseError, StandInHost
from pigtail.bench.truth import StandIn
from pigtail.catalogue.kinds import make_module
from pigtail.edits.readings import log_reading
from pigtail.edits.values import add_module, set_supply
from pigtail.job.ask import Ask
from pigtail.job.document import Function, Job, SupplyClass
from pigtail.job.errors import JobError
from pigtail.job.wiring import used_points
from pigtail.studies.all import study_job
from pigtail.studies.findings import Severity
from pigtail.studies.found import Studies

MODULES = ("wireless_receiver_5v", "wireless_transmitter_5v")
ABOVE_GOOD = (Severity.STOP, Severity.FIX, Severity.UNKNOWN, Severity.WATCH)
#: What is told of readings; a clean host has none of it above good.
OF_READINGS = ("survey.", "tap.", "reading.")
#: What is told of any host, or of a plan that is none, and is no alarm.
NO_ALARM = ("survey.differs", "survey.no_plan", "survey.discharge", "survey.hazardous_rail", "tap.none")


class Came(NamedTuple):
    """What came of it: the job with its log, what was asked in order, the studies at the end, fuses that blew."""

    job: Job
    asked: tuple[Ask, ...]
    studies: Studies
    blown: int

    @property
    def switches(self) -> int:
        """How often the host was switched over."""
        return switches_of(self.job, self.asked)

    @property
    def least(self) -> int:
        """How often it must be switched over at least: once into each state that something is read in."""
        return len({live_state(self.job, a) for a in self.asked} - {""})

    def told(self, clean: Came) -> list[str]:
        """Codes of what is told here and was not told of the clean twin."""
        known = {(f.code, f.subject, f.severity) for f in clean.studies.findings}
        return [
            f.code
            for f in self.studies.findings
            if f.severity in ABOVE_GOOD
            and (f.code, f.subject, f.severity) not in known
            and f.code != "build.waits"
        ]

    @property
    def alarms(self) -> list[str]:
        """What is told of the readings of a host that has no fault."""
        return [
            f"{f.code}: {f.sentence}"
            for f in self.studies.findings
            if f.severity in ABOVE_GOOD and f.code.startswith(OF_READINGS) and f.code not in NO_ALARM
        ]

    @property
    def good(self) -> bool:
        """Whether nothing keeps anyone from building."""
        return not any(f.severity in ABOVE_GOOD for f in self.studies.findings)


def plan_of(stand_in: StandIn, module: str) -> Job | None:
    """The papers' job with a module planned on it; None where none can be."""
    job = stand_in.papers
    if job.host.supply is SupplyClass.UNKNOWN:
        job = set_supply(job, stand_in.truth.supply)
    try:
        job = propose(add_module(job, make_module(module, "m")), "m")
    except JobError:
        return None
    return job if used_points(job) else None


def practised(job: Job, stand_in: StandIn, *, each: bool = False) -> Came:
    """Take what is asked, asking anew after each state, or after each reading, until nothing more is asked."""
    host, asked, seen, blown = StandInHost(stand_in), list[Ask](), set[tuple[object, ...]](), 0
    while True:
        studies = study_job(job)
        fresh = [a for a in next_readings(job, studies) if a.key not in seen]
        if not fresh:
            return Came(job, tuple(asked), studies, blown)
        for ask in fresh[:1] if each else _of_one_state(job, fresh):
            asked.append(ask)
            seen.add(ask.key)
            if ask.function is Function.LOOK:
                job = set_supply(job, stand_in.truth.supply)
                continue
            try:
                job = log_reading(job, value=min(host.take(ask), OPEN_OHM), when=WHEN, **ask.setup())
            except BlownFuseError:
                host.mend()
                blown += 1


def _of_one_state(job: Job, asks: list[Ask]) -> list[Ask]:
    return [
        a
        for k, a in enumerate(asks)
        if all(live_state(job, b) == live_state(job, asks[0]) for b in asks[: k + 1])
    ]


def planted(clean: StandIn, job: Job, *faults: str) -> StandIn | None:
    """A stand-in with faults planted where the plan uses it; None where it has no place for one of them."""
    made = replace(clean, faults=())
    try:
        for fault in faults:
            made = FAULTS[fault](made, used_points(job))
    except (NoPlaceError, JobError):
        return None
    return made
