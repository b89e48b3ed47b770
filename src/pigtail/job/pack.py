"""A pack: one zip with a job, the files beside it and what was written for it, told by hashes; opened with care.

Nothing in a pack is trusted: names that leave its folder, names that are there twice, what unpacks to more than a job ever needs, and
files that are not what the list says are refused with one sentence.
"""

from __future__ import annotations

import io
import stat
import struct
import zipfile
import zlib
from collections.abc import Mapping
from pathlib import Path, PurePosixPath

import msgspec

from pigtail.job.disk import sha256_of, write_atomically
from pigtail.job.document import Job
from pigtail.job.errors import FileError
from pigtail.job.file import Document, encode
from pigtail.job.logbook import Filed
from pigtail.language import tr

FORMAT = "pigtail pack"
VERSION = 1
SUFFIX = ".pigtail.zip"
LISTED, JOB = "pack.json", "job.pigtail"
#: The most files of a pack, the most bytes of one and of all unpacked, and how much a file may grow as it is unpacked [1].
MOST_FILES, MOST_FILE, MOST_ALL, MOST_RATIO = 2_000, 500_000_000, 1_500_000_000, 200
#: The longest that a name in a pack is.
MOST_NAME = 240


class Contents(msgspec.Struct, frozen=True, kw_only=True):
    """The list of a pack: what it is, and the SHA-256 of every file in it by its name."""

    format: str = FORMAT
    version: int = VERSION
    files: dict[str, str] = {}


def files_of(job: Job) -> dict[str, str]:
    """The files beside a job that it refers to, with their SHA-256."""
    found = {p.file: p.sha256 for p in job.pictures}
    return found | {e.file: e.sha256 for e in job.record if isinstance(e, Filed) and not e.struck}


def write_pack(
    document: Document, folder: Path | None, path: Path, written: Mapping[str, bytes]
) -> tuple[str, ...]:
    """Write a pack: the job, the files beside it, and what was written for it under `sheet/`.

    Returns the files that are not there or are no longer what the job knows them as; they are left out. Raises FileError.
    """
    gone: list[str] = []
    files = {JOB: encode(document)} | {f"sheet/{name}": data for name, data in written.items()}
    taken = {n.casefold() for n in (*files, LISTED)}
    for name, sha256 in files_of(document.job).items():
        try:
            data = (folder / name).read_bytes() if folder is not None else b""
        except OSError:
            data = b""
        if not data or (sha256 and sha256_of(data) != sha256) or name.casefold() in taken:
            gone.append(name)
            continue
        taken.add(name.casefold())
        files[f"files/{name}"] = data
    contents = Contents(files={name: sha256_of(data) for name, data in files.items()})
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in {
            LISTED: msgspec.json.format(msgspec.json.encode(contents), indent=1),
            **files,
        }.items():
            archive.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), data, zipfile.ZIP_DEFLATED)
    write_atomically(path, packed.getvalue())
    return tuple(gone)


def open_pack(path: Path, folder: Path) -> Path:
    """Unpack a pack into a folder that is empty or not there yet; returns the job file in it.

    Raises FileError with one sentence for what is no pack, is not what its list says, or would leave the folder; nothing is left then.
    """
    files = read_pack(path)
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise FileError(
            folder, tr("there is something already; choose a folder that is empty or not there yet")
        )
    try:
        for name, data in files.items():
            target = folder / name.removeprefix("files/")
            target.parent.mkdir(parents=True, exist_ok=True)
            write_atomically(target, data)
    except OSError as error:
        raise FileError(
            folder,
            tr("the pack cannot be unpacked ({value}); choose another folder", value=error.strerror or error),
        ) from error
    return folder / JOB


def open_beside(path: Path) -> Path:
    """Unpack a pack into a folder of its name beside it, or of a further number where that is there; returns the job file in it.

    Raises FileError as `open_pack` does.
    """
    stem = path.name.removesuffix(".zip").removesuffix(".pigtail") or "job"
    folder, number = path.parent / stem, 2
    while folder.exists():
        folder = path.parent / f"{stem}-{number}"
        number += 1
    return open_pack(path, folder)


def read_pack(path: Path) -> dict[str, bytes]:
    """The files of a pack by their name, each as its list says. Raises FileError."""
    try:
        if not path.is_file() or not zipfile.is_zipfile(path):
            raise FileError(
                path,
                tr("this is no pack: it is no zip file") if path.exists() else tr("there is no such file"),
            )
        with zipfile.ZipFile(path) as archive:
            found = {i.filename: _read(archive, i, path) for i in _checked(archive, path)}
    except (
        OSError,
        zipfile.BadZipFile,
        zlib.error,
        struct.error,
        NotImplementedError,
        EOFError,
        RuntimeError,
    ) as error:
        raise FileError(
            path, tr("the pack cannot be read ({error}); use another copy", error=error)
        ) from error
    except ValueError as error:
        raise FileError(path, tr("the pack is damaged ({error}); use another copy", error=error)) from error
    return _as_listed(found, path)


def _checked(archive: zipfile.ZipFile, path: Path) -> list[zipfile.ZipInfo]:
    """The entries of an archive, none of which leaves its folder, is there twice, is a link, or unpacks to too much."""
    entries = [i for i in archive.infolist() if not i.is_dir()]
    if len(entries) > MOST_FILES or sum(i.file_size for i in entries) > MOST_ALL:
        raise FileError(
            path,
            tr(
                "the pack holds more than {most_files} files or {value} MB; it is no pack of a job",
                most_files=MOST_FILES,
                value=MOST_ALL // 1000000,
            ),
        )
    seen: set[str] = set()
    for info in entries:
        name = info.filename
        parts = PurePosixPath(name).parts
        shown = name[:60].encode("ascii", "replace").decode()
        if (
            not parts
            or name.startswith(("/", "~"))
            or "\\" in name
            or ":" in name
            or ".." in parts
            or len(name) > MOST_NAME
            or "\0" in name
        ):
            raise FileError(
                path,
                tr("the pack holds “{shown}”, which would leave its folder; do not unpack it", shown=shown),
            )
        key = name.removeprefix("files/").casefold()  # as it lies when it is unpacked
        if key in seen or not key:
            raise FileError(path, tr("the pack holds “{shown}” twice; do not unpack it", shown=shown))
        seen.add(key)
        if info.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
            raise FileError(
                path,
                tr("“{shown}” in the pack is packed in a way that no pack is; use another copy", shown=shown),
            )
        if stat.S_ISLNK(info.external_attr >> 16):
            raise FileError(path, tr("“{shown}” in the pack is a link; do not unpack it", shown=shown))
        if info.file_size > MOST_FILE or info.file_size > MOST_RATIO * max(info.compress_size, 1) + 1_000_000:
            raise FileError(
                path,
                tr(
                    "“{shown}” in the pack unpacks to more than any file of a job; do not unpack it",
                    shown=shown,
                ),
            )
    return entries


def _read(archive: zipfile.ZipFile, info: zipfile.ZipInfo, path: Path) -> bytes:
    with archive.open(info) as file:
        data = file.read(info.file_size + 1)
    if len(data) > info.file_size:
        raise FileError(
            path,
            tr(
                "“{filename}” in the pack is larger than it says; do not unpack it",
                filename=info.filename[:60],
            ),
        )
    return data


def _as_listed(found: dict[str, bytes], path: Path) -> dict[str, bytes]:
    try:
        contents = msgspec.json.decode(found.get(LISTED, b""), type=Contents)
    except (msgspec.DecodeError, RecursionError) as error:
        raise FileError(path, tr("this is no pack of a job: it has no list of its files")) from error
    if contents.format != FORMAT or contents.version > VERSION:
        raise FileError(
            path, tr("this pack is of a newer version, or none of ours; open it with a newer Pigtail")
        )
    if set(found) != {LISTED, *contents.files} or JOB not in contents.files:
        raise FileError(path, tr("the pack does not hold what its list says; use another copy"))
    for name, sha256 in contents.files.items():
        if sha256_of(found[name]) != sha256:
            raise FileError(
                path, tr("“{name}” in the pack is not what its list says; use another copy", name=name[:60])
            )
    return {name: data for name, data in found.items() if name != LISTED}
