"""The solved flow of a tank's pumps: its inputs, its kept form, and its strength at places."""

from __future__ import annotations

import hashlib
import io
import zipfile
import zlib
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from corlume.core.flow.first_estimate import Flowing, jet_of
from corlume.core.flow.pump import Pump
from corlume.core.flow.solver import MEAN_OF, SETTLES, SolvedFlow, Source, cell_side, solve_flow, solved_again
from corlume.core.light.geometry import Tank

Array = NDArray[np.float64]
FORM = 1
"""What a kept flow was solved by: raised with every change of the solver that moves its figures."""


def solve_pumps(
    tank: Tank, pumps: Sequence[Pump], *, coarser: float = 1.0, told: Callable[[float], object] = lambda _: None
) -> SolvedFlow:
    """Solve the mean flow of a tank's pumps, with return water leaving by the overflow. See ``solve_flow``.

    ``coarser`` than 1, cells are so many times as wide and the flow has half the time to settle: enough to rank by.
    """
    jets, sources = [jet_of(pump) for pump in pumps], _sources(tank, pumps)
    if coarser == 1.0:
        return solve_flow(tank, jets, sources, told=told)
    cell = coarser * cell_side(tank)
    return solve_flow(tank, jets, sources, settles=SETTLES / 2, mean_of=MEAN_OF / 2, cell=cell, told=told)


def overflow_of(tank: Tank) -> tuple[float, float, float]:
    """Assumed place of the overflow: at the water line in the middle of the back pane; our estimate [m]."""
    return 0.5 * tank.length, tank.width, 0.0


def _sources(tank: Tank, pumps: Sequence[Pump]) -> list[Source]:
    returns = [pump for pump in pumps if pump.kind == "return"]
    into = [Source(pump.place, pump.rate * pump.mean) for pump in returns]
    return [*into, Source(overflow_of(tank), -sum(source.rate for source in into))] if into else []


def flow_key(tank: Tank, pumps: Sequence[Pump]) -> str:
    """Hash of everything that the flow depends on: panes, sand, rock, pumps, and the version of the solver."""
    sizes = np.array([FORM, tank.length, tank.width, tank.sand_depth])
    jets = [jet_of(pump) for pump in pumps]
    rows = [np.array([*jet.at, *jet.ahead, *jet.side, jet.speed, jet.area, jet.slot]) for jet in jets]
    into = [np.array([*source.at, source.rate]) for source in _sources(tank, pumps)]
    boxes = np.array([(b.x0, b.x1, b.y0, b.y1, b.top, b.bottom) for b in tank.boxes()]).reshape(-1, 6)
    parts = [np.round(part, 9).tobytes() for part in (sizes, boxes, *rows, *into)]
    parts += [rock.digest for rock in tank.sampled_rock()]
    return hashlib.sha256(b"|".join(parts)).hexdigest()


def flow_in(solved: SolvedFlow, points: Array) -> Flowing:
    """Flow at places (n, 3): mean and turbulence together, as corals feel both."""
    mean = solved.at(points)
    speed = np.sqrt((mean**2).sum(axis=1) + solved.fluctuation_at(points) ** 2)
    return Flowing(speed, mean / np.maximum(speed, 1e-9)[:, None])


def to_bytes(solved: SolvedFlow) -> bytes:
    """Pack a solved flow, mean and fluctuation, to a two-thousandth of each value."""
    kept = io.BytesIO()
    np.savez_compressed(
        kept, velocity=solved.velocity.astype(np.float16), fluctuation=solved.fluctuation.astype(np.float16)
    )
    return kept.getvalue()


def from_bytes(tank: Tank, pumps: Sequence[Pump], data: bytes) -> SolvedFlow:
    """Unpack a solved flow for this tank and these pumps; ``ValueError`` when it cannot be read or does not fit."""
    try:
        with np.load(io.BytesIO(data), allow_pickle=False) as kept:
            velocity, fluctuation = kept["velocity"].astype(np.float64), kept["fluctuation"].astype(np.float64)
    except (OSError, KeyError, ValueError, EOFError, zipfile.BadZipFile, zlib.error) as error:
        raise ValueError("the flow cannot be read") from error
    return solved_again(tank, [jet_of(pump) for pump in pumps], velocity, fluctuation)
