"""A fixture of the keeper's own, in the fixture library."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from corlume.core.light.fixture import Fixture
from corlume.core.schema import Number, Part, Text, limits


@dataclass(frozen=True, slots=True)
class OwnFixture:
    """A fixture with the source of its figures, its price [currency], 0 when not known, and its suspension."""

    fixture: Annotated[Fixture, Part(file="fixture")]
    source: Annotated[str, Text("Source", 400)] = ""
    price: Annotated[float, Number("Price, if known", 0.0, 1e6, empty=0.0)] = 0.0
    mount: Annotated[str, Text("Mounting")] = ""

    def __post_init__(self) -> None:
        limits(self).finish()
