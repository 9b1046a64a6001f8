"""Collisions of mounts against brute force: places drawn in the parts, moved as the mount moves."""

from __future__ import annotations

from dataclasses import replace
from itertools import product

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from corlume.core.mounting.mount import Mount, open_place
from corlume.core.mounting.mount_checks import check_mounts
from corlume.core.mounting.mount_collisions import STEPS, Box, body_box, find_touches, open_way, solids_of
from corlume.core.mounting.surroundings import Surroundings
from corlume.core.units import DEGREE
from tests.mounting.test_mounts import module
from tests.ruled import RULED

AROUND, SPACING = Surroundings(gap=2.0), 0.006
TANK = replace(RULED, room_height=4.0)


def places_in(boxes: list[Box]) -> NDArray[np.float64]:
    """Places over boxes (n, 3), on and in them, at most ``SPACING`` apart."""
    found = [
        np.array(list(product(*(np.linspace(a, b, max(2, int((b - a) / SPACING) + 2)) for a, b in box))))
        for box in boxes
    ]
    return np.concatenate(found)


def inside(places: NDArray[np.float64], boxes: list[Box], margin: float) -> bool:
    """Whether any place is in a box that is wider by a margin [m]."""
    return any(
        bool(
            np.all(
                [(places[:, k] > a - margin) & (places[:, k] < b + margin) for k, (a, b) in enumerate(box)], axis=0
            ).any()
        )
        for box in boxes
    )


@st.composite
def a_lid_and_an_arm(draw: st.DrawFn) -> tuple[Mount, Mount]:
    y, hinge = draw(st.floats(0.0, 0.3)), draw(st.sampled_from(["back", "front", "left", "right"]))
    swing = draw(st.floats(0.2, 2.0)) if draw(st.booleans()) else 0.0
    lid = Mount("Lid", "half_lid", 0.3, y, 0.2, 0.2, 0.05, 0.02, 0.1, 0.2, swing=swing,
                lift=0.0 if swing else draw(st.floats(0.05, 0.4)), hinge=hinge)  # fmt: skip
    side = draw(st.sampled_from(["back", "left"]))
    at = draw(st.floats(0.1, 0.5))
    length, width = (0.04, 0.3) if side == "back" else (0.3, 0.04)
    height = draw(st.floats(0.04, 0.3))
    return lid, Mount("Arm", "arm", at, at - 0.1, length, width, height, 0.03, hinge=side)  # type: ignore[arg-type]


@settings(max_examples=40, deadline=None)
@given(a_lid_and_an_arm(), st.floats(0.1, 0.6))
def test_what_a_lid_meets_at_work_and_while_it_opens(both: tuple[Mount, Mount], at: float) -> None:
    lid, arm = both
    lights = [module(0.4, lid.y + 0.1, 0.06, held_by="Lid"), module(at, 0.2, 0.2, held_by="Arm")]
    touches = [touch for touch in find_touches(lights, [lid, arm]) if touch.mount is lid]
    others = {arm.name: solids_of(arm), "B": [body_box(lights[1])]}
    for name, boxes in others.items():
        touch = next((t for t in touches if (t.other.name if isinstance(t.other, Mount) else "B") == name), None)
        places = places_in(solids_of(lid))
        assert inside(places, boxes, SPACING) if touch else not inside(places, boxes, -0.002)
        if touch and len(boxes) == 1:  # the move that is named parts them
            places[:, ("x", "y", "height").index(touch.axis)] += touch.move
            assert not inside(places, boxes, -0.002)
    way = open_way(TANK, lights, [lid, arm], lid, AROUND)
    own = places_in([*solids_of(lid), body_box(lights[0])])
    still = [boxes for boxes in others.values() if not inside(own, boxes, SPACING)]
    free = [share for k in range(1, STEPS + 1) if (share := k / STEPS) <= way.free + 1e-9]
    for share in (*free[::6], *free[-1:]):
        moved = np.array(open_place(lid, *own.T, share=share)).T  # type: ignore[arg-type]
        assert not any(inside(moved, boxes, -0.002 - SPACING) for boxes in still)
    if way.ends_at is not None:
        moved = np.array(open_place(lid, *own.T, share=way.free + 1 / STEPS)).T  # type: ignore[arg-type]
        assert any(inside(moved, boxes, SPACING) for boxes in others.values())


def test_an_arm_over_a_lid_stops_it_and_the_page_says_how_far_it_opens() -> None:
    """A lid 30 cm deep swings up about the back: its front edge meets a bar 15 cm over it at 30 degrees."""
    lid = Mount("Lid", "half_lid", 0.0, 0.3, 1.2, 0.3, 0.03, 0.02, 0.05, 0.12, swing=80 * DEGREE)
    bar = Mount("Bar", "rail", 0.0, 0.33, 1.2, 0.04, 0.18, load=10.0)
    checks = {check.key: check for check in check_mounts(TANK, [], [lid, bar], AROUND)}
    assert checks["open"].answer == "no"
    degrees = int(checks["open"].found.split()[2])
    assert 24 <= degrees <= 30
    assert "of 80 degrees, then it or its lights meet Bar" in checks["open"].found
    crossed = replace(bar, height=0.04)
    overlap = next(c for c in check_mounts(TANK, [], [lid, crossed], AROUND) if c.key == "overlap")
    assert overlap.found == "It and Bar overlap: move it {by} down."
    assert abs(overlap.lengths["by"] - 0.01) < 1e-9
