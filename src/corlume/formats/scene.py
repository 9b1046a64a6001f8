"""Read and write the scene file; what the core objects to comes back under the file's own field names."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, NoReturn, TypeVar

from pydantic import ValidationError

from corlume.core.coral import CoralCard
from corlume.core.emitter import Emitter
from corlume.core.errors import FieldError, InvalidInput
from corlume.core.geometry import SIDES, Brace, Pane, Rock, Tank
from corlume.core.lobe import Lobe, RingLobe, TableLobe
from corlume.core.scene import Coral, Fixture, Running, Scene, Setup
from corlume.core.targets import LightTargets
from corlume.core.units import CM, DEGREE
from corlume.formats.measure import Measure
from corlume.formats.scene_file import (
    BraceFile,
    CoralFile,
    FixtureFile,
    LobeFile,
    PaneFile,
    PanesFile,
    PlaceFile,
    RingFile,
    RockFile,
    RunningFile,
    SceneFile,
    SetupFile,
    TankFile,
    TargetsFile,
)

MAX_BYTES = 2_000_000
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing wrong in a file: where and what."""

    where: str
    what: str

    def __str__(self) -> str:
        return f"{self.where}: {self.what}" if self.where else self.what


class BadFile(ValueError):
    """Raised for a file that cannot be read, with every fault found."""

    def __init__(self, faults: list[Fault]) -> None:
        self.faults = faults
        super().__init__("\n".join(str(fault) for fault in faults))


def read_scene(data: bytes) -> Scene:
    """Read a scene file; ``BadFile`` says where it is wrong, by line and column or by field."""
    if len(data) > MAX_BYTES:
        raise BadFile([Fault("", f"The file is too big: {len(data) / 1e6:.1f} MB, at most {MAX_BYTES / 1e6:g} MB.")])
    try:
        raw = json.loads(data.decode("utf-8-sig"), parse_constant=_no_constant)
    except UnicodeDecodeError as error:
        raise BadFile([Fault(f"byte {error.start}", "is not UTF-8 text; a scene file is JSON text.")]) from error
    except json.JSONDecodeError as error:
        where = f"line {error.lineno}, column {error.colno}"
        raise BadFile([Fault(where, f"is not JSON: {error.msg}.")]) from error
    except (RecursionError, ValueError) as error:
        what = "is nested too deep." if isinstance(error, RecursionError) else f"{error}."
        raise BadFile([Fault("the file", what)]) from error
    try:
        return _to_core(SceneFile.model_validate(raw))
    except ValidationError as error:
        raise BadFile(
            [Fault(_path(e["loc"]), _shape_message(e["msg"], e["input"])) for e in error.errors()[:20]]
        ) from error


def write_scene(scene: Scene) -> str:
    """Write a scene as JSON text, indented, ready for a file."""
    return json.dumps(_to_file(scene).model_dump(by_alias=True), indent=2, ensure_ascii=False) + "\n"


def scene_schema() -> str:
    """The JSON Schema of the scene file, as text."""
    schema = SceneFile.model_json_schema(by_alias=True)
    return json.dumps({"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}, indent=2) + "\n"


def _no_constant(name: str) -> NoReturn:
    raise ValueError(f"{name} is not a number that JSON allows")


def _shape_message(text: str, found: object) -> str:
    text = text[0].lower() + text[1:]
    return f"{text}, found {json.dumps(found, default=str)[:40]}" if not isinstance(found, dict | list) else text


def _path(parts: tuple[int | str, ...] | list[str]) -> str:
    text = ""
    for part in parts:
        text += f"[{part}]" if str(part).isdigit() else f".{part}" if text else str(part)
    return text


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
        "factor": "return",
        "hours": "hours_per_day",
        "price": "price_per_kwh",
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
        return Fault(_path([*(where.split(".") if where else []), *parents, leaf]), Measure("cm").message(error))

    def finish(self) -> None:
        if self.faults:
            raise BadFile(self.faults)


def _to_core(file: SceneFile) -> Scene:
    build = _Build()
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
        attenuation=t.attenuation_per_m,
        index=t.refractive_index,
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
        )
        for i, s in enumerate(file.setups)
    ]
    if len(setups) > 1 and all(s.in_use for s in setups):
        # "in_use" left out everywhere: the first is the one in use
        setups = [Setup(s.name, s.fixtures, i == 0) for i, s in enumerate(setups)]
    corals = [_coral(build, f"corals.{i}", row) for i, row in enumerate(file.corals)]
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
    )
    build.finish()
    assert scene is not None
    return scene


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
    )


def _lobe(build: _Build, where: str, f: LobeFile | None) -> Lobe | None:
    if f is None:
        return None
    if f.rings:
        return build(where, RingLobe, tuple((ring.share, ring.fwhm_deg * DEGREE) for ring in f.rings))
    theta, phi = (tuple(angle * DEGREE for angle in angles) for angles in (f.theta_deg, f.phi_deg))
    return build(where, TableLobe, theta, phi, tuple(tuple(row) for row in f.values))


def _lobe_file(lobe: Lobe | None) -> LobeFile | None:
    match lobe:
        case RingLobe():
            return LobeFile(rings=[RingFile(share=s, fwhm_deg=round(w / DEGREE, 4)) for s, w in lobe.parts])
        case TableLobe():
            theta, phi = ([round(angle / DEGREE, 4) for angle in angles] for angles in (lobe.theta, lobe.phi))
            return LobeFile(theta_deg=theta, phi_deg=phi, values=[list(row) for row in lobe.values])
    return None


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
        lobe=_lobe(build, f"{where}.lobe", f.lobe),
    )
    if emitter is None:
        return None
    output = f.output_percent / 100
    values: dict[str, Any] = {
        "output": output,
        "watts": f.watts,
        "dimmable": f.dimmable,
        "condition": f.condition_percent / 100,
    }
    return build(where, Fixture, emitter=emitter, name=f.name, frame=f.frame, **values)


def _coral(build: _Build, where: str, c: CoralFile) -> Coral | None:
    values = c.model_dump(exclude={"place", "reach_cm", "size_cm"})
    card = build(where, CoralCard, **values, reach=c.reach_cm * CM, size=c.size_cm * CM)
    place = (c.place.x_cm * CM, c.place.y_cm * CM, c.place.depth_cm * CM) if c.place else None
    return Coral(card, place) if card else None


def _cm(metres: float) -> float:
    return round(metres / CM, 4)


def _to_file(scene: Scene) -> SceneFile:
    tank = scene.tank
    t, r = scene.targets, scene.running
    return SceneFile(
        format="corlume-scene",
        version=1,
        tank=TankFile(
            name=scene.name,
            length_cm=_cm(tank.length),
            width_cm=_cm(tank.width),
            water_depth_cm=_cm(tank.water_depth),
            rim_height_cm=_cm(tank.rim_height),
            rim_inset_cm=_cm(tank.rim_inset),
            room_height_cm=_cm(tank.room_height),
            sand_cm=_cm(tank.sand),
            sand_flow=tank.sand_flow,
            cover_percent=round(100 * tank.cover, 4),
            sand_albedo=tank.sand_albedo,
            rock_albedo=tank.rock_albedo,
            attenuation_per_m=tank.attenuation,
            refractive_index=tank.index,
            panes=PanesFile(
                **{
                    side: PaneFile(kind=pane.kind, factor=pane.factor)
                    for side, pane in zip(SIDES, tank.panes(), strict=True)
                }
            ),
            braces=[
                BraceFile(x_cm=_cm(b.x0), y_cm=_cm(b.y0), length_cm=_cm(b.x1 - b.x0), width_cm=_cm(b.y1 - b.y0))
                for b in tank.braces
            ],
            rocks=[
                RockFile(
                    name=k.name,
                    x_cm=_cm(k.x),
                    y_cm=_cm(k.y),
                    base_cm=_cm(k.base),
                    length_cm=_cm(k.length),
                    width_cm=_cm(k.width),
                    height_cm=_cm(k.height),
                    flow=k.flow,
                )
                for k in tank.rocks
            ],
        ),
        targets=TargetsFile(
            lps_low=t.lps_low,
            lps_high=t.lps_high,
            sps_low=t.sps_low,
            sps_high=t.sps_high,
            ceiling=t.ceiling,
            goal=t.goal,
            school=t.school,
        ),
        running=RunningFile(hours_per_day=r.hours, price_per_kwh=r.price, currency=r.currency),
        setups=[
            SetupFile(name=s.name, in_use=s.in_use, fixtures=[_fixture_file(f) for f in s.fixtures])
            for s in scene.setups
        ],
        corals=[_coral_file(c) for c in scene.corals],
    )


def _fixture_file(f: Fixture) -> FixtureFile:
    e = f.emitter
    return FixtureFile(
        name=f.name,
        kind=e.kind,
        ppf=e.ppf,
        fwhm_deg=round(e.fwhm / DEGREE, 4),
        length_cm=_cm(e.length),
        width_cm=_cm(e.width),
        x_cm=_cm(e.x),
        y_cm=_cm(e.y),
        height_cm=_cm(e.height),
        turn_deg=round(e.turn / DEGREE, 4),
        roll_deg=round(e.roll / DEGREE, 4),
        pitch_deg=round(e.pitch / DEGREE, 4),
        lobe=_lobe_file(e.lobe),
        frame=f.frame,
        output_percent=round(100 * f.output, 4),
        condition_percent=round(100 * f.condition, 4),
        watts=f.watts,
        dimmable=f.dimmable,
    )


def _coral_file(coral: Coral) -> CoralFile:
    c = coral.card
    place = coral.place and PlaceFile(x_cm=_cm(coral.place[0]), y_cm=_cm(coral.place[1]), depth_cm=_cm(coral.place[2]))
    return CoralFile(
        name=c.name,
        group=c.group,
        par_low=c.par_low,
        par_high=c.par_high,
        flow=c.flow,
        aggression=c.aggression,
        reach_cm=_cm(c.reach),
        size_cm=_cm(c.size),
        note=c.note,
        place=place,
    )
