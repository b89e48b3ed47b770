"""What *good* promises, over random jobs: no good verdict turns into stop or fix when everything moves within its range, in any state; no
told range lies inside what samples show; no remedy makes another finding worse.

A few jobs here; `make promises` takes sixty, and 5,000 samples of each.
"""

from __future__ import annotations

import os
import random
import sys
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

sys.path.insert(0, str(Path(__file__).parent.parent / "reference"))

from test_nodal import random_job

from pigtail import edits
from pigtail.advice.remedies import advised
from pigtail.job.document import AudioIn, AudioOut, Job, Purpose, Rail, SupplyIn
from pigtail.job.quantities import quantities
from pigtail.model.model import Model
from pigtail.studies.all import study_job
from pigtail.studies.findings import Finding, Severity
from pigtail.studies.level.feed import Feed
from pigtail.units import Basis, Known

JOBS = int(os.environ.get("PIGTAIL_RANDOM_JOBS", "3"))
SAMPLES = int(os.environ.get("PIGTAIL_SAMPLES", "400"))
MOVES = 4
#: Left against right is told of the parts alone, not of what two inputs of one host may differ by.
BY_PARTS = "level.balance"
BAD = (Severity.STOP, Severity.FIX)
#: A told range may be short by this part of its width.
SHORT = 0.02


def spread_job(seed: int) -> Job:
    """A random job whose values are vague, some of either sign."""
    chance = random.Random(1000 + seed)
    job = random_job(seed)
    for address in job.addresses():
        terminal = job.terminal(address)
        for item in (
            quantities(terminal) if isinstance(terminal, AudioIn | AudioOut | Rail | SupplyIn) else ()
        ):
            known = getattr(terminal, item.field)
            limit = item.field in ("minimum", "maximum")  # what papers promise is no guess
            if known is None or not known.nominal or limit or item.unit not in ("V", "Ω"):
                continue
            tolerance = chance.choice((0.1, 0.5, 1.2) if item.field == "bias" else (0.05, 0.15, 0.3))
            vague = Known.of(known.nominal, known.unit, Basis.TYPICAL, tolerance=tolerance)
            job = edits.set_value(job, address, item.field, vague)
    return job


def moved(job: Job, chance: random.Random) -> Job:
    """The job with every value of its terminals, parts and wires pinned to one end of its range or the other."""

    def pinned(known: Known) -> Known:
        at = chance.choice((known.low, known.high))
        return replace(known, nominal=at, low=at, high=at)

    for address in job.addresses():
        terminal = job.terminal(address)
        for item in quantities(terminal) if terminal is not None else ():
            known = getattr(terminal, item.field)
            if known is not None:
                job = edits.set_value(job, address, item.field, pinned(known))
    links = []
    for link in job.links:
        sections = tuple(
            replace(s, parts=tuple(replace(p, value=pinned(p.value)) for p in s.parts)) for s in link.sections
        )
        links.append(replace(link, sections=sections))
    return replace(job, links=tuple(links))


def identity(finding: Finding) -> tuple[object, ...]:
    """What a finding is about."""
    return finding.judgement, finding.subject, finding.part


@pytest.mark.one_of(2)
@pytest.mark.parametrize("seed", range(JOBS))
def test_nothing_good_turns_bad_within_what_is_known(seed: int) -> None:
    """Everything at one end of its range or the other, by chance: what was good is no stop and no fix."""
    job = spread_job(seed)
    good = {
        identity(f)
        for f in study_job(job).findings
        if f.judgement and f.severity is Severity.GOOD and f.judgement != BY_PARTS
    }
    assert good
    chance = random.Random(seed)
    for _ in range(MOVES):
        after = study_job(moved(job, chance))
        broken = [f.sentence for f in after.findings if identity(f) in good and f.severity in BAD]
        assert not broken, broken


RESULTS = {
    "delivered": "delivered_dbv", "target": "target_db", "headroom": "headroom_db", "offset": "offset_v", "load": "load_ohm",
    "output": "output_ohm", "pop": "pop_v", "one": "one_channel_dbv", "cross": "cross_ohm", "tap": "tap_loss_db",
}  # fmt: skip


@pytest.mark.parametrize("seed", range(JOBS))
def test_no_told_range_lies_inside_what_samples_show(seed: int) -> None:
    """Half of the samples anywhere in their ranges, half at ends."""
    job = spread_job(seed)
    link = next(x for x in job.links if x.purpose is Purpose.FEED)
    sources = tuple(a for a in link.starts if isinstance(job.terminal(a), AudioOut))
    feed = Feed(Model.of(job).netlist(), link, sources, link.at("out")[0])
    numbers = feed.study().numbers
    chance = np.random.default_rng(seed)
    ends = np.array([i.ends for i in feed.inputs])
    places = np.concatenate(
        [chance.random((SAMPLES // 2, len(ends))), chance.integers(0, 2, (SAMPLES // 2, len(ends)))]
    )
    values = ends[:, 0] + (ends[:, 2] - ends[:, 0]) * places
    found = feed.solve({i.name: values[:, k] for k, i in enumerate(feed.inputs)})
    for key, name in RESULTS.items():
        told = numbers.get(name)
        if told is None or told.value is None:
            continue
        seen, slack = np.asarray(found[key]), SHORT * (told.high - told.low) + 1e-6 * abs(told.value) + 1e-9
        assert told.low <= seen.min() + slack, (name, told.low, seen.min(), told.high)
        assert told.high >= seen.max() - slack, (name, told.high, seen.max(), told.low)


@pytest.mark.one_of(3)
@pytest.mark.parametrize("seed", range(JOBS))
def test_no_remedy_makes_another_finding_worse(seed: int) -> None:
    """Each is applied and studied again: what was judged good or a watch is no fix, no stop and not unknown."""
    job = spread_job(seed)
    studies = advised(job, study_job(job))
    fine = {
        identity(f) for f in studies.findings if f.judgement and f.severity in (Severity.GOOD, Severity.WATCH)
    }
    for finding in studies.findings:
        for remedy in finding.remedies:
            if remedy.label.startswith("propose"):
                continue
            after = study_job(remedy.edit(job)).findings
            worse = [
                f.sentence
                for f in after
                if identity(f) in fine
                and identity(f) != identity(finding)
                and f.severity in (*BAD, Severity.UNKNOWN)
            ]
            assert not worse, (remedy.label, worse)
