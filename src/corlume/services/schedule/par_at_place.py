"""PAR at a place in the water: reached by output with the ratios of channels kept, and kept while colour changes."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace

import numpy as np

from corlume.core.errors import Rules
from corlume.core.light.fixture import Fixture
from corlume.core.message_text import escape_slots
from corlume.core.schedule.presets import reach_par
from corlume.services.light.points import PlaneSpec, WaterPoint, same_tank
from corlume.services.schedule.day_light import channel_light
from corlume.store.tanks import StoredSetup, StoredTank

LEAST_PAR = 0.1
"""Fixtures that give a place less have no part in its light [umol/m2/s]."""


def scale_for(par: float, own: float, rest: float) -> float:
    """Factor by which fixtures that give a place ``own`` PAR are scaled for it to get ``par``; others give ``rest``.

    ``InvalidInput`` by the fields "group" or "par" where no factor does it.
    """
    rules = Rules()
    rules.that(own > LEAST_PAR, "group", "gives that place no light")
    rules.that(par > rest, "par", f"is less than the other lights give there, {rest:.0f} PAR")
    rules.finish()
    return (par - rest) / own


def outputs_for_par(
    stored: StoredTank, setup: StoredSetup, place: WaterPoint, par: float, ids: Collection[int] = ()
) -> dict[int, float]:
    """Outputs of some fixtures, or of all that dim and are on, with which a place gets a PAR [-].

    ``InvalidInput`` where they cannot.
    """
    given = _par_of(stored, setup.hung, place)
    mine = {
        k: kept
        for k, kept in enumerate(setup.fixtures)
        if kept.value.dimmable and kept.value.output > 0 and (not ids or kept.id in ids)
    }
    rules = Rules()
    rules.that(bool(mine), "group", "has no fixture that dims and is on")
    rules.finish()
    own = sum(given[k] for k in mine)
    factor = scale_for(par, own, sum(given) - own)
    return {kept.id: reach_par(kept.value, factor).output for kept in mine.values()}


def outputs_that_keep_par(
    stored: StoredTank, setup: StoredSetup, place: WaterPoint, levels: Mapping[int, Sequence[float]]
) -> dict[int, float]:
    """Outputs with which fixtures that get other channel levels give a place as much PAR as before [-].

    ``InvalidInput`` by the field "output" where one would be past full.
    """
    mixed = [replace(k.value, levels=tuple(levels.get(k.id, k.value.levels))) for k in setup.fixtures]
    before, after = _par_of(stored, setup.hung, place), _par_of(stored, mixed, place)
    found, rules = dict[int, float](), Rules()
    for k, kept in enumerate(setup.fixtures):
        if kept.id in levels and before[k] > LEAST_PAR:
            name, output = escape_slots(kept.value.name), kept.value.output
            rules.that(after[k] > 0, "output", f"of {name} cannot keep the PAR there: all its channels are off")
            if after[k] > 0:
                found[kept.id] = output * before[k] / after[k]
                rules.that(
                    found[kept.id] <= 1.0 + 1e-9,
                    "output",
                    f"of {name} would have to be {100 * found[kept.id]:.0f} % to keep the PAR there: lower it first, "
                    "or let PAR change",
                )
    rules.finish()
    return {fixture_id: min(1.0, output) for fixture_id, output in found.items()}


def _par_of(stored: StoredTank, fixtures: Sequence[Fixture], place: WaterPoint) -> list[float]:
    """PAR that each fixture gives a place as it is set [umol/m2/s]."""
    light = channel_light(same_tank(stored.lit_tank()), fixtures, PlaneSpec("point", place))
    return [f.output * float(np.dot(f.mix, mine[:, 0])) for f, mine in zip(fixtures, light, strict=True)]
