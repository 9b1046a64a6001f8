"""One day on a time axis: light at corals, power by group, and the lane of each group with its points."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from markupsafe import Markup
from numpy.typing import NDArray

from corlume.core.light.light_group import DAY, LightGroup
from corlume.store.tables import Kept
from corlume.web.drawing.svg import el, group, points_path

Array = NDArray[np.float64]
TOP, LIGHT, POWER, LANE, GAP, FOOT = 18.0, 150.0, 96.0, 92.0, 32.0, 30.0
"""Heights of the parts of the drawing, in its units."""
APART = 13.0
"""Least distance between two labels at the ends of lines."""
Scale = Callable[[float], float]


@dataclass(frozen=True, slots=True)
class Line:
    """PAR (n,) of a place over the day [umol/m2/s], with its label."""

    label: str
    par: Array


@dataclass(frozen=True, slots=True)
class DayDrawing:
    """Measures of the drawing: its width, and where the time axis begins and ends in it."""

    width: float
    left: float
    right: float

    def x(self, minute: float) -> float:
        """Place of a minute of the day."""
        return self.left + (self.right - self.left) * minute / DAY


WIDE, NARROW = DayDrawing(860.0, 46.0, 730.0), DayDrawing(340.0, 40.0, 328.0)


def draw_day(
    lines: Sequence[Line], power: Sequence[tuple[str, Array]], groups: Sequence[Kept[LightGroup]], *,
    most: float, now: float | None, narrow: bool = False,
) -> Markup:  # fmt: skip
    """The drawing; ``power`` holds the watts of each group by the minute, ``most`` what the circuit bears for them [W],
    ``now`` the minute to mark.
    """
    on = NARROW if narrow else WIDE
    minutes = np.arange(0.0, DAY)
    parts, y = list[Markup](), TOP
    if lines:
        parts += _light(on, minutes, lines, y)
        y += LIGHT + GAP
    parts += _power(on, minutes, power, y, most)
    y += POWER + GAP
    for kept in groups:
        parts += _lane(on, kept, y)
        y += LANE + 10.0
    base = y - 4.0
    grid = [_hour(on, hour, base) for hour in range(0, 25, 6 if narrow else 3)]
    if now is not None:
        x = on.x(now)
        parts.append(el("path", d=f"M{x:.1f} {TOP}V{base}", class_="day-now"))
        late = x > on.right - 30
        anchor = "end" if late else "start"
        parts.append(el("text", "now", x=x - 3 if late else x + 3, y=TOP + 8, class_="scale", text_anchor=anchor))
    return el(
        "svg", group(grid), group(parts), viewBox=f"0 0 {on.width:.0f} {base + FOOT:.0f}", role="group", class_="day",
        aria_label="One day: PAR at corals, power of each group, and the points of each group's schedule",
    )  # fmt: skip


def _hour(on: DayDrawing, hour: int, base: float) -> Markup:
    x = on.x(60 * hour)
    anchor = "start" if hour == 0 else "end" if hour == 24 and on is NARROW else "middle"
    return group(
        [
            el("path", d=f"M{x:.1f} {TOP}V{base}", class_="day-grid"),
            el("text", f"{hour}:00", x=x, y=base + 16, class_="scale", text_anchor=anchor),
        ]
    )


def _axis(on: DayDrawing, top: float, height: float, most: float, unit: str) -> tuple[list[Markup], Scale]:
    """An axis of values at the left from 0 to ``most``, and where a value is."""
    step = next(s * 10**k for k in range(-1, 6) for s in (1, 2, 5) if most / (s * 10**k) <= 4)
    high = step * math.ceil(max(most, step) / step - 1e-9)

    def y(value: float) -> float:
        return float(top + height * (1 - value / high))

    parts = [el("text", unit, x=on.left - 6, y=top - 3, class_="scale", text_anchor="end")]
    for k in range(round(high / step) + 1):
        at = y(k * step)
        parts.append(el("path", d=f"M{on.left} {at:.1f}H{on.right}", class_="day-line"))
        if at > top + 8:
            parts.append(
                el("text", f"{k * step:g}", x=on.left - 6, y=at, dy="0.35em", class_="scale", text_anchor="end")
            )
    return parts, y


def _light(on: DayDrawing, minutes: Array, lines: Sequence[Line], top: float) -> list[Markup]:
    """PAR over the day, each line labelled at its greatest value."""
    parts, y = _axis(on, top, LIGHT, max(1.0, *(float(line.par.max()) for line in lines)), "PAR")
    ends = sorted(((y(float(line.par.max())), k) for k, line in enumerate(lines)))
    labels, last = dict[int, float](), -math.inf
    for at, k in ends:
        last = labels[k] = max(at, last + APART)
    for k, line in enumerate(lines):
        places = np.column_stack((on.left + (on.right - on.left) * minutes / DAY, [y(float(p)) for p in line.par]))
        parts.append(el("path", d=points_path(places[::3]), class_=f"day-par day-par-{k}"))
        if on is WIDE:
            begin = float(np.argmax(line.par)), y(float(line.par.max()))
            parts.append(el("path", d=f"M{on.right} {begin[1]:.1f}L{on.right + 8} {labels[k]:.1f}", class_="day-lead"))
            parts.append(el("text", line.label, x=on.right + 11, y=labels[k], dy="0.35em", class_="day-label"))
    return parts


def _power(on: DayDrawing, minutes: Array, power: Sequence[tuple[str, Array]], top: float, most: float) -> list[Markup]:
    """Power of the groups, one upon the other, and what the circuit bears where that is near."""
    total = sum((watts for _, watts in power), np.zeros(len(minutes)))
    highest = float(total.max())
    near = most < 1.5 * highest
    parts, y = _axis(on, top, POWER, max(10.0, highest, most if near else 0.0), "W")
    xs = on.left + (on.right - on.left) * minutes / DAY
    below = np.zeros(len(minutes))
    for k, (name, watts) in enumerate(power):
        above = below + watts
        ends = [np.column_stack((xs, [y(float(w)) for w in edge]))[::3] for edge in (above, below)]
        parts.append(el("path", d=points_path(np.concatenate([ends[0], ends[1][::-1]]), closed=True), class_=_area(k)))
        at = int(np.argmax(watts))
        if watts[at] > 0 and on is WIDE:
            middle = y(float((below + above)[at] / 2))
            parts.append(
                el("text", f"{name} {watts[at]:.0f} W", x=on.right + 11, y=middle, dy="0.35em", class_="day-label")
            )
        below = above
    if near:
        parts.append(el("path", d=f"M{on.left} {y(most):.1f}H{on.right}", class_="day-limit"))
        parts.append(el("text", f"circuit {most:.0f} W", x=on.left + 4, y=y(most) - 4, class_="scale"))
    return parts


def _area(index: int) -> str:
    return f"day-area day-area-{index % 4}"


def _lane(on: DayDrawing, kept: Kept[LightGroup], top: float) -> list[Markup]:
    """The lane of a group: its level over the day, with points to be moved."""
    lane, height = kept.value, LANE - 22.0
    low = top + LANE - 4.0

    def y(level: float) -> float:
        return low - height * level

    minutes = np.unique(np.concatenate([np.arange(0.0, DAY, 4.0), *([p.minute, p.minute - 0.01] for p in lane.points)]))
    minutes = minutes[(minutes >= 0) & (minutes < DAY)]
    levels = lane.master(minutes)
    edge = np.column_stack(([on.x(m) for m in minutes], [y(v) for v in levels]))
    floor = [[on.x(DAY - 0.01), y(float(levels[-1]))], [on.x(DAY), low], [on.left, low]]
    parts = [
        el("rect", x=on.left, y=y(1.0), width=on.right - on.left, height=height, class_="day-lane"),
        el("path", d=points_path(np.concatenate([edge, floor]), closed=True), class_="day-level"),
        el("text", lane.name, x=on.left + 3, y=y(1.0) - 5, class_="day-name"),
        el("text", "100 %", x=on.left - 6, y=y(1.0), dy="0.35em", class_="scale", text_anchor="end"),
        el("text", "0", x=on.left - 6, y=low, dy="0.35em", class_="scale", text_anchor="end"),
    ]
    per_minute = (on.right - on.left) / DAY
    for k, point in enumerate(lane.points):
        x, at = on.x(point.minute), y(point.level)
        label = f"{lane.name}, point {k + 1}: {point.time:%H:%M}, {100 * point.level:.0f} %"
        parts.append(
            group(
                [
                    el("circle", cx=x, cy=at, r=14.0, class_="day-hold"),
                    el("circle", cx=x, cy=at, r=5.0, class_="day-dot"),
                    el("title", label),
                ],
                tabindex="0", role="slider", class_="day-point", data_group=str(kept.id), data_point=str(k),
                data_minute=f"{point.minute:g}", data_level=f"{point.level:g}", data_across=f"{per_minute:.6f}",
                data_focus=f"point-{kept.id}-{k}", data_up=f"{height:g}", data_switch=lane.ramp == "switch",
                aria_label=label,
                aria_valuetext=f"{point.time:%H:%M}, {100 * point.level:.0f} %",
                aria_valuenow=f"{100 * point.level:.0f}",
            )
        )  # fmt: skip
    return parts


def short_labels(names: Sequence[str], room: int = 17) -> list[str]:
    """Names cut to what a label has room for, at a word where that can be."""
    return [name if len(name) <= room else name[: room - 1].rsplit(" ", 1)[0].rstrip(" (,") for name in names]
