"""The person's own modules and hosts: kept, offered, passed on as files, and what strangers put into such files."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import msgspec
import pytest
from msgspec.structs import replace

from pigtail.catalogue import library
from pigtail.catalogue.kinds import host_kinds, make_host, make_module, module_kinds
from pigtail.job.errors import FileError


def test_what_is_kept_is_offered_first_and_made_again(tmp_path: Path) -> None:
    """With every value it had; taken out it is offered no more."""
    path = tmp_path / "devices.sqlite"
    mine = replace(make_module("card_player_5v"), name="My player")
    number = library.keep(mine, "from the job “X”", path)
    library.keep(make_host("toy", "My toy"), "from papers", path)
    first = library.offered("module", path)[0]
    assert (first.name, first.key) == ("My player", f"own:{number}")
    assert "from the job “X”" in first.summary
    assert library.made_module(first.key, "m2", path) == replace(mine, id="m2")
    assert library.made_host(library.offered("host", path)[0].key, "", path).name == "My toy"
    library.forget(number, path)
    assert [k.name for k in library.kept("", path)] == ["My toy"]
    with pytest.raises(FileError, match="no device"):
        library.made_module(first.key, "m", path)


@pytest.mark.parametrize("kind", [*(k.key for k in module_kinds()), *(k.key for k in host_kinds())])
def test_every_kind_is_written_and_read_back(kind: str, tmp_path: Path) -> None:
    """A file holds one device whole."""
    device = make_host(kind) if kind in {k.key for k in host_kinds()} else make_module(kind)
    path = tmp_path / f"x{library.SUFFIX}"
    library.write_device(device, path)
    assert library.read_device(path) == device


@pytest.mark.parametrize(
    "content",
    [
        b"", b"{}", b"nonsense", b'{"format": "other", "version": 1, "what": "module", "device": {}}', b"[" * 5000,
        b'{"format": "pigtail-device", "version": 9, "what": "module", "device": {"id": "m", "name": "x"}}',
        b'{"format": "pigtail-device", "version": 1, "what": "module", "device": {"id": "host host", "name": 3}}',
        b'{"format": "pigtail-device", "version": 1, "what": "zebra", "device": 5}',
        b'{"format": "pigtail-device", "version": 1, "what": "module", "device": {"id": "m", "name": "' + b"n" * 5000 + b'"}}',
    ],
)  # fmt: skip
def test_a_strange_file_is_refused_in_one_sentence(content: bytes, tmp_path: Path) -> None:
    """Nothing of it is taken."""
    path = tmp_path / "x.pigtail-device"
    path.write_bytes(content)
    with pytest.raises(FileError) as trouble:
        library.read_device(path)
    assert "\n" not in str(trouble.value)


def test_a_device_whose_points_make_no_sense_is_refused(tmp_path: Path) -> None:
    """A return that is not there would make every study of it wrong."""
    module = make_module("card_player_5v")
    bad = replace(
        module, terminals=(replace(module.terminals[0], return_to="nowhere"), *module.terminals[1:])
    )
    path = tmp_path / "x.pigtail-device"
    path.write_bytes(msgspec.json.encode(library.DeviceFile("pigtail-device", 1, "module", bad)))
    with pytest.raises(FileError, match="nowhere"):
        library.read_device(path)


def test_a_newer_or_broken_library_is_told_and_left(tmp_path: Path) -> None:
    """Its lists offer what the catalogue has."""
    newer, broken = tmp_path / "newer.sqlite", tmp_path / "broken.sqlite"
    made = sqlite3.connect(newer)
    made.execute("PRAGMA user_version = 7")
    made.close()
    broken.write_bytes(b"no database at all" * 100)
    for path, words in ((newer, "newer Pigtail"), (broken, "cannot be opened")):
        before = path.read_bytes()
        with pytest.raises(FileError, match=words):
            library.kept("", path)
        assert library.offered("module", path) == module_kinds()
        assert path.read_bytes() == before


def test_a_library_that_breaks_under_way_is_told_in_one_sentence(tmp_path: Path) -> None:
    """A table that is not as it should be: whatever is asked of it, the answer is one sentence."""
    path = tmp_path / "odd.sqlite"
    made = sqlite3.connect(path)
    made.execute("CREATE TABLE other (x)")
    made.execute("PRAGMA user_version = 1")
    made.close()
    for ask in (
        lambda: library.kept("", path),
        lambda: library.keep(make_module("card_player_5v"), "x", path),
        lambda: library.device_of(1, path),
        lambda: library.forget(1, path),
    ):
        with pytest.raises(FileError) as trouble:
            ask()
        assert "\n" not in str(trouble.value)
