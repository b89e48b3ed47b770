"""Commands that need no window. Exit 0 fine, 1 something is to be done, 2 unusable input: one sentence, no traceback."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from pigtail import __version__
from pigtail.job.errors import EditError, JobError

Command = Callable[[argparse.Namespace], int]
UNUSABLE = 2
#: As a shell tells of a program that wrote to nobody.
READER_GONE = 128 + 13
#: The largest job that a report prints [bytes].
MOST_TOLD = 20_000_000


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
    from pigtail.sheet.write import left_out, write_sheet
    from pigtail.studies.all import study_job

    job = open_job(options.file).job
    for path in write_sheet(job, advised(job, study_job(job)), options.out, options.file.parent):
        print(path)
    if less := left_out(job):
        print(f"pigtail: {less}", file=sys.stderr)
    return 0


def _solve(options: argparse.Namespace) -> int:
    from pigtail.cli.limited import within

    if not 0 < options.limit <= 86_400 or not 100 <= options.memory <= 1_000_000:
        raise EditError("--limit lies between 0 and 86,400 s, --memory between 100 and 1,000,000 MB")
    return within(lambda: guarded(lambda: _solved(options)), options.limit, options.memory, str(options.file))


def _solved(options: argparse.Namespace) -> int:
    from pigtail.cli.solve import as_json, as_text, solve_file

    circuit, answers = solve_file(options.file)
    for note in circuit.notes:
        print(f"pigtail: {note}", file=sys.stderr)
    if options.json:
        print(json.dumps(as_json(circuit, answers), ensure_ascii=False, allow_nan=False))
    else:
        print(as_text(circuit, answers))
    return 0


def _suggest(options: argparse.Namespace) -> int:
    from pigtail.advice.shapes import wish_of
    from pigtail.catalogue.opening import open_job
    from pigtail.cli.suggesting import as_loud_as, searches, suggest_as_json, suggest_as_text

    job = open_job(options.file).job
    if options.as_loud_as or options.now:
        job = as_loud_as(job, options.wanted, options.now, options.as_loud_as)
    wish = wish_of(options.series, only_stock=options.stock)
    if options.wanted:
        from pigtail.cli.controlling import controls, controls_as_json, controls_as_text, names_control
        from pigtail.cli.supplying import names_supply, supplies, supplies_as_json, supplies_as_text

        if names_control(job, options.wanted):
            steered = controls(job, options.wanted, wish)
            print(
                json.dumps(controls_as_json(steered), ensure_ascii=False, indent=1)
                if options.json
                else controls_as_text(steered)
            )
            return 0
        if names_supply(job, options.wanted):
            supplied = supplies(job, options.wanted, wish)
            print(
                json.dumps(supplies_as_json(supplied), ensure_ascii=False, indent=1)
                if options.json
                else supplies_as_text(supplied)
            )
            return 0
    found = searches(job, options.wanted, wish, plausible=options.plausible)
    print(
        json.dumps(suggest_as_json(found), ensure_ascii=False, indent=1)
        if options.json
        else suggest_as_text(found)
    )
    return 0


def _compare(options: argparse.Namespace) -> int:
    from pigtail.cli.suggesting import compare_as_json, compare_as_text
    from pigtail.studies.loudness import loudness_of

    now, wanted = loudness_of(options.now), loudness_of(options.wanted)
    print(
        json.dumps(compare_as_json(now, wanted), ensure_ascii=False)
        if options.json
        else compare_as_text(now, wanted)
    )
    return 0


def _stock(options: argparse.Namespace) -> int:
    from pigtail.catalogue.stock import load_stock, read_stock, save_stock, stock_text

    if options.file is not None:
        save_stock(read_stock(options.file))
    print(
        stock_text(load_stock())
        or "No parts are listed yet: give a file with a part a line, such as 4k7 x20."
    )
    return 0


def _next(options: argparse.Namespace) -> int:
    from pigtail.catalogue.opening import open_job
    from pigtail.cli.asking import next_as_json, next_as_text

    job = open_job(options.file).job
    print(json.dumps(next_as_json(job), ensure_ascii=False, indent=1) if options.json else next_as_text(job))
    return 0


def _runbook(options: argparse.Namespace) -> int:
    from pigtail.catalogue.opening import open_job
    from pigtail.cli.working import runbook_as_json, runbook_as_text, story_text

    job = open_job(options.file).job
    if options.story:
        print(story_text(job, markdown=True))
    elif options.json:
        print(json.dumps(runbook_as_json(job, back=options.back), ensure_ascii=False, indent=1))
    else:
        print(runbook_as_text(job, back=options.back))
    return 0


def _pack(options: argparse.Namespace) -> int:
    from pigtail.cli.working import packed, unpacked

    print(
        unpacked(options.file, options.out)
        if options.file.suffix == ".zip"
        else packed(options.file, options.out)
    )
    return 0


def _bench(options: argparse.Namespace) -> int:
    from pigtail.cli.bench import serve

    return serve(options.file, options.port)


def _schema(_options: argparse.Namespace) -> int:
    from pigtail.job.file import schema

    print(json.dumps(schema(), ensure_ascii=False, indent=1))
    return 0


def _report(options: argparse.Namespace) -> int:
    from pigtail.cli.desk import report_text

    print(report_text())
    if options.job is not None:
        from pigtail.job.disk import read_whole

        print("\nThe job, as asked:\n" + read_whole(options.job, MOST_TOLD, "job").decode("utf-8", "replace"))
    return 0


def _completion(options: argparse.Namespace) -> int:
    from pigtail.cli.desk import completion

    print(completion(parser(), options.shell), end="")
    return 0


def export_demos(folder: Path) -> int:
    """Write the demo jobs into a folder and print their paths. Raises FileError where it cannot be written."""
    from pigtail.catalogue.demo import export_demos as export
    from pigtail.job.errors import FileError

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(folder, f"the folder cannot be made ({error.strerror}); choose another") from error
    for path in export(folder):
        print(path)
    return 0


def _add_suggest(commands: Any) -> None:
    suggest = commands.add_parser(
        "suggest", help="search the networks of the feeds: ranked, each solved over its spread"
    )
    suggest.add_argument("file", type=Path, metavar="FILE")
    suggest.add_argument(
        "--for",
        dest="wanted",
        default="",
        metavar="WHAT",
        help="a feed, a supply or a module whose supply is searched; control:NAME for what wakes a module, mutes an output "
        "or shows a line, control for all of that; without it all feeds",
    )
    suggest.add_argument(
        "--series", choices=("E12", "E24", "E96"), default="", help="take resistors from one series"
    )
    suggest.add_argument(
        "--plausible", action="store_true", help="guess what is not known, over the range that it can have"
    )
    suggest.add_argument("--stock", action="store_true", help="take only parts in stock: see `pigtail stock`")
    suggest.add_argument(
        "--now", type=Path, metavar="WAV", help="a recording of the feed as it is, with --as-loud-as"
    )
    suggest.add_argument(
        "--as-loud-as", type=Path, metavar="WAV", help="a recording of the source to be matched"
    )
    suggest.add_argument("--json", action="store_true", help="print a JSON object")
    suggest.set_defaults(run=_suggest)


def _add_work(commands: Any) -> None:
    runbook = commands.add_parser(
        "runbook", help="the steps of the work as they stand, with their hold points"
    )
    runbook.add_argument("file", type=Path, metavar="FILE")
    runbook.add_argument("--back", action="store_true", help="the way back of what was done")
    runbook.add_argument("--story", action="store_true", help="the story of the job instead, as Markdown")
    runbook.add_argument("--json", action="store_true", help="print a JSON object")
    runbook.set_defaults(run=_runbook)
    pack = commands.add_parser(
        "pack", help="one zip of a job, what lies beside it and its sheet; or unpack one"
    )
    pack.add_argument("file", type=Path, metavar="FILE", help="a job file, or a pack to be unpacked")
    pack.add_argument(
        "--out", type=Path, required=True, metavar="OUT", help="the pack, or the folder to unpack into"
    )
    pack.set_defaults(run=_pack)


def _add_desk(commands: Any) -> None:
    report = commands.add_parser(
        "report", help="print versions, places and the last of the journal, for whoever helps"
    )
    report.add_argument(
        "--job", type=Path, metavar="FILE", help="print this job too; without it nothing of any job is told"
    )
    report.set_defaults(run=_report)
    finish = commands.add_parser("completion", help="print a script that completes commands in a shell")
    finish.add_argument("shell", choices=("bash", "zsh", "fish"))
    finish.set_defaults(run=_completion)


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
    solve = commands.add_parser("solve", help="solve a circuit given as a SPICE-style deck")
    solve.add_argument("file", type=Path, metavar="DECK")
    solve.add_argument("--json", action="store_true", help="print a JSON object")
    solve.add_argument(
        "--limit", type=float, default=120.0, metavar="S", help="stop after so many seconds (default 120)"
    )
    solve.add_argument(
        "--memory", type=int, default=4000, metavar="MB", help="take no more memory than this (default 4000)"
    )
    solve.set_defaults(run=_solve)
    _add_suggest(commands)
    compare = commands.add_parser("compare", help="how much louder one recording is than another, in LU")
    compare.add_argument("now", type=Path, metavar="WAV")
    compare.add_argument("wanted", type=Path, metavar="WAV")
    compare.add_argument("--json", action="store_true", help="print a JSON object")
    compare.set_defaults(run=_compare)
    stock = commands.add_parser("stock", help="list the parts you have, or set them from a text file")
    stock.add_argument("file", type=Path, nargs="?", metavar="FILE", help="a part a line: 4k7, 100n x20")
    stock.set_defaults(run=_stock)
    asked = commands.add_parser("next", help="what to measure next, and what it would settle")
    asked.add_argument("file", type=Path, metavar="FILE")
    asked.add_argument("--json", action="store_true", help="print a JSON array")
    asked.set_defaults(run=_next)
    _add_work(commands)
    bench = commands.add_parser("bench", help="serve a stand-in host with a meter on the loopback address")
    bench.add_argument(
        "file",
        metavar="FILE",
        help="a truth file, or the name of one that ships: brindle, marrowby, osmere, pellow, quillfen, tarnhow",
    )
    bench.add_argument(
        "--port", type=int, default=5025, metavar="N", help="port (default 5025; 0 lets the system choose)"
    )
    bench.set_defaults(run=_bench)
    sheet = commands.add_parser("sheet", help="write the build sheet, loom, parts and netlist")
    sheet.add_argument("file", type=Path, metavar="FILE")
    sheet.add_argument("--out", type=Path, required=True, metavar="DIR")
    sheet.set_defaults(run=_sheet)
    schema = commands.add_parser("schema", help="print the JSON Schema of the job file")
    schema.set_defaults(run=_schema)
    _add_desk(commands)
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
        code = command()
        sys.stdout.flush()
    except BrokenPipeError:
        # whoever read the output is gone: nothing more is written, not even at the end of the interpreter
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return READER_GONE
    except (JobError, KeyError, OSError) as error:
        print(f"pigtail: {error}", file=sys.stderr)
        return UNUSABLE
    return code


def parse(arguments: Sequence[str]) -> argparse.Namespace:
    """Parse the arguments; without a command the window opens with no job."""
    options = parser().parse_args(arguments)
    if options.command is None:
        options.command, options.file = "open", None
    return options
