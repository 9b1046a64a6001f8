"""How sure the PAR of the placed corals is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from corlume.core.judging.intent import Places
from corlume.services.light.points import PlaneSpec, same_tank
from corlume.services.light.uncertainty import uncertainty_at
from corlume.services.placement.zone_placement import coral_places
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
UNKNOWN_SD = 0.3
"""Uncertainty of a PAR where the present lights do not tell it, such as of a coral that was lost [-]; our estimate."""


def coral_uncertainty(stored: StoredTank) -> Array:
    """Relative uncertainty of the present PAR of the placed corals (n,), in their order [-]."""
    ids, places = coral_places(stored)
    if places is None:
        return np.zeros(0)
    spec = PlaneSpec("places", Places("corals", "where corals are", places.points))
    sure = uncertainty_at(same_tank(stored.under(None).lit_tank()), stored.setup().hung, spec, stored.survey)
    return np.clip(sure.sd, 0.02, 1.0) if sure else np.full(len(ids), UNKNOWN_SD)
