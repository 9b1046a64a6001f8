"""Candidate measuring points: tops of rock, sand, ends, under and between fixtures, ledges, corals."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator, Sequence

import numpy as np

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.light.rockwork import BOTTOM, X0, X1, Y0, Y1, tops_of
from corlume.core.placement.coral import Coral
from corlume.core.survey.survey_record import MeasuringPoint

SHALLOW = 0.15
"""Depth at which fixtures are read by themselves: six inches; common practice, no source [m]."""
OVER = 0.01
"""How far over rock and sand the sensor's face stands [m]."""
APART = 0.06
"""Proposals nearer to each other than this are one [m]."""
GRAIN = 0.01
"""Places are proposed to this grain, so that a tape finds them [m]."""
FROM_PANE = 0.06
"""How far from a pane the outermost stand [m]."""
TOP = "top of rock"
TOPS, PATCH, LEDGE = 0.025, 6, 0.06
"""Tops of natural rock are looked for in steps of this [m], the highest in patches of so many steps; a ledge hangs at
least so high over the sand [m]; ours.
"""
Proposal = tuple[str, float, float, float, str]
"""Name, place [m], and why it is proposed."""


def candidate_points(tank: Tank, fixtures: Sequence[Fixture], corals: Iterable[Coral] = ()) -> list[MeasuringPoint]:
    """Points in open water, each with the reason it is proposed; places of corals come first."""
    return _settled(
        tank, [*_corals(corals), *_rock(tank), *_natural_rock(tank), *_fixtures(tank, fixtures), *_water(tank)]
    )


def under_and_between(tank: Tank, fixtures: Sequence[Fixture]) -> list[MeasuringPoint]:
    """Under each fixture, between them and at the ends, six inches down; none in rock."""
    return _settled(tank, _fixtures(tank, fixtures))


def tops_of_rock(tank: Tank) -> list[MeasuringPoint]:
    """On top of each rock, and at both ends of a long one."""
    return [spot for spot in _settled(tank, [*_rock(tank), *_natural_rock(tank)]) if spot.reason == TOP]


def _settled(tank: Tank, raw: Iterable[Proposal]) -> list[MeasuringPoint]:
    """Points in open water, rounded to a tape's grain, none close to another, each with a name of its own."""
    found = list[MeasuringPoint]()
    for name, x, y, depth, reason in raw:
        place = np.round(np.array([x, y, depth]) / GRAIN) * GRAIN
        far = np.array([tank.length, tank.width, tank.water_depth]) - OVER
        if not np.all((place >= OVER - 1e-9) & (place <= far)) or tank.in_rock(place[None])[0]:
            continue
        if any(np.linalg.norm(place - spot.place) < APART for spot in found):
            continue
        taken = sum(spot.name == name or spot.name.startswith(f"{name} (") for spot in found)
        x, y, depth = (round(float(value), 4) for value in place)
        found.append(MeasuringPoint(f"{name} ({taken + 1})" if taken else name, x, y, depth, reason))
    return found


def _corals(corals: Iterable[Coral]) -> Iterator[Proposal]:
    for coral in corals:
        if coral.place:
            x, y, depth = coral.place
            yield f"At {coral.card.name}"[:70], x, y, depth - OVER, "where a coral sits"


def _rock(tank: Tank) -> Iterator[Proposal]:
    for rock in tank.rocks:
        boxes, name = list(rock.boxes(tank.water_depth)), rock.name or "rock"
        top = boxes[0]
        yield (f"Top of {name}", 0.5 * (top.x0 + top.x1), 0.5 * (top.y0 + top.y1), top.top - OVER, TOP)
        if rock.length > 0.3:
            for end, at in (("left", 0.2), ("right", 0.8)):
                x = top.x0 + at * (top.x1 - top.x0)
                yield f"Top of {name}, {end}", x, 0.5 * (top.y0 + top.y1), top.top - OVER, "top of rock"
        low = max(box.bottom for box in boxes)
        if tank.sand_depth - low > 0.04 and len(boxes) == 1:
            x, y = 0.5 * (top.x0 + top.x1), 0.5 * (top.y0 + top.y1)
            yield f"Under {name}", x, y, tank.sand_depth - OVER, "under a ledge"


def _natural_rock(tank: Tank) -> Iterator[Proposal]:
    """The highest places of each natural piece, one in each patch of it, and the sand under a ledge."""
    rock, boxes = tank.rockwork, len(tank.boxes())
    xs, ys = (np.arange(0.5 * TOPS, size, TOPS) for size in (tank.length, tank.width))
    for number, (name, _) in list(enumerate(tank.rock_pieces()))[boxes:]:
        tops = np.nan_to_num(tops_of(rock, number, xs, ys, 1)[..., 0], nan=np.inf)
        found = list[tuple[float, float, float]]()
        for i in range(0, tops.shape[0], PATCH):
            for j in range(0, tops.shape[1], PATCH):
                part = tops[i : i + PATCH, j : j + PATCH]
                a, b = np.unravel_index(int(part.argmin()), part.shape)
                if np.isfinite(part[a, b]):
                    found.append((float(part[a, b]), float(xs[i + a]), float(ys[j + b])))
        for depth, x, y in sorted(found):
            yield f"Top of {name}", x, y, depth - OVER, TOP
        runs = rock.runs[rock.piece == number]
        hangs = tank.sand_depth - runs[:, BOTTOM]
        if hangs.max(initial=0.0) > LEDGE:
            run = runs[int(hangs.argmax())]
            x, y = 0.5 * (run[X0] + run[X1]), 0.5 * (run[Y0] + run[Y1])
            yield f"Under {name}", float(x), float(y), tank.sand_depth - OVER, "under a ledge"


def _fixtures(tank: Tank, fixtures: Sequence[Fixture]) -> Iterator[Proposal]:
    for f in fixtures:
        yield f"Under {f.name or 'a fixture'}"[:70], f.emitter.x, f.emitter.y, SHALLOW, "under a fixture, 15 cm down"
    columns = sorted({round(f.emitter.x, 2) for f in fixtures})
    y = float(np.mean([f.emitter.y for f in fixtures])) if fixtures else 0.5 * tank.width
    for a, b in itertools.pairwise(columns):
        if b - a > 2 * APART:
            yield "Between fixtures", 0.5 * (a + b), y, SHALLOW, "between two fixtures, 15 cm down"
    for name, x in (("Left end", FROM_PANE), ("Right end", tank.length - FROM_PANE)):
        yield name, x, y, SHALLOW, "end of the tank, 15 cm down"


def _water(tank: Tank) -> Iterator[Proposal]:
    """Points on the sand, in mid-water and at 15 cm, on a grid of one or two hand's breadths."""
    across = max(3, min(9, round(tank.length / 0.19)))
    deep = max(2, min(5, round(tank.width / 0.17)))
    sides = {0: "front", deep - 1: "back"}
    levels = [("Sand", tank.sand_depth - OVER, "on the sand"), ("15 cm down", SHALLOW, "15 cm down"),
              ("Mid-water", 0.5 * tank.sand_depth, "half way down")]  # fmt: skip
    for name, depth, reason in levels:
        for i in range(across):
            x = FROM_PANE + i / (across - 1) * (tank.length - 2 * FROM_PANE)
            for j in range(deep):
                y = FROM_PANE + j / (deep - 1) * (tank.width - 2 * FROM_PANE)
                yield f"{name} {i + 1}, {sides.get(j, 'middle')}", x, y, depth, reason
