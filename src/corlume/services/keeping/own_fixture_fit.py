"""An own fixture from its watts and technology, from a few readings, or from a published PAR grid."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.light.beam_optics import optics_for, with_optic
from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture, FluxBasis
from corlume.core.light.geometry import Pane, Tank
from corlume.core.light.technology import TECHNOLOGIES, TechnologyKey
from corlume.core.schema import Choice, Length, Number, Share, Text, limits
from corlume.core.survey.fixture_estimate import (
    AGES,
    SPREAD,
    WHERE,
    FixtureEstimate,
    Where,
    bench,
    estimate_fixture,
    flux_of_watts,
    usual_emitter,
)
from corlume.core.survey.priors import FLUX
from corlume.core.units import DEGREE
from corlume.reference.catalogue import colours_for
from corlume.services.keeping.fixture_library import ImportedFixture

Array = NDArray[np.float64]
Panes = Literal["clear", "film", "dark"]
PANES: dict[Panes, tuple[str, Pane]] = {
    "clear": ("clear glass", Pane("glass", 0.85)),
    "film": ("film, paint or algae", Pane("plain", 0.5)),
    "dark": ("dark background all round", Pane("plain", 0.05)),
}
PpfFrom = Literal["maker", "run", "typical"]
PPF_FROM: dict[PpfFrom, str] = {
    "maker": "the maker's figure", "run": "measured as run", "typical": "as usually measured of its kind",
}  # fmt: skip
GRID_FROM = 9
AGE_WORDS = {key: words for key, (words, _) in AGES.items()}
FRONT_WORDS = {"": "as usual for its kind"} | {
    key: front.words for technology in TECHNOLOGIES for key, front in optics_for(usual_emitter(technology, 1.0)).items()
}
COLOUR_WORDS = {"": "not known"} | {
    key: colours.name for technology in TECHNOLOGIES for key, colours in colours_for(technology).items()
}
"""All that can be chosen; which of it goes with a kind is for ``EnteredFixture`` to say."""


@dataclass(frozen=True, slots=True)
class EnteredFixture:
    """What the keeper knows of a fixture, and how it was measured.

    Parameters
    ----------
    height : of its face above the water, or 0 in air [m].
    depth : of a grid under the water, or its distance in air [m].
    across, deep : a grid's size, from the middle of its first column and row to that of the last [m].
    tank_length, tank_width : of the tank that it was measured in [m].
    """

    name: Annotated[str, Text("Name", least=1)]
    technology: Annotated[TechnologyKey, Choice("Type", {key: t.name for key, t in TECHNOLOGIES.items()})]
    watts: Annotated[float, Number("Power", 1.0, 3000.0, "power", about="of one, at full, as its label says")] = 100.0
    age: Annotated[str, Choice("Its design is", AGE_WORDS, about="LEDs alone")] = ""
    ppf: Annotated[float | None, Number("PPF, if known", 0.1, 20_000.0, "flux", about="blank: from the watts")] = None
    level: Annotated[float, Share("PPF is at a level of", 0.05, 1.0, about="100 % is full; others are scaled up")] = 1.0
    ppf_from: Annotated[PpfFrom, Choice("PPF from", PPF_FROM, about="makers' figures read high")] = "maker"
    front: Annotated[str, Choice("Lens or reflector", FRONT_WORDS)] = ""
    colours: Annotated[str, Choice("Colours", COLOUR_WORDS)] = ""
    length: Annotated[float | None, Length("Emitting length", 0.005, 4.0, about="blank: usual length")] = None
    width: Annotated[float | None, Length("Emitting width", 0.005, 2.0, about="blank: usual width")] = None
    where: Annotated[Where, Choice("Measured", WHERE)] = "tank"
    height: Annotated[float, Length("Hung above the water", 0.0, 3.0, about="emitting area; 0 in air")] = 0.2
    panes: Annotated[Panes, Choice("Panes", {key: words for key, (words, _) in PANES.items()})] = "clear"
    tank_length: Annotated[float, Length("Tank, length", 0.1, 5.0)] = 0.6
    tank_width: Annotated[float, Length("Tank, width", 0.1, 5.0)] = 0.5
    depth: Annotated[
        float, Length("Grid lies at", 0.01, 1.9, about="under the water; in air its distance from the face")
    ] = 0.3
    across: Annotated[float, Length("Grid, left to right", 0.0, 5.0, about="middle of first to middle of last")] = 0.5
    deep: Annotated[float, Length("Grid, front to back", 0.0, 5.0, about="middle of first to middle of last")] = 0.4

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.that(
            self.where == "air" or self.height >= 0.01, "height", "must be above the water", "length", self.height
        )
        kind = TECHNOLOGIES[self.technology].name
        offered = optics_for(usual_emitter(self.technology, 1.0))
        rules.that(not self.front or self.front in offered, "front", f"is none of a {kind}: choose one of its own")
        fitting = not self.colours or self.colours in colours_for(self.technology)
        rules.that(fitting, "colours", f"are none of a {kind}: choose some of its own")
        rules.finish()

    def emitter(self) -> Emitter:
        """A typical emitter with the entered watts or flux, lens or reflector, and colours."""
        e = usual_emitter(self.technology, flux_of_watts(self.technology, self.watts, self.age), length=self.length,
                          width=self.width)  # fmt: skip
        if self.front:
            e = with_optic(e, self.front)
        if self.colours:
            chosen = colours_for(self.technology)[self.colours]
            e = replace(e, channels=chosen.channels, ppf=e.ppf * chosen.flux)
        return replace(e, ppf=round(e.ppf if self.ppf is None else self.ppf / self.level, 1))


def from_watts(told: EnteredFixture) -> ImportedFixture:
    """A typical fixture of a technology and its watts: uncertain by a third."""
    e = told.emitter()
    beam = f"a beam of {e.fwhm / DEGREE:.0f} degrees, as usual for {FRONT_WORDS[told.front] if told.front else 'it'}"
    if told.ppf is not None:
        at = f" at {100 * told.level:.0f} %, {e.ppf:g} at full" if told.level < 1 else ""
        source = f"Photon flux {PPF_FROM[told.ppf_from]}, {told.ppf:g} umol/s{at}; {beam}"
        return ImportedFixture(_fixture(told, e, told.ppf_from), source)
    source = (
        f"Guessed from {told.watts:g} W and its kind: {e.ppf / told.watts:.2g} umol/J as usually measured, and {beam}; "
        f"sure to {100 * FLUX['watts'].sd:.0f} % at best"
    )
    return ImportedFixture(_fixture(told, e, "watts"), source)


def flux_range(technology: TechnologyKey, watts: float, age: str) -> tuple[float, float, float]:
    """Lowest, usual and highest photon flux of a technology at so many watts [umol/s]."""
    usual = flux_of_watts(technology, watts, age)
    return SPREAD[0] * usual, usual, SPREAD[1] * usual


@dataclass(frozen=True, eq=False)
class FittedFixture:
    """A fixture fitted to readings, with the readings: places (n, 3) from its middle and down [m], and PAR (n,)."""

    brought: ImportedFixture
    fit: FixtureEstimate
    places: Array
    par: Array


def from_readings(told: EnteredFixture, places: Array, par: Array) -> FittedFixture:
    """Fit a fixture to readings at places (n, 3): to the right of its middle, behind it, and down [m].

    Raises ``InvalidInput`` by the field "readings" for places out of the tank.
    """
    tank = told_tank(told, places)
    middle = np.array([0.5 * tank.length, 0.5 * tank.width, 0.0])
    points = places + middle
    rules = Rules()
    for i, (x, y, depth) in enumerate(points.tolist(), 1):
        inside = 0 <= x <= tank.length and 0 <= y <= tank.width and 0 < depth <= tank.water_depth
        rules.that(inside, "readings", f"has its number {i} out of the tank: the fixture is over its middle")
    rules.errors = rules.errors[:5]
    rules.finish()
    # in air the face hangs just over a "surface" that bends no light
    height = AIR_GAP if told.where == "air" else told.height
    points[:, 2] -= AIR_GAP if told.where == "air" else 0.0
    start = replace(told.emitter(), x=float(middle[0]), y=float(middle[1]), height=height)
    found = estimate_fixture(tank, start, points, par)
    basis: FluxBasis = "grid" if len(par) >= GRID_FROM else "readings"
    source = (
        f"Fitted to {len(par)} reading{'s' * (len(par) > 1)} {WHERE[told.where]}, {100 * found.rms:.0f} % rms; "
        f"flux sure to {100 * found.flux_sd:.0f} %; {found.lobe}"
    )
    emitter = replace(found.emitter, x=0.0, y=0.0, height=0.25)
    return FittedFixture(ImportedFixture(_fixture(told, emitter, basis), source), found, places, par)


AIR_GAP = 0.02
"""A reading in air is nearer than its distance to the plane where water would begin by so much [m]."""


def told_tank(told: EnteredFixture, places: Array) -> Tank:
    """Tank in which the fixture was measured."""
    size = (told.tank_length, told.tank_width) if told.where == "tank" else None
    return bench(told.where, depth=float(places[:, 2].max()), tank=size, pane=PANES[told.panes][1])


def _fixture(told: EnteredFixture, emitter: Emitter, basis: FluxBasis) -> Fixture:
    dims = TECHNOLOGIES[told.technology].wears == "led"
    return Fixture(emitter, watts=told.watts, name=told.name, dimmable=dims, basis=basis)


def grid_places(flat: Array, depth: float) -> Array:
    """Places (n, 3) of a grid (n, 2) at a depth [m]."""
    return np.column_stack([flat, np.full(len(flat), depth)])
