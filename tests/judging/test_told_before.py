"""What an act changes is told before it is taken: shade on placed corals, the switch, and settings on the sheet."""

from __future__ import annotations

import io
import re
from dataclasses import replace

import numpy as np
import pytest
from pypdf import PdfReader
from starlette.testclient import TestClient

from corlume.core.placement.coral_card import CoralCard
from corlume.core.placement.spot_score import light_score
from corlume.core.survey.survey_record import Survey
from corlume.services.keeping import corals, hung_fixtures, setups, surveys, tanks
from corlume.services.placement.grown_shade import placed_at, shaded_by
from corlume.services.placement.zone_placement import coral_light, mature
from corlume.store.database import Database
from corlume.store.tanks import StoredTank
from tests.judging.test_judging import plain

GORGON = CoralCard("Sun coral", "lps", 0, 60, "medium", "peaceful", 0.0, 0.15)


@pytest.fixture
def crowded(db: Database) -> tuple[StoredTank, int, int]:
    """The demo, the placed coral that is lowest over the sand and one that waits and will be wide."""
    stored = tanks.open_tank(db, 1)
    low = max((k for k in stored.corals if k.value.place), key=lambda k: k.value.place.depth)  # type: ignore[union-attr]
    waiting = max((k for k in stored.corals if k.value.place is None), key=lambda k: k.value.card.size)
    return stored, low.id, waiting.id


def test_shade_of_a_coral_not_yet_placed_is_that_of_the_same_corals_grown(
    crowded: tuple[StoredTank, int, int],
) -> None:
    """Each figure worked out another way: the light of the tank with that coral put there by hand."""
    stored, low, waiting = crowded
    x, y, depth = stored.coral(low).value.place or (0, 0, 0)
    over = {waiting: (x + 0.02, y, depth - 0.1)}
    hung = stored.setup().hung
    told = {one.id: one for one in shaded_by(stored, hung, over)}
    assert told[low].now == coral_light(stored, hung)[low]
    assert told[low].after == coral_light(mature(placed_at(stored, over)), hung)[low]
    assert told[low].after < 0.9 * told[low].before
    assert shaded_by(stored, hung, {}) == ()


def test_shade_is_one_switch_shown_with_what_it_does_and_undone(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    for path in ("/tanks/1/corals", "/tanks/1/corals/all"):
        assert 'action="/tanks/1/corals/shade"' in client.get(path).text
    client.post("/tanks/1/corals/shade", data={} if stored.tank.colony_shade else {"shade": "on"})
    assert tanks.open_tank(db, 1).tank.colony_shade != stored.tank.colony_shade
    tanks.undo(db, 1)
    assert tanks.open_tank(db, 1).tank.colony_shade == stored.tank.colony_shade


def test_a_survey_keeps_the_corals_of_its_day(db: Database, crowded: tuple[StoredTank, int, int]) -> None:
    """Its fit went from 2 to 51 % once corals were placed afterwards."""
    _, low, waiting = crowded
    corals.save_shade(db, 1, shade=True)
    number = surveys.add_survey(db, 1, replace(surveys.all_surveys(db, 1)[0].value, name="Of today", in_use=False))
    with db.reading() as connection:
        before: Survey = surveys.load_survey(connection, 1, number).value
    assert before.colonies
    corals.place_coral(db, 1, waiting, tanks.open_tank(db, 1).coral(low).value.place)
    with db.reading() as connection:
        assert surveys.load_survey(connection, 1, number).value.colonies == before.colonies


def test_what_lives_off_food_takes_no_lit_place() -> None:
    """A sun coral was put at 225 PAR, on the rock top, while others had no place."""
    worth = light_score(GORGON, np.array([10.0, 50.0, 100.0, 150.0, 225.0]), food=True)
    assert worth.tolist() == [1.0, 1.0, 0.5, 0.0, 0.0]


def test_lenses_outputs_and_channels_are_on_the_sheet_and_its_pdf(client: TestClient, db: Database) -> None:
    copy = setups.copy_setup(db, 1, 1)
    first = tanks.open_tank(db, 1).setup(copy).fixtures[0]
    hung_fixtures.change_fixtures(db, 1, copy, {first.id: {"lens": "60", "output": 0.37}})
    sheet = f"/tanks/1/setups/{copy}/mounting"
    pdf = PdfReader(io.BytesIO(client.get(f"{sheet}/sheet.pdf").content))
    paper = re.sub(r"\s+", " ", " ".join(one.extract_text() for one in pdf.pages))
    for told in (plain(client.get(sheet).text), paper):
        assert "Output, %" in told
        assert re.search(r"A LED cluster, west 37 ", told)
        assert re.search(r"A: .*60.* in place of .*\d+ pieces and \d+ spares", told)
    drawing = client.get(f"{sheet}/sheet.svg").text
    assert re.search(
        r"<text[^>]*>A  LED cluster, west; output, %: 37; each channel, % of full: [^<]*lens or reflector: [^<]*60",
        drawing,
    )
    assert re.search(r"<text[^>]*>To change: A: [^<]*60[^<]* in place of ", drawing)
