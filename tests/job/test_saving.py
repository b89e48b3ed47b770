"""Saving over what is there: nothing is overwritten without a word, and links, modes and unknown fields stay as they are."""

from __future__ import annotations

import json
import os
import stat
import subprocess
import sys
from pathlib import Path

import pytest

from pigtail.edits.values import rename, set_values
from pigtail.job.difference import differences
from pigtail.job.disk import read_whole, seen_now, sweep_parts, write_atomically
from pigtail.job.document import Job
from pigtail.job.errors import FileError, JobError
from pigtail.job.file import Document, decode, encode, load, save
from pigtail.job.held import OpenFile, Owner, owner_of, show_owner, sweep_locks
from pigtail.job.recovery import Keeper, leftovers
from pigtail.job.saving import Obstacle, ObstacleError, free_name, save_over


@pytest.fixture
def locks(tmp_path: Path) -> Path:
    """A folder for locks."""
    return tmp_path / "locks"


def refused(document: Document, path: Path, seen: object, locks: Path) -> Obstacle:
    """Why a save is not made at once."""
    with pytest.raises(ObstacleError) as trouble:
        save_over(document, path, seen, folder=locks)  # type: ignore[arg-type]
    return trouble.value.obstacle


def test_what_another_wrote_is_not_saved_over(tmp_path: Path, larkmoor: Job, locks: Path) -> None:
    """Changed, new or gone since it was seen asks; what was seen, or written anew the same, does not."""
    path = tmp_path / "a.pigtail"
    mine = Document(rename(larkmoor, "mine"))
    seen = save_over(Document(larkmoor), path, None, folder=locks)
    seen = save_over(mine, path, seen, folder=locks)
    path.write_bytes(path.read_bytes())  # touched, and the same
    seen = save_over(mine, path, seen, folder=locks)
    save(Document(rename(larkmoor, "theirs")), path)
    assert refused(mine, path, seen, locks) is Obstacle.CHANGED
    assert load(path).job.name == "theirs"
    assert refused(mine, path, None, locks) is Obstacle.STRANGE
    path.unlink()
    assert refused(mine, path, seen, locks) is Obstacle.GONE
    assert not path.exists()
    save_over(mine, path, seen, frozenset((Obstacle.GONE,)), folder=locks)
    assert load(path).job.name == "mine"


def test_what_was_read_can_be_saved_over(tmp_path: Path, larkmoor: Job, locks: Path) -> None:
    """A document knows how its file was when it was read."""
    path = tmp_path / "a.pigtail"
    save(Document(larkmoor), path)
    document = load(path)
    save_over(Document(rename(document.job, "later")), path, document.seen, folder=locks)
    assert refused(document, path, document.seen, locks) is Obstacle.CHANGED


def test_a_link_stays_one_and_so_does_its_targets_mode(tmp_path: Path, larkmoor: Job, locks: Path) -> None:
    """Saving through a symbolic link writes its target, in its own folder."""
    target, link = tmp_path / "there" / "real.pigtail", tmp_path / "link.pigtail"
    target.parent.mkdir()
    seen = save(Document(larkmoor), target)
    target.chmod(0o640)
    link.symlink_to(target)
    save_over(Document(rename(larkmoor, "later")), link, seen, folder=locks)
    assert link.is_symlink()
    assert load(target).job.name == "later"
    assert stat.S_IMODE(target.stat().st_mode) == 0o640


def test_a_protected_file_and_one_of_several_names_are_asked_for(
    tmp_path: Path, larkmoor: Job, locks: Path
) -> None:
    """Mode 0444 stays 0444; both names of a hard link go on naming one file."""
    path, other = tmp_path / "a.pigtail", tmp_path / "b.pigtail"
    later = Document(rename(larkmoor, "later"))
    seen = save(Document(larkmoor), path)
    path.chmod(0o444)
    assert refused(later, path, seen, locks) is Obstacle.PROTECTED
    seen = save_over(later, path, seen, frozenset((Obstacle.PROTECTED,)), folder=locks)
    assert stat.S_IMODE(path.stat().st_mode) == 0o444
    path.chmod(0o644)
    os.link(path, other)
    assert refused(Document(larkmoor), path, seen, locks) is Obstacle.LINKED
    save_over(Document(larkmoor), path, seen, frozenset((Obstacle.LINKED,)), folder=locks)
    assert load(other).job == load(path).job == larkmoor
    assert path.stat().st_ino == other.stat().st_ino


def test_two_that_save_at_once_lose_nothing_unsaid(tmp_path: Path, larkmoor: Job) -> None:
    """Of two programs that read one state and save, one is told; both go on from there."""
    path = tmp_path / "a.pigtail"
    seen = save(Document(larkmoor), path)
    code = (
        "import sys; from pathlib import Path; from pigtail.job.saving import *; from pigtail.job.file import *;"
        "from pigtail.job.disk import Seen; import msgspec\n"
        "p=Path(sys.argv[1]); d=load(p); s=msgspec.json.decode(sys.argv[2],type=Seen); print('ready',flush=True); sys.stdin.readline()\n"
        "try: save_over(Document(d.job), p, s, folder=Path(sys.argv[3])); print('saved')\n"
        "except ObstacleError as e: print(e.obstacle.name)\n"
    )
    import msgspec

    told = []
    for _ in range(3):
        save(Document(larkmoor), path)
        path.write_bytes(encode(Document(larkmoor)) + b" \n")  # the state both have read
        seen = seen_now(path)
        arguments = [
            sys.executable,
            "-c",
            code,
            str(path),
            msgspec.json.encode(seen).decode(),
            str(tmp_path / "l"),
        ]
        both = [
            subprocess.Popen(arguments, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
            for _ in range(2)
        ]
        for process in both:
            assert process.stdout is not None
            assert process.stdout.readline() == "ready\n"
        told.append(sorted(process.communicate("\n")[0].strip() for process in both))
    assert told == [["CHANGED", "saved"]] * 3


def test_a_living_owner_is_told_and_a_dead_one_is_swept(tmp_path: Path) -> None:
    """Another that opens the file is told whose it is; after that one has ended nothing is left of it."""
    path, locks = tmp_path / "a.pigtail", tmp_path / "locks"
    first = OpenFile(path, locks)
    assert first.mine
    second = OpenFile(tmp_path / "." / "a.pigtail", locks)
    assert second.owner is not None
    assert second.owner.pid == os.getpid()
    assert not second.mine
    assert owner_of(path, locks) is not None
    assert sweep_locks(locks) == 0
    second.close()
    assert first.mine
    first.close()
    assert owner_of(path, locks) is None
    (locks / "dead.lock").write_bytes(b"{}")
    (locks / "dead.save").write_bytes(b"")
    assert sweep_locks(locks) == 2
    assert list(locks.iterdir()) == []
    assert not show_owner(Owner(1, str(tmp_path / "nobody.sock")))


def test_unfinished_files_of_the_dead_are_swept_and_those_of_the_living_are_not(tmp_path: Path) -> None:
    """A writer holds a lock on what it writes."""
    import fcntl

    left, busy = tmp_path / ".pigtail-aa-bb.part", tmp_path / ".pigtail-aa-cc.part"
    left.write_bytes(b"half")
    with busy.open("wb") as file:
        fcntl.flock(file, fcntl.LOCK_EX)
        assert sweep_parts(tmp_path) == 1
    assert not left.exists()
    assert busy.exists()


def test_a_name_as_long_as_a_name_can_be_is_saved(tmp_path: Path, larkmoor: Job) -> None:
    """What is written meanwhile has a short name of its own."""
    path = tmp_path / ("x" * 247 + ".pigtail")
    save(Document(larkmoor), path)
    assert load(path).job == larkmoor


@pytest.mark.parametrize("text", ["a\ud800b", "\udfff", "nul\x00", "\x1b[31m", "line\r\nend\r", "\ufffe"])
def test_a_text_that_no_file_can_hold_is_made_storable_where_it_enters(
    text: str, larkmoor: Job, tmp_path: Path
) -> None:
    """An edit cleans it; what is kept and saved reads back as it is shown."""
    job = rename(larkmoor, f"name {text}!")
    save(Document(job), tmp_path / "a.pigtail")
    assert load(tmp_path / "a.pigtail").job == job
    assert job.name.startswith("name ")
    keeper = Keeper(tmp_path / "recovery")
    keeper.keep(Document(larkmoor), 1, f"/tmp/{text}.pigtail")
    keeper.close()


def test_a_text_longer_than_its_field_is_refused_where_it_enters(larkmoor: Job) -> None:
    """By an edit and in a file, with the place and the mend."""
    with pytest.raises(JobError, match=r"name: the text is longer than 300 characters; shorten it"):
        rename(larkmoor, "x" * 301)
    raw = json.loads(encode(Document(rename(larkmoor, "x" * 300))))
    raw["brief"] = {"notes": "y" * 4001}
    with pytest.raises(JobError, match=r"brief\.notes"):
        decode(json.dumps(raw).encode())


def test_every_text_of_a_job_has_a_limit_in_the_schema() -> None:
    """No text but the ones of fixed words goes without."""
    from pigtail.job.file import schema

    def walk(node: object, place: str) -> list[str]:
        if isinstance(node, list):
            return [x for n in node for x in walk(n, place)]
        if not isinstance(node, dict):
            return []
        found = (
            [place] if node.get("type") == "string" and not {"maxLength", "enum", "const"} & set(node) else []
        )
        return found + [x for k, n in node.items() for x in walk(n, f"{place}/{k}")]

    assert [p for p in walk(schema(), "") if not p.endswith("/format")] == []


@pytest.mark.parametrize("name", ["a/b", "/", "~", "~1", "a~0/b", "", "x"])
def test_an_unknown_field_of_any_name_is_kept(name: str, larkmoor: Job) -> None:
    """At the top, in a record and in an entry of a list; beside one whose name begins like it."""
    raw = json.loads(encode(Document(larkmoor)))
    for place in (raw, raw["host"], raw["modules"][0]["terminals"][0], raw["links"][0]["joins"][0]):
        place[f"later{name}"] = {"a/b": [1, {"c": name}]}
        place["later"] = 1
    again = json.loads(encode(decode(json.dumps(raw).encode())))
    assert again == raw


def test_a_difference_is_told_by_place(larkmoor: Job) -> None:
    """What differs, and no more."""
    assert differences(larkmoor, larkmoor) == ()
    (line,) = differences(rename(larkmoor, "mine"), rename(larkmoor, "theirs"))
    value = (("host.record_in", "impedance", None),)
    (known,) = differences(larkmoor, set_values(larkmoor, value))
    assert known == "host › terminals › record_in › impedance: 47 kΩ here, nothing in the file"
    assert line == "name: “mine” here, “theirs” in the file"


def test_a_free_name_is_free(tmp_path: Path) -> None:
    """The next number that nothing has."""
    (tmp_path / "a (2).pigtail").touch()
    assert free_name(tmp_path / "a.pigtail") == tmp_path / "a (3).pigtail"


@pytest.mark.parametrize("what", ["pipe", "device", "folder", "giant", "none"])
def test_what_is_no_plain_file_is_refused_at_once(what: str, tmp_path: Path) -> None:
    """A pipe that nobody writes to does not wait, a device does not go on for ever."""
    path = {"device": Path("/dev/zero"), "folder": tmp_path}.get(what, tmp_path / "x")
    if what == "pipe":
        os.mkfifo(path)
    elif what == "giant":
        with path.open("wb") as file:
            file.truncate(3 << 30)
    with pytest.raises(FileError):
        read_whole(path, 1000)


def test_leftovers_of_every_kind_stop_no_start(tmp_path: Path, larkmoor: Job) -> None:
    """A pipe, 3 GiB, a deep nest, a link to nowhere, a folder: told, and the good one beside them is offered."""
    good = Keeper(tmp_path)
    good.keep(Document(larkmoor), 3)
    os.close(good._lock)
    os.mkfifo(tmp_path / "a.json")
    with (tmp_path / "b.json").open("wb") as file:
        file.truncate(3 << 30)
    nest = b"[" * 200_000
    (tmp_path / "c.json").write_bytes(b'{"saved_as":"","number":1,"job":' + nest)
    (tmp_path / "d.json").symlink_to(tmp_path / "nowhere")
    (tmp_path / "e.json").mkdir()
    (tmp_path / "f.json").write_bytes(
        b'{"saved_as":"","number":1,"job":{"format":"pigtail job","version":9,"host":' + b'{"a":' * 9000
    )
    (tmp_path / "dead.lock").touch()
    left = leftovers(tmp_path)
    assert [x.number for x in left.jobs] == [3]
    assert {p.name[0] for p, _ in left.unreadable} == set("abcdef")
    assert not (tmp_path / "dead.lock").exists()


def test_a_full_disk_at_any_write_leaves_the_old_or_the_new(
    tmp_path: Path, larkmoor: Job, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The n-th call that writes fails, for every n: the file is whole and nothing unfinished lies beside it."""
    path = tmp_path / "a.pigtail"
    old, new = encode(Document(larkmoor)), encode(Document(rename(larkmoor, "later")))
    calls = {name: getattr(os, name) for name in ("write", "fsync", "replace", "open")}
    for fails in range(1, 12):
        path.write_bytes(old)
        count = 0

        def counted(name: str):  # type: ignore[no-untyped-def]
            def call(*arguments, **named):  # type: ignore[no-untyped-def]
                nonlocal count
                count += 1
                if count == fails:  # noqa: B023
                    raise OSError(28, "No space left on device")
                return calls[name](*arguments, **named)

            return call

        with monkeypatch.context() as patch:
            for name in calls:
                patch.setattr(os, name, counted(name))
            try:
                write_atomically(path, new)
                acknowledged = True
            except FileError:
                acknowledged = False
        assert path.read_bytes() in ((new,) if acknowledged else (old, new))
        assert [p.name for p in tmp_path.iterdir()] == ["a.pigtail"]
        if acknowledged:
            break
    assert acknowledged
    assert fails > 4
