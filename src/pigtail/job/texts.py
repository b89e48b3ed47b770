"""Texts of a document: made storable where they come in, and none longer than its field is."""

from __future__ import annotations

from functools import cache
from typing import Any, TypeVar

import msgspec
from msgspec.structs import replace

from pigtail.job.errors import JobError
from pigtail.language import tr
from pigtail.units.storable import UNSTORABLE, storable
from pigtail.units.store import Store


class UnstorableError(JobError):
    """A text that no file can hold; `made_storable` mends it."""


T = TypeVar("T", bound=msgspec.Struct)


def made_storable(item: T) -> T:
    """A record with all of its texts made storable; itself where they are."""
    changes: dict[str, Any] = {}
    for field in item.__struct_fields__:
        value = getattr(item, field)
        made = _of_value(value)
        if made is not value:
            changes[field] = made
    return replace(item, **changes) if changes else item


def _of_value(value: Any) -> Any:
    if isinstance(value, str):
        made = storable(value)
        return value if made == value else made
    if isinstance(value, msgspec.Struct):
        return made_storable(value)
    if isinstance(value, tuple):
        each = tuple(_of_value(v) for v in value)
        return value if all(a is b for a, b in zip(each, value, strict=True)) else each
    return value


def check_texts(item: Any, where: str) -> None:
    """Raise JobError for a text that is longer than its field allows, UnstorableError for one that no file can hold."""
    if isinstance(item, tuple):
        _check_each(item, where)
        return
    if not isinstance(item, msgspec.Struct):
        return
    texts, inner = _plan(type(item))
    for field, most in texts:
        value = getattr(item, field)
        for text in value if isinstance(value, tuple) else (value,):
            if len(text) > most:
                raise JobError(
                    tr("the text is longer than {most:,} characters; shorten it", most=most),
                    where=_at(where, field),
                )
            if not (text.isascii() and text.isprintable()) and UNSTORABLE.search(text):
                raise UnstorableError(
                    tr("the text holds characters that no file can hold; type it anew"),
                    where=_at(where, field),
                )
    for field in inner:
        value = getattr(item, field)
        if value:
            check_texts(value, _at(where, field))


#: The last entries that were found sound at each place, held so that their ids stay theirs: most edits leave most of them as they are.
_SOUND: Store[str, tuple[tuple[Any, ...], frozenset[int]]] = Store(f"{__name__}._SOUND", 64)


def _check_each(items: tuple[Any, ...], where: str) -> None:
    """The same for each entry of a tuple that was not found sound the last time."""
    last, sound = _SOUND.get(where) or ((), frozenset[int]())
    if last is items:
        return
    for at, each in enumerate(items):
        if id(each) not in sound and isinstance(each, msgspec.Struct | tuple):
            check_texts(each, f"{where}[{at}]")
    _SOUND.put(where, (items, frozenset(map(id, items))))


def _at(where: str, field: str) -> str:
    return f"{where}.{field}" if where else field


@cache
def _plan(kind: type[msgspec.Struct]) -> tuple[tuple[tuple[str, int], ...], tuple[str, ...]]:
    """The texts of a record with their greatest length, and its fields that hold other records."""
    found = msgspec.inspect.type_info(kind)
    assert isinstance(found, msgspec.inspect.StructType)
    texts: list[tuple[str, int]] = []
    inner: list[str] = []
    for field in found.fields:
        limit = _limit(field.type)
        if limit is not None:
            texts.append((field.name, limit))
        elif not _plain(field.type):
            inner.append(field.name)
    return tuple(texts), tuple(inner)


def _limit(kind: msgspec.inspect.Type) -> int | None:
    if isinstance(kind, msgspec.inspect.VarTupleType):
        kind = kind.item_type
    if isinstance(kind, msgspec.inspect.StrType):
        return kind.max_length if kind.max_length is not None else 40
    return None


def _plain(kind: msgspec.inspect.Type) -> bool:
    """Whether values of a type are numbers, enumerations or nothing."""
    if isinstance(kind, msgspec.inspect.UnionType):
        return all(_plain(k) for k in kind.types)
    if isinstance(kind, msgspec.inspect.VarTupleType):
        return _plain(kind.item_type)
    return not isinstance(kind, msgspec.inspect.StructType | msgspec.inspect.StrType)
