"""Damaged jobs: whatever is done to a file, it is refused in one sentence or studied without a crash."""

from __future__ import annotations

import json
import random
from collections.abc import Iterator
from typing import Any

import pytest

from pigtail.advice.measure import next_readings
from pigtail.catalogue.demo import demo_bytes
from pigtail.catalogue.opening import check_networks
from pigtail.cli.report import as_json, as_text
from pigtail.job.errors import JobError
from pigtail.job.file import decode
from pigtail.sheet.content import make_sheet
from pigtail.sheet.html import html_text
from pigtail.studies.all import study_job

WRONG = [
    0,
    -1,
    1e-12,
    1e12,
    1e300,
    "",
    "x",
    None,
    [],
    {},
    True,
    "host.star",
    "in_l",
    "lift",
    "wire",
    "sum",
    "buck",
    "off",
    5,
]
MUTATIONS = 150


def places(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Paths of everything inside a JSON value."""
    inner = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, item in inner:
        yield (*path, key)
        yield from places(item, (*path, key))


def mutate(raw: Any, chance: random.Random) -> None:
    """Delete, scale, double or replace one thing."""
    *way, last = chance.choice(list(places(raw)))
    place = raw
    for key in way:
        place = place[key]
    kind = chance.random()
    if kind < 0.3:
        del place[last]
    elif kind < 0.5 and isinstance(place[last], float):
        place[last] *= chance.choice([0, -1, 1e3, 1e-3, 1e9, 1e-9])
    elif kind < 0.6 and isinstance(place, list):
        place.append(json.loads(json.dumps(place[last])))
    else:
        place[last] = chance.choice(WRONG)


@pytest.mark.one_of(4)
@pytest.mark.parametrize("seed", range(4))
def test_a_damaged_job_is_refused_in_a_sentence_or_studied(seed: int) -> None:
    """No traceback, no number that is none, no line break in a refusal."""
    chance = random.Random(seed)
    studied = 0
    for _ in range(MUTATIONS):
        raw = json.loads(demo_bytes(chance.choice(["larkmoor", "tidewell"])))
        for _ in range(chance.choice([1, 1, 2])):
            mutate(raw, chance)
        try:
            job = decode(json.dumps(raw).encode()).job
            check_networks(job)
        except JobError as error:
            assert "\n" not in str(error)
            continue
        studies = study_job(job)
        next_readings(job, studies)
        html_text(make_sheet(job, studies))
        json.dumps(as_json(job, studies), allow_nan=False)
        as_text(job, studies)
        studied += 1
    assert studied > 5


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"topology": "warp"}, "no topology called “warp”"),
        ({"topology": "pad", "parts": [{"name": "r9", "value": {}}]}, "no part “r9”"),
        (
            {
                "topology": "pad",
                "parts": [{"name": "r1", "value": {"nominal": -1.0, "low": -1.0, "high": -1.0}}],
            },
            "below",
        ),
        ({"topology": "pad", "parts": [{"name": "r1", "value": {"unit": "V"}}]}, "unit"),
        (
            {
                "topology": "pad",
                "parts": [{"name": "r1", "value": {"nominal": 1e13, "low": 1e13, "high": 1e13}}],
            },
            "beyond",
        ),
    ],
)
def test_networks_that_the_catalogue_cannot_make_are_refused(change: dict[str, Any], words: str) -> None:
    """The place in the file is named, and what there is to choose from."""
    raw = json.loads(demo_bytes("larkmoor"))
    usual = {"nominal": 10.0, "low": 10.0, "high": 10.0, "unit": "Ω", "basis": "typical"}
    for part in change.get("parts", []):
        part["value"] = usual | part["value"]
    raw["links"][0]["sections"][2] = change
    with pytest.raises(JobError, match=words) as trouble:
        check_networks(decode(json.dumps(raw).encode()).job)
    assert str(trouble.value).startswith("links[0].sections[2]")
