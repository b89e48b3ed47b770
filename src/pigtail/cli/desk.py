"""What a desktop asks of a command: a report for whoever helps, completion for the shell, a manual page."""

from __future__ import annotations

import argparse
import importlib.metadata
import os
import platform
import sys
from collections.abc import Iterator
from pathlib import Path

from pigtail import __version__
from pigtail.job.journal import journal_path, last_lines

#: Packages whose versions a report tells.
PACKAGES = (
    "PyQt6",
    "PyQt6-Qt6",
    "numpy",
    "scipy",
    "msgspec",
    "reportlab",
    "PyVISA",
    "PyVISA-py",
    "soundfile",
    "ezdxf",
)
#: How many lines of the journal a report tells.
LINES = 40
SHELLS = ("bash", "zsh", "fish")


def report_text() -> str:
    """Versions, places and the last lines of the journal; nothing of any job."""
    import platformdirs

    from pigtail.catalogue.library import library_path
    from pigtail.job.recovery import recovery_folder

    versions = [f"{name} {_version(name)}" for name in PACKAGES]
    places = {
        "recovery": recovery_folder(),
        "data": Path(platformdirs.user_data_dir("pigtail")),
        "own devices": library_path(),
        "journal": journal_path(),
    }
    desk = {
        k: os.environ.get(k, "")
        for k in ("XDG_SESSION_TYPE", "XDG_CURRENT_DESKTOP", "QT_QPA_PLATFORM", "QT_SCALE_FACTOR", "LANG")
    }
    lines = [
        f"Pigtail {__version__}",
        f"Python {platform.python_version()} on {platform.platform()}",
        *versions,
        *(
            f"{name}: {_short(path)}{'' if path.exists() else ' (not there)'}"
            for name, path in places.items()
        ),
        *(f"{name}={value}" for name, value in desk.items() if value),
        "",
        "The last of the journal:",
        *(last_lines(LINES) or ("nothing was noted",)),
    ]
    return "\n".join(lines)


def _version(name: str) -> str:
    try:
        return importlib.metadata.version(name)
    except importlib.metadata.PackageNotFoundError:
        return "is not installed"


def _short(path: Path) -> str:
    """A place without the person's name in it."""
    return str(path).replace(str(Path.home()), "~", 1)


def _commands(parser: argparse.ArgumentParser) -> Iterator[tuple[str, str, argparse.ArgumentParser]]:
    """The commands with their help and parsers."""
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            helps = {a.dest: a.help or "" for a in action._choices_actions}
            yield from ((name, helps.get(name, ""), sub) for name, sub in action.choices.items())


def _options(parser: argparse.ArgumentParser) -> list[tuple[str, str]]:
    """The long options of a command with their help."""
    return [
        (flag, action.help or "")
        for action in parser._actions
        for flag in action.option_strings
        if flag.startswith("--")
    ]


def completion(parser: argparse.ArgumentParser, shell: str) -> str:
    """A script that completes commands, options and file names in a shell."""
    found = list(_commands(parser))
    names = " ".join(name for name, _, _ in found)
    if shell == "fish":
        lines = [
            f"complete -c pigtail -n __fish_use_subcommand -f -a {name} -d '{_quoted(words)}'"
            for name, words, _ in found
        ]
        for name, _, sub in found:
            lines += [
                f"complete -c pigtail -n '__fish_seen_subcommand_from {name}' -l {flag[2:]} -d '{_quoted(words)}'"
                for flag, words in _options(sub)
            ]
        return "\n".join(lines) + "\n"
    cases = "\n".join(
        f"        {name}) words='{' '.join(flag for flag, _ in _options(sub))}' ;;" for name, _, sub in found
    )
    head = "#compdef pigtail\nautoload -U +X bashcompinit && bashcompinit\n" if shell == "zsh" else ""
    return (
        f"{head}_pigtail() {{\n    local word=${{COMP_WORDS[COMP_CWORD]}} words=''\n"
        f'    if [ "$COMP_CWORD" -eq 1 ]; then\n        COMPREPLY=($(compgen -W \'{names}\' -- "$word"))\n        return\n    fi\n'
        f'    case "${{COMP_WORDS[1]}}" in\n{cases}\n    esac\n'
        '    COMPREPLY=($(compgen -W "$words" -- "$word") $(compgen -f -- "$word"))\n}\n'
        "complete -o filenames -F _pigtail pigtail\n"
    )


def _quoted(words: str) -> str:
    return words.replace("\\", "\\\\").replace("'", "\\'")


def manual(parser: argparse.ArgumentParser) -> str:
    """The manual page, in the troff of man."""
    lines = [
        f'.TH PIGTAIL 1 "" "Pigtail {__version__}" "User Commands"',
        ".SH NAME",
        "pigtail \\- plan, check and record the retrofit of modules into audio gear",
        ".SH SYNOPSIS",
        ".B pigtail\n.RI [ COMMAND ]\n.RI [ options ]",
        ".SH DESCRIPTION",
        "Without a command the window opens with no job. Nothing reaches the network except the loopback address and meters that you name.",
        ".SH COMMANDS",
    ]
    for name, words, sub in _commands(parser):
        lines += [".TP", f".B {name}", _roff(words)]
        lines += [
            f".RS\n.TP\n.B {_roff(flag)}\n{_roff(told)}\n.RE"
            for flag, told in _options(sub)
            if flag != "--help"
        ]
    lines += [
        ".SH EXIT STATUS",
        "0 fine, 1 something is to be done, 2 input that cannot be used.",
        ".SH FILES",
        "Recovery files and the journal lie in the XDG state folder, own parts and devices in the XDG data folder.",
    ]
    return "\n".join(lines) + "\n"


def _roff(text: str) -> str:
    return text.replace("\\", "\\\\").replace("-", "\\-").replace("\n", " ")


def write_desk_files(parser: argparse.ArgumentParser, folder: Path) -> list[Path]:
    """Write the manual page and the completions into a folder; returns them. Raises OSError."""
    folder.mkdir(parents=True, exist_ok=True)
    files = {"pigtail.1": manual(parser), "pigtail.bash": completion(parser, "bash"), "_pigtail": completion(parser, "zsh"),
             "pigtail.fish": completion(parser, "fish")}  # fmt: skip
    for name, text in files.items():
        (folder / name).write_text(text, encoding="utf-8")
    return [folder / name for name in files]


def main(arguments: list[str]) -> int:
    """Write the files of the desk into the folder named, for those who package."""
    from pigtail.cli.main import parser

    for path in write_desk_files(parser(), Path(arguments[0])):
        print(path)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
