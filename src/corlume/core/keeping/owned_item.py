"""Fixtures in the cupboard, and second-hand offers for what could be bought."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from corlume.core.schema import Number, Text, Whole, limits


@dataclass(frozen=True, slots=True)
class OwnedItem:
    """A fixture of the library by its key: how many are owned and hang nowhere, and for how much one can be had, or
    sold, second-hand, 0 when not known [currency].
    """

    key: Annotated[str, Text("Fixture", 80, least=1)]
    count: Annotated[int, Whole("In the cupboard", 0, 99)] = 0
    offer: Annotated[float, Number("Second-hand price", 0.0, 100_000.0, empty=0.0, about="of one; blank: none")] = 0.0

    def __post_init__(self) -> None:
        limits(self).finish()
