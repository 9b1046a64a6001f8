"""Figures of each light type over the tank, ranked by the keeper's weights."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from corlume.core.judging.figures import Figures
from corlume.core.judging.ranking import Candidate, Ranking, rank
from corlume.core.keeping.scene import Setup
from corlume.core.light.colour_blend import broad_mix, mix_variation
from corlume.core.light.field import channel_fields, grid
from corlume.core.light.fixture import Fixture
from corlume.reference.catalogue import technology_notes
from corlume.services.judging.judge import shimmer_of
from corlume.services.keeping.setups import add_setup
from corlume.services.light.fields import medium_of
from corlume.services.light.points import same_tank
from corlume.services.light.spill import light_watts
from corlume.services.search.candidate import Found
from corlume.services.search.costs import Costs, five_year_costs
from corlume.services.search.light_types import LightType, light_types_for
from corlume.services.search.proposal import edge_of
from corlume.services.search.search_jobs import Search, look
from corlume.services.search.search_request import intent_of
from corlume.store.database import Database
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredTank, load_tank

PIECES = 0.25
"""What one piece to be hung and wired counts against a lamp to be changed a year [-]; ours."""


@dataclass(frozen=True, slots=True)
class LightTypeOption:
    """One light type at its best over the tank.

    ``edge`` width of a shadow's edge 10 cm below a ledge [m]; ``fluctuation`` at the rock top with ripples [-];
    ``blend`` how far the mix of colours differs from place to place [-]; ``heat`` of the light that enters the water
    [W]; ``lamps`` replacement lamps a year [currency]; ``changes`` lamps to be changed a year; ``off`` how far it is
    off what was wanted [-], and ``next_off`` how much further the next clearly different layout of it. ``money`` is
    what it costs with what the keeper has now, not when the kinds were worked out.
    """

    key: str
    name: str
    fixtures: tuple[Fixture, ...]
    figures: Figures
    edge: float
    fluctuation: float
    blend: float
    money: Costs
    heat: float
    lamps: float
    changes: float
    dimmable: str
    strong: str
    weak: str
    told: Mapping[str, float]
    off: float
    next_off: float | None

    def candidate(self) -> Candidate:
        """Values by the criteria of the ranking; more is better."""
        return Candidate(self.key, self.name, {
            "evenness": self.figures.plane.tenth_share, "shade": self.edge, "shimmer": self.fluctuation,
            "calm": -self.fluctuation, "power": -self.figures.watts, "price": -self.money.total,
            "effort": -self.changes - PIECES * len(self.fixtures),
            **self.told,
        })  # fmt: skip


def options_of(stored: StoredTank, search: Search) -> list[LightTypeOption]:
    """Every light type of a comparison, in its order."""
    kinds = {kind.name: kind for kind in light_types_for(stored.tank)}
    return [_option(stored, kinds[found.name], found) for found in search.found if found.name in kinds]


def order(options: Sequence[LightTypeOption], weights: Mapping[str, float]) -> Ranking:
    """Options ranked by the keeper's weights; ``InvalidInput`` when all of them are 0."""
    return rank([option.candidate() for option in options], weights)


def adopt(db: Database, tank_id: int, search_id: int, key: str) -> int:
    """Add a setup of one light type as the comparison found it, with the same goal; returns its id."""
    search = look(db, tank_id, search_id)
    with db.reading() as connection:
        stored = load_tank(connection, tank_id)
    option = next((one for one in options_of(stored, search) if one.key == key), None)
    if option is None:
        raise NotFound(f"no kind {key} in the comparison")
    intent = stored.setup(search.setup_id).intent if _has(stored, search.setup_id) else intent_of(stored, search.wish)
    return add_setup(db, tank_id, Setup(option.name, option.fixtures, intent=intent))


def _has(stored: StoredTank, setup_id: int) -> bool:
    return any(setup.id == setup_id for setup in stored.setups)


def _option(stored: StoredTank, kind: LightType, found: Found) -> LightTypeOption:
    tank, fixtures = stored.lit_tank(), found.fixtures
    about, dims = technology_notes(), {f.dimmable for f in fixtures}
    lamps = [(about[f.emitter.technology], 365 * stored.running.day.hours_on(f)) for f in fixtures]
    return LightTypeOption(
        key=kind.key,
        name=kind.name,
        fixtures=fixtures,
        figures=found.figures,
        edge=edge_of(stored, fixtures),
        fluctuation=shimmer_of(stored, fixtures),
        blend=blend(stored, fixtures),
        money=five_year_costs(stored, fixtures, kind.entries),
        heat=light_watts(tank, fixtures),
        lamps=sum(lamp.price * hours / lamp.life for lamp, hours in lamps),
        changes=sum(hours / lamp.life for lamp, hours in lamps if lamp.price),
        dimmable="yes" if dims == {True} else "no" if dims == {False} else "in part",
        strong=kind.strong,
        weak=kind.weak,
        told=kind.told,
        off=found.layout.off,
        next_off=found.next_off,
    )


def blend(stored: StoredTank, fixtures: Sequence[Fixture]) -> float:
    """Variation of the mix of colours over the height of the rock top, edges of shadows included [-]."""
    tank = same_tank(stored.lit_tank())
    top = min(tank.sand_depth, tank.rock_top() + 0.05)
    points = grid(tank, (14, 8, 1), depths=(top, top)).reshape(-1, 3)
    points = points[~tank.in_rock(points)]
    if not len(points):
        return float("nan")
    medium, light, mixes = medium_of(tank), list[np.ndarray](), list[np.ndarray]()
    for f in fixtures:
        fields = channel_fields(medium, f.emitter, points)
        for strength, field, channel in zip(f.strengths, fields, f.emitter.channels, strict=True):
            light.append(strength * field)
            mixes.append(broad_mix(channel.spectrum))
    return mix_variation(np.array(light), np.array(mixes))
