"""What keeps a coral in its target range in the years to come, each change run forward and priced, cheapest first."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.fixture import Fixture
from corlume.core.message_text import escape_slots, letter
from corlume.core.mounting.collisions import find_overlaps
from corlume.core.placement.coral import Coral
from corlume.core.placement.coral_card import CoralCard
from corlume.core.placement.surface_orientation import orientations
from corlume.core.upkeep.wear import Upkeep
from corlume.services.keeping.coral_types import lives_off_food
from corlume.services.placement.better_spot import find_better_spot
from corlume.services.search.costs import five_year_costs, lamp_costs
from corlume.services.upkeep.forecast import CoralForecast, forecast_days
from corlume.services.upkeep.tank_ahead import AHEAD, TankAhead, at_months, growth_steps, wear_over
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
SuggestionKind = Literal["clean", "lamps", "upkeep", "trim", "move", "level", "fixture"]
EFFORT: tuple[SuggestionKind, ...] = ("clean", "trim", "move", "level", "lamps", "upkeep", "fixture")
"""Of suggestions that cost the same, this order: what disturbs the tank least first; ours."""
COARSE = 3
"""Suggestions are run forward by so many months of growth after the first year."""
SHADES = 0.03
"""A coral shades another when it takes so much of its light [-]; ours."""
MOST_SHADERS, MOST_LOOKED_AT = 3, 8
"""So many corals are trimmed at most, of so many that stand nearest above."""
SPARE = 1.03
"""A level is raised by so much more than what is just enough [-]; ours."""
WORTH = 3
"""A suggestion helps that keeps a coral in range for so many months more [months]; ours."""
YEARS = AHEAD / 12


@dataclass(frozen=True, slots=True)
class Suggestion:
    """Something that can be done for a coral.

    Parameters
    ----------
    words : what to do; lengths stand as {name} and come along in ``lengths`` [m].
    cost : over all months looked at [currency]; None where a price is not known.
    until : the month in which the coral leaves its range again, None where it stays in it.
    par : its PAR month by month with it [umol/m2/s].
    harmed : other corals, by number, that are out of range for longer with it.
    helps : whether it keeps the coral in range for longer.
    """

    kind: SuggestionKind
    words: str
    cost: float | None
    until: int | None
    par: Array
    harmed: tuple[tuple[int, Coral], ...]
    helps: bool
    lengths: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class _Case:
    """The coral in trouble: its index among those placed, the month it leaves its range, and whether too weak."""

    stored: StoredTank
    today: datetime.date
    ahead: TankAhead
    one: CoralForecast
    index: int
    month: int
    weak: bool

    @property
    def card(self) -> CoralCard:
        return self.one.coral.card

    @property
    def days(self) -> list[datetime.date]:
        return forecast_days(self.today)


def suggestions(
    stored: StoredTank, today: datetime.date, one: CoralForecast, told: Callable[[float], object] = lambda _: None
) -> tuple[Suggestion, ...]:
    """Suggestions for a coral that leaves its range, those that help and cost least first; none for one that stays.

    What only neglect would bring about is met by cleaning and new lamps when they are due; everything else is computed
    for lamps and parts that are kept up.
    """
    kept, left = one.leaves_kept, one.leaves
    due = kept if kept and kept.likely is not None else left
    if due is None or due.likely is None:
        return ()
    ahead = TankAhead(stored, today)
    case = _Case(stored, today, ahead, one, ahead.ids.index(one.id), due.likely, due.weak)
    found, ways = list[Suggestion](), (_upkeep,) if due is left else (_trim, _move, _level, _fixture)
    for k, way in enumerate(ways):
        told(k / len(ways))
        if way is not _fixture or not any(one.helps and one.kind == "level" for one in found):
            found += way(case)
    return tuple(sorted(found, key=_cheapest))


def _cheapest(one: Suggestion) -> tuple[bool, bool, bool, float, int]:
    """Suggestions that help first, those that harm no other coral before the rest, then by cost and effort."""
    return not one.helps, bool(one.harmed), one.cost is None, max(0.0, one.cost or 0.0), EFFORT.index(one.kind)


def _run(case: _Case, ahead: TankAhead, wear: Array | None = None, levels: Array | None = None) -> Array:
    """PAR (months, n) of all corals, lamps and parts kept up unless a ``wear`` (months, fixtures) is given; ``levels``
    (months, fixtures) multiply the fixtures.
    """
    steps = growth_steps(ahead.corals.mature_after(), COARSE)
    light = at_months(steps, ahead.light(steps), np.arange(AHEAD + 1.0))
    if wear is None:
        wear = wear_over(case.stored.upkeep.kept_up(case.today, case.days[-1]), ahead, case.days)
    return np.asarray(np.einsum("mfn,mf->mn", light, wear if levels is None else wear * levels))


def _suggestion(
    case: _Case,
    kind: SuggestionKind,
    words: str,
    cost: float | None,
    par: Array,
    before: Array,
    lengths: dict[str, float] | None = None,
) -> Suggestion:
    mine = par[:, case.index]
    out = np.flatnonzero(_out(case.card, mine[case.month :]))
    until = case.month + int(out[0]) if len(out) else None
    harmed = []
    for k, coral_id in enumerate(case.ahead.ids):
        coral = case.stored.coral(coral_id).value
        longer = _out(coral.card, par[:, k]).sum() - _out(coral.card, before[:, k]).sum()
        if k != case.index and longer >= WORTH and not lives_off_food(case.stored, coral.card):
            harmed.append((1 + [kept.id for kept in case.stored.corals].index(coral_id), coral))
    helps = until is None or until >= case.month + WORTH
    return Suggestion(kind, words, cost, until, mine, tuple(harmed), helps, lengths or {})


def _out(card: CoralCard, par: Array) -> NDArray[np.bool_]:
    outside: NDArray[np.bool_] = np.logical_or(par < card.par_low, par > card.par_high)
    return outside


def _upkeep(case: _Case) -> Iterator[Suggestion]:
    """Cleaning when it is due, new lamps when they are due, and both."""
    upkeep, days = case.stored.upkeep, case.days
    kept = upkeep.kept_up(case.today, days[-1])
    before = _run(case, case.ahead, wear_over(upkeep, case.ahead, days))
    lamps = YEARS * lamp_costs(case.stored, case.stored.setup().hung)
    plans: list[tuple[SuggestionKind, str, float, Upkeep]] = []
    if len(kept.cleanings) > len(upkeep.cleanings):
        words = "Clean each part when it is due."
        plans.append(("clean", words, 0.0, replace(upkeep, cleanings=kept.cleanings)))
    if len(kept.lamps) > len(upkeep.lamps):
        plans.append(("lamps", "Change lamps when they are due.", lamps, replace(upkeep, lamps=kept.lamps)))
    if len(plans) == 2:
        plans.append(("upkeep", "Clean parts and change lamps when they are due.", lamps, kept))
    for kind, words, cost, worn in plans:
        par = _run(case, case.ahead, wear_over(worn, case.ahead, days))
        yield _suggestion(case, kind, words, cost, par, before)


def _trim(case: _Case) -> Iterator[Suggestion]:
    """Corals that shade it kept at their present size; itself where it grows up into light that is too strong."""
    which = _shaders(case) if case.weak else [case.one.id]
    if not which:
        return
    numbers = [kept.id for kept in case.stored.corals]
    named = [f"{1 + numbers.index(i)} {escape_slots(case.stored.coral(i).value.card.name)}" for i in which]
    words = f"Trim {' and '.join(named)} to the present size as {'they grow' if len(named) > 1 else 'it grows'}."
    par = _run(case, TankAhead(case.stored, case.today, trimmed=which))
    yield _suggestion(case, "trim", words, 0.0, par, _run(case, case.ahead))


def _shaders(case: _Case) -> list[int]:
    """Ids of the corals whose growth takes most of its light."""
    corals, step = case.ahead.corals, case.ahead.steps[-1]
    top, feet = corals.tops(step)[case.index], corals.feet
    aside = np.linalg.norm(feet[:, :2] - top[:2], axis=1) - 0.5 * corals.across(step)
    discs = np.array([disc.depth for disc in corals.discs(step)])
    above = (discs < top[2]) & (np.arange(len(feet)) != case.index)
    near = [k for k in np.argsort(aside).tolist() if above[k]][:MOST_LOOKED_AT]
    plain = case.ahead.light([step])[0, :, case.index].sum()
    gains = []
    for k in near:
        trimmed = TankAhead(case.stored, case.today, trimmed=[case.ahead.ids[k]])
        gains.append((float(trimmed.light([step])[0, :, case.index].sum() / max(plain, 1e-9)) - 1.0, k))
    return [case.ahead.ids[k] for gain, k in sorted(gains, reverse=True)[:MOST_SHADERS] if gain > SHADES]


def _move(case: _Case) -> Iterator[Suggestion]:
    """Another spot for it, while the others stay."""
    stored, setup = case.stored, case.stored.setup()
    spot = find_better_spot(stored, setup, case.one.id, float(case.one.kept[0]), "darker" if case.weak else "paler")
    if spot is None:
        return
    foot = np.array(spot.place)
    way = orientations(case.ahead.tank, foot[None, :])[1][0]
    moved = TankAhead(stored, case.today, moves={case.one.id: (foot, way)})
    x, y, depth = spot.place
    words = f"Move it to {escape_slots(spot.name)}: {{x}} from left, {{y}} from front, {{depth}} deep."
    lengths = {"x": x, "y": y, "depth": depth}
    yield _suggestion(case, "move", words, 0.0, _run(case, moved), _run(case, case.ahead), lengths)


def _level(case: _Case) -> Iterator[Suggestion]:
    """Fixtures that dim at another level once it leaves its range: the one that gives it most, and all alike."""
    hung = case.stored.setup().hung
    dims = [k for k, fixture in enumerate(hung) if fixture.dimmable and fixture.output > 0]
    if not dims:
        return
    wear = wear_over(case.stored.upkeep.kept_up(case.today, case.days[-1]), case.ahead, case.days)
    before = _run(case, case.ahead, wear)
    share = case.ahead.light([case.ahead.steps[-1]])[0, :, case.index]
    strongest = max(dims, key=lambda k: float(share[k]))
    for which in ([strongest], dims)[: 2 if len(dims) > 1 else 1]:
        alone = np.zeros_like(wear)
        alone[:, which] = 1.0
        mine = _run(case, case.ahead, wear, alone)[case.month :, case.index]
        rest = before[case.month :, case.index] - mine
        want = case.card.par_low * SPARE if case.weak else case.card.par_high / SPARE
        factors = (want - rest) / np.maximum(mine, 1e-9)
        factor = float(factors.max() if case.weak else factors.min())
        most = min(1.0 / hung[k].output for k in which)
        factor = min(max(factor, 0.05), most)
        if abs(factor - 1.0) < 0.01:
            continue
        levels = np.ones_like(wear)
        levels[case.month :, which] = factor
        then = [replace(f, output=min(1.0, f.output * factor)) if k in which else f for k, f in enumerate(hung)]
        years = YEARS - case.month / 12
        cost = years * (case.stored.running.yearly(then) - case.stored.running.yearly(hung))
        told = ", ".join(f"{letter(k)} to {100 * then[k].output:.0f} %" for k in which)
        words = f"From {case.days[case.month]:%b %Y} set {told}."
        yield _suggestion(case, "level", words, cost, _run(case, case.ahead, wear, levels), before)


def _fixture(case: _Case) -> Iterator[Suggestion]:
    """One more of the fixture that gives it most, over it or beside, at the level that it takes."""
    stored, hung = case.stored, case.stored.setup().hung
    if not case.weak:
        return
    share = case.ahead.light([case.ahead.steps[-1]])[0, :, case.index]
    like = hung[int(share.argmax())]
    new = _hung_over(case, like, hung)
    if new is None:
        return
    ahead = TankAhead(stored, case.today, fixtures=[*hung, new])
    wear = wear_over(stored.upkeep.kept_up(case.today, case.days[-1]), ahead, case.days)
    wear[:, -1] = 1.0
    before = _run(case, case.ahead)
    full = _run(case, ahead, wear)
    gain = full[case.month :, case.index] - before[case.month :, case.index]
    missing = SPARE * case.card.par_low - before[case.month :, case.index]
    level = float(np.clip((missing / np.maximum(gain, 1e-9)).max(), 0.05, 1.0)) if like.dimmable else 1.0
    new = replace(new, output=new.output * level)
    running = five_year_costs(stored, [*hung, new]), five_year_costs(stored, hung)
    cost = None if running[0].unpriced else running[0].total - running[1].total
    set_to = f", at {100 * new.output:.0f} %" if like.dimmable else ""
    words = (
        f"Hang one more {escape_slots(like.name)}: {{x}} from left, {{y}} from front, {{h}} above the water{set_to}."
    )
    lengths = {"x": new.emitter.x, "y": new.emitter.y, "h": new.emitter.height}
    yield _suggestion(case, "fixture", words, cost, before + level * (full - before), before, lengths)


def _hung_over(case: _Case, like: Fixture, hung: Sequence[Fixture]) -> Fixture | None:
    """The same fixture as near over the coral as nothing is in its way; None where there is no room."""
    e, tank, around = like.emitter, case.stored.tank, case.stored.surroundings
    x, y, _ = case.ahead.corals.feet[case.index]
    half_x, half_y = e.half_extent()
    known = len(find_overlaps(tank, hung, around))
    steps = [(dx, dy) for dx in range(-4, 5) for dy in range(-3, 4)]
    for dx, dy in sorted(steps, key=lambda s: s[0] ** 2 + s[1] ** 2):
        at_x = _within(x + 0.08 * dx, half_x, tank.length)
        at_y = _within(y + 0.08 * dy, half_y, tank.width)
        output = 1.0 if like.dimmable else like.output
        new = replace(like, emitter=replace(e, x=at_x, y=at_y), output=output, frame="")
        if len(find_overlaps(tank, [*hung, new], around)) == known:
            return new
    return None


def _within(at: float, half: float, size: float) -> float:
    """A middle that keeps a body of that half length over the tank, or centred where it is longer [m]."""
    return 0.5 * size if 2 * half > size else min(max(at, half), size - half)
