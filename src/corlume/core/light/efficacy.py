"""What a fixture gives for its watts, as a meter at the tank finds it: a chain from the socket to the water.

Photons by the joule of light follow from the spectrum; each further step says what share of the energy is left after
it. The makers' figure ends earlier in the chain: cold, at the best bin, and without lens and fan.
"""

from __future__ import annotations

from corlume.core.light.technology import TECHNOLOGIES, TechnologyKey


def usual_efficacy(technology: TechnologyKey) -> float:
    """Photons in the water by the joule at the socket, as usually measured of a technology [umol/J]."""
    return TECHNOLOGIES[technology].chain.usual


def measured_share_of_maker(technology: TechnologyKey) -> float:
    """What is usually measured of a technology, as a share of what makers say [-]."""
    chain = TECHNOLOGIES[technology].chain
    return chain.usual / chain.by_maker
