"""The fixtures shelf: the catalogue, the keeper's own fixtures, import of photometry, a fixture's figures."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from corlume.core.conversion import photon_flux
from corlume.core.emitter import Emitter, FixtureKind
from corlume.core.errors import Rules
from corlume.core.field import Medium, unit_field
from corlume.core.geometry import Pane, Tank
from corlume.core.lobe import width_at_half
from corlume.core.scene import Fixture
from corlume.formats.photometry import read_photometry, write_lm63
from corlume.reference.catalogue import FixtureKindEntry, fixture_kinds
from corlume.store import journal, shelf
from corlume.store.database import Database
from corlume.store.journal import SHELF_SCOPE, Steps
from corlume.store.tanks import NotFound

HEIGHTS = (0.15, 0.2, 0.3, 0.45, 0.6)
PROBE_DEPTH = 0.15
"""Readings for a fixture's sheet are taken this deep, a hand under the surface [m]."""


@dataclass(frozen=True, slots=True)
class Footprint:
    """What one fixture gives alone over open water: PAR under it and how wide half of that reaches [m]."""

    height: float
    par: float
    half_width: float


def entries(db: Database) -> list[FixtureKindEntry]:
    """The keeper's own fixtures first, then the catalogue."""
    with db.reading() as connection:
        own = shelf.own_fixtures(connection)
    return [FixtureKindEntry(f"own-{o.id}", o.fixture.name, (o.fixture,)) for o in own] + list(fixture_kinds().values())


def entry(db: Database, key: str) -> FixtureKindEntry:
    """One entry by its key; ``NotFound`` otherwise."""
    for one in entries(db):
        if one.key == key:
            return one
    raise NotFound(f"no fixture {key} on the shelf")


def source_of(db: Database, key: str) -> str:
    """Where an own fixture's figures come from; empty for the catalogue's."""
    if not key.startswith("own-"):
        return ""
    with db.reading() as connection:
        return shelf.own_fixture(connection, int(key.removeprefix("own-"))).source


def import_photometry(
    db: Database, data: bytes, *, kind: FixtureKind, light: str, ppf: float | None, dimmable: bool
) -> str:
    """Put the fixture of a photometry file on the shelf; returns its key.

    ``ppf`` [umol/s] goes before the lumens of the file, which need a kind of ``light`` to become photons.
    Raises ``BadFile`` for the file and ``InvalidInput`` for what the fixture cannot be.
    """
    found = read_photometry(data)
    lobe, lumens = found.lobe(), found.lumens
    rules = Rules()
    rules.that(
        ppf is not None or light != "",
        "ppf",
        f"is needed: the file gives {lumens:.0f} lumens, and these become photons only for a known kind of light",
    )
    rules.finish()
    how = "photon flux as given" if ppf is not None else f"{lumens:.0f} lm taken as {light}"
    emitter = Emitter(
        kind=kind,
        ppf=ppf if ppf is not None else photon_flux(lumens, light),
        fwhm=min(2.9, max(0.2, width_at_half(lobe))),
        length=max(0.01, found.length or found.width),
        width=max(0.01, found.width),
        x=0.0,
        y=0.0,
        height=0.25,
        lobe=lobe,
    )
    fixture = Fixture(emitter, watts=found.watts, name=found.name, dimmable=dimmable)
    with db.writing() as connection:
        return f"own-{shelf.put_on_shelf(connection, fixture, f'Photometry file; {how}')}"


def export_photometry(db: Database, key: str) -> str:
    """The first part of an entry as an LM-63 file."""
    part = entry(db, key).parts[0]
    e = part.emitter
    return write_lm63(part.name, e.shape(), length=e.length, width=e.width, watts=part.watts)


def remove_own(db: Database, key: str) -> None:
    """Take an own fixture off the shelf."""
    with db.writing() as connection:
        shelf.take_off_shelf(connection, int(key.removeprefix("own-")))


def undo(db: Database) -> str | None:
    """Take back the newest edit of the shelf."""
    with db.writing() as connection:
        return journal.undo(connection, SHELF_SCOPE)


def redo(db: Database) -> str | None:
    """Do again what was undone last on the shelf."""
    with db.writing() as connection:
        return journal.redo(connection, SHELF_SCOPE)


def steps(db: Database) -> Steps:
    """What undo and redo of the shelf would do."""
    with db.reading() as connection:
        return journal.steps(connection, SHELF_SCOPE)


def footprints(fixture: Fixture) -> list[Footprint]:
    """A fixture alone over open water at several heights, read a hand under the surface along its long axis."""
    black = Pane("plain", 0.0)
    open_water = Tank(5.0, 5.0, 0.5, rim_height=0.0, sand=0.0, sand_albedo=0.0, left=black, right=black, front=black,
                      back=black, room_height=1.0)  # fmt: skip
    medium = Medium.of(open_water)
    away = np.linspace(0.0, 2.4, 241)
    points = np.column_stack((2.5 + away, np.full_like(away, 2.5), np.full_like(away, PROBE_DEPTH)))
    found = []
    for height in HEIGHTS:
        hung = replace(fixture.emitter, x=2.5, y=2.5, height=height, turn=0.0, roll=0.0, pitch=0.0)
        par = unit_field(medium, hung, points)
        below = np.flatnonzero(par < 0.5 * par[0])
        found.append(Footprint(height, float(par[0]), 2 * float(away[below[0]]) if below.size else float("inf")))
    return found
