"""Files that are kept beside a job: copied into its folder unless they lie there already, told by their hash."""

from __future__ import annotations

import errno
import shutil
from pathlib import Path

from pigtail.job.disk import same, seen_now
from pigtail.units.storable import storable

#: The largest file that is kept beside a job [bytes].
MOST_BYTES = 500_000_000


def keep_beside(path: Path, folder: Path, under: str) -> tuple[str, str]:
    """Keep a file beside a job, in a folder of its own; returns its path from the job's folder and its SHA-256. Raises OSError."""
    if not path.is_file():
        raise OSError(errno.EINVAL, "it is no plain file")
    if path.stat().st_size > MOST_BYTES:
        raise OSError(errno.EFBIG, f"it is larger than {MOST_BYTES // 1_000_000} MB")
    if path.resolve().is_relative_to(folder.resolve()):
        kept = folder / path.resolve().relative_to(folder.resolve())
    else:
        target = folder / under
        target.mkdir(exist_ok=True)
        kept, number, given = target / storable(path.name), 2, seen_now(path)
        while kept.exists() and not same(seen_now(kept), given):
            kept = target / f"{path.stem}-{number}{path.suffix}"
            number += 1
        if not kept.exists():
            shutil.copyfile(path, kept)
    seen = seen_now(kept)
    if seen is None:
        raise OSError(errno.ENOENT, "it is gone")
    return kept.relative_to(folder).as_posix(), seen.sha256


def copy_missing(names: tuple[str, ...], old: Path, new: Path) -> tuple[str, ...]:
    """Copy files from beside a job to beside its copy, those that are not there yet; returns what could not be."""
    left = []
    for name in names:
        source, target = old / name, new / name
        if target.exists() or Path(name).is_absolute() or ".." in Path(name).parts:
            continue
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(source, target)
        except OSError:
            left.append(name)
    return tuple(left)
