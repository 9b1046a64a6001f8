"""Schedules and plan steps as files: round trips, and what is wrong with a file by its place."""

from __future__ import annotations

import pytest
from fastapi.testclient import TestClient
from hypothesis import given, settings
from hypothesis import strategies as st

from corlume.core.light.light_group import DayPoint, LightGroup
from corlume.core.schedule.day import clock
from corlume.formats.file_faults import BadFile
from corlume.formats.schedule_file import read_schedule, write_schedule, write_schedule_table
from corlume.services.keeping import light_groups, tanks
from corlume.store.database import Database

points = st.lists(
    st.tuples(st.integers(0, 1439), st.integers(0, 100), st.sampled_from(["", "100/80", "12.5/0"])),
    min_size=1, max_size=12, unique_by=lambda point: point[0],
).map(sorted)  # fmt: skip
names = st.text(st.characters(codec="utf-8", categories=["L", "N", "P", "Zs"]), min_size=1, max_size=40).filter(
    lambda text: text == text.strip() and text
)


@settings(deadline=None, max_examples=40)
@given(st.dictionaries(names, st.tuples(st.sampled_from(["linear", "smooth"]), points), max_size=4))
def test_schedules_come_back_from_both_files(made: dict[str, tuple[str, list[tuple[int, int, str]]]]) -> None:
    groups = [
        LightGroup(name, ramp, tuple(DayPoint(clock(m), level / 100, mix) for m, level, mix in some))  # type: ignore[arg-type]
        for name, (ramp, some) in made.items()
    ]
    assert in_short(read_schedule(write_schedule(groups).encode())) == in_short(groups)
    assert in_short(read_schedule(write_schedule_table(groups).encode())) == in_short(groups)


def in_short(groups: list[LightGroup]) -> list[object]:
    return [(g.name, g.ramp, [(p.time, round(p.level, 9), p.channels) for p in g.points]) for g in groups]


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (b"", "line 1: is empty"),
        (b'{"corlume_schedule": 1, "groups": [', "line 1, column"),
        (b'{"corlume_schedule": 7, "groups": []}', "no schedule file"),
        (b'{"corlume_schedule": 1, "groups": [{"name": "A", "points": [{"time": "25:00", "level_percent": 3}]}]}',
         "groups[0].points[0].time"),
        (b'{"corlume_schedule": 1, "groups": [{"name": "A", "points": [{"time": "10:00", "level_percent": 130}]}]}',
         "groups[0].points[0].level_percent: must be from 0 % to 100 %, not 130 %"),
        (b"group,ramp,time,level_percent\nA,linear,10:00,50\nA,linear,09:00,20\n", "line 3, time: must be later"),
        (b"group,ramp,time,level_percent\nA,switch,10:00,50\n", "line 2, level: must be 0 or 100 %"),
        (b"group,ramp,time,level_percent\nA,linear,10:99,50\n", "line 2, time"),
        (b"group,colour\nA,red\n", '"colour" is no column here'),
    ],
)  # fmt: skip
def test_faults_of_a_schedule_file_are_told_by_their_place(data: bytes, told: str) -> None:
    with pytest.raises(BadFile) as refused:
        read_schedule(data)
    assert told in str(refused.value)


def test_a_file_replaces_the_schedule_and_a_bad_one_changes_nothing(client: TestClient, db: Database) -> None:
    used = tanks.open_tank(db, 1).setup().id
    light_groups.begin_schedule(db, 1, used, "nine")
    text = client.get("/tanks/1/day/schedule.csv").text
    bad = client.post("/tanks/1/day/import", files={"file": ("s.csv", text.replace("12:00", "11:00"), "text/csv")})
    assert bad.status_code == 422
    assert "must be later" in bad.text
    later = text.replace("20:30", "22:00")
    assert client.post("/tanks/1/day/import", files={"file": ("s.csv", later, "text/csv")}).status_code == 303
    setup = tanks.open_tank(db, 1).setup()
    assert setup.groups[0].value.runs() == [(690.0, 630.0)]
    assert all(f.day == setup.groups[0].value for f in setup.hung)
    tanks.undo(db, 1)
    assert client.get("/tanks/1/day/schedule.csv").text == text
