"""Files that are kept beside a job: copied into its folder unless they lie there already, told by their hash."""

from __future__ import annotations

import errno
import shutil
from pathlib import Path

from pigtail.job.disk import same, seen_now
from pigtail.job.recovery import FILES
from pigtail.language import tr
from pigtail.units.storable import storable

#: The largest file that is kept beside a job [bytes].
MOST_BYTES = 500_000_000


def keep_beside(path: Path, folder: Path, under: str) -> tuple[str, str]:
    """Keep a file beside a job, in a folder of its own; returns its path from the job's folder and its SHA-256. Raises OSError.

    Beside a job that has no file yet its name tells its content too, since no one knows what lies where the job will be saved.
    """
    if not path.is_file():
        raise OSError(errno.EINVAL, tr("it is no plain file"))
    if path.stat().st_size > MOST_BYTES:
        raise OSError(errno.EFBIG, tr("it is larger than {value} MB", value=MOST_BYTES // 1000000))
    if path.resolve().is_relative_to(folder.resolve()):
        kept = folder / path.resolve().relative_to(folder.resolve())
    else:
        target = folder / under
        target.mkdir(parents=True, exist_ok=True)
        number, given = 2, seen_now(path)
        mark = f"-{given.sha256[:6]}" if folder.suffix == FILES and given is not None else ""
        kept = target / storable(f"{path.stem}{mark}{path.suffix}")
        while kept.exists() and not same(seen_now(kept), given):
            kept = target / f"{path.stem}-{number}{path.suffix}"
            number += 1
        if not kept.exists():
            shutil.copyfile(path, kept)
    seen = seen_now(kept)
    if seen is None:
        raise OSError(errno.ENOENT, tr("it is gone"))
    return kept.relative_to(folder).as_posix(), seen.sha256


def copy_missing(names: tuple[str, ...], old: Path, new: Path) -> tuple[str, ...]:
    """Copy files from beside a job to beside its copy, those that are not there yet; returns what could not, or is another there."""
    left = []
    for name in names:
        source, target = old / name, new / name
        if Path(name).is_absolute() or ".." in Path(name).parts:
            continue
        try:
            if target.exists():
                if source.exists() and not same(seen_now(source), seen_now(target)):
                    left.append(name)
                continue
            target.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(source, target)
        except OSError:
            left.append(name)
    return tuple(left)
