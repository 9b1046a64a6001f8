"""The place where the tank stands: mains, leads, room behind, and the eye that looks at it."""

from __future__ import annotations

from dataclasses import dataclass

from corlume.core.errors import Rules


@dataclass(frozen=True, slots=True)
class Site:
    """What the keeper knows of the place.

    ``volts`` [V] and ``breaker`` [A] of the circuit, with ``others`` on it [W]; ``lead`` between two fixtures that
    are chained, 0 when each has its own [m]; ``stand`` water line above the floor, ``eye`` height of a seated eye
    and its distance ``away`` from the front pane [m]; ``gap`` behind the tank [m].
    """

    volts: float = 230.0
    breaker: float = 16.0
    others: float = 200.0
    lead: float = 0.0
    stand: float = 1.3
    eye: float = 1.2
    away: float = 2.0
    gap: float = 0.06

    def __post_init__(self) -> None:
        rules = Rules()
        rules.between("volts", self.volts, 90.0, 260.0)
        rules.between("breaker", self.breaker, 1.0, 63.0)
        rules.between("others", self.others, 0.0, 10_000.0, "power")
        rules.between("lead", self.lead, 0.0, 10.0, "length")
        rules.between("stand", self.stand, 0.1, 3.0, "length")
        rules.between("eye", self.eye, 0.3, 2.5, "length")
        rules.between("away", self.away, 0.2, 10.0, "length")
        rules.between("gap", self.gap, 0.0, 3.0, "length")
        rules.finish()
