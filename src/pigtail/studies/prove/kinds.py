"""The kinds of steps as data: `data/steps.toml`, what a host's supply is called by, and what a reading out of range means."""

from __future__ import annotations

import tomllib
from functools import cache
from pathlib import Path

import msgspec

from pigtail.job.steps import Power
from pigtail.language import said, tr

DATA = Path(__file__).parent / "data"
#: The parts of the work, in words.
PHASES = {
    "before": tr("Before it is opened"), "open": tr("Open it"), "ready": tr("Prepare"), "wire": tr("Wire it"),
    "supply": tr("Supply, before the module is joined"), "join": tr("Join the module"), "prove": tr("Prove it, open"),
    "close": tr("Close it, prove again, record"), "turn": tr("Power"),
}  # fmt: skip
#: The same on the way back.
BACK_PHASES = {
    "before": tr("Try it"), "open": tr("Read it as it was, and close it"), "ready": tr("Take back what was prepared"),
    "wire": tr("Take the wires off"),
    "supply": tr("The supply"), "join": tr("Take the module off"), "prove": tr("Prove it"), "close": tr("Open it"),
}  # fmt: skip


def phase_words(phase: str, *, back: bool) -> str:
    """A part of the work in words, on the way forth or back."""
    return (BACK_PHASES if back else PHASES).get(phase, PHASES[phase])


class Kind(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One entry of the table; its fields are told there."""

    phase: str
    of: str = msgspec.field(name="for")
    says: str
    makes: str = ""
    when: tuple[str, ...] = ()
    back: str = ""
    stays: str = ""
    why: str = ""
    heed: str = ""
    needs: tuple[str, ...] = ()
    after: tuple[str, ...] = ()
    power: Power | None = None
    hold: str = ""
    look: str = ""
    keeps: str = ""
    files: str = ""
    minutes: float = 1.0
    lasting: bool = False
    risks: bool = False
    without: tuple[str, ...] = ()
    until: str = ""
    outside: bool = False

    def applies(self, traits: frozenset[str]) -> bool:
        """Whether there is such a step for a subject with these traits."""
        return all((w[4:] not in traits) if w.startswith("not ") else w in traits for w in self.when)


class Meaning(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What it most likely means, what must not be done now, and where to look."""

    means: str
    not_now: str
    look: str


@cache
def kinds() -> dict[str, Kind]:
    """The kinds by their key, in the order in which they come where their needs leave it open."""
    raw = said("steps.toml", tomllib.loads((DATA / "steps.toml").read_text(encoding="utf-8")))
    words = {p.name.lower(): p.value for p in Power}
    for entry in raw.values():
        if "power" in entry:
            entry["power"] = words[entry["power"]]
    return msgspec.convert(raw, dict[str, Kind])


@cache
def supply_words() -> dict[str, dict[str, str]]:
    """How a host is unplugged, plugged in and limited, by its supply class in words."""
    found: dict[str, dict[str, str]] = said(
        "words.toml", tomllib.loads((DATA / "words.toml").read_text(encoding="utf-8"))
    )
    return found


@cache
def meanings() -> dict[str, dict[str, Meaning]]:
    """What is out of range, by the kind of hold point and by how it is off."""
    raw = said("meaning.toml", tomllib.loads((DATA / "meaning.toml").read_text(encoding="utf-8")))
    return msgspec.convert(raw, dict[str, dict[str, Meaning]])
