"""The person's own modules and hosts: kept in an SQLite file in the XDG data folder, passed on as small files.

A file holds one device as JSON: `{"format": "pigtail-device", "version": 1, "what": "module", "device": {…}}`.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any

import msgspec
import platformdirs
from msgspec.structs import replace

from pigtail.catalogue.kinds import Listed, host_kinds, make_host, make_module, module_kinds
from pigtail.job.check import check_job
from pigtail.job.disk import read_whole, write_atomically
from pigtail.job.document import Host, Job, Module
from pigtail.job.errors import FileError, JobError
from pigtail.job.texts import made_storable
from pigtail.language import tr

FORMAT, VERSION, SCHEMA = "pigtail-device", 1, 1
SUFFIX = ".pigtail-device"
MOST_BYTES = 1_000_000
_KINDS: dict[str, type[Module] | type[Host]] = {"module": Module, "host": Host}
_TABLE = (
    "CREATE TABLE device (id INTEGER PRIMARY KEY, what TEXT, name TEXT, source TEXT, added TEXT, body BLOB)"
)


class OwnDevice(msgspec.Struct, frozen=True):
    """A device in the library: its number there, what it is, what it is called, what it was made from and when."""

    id: int
    what: str
    name: str
    source: str
    added: str


class DeviceFile(msgspec.Struct, frozen=True):
    """What a device's file holds."""

    format: str
    version: int
    what: str
    device: Any


def library_path() -> Path:
    """Where the library is kept."""
    return Path(platformdirs.user_data_dir("pigtail")) / "devices.sqlite"


@contextmanager
def _library(
    path: Path | None, trouble: str = tr("the library of own devices cannot be opened")
) -> Iterator[sqlite3.Connection]:
    """The library, made when it is not there, in one transaction. Raises FileError for one of a newer program, and for whatever goes wrong
    with it."""
    path = path or library_path()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with closing(sqlite3.connect(path, timeout=5.0)) as library, library:
            version = int(library.execute("PRAGMA user_version").fetchone()[0])
            if version > SCHEMA:
                raise FileError(
                    path,
                    tr(
                        "the library was written by a newer Pigtail (schema {version}, this one reads {schema}); "
                        "update Pigtail",
                        version=version,
                        schema=SCHEMA,
                    ),
                )
            if version == 0:
                library.execute(_TABLE)
                library.execute(f"PRAGMA user_version = {SCHEMA}")
            yield library
    except (sqlite3.Error, OSError) as error:
        raise FileError(
            path, tr("{trouble} ({error}); move it away or free its folder", trouble=trouble, error=error)
        ) from error


def kept(what: str = "", path: Path | None = None) -> tuple[OwnDevice, ...]:
    """The devices in the library, by name; of one sort, "module" or "host", if one is named. Raises FileError."""
    if path is None and not library_path().exists():
        return ()
    asked = "SELECT id, what, name, source, added FROM device WHERE ? IN ('', what) ORDER BY name COLLATE NOCASE, id"
    with _library(path) as library:
        return tuple(OwnDevice(*row) for row in library.execute(asked, (what,)))


def keep(device: Module | Host, source: str, path: Path | None = None) -> int:
    """Put a device into the library, with what it was made from; returns its number there. Raises FileError."""
    today = datetime.now().astimezone().date().isoformat()
    row = (_what(device), device.name, source, today, msgspec.json.encode(device))
    with _library(path, tr("{device} cannot be put into the library", device=device.name)) as library:
        made = library.execute(
            "INSERT INTO device (what, name, source, added, body) VALUES (?, ?, ?, ?, ?)", row
        )
        return int(made.lastrowid or 0)


def _what(device: Module | Host) -> str:
    return "host" if isinstance(device, Host) else "module"


def device_of(number: int, path: Path | None = None) -> Module | Host:
    """A device of the library by its number. Raises FileError for one that is not there or cannot be used."""
    where = path or library_path()
    with _library(path) as library:
        row = library.execute("SELECT what, body FROM device WHERE id = ?", (number,)).fetchone()
    if row is None:
        raise FileError(
            where,
            tr(
                "there is no device {number} in the library; it may have been taken out elsewhere",
                number=number,
            ),
        )
    return _checked(where, str(row[0]), msgspec.json.decode(row[1]))


def forget(number: int, path: Path | None = None) -> None:
    """Take a device out of the library. Raises FileError."""
    with _library(path) as library:
        library.execute("DELETE FROM device WHERE id = ?", (number,))


def write_device(device: Module | Host, path: Path) -> None:
    """Write a device to a file of its own. Raises FileError."""
    told = DeviceFile(FORMAT, VERSION, _what(device), device)
    content = msgspec.json.format(msgspec.json.encode(told), indent=2)
    write_atomically(path, content + b"\n")


def read_device(path: Path) -> Module | Host:
    """The device in a file. Raises FileError with one sentence for what is none, is of a newer version, or makes no sense."""
    try:
        told = msgspec.json.decode(read_whole(path, MOST_BYTES), type=DeviceFile)
    except (msgspec.DecodeError, RecursionError) as error:
        raise FileError(
            path,
            tr(
                "this is no file of a module or host ({error}); choose one that ends in {suffix}",
                error=error,
                suffix=SUFFIX,
            ),
        ) from error
    if told.format != FORMAT or told.version > VERSION or told.what not in _KINDS:
        raise FileError(
            path, tr("this is no file of a module or host, or one of a newer Pigtail; choose another")
        )
    return _checked(path, told.what, told.device)


def _checked(path: Path, what: str, raw: object) -> Module | Host:
    """A device that a job can take, or FileError."""
    try:
        device = msgspec.convert(raw, _KINDS[what])
        bare = Host(name="host")
        job = (
            Job(host=device)
            if isinstance(device, Host)
            else Job(host=bare, modules=(replace(device, id="module"),))
        )
        job = made_storable(job)
        check_job(job)
    except (msgspec.ValidationError, JobError, KeyError, ValueError, RecursionError) as error:
        raise FileError(
            path, tr("the device in it cannot be used ({error}); make it again from a job", error=error)
        ) from error
    return job.host if isinstance(device, Host) else job.modules[0]


OWN = "own:"


def offered(what: str, path: Path | None = None) -> tuple[Listed, ...]:
    """What a list of modules or hosts offers: the person's own first, then those of the catalogue. A library that cannot be read offers
    nothing of its own."""
    try:
        own = tuple(
            Listed(
                f"{OWN}{k.id}", k.name, tr("Your own, kept {added}: {source}", added=k.added, source=k.source)
            )
            for k in kept(what, path)
        )
    except FileError:
        own = ()
    return (*own, *(host_kinds() if what == "host" else module_kinds()))


def made_host(key: str, name: str = "", path: Path | None = None) -> Host:
    """A host by the key of a list; raises CatalogueError or FileError."""
    if not key.startswith(OWN):
        return make_host(key, name)
    device = device_of(int(key.removeprefix(OWN)), path)
    assert isinstance(device, Host)
    return replace(device, name=name or device.name)


def made_module(key: str, module_id: str, path: Path | None = None) -> Module:
    """A module by the key of a list; raises CatalogueError or FileError."""
    if not key.startswith(OWN):
        return make_module(key, module_id)
    device = device_of(int(key.removeprefix(OWN)), path)
    assert isinstance(device, Module)
    return replace(device, id=module_id)
