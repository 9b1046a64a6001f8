"""How far the lights of each setup warm the water over a day, and what a measured rise says."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.schedule.day_checks import MINUTES
from corlume.core.schedule.heat import Chiller, Warming, chiller, hood_air, narrowed, warming
from corlume.services.light.points import same_tank
from corlume.services.light.spill import light_watts
from corlume.services.schedule.day_light import power_by_group
from corlume.store.tanks import StoredSetup, StoredTank

HOLD = 0.5
"""A chiller holds the water within so much [K]; our estimate."""


@dataclass(frozen=True, slots=True)
class SetupHeat:
    """Heat of a setup: energy of a day [kWh], the share that enters the water as light [-], the daily rise without and
    with a fan, what a chiller does that holds it within ``HOLD``, and the air that a canopy needs [m3/s].
    """

    setup: StoredSetup
    energy: float
    into_water: float
    plain: Warming
    fan: Warming
    chiller: Chiller
    air: float


def setup_heat(stored: StoredTank, setup: StoredSetup) -> SetupHeat:
    """Heat of one setup by its schedule."""
    power, share = _power(stored, setup)
    tank = stored.tank
    plain, fan = warming(tank, power, share), warming(tank, power, share, fan=True)
    energy = float(power.mean()) * 24 / 1000
    return SetupHeat(setup, energy, share, plain, fan, chiller(tank, power, share, HOLD), hood_air(power, share))


def measured_heat(stored: StoredTank, setup: StoredSetup, rise: float) -> Warming | None:
    """The daily rise with a fan that a measured rise [K] under a setup leaves; None where lights do not explain it."""
    power, share = _power(stored, setup)
    return narrowed(stored.tank, power, share, rise)


def _power(stored: StoredTank, setup: StoredSetup) -> tuple[NDArray[np.float64], float]:
    """Power over the day [W], and the share of it that enters the water as light [-]."""
    power = sum((one.watts for one in power_by_group(stored, setup)), np.zeros(len(MINUTES)))
    full = sum(fixture.power for fixture in setup.hung)
    light = light_watts(same_tank(stored.lit_tank()), setup.hung)
    return power, min(1.0, light / full) if full > 0 else 0.0
