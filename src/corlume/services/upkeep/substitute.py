"""A substitute setup for a fixture that failed: it is taken down, and the others make up for it at the corals."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from corlume.core.errors import InvalidInput, Rules
from corlume.core.light.fixture import Fixture, overlaps
from corlume.core.message_text import letter
from corlume.core.placement.coral import Coral
from corlume.core.schedule.slow_change import BOUND
from corlume.core.search.layout import Module
from corlume.core.upkeep.substitute_levels import substitute_levels
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.keeping.setups import add_setup, use_setup
from corlume.services.light.points import PlaneSpec, same_tank
from corlume.services.placement.zone_placement import CoralChange, coral_light, coral_places, light_change
from corlume.services.schedule.day_light import channel_light
from corlume.store.database import Database
from corlume.store.tanks import StoredTank


@dataclass(frozen=True, slots=True)
class CoralLight:
    """PAR of a coral now, with the failure alone, and with the substitute [umol/m2/s]."""

    number: int
    coral: Coral
    now: float
    alone: float
    then: float


CHANGED = 0.03
"""Light that changes by less than this share is no change [-]; our estimate."""


@dataclass(frozen=True, slots=True)
class Substitute:
    """The setup in use without one fixture.

    Parameters
    ----------
    name : of the new setup.
    fixtures : that are left, with their new levels.
    levels : letter and name of each as it hangs now, its output now, and then [-].
    dims : whether any of them dims.
    corals, alone : what it does to the corals, and what the failure alone does.
    rows : corals whose light changes, those that lose most first.
    """

    name: str
    fixtures: tuple[Fixture, ...]
    levels: tuple[tuple[str, float, float], ...]
    dims: bool
    corals: CoralChange
    alone: CoralChange
    rows: tuple[CoralLight, ...]


def substitute(stored: StoredTank, failed: int, spare: CatalogueEntry | None = None) -> Substitute:
    """The setup in use without a fixture by its index, the levels of the others solved for the corals; with a ``spare``
    hung in its place where there is one.

    ``InvalidInput`` by the field "fixture" where no such fixture hangs, or none would be left, and by "spare" where the
    spare has no room there.
    """
    used, rules = stored.setup(), Rules()
    hung = used.hung
    rules.that(0 <= failed < len(hung), "fixture", "is not in the setup in use")
    if not rules.errors:
        rules.that(len(hung) > 1 or spare is not None, "fixture", "is the only one: no other can compensate")
    rules.finish()
    rest = tuple(fixture for k, fixture in enumerate(hung) if k != failed)
    left = [f"{letter(k)} {fixture.name}" for k, fixture in enumerate(hung) if k != failed]
    if spare is not None:
        put = _in_place(hung[failed], spare)
        rules.that(not overlaps([*rest, *put]), "spare", "has no room there: it touches the others")
        rules.finish()
        rest, left = (*rest, *put), [*left, *(f"{letter(failed)} {fixture.name}" for fixture in put)]
    now = coral_light(stored, hung)
    dims = any(fixture.dimmable for fixture in rest)
    fixtures = _levelled(stored, rest, now) if dims and now else rest
    alone, then = coral_light(stored, rest), coral_light(stored, fixtures)
    both = {one: (abs(alone[one] - now[one]), abs(then[one] - now[one])) for one in now}
    rows = [
        CoralLight(number, one.value, now[one.id], alone[one.id], then[one.id])
        for number, one in enumerate(stored.corals, 1)
        if one.id in now and max(both[one.id]) > CHANGED * now[one.id]
    ]
    return Substitute(
        name=f"{used.name[:40]}, without {letter(failed)}" + (f", with {spare.name}"[:36] if spare else ""),
        fixtures=fixtures,
        levels=tuple((name, was.output, one.output) for name, was, one in zip(left, rest, fixtures, strict=True)),
        dims=dims,
        corals=light_change(stored, now, then),
        alone=light_change(stored, now, alone),
        rows=tuple(sorted(rows, key=lambda row: row.alone / row.now)),
    )


def _in_place(failed: Fixture, spare: CatalogueEntry) -> tuple[Fixture, ...]:
    """A fixture of the library where another hung, on its mount and in its group; dark until its level is solved."""
    e, parts = failed.emitter, Module.of(spare.parts).at(failed.emitter.x, failed.emitter.y, failed.emitter.height)
    return tuple(
        replace(part, held_by=failed.held_by, group=failed.group, emitter=replace(part.emitter, turn=e.turn))
        for part in parts
    )


def covers(
    stored: StoredTank, failed: int, spares: Sequence[CatalogueEntry]
) -> list[tuple[CatalogueEntry, Substitute]]:
    """Each spare that has room in the place of a failed fixture, the one that keeps most corals in range first."""
    found = []
    for spare in spares:
        try:
            found.append((spare, substitute(stored, failed, spare)))
        except InvalidInput:
            continue
    return sorted(found, key=lambda pair: (len(pair[1].corals.leave), len(pair[1].rows)))


def _levelled(stored: StoredTank, rest: Sequence[Fixture], now: Mapping[int, float]) -> tuple[Fixture, ...]:
    """Fixtures at the levels by which the placed corals lose least, in whole per cents."""
    ids, places = coral_places(stored)
    assert places is not None
    light = channel_light(same_tank(stored.lit_tank()), rest, PlaneSpec("places", places))
    each = np.array([np.array(f.mix) @ mine for f, mine in zip(rest, light, strict=True)])
    free = [k for k, fixture in enumerate(rest) if fixture.dimmable]
    stiff = [k for k in range(len(rest)) if k not in free]
    fixed = np.array([rest[k].output for k in stiff]) @ each[stiff] if stiff else np.zeros(len(ids))
    had = np.maximum([now[coral_id] for coral_id in ids], 1.0)
    low = np.maximum([stored.coral(coral_id).value.card.par_low for coral_id in ids], 1.0)
    levels = substitute_levels(each[free], fixed, had, low, BOUND)
    found = list(rest)
    for k, level in zip(free, levels.tolist(), strict=True):
        found[k] = replace(found[k], output=math.floor(100 * level + 1e-6) / 100)
    return tuple(found)


def save_substitute(
    db: Database, stored: StoredTank, failed: int, *, use: bool, spare: CatalogueEntry | None = None
) -> int:
    """Save the substitute as a setup, and put it to use if asked to; returns its id."""
    found, used = substitute(stored, failed, spare), stored.setup()
    made = add_setup(db, stored.id, replace(used.value, name=found.name, fixtures=found.fixtures, in_use=False))
    if use:
        use_setup(db, stored.id, made)
    return made
