"""What an input of the model belongs to, and the one name that the deck calls it by. Free of numerical packages."""

from __future__ import annotations

import enum

import msgspec


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


class Subject(msgspec.Struct, frozen=True):
    """What a value belongs to.

    owner: the address of a terminal, the id of a link (of a network or wire) or of a device (of a path or way through).
    part: the number of a network in its link, the port of a wire, the id of a path or way through.
    """

    kind: SubjectKind
    owner: str = ""
    part: str = ""

    def parameter(self, field: str = "") -> str:
        """Name of a value of this subject in the deck: `rx_out_left_emf`, `feed_0_r1`, `host_frame`."""
        stem = self.owner.replace(".", "_")
        return "_".join(x for x in (stem, self.part, field) if x)


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
