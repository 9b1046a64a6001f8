"""Write a scene as a scene file."""

from __future__ import annotations

import json
from typing import Any

from corlume.core.geometry import SIDES
from corlume.core.judgement.intent import Intent
from corlume.core.judgement.wanted import WantedZone
from corlume.core.optics.emitter import ONE_CHANNEL
from corlume.core.optics.lobe import Lobe, RingLobe, TableLobe
from corlume.core.optics.spectrum import BandSpectrum, Spectrum, TableSpectrum
from corlume.core.scene import Coral, Fixture, Scene
from corlume.core.site import Site
from corlume.core.units import CM, DEGREE
from corlume.formats.scene_file import (
    BandFile,
    BraceFile,
    ChannelFile,
    CoralFile,
    FixtureFile,
    IntentFile,
    LobeFile,
    PaneFile,
    PanesFile,
    PlaceFile,
    RingFile,
    RockFile,
    RunningFile,
    SceneFile,
    SetupFile,
    SiteFile,
    SpectrumFile,
    TankFile,
    TargetsFile,
    WantedFile,
    WaterFile,
)


def write_scene(scene: Scene) -> str:
    """Write a scene as JSON text, indented, ready for a file."""
    return json.dumps(_to_file(scene).model_dump(by_alias=True), indent=2, ensure_ascii=False) + "\n"


def _cm(metres: float) -> float:
    return round(metres / CM, 4)


def fixture_data(fixture: Fixture) -> dict[str, Any]:
    """One fixture as plain data, as a scene file holds it."""
    return _fixture_file(fixture).model_dump(by_alias=True)


def write_fixture(fixture: Fixture) -> str:
    """Write one fixture as a scene file holds it."""
    return _fixture_file(fixture).model_dump_json(by_alias=True)


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
            water=WaterFile(
                kind=tank.water.kind,
                temperature_c=tank.water.temperature,
                salinity_psu=tank.water.salinity,
                yellowing_per_m=tank.water.yellowing,
                attenuation_per_m=tank.water.attenuation,
                refractive_index=tank.water.index,
                ripple_slope=tank.water.ripple,
            ),
            coral_shade=tank.colony_shade,
            panes=PanesFile(
                **{
                    side: PaneFile(kind=pane.kind, factor=pane.factor)
                    for side, pane in zip(SIDES, tank.panes(), strict=True)
                }
            ),
            braces=[
                BraceFile(
                    x_cm=_cm(b.x0),
                    y_cm=_cm(b.y0),
                    length_cm=_cm(b.x1 - b.x0),
                    width_cm=_cm(b.y1 - b.y0),
                    height_cm=None if b.height is None else _cm(b.height),
                )
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
                    form=k.form,
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
            SetupFile(
                name=s.name,
                in_use=s.in_use,
                meant_for=_intent_file(s.intent),
                fixtures=[_fixture_file(f) for f in s.fixtures],
            )
            for s in scene.setups
        ],
        corals=[_coral_file(c) for c in scene.corals],
        wanted=[_wanted_file(zone) for zone in scene.wanted],
        site=_site_file(scene.site),
    )


def _intent_file(intent: Intent) -> IntentFile:
    return IntentFile(purpose=intent.purpose, par_low=intent.low, par_high=intent.high, strong_end_cm=_cm(intent.end))


def _wanted_file(z: WantedZone) -> WantedFile:
    return WantedFile(
        name=z.name,
        x_cm=_cm(z.x),
        y_cm=_cm(z.y),
        length_cm=_cm(z.length),
        width_cm=_cm(z.width),
        top_cm=_cm(z.top),
        bottom_cm=_cm(z.bottom),
        par_low=z.low,
        par_high=z.high,
    )


def _site_file(s: Site) -> SiteFile:
    return SiteFile(
        volts=s.volts,
        breaker_a=s.breaker,
        other_watts=s.others,
        lead_cm=_cm(s.lead),
        stand_cm=_cm(s.stand),
        eye_cm=_cm(s.eye),
        away_cm=_cm(s.away),
        gap_cm=_cm(s.gap),
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
        weight_kg=round(f.weight, 4),
        dimmable=f.dimmable,
        wear=dict(f.wear),
        channels=_channels_file(f),
    )


def _channels_file(f: Fixture) -> list[ChannelFile]:
    if f.emitter.channels == ONE_CHANNEL:
        return []
    return [
        ChannelFile(
            name=c.name,
            share_percent=round(100 * c.share, 6),
            level_percent=round(100 * level, 4),
            spectrum=_spectrum_file(c.spectrum),
        )
        for c, level in zip(f.emitter.channels, f.mix, strict=True)
    ]


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


def _lobe_file(lobe: Lobe | None) -> LobeFile | None:
    match lobe:
        case RingLobe():
            return LobeFile(rings=[RingFile(share=s, fwhm_deg=round(w / DEGREE, 4)) for s, w in lobe.parts])
        case TableLobe():
            theta, phi = ([round(angle / DEGREE, 4) for angle in angles] for angles in (lobe.theta, lobe.phi))
            return LobeFile(theta_deg=theta, phi_deg=phi, values=[list(row) for row in lobe.values])
    return None


def _spectrum_file(spectrum: Spectrum | None) -> SpectrumFile | None:
    match spectrum:
        case BandSpectrum():
            return SpectrumFile(bands=[BandFile(share=s, peak_nm=p, width_nm=w) for s, p, w in spectrum.parts])
        case TableSpectrum():
            return SpectrumFile(wavelength_nm=list(spectrum.wavelengths), power=list(spectrum.values))
    return None
