"""Meshes of natural rock and strokes of the brush inside a scene file, as text; a zip has them as files of their
own.
"""

from __future__ import annotations

import base64
import binascii
from collections.abc import Callable
from typing import Any, TypeVar

from pydantic import Field

from corlume.core.light.brushed_rock import BrushedRock
from corlume.core.light.natural_rock import NaturalRock
from corlume.core.light.rock_bytes import pack_mesh, pack_strokes, unpack_mesh, unpack_strokes
from corlume.formats.file_faults import FileFault
from corlume.formats.shapes import SPECIAL, Build, Special

T = TypeVar("T")
LONGEST = 60_000_000


def _text(data: bytes | None) -> str:
    return base64.b64encode(data).decode() if data else ""


def _read(build: Build, where: str, text: str, unpack: Callable[[bytes], T]) -> T | None:
    if not text:
        return None
    try:
        return unpack(base64.b64decode(text, validate=True))
    except (binascii.Error, ValueError):
        build.faults.append(FileFault(where, "is damaged, or packed in a way that cannot be read"))
        return None


def _field(what: str) -> Any:
    return str, Field(default="", max_length=LONGEST, description=f"{what}, packed, in base64; left out in a zip")


SPECIAL[NaturalRock] = Special(
    {"mesh_data": _field("its triangles")},
    lambda rock: {"mesh_data": _text(rock.mesh and pack_mesh(rock.mesh))},
    lambda build, where, file: {(NaturalRock, "mesh"): _read(build, f"{where}.mesh_data", file.mesh_data, unpack_mesh)},
)
SPECIAL[BrushedRock] = Special(
    {"strokes_data": _field("what was added and carved")},
    lambda one: {"strokes_data": _text(one.strokes and pack_strokes(one.strokes))},
    lambda build, where, file: {
        (BrushedRock, "strokes"): _read(build, f"{where}.strokes_data", file.strokes_data, unpack_strokes)
    },
)
