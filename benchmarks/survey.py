"""What a survey costs: choosing where to measure, the fit, the corrected chart, entering a reading."""

from __future__ import annotations

import datetime
import itertools
import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np

from benchmarks.clock import clock, row, sized
from corlume.core.survey import sensitivities
from corlume.core.survey.survey_record import Survey
from corlume.services.keeping import surveys, tanks
from corlume.services.keeping.demo import demo_scene, seed
from corlume.services.light.fields import medium_of, par_at, slice_plane
from corlume.services.survey import survey_plan
from corlume.services.survey import survey_results as judged
from corlume.store.database import Database
from corlume.store.tanks import StoredSetup, StoredTank, unstored


def survey() -> None:
    """On the demo tank with its rock: six fixtures, forty readings; medium known, as after a first look."""
    stored = unstored(demo_scene())
    setup = next(s for s in stored.setups if len(s.fixtures) == 6)
    medium_of(stored.lit_tank())

    def choose() -> None:
        survey_plan._offer.cache_clear()
        sensitivities._unit_field.cache_clear()  # type: ignore[attr-defined]
        survey_plan.offer(stored, setup).plan(12)

    row("choosing 12 spots, six fixtures", clock(choose, 5), 1.0)
    made = _read(stored, setup)

    def fit() -> None:
        judged._findings.cache_clear()
        sensitivities._unit_field.cache_clear()  # type: ignore[attr-defined]
        assert judged.survey_results_of(stored, made)

    row("fit of 40 readings, six fixtures", clock(fit, 5), 1.0)
    found = judged.survey_results_of(stored, made)
    assert found
    corrected = stored.under(replace(made, correction=found.correction, in_use=True))
    depths = itertools.count(1)
    medium_of(corrected.lit_tank())

    def chart(tank: StoredTank) -> None:
        at = 0.05 + 0.0007 * next(depths)
        for kind in ("plan", "front", "side"):
            slice_plane(tank.lit_tank(), tank.setup(setup.id).hung, kind, at)

    told = clock(lambda: chart(stored), 15)
    after = clock(lambda: chart(corrected), 15)
    row("three slices, predicted", told)
    row("three slices, corrected", after, None, f"{after.ratio / told.ratio:.2f} x predicted (goal 1.2)")
    with tempfile.TemporaryDirectory() as folder:
        db = Database(Path(folder) / "a.db")
        seed(db)
        kept = surveys.all_surveys(db, 1)[0]

        def enter() -> None:
            surveys.enter(db, 1, kept.id, kept.spots[0].id, 100.0)
            surveys.take_back(db, 1, kept.id, kept.spots[0].id)
            tanks.open_tank(db, 1)

        row("a reading written down, taken back, tank read again", clock(enter, 15), 0.1)


def _read(stored: StoredTank, setup: StoredSetup) -> Survey:
    """Forty readings of a tank that is as it was told, but for noise."""
    spots = survey_plan.offer(stored, setup).plan(sized(40, 8))
    par = par_at(stored.lit_tank(), setup.hung, np.array([spot.place for spot in spots]))
    par *= np.exp(np.random.default_rng(0).normal(0, 0.05, len(par)))
    read = tuple(replace(spot, readings=(float(value),)) for spot, value in zip(spots, par, strict=True))
    return Survey("Bench", datetime.date(2026, 11, 1), spots=read, fixtures=tuple(setup.hung))
