"""Commands that need no window. Exit 0 fine, 1 something is to be done, 2 unusable input: one sentence, no traceback."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

from pigtail import __version__
from pigtail.job.errors import JobError

Command = Callable[[argparse.Namespace], int]
UNUSABLE = 2


def _check(options: argparse.Namespace) -> int:
    from pigtail.advice.remedies import advised
    from pigtail.catalogue.opening import open_job
    from pigtail.cli.report import as_json, as_text, exit_code
    from pigtail.studies.all import study_job

    job = open_job(options.file).job
    studies = advised(job, study_job(job))
    if options.json:
        print(json.dumps(as_json(job, studies), ensure_ascii=False, indent=1, allow_nan=False))
    else:
        print(as_text(job, studies))
    return exit_code(studies)


def _sheet(options: argparse.Namespace) -> int:
    from pigtail.advice.remedies import advised
    from pigtail.catalogue.opening import open_job
    from pigtail.sheet.write import write_sheet
    from pigtail.studies.all import study_job

    job = open_job(options.file).job
    for path in write_sheet(job, advised(job, study_job(job)), options.out):
        print(path)
    return 0


def _schema(_options: argparse.Namespace) -> int:
    from pigtail.job.file import schema

    print(json.dumps(schema(), ensure_ascii=False, indent=1))
    return 0


def export_demos(folder: Path) -> int:
    """Write the demo jobs into a folder and print their paths."""
    from pigtail.catalogue.demo import export_demos as export
    from pigtail.job.errors import FileError

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(folder, f"the folder cannot be made ({error.strerror}); choose another") from error
    for path in export(folder):
        print(path)
    return 0


def parser() -> argparse.ArgumentParser:
    """The parser of all commands; those with a window are parsed here and run by the desktop."""
    main = argparse.ArgumentParser(
        prog="pigtail", description="Plan, check and record the retrofit of modules into audio gear."
    )
    main.add_argument("--version", action="version", version=f"Pigtail {__version__}")
    commands = main.add_subparsers(dest="command", metavar="COMMAND")
    demo = commands.add_parser(
        "demo", help="open a demo job in the window, or write the demo jobs to a folder"
    )
    demo.add_argument("name", nargs="?", default="larkmoor", help="larkmoor (default) or tidewell")
    demo.add_argument("--export", type=Path, metavar="DIR", help="write the demo jobs into DIR instead")
    opened = commands.add_parser("open", help="open a job in the window")
    opened.add_argument("file", type=Path, nargs="?", metavar="FILE")
    check = commands.add_parser(
        "check", help="run all studies: exit 0 fine, 1 something to do, 2 unusable file"
    )
    check.add_argument("file", type=Path, metavar="FILE")
    check.add_argument("--json", action="store_true", help="print a JSON object")
    check.set_defaults(run=_check)
    sheet = commands.add_parser("sheet", help="write the build sheet, loom, parts and netlist")
    sheet.add_argument("file", type=Path, metavar="FILE")
    sheet.add_argument("--out", type=Path, required=True, metavar="DIR")
    sheet.set_defaults(run=_sheet)
    schema = commands.add_parser("schema", help="print the JSON Schema of the job file")
    schema.set_defaults(run=_schema)
    shots = commands.add_parser("shots", help="paint each station of the demo into PNG files")
    shots.add_argument("folder", type=Path, metavar="DIR")
    return main


def run(options: argparse.Namespace) -> int:
    """Run a parsed command that needs no window."""
    command: Command = options.run
    return guarded(lambda: command(options))


def guarded(command: Callable[[], int]) -> int:
    """Run a command; bad input becomes one sentence on the error output and exit 2."""
    try:
        return command()
    except (JobError, KeyError, OSError) as error:
        print(f"pigtail: {error}", file=sys.stderr)
        return UNUSABLE
    except BrokenPipeError:
        return 0


def parse(arguments: Sequence[str]) -> argparse.Namespace:
    """Parse the arguments; without a command the window opens with no job."""
    options = parser().parse_args(arguments)
    if options.command is None:
        options.command, options.file = "open", None
    return options
