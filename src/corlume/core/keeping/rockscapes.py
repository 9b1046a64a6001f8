"""Rockscapes to begin with: a few of our own, scaled to a tank."""

from __future__ import annotations

from typing import Literal

from corlume.core.light.geometry import Rock, RockForm, Tank

ScapeKey = Literal["open", "islands", "arch", "wall", "bommies"]
SCAPES: dict[ScapeKey, tuple[str, str]] = {
    "open": ("No rock yet", "bare, or to be drawn"),
    "islands": ("Two islands", "a tall one and a lower one, water between and behind"),
    "arch": ("Arch", "two feet and a bridge, with a low foot in front"),
    "wall": ("Wall", "terraces along the back, 10 cm (4 in) off the pane"),
    "bommies": ("Bommies", "three separate heaps"),
}
"""Each with its name and what it is."""
Share = tuple[str, RockForm, float, float, float, float, float, float]
"""Name, form, and left, front, base, length, width and height as shares of the tank and of the room over the sand."""
_SHARES: dict[ScapeKey, tuple[Share, ...]] = {
    "open": (),
    "islands": (
        ("Tall island", "mound", 0.12, 0.28, 0.0, 0.30, 0.48, 0.66),
        ("Tall island, ledge", "block", 0.08, 0.22, 0.30, 0.20, 0.24, 0.10),
        ("Low island", "mound", 0.60, 0.30, 0.0, 0.28, 0.42, 0.44),
    ),
    "arch": (
        ("Arch", "arch", 0.22, 0.36, 0.0, 0.56, 0.30, 0.58),
        ("Foot", "mound", 0.12, 0.18, 0.0, 0.24, 0.30, 0.26),
    ),
    "wall": (
        ("Wall, upper terrace", "block", 0.10, 0.62, 0.0, 0.80, 0.20, 0.62),
        ("Wall, middle terrace", "block", 0.14, 0.44, 0.0, 0.62, 0.18, 0.40),
        ("Wall, foot", "block", 0.24, 0.30, 0.0, 0.36, 0.14, 0.20),
    ),
    "bommies": (
        ("Left bommie", "mound", 0.08, 0.34, 0.0, 0.20, 0.34, 0.46),
        ("Middle bommie", "mound", 0.40, 0.26, 0.0, 0.22, 0.38, 0.60),
        ("Right bommie", "mound", 0.74, 0.38, 0.0, 0.18, 0.32, 0.38),
    ),
}
GRAIN = 0.005
"""Measures are rounded to this [m]."""


def scape(key: ScapeKey, tank: Tank) -> tuple[Rock, ...]:
    """Rock of a rockscape on the bottom pane of a tank; heights are shares of the water's depth."""
    across, deep, high = tank.length, tank.width, tank.water_depth
    return tuple(
        Rock(_even(x * across), _even(y * deep), _even(base * high), _even(length * across), _even(width * deep),
             _even(height * high), name, form=form)
        for name, form, x, y, base, length, width, height in _SHARES[key]
    )  # fmt: skip


def _even(value: float) -> float:
    return round(round(value / GRAIN) * GRAIN, 4)
