"""A PAR meter that is made up: its probe stands in a tank whose truth differs from what was told."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence

import numpy as np

from corlume.core.light.field import Medium
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.light.shimmer import fluctuation
from corlume.core.survey.parameters import Parameters
from corlume.core.survey.sensitivities import fixture_fields
from corlume.devices.meter import MeterLost, Place

STEP = 0.2
"""Time between two readings [s]."""
MEMORY = 0.35
"""What is left of a ripple's brightness from one reading to the next [-]."""
DRIFT = 0.002
"""How far the meter drifts from one reading to the next, coming back to nothing over some minutes [-]."""
FRESH = 30.0
"""Lights are looked at again after so long: a schedule goes on [s]."""
STRAY, LOST = 0.006, 0.0008
"""How often a reading is a stray one, and how often the connection is lost, of all readings [-]."""


def hidden_truth(tank: Tank, fixtures: Sequence[Fixture], seed: int) -> tuple[Tank, tuple[Fixture, ...]]:
    """Perturb tank and fixtures by 0.7 sd draws from the priors."""
    unknowns, rng = Parameters(tank, tuple(fixtures)), np.random.default_rng(seed)
    vector = unknowns.start + np.linalg.cholesky(unknowns.covariance) @ rng.normal(0, 0.7, len(unknowns.start))
    return unknowns.applied(np.clip(vector, *unknowns.bounds))


class SimulatedMeter:
    """Reads PAR in a hidden tank: ripples by the model's fluctuation, drift, warm-up, strays, a lost connection.

    Parameters
    ----------
    medium : the tank that the probe stands in; see ``hidden_truth``.
    light : what hangs over it, as it is lit when asked: once a ``FRESH`` [s]. Fixtures that are not lit by a schedule
        warm up by the clock.
    seed : of all that is by chance.
    clock : time since the lamps were switched on [s].
    wait : waits for so long [s]; the time between two readings.
    """

    def __init__(
        self, medium: Medium, light: Callable[[], Sequence[Fixture]], *, seed: int, clock: Callable[[], float],
        wait: Callable[[float], object],
    ) -> None:  # fmt: skip
        self._medium, self._light = medium, light
        self._fixtures: tuple[Fixture, ...] = ()
        self._place: Place | None = None
        self._seen = -math.inf
        self._rng = np.random.default_rng(seed)
        self._clock, self._wait = clock, wait
        self._parts, self._jumps = np.zeros(0), 0.0
        self._ripple = self._drift = 0.0

    def stand(self, place: Place) -> None:
        """Put the probe at x, y, depth [m]."""
        self._place = place
        self._look()

    def _look(self) -> None:
        """Work out what each fixture gives at the probe, as it is lit now."""
        if self._place is None:
            return
        self._seen = self._clock()
        self._fixtures = tuple(f for f in self._light() if f.strength > 0)
        point, water = np.array([self._place]), self._medium.water
        if not self._fixtures:
            self._parts, self._jumps = np.zeros(0), 0.0
            return
        self._parts = fixture_fields(self._medium, self._fixtures, point)[:, 0]
        each = [
            float(fluctuation(f.emitter, point[:, 2], slope=water.ripple, index=water.index_at())[0])
            for f in self._fixtures
        ]
        self._jumps = float(np.hypot.reduce(self._parts * each)) / max(1e-9, float(self._parts.sum()))

    def readings(self) -> Iterator[float]:
        """PAR as a meter shows it, a whole number [umol/m2/s]; ``MeterLost`` now and then."""
        while True:
            self._wait(STEP)
            if self._clock() - self._seen > FRESH:
                self._look()
            chance = self._rng.random()
            if chance < LOST:
                raise MeterLost("The connection was lost.")
            fresh = math.sqrt(1 - MEMORY**2) * self._rng.normal()
            self._ripple = MEMORY * self._ripple + fresh
            self._drift = 0.998 * self._drift + DRIFT * self._rng.normal()
            light = float(self._parts @ [self._warm(f) for f in self._fixtures])
            par = light * math.exp(self._jumps * self._ripple - 0.5 * self._jumps**2 + self._drift)
            if chance > 1 - STRAY:
                par *= float(self._rng.choice([0.1, 3.0]))
            yield float(round(max(0.0, par)))

    def _warm(self, fixture: Fixture) -> float:
        """Share of its steady light that a fixture gives [-]; what a schedule lights is warm or cold by it already."""
        warm = fixture.emitter.made_by.warm_up
        return 1.0 - warm.off * math.exp(-self._clock() / warm.over) if fixture.lit is None else 1.0
