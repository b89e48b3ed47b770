"""Photos with their pins on the sheet: at the right place, upright, small, and only where they are what the job knows."""

from __future__ import annotations

import base64
import io
import re
from pathlib import Path

import pytest
from msgspec.structs import replace
from PIL import Image
from pypdf import PdfReader

from pigtail.job.disk import sha256_of
from pigtail.job.document import Job, Picture, Pinned
from pigtail.sheet import photos
from pigtail.sheet.content import make_sheet
from pigtail.sheet.html import html_text
from pigtail.sheet.pdf import pdf_bytes
from pigtail.sheet.photos import photo_blocks
from pigtail.studies.all import study_job

PINS = (Pinned(point="host.input", x=0.25, y=0.5), Pinned(point="host.rail_low", x=0.75, y=0.1))


def photo(
    folder: Path, name: str = "pictures/board.jpg", *, turned: int = 1, size: tuple[int, int] = (1200, 800)
) -> Picture:
    """A photo beside a job: white, its upper left quarter red; `turned` as cameras write it (Exif orientation)."""
    image = Image.new("RGB", size, "white")
    image.paste("red", (0, 0, size[0] // 2, size[1] // 2))
    exif = Image.Exif()
    exif[0x0112] = turned
    path = folder / name
    path.parent.mkdir(exist_ok=True)
    image.save(path, exif=exif)
    return Picture(id="board", name="main board", file=name, sha256=sha256_of(path.read_bytes()), pins=PINS)


@pytest.fixture
def pinned(larkmoor: Job, tmp_path: Path) -> Job:
    """The demo with a photo on which two points are pinned."""
    points = [f"host.{t.id}" for t in larkmoor.host.terminals[:2]]
    picture = photo(tmp_path)
    pins = tuple(replace(p, point=at) for p, at in zip(picture.pins, points, strict=True))
    return replace(larkmoor, pictures=(replace(picture, pins=pins),))


def test_the_pins_lie_on_the_photo_in_page_and_paper(pinned: Job, tmp_path: Path) -> None:
    """A photo of at most 1,400 pixels, a circle and a number at each pin's place, a legend; the PDF holds the picture and tells it."""
    sheet = make_sheet(pinned, study_job(pinned), tmp_path)
    page = html_text(sheet)
    (block,) = photo_blocks(pinned, tmp_path)
    assert (block.width, block.height) == (1200, 800)
    assert f'cx="{0.25 * 1200}" cy="{0.5 * 800}"' in page
    assert page.count("data:image/jpeg;base64,") == 1
    data = base64.b64decode(re.search(r"base64,([A-Za-z0-9+/=]+)", page)[1])  # type: ignore[index]
    shown = Image.open(io.BytesIO(data))
    assert shown.size == (1200, 800)
    assert shown.getpixel((100, 100))[0] > 200 > shown.getpixel((100, 100))[1]  # type: ignore[index]
    label = pinned.label(pinned.pictures[0].pins[0].point)
    assert f"1: {label}" in page
    reader = PdfReader(io.BytesIO(pdf_bytes(sheet)))
    assert sum(len(p.images) for p in reader.pages) == 1
    assert "Pinned on main board" in " ".join(p.extract_text() for p in reader.pages)


def test_a_photo_is_turned_and_shrunk_as_the_window_shows_it(tmp_path: Path) -> None:
    """A camera held on its side: width and height change places, the red quarter goes to the upper right."""
    data = (tmp_path / photo(tmp_path, turned=6, size=(4000, 3000)).file).read_bytes()
    found = photos._shrunk(data, "JPEG")
    assert found is not None
    image = Image.open(io.BytesIO(found[0]))
    assert image.size == (found[1], found[2]) == (1050, 1400)
    assert image.getpixel((900, 100))[1] < 80  # type: ignore[index]
    assert image.getpixel((100, 100))[1] > 200  # type: ignore[index]


@pytest.mark.parametrize(
    "wrong", ["gone", "changed", "no picture", "outside", "too large", "a page", "no folder"]
)
def test_what_is_not_the_photo_is_told_and_its_pins_stay(
    wrong: str, pinned: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Nothing else is shown in its place; the pins are told without it."""
    picture, folder = pinned.pictures[0], tmp_path
    path = tmp_path / picture.file
    if wrong == "gone":
        path.unlink()
    elif wrong == "changed":
        path.write_bytes(path.read_bytes() + b"x")
    elif wrong == "no picture":
        path.write_bytes(b"\xff\xd8 no picture")
        picture = replace(picture, sha256=sha256_of(path.read_bytes()))
    elif wrong == "outside":
        (tmp_path / "in").mkdir()
        folder, picture = tmp_path / "in", replace(picture, file="../pictures/board.jpg")
    elif wrong == "too large":
        monkeypatch.setattr(photos, "MOST_PIXELS", 1000)
    elif wrong == "a page":
        picture = replace(picture, page=1)
    job = replace(pinned, pictures=(picture,))
    beside = None if wrong == "no folder" else folder
    (block,) = photo_blocks(job, beside)
    assert block.image == b""
    assert "not beside the job" in block.note
    assert len(block.legend()) == 2
    assert "not beside the job" in html_text(make_sheet(job, study_job(job), beside))
    assert pdf_bytes(make_sheet(job, study_job(job), beside))
