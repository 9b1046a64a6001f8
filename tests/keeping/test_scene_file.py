"""The scene file: what goes in comes out, its schema is current, and faults are named by line or field."""

from __future__ import annotations

import json
from pathlib import Path

import jsonschema
import pytest

from corlume.core.units import CM
from corlume.formats.file_faults import BadFile
from corlume.formats.json_file import MAX_BYTES
from corlume.formats.measure import Measure, parse_number
from corlume.formats.point_list import read_points
from corlume.formats.scene_file import read_scene, scene_schema, write_scene
from corlume.services.keeping.demo import demo_scene

ROOT = Path(__file__).parent.parent.parent
EXAMPLES = sorted((ROOT / "examples").glob("*.json"))
CUBE = (ROOT / "tests/scenes/hand-measured-cube.json").read_text()
LONG_ROCK = '"rocks": [{"x_cm": 50, "y_cm": 0, "length_cm": 20, "width_cm": 5, "height_cm": 9}]'


@pytest.mark.parametrize("path", EXAMPLES, ids=lambda p: p.stem)
def test_examples_read_validate_and_come_back_the_same(path: Path) -> None:
    jsonschema.validate(json.loads(path.read_text()), json.loads(scene_schema()))
    scene = read_scene(path.read_bytes())
    again = write_scene(scene)
    jsonschema.validate(json.loads(again), json.loads(scene_schema()))
    assert write_scene(read_scene(again.encode())) == again
    assert len(read_scene(again.encode()).setups) == len(scene.setups)


def test_demo_shows_every_kind_of_thing() -> None:
    scene = demo_scene()
    assert len(scene.setups) == 3
    living = [coral for coral in scene.corals if coral.course.lost is None]
    assert len(living) == len(scene.corals) - 1 == 24
    assert 0 < sum(c.place is None for c in living) < 24
    assert scene.pumps
    assert scene.flow_marks
    assert {f.emitter.technology for s in scene.setups for f in s.fixtures} == {"led_cluster", "t5_tube", "halide"}
    assert scene.tank.braces
    assert len(scene.tank.natural_rocks) >= 3


def test_documented_schema_is_current() -> None:
    assert (ROOT / "docs/scene.schema.json").read_text() == scene_schema(), "run: corlume schema"


FAULTS = [
    (CUBE[:300], "line ", "is not JSON"),
    (CUBE.replace('"ppf": 22', '"ppf": NaN', 1), "the file", "NaN is not a number"),
    (CUBE.replace("60.96", '"abc"', 1), "tank.length_cm", 'found "abc"'),
    (CUBE.replace("60.96", "-5", 1), "tank.length_cm", "must be from 10 cm to 500 cm, not -5 cm"),
    (CUBE.replace("60.96", "1000", 1), "tank.length_cm", "not 1000 cm"),
    (CUBE.replace('"height_cm": 20.32', '"height_cm": -3', 1), "setups[0].fixtures[0].height_cm", "under water"),
    (CUBE.replace('"x_cm": 30.48', '"x_cm": 400', 1), "setups[0].fixtures[0].x_cm", "outside the room"),
    (CUBE.replace('"watts": 24', '"watts": 24, "output_percent": 130', 1), "fixtures[0].output_percent", "100 %"),
    (CUBE.replace('"watts": 24', '"watts": 24, "output_percent": 50', 1), "fixtures[0].output_percent", "on or off"),
    (CUBE.replace('"return": 0.6', '"return": 1.6', 1), "tank.panes.left.return", "from 0 % to 100 %"),
    (CUBE.replace("t5_tube", "torch", 1), "setups[0].fixtures[0].kind", "found"),
    (CUBE.replace('"version": 1', '"version": 1, "extra": 2', 1), "extra", "is not known here"),
    (CUBE.replace('"sand_cm": 2.5', LONG_ROCK, 1), "tank.rocks[0].length_cm", "reaches to 70 cm from the left pane"),
    ("[" * 100_000, "", ""),
    ("{}" + " " * MAX_BYTES, "", "too big"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "where", "what"), FAULTS, ids=[str(i) for i in range(len(FAULTS))])
def test_bad_scene_says_where_and_what(text: str, where: str, what: str) -> None:
    with pytest.raises(BadFile) as caught:
        read_scene(text.encode())
    assert any(where in fault.where and what in fault.what for fault in caught.value.faults), str(caught.value)


def test_all_faults_come_at_once() -> None:
    with pytest.raises(BadFile) as caught:
        read_scene(CUBE.replace("60.96", "0").replace("20.32", "-1").encode())
    assert len(caught.value.faults) == 6


def test_lengths_are_read_as_keepers_write_them() -> None:
    inches = Measure("in")
    for text, metres in (("8", 0.2032), (' 8"', 0.2032), ("20,5 cm", 0.205), ("180mm", 0.18)):
        assert inches.parse(text) == pytest.approx(metres)
    for text in ("", "eight", "1.2.3", "5 furlongs", "1e999", "9" * 80):
        with pytest.raises(ValueError, match=r"empty|number|unit"):
            inches.parse(text)
    assert [inches.length(0.3302), Measure("cm").length(0.3302)] == ["13 in", "33 cm"]


def test_numbers_are_read_with_the_units_that_keepers_write_behind_them() -> None:
    for text, value in (
        ("90 deg", 90.0),
        ("45 %", 45.0),
        ("1,5", 1.5),
        ("250 PAR", 250.0),
        ("54 W", 54.0),
        ("-3\u00b0", -3.0),
    ):
        assert parse_number(text) == value
    inches = [Measure("in").number(inch * 0.0254) for inch in (36.02, 14.17, 14.25, 14.125, 0.5, 3.15)]
    assert inches == ["36", "14.2", "14.25", "14.125", "0.5", "3.1"]


def test_points_file_names_line_and_column() -> None:
    tank = read_scene(CUBE.encode()).tank
    good = read_points("par,X_cm,y_cm,depth_cm\n9,10,20,30\n\n", tank)
    assert good.ravel() / CM == pytest.approx([10, 20, 30])
    with pytest.raises(BadFile) as caught:
        read_points("x_cm,y_cm,depth_cm\n10,20,30\n10,zwei,99\n5,5\n", tank)
    assert [f.where for f in caught.value.faults] == [
        "line 3, column y_cm", "line 3, column depth_cm", "line 4, column depth_cm",
    ]  # fmt: skip
    with pytest.raises(BadFile, match="no column depth_cm"):
        read_points("x_cm,y_cm\n", tank)
