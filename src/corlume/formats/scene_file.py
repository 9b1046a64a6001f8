"""The scene file: a tank with its setups and corals as JSON, in centimetres.

x runs from the inside of the left pane, y from the inside of the front pane. The shape follows from the declarations of
what is kept; only what they cannot tell stands here.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError, create_model

import corlume.formats.fixture_file
import corlume.formats.rock_file
import corlume.formats.survey_file  # noqa: F401
from corlume.core.errors import NAME
from corlume.core.keeping.scene import Scene, Setup
from corlume.core.light.geometry import Tank
from corlume.core.light.water import Water
from corlume.core.schema import Many, Part, items, lists
from corlume.formats.file_faults import BadFile, FileFault, shape_faults
from corlume.formats.json_file import load_json
from corlume.formats.shapes import SPECIAL, Build, JsonNumber, Special, Values, from_data, shape_of, to_data

FILE_ROOM = 4
"""A file may hold so many times what the pages let a keeper add."""
FORMAT, VERSION = "corlume-scene", 2


def read_scene(data: bytes) -> Scene:
    """Read a scene file; ``BadFile`` says where it is wrong, by line and column or by field."""
    raw = load_json(data)
    try:
        file = SceneFile.model_validate(raw)
    except ValidationError as error:
        raise BadFile(shape_faults(error.errors())) from error
    build = Build()
    build.faults += _crowds(file)
    build.finish()
    scene = from_data(build, "", Scene, file)
    build.finish()
    assert scene is not None
    return scene


def write_scene(scene: Scene) -> str:
    """Write a scene as JSON text, indented, ready for a file."""
    return json.dumps(to_data(scene), indent=2, ensure_ascii=False) + "\n"


def scene_schema() -> str:
    """The JSON Schema of the scene file, as text."""
    schema = SceneFile.model_json_schema(by_alias=True)
    return json.dumps({"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}, indent=2) + "\n"


def _crowds(file: Any) -> list[FileFault]:
    """What there is far too many of. A file may hold more than the pages let a keeper add: older versions did."""
    return [
        FileFault(w, f"has {n} entries, at most {most} are read") for w, n, most in _lists("", Scene, file) if n > most
    ]


def _lists(where: str, cls: type, part: Any) -> Iterator[tuple[str, int, int]]:
    """Each list in a part of a file with its place, how many entries it has and how many are read; and those within."""
    for item in items(cls):
        if isinstance(item.spec, Many):
            entries = getattr(part, item.name)
            yield where + item.name, len(entries), FILE_ROOM * item.spec.most
            for i, entry in enumerate(entries):
                yield from _lists(f"{where}{item.name}[{i}].", item.type, entry)
        elif isinstance(item.spec, Part) and lists(item.type):
            yield from _lists(f"{where}{item.name}.", item.type, getattr(part, item.name))


def _read_water(build: Build, where: str, file: Any) -> Values:
    """The water of a tank, or the two plain numbers that are short for it."""
    if file.water:
        return {(Tank, "water"): from_data(build, f"{where}.water", Water, file.water)}
    plain = {"attenuation": file.attenuation_per_m, "index": file.refractive_index}
    given = {name: value for name, value in plain.items() if value is not None}
    return {(Tank, "water"): build(where, Water, kind="plain" if given else "sea", **given)}


SPECIAL[Tank] = Special(
    {
        "attenuation_per_m": (JsonNumber | None, Field(None, description="short for plain water of this loss of PAR")),
        "refractive_index": (JsonNumber | None, Field(None, description="short for plain water of this index")),
        "water": (shape_of(Water) | None, None),
    },
    lambda tank: {"water": to_data(tank.water)},
    _read_water,
    frozenset({"water"}),
)
TankFile = create_model(
    "TankFile",
    __base__=shape_of(Tank),
    __doc__="The tank: inside measures.",
    name=(Annotated[str, Field(max_length=NAME)], ...),
)


def _read_top(build: Build, _: str, file: Any) -> Values:
    """The tank with its name, and the setups; the first is the one in use where none is said to be it, or all are."""
    tank = from_data(build, "tank", Tank, file.tank)
    setups = [from_data(build, f"setups.{i}", Setup, setup) for i, setup in enumerate(file.setups)]
    build.finish()  # what follows is held against the tank
    found = [setup for setup in setups if setup]
    if len(found) > 1 and all(setup.in_use for setup in found):
        found = [replace(setup, in_use=i == 0) for i, setup in enumerate(found)]
    return {(Scene, "name"): file.tank.name, (Scene, "tank"): tank, (Scene, "setups"): tuple(found)}


SPECIAL[Scene] = Special(
    {
        "format": (Literal["corlume-scene"], ...),
        "version": (Literal[1, 2], Field(description="1 has older names for some fields, which are read as well")),
        "tank": (TankFile, ...),
        "setups": (list[shape_of(Setup)], Field(min_length=1)),  # type: ignore[misc]
    },
    lambda scene: {
        "format": FORMAT,
        "version": VERSION,
        "tank": {"name": scene.name, **to_data(scene.tank)},
        "setups": [to_data(setup) for setup in scene.setups],
    },
    _read_top,
    frozenset({"name", "tank", "setups"}),
)
SceneFile = shape_of(Scene)
