"""Balance with a meter in rounds, each with its points and readings and the next move computed from them."""

from __future__ import annotations

import datetime
from dataclasses import dataclass, replace

import numpy as np

from corlume.core.light.fixture import Fixture
from corlume.core.survey.balance import AGREE, Move, Strong, balance_points, next_move, spread, wanted
from corlume.core.survey.survey_record import Survey
from corlume.formats.round_steps import RoundSteps
from corlume.services.keeping import surveys
from corlume.services.keeping.hung_fixtures import change_fixtures
from corlume.services.keeping.surveys import StoredSurvey
from corlume.services.light.fields import medium_of
from corlume.services.survey.survey_results import survey_results_of
from corlume.store.database import Database
from corlume.store.tanks import StoredSetup, StoredTank


@dataclass(frozen=True, slots=True)
class Round:
    """A round: its survey, the spread of its readings (None before all are there), and the next move."""

    survey: StoredSurvey
    spread: float | None
    agrees: bool
    move: Move | None

    def shifts(self) -> list[tuple[str, float, float]]:
        """Fixtures that the next move shifts: name, from, to [m]."""
        if self.move is None:
            return []
        pairs = zip(self.survey.value.fixtures, self.move.fixtures, strict=True)
        places = ((now.name, now.emitter.x, then.emitter.x) for now, then in pairs)
        return [(name, a, b) for name, a, b in places if abs(a - b) > 1e-6]


def begin(db: Database, stored: StoredTank, setup: StoredSetup, day: datetime.date, session: str = "") -> int:
    """Begin to balance a setup, as a named session or the next one; returns the id of the first round."""
    taken = {s.value.session for s in surveys.all_surveys(db, stored.id)}
    name = session or next(f"Balance {k}" for k in range(1, 1000) if f"Balance {k}" not in taken)
    return _add(db, stored, setup, day, name, 1)


def _add(db: Database, stored: StoredTank, setup: StoredSetup, day: datetime.date, session: str, number: int) -> int:
    told = stored.under(None)
    hung = tuple(told.setup(setup.id).hung)
    spots = tuple(balance_points(told.tank, [f for f in hung if f.output > 0]))
    name = f"{session}, round {number}"
    made = Survey(name, day, setup.name, session, spots=spots, fixtures=hung, kind="balance")
    return surveys.add_survey(db, stored.id, made)


def rounds(db: Database, stored: StoredTank, session: str, strong: Strong, steps: RoundSteps) -> list[Round]:
    """Rounds of a session, oldest first; the last one with the next move."""
    kept = [s for s in surveys.all_surveys(db, stored.id) if s.value.session == session]
    kept.sort(key=lambda s: s.id)
    return [_judged(stored, one, strong, steps, last=one is kept[-1]) for one in kept]


def _judged(stored: StoredTank, one: StoredSurvey, strong: Strong, steps: RoundSteps, *, last: bool) -> Round:
    survey = one.value
    par = [survey.par(kept.value) for kept in one.spots]
    if not par or any(value is None for value in par):
        return Round(one, None, agrees=False, move=None)
    spots = [kept.value for kept in one.spots]
    shares = wanted(stored.tank, spots, strong)
    apart = spread(np.array(par, dtype=np.float64), shares)
    found = survey_results_of(stored, survey)
    if not last or apart <= AGREE or found is None:
        return Round(one, apart, apart <= AGREE, None)
    # as the readings found them, but at their places as entered, from which they are shifted
    unknowns, vector = found.calibration.unknowns, found.calibration.vector.copy()
    vector[unknowns.where("right", "back")] = 0.0
    tank, lit = unknowns.applied(vector)
    fixtures = iter(lit)
    hung: list[Fixture] = [next(fixtures) if f.output > 0 else f for f in survey.fixtures]
    move = next_move(stored.tank, medium_of(tank), hung, spots, shares, steps.grain, np.array(par, dtype=np.float64))
    return Round(one, apart, agrees=False, move=move)


def shift(db: Database, stored: StoredTank, setup: StoredSetup, last: Round, day: datetime.date) -> int:
    """Move the setup's fixtures as the next move says, and begin the next round; returns its id."""
    places = {name: to for name, _, to in last.shifts()}
    changes = {kept.id: {"x": places[kept.value.name]} for kept in setup.fixtures if kept.value.name in places}
    if changes:
        change_fixtures(db, stored.id, setup.id, changes)
    survey = last.survey.value
    number = int(survey.name.rpartition(" ")[2]) + 1 if survey.name.rpartition(" ")[2].isdigit() else 2
    moved = replace(stored, setups=tuple(s if s.id != setup.id else _moved(s, places) for s in stored.setups))
    return _add(db, moved, moved.setup(setup.id), day, survey.session, number)


def _moved(setup: StoredSetup, places: dict[str, float]) -> StoredSetup:
    def hung(fixture: Fixture) -> Fixture:
        to = places.get(fixture.name)
        return fixture if to is None else replace(fixture, emitter=replace(fixture.emitter, x=to))

    return replace(setup, fixtures=tuple(replace(kept, value=hung(kept.value)) for kept in setup.fixtures))
