"""Lists, libraries, stand-ins, recordings and tables from strangers: read within limits, or refused in one sentence."""

from __future__ import annotations

import json
import sqlite3
import subprocess
import sys
import time
from contextlib import closing
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from pigtail.bench.truth import decode, shipped
from pigtail.catalogue.stock import Held, load_stock, parse_stock, read_stock
from pigtail.job.document import Job
from pigtail.job.errors import FileError, JobError
from pigtail.job.reading_import import read_rows
from pigtail.studies.loudness import integrated, loudness_of

WHEN = datetime(2026, 11, 28)


@pytest.mark.parametrize(
    "text", ["x" * 50_000, " " * 50_000 + "y", "4k7" + " " * 50_000 + "x", "1 x " * 20_000]
)
def test_a_line_without_an_end_is_refused_at_once(text: str) -> None:
    """In a time that grows with its length alone."""
    began = time.process_time()
    with pytest.raises(JobError, match="no part"):
        parse_stock(text)
    assert time.process_time() - began < 1.0


def test_a_list_of_a_megabyte_is_refused(tmp_path: Path) -> None:
    """It is no list of anybody's parts."""
    (tmp_path / "list.txt").write_text("4k7\n" * 300_000)
    with pytest.raises(FileError, match="larger than 1 MB"):
        read_stock(tmp_path / "list.txt")


def test_what_is_no_part_in_the_library_is_passed_over(tmp_path: Path) -> None:
    """Text, nothing, infinity, a kind that is none: the parts beside them are there."""
    path = tmp_path / "library.sqlite"
    with closing(sqlite3.connect(path)) as library, library:
        library.execute("CREATE TABLE stock (kind, value, count)")
        rows = [("resistor", 4700.0, 3), ("resistor", "many", 1), ("resistor", None, 1), ("capacitor", float("inf"), 1), ("x", 1.0, 1),
                ("resistor", -1.0, 1), ("capacitor", 1e-7, None), (None, None, None), ("resistor", 100.0, -5), ("resistor", b"\x00", 1)]  # fmt: skip
        library.executemany("INSERT INTO stock VALUES (?, ?, ?)", rows)
    assert load_stock(path) == (Held("resistor", 4700.0, 3),)
    path.unlink()
    path.mkdir()
    with pytest.raises(FileError, match="no library"):
        load_stock(path)


def changed(**changes: Any) -> bytes:
    """A stand-in that ships, with something changed in its file."""
    raw = json.loads(shipped()["brindle"].read_text())
    for place, value in changes.items():
        at = raw
        *path, last = place.split("__")
        for name in path:
            at = at[name]
        at[last] = value(at.get(last)) if callable(value) else value
    return json.dumps(raw).encode()


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"seed": -1}, "from nought"),
        (
            {"joints": lambda old: [{"a": "aux_left", "b": "aux_right", "ohm": 1.0}] * 20_000},
            "more than 2,000",
        ),
        ({"papers__version": 99}, "newer version"),
        ({"meter": "a telescope"}, "no meter"),
        ({"title": "x" * 301}, "300"),
        (
            {"truth__terminals": lambda old: old + [{**old[0], "id": f"p{k}"} for k in range(3000)]},
            "more than the 500",
        ),
        (
            {
                "links": [
                    {
                        "id": "x",
                        "name": "x",
                        "purpose": "supply",
                        "sections": [{"topology": "unheard"}],
                        "joins": [],
                    }
                ]
            },
            "unheard",
        ),
    ],
    ids=lambda v: str(v)[:30],
)
def test_a_stand_in_that_makes_no_sense_is_refused(changes: dict[str, Any], words: str) -> None:
    """With the place and the mend; the one that ships is read."""
    decode(changed())
    with pytest.raises(JobError, match=words):
        decode(changed(**changes))


@pytest.mark.parametrize("end", ["\n", "\r\n", "\r"])
def test_a_table_of_any_line_ends_is_read(end: str, larkmoor: Job) -> None:
    """As old and new machines write them."""
    text = end.join(
        ("point,state,function,value", "rail_low,on,DC volts,12.1", "rail_low,on,DC volts,12.2", "")
    )
    assert [r.value.nominal for r in read_rows(larkmoor, text, WHEN)] == [12.1, 12.2]


@pytest.mark.parametrize(
    "text",
    [
        'a,"b\nc',
        "x" * 200_000,
        "point,value\nrail_low,\x00\n",
        '"' * 3001,
        "point,value\n" + "\x00" * 50,
        "," * 100_000,
        "y" * 8_000_001,
    ],
)
def test_a_table_that_is_none_is_refused(text: str, larkmoor: Job) -> None:
    """In one sentence."""
    with pytest.raises(JobError):
        read_rows(larkmoor, text, WHEN)


def wav(path: Path, samples: np.ndarray, rate: int, form: str = "FLOAT") -> Path:
    """A recording."""
    import soundfile

    soundfile.write(path, samples, rate, subtype=form)
    return path


def test_a_recording_is_judged_in_blocks_as_it_is_whole(tmp_path: Path) -> None:
    """Against the package's own figure of the whole recording (ITU-R BS.1770), over rates, channels and lengths."""
    import pyloudnorm

    chance = np.random.default_rng(1)
    for rate, channels, seconds in (
        (8000, 1, 0.4),
        (44100, 2, 3.03),
        (48000, 5, 12.0),
        (96000, 2, 7.7),
        (48000, 1, 31.0),
    ):
        samples = chance.normal(size=(int(rate * seconds), channels)) * 0.1
        samples[: len(samples) // 3] *= 0.01
        whole = pyloudnorm.Meter(rate, filter_class="DeMan").integrated_loudness(samples)
        assert integrated(samples, rate) == pytest.approx(whole, abs=1e-6)
        found = loudness_of(wav(tmp_path / "a.wav", samples, rate))
        assert found.lufs == pytest.approx(whole, abs=1e-3)
        assert found.seconds == pytest.approx(seconds, abs=1e-3)


def test_a_recording_that_is_none_is_refused(tmp_path: Path) -> None:
    """No numbers, one sample a second, an hour and more."""
    broken = np.full((48000, 1), np.nan)
    with pytest.raises(FileError, match="no numbers"):
        loudness_of(wav(tmp_path / "a.wav", broken, 48000))
    with pytest.raises(FileError, match="samples a second"):
        loudness_of(wav(tmp_path / "b.wav", np.zeros((100, 1)), 1))
    with pytest.raises(FileError, match="longer than an hour"):
        loudness_of(sparse(tmp_path / "c.wav", 3_000_000_000))


def sparse(path: Path, size: int) -> Path:
    """A recording of silence whose file holds hardly anything: 16 bits, stereo, 48 kHz."""
    import struct

    head = struct.pack(
        "<4sI4s4sIHHIIHH4sI",
        b"RIFF",
        size + 36,
        b"WAVE",
        b"fmt ",
        16,
        1,
        2,
        48000,
        192_000,
        4,
        16,
        b"data",
        size,
    )
    with path.open("wb") as file:
        file.write(head)
        file.truncate(size + 44)
    return path


@pytest.mark.long
def test_a_long_recording_takes_little_memory(tmp_path: Path) -> None:
    """Twenty minutes of stereo in less than 200 MB more than the program itself."""
    path = sparse(tmp_path / "long.wav", 192_000 * 1200)
    code = (
        "import resource, sys; from pigtail.studies.loudness import loudness_of, integrated; import numpy as np\n"
        "integrated(np.ones((48000, 2)), 48000); import soundfile\n"
        "before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss\n"
        "try: loudness_of(sys.argv[1])\n"
        "except ValueError as error: print(error)\n"
        "print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1000)\n"
    )
    found = subprocess.run(
        [sys.executable, "-c", code, str(path)], capture_output=True, text=True, timeout=120, check=True
    )
    words, more = found.stdout.splitlines()
    assert "silent" in words
    assert float(more) < 200
