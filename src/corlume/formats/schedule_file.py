"""Schedules as CSV, a point a row, and as JSON; plan steps as an iCalendar file."""

from __future__ import annotations

import datetime
import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Annotated

from corlume.core.errors import InvalidInput
from corlume.core.keeping.scene import Setup
from corlume.core.light.light_group import RAMPS, DayPoint, LightGroup, Ramp
from corlume.core.schema import Choice, Share, Text, Time, most_of
from corlume.formats.file_faults import BadFile, FileFault
from corlume.formats.json_file import load_json
from corlume.formats.measure import Measure
from corlume.formats.shapes import read_things, to_data
from corlume.formats.table import read_table, write_table

VERSION = 1
MOST_BYTES = 400_000


@dataclass(frozen=True, slots=True)
class ScheduleRow:
    """A point of a group's day as a row."""

    group: Annotated[str, Text("Group", 40, least=1)]
    ramp: Annotated[Ramp, Choice("Between points", RAMPS)]
    time: Annotated[datetime.time, Time("Time")]
    level: Annotated[float, Share("Level", 0.0, 1.0)]
    channels: Annotated[str, Text("Channels", 80)] = ""


def write_schedule_table(groups: Iterable[LightGroup]) -> str:
    """Groups as CSV text; one without points has no row."""
    return write_table(
        ScheduleRow, (ScheduleRow(g.name, g.ramp, p.time, p.level, p.channels) for g in groups for p in g.points)
    )


def write_schedule(groups: Iterable[LightGroup]) -> str:
    """Groups as JSON text."""
    return json.dumps({"corlume_schedule": VERSION, "groups": [to_data(g) for g in groups]}, indent=1) + "\n"


def read_schedule(data: bytes) -> list[LightGroup]:
    """Groups of a schedule file, of JSON or CSV; ``BadFile`` has every fault by its place."""
    return _of_json(data) if data.lstrip()[:1] == b"{" else _of_rows(read_table(ScheduleRow, data))


def _of_rows(rows: Sequence[ScheduleRow]) -> list[LightGroup]:
    groups: dict[str, list[tuple[int, ScheduleRow]]] = {}
    for number, row in enumerate(rows, 2):
        groups.setdefault(row.group, []).append((number, row))
    found, faults = list[LightGroup](), list[FileFault]()
    for name, mine in groups.items():
        try:
            points = tuple(DayPoint(row.time, row.level, row.channels) for _, row in mine)
            found.append(LightGroup(name, mine[0][1].ramp, points))
        except InvalidInput as error:
            for one in error.errors:
                parts = one.field.split(".")
                line = mine[int(parts[1])][0] if parts[0] == "points" and len(parts) > 1 else mine[0][0]
                faults.append(FileFault(f"line {line}, {parts[-1]}", Measure("cm").message(one)))
    if faults:
        raise BadFile(faults[:20])
    return found


def _of_json(data: bytes) -> list[LightGroup]:
    read = load_json(data, most=MOST_BYTES)
    if not isinstance(read, dict) or read.get("corlume_schedule") != VERSION:
        raise BadFile([FileFault("corlume_schedule", f"must be {VERSION}: this is no schedule file")])
    return read_things(LightGroup, "groups", read.get("groups"), most_of(Setup, "groups"))
