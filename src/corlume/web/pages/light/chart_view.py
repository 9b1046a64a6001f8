"""The parts of the PAR map: what the page shows, and what a change replaces."""

from __future__ import annotations

import datetime
import json
from collections.abc import Collection, Sequence
from dataclasses import asdict
from typing import Any

from corlume.core.judging.ring_means import NAMES
from corlume.core.judging.targets import Band
from corlume.core.light.beam_optics import optic_on, optics_for
from corlume.core.light.efficacy import measured_share_of_maker, usual_efficacy
from corlume.core.light.fixture import FLUX_BASES, Fixture, beside, beyond
from corlume.core.light.geometry import Tank
from corlume.core.light.light_loss import questions
from corlume.core.light.socket import lamp_in
from corlume.core.message_text import letter, letters
from corlume.core.mounting.alignment import ARRANGINGS, LEAST
from corlume.core.mounting.collisions import find_overlaps
from corlume.core.mounting.mounting_checks import splashed
from corlume.core.mounting.tape_measure import Tape
from corlume.core.survey.fixture_estimate import SPREAD
from corlume.core.survey.priors import FLUX
from corlume.formats.measure import Measure
from corlume.formats.round_steps import STEPS
from corlume.reference.catalogue import lamps_for
from corlume.services.judging.judge import judged_points, ring_points, rings, verdicts, verdicts_in_doubt
from corlume.services.keeping.hung_units import HungUnit, collisions, inner_collisions, units_of
from corlume.services.light.fields import Plane, slice_plane, work_out_together
from corlume.services.light.layers import (
    CHANGES,
    DOUBTS,
    FLUCTUATIONS,
    LAYERS,
    OF_SURVEY,
    PARTS,
    SHADES,
    Layer,
    dose_bands,
    dose_plane,
    layer_plane,
    survey_plane,
)
from corlume.services.light.points import PlaneSpec, WaterPoint, same_tank
from corlume.services.light.probe import LightQuality, Readout, light_quality, probe_text, read_probe
from corlume.services.light.uncertainty import Uncertainty, uncertainty_at
from corlume.services.schedule.change_light import on_step
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.drawing.beam_optics import draw_front
from corlume.web.drawing.fixtures import draw_dimensions, draw_fixtures, draw_probe, faces_on
from corlume.web.drawing.light import draw_light
from corlume.web.drawing.sheet import Sheet, View, lay_out
from corlume.web.drawing.survey_points import PointMark, draw_points, reading_on
from corlume.web.drawing.tank import draw_caption, draw_frame, draw_rock
from corlume.web.request.page import along, templates


def sheet_of(stored: StoredTank, setup: StoredSetup, *, narrow: bool) -> Sheet:
    """Sheet of a saved setup, the same for drafts of it, so that nothing jumps during a drag."""
    return lay_out(stored.tank, max((f.value.emitter.height for f in setup.fixtures), default=0.0), narrow=narrow)


def moving_parts(
    stored: StoredTank,
    sheet: Sheet,
    setup: StoredSetup,
    probe: WaterPoint,
    selected: int | None,
    measure: Measure,
    layer: Layer = "par",
    *,
    picked: Collection[int] = (),
    coarse: bool = False,
    minute: float | None = None,
) -> dict[str, str]:
    """Everything that a drag, a dimmer or the probe changes: light, rock, marks, readout, verdicts.

    With a ``minute`` light and readout are those of that time of day by the schedule and a running plan [min]; verdicts
    stay as set.

    In mid-drag the drawings may be ``coarse``: fewer nodes, no lines or labels but the limits of the bands, and nothing
    of what a hand on a fixture does not change.
    """
    tank, targets = same_tank(stored.lit_tank()), stored.targets
    fixtures = setup.hung
    chosen = next((i for i, kept in enumerate(setup.fixtures) if kept.id == selected), None)
    lit = fixtures if minute is None else _lit_at(stored, setup, minute)
    bands = dose_bands(targets) if layer == "dose" else BANDS.get(layer) or targets.bands()
    slices = [PlaneSpec(view.kind, at, coarse) for view, at in zip(sheet.views(), _slices(probe), strict=True)]
    if fixtures:
        points = [PlaneSpec("point", probe), *judged_points(stored, setup.intent)]
        points += [] if coarse else ring_points(tank, STEPS[measure.unit].rings).values()
        work_out_together(tank, fixtures, [*(slices if layer == "par" else []), *points])
    if layer in ("sure", *OF_SURVEY):
        told = same_tank(stored.under(None).lit_tank())
        planes = [
            survey_plane(tank, lit, told, stored.survey, view.kind, at, layer, coarse=coarse)
            for view, at in zip(sheet.views(), _slices(probe), strict=True)
        ]
    elif layer == "dose":
        planes = [
            dose_plane(tank, fixtures, stored.running.day, view.kind, at, coarse=coarse)
            for view, at in zip(sheet.views(), _slices(probe), strict=True)
        ]
    else:
        planes = [
            layer_plane(tank, lit, view.kind, at, layer, chosen, coarse=coarse)
            for view, at in zip(sheet.views(), _slices(probe), strict=True)
        ]
    parts = _drawn(stored, tank, sheet, setup, probe, planes, bands, measure, lit=lit, coarse=coarse)
    if not coarse or _moved(stored, setup):
        parts |= _marked(sheet, setup, probe, selected, picked)
    if not coarse:
        parts["legend"] = templates.get_template("parts/legend.html").render(
            bands=bands, title=_title(layer, chosen), limits=layer not in BANDS
        )
    judge = verdicts if coarse else verdicts_in_doubt
    judged = judge(stored, fixtures, setup.intent) if fixtures else []
    parts["verdicts"] = templates.get_template("judging/verdicts.html").render(verdicts=judged, measure=measure)
    if not coarse:
        parts["rings"] = _rings(stored, setup, measure) if fixtures else ""
        parts["hung"] = _hung_table(setup, measure) if fixtures else ""
    return parts


def _lit_at(stored: StoredTank, setup: StoredSetup, minute: float) -> Sequence[Fixture]:
    """Fixtures as they are lit at a minute of today; while others still hang in their place, by the schedule alone."""
    today = on_step(stored, setup, setup.hung, datetime.date.today())
    return stored.running.day.at(today if len(today) == len(setup.fixtures) else setup.hung, minute)


def _hung_table(setup: StoredSetup, measure: Measure) -> str:
    """Table of the fixtures, for print."""
    return templates.get_template("light/hung.html").render(setup=setup, measure=measure, letter=letter)


def _rings(stored: StoredTank, setup: StoredSetup, measure: Measure) -> str:
    """Ring means, with the band of every reading."""
    table = rings(stored, setup.hung, STEPS[measure.unit].rings)
    return templates.get_template("light/rings.html").render(
        rows=table, names=NAMES, band_at=stored.targets.band_at, measure=measure
    )


def first_parts(
    stored: StoredTank,
    tank: Tank,
    sheet: Sheet,
    setup: StoredSetup,
    probe: WaterPoint,
    selected: int | None,
    measure: Measure,
) -> dict[str, str]:
    """Parts of a first look, coarse, without interreflection and without verdicts."""
    fixtures, bands = setup.hung, stored.targets.bands()
    planes = [
        slice_plane(tank, fixtures, view.kind, at, coarse=True)
        for view, at in zip(sheet.views(), _slices(probe), strict=True)
    ]
    parts = _drawn(stored, tank, sheet, setup, probe, planes, bands, measure, first=True) | _marked(
        sheet, setup, probe, selected
    )
    parts["legend"] = templates.get_template("parts/legend.html").render(bands=bands, title="")
    parts |= {"verdicts": FIRST_LOOK, "rings": "", "hung": _hung_table(setup, measure) if fixtures else ""}
    return parts


BANDS = {
    "share": PARTS, "shadow": SHADES, "soft": PARTS, "fluctuation": FLUCTUATIONS, "sure": DOUBTS, "change": CHANGES,
}  # fmt: skip
"""Bands of the layers that show percentages."""
FIRST_LOOK = (
    '<p class="verdict-empty">First estimate, without light reflected by sand and rock; the full result follows.</p>'
)


def _slices(probe: WaterPoint) -> tuple[float, float, float]:
    """Planes of the plan, front and side view through the probe [m]."""
    return probe.depth, probe.y, probe.x


def _drawn(
    stored: StoredTank,
    tank: Tank,
    sheet: Sheet,
    setup: StoredSetup,
    probe: WaterPoint,
    planes: Sequence[Plane],
    bands: Sequence[Band],
    measure: Measure,
    *,
    lit: Sequence[Fixture] = (),
    coarse: bool = False,
    first: bool = False,
) -> dict[str, str]:
    """Light and rock in the views, dimensions, and the probe's readout; a first look leaves out the uncertainty, which
    needs the whole field.
    """
    parts: dict[str, str] = {}
    fixtures = setup.hung
    for view, at, plane in zip(sheet.views(), _slices(probe), planes, strict=True):
        near = _spots_near(stored, setup, view, at)
        covered = faces_on(view, fixtures) + [reading_on(view, mark) for mark in near]
        parts[f"light-{view.kind}"] = draw_light(view, plane, bands, coarse=coarse, covered=covered)
        if not coarse:
            parts[f"rock-{view.kind}"] = draw_rock(view, tank, at) + draw_caption(view, at, measure)
            parts[f"rock-{view.kind}"] += draw_points(view, near)
    if not coarse or _moved(stored, setup):
        parts["dimensions"] = draw_dimensions(sheet, setup.fixtures, measure)
        parts["notes"] = _notes(stored, setup, measure)
    parts["depth-out"] = measure.length(probe.depth)
    lit = lit or fixtures
    reading = read_probe(tank, lit, stored.targets, stored.running.day, probe)
    quality = None if coarse else light_quality(tank, lit, probe)
    sure = None
    if not (coarse or first):
        told = same_tank(stored.under(None).lit_tank())
        sure = uncertainty_at(told, lit, PlaneSpec("point", probe), stored.survey)
    parts["readout"] = _readout(stored, setup, lit, reading, quality, sure, measure)
    parts["spoken"] = f"{reading.par:.0f} PAR at the probe, {reading.band.name}"
    return parts


def _moved(stored: StoredTank, setup: StoredSetup) -> bool:
    """Whether a fixture of a draft has moved; one that is only dimmed keeps its marks."""
    return [kept.value.emitter for kept in setup.fixtures] != [
        kept.value.emitter for one in stored.setups if one.id == setup.id for kept in one.fixtures
    ]


def _notes(stored: StoredTank, setup: StoredSetup, measure: Measure) -> str:
    """Collisions, and fixtures that hang beside the tank."""
    fixtures = setup.hung
    return templates.get_template("light/notes.html").render(
        collisions=collisions(stored.tank, setup),
        inner=inner_collisions(setup),
        beside=beside(stored.tank, fixtures),
        conflicts=[c for c in find_overlaps(stored.tank, fixtures, stored.surroundings) if len(c.indices) == 1],
        beyond=beyond(stored.tank, fixtures),
        letter=letter,
        letters=letters,
        measure=measure,
    )


def _marked(
    sheet: Sheet, setup: StoredSetup, probe: WaterPoint, selected: int | None, picked: Collection[int] = ()
) -> dict[str, str]:
    return {"marks": draw_probe(sheet, probe) + draw_fixtures(sheet, setup.fixtures, selected, picked)}


def _title(layer: Layer, chosen: int | None) -> str:
    """Title of the legend where its numbers are not plain PAR."""
    if layer == "share" and chosen is not None:
        return f"Share of {letter(chosen)} in the light, %"
    own = {
        "par": "",
        "dose": "Daily light, mol/m\u00b2 a day",
        "scalar": "PAR on a sphere",
        "fluctuation": "Shimmer, %",
    }
    own |= {"sure": "Standard deviation of PAR, %", "told": "PAR predicted, without the survey"}
    own["change"] = "What the survey changes of the predicted PAR"
    own["soft"] = "Light that gets under a plate, %"
    return own.get(layer, f"{LAYERS[layer]} of the light, %")


def _spots_near(stored: StoredTank, setup: StoredSetup, view: View, at: float) -> list[PointMark]:
    """Readings of the survey in use, and observations by eye, in a slice or close to it."""
    axis = {"plan": 2, "front": 1, "side": 0}[view.kind]
    survey, marks = stored.survey, list[PointMark]()
    for i, (spot, par) in enumerate(survey.read() if survey else []):
        marks.append(PointMark(i, i + 1, spot.name, *spot.place, par, par, bool(survey and survey.doubts(i))))
    looks = [spot for name, spot in stored.looks if name == setup.name]
    marks += [PointMark(-i, i, spot.name, *spot.place, None, 0.0, seen=spot.seen) for i, spot in enumerate(looks, 1)]
    return [mark for mark in marks if abs((mark.x, mark.y, mark.depth)[axis] - at) <= NEAR_SLICE]


NEAR_SLICE = 0.04
"""A reading so near to a slice is drawn in it [m]."""


def _readout(
    stored: StoredTank,
    setup: StoredSetup,
    fixtures: Sequence[Fixture],
    reading: Readout,
    quality: LightQuality | None,
    sure: Uncertainty | None,
    measure: Measure,
) -> str:
    """The probe's readout; without ``quality``, in mid-drag, the line of that waits for its figures."""
    shares = [
        (letter(i), fixture.name, part, part / reading.par if reading.par > 0 else 0.0)
        for i, (fixture, part) in enumerate(zip(fixtures, reading.parts, strict=True))
    ]
    shares.sort(key=lambda share: -share[2])
    near = [c.value for c in stored.corals if c.value.place is not None and _close(c.value.place, reading.place)]
    return templates.get_template("light/readout.html").render(
        reading=reading,
        quality=quality,
        shares=shares,
        bands=stored.targets.bands(),
        near=near,
        measure=measure,
        survey=stored.survey,
        sure=sure,
        day=along(f"/tanks/{stored.id}/day?probe={probe_text(reading.place)}", None if setup.in_use else setup.id),
    )


def _close(place: tuple[float, float, float], probe: WaterPoint) -> bool:
    x, y, depth = place
    return (x - probe.x) ** 2 + (y - probe.y) ** 2 + (depth - probe.depth) ** 2 < 0.08**2


def panel(
    stored: StoredTank,
    setup: StoredSetup,
    selected: int | None,
    measure: Measure,
    tape: Tape,
    picked: Collection[int] = (),
    *,
    steady: bool = False,
) -> str:
    """Panel of units with dimmers; fields of the selected fixture, and actions for picked ones.

    ``steady`` says whether PAR at the probe is kept while channels change.
    """
    units = units_of(setup)
    held = [unit for unit in units if unit.id in picked]
    return templates.get_template("light/fixtures.html").render(
        stored=stored,
        setup=setup,
        units=units,
        held=held if len(held) > 1 else (),
        picked=picked,
        alike=_alike(held) if len(held) > 1 else (),
        steady=steady,
        arrangings={key: words for key, words in ARRANGINGS.items() if LEAST.get(key, 1) <= len(held)},
        letters=letters,
        tape=tape,
        selected=selected,
        measure=measure,
        letter=letter,
        questions=questions,
        fronts_for=optics_for,
        front_on=optic_on,
        draw_front=draw_front,
        lamps_for=lamps_for,
        lamp_in=lamp_in,
        usual_efficacy=usual_efficacy,
        found_of_maker=measured_share_of_maker,
        seen=SPREAD,
        bases=FLUX_BASES,
        flux=FLUX,
        splashed=splashed,
    )


def _alike(held: Sequence[HungUnit]) -> list[tuple[int, Fixture]]:
    """Ids and fixtures of held units whose channels can be mixed as one: those with the channels of the first."""
    mixed = [
        (fixture_id, part)
        for unit in held
        for fixture_id, part in zip(unit.ids, unit.parts, strict=True)
        if part.dimmable and len(part.emitter.channels) > 1
    ]
    names = [channel.name for channel in mixed[0][1].emitter.channels] if mixed else []
    return [(k, part) for k, part in mixed if [channel.name for channel in part.emitter.channels] == names]


def frame(stored: StoredTank, sheet: Sheet, measure: Measure) -> dict[str, str]:
    """Frame of the drawing and its box, which stay while fixtures move."""
    return {
        "frame": draw_frame(sheet, stored.tank, measure),
        "viewbox": f"0 0 {sheet.width:.0f} {sheet.height:.0f}",
        "views": json.dumps([asdict(view) for view in sheet.views()]),
    }


def as_json(parts: dict[str, Any]) -> dict[str, str]:
    """Plain strings for an answer."""
    return {key: str(value) for key, value in parts.items()}
