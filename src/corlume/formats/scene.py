"""Read and write the scene file; what the core objects to comes back under the file's own field names."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from typing import Any, NoReturn, TypeVar

from pydantic import ValidationError

from corlume.core.coral import CoralCard
from corlume.core.errors import FieldError, InvalidInput
from corlume.core.geometry import SIDES, Brace, Pane, Rock, Tank
from corlume.core.judgement.intent import Intent
from corlume.core.judgement.targets import LightTargets
from corlume.core.judgement.wanted import WantedZone
from corlume.core.optics.emitter import ONE_CHANNEL, Channel, Emitter
from corlume.core.optics.lobe import Lobe, RingLobe, TableLobe
from corlume.core.optics.spectrum import BandSpectrum, Spectrum, TableSpectrum
from corlume.core.optics.water import Water
from corlume.core.scene import MOST, Coral, Fixture, Running, Scene, Setup
from corlume.core.site import Site
from corlume.core.units import CM, DEGREE
from corlume.formats.faults import BadFile, Fault, path_of, shape_faults
from corlume.formats.measure import Measure
from corlume.formats.scene_file import (
    ChannelFile,
    CoralFile,
    FixtureFile,
    IntentFile,
    LobeFile,
    RockFile,
    SceneFile,
    SiteFile,
    SpectrumFile,
    TankFile,
    WantedFile,
)

MAX_BYTES = 16_000_000
FILE_ROOM = 4
"""A file may hold so many times what the pages let a keeper add."""
T = TypeVar("T")


def read_scene(data: bytes) -> Scene:
    """Read a scene file; ``BadFile`` says where it is wrong, by line and column or by field."""
    raw = load_json(data)
    try:
        return _to_core(SceneFile.model_validate(raw))
    except ValidationError as error:
        raise BadFile(shape_faults(error.errors())) from error


def load_json(data: bytes) -> Any:
    """Parse JSON text from a keeper's hand; ``BadFile`` says by line and column where it is none."""
    if len(data) > MAX_BYTES:
        raise BadFile([Fault("", f"The file is too big: {len(data) / 1e6:.1f} MB, at most {MAX_BYTES / 1e6:g} MB.")])
    try:
        return json.loads(data.decode("utf-8-sig"), parse_constant=_no_constant)
    except UnicodeDecodeError as error:
        raise BadFile([Fault(f"byte {error.start}", "is not UTF-8 text; the file is JSON text.")]) from error
    except json.JSONDecodeError as error:
        where = f"line {error.lineno}, column {error.colno}"
        raise BadFile([Fault(where, f"is not JSON: {error.msg}.")]) from error
    except (RecursionError, ValueError) as error:
        what = "is nested too deep." if isinstance(error, RecursionError) else f"{error}."
        raise BadFile([Fault("the file", what)]) from error


def scene_schema() -> str:
    """The JSON Schema of the scene file, as text."""
    schema = SceneFile.model_json_schema(by_alias=True)
    return json.dumps({"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}, indent=2) + "\n"


def read_fixture(text: str) -> Fixture:
    """Read one fixture as a scene file holds it; ``BadFile`` otherwise."""
    try:
        return fixture_of(FixtureFile.model_validate_json(text))
    except ValidationError as error:
        raise BadFile(shape_faults(error.errors())) from error


def fixture_of(file: FixtureFile) -> Fixture:
    """The core's fixture; ``BadFile`` says what it objects to."""
    build = _Build()
    fixture = _fixture(build, "", file)
    build.finish()
    assert fixture is not None
    return fixture


def _no_constant(name: str) -> NoReturn:
    raise ValueError(f"{name} is not a number that JSON allows")


class _Build:
    """Builds core objects and gathers what the core objects to, named as in the file."""

    FILE_NAMES = {
        "fwhm": "fwhm_deg",
        "turn": "turn_deg",
        "roll": "roll_deg",
        "pitch": "pitch_deg",
        "output": "output_percent",
        "condition": "condition_percent",
        "cover": "cover_percent",
        "attenuation": "attenuation_per_m",
        "index": "refractive_index",
        "temperature": "temperature_c",
        "salinity": "salinity_psu",
        "yellowing": "yellowing_per_m",
        "ripple": "ripple_slope",
        "share": "share_percent",
        "levels": "channels",
        "factor": "return",
        "hours": "hours_per_day",
        "price": "price_per_kwh",
        "weight": "weight_kg",
        "low": "par_low",
        "high": "par_high",
        "breaker": "breaker_a",
        "end": "strong_end_cm",
        "others": "other_watts",
        "x1": "length_cm",
        "y1": "width_cm",
    }

    def __init__(self) -> None:
        self.faults: list[Fault] = []

    def __call__(self, where: str, make: Callable[..., T], *args: Any, **values: Any) -> T | None:
        try:
            return make(*args, **values)
        except InvalidInput as error:
            self.faults += [self._fault(where, e) for e in error.errors]
            return None

    def _fault(self, where: str, error: FieldError) -> Fault:
        *parents, leaf = error.field.split(".")
        if leaf in self.FILE_NAMES:
            leaf = self.FILE_NAMES[leaf]
        elif error.quantity == "length":
            leaf += "_cm"
        return Fault(path_of([*(where.split(".") if where else []), *parents, leaf]), Measure("cm").message(error))

    def finish(self) -> None:
        if self.faults:
            raise BadFile(self.faults)


def _to_core(file: SceneFile) -> Scene:
    build = _Build()
    build.faults += _crowds(file)
    build.finish()
    t = file.tank
    panes = {
        side: build(f"tank.panes.{side}", Pane, (p := getattr(t.panes, side)).kind, p.factor) or Pane()
        for side in SIDES
    }
    braces = [
        build(
            f"tank.braces.{i}",
            Brace,
            x0=b.x_cm * CM,
            x1=(b.x_cm + b.length_cm) * CM,
            y0=b.y_cm * CM,
            y1=(b.y_cm + b.width_cm) * CM,
            height=None if b.height_cm is None else b.height_cm * CM,
        )
        for i, b in enumerate(t.braces)
    ]
    rocks = [build(f"tank.rocks.{i}", _rock, r) for i, r in enumerate(t.rocks)]
    tank = build(
        "tank",
        Tank,
        length=t.length_cm * CM,
        width=t.width_cm * CM,
        water_depth=t.water_depth_cm * CM,
        rim_height=t.rim_height_cm * CM,
        rim_inset=t.rim_inset_cm * CM,
        room_height=t.room_height_cm * CM,
        sand=t.sand_cm * CM,
        sand_flow=t.sand_flow,
        cover=t.cover_percent / 100,
        sand_albedo=t.sand_albedo,
        rock_albedo=t.rock_albedo,
        water=_water(build, t) or Water(),
        colony_shade=t.coral_shade,
        braces=tuple(b for b in braces if b),
        rocks=tuple(r for r in rocks if r),
        **panes,
    )
    targets = build("targets", LightTargets, **file.targets.model_dump())
    running = build(
        "running",
        Running,
        hours=file.running.hours_per_day,
        price=file.running.price_per_kwh,
        currency=file.running.currency,
    )
    setups = [
        Setup(
            s.name,
            tuple(f for j, row in enumerate(s.fixtures) if (f := _fixture(build, f"setups.{i}.fixtures.{j}", row))),
            s.in_use,
            build(f"setups.{i}.meant_for", _intent, s.meant_for) or Intent(),
        )
        for i, s in enumerate(file.setups)
    ]
    if len(setups) > 1 and all(s.in_use for s in setups):
        # "in_use" left out everywhere: the first is the one in use
        setups = [replace(s, in_use=i == 0) for i, s in enumerate(setups)]
    corals = [_coral(build, f"corals.{i}", row) for i, row in enumerate(file.corals)]
    wanted = [build(f"wanted.{i}", _wanted, row) for i, row in enumerate(file.wanted)]
    site = build("site", _site, file.site)
    build.finish()
    scene = build(
        "",
        Scene,
        name=t.name,
        tank=tank,
        targets=targets,
        running=running,
        setups=tuple(setups),
        corals=tuple(c for c in corals if c),
        wanted=tuple(zone for zone in wanted if zone),
        site=site,
    )
    build.finish()
    assert scene is not None
    return scene


def _crowds(file: SceneFile) -> list[Fault]:
    """What there is far too many of. A file may hold more than the pages let a keeper add: older versions did."""
    counts = {"setups": len(file.setups), "tank.rocks": len(file.tank.rocks), "tank.braces": len(file.tank.braces)}
    counts |= {"corals": len(file.corals), "wanted": len(file.wanted)}
    counts |= {f"setups[{i}].fixtures": len(setup.fixtures) for i, setup in enumerate(file.setups)}
    most = {where: FILE_ROOM * MOST[where.rpartition(".")[2]] for where in counts}
    return [Fault(w, f"has {n} entries, at most {most[w]} are read") for w, n in counts.items() if n > most[w]]


def _water(build: _Build, t: TankFile) -> Water | None:
    if w := t.water:
        return build(
            "tank.water",
            Water,
            kind=w.kind,
            temperature=w.temperature_c,
            salinity=w.salinity_psu,
            yellowing=w.yellowing_per_m,
            attenuation=w.attenuation_per_m,
            index=w.refractive_index,
            ripple=w.ripple_slope,
        )
    plain = {"attenuation": t.attenuation_per_m, "index": t.refractive_index}
    given = {name: value for name, value in plain.items() if value is not None}
    return build("tank", Water, kind="plain" if given else "sea", **given)


def _rock(r: RockFile) -> Rock:
    return Rock(
        x=r.x_cm * CM,
        y=r.y_cm * CM,
        base=r.base_cm * CM,
        length=r.length_cm * CM,
        width=r.width_cm * CM,
        height=r.height_cm * CM,
        name=r.name,
        flow=r.flow,
        form=r.form,
    )


def _wanted(w: WantedFile) -> WantedZone:
    x, y, length, width = (value * CM for value in (w.x_cm, w.y_cm, w.length_cm, w.width_cm))
    return WantedZone(w.name, x, y, length, width, w.top_cm * CM, w.bottom_cm * CM, w.par_low, w.par_high)


def _intent(f: IntentFile) -> Intent:
    return Intent(f.purpose, f.par_low, f.par_high, f.strong_end_cm * CM)


def _site(s: SiteFile) -> Site:
    lengths = (length * CM for length in (s.lead_cm, s.stand_cm, s.eye_cm, s.away_cm, s.gap_cm))
    return Site(s.volts, s.breaker_a, s.other_watts, *lengths)


def _lobe(build: _Build, where: str, f: LobeFile | None) -> Lobe | None:
    if f is None:
        return None
    if f.rings:
        return build(where, RingLobe, tuple((ring.share, ring.fwhm_deg * DEGREE) for ring in f.rings))
    theta, phi = (tuple(angle * DEGREE for angle in angles) for angles in (f.theta_deg, f.phi_deg))
    return build(where, TableLobe, theta, phi, tuple(tuple(row) for row in f.values))


def _channels(build: _Build, where: str, rows: list[ChannelFile]) -> tuple[Channel, ...]:
    found = []
    for i, row in enumerate(rows):
        at = f"{where}.channels.{i}".lstrip(".")
        spectrum = _spectrum(build, f"{at}.spectrum", row.spectrum)
        channel = build(at, Channel, name=row.name, share=row.share_percent / 100, spectrum=spectrum)
        found += [channel] if channel else []
    return tuple(found) or ONE_CHANNEL


def _spectrum(build: _Build, where: str, f: SpectrumFile | None) -> Spectrum | None:
    if f is None:
        return None
    if f.bands:
        return build(where, BandSpectrum, tuple((band.share, band.peak_nm, band.width_nm) for band in f.bands))
    return build(where, TableSpectrum, tuple(f.wavelength_nm), tuple(f.power))


def _fixture(build: _Build, where: str, f: FixtureFile) -> Fixture | None:
    emitter = build(
        where,
        Emitter,
        kind=f.kind,
        ppf=f.ppf,
        fwhm=f.fwhm_deg * DEGREE,
        length=f.length_cm * CM,
        width=f.width_cm * CM,
        x=f.x_cm * CM,
        y=f.y_cm * CM,
        height=f.height_cm * CM,
        turn=f.turn_deg * DEGREE,
        roll=f.roll_deg * DEGREE,
        pitch=f.pitch_deg * DEGREE,
        lobe=_lobe(build, f"{where}.lobe".lstrip("."), f.lobe),
        channels=_channels(build, where, f.channels),
    )
    if emitter is None:
        return None
    levels = tuple(row.level_percent / 100 for row in f.channels)
    output = f.output_percent / 100
    values: dict[str, Any] = {
        "output": output,
        "watts": f.watts,
        "dimmable": f.dimmable,
        "condition": f.condition_percent / 100,
        "levels": levels if any(level != 1.0 for level in levels) else (),
        "weight": f.weight_kg,
        "wear": tuple(f.wear.items()),
    }
    return build(where, Fixture, emitter=emitter, name=f.name, frame=f.frame, **values)


def _coral(build: _Build, where: str, c: CoralFile) -> Coral | None:
    values = c.model_dump(exclude={"place", "reach_cm", "size_cm"})
    card = build(where, CoralCard, **values, reach=c.reach_cm * CM, size=c.size_cm * CM)
    place = (c.place.x_cm * CM, c.place.y_cm * CM, c.place.depth_cm * CM) if c.place else None
    return Coral(card, place) if card else None
