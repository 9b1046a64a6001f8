"""Own ranges: from simulated checks the range comes back, from few none, and a page shows it beside the library's."""

from __future__ import annotations

import datetime

import numpy as np
import pytest
from starlette.testclient import TestClient

from corlume.core.acclimation.log_entry import LogEntry
from corlume.core.acclimation.own_range import CheckedLight, own_range
from corlume.services.keeping import acclimation_log, tanks
from corlume.store.database import Database


def test_the_range_in_which_corals_were_healthy_comes_back() -> None:
    """120 checks of ten corals that are healthy in nine of ten from 150 to 300 PAR, and in one of five elsewhere."""
    rng = np.random.default_rng(6)
    par = np.exp(rng.uniform(np.log(60), np.log(600), 120))
    well = rng.random(120) < np.where((par > 150) & (par < 300), 0.9, 0.2)
    found = own_range(CheckedLight(float(p), bool(ok), k % 10) for k, (p, ok) in enumerate(zip(par, well, strict=True)))
    assert found
    assert found.low == pytest.approx(150, rel=0.25)
    assert found.high == pytest.approx(300, rel=0.25)
    assert (found.checks, found.corals) == (120, 10)
    assert min(found.worse) < 150 < 300 < max(found.worse)


def test_few_checks_or_none_that_were_healthy_give_no_range() -> None:
    assert own_range([]) is None
    assert own_range(CheckedLight(200, True, k) for k in range(7)) is None
    assert own_range(CheckedLight(200, False, k) for k in range(30)) is None
    assert own_range(CheckedLight(0.0, True, k) for k in range(30)) is None


def test_the_library_shows_it_beside_its_own_and_exports_it(client: TestClient, db: Database) -> None:
    today = datetime.date.today()
    with db.writing() as connection:
        connection.execute("DELETE FROM coral_notes")
        connection.execute("UPDATE corals SET course_bought = NULL")
    stored = tanks.open_tank(db, 1)
    coral = stored.corals[0]
    acclimation_log.note_light(db, stored, {coral.id: 262.0}, "As it hangs", today - datetime.timedelta(days=40))
    for days in range(12):
        look = LogEntry("watch", today - datetime.timedelta(days=days), polyps="open", tissue="full")
        acclimation_log.add_entry(db, 1, coral.id, look, today=today)
    page = client.get("/tanks/1/corals/library").text
    assert page.count("yours 212 to 265") == 1
    assert "100 % healthy, 12 checks of 1 coral. Edit the type" in page
    card = client.get("/tanks/1/corals/library/own-ranges").text.splitlines()
    assert card == ["type,par_low,par_high,checks,corals,healthy_percent,did_badly_at_par",
                    f"{coral.value.card.name},212,265,12,1,100,"]  # fmt: skip
    # the card's own range stays
    assert tanks.open_tank(db, 1).corals[0].value.card == coral.value.card
