"""Own fixtures as JSON: everything that is known of each."""

from __future__ import annotations

import json
from typing import Any, Literal

from pydantic import Field, ValidationError

from corlume.core.keeping.own_fixture import OwnFixture
from corlume.formats.file_faults import BadFile, shape_faults
from corlume.formats.json_file import load_json
from corlume.formats.shapes import Build, FileShape, from_data, shape_of, to_data

FORMAT, VERSION = "corlume-shelf", 2
OwnFixtureFile: Any = shape_of(OwnFixture)


class OwnFixturesFile(FileShape):
    """The keeper's own fixtures."""

    format: Literal["corlume-shelf"]
    version: Literal[1, 2]
    fixtures: list[OwnFixtureFile] = Field(min_length=1, max_length=500)


def write_own_fixtures(items: list[OwnFixture]) -> str:
    """The fixtures as a file."""
    data = {"format": FORMAT, "version": VERSION, "fixtures": [to_data(one) for one in items]}
    return json.dumps(data, indent=1, ensure_ascii=False) + "\n"


def read_own_fixtures(data: bytes) -> list[OwnFixture]:
    """Read such a file whole; ``BadFile`` has every fault with its place."""
    try:
        file = OwnFixturesFile.model_validate(load_json(data))
    except ValidationError as error:
        raise BadFile(shape_faults(error.errors())) from error
    build = Build()
    made = [from_data(build, f"fixtures.{i}", OwnFixture, row) for i, row in enumerate(file.fixtures)]
    build.finish()
    return [one for one in made if one]
