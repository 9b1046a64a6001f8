"""A substitute for a fixture that failed: levels against every level tried one by one, and saved in one click."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from fastapi.testclient import TestClient

from corlume.core.upkeep.substitute_levels import OUT_OF_RANGE, substitute_levels
from corlume.services.keeping import tanks
from corlume.services.placement.zone_placement import coral_light
from corlume.services.upkeep.substitute import substitute
from corlume.store.database import Database


@pytest.mark.parametrize("seed", range(6))
def test_levels_lose_no_more_than_the_best_of_all_levels_tried_one_by_one(seed: int) -> None:
    random = np.random.default_rng(seed)
    light, fixed = random.uniform(0.0, 300.0, (2, 8)), random.uniform(0.0, 40.0, 8)
    had, low = random.uniform(60.0, 300.0, 8), random.uniform(50.0, 200.0, 8)

    def lost(levels: np.ndarray) -> float:
        par = levels @ light + fixed
        if (par > 1.15 * had + 1e-6).any():
            return np.inf
        lacks = np.maximum(0.0, had - par) / had
        goal = np.minimum(low, 1.15 * had)
        return float((lacks + OUT_OF_RANGE * np.maximum(0.0, goal - par) / goal).sum())

    best = min(lost(np.array(pair)) for pair in itertools.product(np.linspace(0.0, 1.0, 101), repeat=2))
    assert lost(substitute_levels(light, fixed, had, low, 0.15)) <= best + 1e-9


def test_a_substitute_helps_bleaches_none_and_is_used_in_one_click(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    found = substitute(stored, 0)
    now, then = coral_light(stored, stored.setup().hung), coral_light(stored, found.fixtures)
    alone = coral_light(stored, stored.setup().hung[1:])
    lost = [sum(max(0.0, now[one] - light[one]) / now[one] for one in now) for light in (then, alone)]
    assert lost[0] < 0.9 * lost[1]
    assert min(then[one] / now[one] for one in now) > 1.5 * min(alone[one] / now[one] for one in now)
    assert max(then[one] / now[one] for one in now) <= 1.15
    text = client.get("/tanks/1/log/substitute?fixture=0").text
    assert f"With these levels {len(found.corals.leave)} of 14" in text
    answer = client.post("/tanks/1/log/substitute", data={"fixture": "0", "next": "use"})
    used = tanks.open_tank(db, 1).setup()
    assert answer.headers["location"] == f"/tanks/1/par-map?setup={used.id}"
    assert (used.name, [f.output for f in used.hung]) == (found.name, [f.output for f in found.fixtures])
    assert used.intent == stored.setup().intent
    answer = client.post("/tanks/1/log/substitute", data={"fixture": "7"})
    assert (answer.status_code, "is not in the setup in use" in answer.text) == (422, True)
