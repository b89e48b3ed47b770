"""Where the command line and the window meet: the only module that knows both."""

from __future__ import annotations

import sys
from types import SimpleNamespace

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence
    from typing import Any


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command; returns the exit code."""
    given = list(sys.argv[1:] if arguments is None else arguments)
    options: Any = _plain(given)
    if options is None:
        from pigtail.cli.main import export_demos, guarded, parse, run

        options = parse(given)
    if options.command == "demo" and options.export is not None:
        return guarded(lambda: export_demos(options.export))
    if options.command == "shots":
        from pigtail.desktop.shots import run_shots

        return int(run_shots(options.folder))
    if options.command in ("demo", "open"):
        from pigtail.language import chosen, speak
        from pigtail.service.client import Helper

        speak(chosen())  # before anything that says a word is imported, here and in the studies' process
        helper = Helper()  # before Qt is imported: the studies' process loads meanwhile
        try:
            from pigtail.desktop.start import run_window

            return int(run_window(options, helper))
        finally:
            helper.close()
    return run(options)


def _plain(arguments: list[str]) -> SimpleNamespace | None:
    """`demo`, `demo NAME` and `open FILE` understood without the parser, whose import the first paint would wait
    for; None for everything else."""
    if any(a.startswith("-") for a in arguments) or len(arguments) > 2:
        return None
    if arguments[:1] == ["demo"]:
        return SimpleNamespace(command="demo", name=(arguments[1:] or ["larkmoor"])[0], export=None)
    if len(arguments) == 2 and arguments[0] == "open":
        from pathlib import Path

        return SimpleNamespace(command="open", file=Path(arguments[1]))
    return None


if __name__ == "__main__":
    sys.exit(main())
