"""Situations that a keeper judges at a glance, told to the command line. Common practice, no source."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from click.testing import CliRunner

from corlume.cli.main import main
from corlume.formats.scene_file import write_scene
from corlume.services.search.candidate import LEAST_LEVEL
from tests.situations import BRACED, SITUATIONS, Situation, grid, row, zone

Row = dict[str, str]


@pytest.mark.parametrize("one", SITUATIONS, ids=lambda one: one.told)
def test_check_says_what_a_keeper_would(one: Situation, tmp_path: Path) -> None:
    path = tmp_path / "scene.json"
    path.write_text(write_scene(one.scene))
    said = CliRunner().invoke(main, ["check", str(path)])
    assert said.exit_code == 0, said.output
    missing = [words for words in one.must if not re.search(words, said.output)]
    wrong = [words for words in one.must_not if re.search(words, said.output)]
    assert (missing, wrong) == ([], []), said.output


LAYOUTS: dict[str, tuple[Situation, tuple[str, ...], Callable[[Row], bool]]] = {
    "SPS over four feet takes four modules at most, none of them idle": (
        sps := Situation("SPS over four feet", row("cluster", (16, 32), 10)),
        ("--heights", "25-35", "--counts", "2-6"),
        lambda one: int(one["count"]) <= 4 and min(levels(one)) > 10 and float(one["in_band_percent"]) > 80,
    ),
    "LPS over four feet is done with two": (
        replace(sps, stocking="lps"), ("--heights", "25-35", "--counts", "1-4"),
        lambda one: int(one["count"]) <= 2 and float(one["in_band_percent"]) > 70,
    ),
    "Two modules come to 13 in from the ends, in round inches": (
        sps, ("--heights", "25-32", "--counts", "2", "--unit", "in", "--symmetric"),
        lambda one: abs(places(one)[0] - 13) <= 2.1 and all(abs(2 * x - round(2 * x)) < 0.05 for x in places(one)),
    ),
    "A strong end by levels alone": (
        replace(sps, hung=row("cluster", (8, 19, 29, 40), 12)), ("--by", "levels", "--purpose", "strong_left"),
        lambda one: levels(one)[0] > 2 * levels(one)[-1] and one["to_buy"] == "0",
    ),
    "Zones drawn, by levels alone": (
        replace(sps, hung=row("cluster", (12, 36), 12), zones=(zone("High", 6, 250, 350), zone("Low", 30, 75, 150))),
        ("--by", "levels", "--purpose", "zones"),
        lambda one: levels(one)[0] > 2 * levels(one)[1] and float(one["in_band_percent"]) > 60,
    ),
    "A grid by columns along the tank": (
        replace(sps, hung=grid((1, 1, 1, 1))), ("--by", "levels", "--levels-by", "columns"),
        lambda one: levels(one)[:4] == levels(one)[4:] and levels(one)[0] > levels(one)[1],
    ),
    "A grid by hand: one group at the left, the rest alone": (
        replace(sps, hung=grid((1, 1, 1, 1))), ("--by", "levels", "--levels-by", "hand", "--groups", "A B, E F"),
        lambda one: levels(one)[0] == levels(one)[1] and levels(one)[4] == levels(one)[5],
    ),
    "Current fixtures, moved": (
        sps, ("--by", "own", "--heights", "25-32"),
        lambda one: one["to_buy"] == "0" and float(one["ends_percent"]) > 75,
    ),
    "A lamp over a brace says what it takes": (
        replace(sps, tank=BRACED), ("--counts", "1", "--heights", "15-16"),
        lambda one: "A brace blocks light" in one["binds"] or abs(places(one)[0] - 24) > 5,
    ),
}  # fmt: skip


@pytest.mark.parametrize("told", list(LAYOUTS))
def test_layout_finds_what_a_keeper_would(told: str, tmp_path: Path) -> None:
    one, args, right = LAYOUTS[told]
    path = tmp_path / "scene.json"
    path.write_text(write_scene(one.scene))
    found = CliRunner().invoke(main, ["layout", str(path), *args])
    assert found.exit_code == 0, found.output
    rows = list(csv.DictReader(io.StringIO(found.stdout)))
    assert right(rows[0]), rows[0]
    for answer in rows:
        # nothing hangs to be idle, and what is to be bought is in the cost
        assert all(level == 0 or level >= 100 * LEAST_LEVEL - 0.5 for level in levels(answer))
        assert float(answer["five_years"]) >= float(answer["to_buy"])


def levels(answer: Row) -> list[float]:
    """Levels in percent."""
    return [float(level) for level in answer["levels_percent"].split()]


def places(answer: Row) -> list[float]:
    """Places from the left pane, in inches."""
    return [float(x) / 2.54 for x in answer["x_cm"].split()]


@pytest.mark.parametrize(
    ("args", "message"),
    [
        (("--by", "levels", "--levels-by", "hand", "--groups", "A Q"), "--groups names no fixture of this setup by Q"),
        (("--by", "levels", "--levels-by", "hand", "--groups", "A B, B"), "--groups names B twice"),
        (("--by", "levels", "--levels-by", "hand"), "--groups is empty"),
        (("--purpose", "zones"), "--purpose needs a zone"),
    ],
)
def test_layout_refuses_groups_and_purposes_that_cannot_be(args: tuple[str, ...], message: str, tmp_path: Path) -> None:
    path = tmp_path / "scene.json"
    path.write_text(write_scene(sps.scene))
    said = CliRunner().invoke(main, ["layout", str(path), *args])
    assert said.exit_code != 0
    assert message in said.output
