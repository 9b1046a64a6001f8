"""Compare kinds of light on the keeper's own tank, each laid out by rule and set to the same PAR at the rock top."""

from __future__ import annotations

from dataclasses import dataclass, replace

from corlume.core.fixture import Fixture, overlaps
from corlume.core.geometry import Tank
from corlume.core.hanging.layout import patches, wider
from corlume.core.judgement.figures import Figures
from corlume.core.judgement.intent import Intent
from corlume.core.optics.budget import flux_budget
from corlume.core.optics.emitter import MEAN_YIELD
from corlume.core.optics.softness import shadow_edge
from corlume.core.optics.spectrum import photon_yield
from corlume.core.scene import Setup
from corlume.formats.steps import STEPS, Steps
from corlume.reference.catalogue import catalogue, technology_notes
from corlume.services.advice.judge import figures, mean_on_top
from corlume.services.keeping.hung_fixtures import changed
from corlume.services.keeping.setups import add_setup
from corlume.services.light.layers import fluctuation_at
from corlume.services.light.points import Place
from corlume.store.database import Database
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredTank, load_tank

MOST_TUBES = 12


@dataclass(frozen=True, slots=True)
class Option:
    """One kind of light over the tank: its fixtures and what they come to.

    ``edge`` width of a shadow's edge 10 cm below a ledge [m]; ``fluctuation`` at the rock top with ripples [-];
    ``cost`` of the fixtures, a round figure; ``heat`` of the light that enters the water [W];
    ``lamps`` replacement lamps a year [currency]; ``reached`` whether it can give the PAR that was asked for.
    """

    key: str
    name: str
    fixtures: tuple[Fixture, ...]
    figures: Figures
    edge: float
    fluctuation: float
    cost: float
    heat: float
    lamps: float
    dimmable: str
    strong: str
    weak: str
    reached: bool


def target_par(stored: StoredTank, intent: Intent) -> float:
    """The PAR that all kinds are set to: the middle of the band wanted on top [umol/m2/s]."""
    band = intent.top(stored.targets)
    return 0.5 * (band.low + band.high)


def compare_kinds(stored: StoredTank, intent: Intent, steps: Steps = STEPS["cm"]) -> list[Option]:
    """Lay out every kind of light over a tank for what is meant, LED first, at places round in the keeper's unit."""
    found = []
    for key, name, words, exact in _layouts(stored.tank):
        fixtures = [_rounded(stored.tank, layout, steps.grain) for layout in exact]
        lit, reached = _set_to(stored, fixtures, target_par(stored, intent))
        found.append(_option(stored, intent, key, name, words, lit, reached))
    return found


def adopt(db: Database, tank_id: int, key: str, setup_id: int | None = None, steps: Steps = STEPS["cm"]) -> int:
    """Make a new setup of one kind's layout, meant for the same as another or the one in use; returns its id."""
    with db.reading() as connection:
        stored = load_tank(connection, tank_id)
    intent = stored.setup(setup_id).intent
    option = next((o for o in compare_kinds(stored, intent, steps) if o.key == key), None)
    if option is None:
        raise NotFound(f"no kind {key}")
    return add_setup(db, tank_id, Setup(option.name, option.fixtures, intent=intent))


def _layouts(tank: Tank) -> list[tuple[str, str, str, list[list[Fixture]]]]:
    """Every kind with its key, name, the key of its words, and layouts from weak to strong."""
    modules = _row(tank, "cluster", patches(tank.length, tank.width)[0])
    halides = max(1, round(tank.length / 0.7))
    tube, bar = _fitting(tank, ("t5-24", "t5-39", "t5-54", "t5-80")), _fitting(tank, ("bar-short", "bar"))
    compact = _fitting(tank, ("pc-55", "pc-96"))
    tubes = [_rack(tank, tube, n) for n in range(2, MOST_TUBES + 1, 2)]
    return [
        ("led", "LED modules", "led_cluster", [modules]),
        ("bars", "LED bars", "led_bar", [_rack(tank, bar, n) for n in (2, 3, 4, 6)]),
        ("t5", "T5 tubes", "t5_tube", tubes),
        ("compact", "Power compact", "power_compact", [_rack(tank, compact, n) for n in (1, 2, 3, 4, 6, 8)]),
        ("halide", "Metal halide", "halide", [_row(tank, f"halide-{w}", halides) for w in (150, 250, 400)]),
        ("t5-led", "T5 and LED", "hybrid", [_beside(tank, tube, 2, modules) + modules]),
        ("halide-t5", "Halide and T5", "hybrid_halide",
         [row + _beside(tank, tube, 1, row) for row in (_row(tank, f"halide-{w}", halides) for w in (150, 250))]),
    ]  # fmt: skip


def _rounded(tank: Tank, fixtures: list[Fixture], grain: float) -> list[Fixture]:
    """Fixtures at multiples of a grain [m]; as they are where bodies would touch there."""
    rounded = []
    for f in fixtures:
        places = {axis: round(round(getattr(f.emitter, axis) / grain) * grain, 6) for axis in ("x", "y", "height")}
        places["height"] -= grain * (places["height"] > tank.room_height)
        rounded.append(changed(tank, f, places))
    return fixtures if len(overlaps(rounded)) > len(overlaps(fixtures)) else rounded


def _fitting(tank: Tank, keys: tuple[str, ...]) -> str:
    """The longest of some fixtures, in rising order, that is no longer than the tank; or the shortest."""
    fits = [k for k in keys if catalogue()[k].parts[0].emitter.length <= tank.length]
    return fits[-1] if fits else keys[0]


def _hang(tank: Tank, key: str, x: float, y: float) -> Fixture:
    fixture = catalogue()[key].parts[0]
    height = min(fixture.emitter.height, tank.room_height)
    return changed(tank, fixture, {"x": x, "y": y, "height": height})


def _row(tank: Tank, key: str, count: int) -> list[Fixture]:
    """Modules along the tank by the wider rule."""
    return [_hang(tank, key, x, tank.width / 2) for x in wider(count, tank.length)]


def _rack(tank: Tank, key: str, count: int) -> list[Fixture]:
    """Bars or tubes side by side over the middle eight tenths of the tank, end to end where they are short."""
    ends = max(1, round(tank.length / (1.1 * catalogue()[key].parts[0].emitter.length)))
    across = [0.1 + 0.8 * (k + 0.5) / count for k in range(count)]
    return [
        _hang(tank, key, (k + 0.5) / ends * tank.length, share * tank.width) for share in across for k in range(ends)
    ]


def _beside(tank: Tank, key: str, count: int, row: list[Fixture]) -> list[Fixture]:
    """So many tubes before and behind a row of modules, clear of it and at its height, as in a hybrid frame."""
    middle = row[0].emitter
    tube = catalogue()[key].parts[0].emitter
    first = 0.5 * (middle.width + tube.width) + 0.02
    across = [side * (first + k * (tube.width + 0.01)) for side in (-1, 1) for k in range(count)]
    ends = max(1, round(tank.length / (1.1 * tube.length)))
    return [
        changed(tank, _hang(tank, key, (k + 0.5) / ends * tank.length, middle.y + y), {"height": middle.height})
        for y in across
        for k in range(ends)
    ]


def _set_to(stored: StoredTank, layouts: list[list[Fixture]], wanted: float) -> tuple[list[Fixture], bool]:
    """The weakest layout that reaches the target, dimmed to it as far as it dims; or the strongest there is."""
    for fixtures in layouts:
        full = _mean(stored, fixtures)
        if full >= wanted * 0.93:
            break
    # what is off still hangs in the way of the others
    fixed, can_dim = (
        _mean(stored, [replace(f, output=f.output * (f.dimmable == dims)) for f in fixtures]) for dims in (False, True)
    )
    share = min(1.0, max(0.05, (wanted - fixed) / can_dim)) if can_dim > 0 else 1.0
    lit = [replace(f, output=round(share, 2)) if f.dimmable else f for f in fixtures]
    return lit, full >= wanted * 0.93


def _mean(stored: StoredTank, fixtures: list[Fixture]) -> float:
    return mean_on_top(stored, fixtures) if fixtures else 0.0


def _joules(fixture: Fixture) -> float:
    """Energy of what a fixture gives now, by the micromole of its light at full [J/umol]; it ends as heat."""
    parts = zip(fixture.strengths, fixture.emitter.channels, strict=True)
    return sum(s * c.share / (photon_yield(c.spectrum) if c.spectrum else MEAN_YIELD) for s, c in parts)


def _option(
    stored: StoredTank, intent: Intent, key: str, name: str, words: str, fixtures: list[Fixture], reached: bool
) -> Option:
    tank, running = stored.tank, stored.running
    middle = (tank.length / 2, tank.width / 2, tank.rock_top())
    about = technology_notes()
    dims = {f.dimmable for f in fixtures}
    prices = {entry.name: entry.price for entry in catalogue().values()}
    lamp_years = running.hours * 365
    return Option(
        key=key,
        name=name,
        fixtures=tuple(fixtures),
        figures=figures(stored, fixtures, intent),
        fluctuation=fluctuation_at(stored.lit_tank(), fixtures, Place(*middle)),
        cost=sum(prices[f.name] for f in fixtures),
        edge=shadow_edge(tank, [(f.emitter, f.strength) for f in fixtures], middle),
        heat=sum(flux_budget(tank, f.emitter).entered * _joules(f) for f in fixtures),
        lamps=sum(about[f.emitter.technology].price * lamp_years / about[f.emitter.technology].life for f in fixtures),
        dimmable="yes" if dims == {True} else "no" if dims == {False} else "in part",
        strong=about[words].strong,
        weak=about[words].weak,
        reached=reached,
    )
