"""Names of the deck: no two things of a job share one, and no id changes a verdict."""

from __future__ import annotations

import random
from itertools import product
from typing import Any

import msgspec
import pytest

from pigtail.catalogue.demo import demo
from pigtail.job.document import Job
from pigtail.model import names, subjects
from pigtail.model.netlist import compile_job
from pigtail.studies.all import study_job

#: Parts of ids that run into each other once they are joined.
PIECES = ("a", "in", "on", "is", "rx", "path", "wire", "leak", "0", "1", "_", "__", "drive", "sup", "winding")


def hostile_id(chance: random.Random) -> str:
    """An id as the document allows it: a small letter, then small letters, digits and underscores."""
    tail = "".join(chance.choice(PIECES) + chance.choice(("", "_")) for _ in range(chance.randrange(3)))
    return (
        chance.choice(("rx", "in", "a", "on", "link", "burst", "host_in")) + chance.choice(("", "_")) + tail
    )[:40]


@pytest.mark.parametrize("seed", range(20))
def test_no_two_names_are_one(seed: int) -> None:
    """Terminals with their values and inner nodes, ports, networks and wires of links, paths, ways through, windings, switches."""
    chance = random.Random(seed)
    ids = sorted({hostile_id(chance) for _ in range(14)})
    fields = ("emf", "impedance", "present", "drive", "level", "heard", "clamp", "leak", "eq")
    made: dict[str, Any] = {}

    def put(name: str, what: object) -> None:
        assert made.setdefault(name, what) == what, f"{name}: {made[name]} and {what}"

    for a, b in product(ids, ids):
        address = f"{a}.{b}"
        put(names.at(address), ("node", a, b))
        for field in fields:
            put(f"{names.at(address)}__{field}", ("of", a, b, field))
            put(subjects.terminal(address).parameter(field), ("of", a, b, field))
        put(subjects.path(a, b).parameter(), ("path", a, b))
        put(subjects.through(a, b).parameter(), ("through", a, b))
        put(subjects.winding(a).parameter(b), ("winding", a, b))
        put(subjects.switch(a).parameter(b), ("switch", a, b))
    for a in ids:
        for port in ("in", "in1", "out", "com", "back", "sup", "n1", "n2"):
            put(names.of_link(a, port), ("port", a, port))
            put(subjects.wire(a, port).parameter("length"), ("length", a, port))
        for at, part in product(range(3), ("r1", "c1", "sup")):
            put(subjects.network(a, at).parameter(part), ("part", a, at, part))
        put(names.named(a, "is", "on"), ("on", a))


#: Fields that hold words and kinds, not ids.
WORDS = frozenset(
    [
        "name",
        "source",
        "wanted",
        "notes",
        "words",
        "text",
        "netlist",
        "topology",
        "port",
        "unit",
        "basis",
        "role",
        "purpose",
        "kind",
        "channel",
        "use",
        "function",
    ]
)


def renamed(job: Job, to: dict[str, str]) -> Job:
    """The job with ids changed wherever they stand, names and words left as they are."""

    def new(text: str) -> str:
        device, dot, terminal = text.partition(".")
        return f"{to.get(device, device)}.{to.get(terminal, terminal)}" if dot else to.get(text, text)

    def walk(value: Any, under: str = "") -> Any:
        if isinstance(value, dict):
            return {k: v if k in WORDS else walk(v, k) for k, v in value.items()}
        if isinstance(value, list | tuple):
            return [walk(v, under) for v in value]
        return new(value) if isinstance(value, str) and under not in WORDS else value

    return msgspec.convert(walk(msgspec.to_builtins(job)), Job)


#: Ids of the demo that become each other's names where parts are joined by one underscore.
CLASHES = {
    "a link called as the module": {"feed": "rx", "supply": "rx_supply", "audio_return": "rx_audio"},
    "a terminal called as a value of another": {
        "out_left": "out",
        "out_right": "out_impedance",
        "supply": "out_emf",
    },
    "a module called as a switch of the deck": {"rx": "burst", "out_left": "drive", "audio_return": "awake"},
    "underscores at the ends": {"rx": "rx_", "feed": "rx__in", "record_in": "in__", "supply": "supply_0"},
    "a module called on": {"rx": "on", "out_left": "on", "out_right": "is", "feed": "is"},
}


@pytest.mark.one_of(4)
@pytest.mark.parametrize("clash", CLASHES)
@pytest.mark.parametrize("name", ["larkmoor", "tidewell"])
def test_ids_change_no_verdict(name: str, clash: str) -> None:
    """The same job under ids that run into each other: the same findings with the same numbers."""
    job = demo(name).job
    other = renamed(job, CLASHES[clash])
    compile_job(other, other.working_state())
    told, again = study_job(job), study_job(other)
    assert [(f.code, f.severity, f.sentence) for f in again.findings] == [
        (f.code, f.severity, f.sentence) for f in told.findings
    ]
