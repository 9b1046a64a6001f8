"""A lattice Boltzmann run of one small tank, whose means the tests hold the solved flow against: takes half an hour.

D3Q19 with regularized collisions (Latt and Chopard 2006), Smagorinsky's eddy viscosity (1963) and pumps as a body force
(Guo, Zheng and Shi 2002): from memory. Panes, sand and rock bounce back halfway, the surface slips. A method that
shares nothing with ``core.flow.solver`` but the tank. ``python -m benchmarks.lattice_flow FILE`` writes what
``tests/flow/test_flow_solver.py`` reads.
"""

from __future__ import annotations

import json
import math
import sys
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from corlume.core.flow.first_estimate import jet_of
from corlume.core.flow.pump import Pump
from corlume.core.light.geometry import Rock, Tank
from corlume.core.light.rockwork import is_in_rock
from corlume.core.units import DEGREE, LITRES_AN_HOUR

Array = NDArray[np.float64]
TANK = Tank(0.6, 0.45, 0.4, sand=0.0, rocks=(Rock(0.3, 0.1, 0.0, 0.15, 0.2, 0.15, "Mound"),))
PUMP = Pump("West", x=0.02, y=0.26, depth=0.12, turn=12 * DEGREE, rate=2000 * LITRES_AN_HOUR, outlet=0.025)
CELL, OUTLET_SPEED, SMAGORINSKY, LEAST_RELAXATION = 0.0125, 0.1, 0.14, 0.5005
"""Side of a cell [m], the outlet's speed in cells a step, Smagorinsky's constant and the least relaxation time [-]."""
SETTLES, MEAN_OF = 12.0, 36.0
"""Seconds before the means are taken, and over which [s]."""
WAYS = np.array(
    [(x, y, z) for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1) if abs(x) + abs(y) + abs(z) <= 2]
)
WEIGHTS = np.array([{0: 1 / 3, 1: 1 / 18, 2: 1 / 36}[int(np.abs(way).sum())] for way in WAYS])
PAIRS = [(0, 0), (1, 1), (2, 2), (0, 1), (0, 2), (1, 2)]


def _sources(water: NDArray[np.bool_]) -> NDArray[np.int64]:
    """For each way and cell of water, which population (19, n) comes to it: a neighbour's, or one sent back."""
    numbers = np.full(water.shape, -1)
    numbers[water] = np.arange(water.sum())
    cells = np.argwhere(water)
    found = np.empty((len(WAYS), len(cells)), dtype=np.int64)
    way_of = {tuple(way): q for q, way in enumerate(WAYS.tolist())}
    for q, way in enumerate(WAYS):
        origin, back = cells - way, way_of[tuple((-way).tolist())]
        above = origin[:, 2] < 0  # what slips along the surface comes from the column beside, mirrored
        origin[above, 2] = 0
        inside = ((origin >= 0) & (origin < water.shape)).all(axis=1)
        there = np.where(inside, numbers[tuple(np.clip(origin, 0, np.array(water.shape) - 1).T)], -1)
        came = np.where(above, way_of[tuple((way * (1, 1, -1)).tolist())], q)
        found[q] = np.where(there >= 0, came * len(cells) + there, back * len(cells) + np.arange(len(cells)))
    return found


def run() -> tuple[Array, Array, NDArray[np.bool_]]:
    """Mean velocity (3, nx, ny, nz) and root mean square of what fluctuates (nx, ny, nz) [m/s], and where water is."""
    counts = np.round(np.array([TANK.length, TANK.width, TANK.sand_depth]) / CELL).astype(int)
    axes = [(np.arange(n) + 0.5) * CELL for n in counts]
    middles = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)
    water = ~is_in_rock(TANK.rockwork, middles.reshape(-1, 3)).reshape(counts)
    jet, sources = jet_of(PUMP), _sources(water)
    second = OUTLET_SPEED / jet.speed * CELL  # of a step [s]
    # the momentum of the stream, pushed into what lies in the outlet and a little ahead of it
    steps = middles[water] - jet.at
    along = steps @ jet.ahead
    off = np.linalg.norm(steps - along[:, None] * jet.ahead, axis=-1)
    outlet = (along > -0.5 * CELL) & (along < 2.5 * CELL) & (off < 1.2 * CELL)
    push = (jet.ahead[:, None] * outlet * jet.momentum / (CELL**4 / second**2) / outlet.sum()).astype(np.float32)
    # from populations to density, momentum and stress, and back
    products = np.array([WAYS[:, a] * WAYS[:, b] for a, b in PAIRS])
    even = np.array([float(a == b) for a, b in PAIRS])
    there = np.concatenate([np.ones((1, len(WAYS))), WAYS.T, products]).astype(np.float32)
    twice = np.where(even == 1.0, 1.0, 2.0)[:, None]
    back = np.concatenate([np.ones((1, len(WAYS))), 3 * WAYS.T, 4.5 * twice * (products - even[:, None] / 3)])
    back = np.ascontiguousarray((back * WEIGHTS).T, dtype=np.float32)
    f = np.zeros((len(WAYS), int(water.sum())), dtype=np.float32)  # what they are beyond those of still water
    velocity, total, squares, taken = np.zeros((3, f.shape[1])), np.zeros((3, f.shape[1])), np.zeros(f.shape[1]), 0
    for turn in range(round((SETTLES + MEAN_OF) / second)):
        moments = there @ f.ravel().take(sources)
        density = 1 + moments[0]
        velocity = (moments[1:4] + 0.5 * push) / density
        carried = np.stack([density * velocity[a] * velocity[b] for a, b in PAIRS])
        stress = moments[4:] - even[:, None].astype(np.float32) * moments[0] / 3 - carried
        forced = np.stack([velocity[a] * push[b] + velocity[b] * push[a] for a, b in PAIRS])
        size = np.sqrt((twice.astype(np.float32) * (stress + 0.5 * forced) ** 2).sum(axis=0)) / density
        relaxation = 0.5 * (LEAST_RELAXATION + np.sqrt(LEAST_RELAXATION**2 + 18 * math.sqrt(2) * SMAGORINSKY**2 * size))
        moments[1:4] += push
        moments[4:] = carried + (1 - 1 / relaxation) * stress + (1 - 0.5 / relaxation) * forced
        f = back @ moments
        if turn * second > SETTLES and turn % 8 == 0:
            total += velocity
            squares += (velocity**2).sum(axis=0)
            taken += 1
        if turn % 2000 == 0:
            fastest = np.abs(velocity).max() * CELL / second
            print(f"{turn * second:.1f} s, fastest {fastest:.2f} m/s, mass {moments[0].mean():.1e}", flush=True)
    mean, moving = np.zeros((3, *counts)), np.zeros(counts)
    mean[:, water] = total / taken * CELL / second
    moving[water] = np.sqrt(np.maximum(squares / taken - ((total / taken) ** 2).sum(axis=0), 0)) * CELL / second
    return mean, moving, water


def main(path: Path, many: int = 4) -> None:
    """Write the means over cubes of so many cells, each third that no rock cuts: place, velocity, fluctuation, in mm
    and mm/s.
    """
    mean, moving, water = run()
    rows = []
    for corner in np.ndindex(*[n // many for n in water.shape]):
        part = tuple(slice(many * c, many * c + many) for c in corner)
        if water[part].all():
            place = [(c + 0.5) * many * CELL for c in corner]
            row = [*place, *mean[(slice(None), *part)].mean(axis=(1, 2, 3)), math.sqrt((moving[part] ** 2).mean())]
            rows.append([round(1000 * value) for value in row])
    path.write_text(json.dumps(rows[::3]).replace("], ", "],\n") + "\n")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
