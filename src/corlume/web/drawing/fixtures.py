"""Fixtures on the sheet: their places, dimensions, and the probe."""

from __future__ import annotations

import math
from collections.abc import Callable, Container, Sequence
from functools import lru_cache

from markupsafe import Markup

from corlume.core.light.fixture import Fixture, extent
from corlume.core.light.lobe import width_at_half
from corlume.core.message_text import letter, letters
from corlume.formats.measure import Measure
from corlume.services.light.points import WaterPoint
from corlume.store.tables import Kept
from corlume.web.drawing.sheet import Sheet, View
from corlume.web.drawing.svg import el, group, points_path

HIT = 22.0
"""Least size of what can be grabbed, in drawing units."""


def draw_fixtures(
    sheet: Sheet, fixtures: Sequence[Kept[Fixture]], selected: int | None, picked: Container[int] = ()
) -> Markup:
    """Draw all fixtures in the three views, in their own order, which is that of the Tab key.

    A frame has a line about it. The selected one is drawn once more on top, with its lobe, for the eye and the mouse;
    ``picked`` are the ids of first parts of units that are held together.
    """
    parts = []
    units: dict[str, list[Kept[Fixture]]] = {}
    for kept in fixtures:
        units.setdefault(kept.value.frame or f"alone {kept.id}", []).append(kept)
    first = {kept.id: members[0].id for members in units.values() for kept in members}
    for view in sheet.views():
        texts = _letters(view, fixtures)
        parts += [_hull(view, members, picked) for members in units.values() if len(members) > 1]
        for i, kept in enumerate(fixtures):
            parts.append(_fixture(view, kept, texts[i], False, i, first[kept.id], first[kept.id] in picked))
        for i, kept in enumerate(fixtures):
            if kept.id == selected:
                parts.append(_fixture(view, kept, texts[i], True, i, first[kept.id], first[kept.id] in picked))
    return Markup("").join(parts)


def faces_on(view: View, fixtures: Sequence[Fixture]) -> list[tuple[float, float, float, float]]:
    """Water that the fixtures cover in the plan: left, top, right, bottom."""
    if view.kind != "plan":
        return []
    found = []
    for e in (fixture.emitter for fixture in fixtures):
        half_x, half_y = e.half_extent()
        found.append((*view.at(e.x - half_x, e.y + half_y), *view.at(e.x + half_x, e.y - half_y)))
    return found


def _hull(view: View, members: Sequence[Kept[Fixture]], picked: Container[int]) -> Markup:
    """Outline of a frame."""
    parts = [kept.value for kept in members]
    low, high = extent(parts)
    if view.kind == "plan":
        (x0, y0), (x1, y1) = view.at(low[0], high[1]), view.at(high[0], low[1])
    else:
        k = 0 if view.kind == "front" else 1
        heights = [part.emitter.height for part in parts]
        (x0, y0), (x1, y1) = view.at(low[k], -max(heights)), view.at(high[k], -min(heights))
        y0, y1 = y0 - 8, y1
    kind = "frame-hull picked" if members[0].id in picked else "frame-hull"
    line = el("rect", x=x0 - 4, y=y0 - 4, width=x1 - x0 + 8, height=y1 - y0 + 8, rx=3, class_=kind)
    return group([line], class_="hull", data_hull=members[0].id, data_view=view.kind)


def _letters(view: View, fixtures: Sequence[Kept[Fixture]]) -> dict[int, str]:
    """Label of each fixture: in an elevation one label for all that hide each other."""
    if view.kind == "plan":
        return {i: letter(i) for i in range(len(fixtures))}
    stacks: list[list[int]] = []
    for i in sorted(range(len(fixtures)), key=lambda i: _across(view, fixtures[i].value)):
        if stacks and _hides(view, fixtures[stacks[-1][-1]].value, fixtures[i].value):
            stacks[-1].append(i)
        else:
            stacks.append([i])
    texts = dict.fromkeys(range(len(fixtures)), "")
    for members in stacks:
        texts[members[0]] = letters(members)
    return texts


def _across(view: View, fixture: Fixture) -> float:
    """Position of a fixture along an elevation [m]."""
    return fixture.emitter.x if view.kind == "front" else fixture.emitter.y


def _hides(view: View, one: Fixture, other: Fixture) -> bool:
    """Whether two fixtures are so close on paper that their labels would overlap."""
    beside = abs(_across(view, one) - _across(view, other)) * view.scale
    above = abs(one.emitter.height - other.emitter.height) * view.scale
    return beside < 18 and above < 14


COVERS = 0.4
"""A face that covers so much of the plan is drawn in outline [-]."""


@lru_cache(maxsize=512)
def _fixture(view: View, kept: Kept[Fixture], text: str, selected: bool, index: int, unit: int, picked: bool) -> Markup:
    fixture = kept.value
    e = fixture.emitter
    shapes: list[Markup] = []
    if view.kind == "plan":
        x, y = view.at(e.x, e.y)
        w, h = e.length * view.scale, max(4.0, e.width * view.scale)
        turn = f"rotate({-math.degrees(e.turn):.1f} {x:.1f} {y:.1f})"
        shapes.append(_box(x, y, max(w, HIT), max(h, HIT), class_="hit", transform=turn))
        # a face that would hide the drawing lets it through
        wide = w * h > COVERS * (view.right - view.left) * (view.bottom - view.top)
        shapes.append(_box(x, y, w, h, class_="face wide" if wide else "face", transform=turn, rx=2))
        # a long thin face carries its letter at the left end, clear of its neighbours' in the middle
        label_x = x - w / 2 + 9 if w > 60 and not e.turn else x
        shapes.append(el("circle", cx=label_x, cy=y, r=7.5, class_="badge"))
        shapes.append(el("text", text, x=label_x, y=y, dy="0.35em", class_="letter"))
    else:
        half = e.half_extent()[0 if view.kind == "front" else 1] * view.scale
        x, y = view.at(_across(view, fixture), -e.height)
        # light that leans to the right on paper lifts the right edge of the face
        normal = e.axes()[2]
        lean = math.atan2(normal[0 if view.kind == "front" else 1], -normal[2])
        tilt = f"rotate({-math.degrees(lean):.1f} {x:.1f} {y:.1f})" if lean else None
        if selected:
            shapes.append(_lobe(view, x, y, width_at_half(e.shape()), lean))
        shapes.append(_box(x, y - 4, max(2 * half, HIT), HIT, class_="hit"))
        shapes.append(
            _box(x, y - 4, max(2 * half / max(0.3, math.cos(lean)), 5.0), 8.0, class_="face", rx=2, transform=tilt)
        )
        if text:
            shapes.append(el("text", text, x=x, y=y - 13, class_="letter above"))
    state = "off" if fixture.output == 0 else "on"
    named = view.kind == "plan" and not selected
    label = f"{letter(index)}, {fixture.name}, {fixture.output:.0%}{', held with others' * picked}"
    return group(
        shapes,
        class_=f"fixture {state}{' selected' if selected else ''}{' picked' if picked else ''}",
        data_fixture=kept.id,
        data_unit=unit,
        data_view=view.kind,
        data_x=f"{e.x:.6g}",
        data_y=f"{e.y:.6g}",
        data_height=f"{e.height:.6g}",
        tabindex="0" if named else None,
        role="button" if named else None,
        aria_label=label if named else None,
        aria_hidden=None if named else "true",
    )


def _box(x: float, y: float, width: float, height: float, **attributes: object) -> Markup:
    return el(
        "rect", x=float(x - width / 2), y=float(y - height / 2), width=float(width), height=float(height), **attributes
    )


def _lobe(view: View, x: float, y: float, fwhm: float, lean: float) -> Markup:
    """The half-maximum rays of a lobe, down to the water."""
    left, right = ((view.top - y) * math.tan(max(-1.4, min(1.4, lean + side * fwhm / 2))) for side in (-1, 1))
    rays = points_path([(x + left, view.top), (x, y), (x + right, view.top)])
    return el("path", d=rays, class_="lobe")


def draw_dimensions(sheet: Sheet, fixtures: Sequence[Kept[Fixture]], measure: Measure) -> Markup:
    """Chains of dimensions to type over; one number serves all fixtures that share it."""
    plan, front = sheet.plan, sheet.front
    parts = [
        _line(plan.left, plan.top - 14, plan.right, plan.top - 14),
        _line(plan.left, plan.top - 18, plan.left, plan.top - 4),
        _line(plan.right + 12, plan.top, plan.right + 12, plan.bottom),
        _line(plan.right + 4, plan.bottom, plan.right + 16, plan.bottom),
        el("text", f"left, {measure.unit}", x=plan.left - 8, y=plan.top - 12, class_="note", text_anchor="end"),
        el("text", f"front, {measure.unit}", x=plan.right + 4, y=plan.top - 6, class_="note"),
        el("text", "to centres", x=plan.left - 8, y=plan.top - 25, class_="note", text_anchor="end"),
    ]
    chain = _shared(fixtures, lambda f: f.emitter.x)
    ticks = [plan.left + value * plan.scale for value, _ in chain]
    for (value, ids), tick, x in zip(chain, ticks, _apart(ticks, 44), strict=True):
        parts += [_line(tick, plan.top - 10, tick, plan.top - 18), _line(tick, plan.top - 18, x, plan.top - 22)]
        parts.append(_dimension("x", "from the left pane", value, ids, x, plan.top - 25, measure))
    chain = _shared(fixtures, lambda f: f.emitter.y)
    parts += _upright_chain(plan, [plan.at(0.0, y)[1] for y, _ in chain], "y", "from the front pane", chain, measure)
    chain = _shared(fixtures, lambda f: f.emitter.height)
    if chain:
        x = front.right + 12
        parts.append(_line(x, front.top - chain[-1][0] * front.scale, x, front.top))
        parts.append(_line(front.right + 8, front.top, x + 4, front.top))
    ticks = [front.top - height * front.scale for height, _ in chain]
    parts += _upright_chain(front, ticks, "height", "above the water line", chain, measure)
    return group(parts, class_="dimensions")


Chain = list[tuple[float, list[int]]]


def _upright_chain(
    view: View, ticks: list[float], field: str, words: str, chain: Chain, measure: Measure
) -> list[Markup]:
    """Ticks and numbers of a chain that runs up the right side of a view."""
    parts: list[Markup] = []
    x = view.right + 12
    for (value, ids), tick, y in zip(chain, ticks, _apart(ticks, 24), strict=True):
        parts += [_line(x - 4, tick, x + 4, tick), _line(x + 4, tick, x + 8, y)]
        parts.append(_dimension(field, words, value, ids, x + 22, y + 4, measure))
    return parts


def _line(x1: float, y1: float, x2: float, y2: float) -> Markup:
    return el("line", x1=float(x1), y1=float(y1), x2=float(x2), y2=float(y2), class_="dim-line")


def _apart(places: Sequence[float], gap: float) -> list[float]:
    """Move labels just far enough to keep ``gap`` from each other, every crowd about its own middle."""
    order = sorted(range(len(places)), key=lambda i: places[i])
    crowds: list[list[int]] = []

    def span(crowd: list[int]) -> tuple[float, float]:
        middle = sum(places[i] for i in crowd) / len(crowd)
        half = gap * (len(crowd) - 1) / 2
        return middle - half, middle + half

    for i in order:
        crowds.append([i])
        while len(crowds) > 1 and span(crowds[-1])[0] - span(crowds[-2])[1] < gap:
            last = crowds.pop()
            crowds[-1] += last
    moved = [0.0] * len(places)
    for crowd in crowds:
        start = span(crowd)[0]
        for k, i in enumerate(crowd):
            moved[i] = start + k * gap
    return moved


def _shared(fixtures: Sequence[Kept[Fixture]], value: Callable[[Fixture], float]) -> Chain:
    """Values that differ by a millimetre or more, each with the ids of the fixtures that have it."""
    found: dict[int, tuple[float, list[int]]] = {}
    for kept in fixtures:
        at = value(kept.value)
        found.setdefault(round(1000 * at), (at, []))[1].append(kept.id)
    return [found[mm] for mm in sorted(found)]


def _dimension(
    field: str, words: str, value: float, members: list[int], x: float, y: float, measure: Measure
) -> Markup:
    text = measure.number(value)
    width, tall = max(44.0, 7.0 * len(text) + 8), 40.0 if field == "x" else 24.0
    return group(
        [
            el("rect", x=x - width / 2, y=y - 4 - tall / 2, width=width, height=tall, class_="dim-hit", rx=2),
            el("text", text, x=x, y=y, class_="dim-text"),
        ],
        class_="dimension",
        data_field=field,
        data_ids=",".join(map(str, members)),
        data_text=text,
        tabindex="0",
        role="button",
        aria_label=f"{measure.length(value)} {words}: press Enter to type another",
    )


def draw_probe(sheet: Sheet, probe: WaterPoint) -> Markup:
    """The probe's cross-hair through all three views."""
    parts = []
    places = ((probe.x, probe.y), (probe.x, probe.depth), (probe.y, probe.depth))
    for view, place in zip(sheet.views(), places, strict=True):
        x, y = view.at(*place)
        parts.append(
            group(
                [
                    el("line", x1=x, y1=view.top, x2=x, y2=view.bottom, class_="hair"),
                    el("line", x1=view.left, y1=y, x2=view.right, y2=y, class_="hair"),
                    el("circle", cx=x, cy=y, r=12.0, class_="hit"),
                    el("circle", cx=x, cy=y, r=5.5, class_="probe-ring"),
                ],
                class_="probe",
                data_view=view.kind,
                tabindex="0" if view.kind == "plan" else None,
                role="button" if view.kind == "plan" else None,
                aria_label="Probe: arrow keys move it, page up and down change its depth"
                if view.kind == "plan"
                else None,
            )
        )
    return Markup("").join(parts)
