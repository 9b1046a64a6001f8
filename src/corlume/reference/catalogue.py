"""Load the bundled coral cards and fixture kinds."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any

from corlume.core.coral import CoralCard
from corlume.core.emitter import Emitter
from corlume.core.scene import Fixture
from corlume.core.units import CM, DEGREE


@dataclass(frozen=True, slots=True)
class FixtureKindEntry:
    """A fixture of the catalogue: its key, and the fixture as it would hang by default over (0, 0)."""

    key: str
    fixture: Fixture


def _load(name: str) -> Any:
    return json.loads((files("corlume.reference") / name).read_text(encoding="utf-8"))


@cache
def coral_cards() -> dict[str, CoralCard]:
    """Coral cards by name, in the order of the file: soft, LPS, SPS, low light."""
    rows = _load("corals.json")["corals"]
    return {
        row["name"]: CoralCard(
            name=row["name"],
            group=row["group"],
            par_low=row["par_low"],
            par_high=row["par_high"],
            flow=row["flow"],
            aggression=row["aggression"],
            reach=row["reach_cm"] * CM,
            size=row["size_cm"] * CM,
            note=row["note"],
        )
        for row in rows
    }


@cache
def fixture_kinds() -> dict[str, FixtureKindEntry]:
    """Fixture kinds by key, in the order of the file."""
    rows = _load("fixtures.json")["fixtures"]
    return {
        row["key"]: FixtureKindEntry(
            row["key"],
            Fixture(
                Emitter(
                    kind=row["kind"],
                    ppf=row["ppf"],
                    fwhm=row["fwhm_deg"] * DEGREE,
                    length=row["length_cm"] * CM,
                    width=row["width_cm"] * CM,
                    x=0.0,
                    y=0.0,
                    height=row["height_cm"] * CM,
                ),
                watts=row["watts"],
                name=row["name"],
                dimmable=row["dimmable"],
            ),
        )
        for row in rows
    }
