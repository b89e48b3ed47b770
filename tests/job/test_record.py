"""The record: it only grows, its file is checked, a pack is opened with care, the next copy begins narrowed."""

from __future__ import annotations

import io
import random
import stat
import warnings
import zipfile
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import msgspec
import pytest
from msgspec.structs import replace

from pigtail import edits
from pigtail.edits.again import again, narrowed
from pigtail.edits.change import checked
from pigtail.edits.readings import log_reading
from pigtail.edits.record import (
    file_with,
    keep_at,
    note,
    put_alteration,
    put_cover,
    put_sound,
    remove_work,
    set_money,
    spend,
    strike_entry,
)
from pigtail.job.document import Function, Job, Picture
from pigtail.job.errors import EditError, FileError, JobError
from pigtail.job.file import Document, decode, encode, load
from pigtail.job.logbook import (
    Alteration,
    Alters,
    Cover,
    Done,
    Fate,
    Filed,
    FileKind,
    Noted,
    Original,
    Passed,
    Spent,
)
from pigtail.job.pack import (
    JOB,
    LISTED,
    Contents,
    files_of,
    open_beside,
    open_pack,
    read_pack,
    sha256_of,
    write_pack,
)
from pigtail.units import Basis, Known

WHEN = datetime(2026, 11, 28, 10, 0)


def test_every_edit_of_the_record_only_adds_or_strikes(tidewell: Job) -> None:
    """Whatever is written, in whatever order: what was there before is there, the same or struck."""
    chance = random.Random(5)
    job = log_reading(
        tidewell,
        point="host.rail_5v",
        against="host.star",
        state="on",
        function=Function.DC_VOLTS,
        value=5.0,
        when=WHEN,
    )
    moves: tuple[Callable[[Job], Job], ...] = (
        lambda j: note(j, "a note", WHEN), lambda j: spend(j, "wire", chance.choice((None, 2.5)), WHEN, fate=chance.choice(tuple(Fate))),
        lambda j: keep_at(j, "lift:a", "R1", "bag", WHEN), lambda j: file_with(j, FileKind.BEFORE, "record/a.png", "0" * 64, WHEN),
        lambda j: strike_entry(j, chance.choice(j.record).id) if j.record else j,
    )  # fmt: skip
    for _ in range(60):
        after = chance.choice(moves)(job)
        assert len(after.record) >= len(job.record)
        for old, new in zip(job.record, after.record, strict=False):
            assert new in (old, replace(old, struck=True))
        job = after
    assert decode(encode(Document(job))).job == job
    assert len({e.id for e in job.record}) == len(job.record)


def test_what_cannot_be_is_refused(tidewell: Job) -> None:
    """Each with one sentence that names the place."""
    stamp = WHEN.isoformat()
    for entry, words in (
        (Spent(id="e1", when=stamp, what="x", amount=-1.0), "nought or more"), (Spent(id="e1", when=stamp, what="x", amount=float("nan")), "nought or more"),
        (Done(id="e1", when=stamp, seconds=-5), "nought seconds"), (Done(id="e1", when=stamp, seconds=float("inf")), "nought seconds"),
        (Passed(id="e1", when=stamp, reading="r9999"), "no reading"), (Passed(id="e1", when=stamp, reading=tidewell.readings[0].id, low=float("nan")), "ends at"),
        (Filed(id="e1", when=stamp, kind=FileKind.BEFORE, file="../x.png", sha256=""), "beside the job"),
        (Filed(id="e1", when=stamp, kind=FileKind.BEFORE, file="/etc/x", sha256=""), "beside the job"),
        (Noted(id="e1", when=stamp, text="x" * 5000), "longer than"), (Noted(id="E 1", when=stamp, text="x"), "no id"),
    ):  # fmt: skip
        with pytest.raises(EditError, match=words):
            checked(replace(tidewell, record=(entry,)))
    for edit, words in (
        (lambda: set_money(tidewell, budget=-1.0), "nought or more"), (lambda: put_cover(tidewell, Cover(id="a", name=" ")), "name"),
        (lambda: spend(tidewell, " ", 1.0, WHEN), "name"), (lambda: note(tidewell, "", WHEN), "write"),
        (lambda: keep_at(tidewell, "x", "y", " ", WHEN), "where"), (lambda: strike_entry(tidewell, "e7"), "no entry"),
        (lambda: remove_work(tidewell, "nope"), "nope"), (lambda: again(tidewell, 0), "copies"),
    ):  # fmt: skip
        with pytest.raises(EditError, match=words):
            edit()


def test_a_job_of_before_has_no_record(tidewell: Job) -> None:
    """A file of version 8 is read, and has nothing of the work."""
    raw = msgspec.json.decode(encode(Document(replace(tidewell, work=Job(host=tidewell.host).work))))
    raw["version"] = 8
    job = decode(msgspec.json.encode(raw)).job
    assert job.record == ()
    assert job.version == 9


def test_work_is_put_replaced_and_taken_out(tidewell: Job) -> None:
    """By its id."""
    job = put_alteration(tidewell, Alteration(id="cut", kind=Alters.CUT, what="a track"))
    job = put_alteration(job, Alteration(id="cut", kind=Alters.CUT, what="the track to R9", back=True))
    job = put_sound(job, Original(id="bell", name="bell"))
    assert [a.what for a in job.work.alterations] == ["the track to R9"]
    assert remove_work(remove_work(job, "cut"), "bell").work == tidewell.work


# -- again --------------------------------------------------------------------------------------------------


def test_the_next_copy_begins_with_nothing_done(tidewell: Job) -> None:
    """The same plan; no readings, no record; time, cost and what to do otherwise are kept; parts times n."""
    job = spend(note(tidewell, "drill first", WHEN, otherwise=True), "receiver", 12.0, WHEN)
    job = replace(
        job, record=(*job.record, Done(id="e9", when=WHEN.isoformat(), step="heed:job", seconds=600.0))
    )
    made = again(job, 3)
    assert (made.links, made.readings, made.record, made.build.copies) == (job.links, (), (), 3)
    assert (made.work.took_min, made.work.cost_before, made.work.copy_of) == (10.0, 12.0, job.name)
    assert "drill first" in made.brief.notes
    assert again(made).work.cost_before is None


def test_predictions_of_the_next_copy_are_narrowed_by_what_was_measured(tidewell: Job) -> None:
    """A rail that papers put at 4.5 to 5.5 V and that read 5.02 V is typical at 5.02 V for the next, no vaguer than the papers."""
    job = edits.set_value(
        replace(tidewell, readings=()),
        "host.rail_5v",
        "voltage",
        Known(nominal=5.0, low=4.5, high=5.5, unit="V", basis=Basis.DOCUMENTED),
    )
    job = log_reading(
        job,
        point="host.rail_5v",
        against="host.star",
        state="on",
        function=Function.DC_VOLTS,
        value=5.02,
        when=WHEN,
    )
    made = again(job).host
    known = next(t.voltage for t in made.terminals if t.id == "rail_5v")
    assert known.nominal == pytest.approx(5.02)
    assert known.basis is Basis.TYPICAL
    assert "measured on" in known.source
    assert 4.5 <= known.low < known.high <= 5.5
    untouched = again(replace(job, readings=())).host
    assert next(t.voltage for t in untouched.terminals if t.id == "rail_5v").high == 5.5


def test_a_reading_that_contradicts_the_papers_counts_for_the_next_copy() -> None:
    """Its own spread and what copies differ by, not the papers'."""
    paper = Known(nominal=9.0, low=8.5, high=9.5, unit="V", basis=Basis.DOCUMENTED)
    read = Known(nominal=5.0, low=4.98, high=5.02, unit="V", basis=Basis.MEASURED)
    found = narrowed(paper, read, "the first")
    assert found is not None
    assert (found.low, found.high) == pytest.approx((4.48, 5.52))
    assert narrowed(paper, None, "x") is paper
    assert narrowed(None, replace(read, basis=Basis.TYPICAL), "x") is None


# -- packs --------------------------------------------------------------------------------------------------


@pytest.fixture
def beside(tidewell: Job, tmp_path: Path) -> tuple[Document, Path]:
    """A job with a picture and a recording beside it."""
    folder = tmp_path / "here"
    (folder / "record").mkdir(parents=True)
    (folder / "board.png").write_bytes(b"not really a picture")
    (folder / "record" / "horn.wav").write_bytes(b"RIFF")
    digests = {n: sha256_of((folder / n).read_bytes()) for n in ("board.png", "record/horn.wav")}
    job = replace(
        tidewell, pictures=(Picture(id="board", name="board", file="board.png", sha256=digests["board.png"]),)
    )
    job = file_with(
        job,
        FileKind.SOUND,
        "record/horn.wav",
        digests["record/horn.wav"],
        WHEN,
        step="sound:horn",
        what="horn",
    )
    return Document(job, {"/future": 1}), folder


def test_a_pack_is_opened_as_it_was_packed(beside: tuple[Document, Path], tmp_path: Path) -> None:
    """Elsewhere: the same job with its unknown fields, its files where it looks for them, its sheet."""
    document, folder = beside
    packed = tmp_path / "out.pigtail.zip"
    assert write_pack(document, folder, packed, {"sheet.html": b"<p>"}) == ()
    away = tmp_path / "away"
    assert open_pack(packed, away) == away / JOB
    again_there = load(away / JOB)
    assert (again_there.job, again_there.extras) == (document.job, document.extras)
    assert all(
        sha256_of((away / name).read_bytes()) == digest for name, digest in files_of(document.job).items()
    )
    assert (away / "sheet" / "sheet.html").read_bytes() == b"<p>"
    with pytest.raises(FileError, match="something already"):
        open_pack(packed, away)
    assert [open_beside(packed).parent.name for _ in range(2)] == ["out", "out-2"]


def test_files_that_are_gone_or_changed_are_left_out_and_told(
    beside: tuple[Document, Path], tmp_path: Path
) -> None:
    """A pack never passes another file off as the one that was filed."""
    document, folder = beside
    (folder / "board.png").write_bytes(b"another")
    (folder / "record" / "horn.wav").unlink()
    assert set(write_pack(document, folder, tmp_path / "a.zip", {})) == {"board.png", "record/horn.wav"}
    assert set(write_pack(document, None, tmp_path / "b.zip", {})) == {"board.png", "record/horn.wav"}
    assert read_pack(tmp_path / "b.zip").keys() == {JOB}


def forged(
    tmp_path: Path,
    entries: list[tuple[zipfile.ZipInfo | str, bytes]],
    *,
    listed: dict[str, str] | None = None,
) -> Path:
    """A zip with such entries, and a list of them that tells the truth unless said otherwise."""
    files = listed if listed is not None else {
        (n if isinstance(n, str) else n.filename): sha256_of(d) for n, d in entries}  # fmt: skip
    path = tmp_path / "forged.pigtail.zip"
    data = io.BytesIO()
    with warnings.catch_warnings(), zipfile.ZipFile(data, "w", zipfile.ZIP_DEFLATED) as archive:
        warnings.simplefilter("ignore")  # a name that is there twice
        archive.writestr(LISTED, msgspec.json.encode(Contents(files=files)))
        for name, body in entries:
            archive.writestr(name, body)
    path.write_bytes(data.getvalue())
    return path


def link(name: str) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name)
    info.external_attr = (stat.S_IFLNK | 0o777) << 16
    return info


@pytest.mark.parametrize("name", [
    "../out", "files/../../out", "/etc/passwd", "~/x", "a\\..\\b", "C:/x", "files/a:b", "x" * 300, "FILES/../../y",
])  # fmt: skip
def test_no_name_in_a_pack_leaves_its_folder(tidewell: Job, tmp_path: Path, name: str) -> None:
    """Refused with one sentence, and nothing is written anywhere."""
    path = forged(tmp_path, [(JOB, encode(Document(tidewell))), (name, b"x")])
    with pytest.raises(FileError, match="leave its folder"):
        open_pack(path, tmp_path / "in" / "here")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["forged.pigtail.zip"]


def test_what_else_no_pack_may_be(tidewell: Job, tmp_path: Path) -> None:
    """Twice the same name, also in other letters or by way of `files/`; a link; a bomb; a list that lies; no list; no zip."""
    job = encode(Document(tidewell))
    bomb = b"\0" * 60_000_000
    cases: list[tuple[list[tuple[zipfile.ZipInfo | str, bytes]], dict[str, str] | None, str]] = [
        ([(JOB, job), ("a", b"1"), ("a", b"2")], None, "twice"), ([(JOB, job), ("files/A", b"1"), ("files/a", b"1")], None, "twice"),
        ([(JOB, job), ("files/job.pigtail", b"{}")], None, "twice"), ([(JOB, job), ("files/pack.json", b"{}")], None, "twice"),
        ([(JOB, job), (link("files/l"), b"/etc/passwd")], None, "is a link"), ([(JOB, job), ("files/big", bomb)], None, "unpacks to more"),
        ([(JOB, job)], {JOB: "0" * 64}, "not what its list says"), ([(JOB, job), ("files/x", b"1")], {JOB: sha256_of(job)}, "does not hold"),
        ([(JOB, job)], {JOB: sha256_of(job), "files/y": "0"}, "does not hold"), ([("x", b"1")], None, "does not hold"),
    ]  # fmt: skip
    for entries, listed, words in cases:
        path = forged(tmp_path, entries, listed=listed)
        with pytest.raises(FileError, match=words):
            read_pack(path)
    plain = tmp_path / "plain.pigtail.zip"
    for data, words in (
        (b"", "no zip"),
        (b"PK\x03\x04", "zip|read|damaged"),
        (b"PK\x05\x06" + b"\0" * 18, "no list"),
    ):
        plain.write_bytes(data)
        with pytest.raises(FileError, match=words):
            read_pack(plain)
    with pytest.raises(FileError, match="no such file"):
        read_pack(tmp_path / "nowhere.zip")


def test_a_damaged_pack_is_refused_at_every_byte(beside: tuple[Document, Path], tmp_path: Path) -> None:
    """Cut off anywhere, or with a byte turned: a sentence, or the very same files."""
    document, folder = beside
    whole = tmp_path / "whole.zip"
    write_pack(document, folder, whole, {})
    data, right = whole.read_bytes(), read_pack(whole)
    chance, bad = random.Random(3), tmp_path / "bad.zip"
    for k in range(400):
        at = chance.randrange(len(data))
        bad.write_bytes(
            data[:at]
            if k % 2
            else data[:at] + bytes([data[at] ^ (1 << chance.randrange(8))]) + data[at + 1 :]
        )
        try:
            found = read_pack(bad)
        except FileError as error:
            assert "\n" not in str(error)
        else:
            assert found == right


def test_a_job_that_cannot_be_in_a_pack_is_refused_when_it_is_opened(tmp_path: Path) -> None:
    """A pack says nothing of its job: that is read as any file is."""
    path = forged(tmp_path, [(JOB, b"{}")])
    opened = open_pack(path, tmp_path / "there")
    with pytest.raises(JobError):
        load(opened)
