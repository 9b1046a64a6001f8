"""The mean flow in a tank, solved so that it closes: water through any section comes back.

Incompressible flow on a staggered grid: each pump pushes with the momentum of its stream, a constant eddy viscosity
spreads it as a free jet spreads (Schlichting 1933 [29], from memory), panes, sand and rock drag, and the pressure takes
out what does not close (Chorin 1968 [30], from memory). Advection is limited after van Leer 1974 [31], from memory. The
mean of the last seconds is kept. What turbulence adds to it follows from how the mean is sheared (Bradshaw, Ferriss and
Atwell 1967 [32], from memory).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from corlume.core.flow.jet import PLANE_SPREAD, ROUND_SPREAD, Jet
from corlume.core.light.geometry import Tank
from corlume.core.light.rockwork import Rockwork, is_in_rock
from corlume.core.light.shadow import is_sheltered

Array = NDArray[np.float64]
CELL, MOST_CELLS = 0.04, 20_000
"""Side of a cell [m], coarser where there would be more cells than so many; ours."""
FEWEST_ACROSS = 14
"""Cells across the shortest side at least, so that a small tank has finer ones; ours."""
EDDY = 0.0161
"""Eddy viscosity of a round jet over the root of its momentum [-] [29]."""
DRAG = 0.005
"""Stress at a wall over the square of the speed beside it: of smooth and lightly grown faces, from memory [-]."""
COURANT = 0.6
"""Share of a cell that the fastest water goes in one step [-]."""
STRUCTURE, OF_SHEAR = 0.3, 0.6
"""Stress of turbulence over its energy [32], and what is left of what that gives with the eddy viscosity of the streams
everywhere, as a lattice Boltzmann run has it: ours [-].
"""
SETTLES, MEAN_OF = 1.1, 0.5
"""Circulation times before the mean is taken, and over which: longer ones move it by less than 1 % [-]."""
ROUGH, EXACT = 2e-2, 1e-4
"""How well a step closes, and the mean that is kept, over the largest of what does not [-]."""
LONGEST_STEP = 0.012
"""A step at most, in circulation times [-]."""


@dataclass(frozen=True, eq=False)
class SolvedFlow:
    """The mean flow on a staggered grid.

    Parameters
    ----------
    cell : side of a cell along x, y and depth [m]; ``counts`` how many there are.
    velocity : (3, nx + 1, ny + 1, nz + 1) mean velocity along each axis through the lower face of each cell [m/s].
    jets : the streams that were solved for; ``streams`` (k, 3, ...) how fast each alone would be, as means over the
        faces [m/s].
    fluctuation : (nx, ny, nz) root mean square of what turbulence adds to the mean, all ways together [m/s].
    rock : what is no water.
    """

    cell: tuple[float, float, float]
    counts: tuple[int, int, int]
    velocity: Array
    jets: tuple[Jet, ...]
    streams: Array
    fluctuation: Array
    rock: Rockwork

    def at(self, points: Array) -> Array:
        """Mean velocity (n, 3) along x, y and depth at places (n, 3) [m/s].

        Near an outlet, where a stream is narrower than a cell, what it is beyond its own mean over the cells is laid
        over: that carries no water through any face. In the mouth of an outlet it is the stream alone.
        """
        mean = self._of(self.velocity, points)
        found, mouth, alone = mean.copy(), np.zeros(len(points)), np.zeros_like(mean)
        for jet, over_faces in zip(self.jets, self.streams, strict=True):
            along, far = (points - jet.at) @ jet.ahead, reach(jet, self.cell)
            mine = np.flatnonzero((along > 0) & (along < OVERLAID * far))
            mine = mine[~is_sheltered(self.rock, jet.at, points[mine])]
            speed = np.sqrt(jet.square(points[mine]))
            peak = np.sqrt(jet.square(jet.at + np.outer(np.maximum(along[mine], 1e-6), jet.ahead)))
            coarse = self._of(over_faces, points[mine]) * jet.ahead
            found[mine] += speed[:, None] * jet.ahead - coarse
            share = np.maximum(1.0 - along[mine] / far, 0.0) * speed / peak
            nearest = share > mouth[mine]
            mouth[mine[nearest]], alone[mine[nearest]] = share[nearest], coarse[nearest]
        found += mouth[:, None] * (alone - mean)
        found[is_in_rock(self.rock, points)] = 0.0
        return found

    def _of(self, values: Array, points: Array) -> Array:
        found: Array = np.stack([_between(values[axis], self._nodes(points, axis)) for axis in range(3)], axis=1)
        return found

    def fluctuation_at(self, points: Array) -> Array:
        """Turbulent fluctuation at places (n, 3), root mean square [m/s]."""
        at = np.floor(points / np.array(self.cell)).astype(int)
        i, j, k = np.clip(at, 0, np.array(self.counts) - 1).T
        found: Array = self.fluctuation[i, j, k]
        return found

    def through(self, axis: int) -> tuple[Array, Array]:
        """Volume flux through each section along an axis, forwards and back (n + 1,) each [m3/s]."""
        faces = np.moveaxis(self.velocity[axis], axis, 0)
        others = [a for a in range(3) if a != axis]
        inner = faces[:, : self.counts[others[0]], : self.counts[others[1]]]
        area = self.cell[others[0]] * self.cell[others[1]]
        return np.maximum(inner, 0).sum(axis=(1, 2)) * area, np.maximum(-inner, 0).sum(axis=(1, 2)) * area

    def _nodes(self, points: Array, axis: int) -> Array:
        """Places in units of the nodes of one component."""
        found: Array = points / np.array(self.cell) - 0.5
        found[:, axis] += 0.5
        most = np.array(self.counts) - 1.0
        most[axis] += 1.0
        return np.clip(found, 0.0, most)


def _between(values: Array, nodes: Array) -> Array:
    """Values at places between nodes, linear along each axis."""
    low = np.floor(nodes).astype(int)
    low = np.minimum(low, np.maximum(0, np.array(values.shape) - 2))
    part, found = nodes - low, np.zeros(len(nodes))
    for corner in range(8):
        step = np.array([corner >> 2 & 1, corner >> 1 & 1, corner & 1])
        weight = np.where(step, part, 1.0 - part).prod(axis=1)
        i, j, k = (low + step).T
        found += weight * values[i, j, k]
    return found


@dataclass(frozen=True)
class Source:
    """Inflow at a place (3,) [m3/s]; negative for outflow."""

    at: tuple[float, float, float]
    rate: float


def solve_flow(
    tank: Tank,
    jets: Sequence[Jet],
    sources: Sequence[Source] = (),
    *,
    settles: float = SETTLES,
    mean_of: float = MEAN_OF,
    cell: float | None = None,
    told: Callable[[float], object] = lambda _: None,
) -> SolvedFlow:
    """Solve the mean flow of some jets in a tank.

    Parameters
    ----------
    tank : its panes, sand and rock.
    jets : the streams of its pumps.
    sources : where water comes in and goes out, such as a return and its overflow; they add up to nothing.
    settles, mean_of : time before the mean, and of it, in circulation times, see ``circulation_time`` [-].
    cell : side of a cell [m]; by default as fine as the tank asks for.
    told : called with the share that is done [-]; may raise to stop it.
    """
    grid = _Grid.of(tank, cell)
    counts, steps = grid.counts, grid.steps
    inflow, streams = grid.inflow(sources), grid.free_jets(jets)
    outlets = [_Outlet(grid, jet, own, own == streams.max(axis=0)) for jet, own in zip(jets, streams, strict=True)]
    ahead = np.array([jet.ahead for jet in jets]).reshape(-1, 3)
    velocity, _ = grid.projected(np.einsum("kaxyz,ka->axyz", streams, ahead), inflow, np.zeros(counts), ROUGH)
    viscosity = EDDY * math.sqrt(sum(jet.momentum for jet in jets)) + 1e-6
    turn = circulation_time(tank, jets, sources)
    total = np.zeros_like(velocity)
    pressure, time, taken, end = np.zeros(counts), 0.0, 0.0, turn * (settles + mean_of)
    while time < end:
        fastest = float(np.abs(velocity).max(axis=(1, 2, 3)) @ (1 / steps)) + 1e-9
        step = min(turn * LONGEST_STEP, COURANT / fastest, float(steps.min()) ** 2 / (7 * viscosity))
        velocity = _advected(velocity, grid.open, steps, viscosity, step, DRAG)
        for outlet in outlets:
            outlet.push(velocity, step, turn)
        velocity, pressure = grid.projected(velocity, inflow, pressure, ROUGH)
        time += step
        if time > turn * settles:
            total += step * velocity
            taken += step
        told(min(1.0, time / end))
    mean, _ = grid.projected(total / taken, inflow, np.zeros(counts), EXACT)
    return _solved(grid, jets, mean, OF_SHEAR * np.sqrt(2.0 * viscosity * grid.strain_rate(mean) / STRUCTURE))


def solved_again(tank: Tank, jets: Sequence[Jet], velocity: Array, fluctuation: Array) -> SolvedFlow:
    """Rebuild a kept ``solve_flow`` result from its arrays; ``ValueError`` unless they fit the tank."""
    grid = _Grid.of(tank)
    if velocity.shape != grid.open.shape or fluctuation.shape != grid.counts:
        raise ValueError("the flow is of another grid")
    return _solved(grid, jets, velocity, fluctuation)


def _solved(grid: _Grid, jets: Sequence[Jet], velocity: Array, fluctuation: Array) -> SolvedFlow:
    along_x, along_y, down = grid.steps.tolist()
    return SolvedFlow(
        cell=(along_x, along_y, down),
        counts=grid.counts,
        velocity=velocity,
        jets=tuple(jets),
        streams=grid.free_jets(jets),
        fluctuation=fluctuation,
        rock=grid.rock,
    )


def circulation_time(tank: Tank, jets: Sequence[Jet], sources: Sequence[Source] = ()) -> float:
    """Circulation time of the water, from its volume and the momentum of the pumps [s]; flows of one shape and
    different strength are equal in this time. 1 s where nothing moves.
    """
    volume = tank.length * tank.width * tank.sand_depth
    often = math.sqrt(sum(jet.momentum for jet in jets)) / volume ** (2 / 3)
    often += sum(max(0.0, source.rate) for source in sources) / volume
    return 1.0 / often if often else 1.0


def cell_side(tank: Tank) -> float:
    """Side of the solver's cells, as close as whole numbers of cells allow [m]."""
    sizes = np.array([tank.length, tank.width, tank.sand_depth])
    side = min(CELL, float(sizes.min()) / FEWEST_ACROSS)
    return max(side, math.cbrt(float(sizes.prod()) / MOST_CELLS))


def _centres(counts: NDArray[np.int64], steps: Array) -> Array:
    """Centres of all cells (n, 3) [m]."""
    axes = [(np.arange(n) + 0.5) * step for n, step in zip(counts, steps, strict=True)]
    return np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)


def reach(jet: Jet, steps: Sequence[float] | Array) -> float:
    """Distance from its outlet within which a jet is narrower than a cell [m]."""
    return GUIDED_CELLS * float(max(steps)) / (PLANE_SPREAD if jet.slot else ROUND_SPREAD)


def _around(jet: Jet, points: Array, cell: float) -> NDArray[np.bool_]:
    """Which places (n, 3) a jet reaches: beyond three half-widths it is below a hundredth."""
    steps = points - jet.at
    along = steps @ jet.ahead
    across = np.sqrt(np.maximum((steps**2).sum(axis=1) - along**2, 0.0))
    found: NDArray[np.bool_] = (along > -cell) & (across < 3 * PLANE_SPREAD * along + 0.5 * jet.slot + 3 * cell)
    return found


class _Grid:
    """Open faces of the cells, momentum of the pumps on them, and the pressure that closes the flow."""

    @classmethod
    def of(cls, tank: Tank, cell: float | None = None) -> _Grid:
        """Grid of a tank, with cells of a given side [m] or the default for the tank."""
        from scipy.ndimage import label

        sizes = np.array([tank.length, tank.width, tank.sand_depth])
        nx, ny, nz = np.maximum(3, np.round(sizes / (cell or cell_side(tank)))).astype(int).tolist()
        steps = sizes / (nx, ny, nz)
        middles = _centres(np.array((nx, ny, nz)), steps)
        rock = tank.rockwork
        water = ~is_in_rock(rock, middles).reshape(nx, ny, nz)
        # pockets that rock closes off stand still
        pools, many = label(water)
        volumes = np.bincount(pools.ravel(), minlength=2)[1:]
        return cls((nx, ny, nz), steps, pools == 1 + int(volumes.argmax()) if many else water, rock)

    def __init__(self, counts: tuple[int, int, int], steps: Array, water: NDArray[np.bool_], rock: Rockwork) -> None:
        self.counts, self.steps, self.water, self.rock = counts, steps, water, rock
        self.open = np.zeros((3, *(n + 1 for n in counts)))
        inner = self.open[:, : counts[0], : counts[1], : counts[2]]
        for axis in range(3):
            here, there = [slice(None)] * 3, [slice(None)] * 3
            here[axis], there[axis] = slice(1, None), slice(None, -1)
            inner[axis][tuple(here)] = water[tuple(here)] & water[tuple(there)]
        # what closes on a grid without rock, by cosines, leads the way to what closes around it
        waves = [(2 - 2 * np.cos(np.pi * np.arange(n) / n)) / s**2 for n, s in zip(counts, steps, strict=True)]
        self.waves = waves[0][:, None, None] + waves[1][None, :, None] + waves[2][None, None, :]
        self.waves[0, 0, 0] = 1.0

    def centred(self, velocity: Array) -> Array:
        """Velocity (3, nx, ny, nz) at the cell centres."""
        nx, ny, nz = self.counts
        u, v, w = velocity
        found: Array = 0.5 * np.stack([
            u[:-1, :ny, :nz] + u[1:, :ny, :nz], v[:nx, :-1, :nz] + v[:nx, 1:, :nz], w[:nx, :ny, :-1] + w[:nx, :ny, 1:]
        ])  # fmt: skip
        return found

    def strain_rate(self, velocity: Array) -> Array:
        """Strain rate in each cell: root of twice the squared strain-rate tensor (nx, ny, nz) [1/s]."""
        middle = self.centred(velocity)
        slopes = np.array([np.gradient(one, *self.steps.tolist()) for one in middle])
        strain = 0.5 * (slopes + slopes.swapaxes(0, 1))
        found: Array = np.sqrt(2.0 * (strain**2).sum(axis=(0, 1)))
        return np.where(self.water, found, 0.0)

    def divergence(self, velocity: Array) -> Array:
        """Net outflow of each cell over its volume [1/s]."""
        return _divergence(velocity, self.steps)

    def gradient(self, pressure: Array) -> Array:
        """Pressure gradient through the open faces (3, ...)."""
        return _gradient(pressure, self.open, self.steps)

    def projected(self, velocity: Array, inflow: Array, first: Array, well: float) -> tuple[Array, Array]:
        """Velocity made divergence-free except for the inflow, and the pressure that did it, which starts the next
        solve.
        """
        wanted = np.where(self.water, inflow - self.divergence(velocity), 0.0)
        enough = well * max(float(np.abs(wanted).max()), 1e-9)
        pressure = first.copy()
        left = np.where(self.water, wanted + self.divergence(self.gradient(pressure)), 0.0)
        way, before = np.zeros_like(left), 1.0
        for turn in range(MOST_TURNS):
            if float(np.abs(left).max()) <= enough:
                break
            near = self._guess(left)
            size = float((left * near).sum())
            if size <= 0.0:  # as near as numbers go
                break
            way = near if turn == 0 else near + size / before * way
            pulled = -np.where(self.water, self.divergence(self.gradient(way)), 0.0)
            along = size / float((way * pulled).sum())
            pressure += along * way
            left -= along * pulled
            before = size
        return velocity - self.gradient(pressure), pressure

    def _guess(self, left: Array) -> Array:
        from scipy.fft import dctn, idctn

        waves = dctn(left, type=2, norm="ortho") / self.waves
        waves[0, 0, 0] = 0.0
        found: Array = np.where(self.water, idctn(waves, type=2, norm="ortho"), 0.0)
        count = max(1, int(self.water.sum()))
        return np.where(self.water, found - found.sum() / count, 0.0)

    def free_jets(self, jets: Sequence[Jet]) -> Array:
        """Speed of each jet alone, averaged over each face (k, 3, ...) [m/s]."""
        found = np.zeros((len(jets), *self.open.shape))
        for axis in range(3):
            others = [a for a in range(3) if a != axis]
            middles = self.middles(axis)
            for jet, own in zip(jets, found, strict=True):
                near = np.flatnonzero(_around(jet, middles, float(self.steps.max())))
                for one, two in WITHIN:
                    points = middles[near]
                    points[:, others[0]] += one * self.steps[others[0]]
                    points[:, others[1]] += two * self.steps[others[1]]
                    own[axis].reshape(-1)[near] += np.sqrt(jet.square(points)) / len(WITHIN)
        return found * self.open

    def middles(self, axis: int) -> Array:
        """Centres of the lower faces of all cells along an axis (n, 3) [m]."""
        found = _centres(np.array(self.open.shape[1:]), self.steps)
        found[:, axis] -= 0.5 * self.steps[axis]
        return found

    def inflow(self, sources: Sequence[Source]) -> Array:
        """Inflow of each cell over its volume [1/s], in the nearest water; the sum is zero, as the rest is taken evenly
        from all water.
        """
        found, volume = np.zeros(self.counts), float(self.steps.prod())
        cells = np.argwhere(self.water)
        for source in sources if len(cells) else ():
            off = (cells + 0.5) * self.steps - source.at
            i, j, k = cells[int((off**2).sum(axis=1).argmin())].tolist()
            found[i, j, k] += source.rate / volume
        found[self.water] -= found.sum() / max(1, int(self.water.sum()))
        return np.where(self.water, found, 0.0)


class _Outlet:
    """Momentum of a pump on the grid: the water follows the free jet near the outlet, where cells are too coarse to
    carry it, with no more momentum than the pump has.

    Where its stream alone would be ``own`` (3, ...) fast over the faces [m/s], it leads those of them that are ``free``
    (3, ...) and that no rock hides from it: where two pumps meet, each the water that it is the stronger one in.
    """

    def __init__(self, grid: _Grid, jet: Jet, own: Array, free: NDArray[np.bool_]) -> None:
        faces, ahead, whole = [], [], grid.open[0].size
        for axis in range(3):
            middles = grid.middles(axis)
            along = (middles - jet.at) @ jet.ahead
            near = (along > 0) & (along < reach(jet, grid.steps)) & (free & (grid.open > 0))[axis].ravel()
            peak = np.sqrt(jet.square(jet.at + np.outer(np.maximum(along, 1e-3), jet.ahead)))
            near &= np.sqrt(jet.square(middles)) > WITHIN_STREAM * peak
            near[near] &= ~is_sheltered(grid.rock, jet.at, middles[near])
            faces.append(axis * whole + np.flatnonzero(near))
            ahead.append(np.full(int(near.sum()), jet.ahead[axis]))
        self.faces, self.ahead = np.concatenate(faces), np.concatenate(ahead)
        self.wanted, self.force = own.ravel()[self.faces] * self.ahead, np.zeros(len(self.faces))
        self.most = jet.momentum / float(grid.steps.prod())

    def push(self, velocity: Array, step: float, turn: float) -> None:
        """Apply the pump's momentum for one step, in place; times in units of the circulation time ``turn`` [s]."""
        flat, follows = velocity.reshape(-1), turn * FOLLOWS
        short = self.wanted - flat[self.faces]
        self.force += step / (turn * LEARNS) ** 2 * short
        push = short / max(step, follows) + min(1.0, follows / step) * self.force
        # water that goes faster is not held back: others may have pushed it
        for one in (push, self.force):
            one[(one * self.ahead < 0) & (np.abs(self.ahead) > SIDEWAYS)] = 0.0
        # what it pushes ahead, and what it spends on keeping the stream together
        given = max(float(push @ self.ahead), float(np.abs(push).sum()) / STEERED)
        if given > self.most:
            push *= self.most / given
            self.force *= self.most / given
        flat[self.faces] += step * push


WITHIN = [(one, two) for one in (-0.375, -0.125, 0.125, 0.375) for two in (-0.375, -0.125, 0.125, 0.375)]
"""Where in a face the mean of a stream is taken, in shares of its sides [-]."""
GUIDED_CELLS, WITHIN_STREAM, FOLLOWS, LEARNS = 1.6, 0.2, 0.0015, 0.0077
"""A stream leads the flow until its half-width is so many cells, where it is faster than this share of what it is on
its axis; within what time the flow follows, and how fast the push grows while it falls short, in circulation times [-].
"""
SIDEWAYS = 0.1
"""A stream that goes so little along an axis is only kept together along it [-]."""
STEERED = 2.0
"""Momentum that a push gives all ways together, over what the pump has, at most; ours [-]."""
OVERLAID = 2.0
"""What cells do not carry of a stream is laid over so many times as far [-]."""
MOST_TURNS = 60
"""Turns of conjugate gradients at most."""


@njit(cache=True, error_model="numpy", nogil=True)
def _divergence(velocity: Array, steps: Array) -> Array:
    nx, ny, nz = velocity.shape[1] - 1, velocity.shape[2] - 1, velocity.shape[3] - 1
    found = np.empty((nx, ny, nz))
    a, b, c = 1.0 / steps[0], 1.0 / steps[1], 1.0 / steps[2]
    for i in range(nx):
        for j in range(ny):
            for k in range(nz):
                x = velocity[0, i + 1, j, k] - velocity[0, i, j, k]
                y = velocity[1, i, j + 1, k] - velocity[1, i, j, k]
                z = velocity[2, i, j, k + 1] - velocity[2, i, j, k]
                found[i, j, k] = a * x + b * y + c * z
    return found


@njit(cache=True, error_model="numpy", nogil=True)
def _gradient(pressure: Array, opened: Array, steps: Array) -> Array:
    found = np.zeros(opened.shape)
    nx, ny, nz = pressure.shape
    a, b, c = 1.0 / steps[0], 1.0 / steps[1], 1.0 / steps[2]
    for i in range(nx):
        for j in range(ny):
            for k in range(nz):
                here = pressure[i, j, k]
                if i:
                    found[0, i, j, k] = a * (here - pressure[i - 1, j, k]) * opened[0, i, j, k]
                if j:
                    found[1, i, j, k] = b * (here - pressure[i, j - 1, k]) * opened[1, i, j, k]
                if k:
                    found[2, i, j, k] = c * (here - pressure[i, j, k - 1]) * opened[2, i, j, k]
    return found


@njit(cache=True, error_model="numpy")
def _limited(behind: float, here: float, there: float, beyond: float, speed: float) -> float:
    """Value carried between two nodes, limited after van Leer."""
    if speed >= 0.0:
        a, b, start, way = here - behind, there - here, here, 0.5
    else:
        a, b, start, way = beyond - there, there - here, there, -0.5
    return start + way * (2.0 * a * b / (a + b)) if a * b > 0.0 else start


@njit(cache=True, error_model="numpy", fastmath=True, nogil=True)
def _advected(velocity: Array, opened: Array, steps: Array, viscosity: float, step: float, drag: float) -> Array:
    """Velocity one step later without pressure and pumps: advected, diffused, and slowed by walls."""
    found = velocity.copy()
    sizes = velocity.shape[1:]
    whole = sizes[0] * sizes[1] * sizes[2]
    flat, free, later = velocity.ravel(), opened.ravel(), found.ravel()
    strides = (sizes[1] * sizes[2], sizes[2], 1)
    rates = (1.0 / steps[0], 1.0 / steps[1], 1.0 / steps[2])
    for a in range(3):
        own, base = strides[a], a * whole
        for i in range(sizes[0]):
            for j in range(sizes[1]):
                for k in range(sizes[2]):
                    cell = i * strides[0] + j * strides[1] + k
                    n = base + cell
                    if free[n] == 0.0:
                        continue
                    here, change, walls = flat[n], 0.0, 0.0
                    for b in range(3):
                        one = strides[b]
                        at = i if b == 0 else j if b == 1 else k
                        last = sizes[b] - 1 if a == b else sizes[b] - 2
                        ahead = flat[n + one] if at < last else here
                        behind = flat[n - one] if at > 0 else here
                        far = flat[n + 2 * one] if at + 1 < last else ahead
                        back = flat[n - 2 * one] if at > 1 else behind
                        if a == b:
                            out, into = 0.5 * (here + ahead), 0.5 * (here + behind)
                        else:
                            across = b * whole + cell
                            out = 0.5 * (flat[across + one] + flat[across + one - own])
                            into = 0.5 * (flat[across] + flat[across - own])
                            # along a wall nothing is carried; the surface does not drag
                            if at >= last or free[n + one] == 0.0:
                                ahead, far = here, here
                                walls += rates[b]
                            if at <= 0 or free[n - one] == 0.0:
                                behind, back = here, here
                                if b < 2 or at > 0:
                                    walls += rates[b]
                        carried = out * _limited(behind, here, ahead, far, out)
                        carried -= into * _limited(back, behind, here, ahead, into)
                        change += rates[b] * (viscosity * rates[b] * (ahead - 2.0 * here + behind) - carried)
                    moved = here + step * change
                    later[n] = moved / (1.0 + step * drag * walls * abs(moved))
    return found
