"""Pictures from strangers: decoded apart, within limits of time, memory and pixels, with no file opened; and nothing waits for them."""

from __future__ import annotations

import struct
import time
import zlib
from pathlib import Path

import pytest
from PyQt6.QtGui import QColor, QImage
from pytestqt.qtbot import QtBot

from pigtail.desktop.imaging import Decoding, Images, beside
from pigtail.job.errors import FileError


def chunk(kind: bytes, data: bytes) -> bytes:
    """A chunk of a PNG file (ISO/IEC 15948)."""
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def png(width: int, height: int, data: bytes = b"") -> bytes:
    """A PNG that claims a size, with whatever it is made of."""
    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(data))
        + chunk(b"IEND", b"")
    )


def svg(inside: str, more: str = "") -> bytes:
    """An SVG drawing."""
    return (
        f'<?xml version="1.0"?>{more}<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" '
        f'width="100" height="50">{inside}</svg>'
    ).encode()


def nested(levels: int, each: int = 10) -> bytes:
    """A drawing whose groups use the groups below them, ten times each."""
    groups = ['<g id="g0"><rect width="1" height="1" fill="red"/></g>']
    groups += [f'<g id="g{k}">' + f'<use xlink:href="#g{k - 1}"/>' * each + "</g>" for k in range(1, levels)]
    return svg(f"<defs>{''.join(groups)}</defs><use xlink:href='#g{levels - 1}'/>")


def pdf(objects: list[str]) -> bytes:
    """A PDF of some objects (ISO 32000), without the table of where they are."""
    body = "".join(f"{n} 0 obj\n{o}\nendobj\n" for n, o in enumerate(objects, 1))
    return f"%PDF-1.4\n{body}trailer << /Root 1 0 R >>\n%%EOF\n".encode()


def pages(count: int) -> bytes:
    """A PDF of so many empty pages."""
    kids = " ".join(f"{n} 0 R" for n in range(3, 3 + count))
    tree = f"<< /Type /Pages /Kids [{kids}] /Count {count} >>"
    page = "<< /Type /Page /Parent 2 0 R /MediaBox [0 0 200 100] >>"
    return pdf(["<< /Type /Catalog /Pages 2 0 R >>", tree, *[page] * count])


LOOP = pdf(
    [
        "<< /Type /Catalog /Pages 2 0 R >>",
        "<< /Type /Pages /Kids [2 0 R 3 0 R] /Count 100000 >>",
        "<< /Type /Pages /Kids [2 0 R 3 0 R] /Count 9 >>",
    ]
)
HOSTILE = {
    "nothing": b"",
    "text": b"no picture at all",
    "a PNG that claims 60,000 by 60,000": png(60_000, 60_000),
    "a PNG that claims 20,000 by 19,000": png(20_000, 19_000),
    "a PNG cut off": png(400, 400, b"\0" * 1201 * 400)[:700],
    "a PNG of no size": png(0, 10),
    "ten to the eighth": nested(9),
    "a drawing that uses itself": svg('<g id="a"><use xlink:href="#a"/></g><use xlink:href="#a"/>'),
    "a billion laughs": svg(
        "<text>&l9;</text>",
        "<!DOCTYPE svg [<!ENTITY l0 'ha'>" + "".join(f"<!ENTITY l{k} '{f'&l{k - 1};' * 10}'>" for k in range(1, 10)) + "]>",
    ),
    "a page tree that loops": LOOP,
    "a PDF of 10,000 pages": pages(10_000),
    "a PDF of nothing": b"%PDF-1.7\n",
    "an enormous page": pdf(
        ["<< /Type /Catalog /Pages 2 0 R >>", "<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
         "<< /Type /Page /Parent 2 0 R /MediaBox [0 0 1e9 1e-9] >>"]),
}  # fmt: skip


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_picture_is_told_in_time_and_harms_nothing(name: str, tmp_path: Path) -> None:
    """Each comes to an end, in one sentence or as a picture of a sane size."""
    path = tmp_path / "hostile.svg"
    path.write_bytes(HOSTILE[name])
    began = time.monotonic()
    for ask in (
        lambda: Decoding().pages(path),
        lambda: Decoding().image(path, 1 if HOSTILE[name][:4] == b"%PDF" else 0),
    ):
        try:
            found = ask()
        except FileError as error:
            assert str(path) in str(error)
            assert len(str(error)) < 400
        else:
            assert isinstance(found, int) or max(found.width(), found.height()) <= 3000
    assert time.monotonic() - began < 26.0


@pytest.mark.parametrize("reads", ["image", "entity", "style"])
def test_a_drawing_reads_no_other_file(reads: str, tmp_path: Path) -> None:
    """A red picture beside the drawing does not come into it, whatever way it asks for it."""
    secret = tmp_path / "secret.png"
    red = QImage(10, 10, QImage.Format.Format_RGB32)
    red.fill(QColor("#ff0000"))
    red.save(str(secret))
    (tmp_path / "secret.txt").write_text('<rect width="100" height="50" fill="#ff0000"/>')
    drawing = {
        "image": svg(
            f'<image xlink:href="file://{secret}" width="100" height="50"/><image href="secret.png" width="100" height="50"/>'
        ),
        "entity": svg("&e;", f'<!DOCTYPE svg [<!ENTITY e SYSTEM "file://{tmp_path / "secret.txt"}">]>'),
        "style": svg(
            f'<style>@import url("file://{secret}");</style><rect width="1" height="1" fill="url(file://{secret})"/>'
        ),
    }[reads]
    path = tmp_path / "drawing.svg"
    path.write_bytes(drawing)
    try:
        image = Decoding().image(path)
    except FileError:
        return
    colours = {
        image.pixelColor(x, y).name()
        for x in range(0, image.width(), 20)
        for y in range(0, image.height(), 20)
    }
    assert "#ff0000" not in colours


def test_a_plain_drawing_and_a_turned_photo_are_shown(tmp_path: Path) -> None:
    """A drawing is painted large; a photo stands as its camera was held (EXIF orientation 6: a quarter turn)."""
    (tmp_path / "a.svg").write_bytes(svg('<rect width="100" height="50" fill="#00ff00"/>'))
    image = Decoding().image(tmp_path / "a.svg")
    assert (image.width(), image.height()) == (2000, 1000)
    assert image.pixelColor(900, 500).name() == "#00ff00"
    photo = QImage(40, 20, QImage.Format.Format_RGB32)
    photo.fill(QColor("#3366aa"))
    photo.save(str(tmp_path / "a.jpg"), quality=90)
    data = (tmp_path / "a.jpg").read_bytes()
    exif = b"Exif\0\0" + struct.pack("<2sHIHHHIHHI", b"II", 42, 8, 1, 0x0112, 3, 1, 6, 0, 0)
    turned = data[:2] + b"\xff\xe1" + struct.pack(">H", len(exif) + 2) + exif + data[2:]
    (tmp_path / "b.jpg").write_bytes(turned)
    image = Decoding().image(tmp_path / "b.jpg")
    assert (image.width(), image.height()) == (20, 40)


def test_a_path_out_of_the_jobs_folder_is_none(tmp_path: Path) -> None:
    """By a link, by dots, by a name that is none."""
    folder = tmp_path / "job"
    folder.mkdir()
    (tmp_path / "out.png").write_bytes(b"x")
    (folder / "in.png").write_bytes(b"x")
    (folder / "link.png").symlink_to(tmp_path / "out.png")
    assert beside(folder, "in.png") == folder / "in.png"
    for name in ("link.png", "../out.png", "none.png", "\0", "x" * 5000, "."):
        assert beside(folder, name) is None
    assert beside(None, "in.png") is None


def test_closing_waits_for_no_picture(qtbot: QtBot, tmp_path: Path) -> None:
    """What takes its whole time is given up at once."""
    path = tmp_path / "slow.svg"
    path.write_bytes(nested(9))
    images = Images()
    images.fetch(tmp_path, path.name, "", 0, lambda _image: None)
    qtbot.wait(300)
    began = time.monotonic()
    images.close()
    assert time.monotonic() - began < 0.35


def test_a_picture_is_decoded_once_and_what_is_kept_is_bounded(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The second time it comes at once; of many the ones shown longest ago go."""
    from pigtail.desktop import imaging

    monkeypatch.setattr(imaging, "MOST_KEPT", 3 * 4 * 300 * 200)
    images = Images()
    shown: list[QImage] = []
    for k in range(5):
        made = QImage(300, 200, QImage.Format.Format_RGB32)
        made.fill(QColor(40 * k, 0, 0))
        made.save(str(tmp_path / f"{k}.png"))
        images.fetch(tmp_path, f"{k}.png", str(k), 0, shown.append)
        qtbot.waitUntil(lambda k=k: len(shown) == k + 1, timeout=20_000)
    assert len(images._kept) == 3
    images.fetch(tmp_path, "4.png", "4", 0, shown.append)
    assert len(shown) == 6
    assert shown[5].pixelColor(5, 5) == QColor(160, 0, 0)
    images.close()
