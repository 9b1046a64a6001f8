"""Efficacy of a fixture at the tank: a chain of losses from the socket to the water.

Photons by the joule of light follow from the spectrum; each further step says what share of the energy is left after
it. The makers' figure ends earlier in the chain: cold, at the best bin, and without lens and fan.
"""

from __future__ import annotations

from corlume.core.light.technology import TECHNOLOGIES, TechnologyKey


def usual_efficacy(technology: TechnologyKey) -> float:
    """Typical efficacy of a technology as measured: photons in the water per joule at the socket [umol/J]."""
    return TECHNOLOGIES[technology].chain.usual


def measured_share_of_maker(technology: TechnologyKey) -> float:
    """Typical measured flux of a technology as a share of the maker's figure [-]."""
    chain = TECHNOLOGIES[technology].chain
    return chain.usual / chain.by_maker
