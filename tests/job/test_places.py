"""Places and meters in words and numbers, and documents of the first version."""

from __future__ import annotations

import json

import pytest

from pigtail.job.document import FUNCTION_UNITS, VERSION, Function, Job
from pigtail.job.file import decode, encode
from pigtail.job.meters import NOT_NUMBERS, USUAL, meter, meters
from pigtail.job.places import EASE, NOWHERE, Pad, Place


@pytest.mark.parametrize(
    ("place", "text"),
    [
        (Place(part="U7", pin="43"), "U7 pin 43"), (Place(part="C12", pin="−"), "C12 −"), (Place(board="main", part="R4"), "main, R4"), (Place(connector="J4", position=2), "J4-2"),
        (Place(connector="aux socket"), "aux socket"), (NOWHERE, ""), (Place(pad=Pad.LUG), ""),
    ],
)  # fmt: skip
def test_a_place_is_told_as_a_modder_would(place: Place, text: str) -> None:
    """Board, part with its pin, connector with its position."""
    assert place.text() == text
    assert bool(place) is (place != NOWHERE)


def test_pads_get_harder_from_lug_to_chip_leg() -> None:
    """Every pad but the unknown one has an ease; a lug is the easiest, a chip leg the hardest."""
    known = {pad: ease for pad, ease in EASE.items() if ease is not None}
    assert set(EASE) == set(Pad)
    assert set(Pad) - set(known) == {Pad.UNKNOWN}
    assert max(known, key=lambda p: known[p]) is Pad.LUG
    assert min(known, key=lambda p: known[p]) is Pad.CHIP_LEG
    sizes = [known[p] for p in (Pad.SMD_0805, Pad.SMD_0603, Pad.SMD_0402)]
    assert sizes == sorted(sizes, reverse=True)


@pytest.mark.parametrize("key", sorted(meters()))
def test_every_meter_has_an_accuracy_for_every_function(key: str) -> None:
    """What is heard is no number; everything else has a part and a floor, and a load that is no short."""
    kind = meter(key)
    assert set(kind.accuracy) == {f.value for f in Function if f not in NOT_NUMBERS}
    assert set(FUNCTION_UNITS) == set(Function)
    assert kind.load_ohm(Function.DC_VOLTS) >= 1e5
    assert kind.load_ohm(Function.AC_VOLTS, 20e3) < kind.load_ohm(Function.AC_VOLTS, 50.0)
    assert meter("no such meter") is meters()[USUAL]


def test_a_document_of_the_first_version_is_migrated(larkmoor: Job) -> None:
    """Places were one text then: they become the part, and everything else stays."""
    from pigtail.job.file import Document

    raw = json.loads(encode(Document(larkmoor)))
    raw["version"] = 1
    for device in (raw["host"], *raw["modules"]):
        for terminal in device["terminals"]:
            if "place" in terminal:
                terminal["place"] = "socket J3, pin 1"
    job = decode(json.dumps(raw).encode()).job
    assert job.host.terminals[0].place == Place(part="socket J3, pin 1")
    assert job.links == larkmoor.links
    assert json.loads(encode(Document(job)))["version"] == VERSION
    raw["host"]["terminals"].append("no terminal")
    with pytest.raises(ValueError, match="terminals"):
        decode(json.dumps(raw).encode())
