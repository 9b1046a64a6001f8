"""Presets and PAR wanted at a place: tried on the fixtures of a setup with their effect on the corals, and applied."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from corlume.core.errors import Rules
from corlume.core.keeping.scene import Scene
from corlume.core.light.fixture import Fixture
from corlume.core.schedule.presets import (
    GENERIC,
    Preset,
    apply_preset,
    colour_miss,
    preset_beside,
    preset_of,
    preset_of_light,
    reach_par,
)
from corlume.core.schema import check_count
from corlume.services.keeping.hung_fixtures import change_fixtures
from corlume.services.placement.zone_placement import CoralChange, coral_change, coral_light
from corlume.services.schedule.par_at_place import scale_for
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import PRESETS, found
from corlume.store.tanks import StoredSetup, StoredTank, load_tank


@dataclass(frozen=True, slots=True)
class Tried:
    """Fixtures after a change of colour or output, by id, with what misses of a preset and what it does to corals."""

    fixtures: Mapping[int, Fixture]
    misses: Mapping[int, float]
    change: CoralChange
    words: tuple[str, ...]


def presets_of(stored: StoredTank) -> dict[str, Preset]:
    """Presets by their keys: generic ones first, then the keeper's own."""
    generic = {f"g{k}": one for k, one in enumerate(GENERIC)}
    return generic | {str(kept.id): kept.value for kept in stored.presets}


BY_NAME = "names"
"""Key for presets that have the names of fixtures: each fixture takes its own."""


def lights_of(stored: StoredTank, setup: StoredSetup) -> dict[str, str]:
    """Names of the other setups whose light can be matched, by keys for ``try_preset``."""
    return {f"s{one.id}": one.name for one in stored.setups if one.id != setup.id and one.fixtures}


def named_presets(stored: StoredTank, setup: StoredSetup) -> dict[int, Preset]:
    """The keeper's presets that have the names of fixtures of a setup, by the ids of these."""
    own = {kept.value.name: kept.value for kept in stored.presets}
    return {kept.id: own[kept.value.name] for kept in setup.fixtures if kept.value.name in own}


def try_preset(stored: StoredTank, setup: StoredSetup, key: str, group: str, *, keep_flux: bool) -> Tried:
    """Try a preset on the fixtures of a group that have colours, or of all; ``InvalidInput`` where there are none.

    ``key`` is that of a preset, of the light of another setup, see ``lights_of``, or ``BY_NAME``.
    """
    rules, named = Rules(), named_presets(stored, setup)
    mine = [k for k in setup.fixtures if group in ("", k.value.group) and _coloured(k.value)]
    if key == BY_NAME:
        mine = [k for k in mine if k.id in named]
    rules.that(bool(mine), "group", "has no fixture whose channels can be mixed")
    rules.finish()
    model = next((one for one in stored.setups if key in lights_of(stored, setup) and key == f"s{one.id}"), None)
    others = [k.value for k in setup.fixtures if k not in mine]
    words = list[str]()
    if key == BY_NAME:
        wanted = {kept.id: named[kept.id] for kept in mine}
    elif model is not None:
        light = preset_of_light(model.name[:60], model.hung)
        wanted = dict.fromkeys((k.id for k in mine), preset_beside(light, [k.value for k in mine], others))
    else:
        wanted = dict.fromkeys((k.id for k in mine), preset_by(stored, key))
    made = {kept.id: apply_preset(wanted[kept.id], kept.value, keep_flux=keep_flux) for kept in mine}
    if model is not None:
        after = [made[k.id].fixture if k.id in made else k.value for k in setup.fixtures]
        then, now = colour_miss(model.hung, setup.hung), colour_miss(model.hung, after)
        if then is not None and now is not None:
            words.append(
                f"All light together is then {100 * now:.0f} % off the colour of {model.name}; now it is "
                f"{100 * then:.0f} % off."
            )
    for kept in mine:
        one = made[kept.id]
        had, has = kept.value.strength, one.fixture.strength
        if keep_flux and has < 0.995 * had:
            words.append(f"{kept.value.name} gives {100 * has / had:.0f} % of its light at full output.")
    return _tried(
        stored, setup, {k: one.fixture for k, one in made.items()}, {k: a.miss for k, a in made.items()}, words
    )


def try_par(stored: StoredTank, setup: StoredSetup, coral_id: int, par: float, group: str) -> Tried:
    """Scale the fixtures of a group, ratios kept, so that a coral gets a PAR; ``InvalidInput`` where they cannot."""
    rules = Rules()
    mine = [k for k in setup.fixtures if group in ("", k.value.group) and k.value.dimmable and k.value.output > 0]
    rules.that(bool(mine), "group", "has no fixture that dims")
    rules.finish()
    now = coral_light(stored, setup.hung)
    rules.that(coral_id in now, "coral", "is not placed")
    rules.finish()
    ids = {kept.id for kept in mine}
    own = coral_light(stored, [k.value if k.id in ids else _off(k.value) for k in setup.fixtures])[coral_id]
    factor = scale_for(par, own, now[coral_id] - own)
    return _tried(stored, setup, {kept.id: reach_par(kept.value, factor) for kept in mine}, {}, [])


def _off(fixture: Fixture) -> Fixture:
    return replace(fixture, output=0.0)


def _coloured(fixture: Fixture) -> bool:
    return len(fixture.emitter.channels) > 1 and fixture.dimmable


def _tried(
    stored: StoredTank, setup: StoredSetup, made: Mapping[int, Fixture], misses: Mapping[int, float], words: list[str]
) -> Tried:
    after = [made.get(kept.id, kept.value) for kept in setup.fixtures]
    return Tried(made, misses, coral_change(stored, after, setup.hung), tuple(words))


def apply(db: Database, tank_id: int, setup_id: int, tried: Tried, label: str) -> None:
    """Save what was tried, in one step of undo."""
    changes = {k: {"levels": f.levels, "output": f.output} for k, f in tried.fixtures.items()}
    change_fixtures(db, tank_id, setup_id, changes, verb=label)


def keep_preset(db: Database, tank_id: int, preset: Preset) -> int:
    """Save a preset of the keeper's own; returns its id."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        check_count(Scene, "presets", len(stored.presets) + 1)
        return PRESETS.insert(Edit(connection, tank_scope(tank_id), f"save preset {preset.name}"), preset, tank_id)


def keep_colour(db: Database, tank_id: int, setup_id: int, fixture_id: int, name: str) -> int:
    """Save the colour of a fixture as a preset; returns its id."""
    with db.reading() as connection:
        fixture = load_tank(connection, tank_id).setup(setup_id).fixture(fixture_id).value
    return keep_preset(db, tank_id, preset_of(name, fixture))


def delete_preset(db: Database, tank_id: int, preset_id: int) -> None:
    """Delete a preset of the keeper's own."""
    with db.writing() as connection:
        one = found(load_tank(connection, tank_id).presets, preset_id, "preset").value
        PRESETS.delete(Edit(connection, tank_scope(tank_id), f"delete preset {one.name}"), preset_id)


def preset_by(stored: StoredTank, key: str) -> Preset:
    """A preset by its key; ``InvalidInput`` by the field "preset" otherwise."""
    preset, rules = presets_of(stored).get(key), Rules()
    rules.that(preset is not None, "preset", "is none of those offered")
    rules.finish()
    assert preset is not None
    return preset


def name_of(stored: StoredTank, setup: StoredSetup, key: str) -> str:
    """Name of what a key of ``try_preset`` stands for."""
    return "by name" if key == BY_NAME else lights_of(stored, setup).get(key) or preset_by(stored, key).name


def colours_of(setup: StoredSetup, fixture_id: int | None = None) -> list[Preset]:
    """Colours of all fixtures of a setup whose channels can be mixed, or of one, as presets with their names."""
    mine = [setup.fixture(fixture_id)] if fixture_id is not None else setup.fixtures
    return [preset_of(k.value.name[:60], k.value) for k in mine if _coloured(k.value) and any(k.value.mix)]
