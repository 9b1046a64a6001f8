"""Priors: how far entered values can be off before anything is measured, each line with its basis.

Standard deviations; those of shares and fluxes are of their logarithm, so that 0.2 means a fifth up or down. All are
our own estimates after common practice, no source, unless a line says otherwise.
"""

from __future__ import annotations

from dataclasses import dataclass

from corlume.core.light.fixture import FluxBasis


@dataclass(frozen=True, slots=True)
class Prior:
    """A standard deviation, and the reason for its size."""

    sd: float
    basis: str


FLUX: dict[FluxBasis, Prior] = {
    "file": Prior(0.06, "photometry file: a laboratory's 3 to 5 %, and one lamp from the next"),
    "maker": Prior(0.35, "maker's figure: bare, cold and of the best bin; meters find a third to a half less of LEDs"),
    "typical": Prior(0.25, "as usually measured; fixtures of one wattage differ by 25 %"),
    "run": Prior(0.12, "measured as run: a sphere or a grid, at a stated level"),
    "watts": Prior(0.35, "from watts and technology, by the chain from socket to water"),
    "readings": Prior(0.10, "fitted from a few readings of a meter, which itself is 5 to 10 % off"),
    "grid": Prior(0.08, "fitted from a grid of readings"),
}
"""Photon flux at full output, by where its figure comes from; shared by all fixtures of one sort."""
EACH = Prior(0.12, "one lamp from the next: age, salt, dust, the true level of its dimmer")
"""Output of each fixture by itself, beside what all of its sort share."""
WORN = 0.5
"""Of what an answer about age and dirt takes, so much again is not known, as a share of its logarithm [-]."""
LOBE_FILE = Prior(0.03, "beam from a photometry file")
LOBE_TOLD = Prior(0.05, "beam as one number; makers round to 10 degrees")
LOBE_USUAL = Prior(0.15, "beam as usual for this technology; lenses differ")
"""Width of the beam, common to all fixtures of one sort."""
MIDDLE = Prior(0.15, "the middle of a beam: lenses and reflectors leave a hot or a hollow spot")
SIDES_OF_BEAM = Prior(0.20, "the sides of a beam: light that strays past lens or reflector")
"""Shape modes of a beam's intensity, in its logarithm; see ``core.light.lobe.BentLobe``."""
PLACE = Prior(0.014, "a tape beside rim and brace, and a light-giving face that is not the middle of its body [m]")
"""Where a fixture hangs, along and across the tank, by itself."""
WEAK = Prior(1.5, "a lamp that fails, is unplugged, or has its dimmer down: anything from nothing to a third")
WEAK_OUTPUT = 0.12
WEAK_ODDS = 0.02
"""What a lamp that fails still gives, about [-], and how often one does before the readings speak [-]."""
GLASS = Prior(0.04, "clear glass by Fresnel; less salt, algae and scratches")
PLAIN = Prior(0.15, "film, paint and algae judged by eye")
DARK = Prior(0.03, "dark background: reflects almost nothing")
"""Return of a pane; ``DARK`` where it is below ``DARK_BELOW``."""
DARK_BELOW = 0.2
CDOM = Prior(0.02, "yellow of the water judged by eye")
ATTENUATION = Prior(0.04, "loss judged by eye")
MODEL = Prior(0.03, "what rock, corals and bodies of fixtures are in truth beside their blocks")
"""What no unknown above can explain, at any place."""
METER = Prior(0.05, "cosine error and calibration of a quantum sensor between two spots")
"""One steady reading with the probe upright."""
SLIP = 0.01
"""How far the probe stands from where it is said to stand, along each axis [m]."""
DIGIT = 1.0
"""What the display rounds to, and dark current [umol/m2/s]."""
TILT = Prior(0.06, "probe in the hand: 10 to 15 degrees out of plumb")
CALM = Prior(0.015, "pumps off: a steady number")
