"""The keeper's own fixtures: copied from the shelf, changed, refused when they cannot be, undone, and hung."""

from __future__ import annotations

import re

import pytest
from starlette.testclient import TestClient

from corlume.services.keeping import fixture_library, hung_fixtures, tanks
from corlume.store.database import Database


def test_a_fixture_is_copied_changed_undone_and_hung(client: TestClient, db: Database) -> None:
    key = client.post("/fixtures/cluster/copy").headers["location"].rpartition("/")[2]
    page = client.get(f"/fixtures/{key}").text
    assert "Edit fixture" in page
    typed = {"name": "Mine, dusty", "watts": "100", "ppf": "175", "basis": "readings", "fwhm": "95", "price": "1.250"}
    assert client.post(f"/fixtures/{key}/change", data={**typed, "price": "380"}).status_code == 303
    own = fixture_library.own_fixture(db, key)
    assert (own.fixture.name, own.fixture.watts, own.fixture.basis, own.price) == ("Mine, dusty", 100, "readings", 380)
    assert own.fixture.emitter.ppf == 175
    assert key in {entry.key for entry in fixture_library.entries(db)}
    hung_fixtures.add_fixture(db, 1, 1, key)
    assert tanks.open_tank(db, 1).setup(1).hung[-1].emitter.ppf == 175
    # what hangs stays as it is when the shelf's is changed again, and that can be undone
    client.post(f"/fixtures/{key}/change", data={"ppf": "200"})
    assert tanks.open_tank(db, 1).setup(1).hung[-1].emitter.ppf == 175
    client.post("/fixtures/undo")
    assert fixture_library.own_fixture(db, key).fixture.emitter.ppf == 175


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"watts": "0"}, "must be from 1 W to 3000 W, not 0 W"),
        ({"watts": "5000"}, "must be from 1 W to 3000 W, not 5000 W"),
        ({"ppf": "bright"}, "is not a number"),
        ({"name": " "}, "must not be empty"),
        ({"fwhm": "200"}, "must be from"),
    ],
)
def test_changes_that_cannot_be_are_told_and_lose_nothing(
    client: TestClient, db: Database, change: dict[str, str], words: str
) -> None:
    key = fixture_library.copy_to_own(db, "cluster")
    before = fixture_library.own_fixture(db, key)
    answer = client.post(f"/fixtures/{key}/change", data={"mount": "two wires", **change})
    assert answer.status_code == 422
    assert words in answer.text
    assert 'value="two wires"' in answer.text
    assert fixture_library.own_fixture(db, key) == before


def test_frames_and_the_shelfs_own_are_not_changed(client: TestClient) -> None:
    assert client.post("/fixtures/hybrid-60/copy").status_code == 404
    assert client.post("/fixtures/cluster/change", data={"ppf": "5"}).status_code == 404
    assert client.post("/fixtures/own-99999999999999999999/change", data={"ppf": "5"}).status_code == 404


def test_own_fixture_by_watts_lens_and_colours_chosen_by_picture(client: TestClient, db: Database) -> None:
    """By hand: 100 W of LEDs five to ten years old give 0.75 of 1.2 umol/J; lenses of 60 degrees pass 0.90 of it where
    the usual ones, of 80 degrees, pass 0.91.
    """
    told = {"name": "Old bars", "technology": "led_cluster", "watts": "100", "age": "older", "front": "60"}
    look = client.post("/fixtures/fit", data={**told, "colours": "mostly-blue", "mode": "watts"})
    assert "60 degree lenses" in look.text
    draft = re.search(r'name="draft" value="(\d+)"', look.text)
    assert draft
    key = (
        client.post("/fixtures/put", data={"draft": draft[1], "name": "Old bars"})
        .headers["location"]
        .rpartition("/")[2]
    )
    e = fixture_library.own_fixture(db, key).fixture.emitter
    assert e.ppf == pytest.approx(100 * 1.2 * 0.75 * 0.90 / 0.91, rel=0.01)
    assert [c.name for c in e.channels] == ["Royal blue", "Violet", "Blue", "White"]
    words = client.get("/fixtures/fit/flux?technology=led_cluster&watts=100&age=older").json()["words"]
    assert words == "100 W of this technology give 54 to 144 µmol/s, usually about 90"
    assert client.get("/fixtures/fit/flux?technology=led_cluster&watts=lots").json() == {"words": ""}
    for wrong, fault in (
        ({"front": "deep"}, "is none of a LED cluster"),
        ({"colours": "t5-blue"}, "are none of a LED cluster"),
        ({"watts": "5000"}, "must be from 1 W to 3000 W, not 5000 W"),
        ({"ppf": "0"}, "must be from"),
    ):
        answer = client.post("/fixtures/fit", data={**told, "mode": "watts", **wrong})
        assert answer.status_code == 422
        assert fault in answer.text
        assert 'value="Old bars"' in answer.text
