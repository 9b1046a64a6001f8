"""A tank in one zip: its photos and the setups of its log go along, and come back; what is damaged says so."""

from __future__ import annotations

import datetime
import io
import json
import zipfile

from PIL import Image
from starlette.testclient import TestClient

from corlume.services.keeping import photos, tanks
from corlume.services.upkeep import log, setup_log
from corlume.store.database import Database


def test_photos_go_along_in_a_zip_and_come_back(client: TestClient, db: Database) -> None:
    setup_log.log_setup(db, 1, datetime.datetime.now())
    answer = client.get("/tanks/1/export")
    assert answer.headers["content-type"] == "application/zip"
    again = tanks.import_tank(db, answer.content)
    [first], [second] = photos.all_photos(db, 1), photos.all_photos(db, again)
    assert second.value.corners == first.value.corners
    sizes = [Image.open(io.BytesIO(photos.picture(db, kept.value))).size for kept in (first, second)]
    assert sizes[0] == sizes[1]
    logged = [log.entries(db, tank_id, most=1000) for tank_id in (1, again)]
    states = [[setup_log.setup_at(db, one.state) for one in lines if one.state] for lines in logged]
    assert states[0] == states[1] != []
    assert [len([log.photo_of(db, tank, one.id) for one in lines if one.source == "event" and one.picture])
            for tank, lines in zip((1, again), logged, strict=True)] == [2, 2]  # fmt: skip

    def told(data: bytes) -> str:
        answer = client.post("/tanks/import", files={"file": ("tank.zip", data)})
        assert answer.status_code == 422
        return answer.text

    with zipfile.ZipFile(io.BytesIO(answer.content)) as packed:
        scene, names = packed.read("scene.json"), packed.namelist()
    # without its files an entry has neither photo nor lights, and no link to what is not there
    bare = json.loads(scene) | {"photos": []}
    bare["tank"]["natural_rocks"] = []
    alone = tanks.import_tank(db, json.dumps(bare).encode())
    assert not [one for one in log.entries(db, alone, most=1000) if one.state or one.picture]
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr("scene.json", json.dumps(bare))
        packed.writestr(next(name for name in names if name.startswith("lights/")), '{"name": 7}')
    assert "lights/" in told(out.getvalue())
    assert "bring the zip that it came in" in told(scene)
    assert "damaged" in told(answer.content[: len(answer.content) // 2])
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr("../../etc/passwd", "x")
    assert "no scene.json" in told(out.getvalue())
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("scene.json", b" " * 20_000_000)
    assert "too big" in told(out.getvalue())
