"""The field: PAR at points in the water, one unit field a fixture, combined linearly."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core import kernel
from corlume.core.emitter import Emitter
from corlume.core.geometry import Tank
from corlume.core.pane import return_table
from corlume.core.scatter import Scatter, find_scatter

Array = NDArray[np.float64]

# One parallel kernel at a time: numba's fallback thread pool ends the process when two threads enter it.
_KERNEL = threading.Lock()


@dataclass(frozen=True, slots=True)
class Medium:
    """The tank in the shape that the kernel reads; build once, use for every fixture."""

    size: tuple[float, float]
    index: float
    attenuation: float
    panes: Array
    opening: Array
    rim: float
    braces: Array
    rocks: Array
    scatter: Scatter | None = None
    cover: float = 1.0

    @classmethod
    def of(cls, tank: Tank, *, shadows: bool = True) -> Medium:
        """Lay out a tank; ``shadows=False`` leaves the rock out."""
        rocks = tank.rocks if shadows else ()
        tops = [rock.top_depth(tank.water_depth) for rock in rocks]
        inset = tank.rim_inset
        panes = np.array([return_table(pane, tank.index) for pane in tank.panes()])
        boxes = np.array(
            [
                (rock.x, rock.x + rock.length, rock.y, rock.y + rock.width, top, top + rock.height)
                for rock, top in zip(rocks, tops, strict=True)
            ]
        ).reshape(-1, 6)
        return cls(
            size=(tank.length, tank.width),
            index=tank.index,
            attenuation=tank.attenuation,
            panes=panes,
            opening=np.array([inset, tank.length - inset, inset, tank.width - inset]),
            rim=tank.rim_height,
            braces=np.array([(b.x0, b.x1, b.y0, b.y1) for b in tank.braces]).reshape(-1, 4),
            rocks=boxes,
            scatter=find_scatter(tank, panes, boxes) if tank.sand_albedo or tank.rock_albedo else None,
            cover=tank.cover,
        )


def unit_field(medium: Medium, emitter: Emitter, points: Array, *, step: float = 0.35) -> Array:
    """PAR of one fixture at full output.

    Parameters
    ----------
    medium : the tank.
    emitter : the fixture's light-giving face.
    points : (..., 3) of x, y and depth inside the water [m].
    step : fineness of the quadrature, see ``Emitter.sources``.

    Returns
    -------
    PPFD on an upward-looking cosine sensor, shape (...) [umol/m2/s].

    Notes
    -----
    Flux tube through a flat surface, panes by mirror images: see ``kernel``; what the floor sends back: see
    ``scatter``. Points inside rock read nothing of any use: mask them by ``Tank.in_rock``.
    """
    points = np.asarray(points, dtype=np.float64)
    flat = np.ascontiguousarray(points.reshape(-1, 3))
    floor = medium.scatter.patches if medium.scatter else flat[:0]
    direct = _direct(medium, emitter, np.concatenate([flat, floor]), step)
    par = direct[: len(flat)]
    if medium.scatter:
        par = par + medium.scatter.at(flat, direct[len(flat) :])
    return (medium.cover * emitter.ppf * par).reshape(points.shape[:-1])


def _direct(medium: Medium, emitter: Emitter, points: Array, step: float) -> Array:
    """Irradiance per unit of flux at points (k, 3) by light that has not touched the floor [1/m2]."""
    depths, layer = np.unique(points[:, 2], return_inverse=True)
    sources, lobe = emitter.sources(step=step), emitter.shape().table()
    heights, level = np.unique(sources[:, 2].round(5), return_inverse=True)
    with _KERNEL:
        found: Array = kernel.irradiance(
            points,
            layer,
            depths,
            sources,
            heights,
            level,
            emitter.axes(),
            lobe,
            emitter.roll == 0 and emitter.pitch == 0 and lobe.shape[1] == 1,
            medium.size,
            medium.index,
            medium.attenuation,
            medium.panes,
            medium.opening,
            medium.rim,
            medium.braces,
            medium.rocks,
        )
    return found


def combine(unit_fields: Sequence[Array], outputs: Sequence[float]) -> Array:
    """Add unit fields, each times its fixture's output 0..1: PAR is linear in every output."""
    total = np.zeros_like(unit_fields[0])
    for field, output in zip(unit_fields, outputs, strict=True):
        total += output * field
    return total


def grid(tank: Tank, counts: tuple[int, int, int], *, depths: tuple[float, float] | None = None) -> Array:
    """Points (nx, ny, nz, 3) spread evenly over the water, half a step in from every pane.

    ``depths`` limits the range; by default from the surface to the sand [m].
    """
    top, bottom = depths or (0.0, tank.sand_depth)
    axes = [
        (np.arange(count) + 0.5) / count * (high - low) + low
        for count, low, high in zip(counts, (0.0, 0.0, top), (tank.length, tank.width, bottom), strict=True)
    ]
    return np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)
