"""Photos from phones and cameras: read, made small, rid of all that is not picture; and marks drawn on them."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

import pillow_heif
from PIL import Image, ImageDraw, ImageFont, ImageOps, UnidentifiedImageError

from corlume.formats.faults import BadFile, Fault

MAX_BYTES, MOST_PIXELS = 15_000_000, 80_000_000
LARGEST, QUALITY = 1600, 82
"""Pixels of the longer side that are kept, and of what quality."""
pillow_heif.register_heif_opener()


@dataclass(frozen=True, slots=True)
class Picture:
    """A picture as it is kept: JPEG bytes, and its size in pixels."""

    data: bytes
    width: int
    height: int


def read_picture(data: bytes) -> Picture:
    """Take a PNG, JPEG or HEIC in, upright, small, without metadata; ``BadFile`` says what is wrong with it."""
    if len(data) > MAX_BYTES:
        size, most = len(data) / 1e6, MAX_BYTES / 1e6
        raise BadFile([Fault("the photo", f"is too big: {size:.1f} MB, at most {most:g} MB")])
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "HEIF")) as opened:
            if opened.width * opened.height > MOST_PIXELS:
                millions = opened.width * opened.height / 1e6
                raise BadFile([Fault("the photo", f"has {millions:.0f} million pixels, too many")])
            upright = ImageOps.exif_transpose(opened).convert("RGB")
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        if isinstance(error, BadFile):
            raise
        raise BadFile([Fault("the photo", "is none that can be read: PNG, JPEG and HEIC are")]) from error
    upright.thumbnail((LARGEST, LARGEST))
    out = io.BytesIO()
    # a picture made anew of the pixels alone: nothing of where and when goes along
    clean = Image.frombytes("RGB", upright.size, upright.tobytes())
    clean.save(out, "JPEG", quality=QUALITY)
    return Picture(out.getvalue(), *clean.size)


@dataclass(frozen=True, slots=True)
class Label:
    """A number on a photo: at shares of its width and height; ``read`` is measured, else it is predicted."""

    u: float
    v: float
    text: str
    read: bool


def marked_png(data: bytes, labels: Sequence[Label]) -> bytes:
    """The photo with numbers on it as PNG: what was read dark on light, what is predicted light on dark."""
    with Image.open(io.BytesIO(data)) as opened:
        picture = opened.convert("RGB")
    draw, size = ImageDraw.Draw(picture), max(14, picture.width // 48)
    font = ImageFont.load_default(size)
    for label in labels:
        x, y = label.u * picture.width, label.v * picture.height
        ink, paper = ("#14202a", "#fffef8") if label.read else ("#fffef8", "#47606e")
        r = size * 0.22
        draw.ellipse((x - r, y - r, x + r, y + r), fill=ink, outline=paper, width=2)
        box = draw.textbbox((x + 2 * r, y), label.text, font=font, anchor="lm")
        draw.rectangle((box[0] - 3, box[1] - 2, box[2] + 3, box[3] + 2), fill=paper)
        draw.text((x + 2 * r, y), label.text, font=font, fill=ink, anchor="lm")
    out = io.BytesIO()
    picture.save(out, "PNG", optimize=False)
    return out.getvalue()
