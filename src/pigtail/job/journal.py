"""The journal: what went wrong, a line each, kept small, for whoever has to help. Nothing of any job is noted."""

from __future__ import annotations

import contextlib
from datetime import datetime
from pathlib import Path

import platformdirs

#: The journal is begun anew at this size, the one before is kept beside it [bytes].
MOST_BYTES = 256_000


def journal_path() -> Path:
    """Where the journal is kept."""
    return Path(platformdirs.user_state_dir("pigtail")) / "pigtail.log"


def note(text: str, path: Path | None = None) -> None:
    """Note what went wrong, with the time; a journal that cannot be written is passed over."""
    path = path or journal_path()
    when = datetime.now().astimezone().isoformat(timespec="seconds")
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        if path.exists() and path.stat().st_size > MOST_BYTES:
            path.replace(path.with_suffix(".log.1"))
        with path.open("a", encoding="utf-8", errors="replace") as file:
            file.write("".join(f"{when} {line}\n" for line in text.rstrip().splitlines()))


def last_lines(count: int, path: Path | None = None) -> tuple[str, ...]:
    """The last lines of the journal; none where there is none."""
    try:
        text = (path or journal_path()).read_text(encoding="utf-8", errors="replace")
    except OSError:
        return ()
    return tuple(text.splitlines()[-count:])
