"""Photos of the tank: fixed by four corners, tapped, marked; pictures that are none are told."""

from __future__ import annotations

import io
import json

import numpy as np
import pytest
from PIL import Image
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.survey.fixture_estimate import bench
from corlume.core.survey.photo_geometry import UNIT, Photo, Quad, homography
from corlume.services.keeping import surveys, tanks
from corlume.store.database import Database
from tests.survey.test_survey_pages import HOME, JSON

CORNERS: Quad = ((0.1, 0.2), (0.9, 0.15), (0.95, 0.85), (0.05, 0.8))


def test_homography_is_the_closed_form_and_goes_round() -> None:
    """Heckbert 1989, from memory: the map of the unit square to a quadrilateral has a closed form."""
    (x0, y0), (x1, y1), (x2, y2), (x3, y3) = CORNERS
    sx, sy, dx1, dy1, dx2, dy2 = x0 - x1 + x2 - x3, y0 - y1 + y2 - y3, x1 - x2, y1 - y2, x3 - x2, y3 - y2
    g, h = (np.array([sx * dy2 - dx2 * sy, dx1 * sy - sx * dy1]) / (dx1 * dy2 - dx2 * dy1)).tolist()
    told = np.array([[x1 - x0 + g * x1, x3 - x0 + h * x3, x0], [y1 - y0 + g * y1, y3 - y0 + h * y3, y0], [g, h, 1.0]])
    assert homography(UNIT, CORNERS) == pytest.approx(told, abs=1e-9)
    tank = bench("tank", depth=0.5, tank=(1.5, 0.65))
    for view in ("front", "above"):
        photo = Photo("A", view, "-", 1600, 900, CORNERS)  # type: ignore[arg-type]
        for place in ((0.2, 0.1, 0.3), (1.4, 0.6, 0.05)):
            third = place[1] if view == "front" else place[2]
            assert photo.place(tank, *photo.point(tank, place), third) == pytest.approx(place, abs=1e-9)


@pytest.mark.parametrize(
    ("corners", "words"),
    [
        ((CORNERS[0], CORNERS[2], CORNERS[1], CORNERS[3]), "crossed over"),
        (CORNERS[::-1], "in another order"),
        ((CORNERS[0], CORNERS[0], CORNERS[2], CORNERS[3]), "lie on each other"),
        (CORNERS[:3], "must be four"),
    ],
)
def test_corners_that_fix_nothing_are_told(corners: Quad, words: str) -> None:
    with pytest.raises(InvalidInput, match=words):
        Photo("A", "front", "-", 100, 100, corners)


def drawn_photo(form: str) -> bytes:
    picture, out = Image.new("RGB", (1800, 1200), "#3a3f45"), io.BytesIO()
    exif = picture.getexif()
    exif[0x010F] = "SECRET-CAMERA"
    picture.save(out, form, exif=exif)
    return out.getvalue()


@pytest.mark.parametrize("form", ["JPEG", "PNG", "HEIF"])
def test_a_photo_is_made_small_fixed_tapped_and_marked(client: TestClient, db: Database, form: str) -> None:
    files = {"photo": ("a", drawn_photo(form))}
    answer = client.post(f"{HOME}/photos", data={"name": "Front", "view": "front"}, files=files)
    assert answer.status_code == 303, answer.text[:400]
    at = answer.headers["location"]
    picture = client.get(f"{at}/picture").content
    assert b"SECRET-CAMERA" not in picture
    assert Image.open(io.BytesIO(picture)).size == (1600, 1067)
    wrong = json.dumps({"corners": [CORNERS[k] for k in (0, 2, 1, 3)]})
    assert "crossed over" in client.post(f"{at}/corners", content=wrong, headers=JSON).json()["message"]
    assert client.post(f"{at}/corners", content=json.dumps({"corners": CORNERS}), headers=JSON).json()["fixed"]
    survey = surveys.all_surveys(db, 1)[0]
    tank, photo = tanks.open_tank(db, 1).tank, Photo("A", "front", "-", 1600, 1067, CORNERS)
    u, v = photo.point(tank, (0.75, 0.078, 0.1))
    tapped = {"survey": survey.id, "u": u, "v": v, "row": "front", "name": "By a tap"}
    saved = client.post(f"{at}/tap", content=json.dumps(tapped), headers=JSON).json()["saved"]
    assert surveys.open_survey(db, 1, survey.id).spot(saved).value.place == pytest.approx((0.75, 0.078, 0.1), abs=2e-3)
    assert 'class="photo-mark read"' in client.get(at).text
    marked = client.get(f"{at}/marked.png?survey={survey.id}")
    assert Image.open(io.BytesIO(marked.content)).format == "PNG"


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "No photo was chosen"),
        (b"no picture", "is not a PNG, JPEG or HEIC image"),
        (b"x" * 30_000_000, "30.0 MB, at most"),
    ],
)
def test_photos_that_are_none_are_told(client: TestClient, data: bytes, words: str) -> None:
    answer = client.post(f"{HOME}/photos", data={"name": "Front", "view": "front"}, files={"photo": ("a.jpg", data)})
    assert answer.status_code == 422
    assert words in answer.text
    assert 'value="Front"' in answer.text
