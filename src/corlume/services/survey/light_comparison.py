"""Comparison of two lights: surveys as read, or setups as corrected."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from corlume.core.light.fixture import Fixture, measured
from corlume.services.keeping.surveys import StoredSurvey
from corlume.services.light.fields import Plane, slice_plane
from corlume.services.light.points import same_tank
from corlume.services.placement.zone_placement import coral_light
from corlume.services.survey.survey_results import survey_results_of
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredTank

JUMP = 0.25
"""Light that changes by more than this share at once is a jump for a coral; common practice, no source [-]."""


@dataclass(frozen=True, slots=True)
class ComparedLight:
    """One light over the tank: its key, its name, the tank under it, and its fixtures."""

    key: str
    name: str
    stored: StoredTank
    fixtures: tuple[Fixture, ...]

    def plane(self) -> Plane:
        """PAR at the height of the rock top."""
        tank = same_tank(self.stored.lit_tank())
        return slice_plane(tank, self.fixtures, "plan", tank.rock_top())


@dataclass(frozen=True, slots=True)
class CoralJump:
    """A placed coral with its number and PAR before and after [umol/m2/s]."""

    number: int
    name: str
    before: float
    after: float

    @property
    def change(self) -> float | None:
        """Relative change of the coral's PAR [-]; None where there was none before."""
        return self.after / self.before - 1 if self.before > 0 else None

    @property
    def jumps(self) -> bool:
        """Whether the change is too much at once."""
        return self.after > 0 if self.change is None else abs(self.change) > JUMP


def offered(stored: StoredTank, surveys: Sequence[StoredSurvey]) -> dict[str, str]:
    """Lights that can be compared, by key: surveys with enough readings, and setups."""
    read = [one for one in surveys if survey_results_of(stored, one.value)]
    found = {f"survey-{one.id}": f"{one.value.name}, {one.value.day.isoformat()}" for one in read}
    return found | {f"setup-{setup.id}": setup.name for setup in stored.setups}


def lit(stored: StoredTank, surveys: Sequence[StoredSurvey], key: str) -> ComparedLight:
    """Light of a key; ``NotFound`` otherwise. A survey's is the corrected one, with its lights as set then."""
    what, _, number = key.partition("-")
    for survey in surveys if what == "survey" else ():
        if str(survey.id) == number and (found := survey_results_of(stored, survey.value)):
            under = stored.under(replace(survey.value, correction=found.correction, in_use=True))
            return ComparedLight(key, survey.value.name, under, measured(survey.value.fixtures, found.correction))
    for setup in stored.setups if what == "setup" else ():
        if str(setup.id) == number:
            return ComparedLight(key, setup.name, stored, tuple(setup.hung))
    raise NotFound(f"no light {key}")


def coral_jumps(before: ComparedLight, after: ComparedLight) -> list[CoralJump]:
    """PAR at every placed coral before and after, the largest jump first."""
    first, then = (coral_light(one.stored, one.fixtures) for one in (before, after))
    rows = [
        CoralJump(number, kept.value.card.name, first[kept.id], then[kept.id])
        for number, kept in enumerate(before.stored.corals, 1)
        if kept.id in first
    ]
    return sorted(rows, key=lambda row: (row.change is not None, -abs(row.change or 0.0)))
