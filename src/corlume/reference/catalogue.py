"""The built-in fixtures."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cache
from importlib.resources import files
from typing import Any

from corlume.core.light.emitter import Channel, Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.light.lobe import RingLobe
from corlume.core.light.socket import Lamp
from corlume.core.units import CM, DEGREE
from corlume.reference.spectrum_tables import lamp_spectra


@dataclass(frozen=True, slots=True)
class CatalogueEntry:
    """A built-in fixture as it would hang over (0, 0): one part, or several in a frame.

    ``price``, a round figure, is 0 when not known; ``mount`` says how it is hung.
    """

    key: str
    name: str
    parts: tuple[Fixture, ...]
    price: float = 0.0
    mount: str = ""

    @property
    def watts(self) -> float:
        """Power of all parts at full output [W]."""
        return sum(part.watts for part in self.parts)

    @property
    def weight(self) -> float:
        """Weight of all parts, 0 when one is not known [kg]."""
        weights = [part.weight for part in self.parts]
        return sum(weights) if all(weights) else 0.0


@dataclass(frozen=True, slots=True)
class Compared:
    """A technology on the page of light types: its key and name there, keepers' opinions by criterion [0..1], and the
    fixtures to try, each with its limits on the tank.
    """

    key: str
    name: str
    told: dict[str, float]
    fixtures: tuple[dict[str, Any], ...]

    def suiting(self, length: float, depth: float) -> list[str]:
        """Keys of the fixtures that suit a tank of a length and water depth [m], in order."""
        return [one["fixture"] for one in self.fixtures if _suits(one, round(length / CM, 6), round(depth / CM, 6))]


def _suits(limits: Mapping[str, float], length: float, depth: float) -> bool:
    """Whether a tank's length and water depth [cm] are within limits, where there are any."""
    return limits.get("length_over_cm", 0.0) < length <= limits.get("length_at_most_cm", math.inf) and limits.get(
        "depth_at_least_cm", 0.0
    ) <= depth < limits.get("depth_under_cm", math.inf)


@dataclass(frozen=True, slots=True)
class TechnologyNotes:
    """Keepers' notes on a technology, its lamps, life [burning hours] and price [currency each], and its comparison
    with others; None where it has none.
    """

    life: float
    price: float
    strong: str
    weak: str
    compared: Compared | None


@cache
def technology_notes() -> dict[str, TechnologyNotes]:
    """Notes on each technology, by its key."""
    found = {}
    for key, row in _load("fixtures.json")["technologies"].items():
        one = row.get("compared")
        compared = one and Compared(one["key"], one["name"], one["told"], tuple(one["fixtures"]))
        found[key] = TechnologyNotes(row["life_hours"], row["lamp_price"], row["strong"], row["weak"], compared)
    return found


@cache
def lamps_for(technology: str) -> tuple[Lamp, ...]:
    """Generic lamps for the sockets of a technology; none for one without sockets."""
    rows = _load("sockets.json")["sockets"].get(technology, [])
    known = lamp_spectra()
    return tuple(Lamp(r["spectrum"], known[r["spectrum"]].name, known[r["spectrum"]].spectrum, r["flux"], r["price"])
                 for r in rows)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Colours:
    """Colours to choose from for a fixture: by name, its channels, and its flux relative to usual lamps [-]."""

    name: str
    channels: tuple[Channel, ...]
    flux: float = 1.0


@cache
def colours_for(technology: str) -> dict[str, Colours]:
    """Colours for a technology by key: lamps for its sockets, or mixes of LEDs where it has none."""
    lamps = lamps_for(technology)
    if lamps:
        return {one.key: Colours(one.name, (Channel(one.name, 1.0, one.spectrum),), one.flux) for one in lamps}
    known = lamp_spectra()
    return {
        one["key"]: Colours(
            one["name"],
            tuple(Channel(c["name"], c["share"], known[c["spectrum"]].spectrum) for c in one["channels"]),
        )
        for one in _load("mixes.json")["mixes"]
    }


@cache
def terms() -> tuple[dict[str, str], ...]:
    """Terms as the interface writes them: key, section, meaning, unit, name in the code, and the key of a drawing."""
    return tuple(_load("terms.json")["terms"])


@cache
def told_of_hybrids() -> dict[str, Any]:
    """Keepers' opinions of hybrids, by light type and criterion [0..1] and in words; and approaches of all types."""
    found: dict[str, Any] = _load("hybrids.json")
    return found


def _load(name: str) -> Any:
    return json.loads((files("corlume.reference") / name).read_text(encoding="utf-8"))


@cache
def catalogue() -> dict[str, CatalogueEntry]:
    """Built-in fixtures by key, in the order of the file."""
    data = _load("fixtures.json")
    rows = {row["key"]: row for row in data["fixtures"]}
    singles = {key: _fixture(row) for key, row in rows.items()}
    found = {
        key: CatalogueEntry(key, row["name"], (singles[key],), row["price"], row["mount"]) for key, row in rows.items()
    }
    for row in data["hybrids"]:
        parts = tuple(
            replace(
                singles[part["fixture"]],
                emitter=replace(
                    singles[part["fixture"]].emitter,
                    x=part["x_cm"] * CM,
                    y=part["y_cm"] * CM,
                    height=row["height_cm"] * CM,
                ),
            )
            for part in row["parts"]
        )
        price = sum(rows[part["fixture"]]["price"] for part in row["parts"])
        found[row["key"]] = CatalogueEntry(row["key"], row["name"], parts, price, "Four wires; lift rack")
    return found


def _fixture(row: Any) -> Fixture:
    rings = row.get("rings")
    emitter = Emitter(
        technology=row["kind"],
        ppf=row["ppf"],
        fwhm=row["fwhm_deg"] * DEGREE,
        length=row["length_cm"] * CM,
        width=row["width_cm"] * CM,
        x=0.0,
        y=0.0,
        height=row["height_cm"] * CM,
        lobe=RingLobe(tuple((r["share"], r["fwhm_deg"] * DEGREE) for r in rings)) if rings else None,
        channels=tuple(Channel(c["name"], c["share"], lamp_spectra()[c["spectrum"]].spectrum) for c in row["channels"]),
    )
    return Fixture(emitter, watts=row["watts"], name=row["name"], dimmable=row["dimmable"], weight=row["weight_kg"])
