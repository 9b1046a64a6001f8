"""A scene with its photos in one zip: ``scene.json``, and each picture under ``photos/`` by its hash."""

from __future__ import annotations

import io
import re
import zipfile
import zlib
from collections.abc import Mapping

from corlume.core.keeping.scene import Scene
from corlume.formats.file_faults import BadFile, FileFault
from corlume.formats.json_file import MAX_BYTES
from corlume.formats.picture import MAX_BYTES as MAX_PICTURE
from corlume.formats.scene_file import read_scene, write_scene

SCENE = "scene.json"
_PICTURE = re.compile(r"photos/([0-9a-f]{64})\.jpg")
_DAY = (1980, 1, 1, 0, 0, 0)
"""The time of every entry, so that the same scene is the same file."""


def is_zip(data: bytes) -> bool:
    """Whether a file is a zip by its first bytes."""
    return data[:4] in (b"PK\x03\x04", b"PK\x05\x06")


def write_zip(scene: Scene, pictures: Mapping[str, bytes]) -> bytes:
    """A scene with the pictures of its photos, by their hashes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr(zipfile.ZipInfo(SCENE, _DAY), write_scene(scene), zipfile.ZIP_DEFLATED)
        for name, data in pictures.items():
            packed.writestr(zipfile.ZipInfo(f"photos/{name}.jpg", _DAY), data)
    return out.getvalue()


def read_packed(data: bytes) -> tuple[Scene, dict[str, bytes]]:
    """A scene from JSON or from a zip, and its pictures by their hashes; ``BadFile`` says what is wrong.

    Nothing is unpacked to disk, and nothing but the scene and pictures by their hashes is read.
    """
    if not is_zip(data):
        return read_scene(data), {}
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            if SCENE not in packed.namelist():
                raise BadFile([FileFault("the zip", f"has no {SCENE} in it")])
            scene = read_scene(_unpacked(packed, packed.getinfo(SCENE), MAX_BYTES))
            wanted = scene.pictures()
            pictures = {}
            for entry in packed.infolist():
                found = _PICTURE.fullmatch(entry.filename)
                if found and found[1] in wanted:
                    pictures[found[1]] = _unpacked(packed, entry, MAX_PICTURE)
            return scene, pictures
    except (zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError, EOFError) as error:
        raise BadFile([FileFault("the zip", "is damaged, or packed in a way that cannot be read")]) from error


def _unpacked(packed: zipfile.ZipFile, entry: zipfile.ZipInfo, most: int) -> bytes:
    """One file of a zip, no larger than allowed, whatever its header says."""
    with packed.open(entry) as file:
        data = file.read(most + 1)
    if len(data) > most:
        raise BadFile([FileFault(entry.filename[:80], f"is too big: at most {most / 1e6:g} MB")])
    return data
