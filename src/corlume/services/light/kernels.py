"""The compiled kernels, compiled or loaded step by step when the application starts."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from corlume.core.flow.first_estimate import flow_at, jet_of
from corlume.core.flow.pump import Pump
from corlume.core.flow.solver import solve_flow
from corlume.core.keeping.rockscapes import with_scape
from corlume.core.light.brush import Stroke, brushed
from corlume.core.light.brushed_rock import BrushedRock
from corlume.core.light.emitter import Emitter
from corlume.core.light.field import Medium, channel_fields, grid, unit_field
from corlume.core.light.geometry import Rock, Tank
from corlume.core.light.rock_surface import plugs, rock_surface
from corlume.core.light.rock_views import section, top_depths
from corlume.core.light.rockwork import pieces_at
from corlume.core.search.level_solver import LevelTarget, best_levels

SOON = 2.0
"""Kernels that were compiled before are loaded in less [s]."""
_log = logging.getLogger(__name__)
_TANK = Tank(length=0.5, width=0.4, water_depth=0.3, rocks=(Rock(0.1, 0.1, 0.0, 0.1, 0.1, 0.1),), sand_albedo=0.0)
"""Its floor is the top of its rock alone, so that light from the floor takes no time."""
_POINTS = grid(_TANK, (4, 4, 2)).reshape(-1, 3)


def _light() -> None:
    emitter = Emitter("led_cluster", 10.0, 2.0, 0.1, 0.1, 0.25, 0.2, 0.2)
    medium = Medium.of(_TANK)
    unit_field(medium, emitter, _POINTS)
    channel_fields(medium, emitter, _POINTS, sensor="scalar")


def _rock() -> None:
    natural = with_scape(Tank(length=0.5, width=0.4, water_depth=0.3, sand_albedo=0.0), "bommie", 1)
    stroke = Stroke("front", [(0.25, 0.2)], False, 0.03, 0.0, at=0.2)
    tank = replace(natural, brushed_rock=(BrushedRock("0" * 64, brushed(natural, stroke)),))
    rock_surface(tank)
    plugs(tank.rockwork, _POINTS)
    pieces_at(tank.rockwork, _POINTS)
    top_depths(tank.rockwork)
    section(tank.rockwork, 1, 0.1, 0.2, tank.water_depth)


def _levels() -> None:
    best_levels(np.ones((1, len(_POINTS))), LevelTarget(_POINTS, np.ones(len(_POINTS)), np.ones(len(_POINTS))))


def _flow() -> None:
    flow_at(_TANK, [Pump("Warm")], _POINTS)
    solve_flow(_TANK, [jet_of(Pump("Warm"))], settles=0.0, mean_of=0.01, cell=0.1)


STEPS: tuple[tuple[str, Callable[[], None]], ...] = (
    ("light in the water", _light),
    ("shapes of rock", _rock),
    ("levels of fixtures", _levels),
    ("flow", _flow),
)
"""What is made ready, in words, each by solving a small tank."""
WORDS = tuple(f"{number} of {len(STEPS)}: {words}" for number, (words, _) in enumerate(STEPS, start=1))


def compile_kernels(tell: Callable[[str], None] = lambda _: None) -> None:
    """Compile every kernel, or load it from its cache; ``tell`` gets each step before it begins."""
    for words, (_, step) in zip(WORDS, STEPS, strict=True):
        tell(words)
        step()


class Kernels:
    """Kernels that are compiled in a thread, and its progress."""

    def __init__(self) -> None:
        self.step = ""
        self._ready = threading.Event()

    def begin(self, tell: Callable[[str], None]) -> None:
        """Begin; ``tell`` is called when it takes longer than ``SOON``, because they must be compiled."""

        began = time.monotonic()

        def at(step: str) -> None:
            self.step = step
            if step != WORDS[0] and time.monotonic() - began < SOON:
                self._ready.set()  # they come from a cache, and a first page needs those of light alone

        def run() -> None:
            try:
                compile_kernels(at)
            except Exception:
                _log.exception("the kernels were not made ready beforehand")
            finally:
                self._ready.set()

        def watch() -> None:
            if not self._ready.wait(SOON):
                tell("Compiling the light model, once: about half a minute. Pages show the progress.")
                self._ready.wait()
                tell("The light model is ready.")

        for work in (run, watch):
            threading.Thread(target=work, name="kernels", daemon=True).start()

    @property
    def ready(self) -> bool:
        """Whether the kernels are ready, or failed to compile."""
        return self._ready.is_set()
