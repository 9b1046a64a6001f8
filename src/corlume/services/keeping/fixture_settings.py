"""What has to be set on each fixture of a setup, and which lenses have to be changed for it: the settings card."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from corlume.core.fixture import Fixture
from corlume.core.optics.front import front_on, fronts_for, pieces
from corlume.core.optics.lobe import width_at_half
from corlume.core.units import DEGREE
from corlume.core.words import letters
from corlume.reference.catalogue import catalogue
from corlume.store.tanks import StoredSetup, StoredTank

TILTED = 0.5 * DEGREE
"""A fixture that leans by less hangs level [rad]."""


@dataclass(frozen=True, slots=True)
class FixtureSettings:
    """The settings of one fixture, by its number in the setup.

    Parameters
    ----------
    output : the master dimmer [%]; ``dims`` whether anything between off and full can be set.
    channels : names and levels under the master [%]; empty for one channel.
    front : lens or reflector, and the beam angle (FWHM) that it is computed with [degrees].
    tilt : turn from above, roll and pitch, in words; empty when it hangs level along the tank.
    """

    number: int
    name: str
    output: int
    dims: bool
    channels: tuple[tuple[str, int], ...]
    front: str
    fwhm: int
    tilt: str


@dataclass(frozen=True, slots=True)
class LensChange:
    """Fixtures, by number, that get another lens or reflector: which, in place of which, and how many pieces in all,
    with spares; 0 where nothing has to be bought.
    """

    numbers: tuple[int, ...]
    front: str
    instead: str
    pieces: int
    spares: int

    @property
    def words(self) -> str:
        """All of it in a sentence."""
        buy = f": {self.pieces} pieces and {self.spares} spares" if self.pieces else ""
        return f"{letters(self.numbers)}: {self.front} in place of {self.instead}{buy}"


def fixture_settings(fixtures: Sequence[Fixture]) -> tuple[FixtureSettings, ...]:
    """Return the settings of every fixture of a setup, in its order."""
    return tuple(_settings(number, fixture) for number, fixture in enumerate(fixtures))


def _settings(number: int, fixture: Fixture) -> FixtureSettings:
    e = fixture.emitter
    several = len(e.channels) > 1
    channels = tuple((c.name, round(100 * level)) for c, level in zip(e.channels, fixture.mix, strict=True))
    leans = (("turned", e.turn), ("rolled", e.roll), ("pitched", e.pitch))
    tilt = ", ".join(f"{word} {angle / DEGREE:.0f} degrees" for word, angle in leans if abs(angle) > TILTED)
    return FixtureSettings(
        number, fixture.name, round(100 * fixture.output), fixture.dimmable, channels * several,
        fronts_for(e)[front_on(e)].words, round(width_at_half(e.shape()) / DEGREE), tilt,
    )  # fmt: skip


def lens_changes(stored: StoredTank, setup: StoredSetup) -> tuple[LensChange, ...]:
    """Return what has to be changed of lenses and reflectors for a setup.

    Each fixture is compared with the one of its name in the setup in use, or else with the fixture library's.
    """
    hung = {f.name: f for f in stored.setup().hung} if not setup.in_use else {}
    sold = {part.name: part for entry in catalogue().values() for part in entry.parts}
    found: dict[tuple[str, str], list[tuple[int, Fixture]]] = {}
    for number, fixture in enumerate(setup.hung):
        model = hung.get(fixture.name) or sold.get(fixture.name)
        if model is None or fronts_for(model.emitter) != fronts_for(fixture.emitter):
            continue
        old, new = front_on(model.emitter), front_on(fixture.emitter)
        if old != new:
            found.setdefault((new, old), []).append((number, fixture))
    changes = []
    for (new, old), group in found.items():
        offered = fronts_for(group[0][1].emitter)
        counts = [pieces(fixture.emitter, new, fixture.watts) for _, fixture in group]
        numbers = tuple(number for number, _ in group)
        total = sum(count for count, _ in counts), sum(spare for _, spare in counts)
        changes.append(LensChange(numbers, offered[new].words, offered[old].words, *total))
    return tuple(changes)
