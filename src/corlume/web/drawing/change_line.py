"""Small curves of a slow change: a coral's light from step to step, beside its target range."""

from __future__ import annotations

from collections.abc import Sequence

from markupsafe import Markup

from corlume.web.drawing.svg import el, group

WIDTH, HEIGHT, LEFT, BOTTOM, TOP = 210.0, 84.0, 30.0, 16.0, 8.0


def draw_change(before: float, values: Sequence[float], low: float, high: float, unit: str) -> Markup:
    """The light before, dashed, and after each step, over the target range."""
    most = 1.1 * max(before, high, *values)

    def x(step: float) -> float:
        return LEFT + (WIDTH - LEFT - 4) * (step + 1) / (len(values) + 1)

    def y(value: float) -> float:
        return TOP + (HEIGHT - TOP - BOTTOM) * (1 - value / most)

    path = f"M{x(0):.1f} {y(before):.1f}" + "".join(f"V{y(v):.1f}H{x(k + 1):.1f}" for k, v in enumerate(values))
    parts = [
        el("rect", x=LEFT, y=y(high), width=WIDTH - LEFT - 4, height=y(low) - y(high), class_="line-band"),
        el("path", d=f"M{LEFT} {TOP}V{HEIGHT - BOTTOM}H{WIDTH - 4}", class_="line-axis"),
        el("path", d=f"M{x(-1):.1f} {y(before):.1f}H{x(0):.1f}", class_="change-before"),
        el("path", d=path, class_="line-light"),
        el("text", f"{most / 1.1:.3g}", x=LEFT - 4, y=y(most / 1.1), dy="0.35em", class_="line-tick"),
        el("text", "0", x=LEFT - 4, y=HEIGHT - BOTTOM, dy="0.35em", class_="line-tick"),
        el("text", "before", x=x(-1), y=HEIGHT - 4, class_="scale"),
        el("text", f"step {len(values) - 1}", x=WIDTH - 4, y=HEIGHT - 4, class_="scale", text_anchor="end"),
    ]
    label = f"From {before:.3g} to {values[-1]:.3g} {unit} over {len(values) - 1} steps"
    return el("svg", group(parts), viewBox=f"0 0 {WIDTH:.0f} {HEIGHT:.0f}", role="img", aria_label=label)
