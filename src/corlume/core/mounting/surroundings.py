"""The place of the tank: mains, cables, clearance behind, and the viewer's eye."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from corlume.core.schema import Flag, Length, Number, limits


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What the keeper knows of the tank's place.

    ``volts`` [V] and ``breaker`` [A] of the circuit, with ``others`` on it [W]; ``lead`` between two fixtures that
    are chained, 0 when each has its own [m]; ``stand`` water line above the floor, ``eye`` height of a seated eye
    and its distance ``away`` from the front pane [m]; ``gap`` behind the tank [m]; ``residual`` is what the
    residual-current device trips at, 0 for none [mA].
    """

    volts: Annotated[float, Number("Mains", 90.0, 260.0, unit="V")] = 230.0
    breaker: Annotated[float, Number("Breaker", 1.0, 63.0, unit="A", file="breaker_a")] = 16.0
    others: Annotated[
        float,
        Number("Other load", 0.0, 10_000.0, "power", file="other_watts", about="what else is on the circuit"),
    ] = 200.0
    lead: Annotated[float, Length("Lead", 0.0, 10.0, about="between two chained fixtures; 0 when each has its own")] = (
        0.0
    )
    stand: Annotated[float, Length("Water line", 0.1, 3.0, about="above the floor")] = 1.3
    eye: Annotated[float, Length("Seated eye", 0.3, 2.5, about="above the floor")] = 1.2
    away: Annotated[float, Length("Viewing distance", 0.2, 10.0, about="from the front pane")] = 2.0
    gap: Annotated[float, Length("Gap behind", 0.0, 3.0, about="the back pane")] = 0.06

    residual: Annotated[
        float,
        Number(
            "Residual-current device",
            0.0,
            1000.0,
            unit="mA",
            file="residual_ma",
            about="trips at; blank: none",
            empty=0.0,
        ),
    ] = 0.0
    surge: Annotated[bool, Flag("Surge protection", blank=False)] = False

    def __post_init__(self) -> None:
        limits(self).finish()
