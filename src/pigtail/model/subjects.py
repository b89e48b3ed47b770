"""What an input of the model belongs to, and the one name that the deck calls it by. Free of numerical packages."""

from __future__ import annotations

import enum

import msgspec

from pigtail.model import names


class SubjectKind(enum.Enum):
    """What a value can belong to."""

    TERMINAL = "terminal"
    NETWORK = "network"
    WIRE = "wire"
    PATH = "path"
    THROUGH = "way through"
    WINDING = "winding"
    MAINS = "mains"
    SWITCH = "switch"
    JOB = "job"


_OF_LINKS = frozenset((SubjectKind.NETWORK, SubjectKind.WIRE))
_OF_ALL = frozenset((SubjectKind.WINDING, SubjectKind.SWITCH, SubjectKind.MAINS))
#: What the name of a subject ends with that has one value alone: a path and a way through may have one id.
_OWN_WORDS = {SubjectKind.PATH: "path", SubjectKind.THROUGH: "through"}


class Subject(msgspec.Struct, frozen=True):
    """What a value belongs to.

    owner: the address of a terminal, the id of a link (of a network or wire) or of a device (of a path or way through).
    part: the number of a network in its link, the port of a wire, the id of a path or way through.
    """

    kind: SubjectKind
    owner: str = ""
    part: str = ""

    def parameter(self, field: str = "") -> str:
        """Name of a value of this subject in the deck: `rx__out_left__emf`, `feed___0__r1`, `host__frame__path`; without a field of
        the subject itself."""
        rest = [x for x in (self.part, field) if x]
        if self.kind in _OF_LINKS:
            return names.of_link(self.owner, *rest)
        if self.kind in _OF_ALL:
            return names.of_all(self.owner, *rest)
        stem = names.at(self.owner) if self.owner else ""
        own = _OWN_WORDS.get(self.kind)
        return "__".join(x for x in (stem, *map(names.encoded, rest), own) if x)


JOB = Subject(SubjectKind.JOB)
MAINS = Subject(SubjectKind.MAINS, "mains")


def terminal(address: str) -> Subject:
    """A terminal by its address."""
    return Subject(SubjectKind.TERMINAL, address)


def network(link_id: str, index: int) -> Subject:
    """One network of a link."""
    return Subject(SubjectKind.NETWORK, link_id, str(index))


def wire(link_id: str, port: str) -> Subject:
    """The wire on a port of a link."""
    return Subject(SubjectKind.WIRE, link_id, port)


def path(device_id: str, path_id: str) -> Subject:
    """The resistance between two returns of a device."""
    return Subject(SubjectKind.PATH, device_id, path_id)


def through(device_id: str, through_id: str) -> Subject:
    """A module's own way through."""
    return Subject(SubjectKind.THROUGH, device_id, through_id)


def winding(winding_id: str) -> Subject:
    """An AC winding of the host."""
    return Subject(SubjectKind.WINDING, "winding", winding_id)


def switch(switch_id: str) -> Subject:
    """A switch of the host."""
    return Subject(SubjectKind.SWITCH, "switch", switch_id)
