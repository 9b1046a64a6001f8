"""Natural rock: pieces of any shape, from a scan or a rockscape, with where and how each lies in the tank."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import FieldError, Rules
from corlume.core.light.rock_mesh import Placing, RockMesh, placed, sample_mesh
from corlume.core.light.rockwork import FLOWS, Flow
from corlume.core.light.sampled_rock import SampledRock
from corlume.core.schema import Angle, Choice, Length, Share, Text, limits
from corlume.core.units import DEGREE

Array = NDArray[np.float64]
Origin = Literal["scan", "scape"]
ORIGINS: dict[Origin, str] = {"scan": "scan", "scape": "rockscape"}
ROUND = 360 * DEGREE


@dataclass(frozen=True, slots=True)
class NaturalRock:
    """A piece of natural rock.

    Parameters
    ----------
    name : what the keeper calls it.
    mesh_key : hash under which its mesh is kept; ``mesh`` is the mesh itself, or None before it is loaded.
    x, y : middle of its footprint [m].
    base : its lowest point above the bottom pane [m].
    turn : anticlockwise as seen from above [rad]; ``tilt_back`` and ``tilt_right`` come before it [rad].
    scale : its size over that of its mesh [-].
    flow : the flow noted on it.
    origin : where the mesh comes from.
    """

    name: Annotated[str, Text("Name", 40, least=1)]
    mesh_key: Annotated[str, Text("Mesh", 64, least=64, file="mesh", about="hash of its file in the zip")]
    x: Annotated[float, Length("middle from left", 0.0, 5.0)]
    y: Annotated[float, Length("middle from front", 0.0, 5.0)]
    base: Annotated[float, Length("base", 0.0, 2.0, about="lowest point above the bottom pane", blank=0.0)] = 0.0
    turn: Annotated[float, Angle("turned", -ROUND, ROUND, about="anticlockwise from above", blank=0.0)] = 0.0
    tilt_back: Annotated[float, Angle("tilted back", -ROUND, ROUND, about="negative: to the front", blank=0.0)] = 0.0
    tilt_right: Annotated[float, Angle("tilted right", -ROUND, ROUND, about="negative: to the left", blank=0.0)] = 0.0
    scale: Annotated[float, Share("size", 0.05, 20.0, about="of what it was as it came", blank=1.0)] = 1.0
    flow: Annotated[Flow, Choice("flow on top", FLOWS)] = ""
    origin: Annotated[Origin, Choice("from", ORIGINS)] = "scan"
    mesh: RockMesh | None = None

    def __post_init__(self) -> None:
        limits(self).finish()

    @property
    def placing(self) -> Placing:
        """Where and how it lies."""
        return Placing(self.x, self.y, self.base, self.turn, self.tilt_back, self.tilt_right, self.scale)

    def sampled(self, length: float, width: float, water_depth: float) -> SampledRock | None:
        """Its rock along the lines of a tank of inside measures [m]; None before its mesh is loaded."""
        return _sampled(self, length, width, water_depth) if self.mesh else None

    def laid(self, water_depth: float) -> Array:
        """Corners (n, 3) of its mesh in the tank at x, y and depth [m]."""
        assert self.mesh is not None
        return placed(self.mesh, self.placing, water_depth)

    def extent(self, water_depth: float) -> tuple[float, float, float, float, float, float]:
        """The box around it: x0, x1, y0, y1, and depths of its top and bottom [m]."""
        return _extent(self, water_depth)


@lru_cache(maxsize=64)
def _sampled(rock: NaturalRock, length: float, width: float, water_depth: float) -> SampledRock:
    assert rock.mesh is not None
    corners = rock.laid(water_depth)
    return sample_mesh(corners, rock.mesh.triangles, length, width, rock.name, rock.flow)


@lru_cache(maxsize=64)
def _extent(rock: NaturalRock, water_depth: float) -> tuple[float, float, float, float, float, float]:
    if rock.mesh is None:
        return rock.x, rock.x, rock.y, rock.y, water_depth - rock.base, water_depth - rock.base
    corners = rock.laid(water_depth)
    (x0, y0, top), (x1, y1, bottom) = corners.min(axis=0).tolist(), corners.max(axis=0).tolist()
    return x0, x1, y0, y1, top, bottom


def natural_rock_errors(rocks: Iterable[NaturalRock], length: float, width: float, depth: float) -> list[FieldError]:
    """Find pieces that lie beside the tank or wholly over its water, as ``natural_rocks.0.x`` and so on; parts that
    reach out of it are cut off.
    """
    rules = Rules()
    for i, rock in enumerate(rocks):
        rules.between(f"natural_rocks.{i}.x", rock.x, 0.0, length, "length")
        rules.between(f"natural_rocks.{i}.y", rock.y, 0.0, width, "length")
        rules.between(f"natural_rocks.{i}.base", rock.base, 0.0, depth, "length")
    return rules.errors
