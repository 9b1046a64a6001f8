"""A scene in one zip with its photos, the setups of its log and its rock: ``scene.json``, and ``photos/``, ``lights/``
and ``rock/`` by their hashes.
"""

from __future__ import annotations

import io
import re
import zipfile
import zlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import TypeVar

from corlume.core.keeping.scene import Scene, Setup
from corlume.core.light.geometry import Tank
from corlume.core.light.rock_bytes import pack_mesh, pack_strokes, unpack_mesh, unpack_strokes
from corlume.formats.file_faults import BadFile, FileFault
from corlume.formats.json_file import MAX_BYTES
from corlume.formats.picture import MAX_BYTES as MAX_PICTURE
from corlume.formats.scene_file import read_scene, write_scene
from corlume.formats.setup_state import read_setup, setup_json

T = TypeVar("T")
SCENE = "scene.json"
_PICTURE = re.compile(r"photos/([0-9a-f]{64})\.jpg")
_LIGHTS = re.compile(r"lights/([0-9a-f]{64})\.json")
_ROCK = re.compile(r"rock/([0-9a-f]{64})\.bin")
MAX_ROCK = 60_000_000
"""A packed mesh is no larger than this [bytes]."""
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
        file.writestr(zipfile.ZipInfo(SCENE, _DAY), write_scene(_without_rock(packed.scene)), zipfile.ZIP_DEFLATED)
        for name, data in packed.pictures.items():
            file.writestr(zipfile.ZipInfo(f"photos/{name}.jpg", _DAY), data)
        for name, data in _rock_files(packed.scene.tank):
            file.writestr(zipfile.ZipInfo(f"rock/{name}.bin", _DAY), data)
        for name, setup in packed.lights.items():
            file.writestr(zipfile.ZipInfo(f"lights/{name}.json", _DAY), setup_json(setup), zipfile.ZIP_DEFLATED)
    return out.getvalue()


def read_packed(data: bytes) -> PackedScene:
    """A scene from JSON or from a zip; ``BadFile`` says what is wrong.

    Nothing is unpacked to disk, and nothing but the scene, and what it names by hash, is read.
    """
    if not is_zip(data):
        return PackedScene(_with_rock(read_scene(data), {}))
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            if SCENE not in packed.namelist():
                raise BadFile([FileFault("the zip", f"has no {SCENE} in it")])
            scene = read_scene(_unpacked(packed, packed.getinfo(SCENE), MAX_BYTES))
            wanted, states = scene.pictures(), scene.states()
            pictures, lights, rock = dict[str, bytes](), dict[str, Setup](), dict[str, bytes]()
            rocks = {one.mesh_key for one in scene.tank.natural_rocks} | {one.key for one in scene.tank.brushed_rock}
            for entry in packed.infolist():
                picture, state = _PICTURE.fullmatch(entry.filename), _LIGHTS.fullmatch(entry.filename)
                if picture and picture[1] in wanted:
                    pictures[picture[1]] = _unpacked(packed, entry, MAX_PICTURE)
                if state and state[1] in states:
                    lights[state[1]] = _setup(entry.filename, _unpacked(packed, entry, MAX_BYTES))
                shape = _ROCK.fullmatch(entry.filename)
                if shape and shape[1] in rocks:
                    rock[shape[1]] = _unpacked(packed, entry, MAX_ROCK)
            return PackedScene(_with_rock(scene, rock), pictures, lights)
    except (zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError, EOFError) as error:
        raise BadFile([FileFault("the zip", "is damaged, or packed in a way that cannot be read")]) from error


def _rock_files(tank: Tank) -> Iterator[tuple[str, bytes]]:
    """Meshes and strokes of a tank, each once, by their hashes."""
    found = {one.mesh_key: pack_mesh(one.mesh) for one in tank.natural_rocks if one.mesh}
    found |= {one.key: pack_strokes(one.strokes) for one in tank.brushed_rock if one.strokes}
    yield from sorted(found.items())


def _without_rock(scene: Scene) -> Scene:
    """The scene without what the zip has as files of its own."""
    natural = tuple(replace(one, mesh=None) for one in scene.tank.natural_rocks)
    brushed = tuple(replace(one, strokes=None) for one in scene.tank.brushed_rock)
    return replace(scene, tank=replace(scene.tank, natural_rocks=natural, brushed_rock=brushed))


def _with_rock(scene: Scene, files: Mapping[str, bytes]) -> Scene:
    """The scene with the meshes and strokes that are not in its own text; ``BadFile`` for what is missing or
    damaged.
    """
    faults, missing = list[FileFault](), "has no mesh here: bring the zip that it came in"

    def read(where: str, key: str, unpack: Callable[[bytes], T]) -> T | None:
        try:
            if key in files:
                return unpack(files[key])
            faults.append(FileFault(where, missing))
        except ValueError as error:
            faults.append(FileFault(where, f"cannot be read: {error}"))
        return None

    natural = tuple(
        replace(one, mesh=one.mesh or read(f"tank.natural_rocks[{i}]", one.mesh_key, unpack_mesh))
        for i, one in enumerate(scene.tank.natural_rocks)
    )
    brushed = tuple(
        replace(one, strokes=one.strokes or read(f"tank.brushed_rock[{i}]", one.key, unpack_strokes))
        for i, one in enumerate(scene.tank.brushed_rock)
    )
    if faults:
        raise BadFile(faults)
    return (
        replace(scene, tank=replace(scene.tank, natural_rocks=natural, brushed_rock=brushed))
        if natural or brushed
        else scene
    )


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
