"""Drags and taps on drawings: where something was dropped, and where it was tapped."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, RootModel

Metres = Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]
Measured = Annotated[float, Field(allow_inf_nan=False)]
"""A length whose limits are those of what it is a measure of [m]."""
BoxShape = RootModel[dict[Literal["x", "y", "base", "length", "width", "height"], Measured]]
"""Changed measures of a box on a drawing [m]."""


class Dropped(BaseModel):
    """Where something was dropped [m], or that it was deleted."""

    x: Metres | None = None
    y: Metres | None = None
    depth: Metres | None = None
    dropped: bool = False

    @property
    def given(self) -> dict[str, Any]:
        """The measures that were changed."""
        return {name: value for name, value in self.model_dump().items() if name != "dropped" and value is not None}


class Tapped(BaseModel):
    """A tapped place on a view, from its upper left corner [m].

    ``third`` is what the view does not show of it, as typed: a depth, or a distance from the front.
    """

    view: Literal["plan", "front"]
    u: Metres
    v: Metres
    third: Annotated[str, Field(max_length=40)]
