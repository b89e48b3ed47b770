"""The process that decodes pictures and pages of papers: it gets bytes, gives pixels, and may do nothing else.

It is given bytes and no place, has so much memory and processor time, and ends after one answer; what asks for other files is refused.
Whatever a picture does to it, the window goes on.
"""

from __future__ import annotations

import os
import resource
import struct
import sys
from typing import Any

from pigtail.language import tr

#: Before the bytes: what is asked (look, show), the page, and how many they are. Before an answer: what it is, two numbers, how many bytes.
ASKED, ANSWERED = struct.Struct(">4sIQ"), struct.Struct(">4sIIQ")
LOOK, SHOW, PIXELS, PAGES, REFUSED = b"look", b"show", b"pixl", b"page", b"none"
#: The longest side that is given [px], the most that a picture may have [px], the most pages.
LONGEST, MOST_PIXELS, MOST_PAGES = 3000, 400_000_000, 200
#: What it may take: processor time [s], memory beyond what it starts with [bytes].
SECONDS, MEMORY = 3, 1_200_000_000
#: Handles that Qt takes for its own threads.
SPARE = 24


class _RefusedError(Exception):
    """What cannot be shown, in words."""


def main() -> None:
    """Answer one question from the standard input on the standard output."""
    from PyQt6.QtCore import QBuffer, QByteArray
    from PyQt6.QtGui import QFontDatabase, QGuiApplication, QImageReader

    os.environ |= {
        "QT_QPA_PLATFORM": "offscreen",
        "QT_NO_GLIB": "1",
    }  # another loop of events would open pipes of its own later
    application = QGuiApplication([""])
    from importlib import resources

    from PyQt6.QtPdf import QPdfDocument
    from PyQt6.QtSvg import QSvgRenderer  # noqa: F401  loaded while files may still be opened

    font = resources.files("pigtail.sheet").joinpath("data", "fonts", "B612-Regular.ttf")
    QFontDatabase.addApplicationFontFromData(font.read_bytes())
    for form in QImageReader.supportedImageFormats():  # the files of each form are loaded now
        nothing = QBuffer()
        nothing.open(QBuffer.OpenModeFlag.ReadOnly)
        QImageReader(nothing, form).canRead()
    QPdfDocument(None).deleteLater()
    _shut()
    asked, page, size = ASKED.unpack(sys.stdin.buffer.read(ASKED.size))
    data = QByteArray(sys.stdin.buffer.read(size))
    try:
        answer = _look(data) if asked == LOOK else _show(data, page)
    except _RefusedError as error:
        words = str(error).encode()
        answer = ANSWERED.pack(REFUSED, 0, 0, len(words)) + words
    sys.stdout.buffer.write(answer)
    sys.stdout.buffer.flush()
    del application
    os._exit(0)


def _shut() -> None:
    """From here on nothing is written, and no more time, memory and handles taken than one picture needs."""
    with open("/proc/self/statm", encoding="ascii") as file:
        now = int(file.read().split()[0]) * resource.getpagesize()
    resource.setrlimit(resource.RLIMIT_AS, (now + MEMORY, now + MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    held = len(os.listdir("/proc/self/fd"))
    resource.setrlimit(resource.RLIMIT_NOFILE, (held + SPARE, held + SPARE))


def _alone(data: Any) -> None:
    """Refuse a drawing that asks for anything outside of itself, or that defines words of its own which could grow without end."""
    from xml.parsers import expat

    def refuse(*_: object) -> None:
        raise _RefusedError(
            tr("asks for other files, or defines entities; save it anew as a plain SVG or PNG")
        )

    def begun(_name: str, attributes: dict[str, str]) -> None:
        for name, value in attributes.items():
            text = "".join(value.split()).lower()
            link = name.rpartition(":")[2].lower() in ("href", "src")
            if (link and not text.startswith(("#", "data:image/"))) or _outside(text):
                refuse()

    parser = expat.ParserCreate()
    parser.StartDoctypeDeclHandler = refuse
    parser.ProcessingInstructionHandler = lambda *_: None
    parser.StartElementHandler = begun
    words: list[str] = []
    parser.CharacterDataHandler = words.append
    try:
        parser.Parse(bytes(data), True)
    except expat.ExpatError as error:
        raise _RefusedError(tr("is no picture or PDF that can be read")) from error
    if _outside("".join("".join(words).split()).lower()):
        refuse()


def _outside(text: str) -> bool:
    """Whether a style asks for something that is not in the drawing."""
    parts = text.replace('"', "").replace("'", "").split("url(")[1:]
    return "@import" in text or any(not p.startswith(("#", "data:image/")) for p in parts)


def _is_pdf(data: Any) -> bool:
    return bytes(data[:1024]).lstrip().startswith(b"%PDF")


def _document(data: Any) -> tuple[Any, Any]:
    from PyQt6.QtCore import QBuffer
    from PyQt6.QtPdf import QPdfDocument

    buffer = QBuffer()
    buffer.setData(data)
    buffer.open(QBuffer.OpenModeFlag.ReadOnly)
    document = QPdfDocument(None)
    document.load(buffer)
    if document.status() != QPdfDocument.Status.Ready or document.pageCount() < 1:
        raise _RefusedError(tr("is no PDF that can be read"))
    if document.pageCount() > MOST_PAGES:
        raise _RefusedError(
            tr("has more than {most_pages} pages; take out those that are needed", most_pages=MOST_PAGES)
        )
    return document, buffer


def _look(data: Any) -> bytes:
    """How many pages there are; none for a photo that can be read."""
    if _is_pdf(data):
        document, _held = _document(data)
        return ANSWERED.pack(PAGES, document.pageCount(), 0, 0)
    _photo(data)
    return ANSWERED.pack(PAGES, 0, 0, 0)


def _show(data: Any, page: int) -> bytes:
    from PyQt6.QtGui import QImage

    image = (_page(data, page) if page else _photo(data)).convertToFormat(QImage.Format.Format_RGB32)
    bits = image.constBits()
    assert bits is not None
    pixels: bytes = bits.asstring(image.sizeInBytes())
    return ANSWERED.pack(PIXELS, image.width(), image.height(), len(pixels)) + pixels


def _page(data: Any, page: int) -> Any:
    from PyQt6.QtCore import QSize

    document, _held = _document(data)
    if page > document.pageCount():
        raise _RefusedError(tr("has no page {page}", page=page))
    size = document.pagePointSize(page - 1)
    scale = 2000 / max(size.width(), size.height(), 1.0)
    image = document.render(
        page - 1, QSize(max(round(size.width() * scale), 1), max(round(size.height() * scale), 1))
    )
    if image.isNull():
        raise _RefusedError(tr("has a page that cannot be shown"))
    return _flat(image)


def _photo(data: Any) -> Any:
    """A photo, turned as its camera was held, no larger than is shown; a drawing painted at that size."""
    from PyQt6.QtCore import QBuffer, QSize
    from PyQt6.QtGui import QImageReader

    buffer = QBuffer()
    buffer.setData(data)
    buffer.open(QBuffer.OpenModeFlag.ReadOnly)
    reader = QImageReader(buffer)
    reader.setAutoTransform(True)
    QImageReader.setAllocationLimit(1024)
    if bytes(data).lstrip()[:1] == b"<" or reader.format().data().startswith(b"svg"):
        _alone(data)
    size = reader.size()
    if not reader.canRead() or not size.isValid() or size.isEmpty():
        raise _RefusedError(tr("is no picture or PDF that can be read"))
    if size.width() * size.height() > MOST_PIXELS:
        raise _RefusedError(
            tr("has more than {value} million pixels; make it smaller", value=MOST_PIXELS // 1000000)
        )
    longest = max(size.width(), size.height())
    drawn = reader.format().startsWith(b"svg")
    if longest > LONGEST or drawn:
        part = (2000 if drawn else LONGEST) / longest
        reader.setScaledSize(QSize(max(round(size.width() * part), 1), max(round(size.height() * part), 1)))
    image = reader.read()
    if image.isNull():
        raise _RefusedError(tr("is no picture or PDF that can be read"))
    return _flat(image)


def _flat(image: Any) -> Any:
    """An image on white paper."""
    from PyQt6.QtCore import Qt
    from PyQt6.QtGui import QImage, QPainter

    flat = QImage(image.size(), QImage.Format.Format_RGB32)
    flat.fill(Qt.GlobalColor.white)
    painter = QPainter(flat)
    painter.drawImage(0, 0, image)
    painter.end()
    return flat


if __name__ == "__main__":
    main()
