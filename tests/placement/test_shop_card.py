"""The card for the shop: what it calls free is free, and a purchase arrives unplaced with the light it had."""

from __future__ import annotations

import datetime
from dataclasses import replace

import numpy as np
import pytest
from starlette.testclient import TestClient

from corlume.core.errors import FieldError, InvalidInput
from corlume.core.placement.coral import Coral, Placement
from corlume.reference.coral_library import coral_library
from corlume.services.keeping import tanks
from corlume.services.placement.shop_card import shop_card
from corlume.services.placement.spots import spots_of
from corlume.services.placement.zone_placement import states
from corlume.store.database import Database
from corlume.store.tables import Kept

POST = "/tanks/1/corals/shop/bought"


def test_what_is_called_free_has_a_spot_without_any_fault(db: Database) -> None:
    """Each type that a surface is said to suit is put on the spots of that surface: on one of them nothing is wrong."""
    stored = tanks.open_tank(db, 1)
    setup, library = stored.setup(), coral_library()
    spots = shop_card(stored, setup)
    assert [one.number for one in spots] == list(range(1, len(spots) + 1))
    seats = spots_of(stored, setup.hung)
    for one in spots[:4]:
        here = np.flatnonzero(np.array(seats.names) == one.name)
        assert one.free <= len(here)
        assert seats.par[here].min() - 1e-9 <= one.par[0] <= one.par[1] <= seats.par[here].max() + 1e-9
        tried = Coral(library[one.suits[0]].card)
        faults = [
            [reason.rule for reason in states(with_coral, setup.hung)[-1].reasons if reason.answer == "no"]
            for with_coral in (
                replace(stored, corals=(*stored.corals, Kept(999, replace(tried, place=Placement(*seats.points[s])))))
                for s in here
            )
        ]
        assert [] in faults, (one.name, one.suits[0])
    # a coral on a spot takes it, and what it would sting
    first = next(s for s in range(len(seats.names)) if seats.names[s] == spots[0].name)
    there = replace(Coral(library["Galaxea"].card), place=Placement(*seats.points[first]))
    fuller = shop_card(replace(stored, corals=(*stored.corals, Kept(999, there))), setup)
    assert sum(one.free for one in fuller) < sum(one.free for one in spots)


def full(*_: object) -> None:
    """A tank with as many corals as it may have."""
    raise InvalidInput((FieldError("corals", "are too many"),))


def test_a_purchase_is_kept_with_the_light_it_had_or_refused_by_field(
    client: TestClient, db: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    day, many = datetime.date.today().isoformat(), len(tanks.open_tank(db, 1).corals)
    saved = client.post(POST, json={"name": "Xenia", "par": "150", "origin": "Harbour frags", "day": day})
    coral = tanks.open_tank(db, 1).coral(saved.json()["saved"]).value
    assert (coral.place, coral.course.had, coral.course.origin) == (None, 150, "Harbour frags")
    for wrong, field in (
        ({"par": "bright"}, "par"),
        ({"par": "nan"}, "par"),
        ({"par": "9000"}, "had"),
        ({"name": "Plastic"}, "name"),
        ({"day": "2999-01-01"}, "bought"),
    ):
        refused = client.post(POST, json={"name": "Xenia", "par": "", "origin": "", "day": day} | wrong)
        assert (refused.status_code, list(refused.json()["errors"])) == (422, [field])
    assert len(tanks.open_tank(db, 1).corals) == many + 1
    monkeypatch.setattr("corlume.services.keeping.corals.check_count", full)
    refused = client.post(POST, json={"name": "Xenia", "par": "", "origin": "", "day": day})
    assert (refused.status_code, refused.json()["errors"]) == (422, {"corals": "are too many"})
    page = client.get("/tanks/1/corals/shop")
    assert len(page.content) < 300_000
    assert "Free spots in Tern Skerry" in page.text
