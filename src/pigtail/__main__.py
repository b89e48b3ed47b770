"""Where the command line and the window meet: the only module that knows both."""

from __future__ import annotations

import sys
from collections.abc import Sequence


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command; returns the exit code."""
    from pigtail.cli.main import export_demos, guarded, parse, run

    options = parse(sys.argv[1:] if arguments is None else arguments)
    if options.command == "demo" and options.export is not None:
        return guarded(lambda: export_demos(options.export))
    if options.command in ("demo", "open", "shots"):
        from pigtail.desktop.start import run_window

        return int(run_window(options))
    return run(options)


if __name__ == "__main__":
    sys.exit(main())
