"""The general-purpose physically based renderer that the field is held against, set up for one box of water.

Path tracing from the sensor; nothing in it is ours but the scene. Units: a face of 1 W stands for 1 umol/s.
"""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import numpy as np
import trimesh

from corlume.core.light.emitter import Emitter
from corlume.core.light.geometry import Pane, Tank
from corlume.core.light.natural_rock import NaturalRock
from corlume.core.light.rock_mesh import centred
from corlume.core.light.water import Water

BOX, FACE, INDEX = 0.6, 0.1, 1.34
ROCK_TABLE = Path(__file__).parent / "scenes" / "renderer_rock.json"
"""Places (x, y, depth) and irradiance beside rock, as `python -m tests.renderer` writes them."""


def rendered(
    point: tuple[float, float, float],
    *,
    height: float,
    clear: bool,
    samples: int,
    seeds: int,
    bar: tuple[float, float, float, float, float] | None = None,
) -> tuple[float, float]:
    """Irradiance per unit of flux [1/m2] at a point (x, y, depth) [m] under a Lambert face, and its standard error.

    ``clear`` panes are water against air; black ones take all. A black ``bar`` over the water is x0, x1, y0, y1 and its
    height [m].
    """
    import mitsuba as mi

    mi.set_variant("scalar_rgb")
    described = _scene(mi, point, height, clear)
    if bar:
        x0, x1, y0, y1, up = bar
        at = mi.ScalarTransform4f().translate([0.5 * (x0 + x1 - BOX), 0.5 * (y0 + y1 - BOX), up])
        black = {"type": "diffuse", "reflectance": {"type": "rgb", "value": 0.0}}
        size = at @ mi.ScalarTransform4f().scale([0.5 * (x1 - x0), 0.5 * (y1 - y0), 1])
        described["bar"] = {"type": "rectangle", "to_world": size, "bsdf": {"type": "twosided", "bsdf": black}}
    scene = mi.load_dict(described)
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


def lit_beside(point: tuple[float, float, float], corners: np.ndarray, triangles: np.ndarray, *, samples: int) -> float:
    """Irradiance per unit of flux [1/m2] at a point (x, y, depth) beside a black mesh in the water of a box with black
    panes, under a Lambert face 25 cm above; corners (n, 3) at x, y and depth [m].
    """
    import mitsuba as mi

    mi.set_variant("scalar_rgb")
    scene = _scene(mi, point, 0.25, False)
    mesh = mi.Mesh("rock", len(corners), len(triangles))
    places = np.column_stack((corners[:, 0] - 0.5 * BOX, corners[:, 1] - 0.5 * BOX, -corners[:, 2]))
    params = mi.traverse(mesh)
    params["vertex_positions"], params["faces"] = places.astype(np.float32).ravel(), triangles.astype(np.uint32).ravel()
    params.update()
    mesh.set_bsdf(mi.load_dict({"type": "diffuse", "reflectance": {"type": "rgb", "value": 0.0}}))
    scene["rock"] = mesh
    loaded = mi.load_dict(scene)
    return float(np.array(mi.render(loaded, sensor=0, seed=mi.UInt32(1), spp=samples)).reshape(-1)[0])


def beside_rock(shape: str) -> tuple[Tank, NaturalRock, Emitter]:
    """The box of water with a sphere of 20 cm or a torus of 32 cm hung in it, as Corlume has it, under the face."""
    solid = trimesh.creation.icosphere(5, 0.1) if shape == "sphere" else trimesh.creation.torus(0.12, 0.04, 128, 64)
    mesh = centred(np.asarray(solid.vertices), np.asarray(solid.faces))
    rock = NaturalRock("Rock", "0" * 64, 0.5 * BOX, 0.5 * BOX, base=0.2, mesh=mesh)
    black = Pane("plain", 0.0)
    water = Water("plain", attenuation=0.0, index=INDEX)
    tank = Tank(
        BOX, BOX, BOX, sand=0.0, sand_albedo=0.0, rock_albedo=0.0, water=water, natural_rocks=(rock,),
        left=black, right=black, front=black, back=black,
    )  # fmt: skip
    return tank, rock, Emitter("led_cluster", 1.0, math.radians(120), FACE, FACE, 0.5 * BOX, 0.5 * BOX, 0.25)


def write_rock_table() -> None:
    """Render places in a row below each shape and beside it, about a minute and a half each."""
    found = {}
    for shape in ("sphere", "torus"):
        _, rock, _ = beside_rock(shape)
        assert rock.mesh is not None
        places = [(round(0.3 + 0.02 * k, 3), 0.3, 0.5) for k in range(14)]
        found[shape] = [
            [*place, round(lit_beside(place, rock.laid(BOX), rock.mesh.triangles, samples=4_000_000), 4)]
            for place in places
        ]
    ROCK_TABLE.write_text(json.dumps(found, indent=1) + "\n")


if __name__ == "__main__":
    write_rock_table()
