"""Corrected light of a survey, and the suggested changes for it, each to be tried as a setup."""

from __future__ import annotations

from dataclasses import dataclass, replace

from corlume.core.judging.intent import Intent
from corlume.core.judging.verdicts import Verdict
from corlume.core.light.fixture import Fixture, measured
from corlume.core.survey.survey_record import Survey
from corlume.formats.round_steps import RoundSteps
from corlume.services.judging.judge import verdicts_in_doubt
from corlume.services.judging.suggested_changes import ProblemReport, problems_of, setup_of
from corlume.services.keeping import surveys, tanks
from corlume.services.survey.survey_results import survey_results_of
from corlume.store.database import Database
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredTank


@dataclass(frozen=True, eq=False)
class Corrected:
    """A tank under a survey's correction, in use or not, with the lights as read and their goal."""

    stored: StoredTank
    fixtures: tuple[Fixture, ...]
    intent: Intent

    def verdicts(self) -> list[Verdict]:
        """Verdicts of the light that was read."""
        return verdicts_in_doubt(self.stored, self.fixtures, self.intent)

    def diagnosis(self, steps: RoundSteps) -> ProblemReport:
        """Problems of the light that was read, and what would help."""
        return problems_of(self.stored, self.fixtures, self.intent, steps)


def corrected(stored: StoredTank, survey: Survey) -> Corrected | None:
    """A tank under a survey's correction; None while the survey has no result."""
    found = survey_results_of(stored, survey)
    if found is None:
        return None
    correction = found.correction
    under = stored.under(None).under(replace(survey, correction=correction, in_use=True))
    hung = next((setup for setup in stored.setups if setup.name == survey.setup), stored.setup())
    return Corrected(under, tuple(measured(survey.fixtures, correction)), hung.intent)


def try_move(db: Database, tank_id: int, survey_id: int, key: str, steps: RoundSteps) -> int:
    """Add a setup with a suggested change of the lights that were read; returns its id."""
    stored, survey = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id).value
    found = corrected(stored, survey)
    if found is None:
        raise NotFound("this survey has too few readings to say what would help")
    name = survey.setup or survey.name
    return setup_of(db, tank_id, found.diagnosis(steps), key, name, found.intent)
