"""A scene in one zip with its photos and the setups of its log: ``scene.json``, ``photos/`` and ``lights/`` by their
hashes.
"""

from __future__ import annotations

import io
import re
import zipfile
import zlib
from collections.abc import Mapping
from dataclasses import dataclass, field

from corlume.core.keeping.scene import Scene, Setup
from corlume.formats.file_faults import BadFile, FileFault
from corlume.formats.json_file import MAX_BYTES
from corlume.formats.picture import MAX_BYTES as MAX_PICTURE
from corlume.formats.scene_file import read_scene, write_scene
from corlume.formats.setup_state import read_setup, setup_json

SCENE = "scene.json"
_PICTURE = re.compile(r"photos/([0-9a-f]{64})\.jpg")
_LIGHTS = re.compile(r"lights/([0-9a-f]{64})\.json")
_DAY = (1980, 1, 1, 0, 0, 0)
"""The time of every entry, so that the same scene is the same file."""


def is_zip(data: bytes) -> bool:
    """Whether a file is a zip by its first bytes."""
    return data[:4] in (b"PK\x03\x04", b"PK\x05\x06")


@dataclass(frozen=True, slots=True)
class PackedScene:
    """A scene, with its pictures and the setups of its log by their hashes."""

    scene: Scene
    pictures: Mapping[str, bytes] = field(default_factory=dict)
    lights: Mapping[str, Setup] = field(default_factory=dict)


def write_zip(packed: PackedScene) -> bytes:
    """A scene with its pictures and setups."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        file.writestr(zipfile.ZipInfo(SCENE, _DAY), write_scene(packed.scene), zipfile.ZIP_DEFLATED)
        for name, data in packed.pictures.items():
            file.writestr(zipfile.ZipInfo(f"photos/{name}.jpg", _DAY), data)
        for name, setup in packed.lights.items():
            file.writestr(zipfile.ZipInfo(f"lights/{name}.json", _DAY), setup_json(setup), zipfile.ZIP_DEFLATED)
    return out.getvalue()


def read_packed(data: bytes) -> PackedScene:
    """A scene from JSON or from a zip; ``BadFile`` says what is wrong.

    Nothing is unpacked to disk, and nothing but the scene, and what it names by hash, is read.
    """
    if not is_zip(data):
        return PackedScene(read_scene(data))
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            if SCENE not in packed.namelist():
                raise BadFile([FileFault("the zip", f"has no {SCENE} in it")])
            scene = read_scene(_unpacked(packed, packed.getinfo(SCENE), MAX_BYTES))
            wanted, states = scene.pictures(), scene.states()
            pictures, lights = dict[str, bytes](), dict[str, Setup]()
            for entry in packed.infolist():
                picture, state = _PICTURE.fullmatch(entry.filename), _LIGHTS.fullmatch(entry.filename)
                if picture and picture[1] in wanted:
                    pictures[picture[1]] = _unpacked(packed, entry, MAX_PICTURE)
                if state and state[1] in states:
                    lights[state[1]] = _setup(entry.filename, _unpacked(packed, entry, MAX_BYTES))
            return PackedScene(scene, pictures, lights)
    except (zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError, EOFError) as error:
        raise BadFile([FileFault("the zip", "is damaged, or packed in a way that cannot be read")]) from error


def _setup(name: str, data: bytes) -> Setup:
    try:
        return read_setup(data)
    except BadFile as error:
        raise BadFile([FileFault(f"{name} {fault.where}".strip(), fault.what) for fault in error.faults]) from error


def _unpacked(packed: zipfile.ZipFile, entry: zipfile.ZipInfo, most: int) -> bytes:
    """One file of a zip, no larger than allowed, whatever its header says."""
    with packed.open(entry) as file:
        data = file.read(most + 1)
    if len(data) > most:
        raise BadFile([FileFault(entry.filename[:80], f"is too big: at most {most / 1e6:g} MB")])
    return data
