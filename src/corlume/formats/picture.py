"""Photos from phones and cameras: read, made small, rid of all that is not picture; and marks drawn on them."""

from __future__ import annotations

import io
import warnings
from collections.abc import Sequence
from dataclasses import dataclass, replace
from threading import Lock
from typing import TYPE_CHECKING

from corlume.formats.file_faults import BadFile, FileFault

if TYPE_CHECKING:
    from PIL import Image

MAX_BYTES, MOST_PIXELS = 15_000_000, 40_000_000
LARGEST, QUALITY = 1600, 82
"""Pixels of the longer side that are kept, and of what quality."""
UNREADABLE = "is not a PNG, JPEG or HEIC image that can be read; it may be damaged"
_ONE_AT_A_TIME = Lock()
"""A picture in decoding takes some ten bytes a pixel, so that several at once could take all the memory there is."""


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
        raise BadFile([FileFault("the photo", f"is too big: {size:.1f} MB, at most {most:g} MB")])
    with _ONE_AT_A_TIME:
        try:
            clean = _small(data)
        except BadFile:
            raise
        # decoders of damaged files raise whatever they like; anything that is not memory or the process is the file's
        except Exception as error:
            raise BadFile([FileFault("the photo", UNREADABLE)]) from error
    out = io.BytesIO()
    clean.save(out, "JPEG", quality=QUALITY)
    return Picture(out.getvalue(), *clean.size)


def _small(data: bytes) -> Image.Image:
    """The picture upright and small, made anew of its pixels alone: nothing of where and when goes along."""
    import pillow_heif
    from PIL import Image, ImageOps

    pillow_heif.register_heif_opener()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # what a decoder thinks of a file is not for the keeper
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "HEIF")) as opened:
            pixels = opened.width * opened.height
            if pixels > MOST_PIXELS:
                many, most = pixels / 1e6, MOST_PIXELS / 1e6
                raise BadFile([FileFault("the photo", f"has {many:.0f} million pixels: at most {most:.0f}")])
            opened.thumbnail((LARGEST, LARGEST))  # a JPEG is decoded small from the start
            upright = ImageOps.exif_transpose(opened).convert("RGB")
    return Image.frombytes("RGB", upright.size, upright.tobytes())


@dataclass(frozen=True, slots=True)
class Label:
    """A number on a photo: its spot at shares of the width and height, and the middle of the number itself; ``read`` is
    measured, else it is predicted; ``doubtful`` is a reading that does not fit.
    """

    u: float
    v: float
    text: str
    read: bool
    text_u: float = 0.0
    text_v: float = 0.0
    doubtful: bool = False


TEXT, DIGIT = 1 / 48, 0.6
"""Height of a number as a share of the picture's width, and width of a digit as a share of that [-]."""


def placed(labels: Sequence[Label], shape: float) -> list[Label]:
    """The labels with their numbers beside, over or under the spots, where each covers no other if there is room.

    ``shape`` is height over width of the picture.
    """
    found, taken = list[Label](), list[tuple[float, float, float]]()
    high = TEXT / shape
    for label in labels:
        wide = (len(label.text) * DIGIT + 0.4) * TEXT
        aside = 0.5 * wide + 0.5 * TEXT
        ways = ((aside, 0.0), (-aside, 0.0), (0.0, -1.1 * high), (0.0, 1.1 * high), (aside, -high), (aside, high),
                (-aside, -high), (-aside, high))  # fmt: skip
        places = [(label.u + du, label.v + dv) for du, dv in ways]

        def covered(place: tuple[float, float], own: float = wide) -> int:
            return sum(abs(place[0] - u) < 0.5 * (own + w) and abs(place[1] - v) < high for u, v, w in taken)

        u, v = min(places, key=covered)
        taken.append((u, v, wide))
        found.append(replace(label, text_u=u, text_v=v))
    return found


def marked_png(data: bytes, labels: Sequence[Label]) -> bytes:
    """The photo with numbers on it as PNG: what was read dark on light, what is predicted light on dark."""
    from PIL import Image, ImageDraw, ImageFont

    with Image.open(io.BytesIO(data)) as opened:
        picture = opened.convert("RGB")
    draw, size = ImageDraw.Draw(picture), max(14, round(TEXT * picture.width))
    font = ImageFont.load_default(size)
    for label in labels:
        x, y = label.u * picture.width, label.v * picture.height
        ink, paper = ("#14202a", "#fffef8") if label.read else ("#fffef8", "#47606e")
        r = size * 0.22
        draw.ellipse((x - r, y - r, x + r, y + r), fill=ink, outline=paper, width=2)
        middle = label.text_u * picture.width, label.text_v * picture.height
        box = draw.textbbox(middle, label.text, font=font, anchor="mm")
        draw.rectangle((box[0] - 3, box[1] - 2, box[2] + 3, box[3] + 2), fill=paper)
        draw.text(middle, label.text, font=font, fill=ink, anchor="mm")
        if label.doubtful:
            for way in (1, -1):
                draw.line((x - size / 2, y - way * size / 2, x + size / 2, y + way * size / 2), fill="#a5281f", width=4)
    out = io.BytesIO()
    picture.save(out, "PNG", optimize=False)
    return out.getvalue()
