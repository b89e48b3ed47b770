"""Names of the deck, from the ids of a job: no two things share one, whatever their ids are.

An id is letters, digits and underscores. In a name its parts stand apart by two underscores, the port or network of a link from the
link's id by three, and what belongs to no device or link from its word by four; an underscore of an id that would run into those, or
into a digit that marks one, is written `_0`. So a name can be taken apart again, and plain ids stay as they are.
"""

from __future__ import annotations

import re

#: An underscore before another, before a 0 or at the end of an id.
_RUNS_ON = re.compile(r"_(?=_|0|$)")


def encoded(part: str) -> str:
    """An id without two underscores in a row and none at its end; two ids never give the same.

    >>> encoded("record_in"), encoded("in__"), encoded("a_0")
    ('record_in', 'in_0_0', 'a_00')
    """
    return _RUNS_ON.sub("_0", part)


def named(*parts: str) -> str:
    """A name of some parts: `rx__out_left__emf`."""
    return "__".join(map(encoded, parts))


def of_link(link_id: str, place: str, *rest: str) -> str:
    """A name of what a link has at a port or by the number of a network: `feed_left___out`, `feed_left___0__r1`."""
    return f"{encoded(link_id)}___{named(place, *rest)}"


def of_all(word: str, *rest: str) -> str:
    """A name of what belongs to no device or link, such as a winding or the mains: `winding____secondary__open`."""
    return f"{word}____{named(*rest)}"


def at(address: str) -> str:
    """The node of a terminal by its address: `rx__out_left`."""
    return named(*address.split(".", 1))
