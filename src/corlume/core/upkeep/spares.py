"""Spare lamps and parts in the cupboard."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from corlume.core.schema import Text, Whole, limits


@dataclass(frozen=True, slots=True)
class Spare:
    """A spare lamp or part by its name, and how many there are."""

    name: Annotated[str, Text("Spare", 80, least=1)]
    count: Annotated[int, Whole("Number", 0, 999)] = 1

    def __post_init__(self) -> None:
        limits(self).finish()
