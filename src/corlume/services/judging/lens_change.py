"""Effect of other lenses or reflectors on a setup, before they are bought: light, spill, corals, pieces to buy."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from corlume.core.errors import InvalidInput
from corlume.core.judging.figures import Figures
from corlume.core.light.beam_optics import optic_on, optics_for, pieces, spares, with_optic
from corlume.core.light.fixture import Fixture
from corlume.core.light.lens import Lens
from corlume.services.judging.judge import figures
from corlume.services.placement.zone_placement import CoralChange, coral_change
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredSetup, StoredTank


@dataclass(frozen=True, slots=True)
class LensChangeEffect:
    """Effect of another lens or reflector on all fixtures of a sort, by their ids.

    Parameters
    ----------
    now, then : the lens or reflector before and after.
    key : of the one after.
    ids : fixtures of the sort, the one that was asked for first.
    flux : what leaves the fixtures after, as a share of before [-].
    before, after : figures of the setup with all of them changed; None where no light is on.
    pieces, spares : to buy for all of them.
    lenses : whether it is lenses, of which some do not come out again.
    """

    key: str
    now: Lens
    then: Lens
    ids: tuple[int, ...]
    flux: float
    before: Figures | None
    after: Figures | None
    corals: CoralChange | None
    pieces: int
    spares: int
    lenses: bool


def lens_change_effect(stored: StoredTank, setup: StoredSetup, fixture_id: int, key: str) -> LensChangeEffect:
    """Compute the effect of a lens or reflector on a fixture and all of its sort; ``NotFound`` for one that does not
    fit.
    """
    one = setup.fixture(fixture_id).value
    offered = optics_for(one.emitter)
    if key not in offered:
        raise NotFound(f"no lens or reflector {key} for it")
    ids = [fixture_id] + [kept.id for kept in setup.fixtures if kept.id != fixture_id and _alike(kept.value, one)]
    changed = [_changed(kept.value, key) if kept.id in ids else kept.value for kept in setup.fixtures]
    now = offered[optic_on(one.emitter)]
    count = sum(pieces(setup.fixture(i).value.emitter, key, setup.fixture(i).value.watts)[0] for i in ids)
    lenses = one.emitter.made_by.lensed
    return LensChangeEffect(
        key=key,
        now=now,
        then=offered[key],
        ids=tuple(ids),
        flux=offered[key].passes / now.passes,
        before=_figured(stored, setup.hung, setup),
        after=_figured(stored, changed, setup),
        corals=coral_change(stored, changed),
        pieces=count,
        spares=spares(count) if lenses and count and key != "diffuser" else 0,
        lenses=lenses,
    )


def _changed(fixture: Fixture, key: str) -> Fixture:
    return replace(fixture, emitter=with_optic(fixture.emitter, key))


def _alike(fixture: Fixture, other: Fixture) -> bool:
    """Whether two fixtures are of one sort: the same technology, area, power and lens or reflector, whatever their
    names.
    """
    a, b = fixture.emitter, other.emitter
    return (a.technology, a.length, a.width, fixture.watts) == (b.technology, b.length, b.width, other.watts) and (
        optic_on(a) == optic_on(b)
    )


def _figured(stored: StoredTank, fixtures: Sequence[Fixture], setup: StoredSetup) -> Figures | None:
    try:
        return figures(stored, fixtures, setup.intent)
    except InvalidInput:
        return None
