"""The person's parts: read from text, kept in the library, told in one sentence when they cannot be."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pigtail.catalogue.stock import Held, load_stock, parse_stock, save_stock, stock_of, stock_text
from pigtail.job.errors import FileError, JobError
from pigtail.units.series import members


@pytest.mark.parametrize(
    ("text", "kind", "value", "count"),
    [
        ("4k7", "resistor", 4700.0, 0),
        ("470 x20", "resistor", 470.0, 20),
        ("1M", "resistor", 1e6, 0),
        ("R47", "resistor", 0.47, 0),
        ("100n ×5", "capacitor", 100e-9, 5),
        ("4u7", "capacitor", 4.7e-6, 0),
        ("22 µF x 3", "capacitor", 22e-6, 3),
    ],
)
def test_a_part_is_read_as_it_is_written(text: str, kind: str, value: float, count: int) -> None:
    """Kind from the way it is written, count behind an x."""
    (held,) = parse_stock(text)
    assert (held.kind, held.count) == (kind, count)
    assert held.value == pytest.approx(value)


@given(
    st.lists(st.sampled_from(members("E24", 1.0, 1e6)), max_size=8),
    st.lists(st.sampled_from(members("E6", 1e-9, 1e-4)), max_size=8),
)
def test_what_is_written_reads_back(ohms: list[float], farads: list[float]) -> None:
    """Text and back, whatever the parts."""
    held = parse_stock("\n".join([*(f"{o:.6g}" for o in ohms), *(f"{f * 1e9:.6g}n" for f in farads)]))
    again = parse_stock(stock_text(held))
    assert [(h.kind, h.count) for h in again] == [(h.kind, h.count) for h in held]
    assert [h.value for h in again] == pytest.approx([h.value for h in held], rel=1e-2)


@pytest.mark.parametrize("text", ["blah", "4k7 x", "-3k", "1e20", "4k7\nnonsense"])
def test_what_is_no_part_is_refused_with_its_line(text: str) -> None:
    """One sentence that names the line."""
    with pytest.raises(JobError, match=r"line \d"):
        parse_stock(text)


def test_the_library_keeps_the_parts(tmp_path: Path) -> None:
    """Saved, loaded, replaced; none where there is no library yet."""
    path = tmp_path / "deep" / "library.sqlite"
    assert load_stock(path) == ()
    save_stock(parse_stock("4k7 x2, 10u"), path)
    assert load_stock(path) == (Held("resistor", 4700.0, 2), Held("capacitor", pytest.approx(10e-6), 0))
    save_stock(parse_stock("1k"), path)
    assert stock_of(load_stock(path)).resistors == (1000.0,)


def test_a_broken_library_is_told_and_kept(tmp_path: Path) -> None:
    """A file that is no database is neither read nor overwritten."""
    path = tmp_path / "library.sqlite"
    path.write_bytes(b"not a database at all, but long enough to be looked at" * 20)
    before = path.read_bytes()
    with pytest.raises(FileError, match="library"):
        load_stock(path)
    with pytest.raises(FileError, match="library"):
        save_stock((), path)
    assert path.read_bytes() == before


@pytest.mark.parametrize("content", [b"\xff\xfe\x00", b"4k7 x20\nnonsense\n", None])
def test_a_list_that_cannot_be_read_is_told(
    content: bytes | None, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """No text, a line that is no part, no file at all: one sentence, exit 2, and the parts that were there stay."""
    from pigtail.cli.main import parse, run

    save_stock(parse_stock("10k"))
    path = tmp_path / "parts.txt"
    if content is not None:
        path.write_bytes(content)
    assert run(parse(["stock", str(path)])) == 2
    told = capsys.readouterr().err
    assert told.count("\n") == 1
    assert "Traceback" not in told
    assert [h.value for h in load_stock()] == [10e3]
