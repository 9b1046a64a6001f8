"""Build SVG text with everything escaped."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
from markupsafe import Markup, escape


def el(tag: str, *children: str | Markup, **attributes: object) -> Markup:
    """One element; ``class_`` and ``data_x`` become class and data-x, None and False leave an attribute out."""
    parts = [f"<{tag}"]
    for name, value in attributes.items():
        if value is None or value is False:
            continue
        text = f"{value:.1f}" if isinstance(value, float) else "" if value is True else str(value)
        parts.append(f' {name.rstrip("_").replace("_", "-")}="{escape(text)}"')
    return Markup("".join(parts) + ">" + "".join(str(escape(child)) for child in children) + f"</{tag}>")


def group(children: Iterable[Markup], **attributes: object) -> Markup:
    """A <g> around some elements."""
    return el("g", Markup("").join(children), **attributes)


def points_path(points: np.ndarray | Sequence[Sequence[float]], *, closed: bool = False) -> str:
    """Path data through points (n, 2) in drawing units."""
    plain = points.tolist() if isinstance(points, np.ndarray) else points  # numpy's own floats format slowly
    text = "M" + "L".join([f"{x:.1f} {y:.1f}" for x, y in plain])
    return text + "Z" if closed else text
