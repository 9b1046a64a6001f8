"""What lights cost over five years, by one sum for every page: what has to be bought, electricity, lamps."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from corlume.core.fixture import Fixture
from corlume.reference.catalogue import CatalogueEntry, catalogue, technology_notes
from corlume.store.tanks import StoredTank

YEARS = 5
Body = tuple[str, float, float, float]
Prices = Mapping[tuple[Body, ...], float]
"""Prices by the bodies that are sold together [currency]."""


@dataclass(frozen=True, slots=True)
class Money:
    """What lights cost over ``YEARS``: to buy, less what hangs in the setup in use already, electricity, and lamps
    [currency]; ``owned`` how many fixtures need not be bought, and ``unpriced`` those whose price nobody knows.
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
        """All of it [currency]."""
        return self.buy + self.running


def five_years(
    stored: StoredTank,
    fixtures: Sequence[Fixture],
    entries: Iterable[CatalogueEntry] = (),
    hung: Sequence[Fixture] = (),
) -> Money:
    """Return what fixtures cost over ``YEARS`` over a tank.

    Parameters
    ----------
    entries : of the fixture library, with the keeper's own; what they do not have the catalogue prices.
    hung : what the keeper has beside the setup in use, such as what a search leaves where it hangs.
    """
    prices, about = _prices((*catalogue().values(), *entries)), technology_notes()
    have = Counter(map(_body, stored.setup().hung)) | Counter(map(_body, hung))
    buy, owned, unpriced = 0.0, 0, list[str]()
    for unit in _units(fixtures):
        bodies = Counter(map(_body, unit))
        if not bodies - have:
            have, owned = have - bodies, owned + len(unit)
        elif (whole := prices.get(_together(unit))) is not None:
            buy += whole
        else:
            for fixture in unit:
                body = _body(fixture)
                if have[body]:
                    have[body], owned = have[body] - 1, owned + 1
                elif price := prices.get((body,)):
                    buy += price
                else:
                    unpriced.append(fixture.name)
    running = stored.running
    lamps = sum(
        about[f.emitter.technology].price * running.hours * 365 / about[f.emitter.technology].life for f in fixtures
    )
    electricity = running.yearly(sum(f.power for f in fixtures))
    return Money(buy, YEARS * electricity, YEARS * lamps, owned, tuple(dict.fromkeys(unpriced)))


def _prices(entries: Iterable[CatalogueEntry]) -> Prices:
    return {_together(entry.parts): entry.price for entry in entries if entry.price}


def _body(fixture: Fixture) -> Body:
    """What is bought, whatever lens is put on it and whatever it is called."""
    e = fixture.emitter
    return e.technology, round(fixture.watts, 1), round(e.length, 3), round(e.width, 3)


def _together(parts: Sequence[Fixture]) -> tuple[Body, ...]:
    return tuple(sorted(map(_body, parts)))


def _units(fixtures: Sequence[Fixture]) -> list[list[Fixture]]:
    """Fixtures by the frame that they hang in, those without one alone."""
    units: dict[str, list[Fixture]] = {}
    for i, f in enumerate(fixtures):
        units.setdefault(f.frame or f"alone {i}", []).append(f)
    return list(units.values())
