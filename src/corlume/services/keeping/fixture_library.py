"""The fixture library: built-in fixtures, the keeper's own, import of photometry, and figures of a fixture."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from corlume.core.errors import Rules
from corlume.core.keeping.own_fixture import OwnFixture
from corlume.core.light.conversion import photon_flux
from corlume.core.light.emitter import Channel, Emitter
from corlume.core.light.field import Medium, unit_field
from corlume.core.light.fixture import Fixture, FluxBasis
from corlume.core.light.geometry import Pane, Tank
from corlume.core.light.lobe import width_at_half
from corlume.core.light.spectrum import (
    Spectrum,
    lux_per_ppfd,
    mean_wavelength,
    photon_shares,
    photon_yield,
    usable_share,
)
from corlume.core.light.technology import TechnologyKey
from corlume.core.schema import limits_of
from corlume.formats.fixture_file import read_fixture, write_fixture
from corlume.formats.own_fixture_file import read_own_fixtures, write_own_fixtures
from corlume.formats.photometry import read_photometry, write_lm63
from corlume.formats.spectrum_file import read_spectrum
from corlume.reference.catalogue import CatalogueEntry, catalogue
from corlume.reference.spectrum_tables import lamp_spectra, luminosity, weightings, white_leds
from corlume.store import journal, own_fixtures
from corlume.store.database import Database
from corlume.store.journal import SHELF_SCOPE, Steps
from corlume.store.tables import OWN_FIXTURES, NotFound

HEIGHTS = (0.15, 0.2, 0.3, 0.45, 0.6)
PROBE_DEPTH = 0.15
"""Readings for a fixture's sheet are taken this deep, a hand under the surface [m]."""


@dataclass(frozen=True, slots=True)
class Footprint:
    """Light of one fixture alone over open water: PAR below it, and the width at half of that [m]."""

    height: float
    par: float
    half_width: float


def entries(db: Database) -> list[CatalogueEntry]:
    """Fixtures of the library, the keeper's own first."""
    with db.reading() as connection:
        own = OWN_FIXTURES.load(connection)
    kept = [
        CatalogueEntry(f"own-{o.id}", o.value.fixture.name, (o.value.fixture,), o.value.price, o.value.mount)
        for o in own
    ]
    return kept + list(catalogue().values())


def entry(db: Database, key: str) -> CatalogueEntry:
    """Entry of the library by key; ``NotFound`` otherwise."""
    for one in entries(db):
        if one.key == key:
            return one
    raise NotFound(f"no fixture {key} in the fixture library")


def source_of(db: Database, key: str) -> str:
    """Source of an own fixture's figures; empty for built-in fixtures."""
    if not key.startswith("own-"):
        return ""
    with db.reading() as connection:
        return OWN_FIXTURES.get(connection, int(key.removeprefix("own-"))).value.source


@dataclass(frozen=True, slots=True)
class ImportedFixture:
    """A fixture read from a file and not saved yet, with the source of its figures."""

    fixture: Fixture
    source: str


def read_import(
    data: bytes,
    *,
    technology: TechnologyKey,
    ppf: float | None = None,
    light: str = "",
    colours: str = "",
    spectrum: bytes = b"",
    dimmable: bool = True,
) -> ImportedFixture:
    """Read a photometry file, and a spectrum file with it, into a fixture; stores nothing.

    Parameters
    ----------
    data : an IES LM-63 or EULUMDAT file.
    ppf : photon flux, where known [umol/s]; it goes before the lumens of the file.
    light : key of ``LUX_PER_PPFD``, by whose published factor lumens become photons, or of ``white_leds``, by whose
        spectrum.
    colours : key of a generic spectrum; lumens become photons by way of it, unless a light is named.
    spectrum : a CSV or TM-27 file, which goes before all of these.

    Raises ``BadFile`` for a file and ``InvalidInput`` for what the fixture cannot be.
    """
    found = read_photometry(data)
    lobe, lumens = found.lobe(), found.lumens
    shape: Spectrum | None = lamp_spectra()[colours].spectrum if colours else None
    named = lamp_spectra()[colours].name if colours else ""
    if light in white_leds():
        name, white = white_leds()[light]
        light, shape, named = "", white, name[0].lower() + name[1:]
    if spectrum:
        light, shape, named = "", read_spectrum(spectrum), "the spectrum file"
    rules = Rules()
    rules.that(
        ppf is not None or light != "" or shape is not None,
        "ppf",
        f"is needed: the file gives {lumens:.0f} lumens, which convert to PPF only for a known technology",
    )
    rules.finish()
    ppf_told = ppf
    if ppf is not None:
        how = "photon flux as given"
    elif light:
        ppf, how = photon_flux(lumens, light), f"{lumens:.0f} lm taken as {light} by its published factor"
    else:
        assert shape is not None
        factor = lux_per_ppfd(shape, luminosity())
        ppf, how = lumens / factor, f"{lumens:.0f} lm by way of {named}, {factor:.1f} lux per PAR"
    emitter = Emitter(
        technology=technology,
        ppf=ppf,
        fwhm=min(2.9, max(0.2, width_at_half(lobe))),
        length=max(0.01, found.length or found.width),
        width=max(0.01, found.width),
        x=0.0,
        y=0.0,
        height=0.25,
        lobe=lobe,
        channels=(Channel("all", 1.0, shape),),
    )
    basis: FluxBasis = "file" if ppf_told is None else "maker"
    fixture = Fixture(emitter, watts=found.watts, name=found.name, dimmable=dimmable, basis=basis)
    return ImportedFixture(fixture, f"Photometry file; {how}" + f"; colours of {named}" * bool(named))


def keep_draft(db: Database, brought: ImportedFixture) -> int:
    """Keep an imported fixture until it is saved or displaced by newer ones; returns its id."""
    with db.writing() as connection:
        return own_fixtures.add_draft(connection, write_fixture(brought.fixture), brought.source)


def draft(db: Database, draft_id: int) -> ImportedFixture:
    """Imported fixture by id; ``NotFound`` when it was displaced."""
    with db.reading() as connection:
        fixture, source = own_fixtures.load_draft(connection, draft_id)
    return ImportedFixture(read_fixture(fixture), source)


def put(
    db: Database, brought: ImportedFixture, *, name: str = "", weight: float = 0.0, price: float = 0.0, mount: str = ""
) -> str:
    """Save a fixture in the library; returns its key. ``InvalidInput`` for an impossible weight or price."""
    rules = limits_of(Fixture, weight=weight, name=name)
    rules.errors += limits_of(OwnFixture, price=price, mount=mount).errors
    rules.finish()
    fixture = replace(brought.fixture, name=name.strip() or brought.fixture.name, weight=weight)
    own = OwnFixture(fixture, brought.source, price, mount.strip())
    with db.writing() as connection:
        return f"own-{own_fixtures.put_on_shelf(connection, [own], f'put {fixture.name} in the fixture library')[0]}"


def export_photometry(db: Database, key: str) -> str:
    """The first part of an entry as an LM-63 file."""
    part = entry(db, key).parts[0]
    e = part.emitter
    return write_lm63(part.name, e.shape(), length=e.length, width=e.width, watts=part.watts)


def export_own(db: Database) -> str:
    """All own fixtures as a JSON file with all their data."""
    with db.reading() as connection:
        own = OWN_FIXTURES.load(connection)
    return write_own_fixtures([kept.value for kept in own])


def import_own(db: Database, data: bytes) -> int:
    """Import own fixtures from such a file in one step of undo; returns how many. ``BadFile`` otherwise."""
    items = read_own_fixtures(data)
    with db.writing() as connection:
        own_fixtures.put_on_shelf(connection, items, f"put {len(items)} fixtures in the fixture library")
    return len(items)


MOST_WATTS = 3000.0
"""No one fixture over a tank takes more; a label that says so is of several [W]."""


def own_fixture(db: Database, key: str) -> OwnFixture:
    """An own fixture; ``NotFound`` otherwise."""
    with db.reading() as connection:
        return OWN_FIXTURES.get(connection, _own_id(key)).value


def save_own(db: Database, key: str, own: OwnFixture) -> None:
    """Change an own fixture; hung copies stay as they are. A new beam angle resets the lobe to a plain one."""
    was, rules = own_fixture(db, key).fixture.emitter, Rules()
    rules.that(bool(own.fixture.name.strip()), "name", "must not be empty")
    rules.between("watts", own.fixture.watts, 1.0, MOST_WATTS, "power")
    rules.finish()
    if own.fixture.emitter.fwhm != was.fwhm and own.fixture.emitter.lobe:
        plain = replace(own.fixture.emitter, lobe=None)
        own = replace(own, fixture=replace(own.fixture, emitter=plain))
    with db.writing() as connection:
        own_fixtures.change_on_shelf(connection, _own_id(key), own)


def copy_to_own(db: Database, key: str) -> str:
    """Copy a fixture of the library to the keeper's own; returns its key."""
    chosen = entry(db, key)
    if len(chosen.parts) > 1:
        raise NotFound(f"{chosen.name} is a frame: make your own on the PAR map")
    fixture = replace(chosen.parts[0], name=f"{chosen.name[:70]}, copy")
    own = OwnFixture(fixture, f"As {chosen.name}"[:400], chosen.price, chosen.mount)
    with db.writing() as connection:
        return f"own-{own_fixtures.put_on_shelf(connection, [own], f'copy {chosen.name}')[0]}"


def _own_id(key: str) -> int:
    number = key.removeprefix("own-")
    if not key.startswith("own-") or not number.isdecimal() or len(number) > 18:
        raise NotFound(f"no own fixture {key[:40]}")
    return int(number)


def remove_own(db: Database, key: str) -> None:
    """Delete an own fixture."""
    with db.writing() as connection:
        own_fixtures.take_off_shelf(connection, _own_id(key))


def undo(db: Database) -> str | None:
    """Undo the latest edit of the library."""
    with db.writing() as connection:
        return journal.undo(connection, SHELF_SCOPE)


def redo(db: Database) -> str | None:
    """Redo the latest undone edit of the library."""
    with db.writing() as connection:
        return journal.redo(connection, SHELF_SCOPE)


def steps(db: Database) -> Steps:
    """Names of the next undo and redo of the library."""
    with db.reading() as connection:
        return journal.steps(connection, SHELF_SCOPE)


@dataclass(frozen=True, slots=True)
class ChannelColour:
    """Colour of a channel: mean wavelength of its photons [nm], photons per joule of light [umol/J], lux per PAR
    [lx/(umol/m2/s)], and its usable share by each weighting [-].
    """

    name: str
    share: float
    spectrum: Spectrum
    mean: float
    photons: float
    lux: float
    usable: dict[str, float]


def colours(fixture: Fixture) -> list[ChannelColour]:
    """Colours of the channels of a fixture with known spectra."""
    return [
        ChannelColour(
            channel.name,
            channel.share,
            channel.spectrum,
            mean_wavelength(channel.spectrum),
            photon_yield(channel.spectrum),
            lux_per_ppfd(channel.spectrum, luminosity()),
            {w.name: usable_share(photon_shares(channel.spectrum), (w.wavelengths, w.weights)) for w in weightings()},
        )
        for channel in fixture.emitter.channels
        if channel.spectrum
    ]


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
