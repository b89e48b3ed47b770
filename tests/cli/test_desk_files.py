"""What a desktop asks of the program: a report, completions, a manual page, files that its tools find in order."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

import pytest

from pigtail.__main__ import main
from pigtail.cli.desk import SHELLS, completion, write_desk_files
from pigtail.cli.main import parser
from pigtail.job.journal import MOST_BYTES, journal_path, last_lines, note

ROOT = Path(__file__).parents[2]
COMMANDS = (
    "demo",
    "open",
    "check",
    "solve",
    "suggest",
    "sheet",
    "runbook",
    "pack",
    "report",
    "completion",
    "schema",
)


def test_a_report_tells_versions_and_the_journal_and_nothing_of_any_job(
    capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    """The journal's last line is in it; the home folder is not; a job only when it is asked for."""
    note("something went wrong: x")
    assert main(["report"]) == 0
    told = capsys.readouterr().out
    assert "Pigtail " in told
    assert "PyQt6 " in told
    assert told.rstrip().endswith("something went wrong: x")
    assert str(Path.home()) not in told or str(Path.home()) == "/"
    assert "The job, as asked" not in told
    job = tmp_path / "x.pigtail"
    job.write_text('{"name": "mine"}')
    assert main(["report", "--job", str(job)]) == 0
    assert '{"name": "mine"}' in capsys.readouterr().out
    assert main(["report", "--job", str(tmp_path / "none")]) == 2


def test_the_journal_stays_small_and_never_stands_in_the_way(tmp_path: Path) -> None:
    """Begun anew when it has grown; one that cannot be written is passed over."""
    path = tmp_path / "x.log"
    for _ in range(4):
        note("a" * (MOST_BYTES // 2), path)
    assert path.stat().st_size <= 2 * MOST_BYTES
    assert path.with_suffix(".log.1").exists()
    (tmp_path / "file").write_text("")
    note("x", tmp_path / "file" / "x.log")
    assert last_lines(5, tmp_path / "nowhere") == ()
    note("one\ntwo", tmp_path / "y.log")
    assert [line.split(" ", 1)[1] for line in last_lines(5, tmp_path / "y.log")] == ["one", "two"]
    assert journal_path().name == "pigtail.log"


@pytest.mark.parametrize("shell", SHELLS)
def test_every_command_is_completed_in_every_shell(shell: str, capsys: pytest.CaptureFixture[str]) -> None:
    """And its options."""
    assert main(["completion", shell]) == 0
    script = capsys.readouterr().out
    assert all(name in script for name in COMMANDS)
    assert "story" in script
    if shell == "bash":
        subprocess.run(["bash", "-n"], input=script, text=True, check=True)
        asked = f"{script}\nCOMP_WORDS=(pigtail ru); COMP_CWORD=1; _pigtail; echo ${{COMPREPLY[@]}}"
        found = subprocess.run(["bash"], input=asked, text=True, capture_output=True, check=True).stdout
        assert found.split() == ["runbook"]


def test_the_files_that_are_packaged_are_those_of_this_parser(tmp_path: Path) -> None:
    """`python -m pigtail.cli.desk packaging/made` writes them anew."""
    for made in write_desk_files(parser(), tmp_path):
        assert (ROOT / "packaging" / "made" / made.name).read_text() == made.read_text(), made.name
    assert "suggest" in completion(parser(), "bash")


@pytest.mark.parametrize(
    ("tool", "arguments"),
    [
        ("desktop-file-validate", ["packaging/pigtail.desktop"]),
        ("appstreamcli", ["validate", "--no-net", "packaging/app.pigtail.Pigtail.metainfo.xml"]),
    ],
)
def test_the_desktops_own_tools_find_the_files_in_order(tool: str, arguments: list[str]) -> None:
    """Desktop Entry Specification 1.5 with registered categories; AppStream 1.0."""
    if shutil.which(tool) is None:
        assert not os.environ.get("CI"), f"{tool} must be installed under CI"
        pytest.skip(f"{tool} is not installed")
    done = subprocess.run([tool, *arguments], cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
