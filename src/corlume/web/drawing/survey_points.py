"""Points of a survey on a view: readings upright and dark, predictions slanted and grey."""

from __future__ import annotations

from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass

from markupsafe import Markup

from corlume.core.light.geometry import Tank
from corlume.core.survey.survey_record import MeasuringPoint
from corlume.formats.measure import Measure
from corlume.services.keeping.surveys import StoredSurvey
from corlume.web.drawing.drag_handles import draw_area
from corlume.web.drawing.sheet import Sheet, View, lay_out_pair
from corlume.web.drawing.svg import el, group
from corlume.web.drawing.tank import draw_frame, draw_rock


@dataclass(frozen=True, slots=True)
class PointMark:
    """A point with its number, its place [m], the PAR read and predicted there, whether it is an outlier, and how it
    looked without a meter.
    """

    id: int
    number: int
    name: str
    x: float
    y: float
    depth: float
    read: float | None
    predicted: float
    doubtful: bool = False
    seen: str = ""


def marks_of(
    survey: StoredSurvey, predicted: Mapping[int, float], doubtful: Container[MeasuringPoint] = ()
) -> list[PointMark]:
    """Points of a survey for the drawings, with PAR predicted there by their ids."""
    return [
        PointMark(
            kept.id, i, kept.value.name, *kept.value.place, survey.value.par(kept.value), predicted[kept.id],
            kept.value in doubtful, kept.value.seen,
        )
        for i, kept in enumerate(survey.spots, 1)
    ]  # fmt: skip


def draw_survey(
    tank: Tank,
    marks: Sequence[PointMark],
    measure: Measure,
    *,
    width: float,
    height: float,
    numbers: bool = False,
    grab: bool = False,
    narrow: bool = False,
) -> tuple[Sheet, Markup]:
    """Plan above front view with points, and the layout of both; see ``draw_points``."""
    sheet = lay_out_pair(tank, width=width, height=height, narrow=narrow)
    drawing = draw_frame(sheet, tank, measure)
    for view, at in ((sheet.plan, tank.water_depth), (sheet.front, tank.width / 2)):
        drawing += draw_rock(view, tank, at)
        if grab:
            drawing += draw_area(view, "spot-area")
        drawing += draw_points(view, marks, numbers=numbers, grab=measure if grab else None)
    return sheet, drawing


def _at(view: View, mark: PointMark) -> tuple[float, float]:
    u, v = {"plan": (mark.x, mark.y), "front": (mark.x, mark.depth), "side": (mark.y, mark.depth)}[view.kind]
    return view.at(u, v)


def reading_on(view: View, mark: PointMark) -> tuple[float, float, float, float]:
    """Area that a point with its number covers on a view: left, top, right, bottom."""
    x, y = _at(view, mark)
    return x - 5, y - 8, x + 26, y + 8


def draw_points(
    view: View, marks: Sequence[PointMark], *, numbers: bool = False, grab: Measure | None = None
) -> Markup:
    """Points on a view with PAR, or with their ``numbers``, beside them; with a measure to name their places in, they
    can be dragged and focused.
    """
    parts, taken = [], list[tuple[float, float, float]]()
    for mark in marks:
        x, y = _at(view, mark)
        par = mark.predicted if mark.read is None else mark.read
        text = str(mark.number) if numbers else mark.seen or f"{par:.0f}"
        state = mark.seen or ("read" if mark.read is not None else "told")
        shapes = [
            el("title", f"{mark.number}, {mark.name}"),
            el("circle", cx=x, cy=y, r=3.2, class_="spot-dot"),
            _number(view, text, x, y, taken),
        ]
        if mark.doubtful:
            shapes.append(el("path", d=f"M{x - 6:.1f} {y - 6:.1f}l12 12m0 -12l-12 12", class_="spot-doubt"))
        hold = _hold(view, mark, grab) if grab else {}
        if grab:
            shapes.insert(1, el("circle", cx=x, cy=y, r=11.0, class_="spot-grip"))
        parts.append(group(shapes, class_=f"spot {state}", data_spot=mark.id, **hold))
    return group(parts, class_="spots")


def _number(view: View, text: str, x: float, y: float, taken: list[tuple[float, float, float]]) -> Markup:
    """Place of a point's number to its right, or where it covers fewer others and stays inside the panes."""
    wide = DIGIT * len(text)
    ways = ((6 + wide / 2, 0.0), (-6 - wide / 2, 0.0), (0.0, -11.0), (0.0, 11.0), (wide / 2, -11.0), (wide / 2, 11.0))

    def cost(way: tuple[float, float]) -> float:
        middle, level = x + way[0], y + way[1]
        covered = sum(abs(middle - u) < (wide + w) / 2 and abs(level - v) < LINE for u, v, w in taken)
        return covered + 0.5 * (middle + wide / 2 > view.right or middle - wide / 2 < view.left)

    right, down = min(ways, key=cost)
    taken += [(x + right, y + down, wide), (x, y, 7.0)]
    return el("text", text, x=x + right, y=y + down, dy="0.35em", class_="spot-par", text_anchor="middle")


DIGIT, LINE = 6.6, 10.5
"""Width of a digit beside a spot and height of its line, in drawing units."""


def _hold(view: View, mark: PointMark, measure: Measure) -> dict[str, object]:
    """Attributes that make a point on a view draggable."""
    where = (
        f"{measure.length(mark.x)} from left, {measure.length(mark.y)} from front, {measure.length(mark.depth)} down"
    )
    place = {f"data_{axis}": f"{getattr(mark, axis):.4f}" for axis in ("x", "y", "depth")}
    return {
        "tabindex": 0, "role": "button", "aria_label": f"{mark.number}, {mark.name}, {where}", "data_view": view.kind,
        "data_scale": f"{view.scale:.6g}", "data_focus": f"spot-{mark.id}-{view.kind}", **place,
    }  # fmt: skip


def draw_left_out(rows: Sequence[tuple[float, float, bool]], width: float = 300.0, height: float = 260.0) -> Markup:
    """Readings over what all the others predict there, both in PAR on one scale: rows of expected, read, fits."""
    if not rows:
        return Markup("")
    left, bottom, top = 44.0, height - 34.0, 10.0
    most = 1.08 * max(max(expected, read) for expected, read, _ in rows)
    step = next((s for s in (10, 20, 50, 100, 200, 500, 1000) if most / s <= 6), 2000)

    def at(expected: float, read: float) -> tuple[float, float]:
        return left + expected / most * (width - left - 8), bottom - read / most * (bottom - top)

    parts = [el("path", d=f"M{left} {top}V{bottom}H{width - 8}", class_="trade-axis")]
    for k in range(int(most / step) + 1):
        x, y = at(k * step, k * step)
        parts.append(el("text", str(k * step), x=x, y=bottom + 13, class_="scale", text_anchor="middle"))
        parts.append(el("text", str(k * step), x=left - 5, y=y, dy="0.35em", class_="scale", text_anchor="end"))
    for factor, kind in ((1.0, "even"), (1.1, "tenth"), (1 / 1.1, "tenth")):
        far = most / max(1.0, factor)
        (x1, y1), (x2, y2) = at(0, 0), at(far, far * factor)
        parts.append(el("line", x1=x1, y1=y1, x2=x2, y2=y2, class_=f"left-out-{kind}"))
    for expected, read, fits in rows:
        x, y = at(expected, read)
        parts.append(el("circle", cx=x, cy=y, r=3.5, class_="left-out-dot" + ("" if fits else " doubtful")))
    middle = (left + width) / 2
    parts.append(el("text", "what all others say, PAR", x=middle, y=height - 6, class_="note", text_anchor="middle"))
    turned = f"translate(11 {(top + bottom) / 2:.0f}) rotate(-90)"
    parts.append(el("text", "read, PAR", class_="note", text_anchor="middle", transform=turned))
    label = "Each reading over what all the others say of its place; the dashed lines are a tenth off"
    return el(
        "svg", Markup("").join(parts), viewBox=f"0 0 {width:.0f} {height:.0f}", class_="left-out", role="img",
        aria_label=label,
    )  # fmt: skip
