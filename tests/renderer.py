"""The general-purpose physically based renderer that the field is held against, set up for one box of water.

Path tracing from the sensor; nothing in it is ours but the scene. Units: a face of 1 W stands for 1 umol/s.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

BOX, FACE, INDEX = 0.6, 0.1, 1.34


def rendered(
    point: tuple[float, float, float], *, height: float, clear: bool, samples: int, seeds: int
) -> tuple[float, float]:
    """Irradiance per unit of flux [1/m2] at a point (x, y, depth) [m] under a Lambert face, and its standard error.

    ``clear`` panes are water against air; black ones take all.
    """
    import mitsuba as mi

    mi.set_variant("scalar_rgb")
    scene = mi.load_dict(_scene(mi, point, height, clear))
    found = [
        float(np.array(mi.render(scene, sensor=0, seed=mi.UInt32(seed), spp=samples)).reshape(-1)[0])
        for seed in range(seeds)
    ]
    return float(np.mean(found)), float(np.std(found, ddof=1) / math.sqrt(seeds))


def _scene(mi: Any, point: tuple[float, float, float], height: float, clear: bool) -> dict[str, Any]:
    turn = mi.ScalarTransform4f
    half, x, y = 0.5 * BOX, point[0] - 0.5 * BOX, point[1] - 0.5 * BOX
    water = {"type": "dielectric", "int_ior": INDEX, "ext_ior": 1.0}
    black = {"type": "diffuse", "reflectance": {"type": "rgb", "value": 0.0}}
    radiance = 1.0 / (math.pi * FACE**2)
    scene: dict[str, Any] = {
        "type": "scene",
        "integrator": {"type": "path", "max_depth": 16, "rr_depth": 64},
        "surface": {"type": "rectangle", "to_world": turn().scale([half, half, 1]), "bsdf": water},
        "face": {
            "type": "rectangle",
            "to_world": turn().translate([0, 0, height]) @ turn().rotate([1, 0, 0], 180) @ turn().scale(FACE / 2),
            "bsdf": black,
            "emitter": {"type": "area", "radiance": {"type": "rgb", "value": radiance}},
        },
        "probe": {
            "type": "rectangle",
            "to_world": turn().translate([x, y, -point[2]]) @ turn().scale(0.0005),
            "bsdf": black,
            "sensor": {
                "type": "irradiancemeter",
                "sampler": {"type": "independent", "sample_count": 64},
                "film": {"type": "hdrfilm", "width": 1, "height": 1, "rfilter": {"type": "box"},
                         "pixel_format": "luminance", "component_format": "float32"},
            },
        },
    }  # fmt: skip
    for k, (axis, angle, place) in enumerate((([0, 1, 0], 90, [1, 0, 0]), ([0, 1, 0], -90, [-1, 0, 0]),
                                              ([1, 0, 0], -90, [0, 1, 0]), ([1, 0, 0], 90, [0, -1, 0]))):  # fmt: skip
        # every pane faces outwards and reaches from the floor to the surface
        at = (
            turn().translate([half * place[0], half * place[1], -half])
            @ turn().rotate(axis, angle)
            @ turn().scale(half)
        )
        scene[f"pane-{k}"] = {"type": "rectangle", "to_world": at, "bsdf": water if clear else black}
    return scene
