"""What all records of the document share: their base, and how long their texts may be."""

from __future__ import annotations

from typing import Annotated, TypeAlias

import msgspec

#: An id, an address, a port.
Ref: TypeAlias = Annotated[str, msgspec.Meta(max_length=120)]
#: What something is called, or a word or two about it.
Name: TypeAlias = Annotated[str, msgspec.Meta(max_length=300)]
#: What somebody wrote down.
Note: TypeAlias = Annotated[str, msgspec.Meta(max_length=4000)]


class Record(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Base of all records: immutable, keyword arguments, defaults left out of the file."""
