"""Every kept thing comes back the same from its row, its file, its table and its form, with all that it declares."""

from __future__ import annotations

import datetime
import json
import re
import sqlite3
from contextlib import closing
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from corlume.core.errors import InvalidInput
from corlume.core.judging.intent import Intent
from corlume.core.judging.target_zones import TargetZone
from corlume.core.judging.targets import LIMITS, LightTargets
from corlume.core.keeping.own_fixture import OwnFixture
from corlume.core.keeping.scene import Running, Scene, Setup
from corlume.core.light.emitter import ONE_CHANNEL, Channel, Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Brace, Colony, Pane, Rock, Tank
from corlume.core.light.lobe import RingLobe, TableLobe
from corlume.core.light.spectrum import BandSpectrum, TableSpectrum
from corlume.core.light.survey_correction import Correction, FixtureFactor
from corlume.core.light.water import Water
from corlume.core.mounting.surroundings import Surroundings
from corlume.core.placement.coral import Coral, Placement
from corlume.core.schema import Field, Item, Many, Own, Part, items, leaves
from corlume.core.survey.survey_record import MeasuringPoint, Survey
from corlume.formats.file_faults import BadFile
from corlume.formats.measure import Measure
from corlume.formats.scene_file import read_scene, write_scene
from corlume.formats.shapes import Build, from_data, shape_of, to_data
from corlume.formats.table import columns as table_columns
from corlume.formats.table import read_table, write_table
from corlume.formats.typed_values import read_day, read_time
from corlume.store import tables
from corlume.store.database import Database
from corlume.store.rows import columns, row_of, thing_of
from corlume.web.forms.form import Form, asked, shown_values
from tests.cards import coral_cards

KEPT = (
    Coral, TargetZone, Surroundings, Intent, LightTargets, Running, Rock, Brace, Tank, Water, Pane, Fixture,
    OwnFixture, Setup, Survey, MeasuringPoint,
)  # fmt: skip
SPECTRUM = st.sampled_from(
    [None, BandSpectrum(((1.0, 450.0, 20.0), (0.5, 620.0, 30.0))), TableSpectrum((400.0, 700.0), (1.0, 2.0))]
)
LOBE = st.sampled_from(
    [None, RingLobe(((0.4, 1.0), (0.6, 2.0))), TableLobe((0.0, 0.8, 1.5), (0.0,), ((1.0,), (0.6,), (0.0,)))]
)
CORRECTION = Correction(
    (
        FixtureFactor("West", "led_cluster", 230.0, 0.2, 0.2, 0.8, False, 1.02, 0.1, -0.05, 0.4, 0.2, 0.012, -0.008),
        FixtureFactor("East", "led_cluster", 230.0, 0.2, 0.2, 0.02, True),
    ),
    (0.5, 0.5, 0.85, 0.1), 0.06, ((0.1, 0.2, 0.3),), (0.05,), (0.003,), 0.02, 0.2, 0.4,
)  # fmt: skip
OWN = {
    "lobe": LOBE,
    "channels": st.sampled_from([ONE_CHANNEL, (Channel("blue", 0.6), Channel("white", 0.4))])
    | SPECTRUM.map(lambda s: (Channel("blue", 0.25, s), Channel("white", 0.75, None))),
    "levels": st.just(()),
    "readings": st.lists(st.floats(0.1, 4999.0), max_size=4).map(tuple),
    "correction": st.sampled_from([None, CORRECTION]),
    "colonies": st.sampled_from([(), (Colony(0.4, 0.2, 0.25, 0.1), Colony(0.9, 0.3, 0.125, 0.07))]),
    "strips": st.sampled_from([(), ((0.0, 1.25, 0.375, 0.5, 0.03125),)]),
    "wear": st.sampled_from([(), (("glass", "salt"),)]),
}
NO_FORM = {"levels", "wear", "lobe", "channels", "readings", "correction", "colonies", "strips"}
"""Kept by a way of their own; the chart has controls for them."""
NO_FILE = {"levels"}
"""Stands with the channels that it belongs to."""
SIGNS = st.characters(codec="utf-8", exclude_categories=("Cs", "Cc"))
TEXT = st.text(SIGNS, min_size=1, max_size=30).map(str.strip).filter(bool)


def values(item: Item) -> st.SearchStrategy[Any]:
    """Any value that a field may have, round enough to be typed."""
    spec = item.spec
    if isinstance(spec, Part):
        inside = things(item.type)
        return st.none() | inside if item.optional else inside
    if isinstance(spec, Own):
        return OWN[item.name]
    if isinstance(spec, Many):
        return st.just(())
    low, high = (
        max(spec.low, 0.0 if item.name != "turn" else -6.0),
        min(spec.high, 4.0 if spec.quantity == "length" else 5e3),
    )
    plain = {
        "number": st.floats(low, high, allow_nan=False),
        "text": TEXT,
        "choice": st.sampled_from(list(spec.options or {"": ""})),
        "flag": st.booleans(),
        "date": st.dates(datetime.date(2000, 1, 1), datetime.date(2099, 12, 31)),
        "time": st.times().map(lambda t: t.replace(second=0, microsecond=0)),
    }[spec.sort]
    return st.none() | plain if item.optional else plain


@st.composite
def things(draw: st.DrawFn, cls: type) -> Any:
    """A kept thing that obeys its rules."""
    made = {item.name: draw(values(item)) for item in items(cls)}
    if cls is LightTargets:
        made |= dict(zip(LIMITS, sorted(made[name] for name in LIMITS), strict=True))
    if cls is Tank:
        made |= {"rim_inset": 0.02 * made["cover"], "sand": 0.01}
    if cls is TargetZone:
        made |= {"top": made["top"] / 2, "bottom": made["top"] / 2 + 0.1}
    if "par_low" in made:
        made["par_high"] = made["par_low"] + 50
    if "low" in made:
        made["high"] = made["low"] + 60 if made["low"] < 1900 else 2000.0
        made["low"] = min(made["low"], 1900.0)
        if cls is Intent and made["low"] == 0:
            made["high"] = 0.0
    if cls is Fixture:
        made |= {"max_levels": "/".join("120" for _ in made["emitter"].channels), "most_watts": made["watts"]}
        made["output"] = made["output"] if made["dimmable"] else round(made["output"])
    if cls is Emitter:
        made |= {"height": 0.1 + made["height"], "roll": 0.0, "pitch": made["pitch"] / 10, "length": 0.1, "width": 0.05}
    if cls is Placement:
        made = {name: min(value, 3.0) for name, value in made.items()}
    try:
        return cls(**made)
    except InvalidInput:
        assume(False)


def same(one: Any, other: Any, off: float) -> bool:
    """Whether two things say the same, numbers within what their writing keeps of them."""
    for item in items(type(one)):
        a, b = getattr(one, item.name), getattr(other, item.name)
        if isinstance(item.spec, Part) and a is not None and b is not None:
            if not same(a, b, off):
                return False
        elif isinstance(item.spec, Field) and item.spec.sort == "number" and a is not None:
            if b is None or abs(a - b) > off * max(1.0, abs(a)):
                return False
        elif not isinstance(item.spec, Own) and a != b:
            return False
    return True


every = pytest.mark.parametrize("cls", KEPT, ids=lambda cls: cls.__name__)
often = settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))


@every
@often
@given(data=st.data())
def test_rows_come_back_the_same(cls: type, data: st.DataObject) -> None:
    thing = data.draw(things(cls))
    assert thing_of(cls, row_of(thing)) == thing


@every
@often
@given(data=st.data())
def test_files_come_back_the_same(cls: type, data: st.DataObject) -> None:
    """Files keep a thousandth of a millimetre; what is kept by a way of its own, too."""
    thing, build = data.draw(things(cls)), Build()
    file = shape_of(cls).model_validate(json.loads(json.dumps(to_data(thing))))
    again = from_data(build, "", cls, file)
    build.finish()
    assert same(thing, again, 1e-5)
    assert (to_data(again) if cls is not Fixture else again.emitter.channels) == (
        to_data(thing) if cls is not Fixture else thing.emitter.channels
    )


@pytest.mark.parametrize("unit", ["cm", "in"])
@every
@often
@given(data=st.data())
def test_forms_come_back_the_same(cls: type, unit: str, data: st.DataObject) -> None:
    """A form that comes back as it was shown moves nothing; without the thing it says the same, as printed."""
    thing, measure = data.draw(things(cls)), Measure(unit)  # type: ignore[arg-type]
    values = shown_values(thing, measure)
    form = Form(values, measure)
    assert form.read(cls, thing) == thing
    assert form.ok, form.errors
    afresh = Form(values, measure)
    others = {item.name: getattr(thing, item.name) for item in items(cls) if not isinstance(item.spec, Field)}
    read = afresh.read(cls, None, **others)
    assert read is None or same(thing, read, 2e-3), afresh.errors
    assert set(asked(cls, values, {}, measure)) == set(leaves(cls))


@pytest.mark.parametrize("cls", [Coral, TargetZone, Rock])
@often
@given(data=st.data())
def test_tables_come_back_the_same(cls: type, data: st.DataObject) -> None:
    many = [data.draw(things(cls)) for _ in range(3)]
    again = read_table(cls, write_table(cls, many).encode())
    assert all(same(one, other, 1e-5) for one, other in zip(many, again, strict=True))


HEAD = "name,group,par_low,par_high,flow,aggression,sweepers_cm,size_cm\n"


@pytest.mark.parametrize(
    ("text", "where"),
    [
        ("", "line 1: is empty"),
        ("name,colour\nA,red", 'line 1: "colour" is no column here'),
        ("name,name\nA,B", 'line 1: names the column "name" twice'),
        ("name\nA", "line 2, group: is missing"),
        (HEAD.replace(",", ";") + "A;soft;50;x;low;peaceful;0;8,5", "line 2, par_high: is not a number"),
        (HEAD + "\nA,soft,90,50,low,peaceful,0,8", "line 3, par_high: must be more than 90"),
        (HEAD + "A,soft,50,90,low,peaceful,0,8,9,9", "line 2: has 10 cells"),
    ],
)  # fmt: skip
def test_faults_of_a_table_are_told_by_line_and_column(text: str, where: str) -> None:
    with pytest.raises(BadFile) as error:
        read_table(Coral, text.encode())
    assert any(str(fault).startswith(where) for fault in error.value.faults), error.value


def test_every_declared_field_has_its_place_in_row_file_and_form(db: Database) -> None:
    kept = {t.name: t.of for t in vars(tables).values() if isinstance(t, tables.Table)} | {"tanks": Scene}
    for name, cls in kept.items():
        with closing(sqlite3.connect(db.path)) as connection:
            stored = {row[1] for row in connection.execute(f"PRAGMA table_info({name})")}
        assert {column.name for column in columns(cls)} == stored - {
            "id",
            "tank_id",
            "setup_id",
            "survey_id",
            "coral_id",
            "removed",
        }, name
    for cls in KEPT:
        text = json.dumps(shape_of(cls).model_json_schema())
        for item in items(cls):
            if isinstance(item.spec, Own):
                assert item.name in NO_FORM
                assert item.name in NO_FILE or f'"{item.spec.file or item.name}"' in text
            elif isinstance(item.spec, Field):
                written = item.spec.file.rpartition(".")[2] or item.name
                assert f'"{written}' in text, (cls, item.name)
    assert set(table_columns(Coral)) >= {"name", "x_cm", "depth_cm", "sweepers_cm"}


def test_a_form_without_a_field_leaves_it_and_with_too_many_says_so() -> None:
    card = replace(coral_cards()["Zoanthus"], note="Bought in May.\nFrom Ann.")
    measure = Measure("cm")
    short = {k: v for k, v in shown_values(card, measure).items() if k not in ("note", "size")}
    assert Form(short, measure).read(type(card), card) == card
    fresh = Form(short, measure)
    assert fresh.read(type(card)) is None
    assert fresh.errors == {"size": "is missing: reload the page"}
    strange = Form({**short, "sise": "12"}, measure)
    assert strange.read(type(card), card) == card
    assert not strange.ok
    assert list(strange.errors) == ["sise"]
    long = Form({**short, "note": "x" * 900}, measure)
    assert long.read(type(card), card) is None
    assert long.errors == {"note": "has 900 characters, and at most 500 are kept"}
    assert long.data["note"] == "x" * 900


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("31/12/2026", 'in another order: "31/12/2026". Type it as year-month-day: 2026-12-31'),
        ("12/31/2026", "year-month-day: 2026-12-31"),
        ("5.6.2026", "year-month-day: 2026-06-05 or 2026-05-06"),
        ("2026-02-30", "no day of the calendar"),
        ("tomorrow", "is not a day"),
        ("", "is empty"),
    ],
)
def test_days_of_other_orders_are_not_guessed(typed: str, words: str) -> None:
    with pytest.raises(ValueError, match=re.escape(words)):
        read_day(typed)


def test_days_and_times_as_they_are_meant() -> None:
    assert read_day(" 2026-3-1 ") == datetime.date(2026, 3, 1)
    assert read_time("8:05") == datetime.time(8, 5)
    assert read_time("20.15") == datetime.time(20, 15)
    with pytest.raises(ValueError, match="24 hours"):
        read_time("25:00")


def test_scene_files_of_the_first_version_read_as_today() -> None:
    """Older names of fields and of choices: a file of version 1 with all of them, and what it is written as now."""
    cards, lamp = coral_cards(), Emitter("t5_tube", 60.0, 2.0, 1.1, 0.03, 0.6, 0.3, 0.2)
    water = Water(cdom_absorption=0.2)
    setup = Setup("Old", (Fixture(lamp, light_loss_factor=0.8),), True, Intent("stocking"))
    tank = Tank(1.2, 0.6, 0.5, water=water)
    coral = Coral(cards["Galaxea"], Placement(0.1, 0.2, 0.3))
    scene = Scene("Old", tank, LightTargets(stocking="lps"), setups=(setup,), corals=(coral,),
                  surroundings=Surroundings(volts=110.0))  # fmt: skip
    text = write_scene(scene)
    older = {
        '"technology"': '"kind"', "light_loss_factor_percent": "condition_percent", '"surroundings"': '"site"',
        "cdom_absorption_per_m": "yellowing_per_m", "sweepers_cm": "reach_cm", '"stocking":': '"goal":',
        '"purpose": "stocking"': '"purpose": "goal"', '"version": 2': '"version": 1',
    }  # fmt: skip
    for new, old in older.items():
        assert new in text
        text = text.replace(new, old)
    assert read_scene(text.encode()) == read_scene(write_scene(scene).encode())
