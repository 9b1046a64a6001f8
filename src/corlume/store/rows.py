"""Core objects to rows and back."""

from __future__ import annotations

import json
import sqlite3
from functools import lru_cache
from typing import Any

from corlume.core.coral import CoralCard
from corlume.core.geometry import SIDES, Brace, Pane, Rock, Tank
from corlume.core.judgement.intent import Intent
from corlume.core.judgement.targets import LightTargets
from corlume.core.judgement.wanted import WantedZone
from corlume.core.optics.emitter import ONE_CHANNEL, Channel, Emitter
from corlume.core.optics.lobe import Lobe, RingLobe, TableLobe
from corlume.core.optics.spectrum import BandSpectrum, Spectrum, TableSpectrum
from corlume.core.optics.water import Water
from corlume.core.scene import Coral, Fixture, Running
from corlume.core.site import Site

Row = dict[str, Any]

_TANK = (
    "length",
    "width",
    "water_depth",
    "rim_height",
    "rim_inset",
    "room_height",
    "sand",
    "sand_flow",
    "cover",
    "sand_albedo",
    "rock_albedo",
)
_WATER = ("temperature", "salinity", "yellowing", "attenuation", "ripple")
_TARGETS = ("lps_low", "lps_high", "sps_low", "sps_high", "ceiling", "goal", "school")
_RUNNING = ("hours", "price", "currency")
_SITE = ("volts", "breaker", "others", "lead", "stand", "eye", "away", "gap")
_WANTED = ("name", "x", "y", "length", "width", "top", "bottom", "low", "high")
_BRACE = ("x0", "x1", "y0", "y1", "height")
_ROCK = ("x", "y", "base", "length", "width", "height", "name", "flow", "form")
_EMITTER = ("kind", "ppf", "fwhm", "length", "width", "x", "y", "height", "turn", "roll", "pitch")
_CARD = ("name", "par_low", "par_high", "flow", "aggression", "reach", "size", "note")


def _take(source: object, names: tuple[str, ...]) -> Row:
    return {name: getattr(source, name) for name in names}


def _pick(row: sqlite3.Row, names: tuple[str, ...]) -> Row:
    return {name: row[name] for name in names}


def tank_row(name: str, tank: Tank, targets: LightTargets, running: Running) -> Row:
    """Columns of ``tanks``; rocks and braces have tables of their own."""
    row = {"name": name, **_take(tank, _TANK), **_take(tank.water, _WATER)}
    row |= {"water_kind": tank.water.kind, "refractive_index": tank.water.index, "colony_shade": int(tank.colony_shade)}
    for side, pane in zip(SIDES, tank.panes(), strict=True):
        row |= {f"{side}_kind": pane.kind, f"{side}_factor": pane.factor}
    return row | _take(targets, _TARGETS) | _take(running, _RUNNING)


def tank_from(row: sqlite3.Row, rocks: tuple[Rock, ...], braces: tuple[Brace, ...]) -> Tank:
    """The tank of a row, with its rocks and braces."""
    values = _pick(row, _TANK)
    values |= {side: Pane(row[f"{side}_kind"], row[f"{side}_factor"]) for side in SIDES}
    water = Water(kind=row["water_kind"], index=row["refractive_index"], **_pick(row, _WATER))
    return Tank(**values, water=water, colony_shade=bool(row["colony_shade"]), rocks=rocks, braces=braces)


def targets_from(row: sqlite3.Row) -> LightTargets:
    """The light targets of a tank's row."""
    return LightTargets(**_pick(row, _TARGETS))


def running_from(row: sqlite3.Row) -> Running:
    """The running costs of a tank's row."""
    return Running(**_pick(row, _RUNNING))


def site_row(site: Site) -> Row:
    """Columns of ``tanks`` that tell of the place where it stands."""
    return _take(site, _SITE)


def site_from(row: sqlite3.Row) -> Site:
    """The place of a tank's row."""
    return Site(**_pick(row, _SITE))


def intent_row(intent: Intent) -> Row:
    """Columns of ``setups`` that tell what it is meant for."""
    return {
        "purpose": intent.purpose, "top_low": intent.low, "top_high": intent.high, "strong_end": intent.end,
    }  # fmt: skip


def intent_from(row: sqlite3.Row) -> Intent:
    """What the setup of a row is meant for."""
    return Intent(row["purpose"], row["top_low"], row["top_high"], row["strong_end"])


def wanted_row(zone: WantedZone) -> Row:
    """Columns of ``wanted`` but for the tank."""
    return _take(zone, _WANTED)


def wanted_from(row: sqlite3.Row) -> WantedZone:
    """The wanted zone of a row."""
    return WantedZone(**_pick(row, _WANTED))


def brace_row(brace: Brace) -> Row:
    """Columns of ``braces`` but for the tank."""
    return _take(brace, _BRACE)


def brace_from(row: sqlite3.Row) -> Brace:
    """The brace of a row."""
    return Brace(**_pick(row, _BRACE))


def rock_row(rock: Rock) -> Row:
    """Columns of ``rocks`` but for the tank."""
    return _take(rock, _ROCK)


def rock_from(row: sqlite3.Row) -> Rock:
    """The rock of a row."""
    return Rock(**_pick(row, _ROCK))


def fixture_row(fixture: Fixture) -> Row:
    """Columns of ``fixtures`` but for the setup."""
    own = {"name": fixture.name, "output": fixture.output, "watts": fixture.watts, "dimmable": int(fixture.dimmable)}
    own |= {"weight": fixture.weight}
    own |= {"frame": fixture.frame, "condition": fixture.condition, "lobe": _lobe_text(fixture.emitter.lobe)}
    own |= {
        "channels": _channels_text(fixture.emitter.channels),
        "levels": json.dumps(fixture.levels) if fixture.levels else None,
        "wear": json.dumps(dict(fixture.wear)) if fixture.wear else None,
    }
    return own | _take(fixture.emitter, _EMITTER)


def fixture_from(row: sqlite3.Row) -> Fixture:
    """The fixture of a row; of rows that say the same, the same one: what is remembered of it is found at once."""
    return _fixture_from(_Same(row))


class _Same:
    """A row that equals another by what it says of a fixture, whatever its id."""

    def __init__(self, row: sqlite3.Row) -> None:
        self.row = row
        self.said = tuple(row[name] for name in row.keys() if name not in ("id", "setup_id"))  # noqa: SIM118

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and self.said == other.said

    def __hash__(self) -> int:
        return hash(self.said)


@lru_cache(maxsize=400)
def _fixture_from(same: _Same) -> Fixture:
    row = same.row
    emitter = Emitter(**_pick(row, _EMITTER), lobe=_lobe_from(row["lobe"]), channels=_channels_from(row["channels"]))
    return Fixture(
        emitter,
        row["output"],
        row["watts"],
        row["name"],
        bool(row["dimmable"]),
        row["frame"],
        row["condition"],
        tuple(json.loads(row["levels"])) if row["levels"] else (),
        row["weight"],
        tuple(json.loads(row["wear"]).items()) if row["wear"] else (),
    )


def _channels_text(channels: tuple[Channel, ...]) -> str | None:
    if channels == ONE_CHANNEL:
        return None
    return json.dumps([{"name": c.name, "share": c.share, "spectrum": _spectrum_row(c.spectrum)} for c in channels])


def _spectrum_row(spectrum: Spectrum | None) -> Row | None:
    match spectrum:
        case BandSpectrum():
            return {"bands": spectrum.parts}
        case TableSpectrum():
            return {"wavelengths": spectrum.wavelengths, "values": spectrum.values}
    return None


def _channels_from(text: str | None) -> tuple[Channel, ...]:
    if text is None:
        return ONE_CHANNEL
    return tuple(Channel(c["name"], c["share"], _spectrum_from(c["spectrum"])) for c in json.loads(text))


def _spectrum_from(read: Row | None) -> Spectrum | None:
    if read is None:
        return None
    if "bands" in read:
        return BandSpectrum(tuple((share, peak, width) for share, peak, width in read["bands"]))
    return TableSpectrum(tuple(read["wavelengths"]), tuple(read["values"]))


def _lobe_text(lobe: Lobe | None) -> str | None:
    match lobe:
        case RingLobe():
            return json.dumps({"parts": lobe.parts})
        case TableLobe():
            return json.dumps({"theta": lobe.theta, "phi": lobe.phi, "values": lobe.values})
    return None


def _lobe_from(text: str | None) -> Lobe | None:
    if text is None:
        return None
    read = json.loads(text)
    if "parts" in read:
        return RingLobe(tuple((share, fwhm) for share, fwhm in read["parts"]))
    return TableLobe(tuple(read["theta"]), tuple(read["phi"]), tuple(tuple(row) for row in read["values"]))


def coral_row(coral: Coral) -> Row:
    """Columns of ``corals`` but for the tank."""
    x, y, depth = coral.place or (None, None, None)
    return {**_take(coral.card, _CARD), "coral_group": coral.card.group, "x": x, "y": y, "depth": depth}


def coral_from(row: sqlite3.Row) -> Coral:
    """The coral of a row."""
    card = CoralCard(**_pick(row, _CARD), group=row["coral_group"])
    return Coral(card, None if row["x"] is None else (row["x"], row["y"], row["depth"]))
