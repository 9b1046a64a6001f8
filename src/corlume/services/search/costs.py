"""Cost of lights over five years, the same sum on every page: fixtures to buy, electricity, lamps."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from corlume.core.light.fixture import Fixture
from corlume.core.mounting.alignment import units_of
from corlume.reference.catalogue import CatalogueEntry, catalogue, technology_notes
from corlume.store.tanks import StoredTank

YEARS = 5
Body = tuple[str, float, float, float, float]
Prices = Mapping[tuple[Body, ...], float]
"""Prices by the bodies that are sold together, with the width of their light and without [currency]."""


@dataclass(frozen=True, slots=True)
class Costs:
    """Cost of lights over ``YEARS``: fixtures to buy beyond the setup in use, electricity, and lamps [currency];
    ``owned`` is how many fixtures need not be bought, ``unpriced`` how many have no price.
    """

    buy: float
    electricity: float
    lamps: float
    owned: int
    unpriced: tuple[str, ...]

    @property
    def running(self) -> float:
        """Electricity and lamps [currency]."""
        return self.electricity + self.lamps

    @property
    def total(self) -> float:
        """Total cost [currency]."""
        return self.buy + self.running


def five_year_costs(
    stored: StoredTank,
    fixtures: Sequence[Fixture],
    entries: Iterable[CatalogueEntry] = (),
    hung: Sequence[Fixture] = (),
) -> Costs:
    """Return the cost of fixtures over ``YEARS`` over a tank.

    Parameters
    ----------
    entries : of the fixture library, with the keeper's own; what they do not have the catalogue prices.
    hung : what the keeper has beside the setup in use, such as what a search leaves where it hangs.
    """
    prices = _prices((*catalogue().values(), *entries))
    have = Counter(map(body_of, stored.setup().hung)) | Counter(map(body_of, hung))
    buy, owned, unpriced = 0.0, 0, list[str]()
    for unit in ([fixtures[i] for i in unit] for unit in units_of(fixtures)):
        bodies = Counter(map(body_of, unit))
        if not bodies - have:
            have, owned = have - bodies, owned + len(unit)
        elif whole := _price(prices, unit):
            buy += whole
        else:
            for fixture in unit:
                body = body_of(fixture)
                if have[body]:
                    have[body], owned = have[body] - 1, owned + 1
                elif price := _price(prices, [fixture]):
                    buy += price
                else:
                    unpriced.append(fixture.name)
    electricity, lamps = stored.running.yearly(fixtures), lamp_costs(stored, fixtures)
    return Costs(buy, YEARS * electricity, YEARS * lamps, owned, tuple(dict.fromkeys(unpriced)))


def lamp_costs(stored: StoredTank, fixtures: Iterable[Fixture]) -> float:
    """Cost of lamps a year, by the hours that fixtures are on and the life and price of their technology [currency]."""
    about, day = technology_notes(), stored.running.day
    return sum(
        about[f.emitter.technology].price * day.hours_on(f) * 365 / about[f.emitter.technology].life for f in fixtures
    )


def _prices(entries: Iterable[CatalogueEntry]) -> Prices:
    sold = [entry for entry in entries if entry.price]
    prices = dict[tuple[Body, ...], float]()
    for entry in sold:  # whatever the lens: the dearest, as nobody gives an unknown lens away
        bare = tuple(sorted(map(body_of, entry.parts)))
        prices[bare] = max(entry.price, prices.get(bare, 0.0))
    return prices | {tuple(sorted(map(_lit, entry.parts))): entry.price for entry in sold}


def _price(prices: Prices, parts: Sequence[Fixture]) -> float | None:
    """Price of the library entry with the same light, or with another lens."""
    return prices.get(tuple(sorted(map(_lit, parts)))) or prices.get(tuple(sorted(map(body_of, parts))))


def body_of(fixture: Fixture) -> Body:
    """The body that is bought, whatever its name: LEDs with any lens, lamps with their reflector."""
    *body, front = _lit(fixture)
    return (*body, 0.0 if fixture.emitter.made_by.lensed else front)  # type: ignore[return-value]


def _lit(fixture: Fixture) -> Body:
    """The body with its beam angle."""
    e = fixture.emitter
    return e.technology, round(fixture.watts, 1), round(e.length, 3), round(e.width, 3), round(e.fwhm, 2)
