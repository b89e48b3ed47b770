"""Files that are kept beside a job: copied into its folder unless they lie there already, told by their hash."""

from __future__ import annotations

import hashlib
import shutil
from pathlib import Path


def keep_beside(path: Path, folder: Path, under: str) -> tuple[str, str]:
    """Keep a file beside a job, in a folder of its own; returns its path from the job's folder and its SHA-256. Raises OSError."""
    if path.resolve().is_relative_to(folder.resolve()):
        kept = folder / path.resolve().relative_to(folder.resolve())
    else:
        target = folder / under
        target.mkdir(exist_ok=True)
        kept, number = target / path.name, 2
        while kept.exists() and kept.read_bytes() != path.read_bytes():
            kept = target / f"{path.stem}-{number}{path.suffix}"
            number += 1
        if not kept.exists():
            shutil.copyfile(path, kept)
    return kept.relative_to(folder).as_posix(), hashlib.sha256(kept.read_bytes()).hexdigest()
