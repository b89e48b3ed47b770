"""What all records of the document share."""

from __future__ import annotations

import msgspec


class Record(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Base of all records: immutable, keyword arguments, defaults left out of the file."""
