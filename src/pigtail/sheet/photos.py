"""The photos of a job with their pins, as they stand on the sheet: made small, numbered, with what was read at each pin."""

from __future__ import annotations

import io
from pathlib import Path

from pigtail.job.disk import sha256_of
from pigtail.job.document import Job, Picture
from pigtail.job.latest import latest_words
from pigtail.language import tr
from pigtail.sheet.blocks import SheetPhoto

#: What is taken as a photo; how large its file and its picture may be [bytes, pixels], and how large it is on the sheet [px].
FORMATS = {".png": "PNG", ".jpg": "JPEG", ".jpeg": "JPEG", ".webp": "WEBP"}
MOST_BYTES, MOST_PIXELS, SHOWN_PX = 60_000_000, 80_000_000, 1400
QUALITY = 80


def photo_blocks(job: Job, folder: Path | None) -> tuple[SheetPhoto, ...]:
    """The pictures of a job that have pins; where a file is not beside the job, or is a page of papers, its pins are told without it."""
    return tuple(_block(job, p, folder) for p in job.pictures if p.pins)


def _block(job: Job, picture: Picture, folder: Path | None) -> SheetPhoto:
    pins = tuple((p.x, p.y, job.label(p.point), latest_words(job, p.point)) for p in picture.pins)
    image, width, height = _small(picture, folder) or (b"", 0, 0)
    note = "" if image else tr("The photo itself is not beside the job, or cannot be shown here.")
    return SheetPhoto(tr("Pinned on {picture}", picture=picture.name), image, width, height, pins, note)


def _small(picture: Picture, folder: Path | None) -> tuple[bytes, int, int] | None:
    """A photo as a small JPEG with its size [px]; None where it is not what the job knows, or none that can be shown."""
    kind = FORMATS.get(Path(picture.file).suffix.lower())
    if folder is None or kind is None or picture.page:
        return None
    try:
        path = (folder / picture.file).resolve()
        if not path.is_relative_to(folder.resolve()) or path.stat().st_size > MOST_BYTES:
            return None
        data = path.read_bytes()
    except (OSError, ValueError):
        return None
    if picture.sha256 and sha256_of(data) != picture.sha256:
        return None
    return _shrunk(data, kind)


def _shrunk(data: bytes, kind: str) -> tuple[bytes, int, int] | None:
    from PIL import Image, ImageOps

    try:
        with Image.open(io.BytesIO(data), formats=(kind,)) as image:
            if image.width * image.height > MOST_PIXELS:
                return None
            upright = ImageOps.exif_transpose(image)  # as the window shows it, on which the pins were set
            upright.thumbnail((SHOWN_PX, SHOWN_PX))
            flat = Image.new("RGB", upright.size, "white")
            flat.paste(upright, mask=upright.convert("RGBA").getchannel("A"))
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return None
    out = io.BytesIO()
    flat.save(out, "JPEG", quality=QUALITY)
    return out.getvalue(), flat.width, flat.height
