"""The table that holds the light model's numbers still: PAR of odd and plain scenes at seeded points.

`python -m tests.fields` writes it anew; do that only when the model itself is meant to change, and say so.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Rock, Tank
from corlume.core.light.lobe import RingLobe
from corlume.formats.scene_file import read_scene
from corlume.services.keeping.demo import demo_scene
from corlume.services.light.fields import par_at

TABLE = Path(__file__).parent / "scenes" / "fields.json"
OF_BOXES = TABLE.with_name("fields_of_boxes.json")
"""The table as it was when rock was boxes and not yet runs in columns."""
BLOCKS = TABLE.parent / "old" / "demo-of-blocks.json"
"""The demo tank when its rock was blocks, an arch and a mound."""


def scenes() -> Iterator[tuple[str, Tank, tuple[Fixture, ...]]]:
    """Name, tank as the light meets it, and what hangs over it."""
    demo = read_scene(BLOCKS.read_bytes())
    for number, setup in enumerate(demo.setups):
        yield f"demo {number}", demo.lit_tank(), setup.fixtures
    for name in ("hand-measured-cube", "two-modules"):
        scene = read_scene((TABLE.parent / f"{name}.json").read_bytes())
        for number, setup in enumerate(scene.setups):
            yield f"{name} {number}", scene.lit_tank(), setup.fixtures
    tilted = replace(demo.setups[0].fixtures[0].emitter, roll=0.3, pitch=-0.2, turn=0.4)
    rings = replace(tilted, lobe=RingLobe(((0.6, 1.2), (0.4, 2.1))), roll=0.0)
    heap = tuple(Rock(0.1 + 0.07 * k, 0.05 + 0.11 * (k % 5), 0.03 * (k % 3), 0.1, 0.12, 0.14) for k in range(16))
    yield "tilt and a heap", replace(demo.tank, rocks=heap), (Fixture(tilted), Fixture(replace(rings, x=1.1)))
    natural = demo_scene()
    yield "natural rock", natural.lit_tank(), natural.setup().fixtures


def points(tank: Tank, seed: int) -> np.ndarray:
    """Points in the water, not in rock."""
    draw = np.random.default_rng(seed)
    found = draw.random((60, 3)) * (tank.length, tank.width, tank.sand_depth - 0.01) + (0.0, 0.0, 0.005)
    return found[~tank.in_rock(found)][:25]


def fields() -> dict[str, dict[str, list[float]]]:
    """PAR by scene and sensor, umol/m2/s."""
    return {
        name: {
            sensor: par_at(tank, fixtures, points(tank, seed), sensor=sensor).tolist()  # type: ignore[arg-type]
            for sensor in ("planar", "scalar")
        }
        for seed, (name, tank, fixtures) in enumerate(scenes())
    }


if __name__ == "__main__":
    TABLE.write_text(json.dumps(fields(), indent=1) + "\n")
