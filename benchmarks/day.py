"""What the light of a day costs: every minute at many corals, daily light over the drawings, and a plan."""

from __future__ import annotations

import datetime
from dataclasses import replace

import numpy as np

from benchmarks.clock import clock, row, sized
from corlume.core.light.emitter import Channel
from corlume.core.light.fixture import Fixture, scheduled
from corlume.core.light.light_group import LightGroup
from corlume.core.placement.coral import Placement
from corlume.core.schedule.slow_change import even_parts, find_steps
from corlume.core.schedule.starts import day_group
from corlume.services.keeping.demo import demo_scene
from corlume.services.light.fields import medium_of, surface_par
from corlume.services.light.layers import dose_plane
from corlume.services.light.points import SliceKind, same_tank, surfaces_of
from corlume.services.schedule.change_light import find_change
from corlume.services.schedule.change_plans import PlanRequest, try_plan
from corlume.services.schedule.day_light import coral_days
from corlume.store.tanks import StoredTank, unstored

TWELVE = tuple(Channel(f"c{k}", 1 / 12) for k in range(12))


def _crowded(corals: int) -> StoredTank:
    """The demo with many corals on its rock, and a second setup a third stronger; both follow a schedule."""
    scene = demo_scene()
    setup, group = scene.setup(), day_group("LED", 9.0, 60.0, 840.0)
    stored = unstored(scene)
    free = np.concatenate([s.points[s.free] for s in surfaces_of(stored.tank)])
    places = [Placement(*map(float, p)) for p in free[np.linspace(0, len(free) - 1, corals).astype(int)]]
    crowd = tuple(replace(scene.corals[k % 14], place=place) for k, place in enumerate(places))

    def hung(factor: float) -> tuple[Fixture, ...]:
        made = [replace(f, output=min(1.0, factor * f.output), group="LED") for f in setup.fixtures]
        of_twelve = replace(made[0].emitter, channels=TWELVE)
        return scheduled([replace(made[0], emitter=of_twelve, levels=()), *made[1:]], [group])

    groups: tuple[LightGroup, ...] = (group,)
    setups = (
        replace(setup, fixtures=hung(1.0), groups=groups),
        replace(setup, name="Stronger", fixtures=hung(1.35), groups=groups, in_use=False),
    )
    return unstored(replace(scene, setups=setups, corals=crowd, surveys=()))


def day() -> None:
    """The figures of Day."""
    stored = _crowded(sized(60, 6))
    tank, setup = same_tank(stored.lit_tank()), stored.setup()
    medium_of(tank)
    coral_days(stored, setup.hung)
    row("a day by the minute at 60 corals, 12 channels", clock(lambda: coral_days(stored, setup.hung), 9), 0.05)
    surface_par(tank, setup.hung)
    slices: tuple[tuple[SliceKind, float], ...] = (("plan", 0.2), ("front", 0.3), ("side", 0.7))

    def dose() -> None:
        for kind, at in slices:
            dose_plane(tank, setup.hung, stored.running.day, kind, at)

    dose()
    row("daily light over three drawings", clock(dose, 9), 0.2)
    planned = _crowded(sized(40, 6))
    medium_of(same_tank(planned.lit_tank()))
    was, target = planned.setups
    asked = PlanRequest("match", datetime.date(2026, 11, 30), 9.0, 7, 0.15)
    try_plan(planned, was, target, asked)
    taken = clock(lambda: try_plan(planned, was, target, asked), 5)
    change = find_change(planned, was.hung, target, "match")
    steps = find_steps(change.light, even_parts(9.0, 7), 0.15)
    row("a plan for 40 corals over nine weeks", taken, 1.0, f"{len(steps)} steps")
