"""The command line as other programs use it: output, exit codes, one sentence on bad input, no Qt where none is needed."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from pigtail.bench.truth import StandIn
from pigtail.job.document import Job
from pigtail.job.file import Document, save

NO_QT = """
import sys
class Blocker:
    def find_spec(self, name, path=None, target=None):
        if name.split(".")[0] in ("PyQt6", "pyqtgraph"):
            raise ImportError("the core must not import " + name)
sys.meta_path.insert(0, Blocker())
from pigtail.__main__ import main
sys.exit(main())
"""


def pigtail(*arguments: object) -> subprocess.CompletedProcess[str]:
    """Run a command in a process in which Qt cannot be imported."""
    command = [sys.executable, "-c", NO_QT, *map(str, arguments)]
    return subprocess.run(command, capture_output=True, text=True, check=False, timeout=120)


@pytest.fixture(scope="module")
def demos(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with the exported demos."""
    folder = tmp_path_factory.mktemp("demos") / "deep" / "down"
    done = pigtail("demo", "--export", folder)
    assert done.returncode == 0
    assert len(done.stdout.split()) == 2
    return folder


def test_the_flawed_demo_exits_1_and_names_its_faults(demos: Path) -> None:
    """JSON on the output, nothing on the error output."""
    done = pigtail("check", demos / "larkmoor-forty.pigtail", "--json")
    report = json.loads(done.stdout)
    assert (done.returncode, done.stderr) == (1, "")
    assert report["verdicts"] == {
        "survey": "good",
        "taps": "good",
        "level": "good",
        "power": "fix",
        "returns": "fix",
        "control": "good",
        "build": "unknown",
        "prove": "unknown",
    }
    bad = {f["code"] for f in report["findings"] if f["severity"] == "fix"}
    assert {"power.overheats", "power.rail_overload", "returns.loop"} <= bad
    assert all(f["remedies"] for f in report["findings"] if f["severity"] == "fix")


def test_the_clean_demo_exits_0(demos: Path) -> None:
    """Every verdict good."""
    done = pigtail("check", demos / "tidewell-minor.pigtail", "--json")
    assert done.returncode == 0
    verdicts = json.loads(done.stdout)["verdicts"]
    assert verdicts.pop("prove") == "watch"  # planned, and not proved yet
    assert set(verdicts.values()) == {"good"}


def test_numbers_have_value_spread_unit_and_basis(demos: Path) -> None:
    """The stable names of the slice, in SI units, each inside its spread."""
    numbers = json.loads(pigtail("check", demos / "larkmoor-forty.pigtail", "--json").stdout)["numbers"]
    wanted = {
        "level.delivered_dbv": "dBV", "level.target_db": "dB", "level.headroom_db": "dB", "level.low_cut_hz": "Hz",
        "level.high_cut_hz": "Hz", "level.offset_v": "V", "level.one_channel_dbv": "dBV", "power.module_v": "V",
        "power.dropout_margin_v": "V", "power.regulator_tj_c": "°C", "power.rail_current_a": "A",
        "power.rail_current_burst_a": "A", "power.rail_margin_a": "A", "returns.buzz_dbv": "dBV", "returns.buzz_db": "dB",
    }  # fmt: skip
    for name, unit in wanted.items():
        found = numbers[name]
        assert found["unit"] == unit
        assert found["low"] <= found["value"] <= found["high"]
        assert found["basis"] in ("measured", "documented", "typical", "guessed")


def test_what_is_not_known_is_null_and_says_what_it_needs(tmp_path: Path, larkmoor: Job) -> None:
    """Unknown is neither good nor a made-up number."""
    from pigtail.edits.values import set_value

    path = tmp_path / "a.pigtail"
    save(Document(set_value(larkmoor, "host.rail_low", "limit", None)), path)
    report = json.loads(pigtail("check", path, "--json").stdout)
    margin = report["numbers"]["power.rail_margin_a"]
    assert margin["value"] is None
    assert margin["basis"] == "unknown"
    assert "regulated rail: current it can give" in margin["needs"]
    assert "unknown" in {f["severity"] for f in report["findings"]}


def test_check_prints_lines_for_people(demos: Path) -> None:
    """Verdicts, findings with remedies, numbers."""
    done = pigtail("check", demos / "larkmoor-forty.pigtail")
    assert "FIX      power.overheats" in done.stdout
    assert "remedy: use a buck converter" in done.stdout


def test_sheet_and_schema(demos: Path, tmp_path: Path) -> None:
    """Both work without Qt."""
    done = pigtail("sheet", demos / "larkmoor-forty.pigtail", "--out", tmp_path / "sheet")
    assert done.returncode == 0
    assert len(done.stdout.splitlines()) == 13
    assert "$defs" in json.loads(pigtail("schema").stdout)


@pytest.mark.one_of(3)
@pytest.mark.parametrize(
    ("content", "words"),
    [(None, "no such file"), (b"", "empty"), (b"{", "not complete JSON"), (b'{"format": "x"}', "not a Pigtail job"),
     (b'{"format": "pigtail job", "version": 10}', "newer Pigtail"), (b'{"format": "pigtail job", "version": 1}', "host")],
)  # fmt: skip
@pytest.mark.parametrize("command", ["check", "sheet"])
def test_unusable_files_exit_2_with_one_sentence(
    tmp_path: Path, command: str, content: bytes | None, words: str
) -> None:
    """The file is named, the mend is told, there is no traceback."""
    path = tmp_path / "bad.pigtail"
    if content is not None:
        path.write_bytes(content)
    done = pigtail(command, path, *(["--out", tmp_path / "out"] if command == "sheet" else []))
    assert done.returncode == 2
    assert done.stdout == ""
    assert words in done.stderr
    assert "bad.pigtail" in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


def test_a_folder_that_cannot_be_written_exits_2(demos: Path, tmp_path: Path) -> None:
    """For exports and sheets alike."""
    blocked = tmp_path / "file"
    blocked.write_text("x")
    for arguments in (
        ("demo", "--export", blocked / "x"),
        ("sheet", demos / "tidewell-minor.pigtail", "--out", blocked / "x"),
    ):
        done = pigtail(*arguments)
        assert done.returncode == 2
        assert len(done.stderr.strip().splitlines()) == 1


def test_wrong_words_exit_2() -> None:
    """An unknown command or a missing argument shows the usage."""
    for arguments in (("solder",), ("check",), ("sheet", "x")):
        assert pigtail(*arguments).returncode == 2


def test_an_unknown_demo_is_refused_before_a_window_opens() -> None:
    """The names that exist are told."""
    command = [sys.executable, "-m", "pigtail", "demo", "toaster"]
    done = subprocess.run(command, capture_output=True, text=True, check=False, timeout=120)
    assert done.returncode == 2
    assert "larkmoor or tidewell" in done.stderr


def test_without_a_screen_one_sentence_says_so() -> None:
    """Qt would end the program with a core dump."""
    screens = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    environment = {k: v for k, v in os.environ.items() if k not in screens}
    command = [sys.executable, "-m", "pigtail", "demo"]
    done = subprocess.run(command, capture_output=True, text=True, check=False, timeout=120, env=environment)
    assert done.returncode == 2
    assert (
        done.stderr
        == "pigtail: there is no screen to open a window on; start it from a desktop, or set DISPLAY\n"
    )


def test_opening_a_bad_file_exits_2_before_a_window_opens(tmp_path: Path) -> None:
    """The same sentence as `check` gives."""
    command = [sys.executable, "-m", "pigtail", "open", str(tmp_path / "none.pigtail")]
    done = subprocess.run(command, capture_output=True, text=True, check=False, timeout=120)
    assert done.returncode == 2
    assert "no such file" in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


@pytest.mark.long
def test_next_asks_for_the_most_telling_reading_first(demos: Path, tmp_path: Path, brindle: StandIn) -> None:
    """As lines for people, as an array for programs; nothing where nothing is open."""
    from pigtail.advice.plan import propose
    from pigtail.catalogue.kinds import make_module
    from pigtail.edits.values import add_module

    job = propose(add_module(brindle.papers, make_module("wireless_receiver_5v", "rx")), "rx")
    path = tmp_path / "brindle.pigtail"
    save(Document(job), path)
    asked = json.loads(pigtail("next", path, "--json").stdout)
    assert asked[0]["against"] == "mains.blades"
    rung = next(a for a in asked if a["function"] == "continuity")
    assert rung == {
        "point": "host.aux_left", "against": "host.u7_43", "state": "off", "function": "continuity", "drive": "", "tone": None,
        "settles": "ring it out to U7 pin 43, selector left, power off",
        "load": None, "series": None, "current": None, "caution": "",
        "expected": {"low": 0.0, "high": 1.0, "words": "below 1 Ω", "source": "it should be the same net"},
        "words": rung["words"],
    }  # fmt: skip
    tones = [a["tone"] for a in asked if a["drive"]]
    assert {"hertz": 1000.0, "volts": 0.1, "full_scale": False, "side": "both", "volume_down": False} in tones
    lines = pigtail("next", path).stdout.splitlines()
    assert asked[0]["words"] in lines[1]
    assert lines[0].startswith(f"{len(asked)} readings, about ")
    assert len(lines) == len(asked) + 1
    assert "power off" in lines[1]
    assert pigtail("next", demos / "tidewell-minor.pigtail").stdout == "Nothing is asked for.\n"


def test_the_runbook_and_a_pack_from_the_command_line(demos: Path, tmp_path: Path) -> None:
    """Steps with hold points as text and JSON; a pack written, unpacked, and refused where it is none."""
    job = demos / "tidewell-minor.pigtail"
    text = pigtail("runbook", job).stdout
    assert text.startswith("Before it is opened\n[  ] Read what may hurt here")
    assert "HOLD: 4.86 V to 5.14 V" in text
    report = json.loads(pigtail("runbook", job, "--json").stdout)
    plug = next(s for s in report["steps"] if s["id"] == "plug_loaded:rx.supply")
    assert (plug["hold"]["point"], plug["hold"]["load"], plug["standing"]) == ("rx.supply", 39.0, "to do")
    assert pigtail("runbook", job, "--back").stdout == "Nothing is to be taken back.\n"
    assert pigtail("runbook", job, "--story").stdout.startswith("# Tidewell Minor")
    packed = tmp_path / "out.pigtail.zip"
    assert pigtail("pack", job, "--out", packed).stdout.strip() == str(packed)
    opened = pigtail("pack", packed, "--out", tmp_path / "there").stdout.strip()
    assert Path(opened).read_bytes() == job.read_bytes()
    bad = tmp_path / "bad.zip"
    bad.write_bytes(b"no zip")
    refused = pigtail("pack", bad, "--out", tmp_path / "nowhere")
    assert (refused.returncode, refused.stderr.count("\n")) == (2, 1)
    assert not (tmp_path / "nowhere").exists()
