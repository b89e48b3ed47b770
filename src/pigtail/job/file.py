"""The job file: strict reading, unknown fields kept, atomic writing.

`NAME.pigtail` is JSON in UTF-8, keys in the order of the structs, one value a line.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

import msgspec

from pigtail.job.check import check_job
from pigtail.job.disk import Seen, read_seen, write_atomically
from pigtail.job.document import FORMAT, VERSION, Job
from pigtail.job.errors import FileError, JobError
from pigtail.job.texts import made_storable
from pigtail.language import tr
from pigtail.units.known import DIGITS, KnownError

MAX_BYTES = 64_000_000
#: So much of what the reader of the text says is passed on [letters].
MOST_SAID = 200
#: What JSON Schema the schema is written in.
DIALECT = "https://json-schema.org/draft/2020-12/schema"
Extras = dict[str, Any]


class Document(msgspec.Struct, frozen=True):
    """A job with the fields of its file that this version does not know, by their place; how its file was when it was read, None for one
    that is in no file yet."""

    job: Job
    extras: Extras = {}
    seen: Seen | None = None


def load(path: Path | str) -> Document:
    """Read a job file; raises FileError with one sentence naming file, place and mend."""
    path = Path(path)
    data, seen = read_seen(path, MAX_BYTES, "job")
    try:
        return msgspec.structs.replace(decode(data), seen=seen)
    except JobError as error:
        raise FileError(path, str(error)) from error


def decode(data: bytes) -> Document:
    """A document from the bytes of a job file; raises JobError."""
    if not data.strip():
        raise JobError(tr("the file is empty; use a copy or the recovery file"))
    try:
        raw = msgspec.json.decode(data)
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise JobError(
            tr(
                "this is not complete JSON text ({rstrip}); use a copy or the recovery file",
                rstrip=str(error).rstrip("."),
            )
        ) from error
    except RecursionError as error:
        raise JobError(tr("the file is nested too deeply to be a job")) from error
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise JobError(
            tr("this is not a Pigtail job: its “format” is not “{format}”", format=FORMAT), where="format"
        )
    version = raw.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise JobError(tr("the version is not a whole number from 1"), where="version")
    if version > VERSION:
        raise JobError(
            tr(
                "the file is of version {version}, this program reads up to {version2}; open it with a "
                "newer Pigtail",
                version=version,
                version2=VERSION,
            ),
            where="version",
        )
    try:
        job = made_storable(msgspec.convert(migrated(raw, version), Job))
        check_job(job)
    except msgspec.ValidationError as error:
        sentence, _, place = str(error).partition(" - at ")
        raise JobError(
            tr(
                "{lower}{sentence}; mend it in a text editor",
                lower=sentence[0].lower(),
                sentence=sentence[1:MOST_SAID],
            ),
            where=place.strip("`").removeprefix("$.")[:MOST_SAID],
        ) from error
    except KnownError as error:
        raise JobError(str(error)) from error
    except RecursionError as error:
        raise JobError(tr("the file is nested too deeply to be a job")) from error
    return Document(job, _extras(raw, job, ""))


def migrated(raw: dict[str, Any], version: int) -> dict[str, Any]:
    """A document of an older version in the form of this one.

    Version 1 kept the place of a terminal as one text; before version 4 a state was marked as working or not, and the first was off.
    Versions 3 and 5 to 9 only add: 5 readings against points outside of the host, 6 windings and the mains, 7 switches, what modules
    do, what is wanted, 8 how it is built, 9 what the work needs and the record of what was done.
    """
    if version < 2:
        for device in (raw.get("host"), *_dicts(raw.get("modules"))):
            for terminal in _dicts(device.get("terminals")) if isinstance(device, dict) else ():
                if isinstance(terminal.get("place"), str):
                    terminal["place"] = {"part": terminal["place"]}
    if version < 4 and isinstance(raw.get("host"), dict):
        migrate_states(raw["host"])
    return raw | {"version": VERSION}


def migrate_states(host: dict[str, Any]) -> None:
    """Give the states of a host of before version 4 their kinds, in place."""
    for at, state in enumerate(_dicts(host.get("states"))):
        working = state.pop("working", None)
        if working is not None and not isinstance(working, bool):
            state["working"] = working  # left for the check to name
        elif "kind" not in state:
            state["kind"] = "working" if working else "off" if at == 0 else "on"


def _dicts(items: Any) -> list[dict[str, Any]]:
    return [x for x in items if isinstance(x, dict)] if isinstance(items, list) else []


def encode(document: Document) -> bytes:
    """The bytes of a job file, unknown fields put back where they were."""
    raw = _rounded(msgspec.to_builtins(document.job))
    raw = {"format": FORMAT, "version": VERSION, **raw}
    _put_back(raw, document.extras, "")
    try:
        return msgspec.json.format(msgspec.json.encode(raw), indent=1) + b"\n"
    except UnicodeEncodeError:  # a job that no edit has made: those clean their texts
        return encode(msgspec.structs.replace(document, job=made_storable(document.job)))


def _rounded(value: Any) -> Any:
    """A value as it is written: numbers to DIGITS digits, which is finer than any meter, so that 0.79 × 1.5 is no row of nines."""
    if type(value) is float:
        return float(f"{value:.{DIGITS}g}")
    if isinstance(value, dict):
        return {k: _rounded(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_rounded(v) for v in value]
    return value


def _key(index: int, item: Any) -> str:
    """How an entry of a list is found again: by its id or name, else by its place."""
    if isinstance(item, dict):
        for name in ("id", "name", "port"):
            if isinstance(item.get(name), str):
                return str(item[name])
    return str(index)


def _escaped(name: str) -> str:
    """A name as a part of a place, as in a JSON pointer (RFC 6901)."""
    return name.replace("~", "~0").replace("/", "~1")


def _plain(part: str) -> str:
    return part.replace("~1", "/").replace("~0", "~")


@cache
def _fields(kind: type[msgspec.Struct]) -> dict[str, str]:
    """Fields of a struct: name in the file -> name in the struct."""
    return dict(zip(kind.__struct_encode_fields__, kind.__struct_fields__, strict=True))


def _extras(raw: Any, known: Any, place: str) -> Extras:
    """Fields of the raw text that the struct read from it does not have, by their place."""
    found: Extras = {}
    if isinstance(known, msgspec.Struct):
        fields = _fields(type(known))
        for name, value in raw.items():
            here = f"{place}/{_escaped(name)}"
            if name in fields:
                found |= _extras(value, getattr(known, fields[name]), here)
            elif name != known.__struct_config__.tag_field:
                found[here] = value
    elif isinstance(known, tuple):
        for index, (item, twin) in enumerate(zip(raw, known, strict=True)):
            if isinstance(
                item, dict | list
            ):  # named as it will be when it is written, by what is known of it
                found |= _extras(item, twin, f"{place}/{_escaped(_key(index, msgspec.to_builtins(twin)))}")
    return found


def _put_back(raw: Any, extras: Extras, place: str) -> None:
    if isinstance(raw, dict):
        prefix = f"{place}/"
        for name in list(raw):
            _put_back(raw[name], extras, prefix + _escaped(name))
        for here, value in extras.items():
            if here.startswith(prefix) and "/" not in here[len(prefix) :]:
                raw.setdefault(_plain(here[len(prefix) :]), value)
    elif isinstance(raw, (list, tuple)):
        for index, item in enumerate(raw):
            _put_back(item, extras, f"{place}/{_escaped(_key(index, item))}")


def save(document: Document, path: Path | str) -> Seen:
    """Write a job file whatever is there, so that a kill or a full disk leaves the old or the new, whole; returns how it is then.

    Raises FileError; the old file is then still there.
    """
    return write_atomically(Path(path), encode(document))


def schema() -> dict[str, Any]:
    """JSON Schema of the job file."""
    return {"$schema": DIALECT, "$id": f"urn:pigtail:job:{VERSION}", **msgspec.json.schema(Job)}
