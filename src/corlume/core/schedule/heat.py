"""How far the lights of a day warm the water: an energy balance of the tank, as a range.

The water takes up the light that enters it, and under a closed canopy some of the remaining heat. It loses heat in
proportion to how much warmer it is than it would be without lights: by evaporation and convection at the surface and
through the panes. With a loss K [W/K] and a capacity C [J/K] the excess T follows C dT/dt = P(t) - K T; after some
days it repeats itself. Coefficients are from memory of engineering practice, wide on purpose.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

from corlume.core.light.geometry import Tank

Array = NDArray[np.float64]
SEAWATER = 1025.0 * 3990.0
"""Heat capacity of sea water [J/m3/K]: density times specific heat at 35 psu and 25 C; from memory."""
SURFACE, PANES = (18.0, 37.0), (4.0, 6.0)
"""Loss at the surface, evaporation with convection, in humid still air and in dry moving air; and through panes
[W/m2/K]; from memory.
"""
FAN = (40.0, 90.0)
"""The same at the surface with a fan that blows across it [W/m2/K]; from memory."""
FROM_HOOD = (0.0, 0.3)
"""Share of the heat above the water that comes down to it: open, and under a closed canopy [-]; our estimate."""
CHILLER_COP = (1.5, 3.0)
"""Heat that a small chiller moves for its electrical energy, poor and good [-]; from memory."""
AIR = 1.2 * 1005.0
"""Heat capacity of air [J/m3/K]; from memory."""
HOOD_WARMER = 5.0
"""Air that leaves a canopy is taken to be so much warmer than the room [K]; our estimate."""
WIDE = 4.0
"""Losses that are this factor beyond the range are not believed [-]."""


@dataclass(frozen=True, slots=True)
class Warming:
    """Excess of the water temperature over a day without lights [K]: the daily rise from low to high, as a range from
    the best case to the worst.
    """

    low: float
    high: float


def daily_rise(power: Array, capacity: float, loss: float) -> float:
    """Rise of the water from the coolest to the warmest minute of a day that repeats itself [K].

    Parameters
    ----------
    power : heat into the water (m,) at equal steps over 24 hours [W].
    capacity : of the water [J/K]; ``loss`` to its surroundings [W/K].
    """
    step = 86_400.0 / len(power)
    keep = math.exp(-step * loss / capacity)
    gain = power / loss * (1.0 - keep)
    state, states = 0.0, np.empty(len(power))
    for _ in range(2):  # from zero to the end of the day; then from where the days before it have led
        for k, part in enumerate(gain.tolist()):
            state = state * keep + part
            states[k] = state
        state /= 1.0 - keep ** len(power)
    return float(states.max() - states.min())


def losses(tank: Tank, *, fan: bool = False) -> tuple[float, float]:
    """Least and most loss of heat of a tank [W/K]."""
    surface, panes = tank.length * tank.width, 2.0 * (tank.length + tank.width) * tank.water_depth
    low, high = (a * surface + b * panes for a, b in zip(FAN if fan else SURFACE, PANES, strict=True))
    return low, high


def capacity(tank: Tank) -> float:
    """Heat capacity of the water of a tank, without a sump [J/K]."""
    return SEAWATER * tank.volume


def warming(tank: Tank, power: Array, into_water: float, *, fan: bool = False) -> Warming:
    """Range of the daily rise.

    Parameters
    ----------
    power : electrical power of the lights (m,) over a day [W].
    into_water : share of it that enters the water as light [-].
    """
    least, most = (into_water + share * (1.0 - into_water) for share in FROM_HOOD)
    slow, fast = losses(tank, fan=fan)
    return Warming(
        daily_rise(least * power, capacity(tank), fast),
        daily_rise(most * power, capacity(tank), slow),
    )


def narrowed(tank: Tank, power: Array, into_water: float, measured: float) -> Warming | None:
    """The range with a fan that a measured daily rise leaves [K], whatever comes down from the hood.

    None where no loss that is believed explains it: a heater, a chiller or the room moves the temperature then.
    """
    slow, fast = losses(tank)
    ends, surface = (slow / WIDE, fast * WIDE), tank.length * tank.width
    rises = list[float]()
    for share in np.linspace(*FROM_HOOD, 4).tolist():
        heat = (into_water + share * (1.0 - into_water)) * power

        def off(loss: float, heat: Array = heat) -> float:
            return daily_rise(heat, capacity(tank), loss) - measured

        if measured > 0 and off(ends[0]) >= 0 >= off(ends[1]):
            found = float(brentq(off, *ends))
            for with_fan, without in zip(FAN, SURFACE, strict=True):
                rises.append(daily_rise(heat, capacity(tank), found + surface * (with_fan - without)))
    return Warming(min(rises), max(rises)) if rises else None


@dataclass(frozen=True, slots=True)
class Chiller:
    """What a chiller takes up to hold the water: cooling power from the best case to the worst [W], and its own
    electrical energy a day [kWh].
    """

    low: float
    high: float
    energy_low: float
    energy_high: float


def chiller(tank: Tank, power: Array, into_water: float, hold: float) -> Chiller:
    """Cooling that keeps the daily rise within ``hold`` [K]: the heat that comes in less what is lost at that excess.

    ``power`` and ``into_water`` as for ``warming``; pumps, heater and a warm room come on top.
    """
    cooling, energy = list[float](), list[float]()
    for share, loss, worth in zip(FROM_HOOD, losses(tank)[::-1], CHILLER_COP[::-1], strict=True):
        taken = np.maximum(0.0, (into_water + share * (1.0 - into_water)) * power - loss * hold)
        cooling.append(float(taken.max(initial=0.0)))
        energy.append(float(taken.mean()) * 24 / 1000 / worth)
    return Chiller(cooling[0], cooling[1], energy[0], energy[1])


def hood_air(power: Array, into_water: float, warmer: float = HOOD_WARMER) -> float:
    """Air that carries the heat above the water out of a canopy at its greatest, so much ``warmer`` than the room [K]
    [m3/s]: power over density, specific heat and warming.
    """
    return (1.0 - into_water) * float(power.max(initial=0.0)) / (AIR * warmer)
