"""What makes the light: one table of the technologies, with all that the rest asks of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

TechnologyKey = Literal["led_cluster", "led_bar", "t5_tube", "power_compact", "halide"]
Wears = Literal["tube", "led", "arc"]


@dataclass(frozen=True, slots=True)
class Arc:
    """A small bright source in a reflector: its share of the light [-], and its size [m]."""

    share: float
    size: float


@dataclass(frozen=True, slots=True)
class Technology:
    """One way of making light.

    Parameters
    ----------
    name : as keepers say it.
    wears : which questions about age are asked of it.
    lensed : whether other lenses can be put on.
    long : whether one is hung beside the other along the tank, in a frame.
    arc : the bright spot that ripples throw about, for those that have one; they run hot, too.
    """

    name: str
    wears: Wears
    lensed: bool = False
    long: bool = False
    arc: Arc | None = None


TECHNOLOGIES: dict[TechnologyKey, Technology] = {
    "led_cluster": Technology("LED cluster", "led", lensed=True),
    "led_bar": Technology("LED bar", "led", lensed=True, long=True),
    "t5_tube": Technology("T5 tube", "tube", long=True),
    "power_compact": Technology("Power compact", "tube", long=True),
    "halide": Technology("Metal halide", "arc", arc=Arc(0.35, 0.03)),
}
"""Share and size of the arc are our own estimates."""
