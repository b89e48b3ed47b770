"""Making one source as loud as another, and the schools that modders disagree on, each solved for the job in hand."""

from __future__ import annotations

import json
import pickle
from pathlib import Path

import numpy as np
import pytest
import soundfile

from feeds import crossover, hall, headphones, known, pad
from pigtail import edits
from pigtail.advice.level_schools import contests
from pigtail.advice.matching import match_source
from pigtail.advice.search import search
from pigtail.cli.main import parse
from pigtail.cli.main import run as command
from pigtail.job.document import Function, Job, Reading
from pigtail.job.errors import EditError, FileError
from pigtail.job.file import Document, save
from pigtail.job.readings import difference_db, levels_read
from pigtail.model.model import Model
from pigtail.studies.findings import Severity
from pigtail.studies.level.study import study_level
from pigtail.studies.loudness import loudness_of


@pytest.fixture
def recordings(tmp_path: Path) -> tuple[Path, Path]:
    """Pink-ish noise from the module, and the same 8 dB louder from the tuner."""
    noise = np.cumsum(np.random.default_rng(7).normal(0, 1, (8 * 48_000, 2)), axis=0)
    noise = np.diff(noise - noise.mean(axis=0), axis=0) * 0.02
    paths = (tmp_path / "module.wav", tmp_path / "tuner.wav")
    for path, gain in zip(paths, (1.0, 10 ** (8 / 20)), strict=True):
        soundfile.write(path, noise * gain, 48_000, subtype="FLOAT")
    return paths


def test_recordings_tell_how_far_apart_two_sources_are(recordings: tuple[Path, Path]) -> None:
    """8 dB of gain are 8 LU."""
    module, tuner = map(loudness_of, recordings)
    assert tuner.lufs - module.lufs == pytest.approx(8.0, abs=0.05)


@pytest.mark.parametrize("louder", [-9.0, 6.0])
def test_a_match_makes_the_search_find_the_network(louder: float) -> None:
    """What is wanted moves by the difference; the first option then delivers it."""
    job = pad()
    now = study_level(Model.of(job)).numbers["level.delivered_dbv"].value
    matched = match_source(job, "feed_left", louder, "the tuner")
    detail = {d.link: d for d in study_level(Model.of(matched)).feeds}
    for side in ("feed_left", "feed_right"):  # programme, over which full scale lies by 9 dB
        assert detail[side].wanted.value == pytest.approx(now + louder - 9.0, abs=0.01)
    best = search(matched, "feed_left").options[0]
    made = study_level(Model.of(edits.replace_link(matched, best.link)))
    delivered = next(d for d in made.feeds if d.link == "feed_left").numbers["delivered_dbv"].value
    assert delivered == pytest.approx(now + louder, abs=1.5)


def test_what_makes_no_sense_is_refused() -> None:
    """Sixty decibels and more, and a level that is not known."""
    with pytest.raises(EditError, match="makes no sense"):
        match_source(pad(), "feed_left", 200.0, "x")
    blind = edits.set_value(hall(), "m.out_left", "emf", None)
    with pytest.raises(EditError, match="not known"):
        match_source(blind, "feed", 3.0, "x")


def test_two_readings_tell_it_too() -> None:
    """20·lg of their ratio; struck ones and other points do not count."""
    from msgspec.structs import replace

    def reading(at: str, volts: float, **more: object) -> Reading:
        return Reading(
            id=at, when="2026-11-25T20:00:00", point="host.record_in", against="host.input_return", state="on",
            function=Function.AC_VOLTS, value=known(volts, "V"), **more,
        )  # fmt: skip

    job = replace(hall(), readings=(reading("a", 0.1), reading("b", 0.4), reading("c", 0.3, struck=True)))
    found = levels_read(job, "host.record_in")
    assert [r.id for r in found] == ["b", "a"]
    assert difference_db(found[1], found[0]) == pytest.approx(12.04, abs=0.01)


@pytest.mark.parametrize("content", [b"RIFF nonsense", b"", None])
def test_what_is_no_recording_is_told(tmp_path: Path, content: bytes | None) -> None:
    """Nonsense, nothing, no file at all."""
    path = tmp_path / "x.wav"
    if content is not None:
        path.write_bytes(content)
    with pytest.raises(FileError, match=r"x\.wav"):
        loudness_of(path)


@pytest.mark.parametrize(("samples", "words"), [(np.zeros(96_000), "silent"), (np.ones(100) * 0.1, "lasts")])
def test_silence_and_a_click_are_no_programme(tmp_path: Path, samples: np.ndarray, words: str) -> None:
    """Nothing to judge."""
    soundfile.write(tmp_path / "x.wav", samples, 48_000)
    with pytest.raises(FileError, match=words):
        loudness_of(tmp_path / "x.wav")


def test_the_command_line_compares_and_matches(
    recordings: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """`compare` prints the difference; `suggest --as-loud-as` searches for what makes it nought."""
    module, tuner = map(str, recordings)
    assert command(parse(["compare", module, tuner, "--json"])) == 0
    assert json.loads(capsys.readouterr().out)["louder_lu"] == pytest.approx(8.0, abs=0.05)
    assert command(parse(["compare", module, tuner])) == 0
    assert "+8.0 LU" in capsys.readouterr().out
    path = tmp_path / "job.pigtail"
    save(Document(pad()), path)
    asked = ["suggest", str(path), "--for", "feed_left", "--now", tuner, "--as-loud-as", module, "--json"]
    assert command(parse(asked)) == 0
    first = json.loads(capsys.readouterr().out)["feed_left"]["options"][0]
    now = study_level(Model.of(pad())).numbers["level.delivered_dbv"].value
    assert first["ladder_dbv"]["at the input"] == pytest.approx(now - 8.0, abs=1.0)
    assert command(parse(["suggest", str(path), "--as-loud-as", module])) == 2


def test_a_stock_is_listed_and_searched(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """`pigtail stock FILE` sets it; `suggest --stock` takes nothing else."""
    parts = tmp_path / "parts.txt"
    parts.write_text("1k\n2k2 x5\n4k7\n10k\n100n\n10u\n")
    assert command(parse(["stock", str(parts)])) == 0
    assert "2k2 x5" in capsys.readouterr().out
    path = tmp_path / "job.pigtail"
    save(Document(pad()), path)
    assert command(parse(["suggest", str(path), "--for", "feed_left", "--stock", "--json"])) == 0
    for option in json.loads(capsys.readouterr().out)["feed_left"]["options"]:
        for section in option["sections"]:
            if section["topology"] == "pad":
                assert set(section["parts"].values()) <= {1e3, 2.2e3, 4.7e3, 10e3}
                assert option["not_in_stock"] == 0
    save(Document(pad()), path)
    parts.write_text("")
    assert command(parse(["stock", str(parts)])) == 0
    assert command(parse(["suggest", str(path), "--stock"])) == 2


SCHOOLS = {
    "Resistor sum or buffered sum?": (crossover, "feed_left"),
    "Straight or through a transformer?": (pad, "feed_left"),
    "The pad at the module or at the host?": (pad, "feed_left"),
    "Matched by the phone's volume or by parts?": (pad, "feed_left"),
}


@pytest.mark.one_of(4)
@pytest.mark.parametrize("question", SCHOOLS)
def test_both_sides_of_a_school_are_solved_and_can_be_taken(question: str) -> None:
    """Each has figures of its own; ours is one of them, with a reason; the edits go between processes and make sound jobs."""
    make, link = SCHOOLS[question]
    job: Job = make()
    contest = next(c for c in contests(job, link) if c.question == question)
    assert contest.pick in (0, 1)
    assert contest.why
    assert contest.sides[0].figures != contest.sides[1].figures
    for side in pickle.loads(pickle.dumps(contest)).sides:
        if side.edit is not None:
            study_level(Model.of(side.edit(job)))


def test_a_transformer_is_picked_where_a_loop_buzzes(larkmoor: Job) -> None:
    """The hall's loop is 45 dB under the programme: the transformer without audio return makes it quiet."""
    contest = next(c for c in contests(larkmoor, "feed") if "transformer" in c.question)
    assert contest.pick == 1
    from pigtail.studies.returns.study import study_returns

    edit = contest.sides[1].edit
    assert edit is not None
    assert study_returns(Model.of(edit(larkmoor))).verdict is not Severity.FIX
    assert study_returns(Model.of(larkmoor)).verdict is Severity.FIX


def test_headphones_have_nothing_of_this_to_argue_about() -> None:
    """No pad, no sum, no module with two returns."""
    assert contests(headphones(), "feed_left") == ()


def test_a_way_that_cannot_be_solved_is_left_out_of_the_argument(monkeypatch: pytest.MonkeyPatch) -> None:
    """A network that floats, as strange jobs make it, takes its own question away and no other."""
    from pigtail.advice import level_schools
    from pigtail.circuit.errors import FloatingNodeError

    def floats(*_arguments: object) -> object:
        raise FloatingNodeError(
            "the node x has no path for direct current to node 0; add a resistor", node="x"
        )

    job = hall()
    before = [c.question for c in contests(job, "feed")]
    monkeypatch.setattr(level_schools, "_refitted", floats)
    after = [c.question for c in contests(job, "feed")]
    assert set(after) < set(before)


def test_a_network_that_gives_nothing_at_all_is_ranked_last() -> None:
    """No signal is infinitely far from what is wanted."""
    import math

    from msgspec.structs import replace

    from pigtail.advice.search import _figures, _rank

    best = search(pad(), "feed_left").options[0]
    silent = replace(best, off_db=math.inf, noise_v=math.inf, fits=False)
    assert _rank(silent) > _rank(best)
    assert _figures(silent) >= _figures(best)
