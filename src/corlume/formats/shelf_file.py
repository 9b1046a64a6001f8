"""Own fixtures as JSON: everything that is known of each."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from corlume.core.scene import Fixture
from corlume.formats.faults import BadFile, Fault, shape_faults
from corlume.formats.scene import fixture_of, load_json
from corlume.formats.scene_file import FixtureFile, Number
from corlume.formats.scene_writer import fixture_data

FORMAT = "corlume-shelf"


@dataclass(frozen=True, slots=True)
class ShelfItem:
    """A fixture with where its figures come from, its price (0 when not known) and how it is hung."""

    fixture: Fixture
    source: str
    price: float
    mount: str


class ItemFile(BaseModel):
    """One fixture of the shelf."""

    model_config = ConfigDict(extra="forbid")
    fixture: FixtureFile
    source: Annotated[str, Field(max_length=400)] = ""
    price: Annotated[Number, Field(ge=0, le=1e6)] = 0.0
    mount: Annotated[str, Field(max_length=80)] = ""


class ShelfFile(BaseModel):
    """The keeper's own fixtures."""

    model_config = ConfigDict(extra="forbid")
    format: Literal["corlume-shelf"]
    version: Literal[1]
    fixtures: list[ItemFile] = Field(min_length=1, max_length=500)


def write_shelf(items: list[ShelfItem]) -> str:
    """The fixtures as a file."""
    rows: list[dict[str, Any]] = [
        {"fixture": fixture_data(one.fixture), "source": one.source, "price": one.price, "mount": one.mount}
        for one in items
    ]
    return json.dumps({"format": FORMAT, "version": 1, "fixtures": rows}, indent=1, ensure_ascii=False) + "\n"


def read_shelf(data: bytes) -> list[ShelfItem]:
    """Read such a file whole; ``BadFile`` has every fault with its place."""
    raw = load_json(data)
    try:
        file = ShelfFile.model_validate(raw)
    except ValidationError as error:
        raise BadFile(shape_faults(error.errors())) from error
    found, faults = list[ShelfItem](), list[Fault]()
    for number, item in enumerate(file.fixtures):
        try:
            found.append(ShelfItem(fixture_of(item.fixture), item.source, item.price, item.mount))
        except BadFile as error:
            faults += [Fault(f"fixtures[{number}].fixture.{f.where}".rstrip("."), f.what) for f in error.faults]
    if faults:
        raise BadFile(faults)
    return found
