"""Places as a tape reads them: from either pane, to the middle of a body or to its near edge."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Any, Literal, get_args

Along = Literal["left", "right"]
Across = Literal["front", "back"]
To = Literal["middle", "edge"]


@dataclass(frozen=True, slots=True)
class Tape:
    """How a keeper reads places: along the tank from the left or the right pane, across it from the front or the back
    pane, and to the middle of a body or to the edge that is nearer to that pane.
    """

    along: Along = "left"
    across: Across = "front"
    to: To = "middle"

    @property
    def words(self) -> str:
        """The setting in words."""
        to = "middles" if self.to == "middle" else "near edges"
        return f"from the {self.along} and the {self.across} pane to {to}"

    def pane(self, axis: Literal["x", "y"]) -> str:
        """Return the pane from which an axis is measured."""
        return self.along if axis == "x" else self.across

    def read(self, axis: Literal["x", "y"], middle: float, half: float, size: float) -> float:
        """Return the tape's reading for a body [m].

        Parameters
        ----------
        middle : where its middle is, from the left or the front pane [m].
        half : half of its length along the axis [m].
        size : the tank from pane to pane [m].
        """
        away = size - middle if self.pane(axis) in ("right", "back") else middle
        return away - half if self.to == "edge" else away

    def place(self, axis: Literal["x", "y"], reading: float, half: float, size: float) -> float:
        """Return the middle of a body from the left or front pane [m]; the inverse of ``read``."""
        away = reading + half if self.to == "edge" else reading
        return size - away if self.pane(axis) in ("right", "back") else away


def tape_of(text: str) -> Tape:
    """Parse a tape setting of three words with dots between; the default for anything else."""
    options = {f.name: get_args(kind) for f, kind in zip(fields(Tape), (Along, Across, To), strict=True)}
    read = dict(zip(options, text.split("."), strict=False))
    known: dict[str, Any] = {name: read[name] for name in options if read.get(name) in options[name]}
    return Tape(**known)
