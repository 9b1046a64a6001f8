"""Presets: the nearest spectrum by scipy, ratios kept, PAR reached, and texts to paste."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest
from fastapi.testclient import TestClient
from scipy.optimize import lsq_linear

from corlume.core.errors import InvalidInput
from corlume.core.light.emitter import Channel, Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.light.spectrum import BandSpectrum
from corlume.core.schedule.presets import (
    GENERIC,
    apply_preset,
    colour_miss,
    nearest,
    preset_beside,
    preset_of,
    preset_of_light,
    reach_par,
)
from corlume.formats.measure import Measure
from corlume.formats.preset_file import from_code, read_presets, to_code, write_presets
from corlume.services.keeping import tanks
from corlume.services.light.fields import par_at
from corlume.services.light.points import WaterPoint
from corlume.services.placement.zone_placement import coral_light
from corlume.services.schedule import colour
from corlume.services.schedule.par_at_place import outputs_for_par, outputs_that_keep_par
from corlume.store.database import Database

BLUE, WHITE = BandSpectrum(((1.0, 450, 20),)), BandSpectrum(((0.4, 450, 22), (0.6, 560, 120)))
RED = BandSpectrum(((1.0, 640, 20),))
THREE = Emitter(
    "led_cluster", 200.0, 1.4, 0.2, 0.2, 0.5, 0.3, 0.3,
    channels=(Channel("blue", 0.5, BLUE), Channel("white", 0.4, WHITE), Channel("red", 0.1, RED)),
)  # fmt: skip
LAMP = Fixture(THREE, output=0.6, levels=(1.0, 0.5, 0.2))


def test_the_nearest_spectrum_is_that_of_bounded_least_squares() -> None:
    random = np.random.default_rng(2)
    spectra, wanted = random.uniform(0, 1, (4, 31)), random.uniform(0, 1, 31)
    weights, miss = nearest(list(spectra), wanted)
    other = lsq_linear(spectra.T, wanted / wanted.sum(), bounds=(0, np.inf), tol=1e-14)
    assert weights == pytest.approx(other.x, abs=1e-6)
    assert miss == pytest.approx(np.sqrt(2 * other.cost) / np.linalg.norm(wanted / wanted.sum()), abs=1e-6)


@pytest.mark.parametrize("preset", GENERIC, ids=lambda preset: preset.name)
def test_a_preset_keeps_the_photon_flux_as_far_as_full_output_goes(preset: object) -> None:
    applied = apply_preset(preset, LAMP)  # type: ignore[arg-type]
    assert max(applied.fixture.levels) == 1.0
    if applied.fixture.output < 1.0:
        assert applied.fixture.strength == pytest.approx(LAMP.strength)
    assert 0 < applied.miss < 0.8


def test_the_same_channels_take_a_preset_as_it_is() -> None:
    applied = apply_preset(preset_of("Mine", LAMP), replace(LAMP, levels=(0.1, 1.0, 1.0)))
    assert (applied.fixture.levels, applied.miss) == (LAMP.levels, 0.0)
    for bad in (Fixture(THREE, dimmable=False), Fixture(replace(THREE, channels=(Channel("all"),)))):
        with pytest.raises(InvalidInput):
            apply_preset(GENERIC[0], bad)


def test_scaling_keeps_the_shares_of_the_spectrum() -> None:
    scaled = reach_par(LAMP, 1.37)
    shares = [np.array(f.strengths) / sum(f.strengths) for f in (LAMP, scaled)]
    assert shares[1] == pytest.approx(shares[0], abs=1e-9)
    with pytest.raises(InvalidInput) as refused:
        reach_par(replace(LAMP, name="{low} {value}"), 2.0)
    # a keeper's name is no format
    told = Measure("cm").message(refused.value.errors[0])
    assert told == "is more than full output gives: {low} {value} would have to be at 120 %"


def test_presets_come_back_from_a_text_and_a_file_and_broken_ones_are_told() -> None:
    mine = preset_of('Ren\u00e9s "blue" / 2', LAMP)
    code = to_code(mine)
    assert from_code(f"  {code[:40]}\n {code[40:]} ") == mine
    assert read_presets(write_presets([mine, *GENERIC]).encode()) == [mine, *GENERIC]
    for bad in (code[:-12], code.replace(code[30:34], "AAAA"), code[3:], "", "CORLUME1-", "CORLUME1-????-00000000"):
        with pytest.raises(InvalidInput) as refused:
            from_code(bad)
        assert refused.value.errors[0].field == "code"
    rows = json.loads(write_presets([mine]))
    rows["presets"][0]["levels"] = "100/50"
    with pytest.raises(ValueError, match=r"presets\[0\].levels: must be a number for each channel"):
        read_presets(json.dumps(rows).encode())


def test_par_at_a_coral_is_met_and_its_effect_shown_before(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    coral_id, now = next(iter(coral_light(stored, stored.setup().hung).items()))
    text = client.get(f"/tanks/1/day/presets?par={0.8 * now:.1f}&coral={coral_id}").text
    assert "placed corals" in text or "of the 14 placed" in text
    assert tanks.open_tank(db, 1).setup() == stored.setup()
    sent = {"par": f"{0.8 * now:.1f}", "coral": str(coral_id)}
    assert client.post("/tanks/1/day/presets/apply", data=sent).status_code == 303
    after = tanks.open_tank(db, 1)
    assert coral_light(after, after.setup().hung)[coral_id] == pytest.approx(0.8 * now, rel=0.005)
    assert "more than full output" in client.get(f"/tanks/1/day/presets?par=2500&coral={coral_id}").text
    assert client.post("/tanks/1/day/presets/keep", data={"code": "nonsense"}).status_code == 422
    colour.keep_colour(db, 1, after.setup().id, after.setup().fixtures[0].id, "Mine")
    assert "CORLUME1-" in client.get("/tanks/1/day/presets").text


def test_channels_past_a_hundred_are_halved_exactly_and_held_under_their_power() -> None:
    """Common practice, no source: violet 110, blues 120, white 60, green and red 10, under a limit of all watts."""
    five = replace(THREE, channels=tuple(Channel(f"c{k}", 0.2, BLUE) for k in range(5)))
    growth = (1.1, 1.2, 0.6, 0.1, 0.1)
    lamp = Fixture(five, levels=growth, max_levels="120/120/100/100/100", watts=100.0, most_watts=65.0)
    assert lamp.power == pytest.approx(62.0)
    assert reach_par(lamp, 0.5).strengths == (0.55, 0.6, 0.3, 0.05, 0.05)
    for changes, field in (
        ({"levels": (1.3, 1.2, 0.6, 0.1, 0.1)}, "levels"),
        ({"levels": (1.1, 1.2, 1.05, 0.1, 0.1)}, "levels"),
        ({"levels": (1.2, 1.2, 1.0, 0.1, 0.1)}, "levels"),
        ({"max_levels": "120/120"}, "max_levels"),
        ({"max_levels": "120/x/100/100/100"}, "max_levels"),
    ):
        with pytest.raises(InvalidInput) as refused:
            replace(lamp, **changes)  # type: ignore[arg-type]
        assert {error.field for error in refused.value.errors} >= {field}


def test_the_same_light_has_no_miss_of_colour_and_another_has_one() -> None:
    assert colour_miss([LAMP], [replace(LAMP, output=0.2), LAMP]) == pytest.approx(0.0, abs=1e-12)
    bluer = colour_miss([LAMP], [replace(LAMP, levels=(1.0, 0.1, 0.0))])
    assert bluer is not None
    assert 0.05 < bluer < 1.0
    assert colour_miss([LAMP], [replace(LAMP, output=0.0)]) is None


def test_par_at_the_probe_is_reached_with_ratios_kept_and_stays_while_colour_changes(
    client: TestClient, db: Database
) -> None:
    stored, place = tanks.open_tank(db, 1), {"x": 0.9, "y": 0.3, "depth": 0.12}
    fixtures, point = stored.setup().fixtures, np.array([list(place.values())])

    def par(outputs: dict[int, float], **changes: object) -> float:
        hung = [replace(k.value, output=outputs.get(k.id, k.value.output), **changes) for k in fixtures]  # type: ignore[arg-type]
        return float(par_at(stored.lit_tank(), hung, point)[0])

    now = par({})
    outputs = outputs_for_par(stored, stored.setup(), WaterPoint(**place), 1.15 * now)
    assert par(outputs) == pytest.approx(1.15 * now, rel=0.005)
    assert len({round(outputs[k.id] / k.value.output, 6) for k in fixtures}) == 1
    one = outputs_for_par(stored, stored.setup(), WaterPoint(**place), 0.8 * now, [fixtures[1].id])
    assert set(one) == {fixtures[1].id}
    assert par(one) == pytest.approx(0.8 * now, rel=0.005)
    bluer = dict.fromkeys((k.id for k in fixtures), (1.0, 1.0, 0.4, 0.2, 0.1))
    steady = outputs_that_keep_par(stored, stored.setup(), WaterPoint(**place), bluer)
    assert par(steady, levels=(1.0, 1.0, 0.4, 0.2, 0.1)) == pytest.approx(now, rel=0.005)
    with pytest.raises(InvalidInput, match="lower it first"):
        outputs_that_keep_par(stored, stored.setup(), WaterPoint(**place), {fixtures[0].id: (0.1, 0.1, 0.1, 0.1, 0.1)})
    sent = {"probe": place, "par_wanted": f"{1.15 * now:.2f}"}
    assert client.post("/tanks/1/setups/1/fixtures", json=sent).status_code == 200
    assert tanks.open_tank(db, 1).setup().hung[0].output == pytest.approx(outputs[fixtures[0].id], abs=1e-3)
    for text, words in (("9000", "from 1 to 3000"), ("2000", "more than full output"), ("much", "par")):
        answer = client.post("/tanks/1/setups/1/fixtures", json=sent | {"par_wanted": text})
        assert (answer.status_code, words in answer.text) == (422, True)


def test_the_old_light_is_matched_in_colour_by_what_can_be_mixed(db: Database) -> None:
    tube = Fixture(replace(THREE, ppf=60.0, channels=(Channel("all", 1.0, WHITE),)), dimmable=False)
    old = [replace(LAMP, levels=(0.7, 1.0, 0.1), output=1.0)]
    new = [replace(LAMP, levels=(0.0, 1.0, 1.0), output=0.9), tube]
    preset = preset_beside(preset_of_light("Old", old), new[:1], new[1:])
    matched = [apply_preset(preset, new[0]).fixture, tube]
    assert colour_miss(old, matched) == pytest.approx(0.0, abs=0.02)
    stored = tanks.open_tank(db, 1)
    tried = colour.try_preset(stored, stored.setup(2), "s1", "", keep_flux=True)
    assert "off the colour of LED only" in tried.words[0]


def test_colours_of_all_fixtures_go_out_in_one_file_and_back_to_those_of_their_names(
    client: TestClient, db: Database
) -> None:
    before = tanks.open_tank(db, 1).setup().hung
    file = client.get("/tanks/1/day/presets/colours.json").content
    assert len(read_presets(client.get("/tanks/1/day/presets/colours.json?fixture=1").content)) == 1
    colour.apply(db, 1, 1, colour.try_preset(tanks.open_tank(db, 1), tanks.open_tank(db, 1).setup(), "g1", "",
                                             keep_flux=True), "apply")  # fmt: skip
    assert client.post("/tanks/1/day/presets/import", files={"file": ("c.json", file)}).status_code == 303
    assert client.post("/tanks/1/day/presets/apply", data={"preset": "names"}).status_code == 303
    after = tanks.open_tank(db, 1).setup().hung
    assert [f.mix for f in after] == [f.mix for f in before]
    assert [f.output for f in after] == pytest.approx([f.output for f in before])
