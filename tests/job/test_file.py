"""The job file: what is kept, what is refused and how, and that nothing is lost on trouble."""

from __future__ import annotations

import json
import os
import resource
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from pigtail.catalogue.demo import demo_bytes
from pigtail.job.document import Job
from pigtail.job.errors import FileError, JobError
from pigtail.job.file import MAX_BYTES, Document, decode, encode, load, save, schema


def raw() -> dict[str, Any]:
    """The flawed demo as plain JSON."""
    found: dict[str, Any] = json.loads(demo_bytes("larkmoor"))
    return found


def test_saving_what_was_loaded_gives_the_same_bytes(tmp_path: Path) -> None:
    """The file has one form, so version control shows only what changed."""
    path = tmp_path / "a.pigtail"
    path.write_bytes(demo_bytes("larkmoor"))
    save(load(path), path)
    assert path.read_bytes() == demo_bytes("larkmoor")


def test_one_value_stands_on_a_line() -> None:
    """A changed value is a changed line."""
    job = raw()
    job["host"]["terminals"][0]["impedance"]["nominal"] = 48000.0
    before = demo_bytes("larkmoor").decode().splitlines()
    after = encode(decode(json.dumps(job).encode())).decode().splitlines()
    assert sum(a != b for a, b in zip(before, after, strict=True)) == 1


def test_unknown_fields_are_kept() -> None:
    """Fields of a later program survive being opened and saved by this one, wherever they stand."""
    job = raw()
    job["future"] = {"a": [1, 2]}
    job["host"]["terminals"][0]["smell"] = "burnt"
    job["links"][0]["sections"][2]["parts"][1]["supplier"] = "drawer 7"
    again = json.loads(encode(decode(json.dumps(job).encode())))
    assert again["future"] == {"a": [1, 2]}
    assert again["host"]["terminals"][0]["smell"] == "burnt"
    assert again["links"][0]["sections"][2]["parts"][1]["supplier"] == "drawer 7"


def _set(path: str, value: Any) -> Callable[[dict[str, Any]], None]:
    """A mutation of the raw job: `a.b.0.c` set to a value."""

    def mutate(job: dict[str, Any]) -> None:
        *way, last = path.split(".")
        place: Any = job
        for step in way:
            place = place[int(step)] if isinstance(place, list) else place[step]
        if isinstance(place, list):
            place[int(last)] = value
        else:
            place[last] = value

    return mutate


FAULTS = [
    (_set("version", 99), "newer Pigtail"),
    (_set("version", "one"), "whole number"),
    (_set("format", "something else"), "not a Pigtail job"),
    (_set("name", 7), "name"),
    (_set("host", []), "host"),
    (_set("host.terminals.0.impedance.nominal", "47k"), "host.terminals"),
    (_set("host.terminals.0.impedance.low", 99e3), "does not hold its own value"),
    (_set("host.terminals.0.impedance", {"nominal": -5, "low": -5, "high": -5, "unit": "Ω", "basis": "typical"}), "below"),
    (_set("host.terminals.0.impedance.unit", "V"), "unit"),
    (_set("host.terminals.0.return_to", "nowhere"), "not a return"),
    (_set("host.terminals.0.id", "Has Spaces"), "no id"),
    (_set("host.terminals.1.id", "record_in"), "twice"),
    (_set("host.terminals.1.return_to", "star"), "has no return of its own"),
    (_set("host.terminals.0.states", ["dreaming"]), "not a state"),
    (_set("host.paths.0.b", "input_return"), "to itself"),
    (_set("host.stages.0.points", ["ghost"]), "not a point"),
    (_set("links.0.joins.0.terminal", "host.ghost"), "does not exist"),
    (_set("links.0.joins.1.port", "in_l"), "joined twice"),
    (_set("links.0.joins.0.conductor.gauge", 77), "AWG"),
    (_set("links.0.joins.0.conductor.length.low", -1.0), "below 0"),
    (_set("links.0.sections", []), "at least one network"),
    (_set("links.1.id", "feed"), "twice"),
    (_set("modules.0.id", "host"), "rename"),
    (_set("readings.0.point", "rx.ghost"), "does not exist"),
    (_set("readings.0.state", "asleep"), "not a state"),
    (_set("readings.0.function", "smell"), "readings"),
]  # fmt: skip


@pytest.mark.parametrize(("mutate", "words"), FAULTS, ids=[w for _, w in FAULTS])
def test_a_faulty_job_is_refused_in_one_sentence(
    mutate: Callable[[dict[str, Any]], None], words: str
) -> None:
    """Wrong types, wrong references, impossible values: the sentence tells what and where."""
    job = raw()
    mutate(job)
    with pytest.raises(JobError) as trouble:
        decode(json.dumps(job).encode())
    assert words in str(trouble.value)
    assert "\n" not in str(trouble.value)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"), (b"   ", "empty"), (b"not json", "not complete JSON"), (demo_bytes("larkmoor")[:900], "not complete JSON"),
        (b"[1, 2]", "not a Pigtail job"), (b'{"format": "pigtail job"}', "version"), (b"\xff\xfe\x00", "not complete JSON"),
        (b"[" * 100_000, "nested too deeply"), (b'{"format": "pigtail job", "version": 1, "host": NaN}', "not complete JSON"),
        (b'{"format": "pigtail job", "version": 1, "x": 1e999}', "JSON"),
    ],
)  # fmt: skip
def test_what_is_no_job_is_refused_in_one_sentence(data: bytes, words: str) -> None:
    """Empty, truncated, nested without end, not JSON, not a number: no traceback."""
    with pytest.raises(JobError) as trouble:
        decode(data)
    assert words in str(trouble.value)


def test_missing_files_folders_and_giants_are_refused(tmp_path: Path) -> None:
    """The sentence names the path."""
    giant = tmp_path / "giant.pigtail"
    with giant.open("wb") as file:
        file.truncate(MAX_BYTES + 1)
    for path, words in (
        (tmp_path / "none.pigtail", "no such file"),
        (tmp_path, "not a file"),
        (giant, "larger"),
    ):
        with pytest.raises(FileError, match=words) as trouble:
            load(path)
        assert str(path) in str(trouble.value)


def test_a_folder_that_cannot_be_written_keeps_the_old_file(tmp_path: Path, larkmoor: Job) -> None:
    """Saving where no file can be made is refused with the path."""
    with pytest.raises(FileError, match="cannot be written"):
        save(Document(larkmoor), tmp_path / "no such folder" / "a.pigtail")


def test_a_full_disk_leaves_the_old_file_whole(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, larkmoor: Job
) -> None:
    """When the disk has no room the old file is untouched and no scrap is left."""
    path = tmp_path / "a.pigtail"
    save(Document(larkmoor), path)
    before = path.read_bytes()

    def full(_handle: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(FileError, match="No space left"):
        save(Document(larkmoor), path)
    assert path.read_bytes() == before
    assert list(tmp_path.iterdir()) == [path]


def test_a_size_limit_on_files_is_told_in_one_sentence(tmp_path: Path) -> None:
    """A real write that the system cuts short: exit 2, one sentence, no traceback, no half file."""

    def limit() -> None:
        resource.setrlimit(resource.RLIMIT_FSIZE, (2000, 2000))

    script = "import signal, sys; signal.signal(signal.SIGXFSZ, signal.SIG_IGN); from pigtail.__main__ import main; sys.exit(main())"
    # -B: the limit would cut short the bytecode that is written too, and leave it for the next start
    command = [sys.executable, "-B", "-c", script, "demo", "--export", str(tmp_path)]
    done = subprocess.run(command, preexec_fn=limit, capture_output=True, text=True, check=False)
    assert done.returncode == 2
    assert "cannot be written" in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1
    assert list(tmp_path.iterdir()) == []


def test_the_schema_names_every_part_of_a_job() -> None:
    """The JSON Schema is made from the structs that read the file."""
    definitions = schema()["$defs"]
    assert {"Job", "Host", "Module", "Link", "Reading", "Known"} <= set(definitions)
    assert "host" in definitions["Job"]["required"]
