"""Build SVG text with everything escaped."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import cache
from html import escape

import numpy as np
from markupsafe import Markup


def el(tag: str, *children: str | Markup, **attributes: object) -> Markup:
    """One element; ``class_`` and ``data_x`` become class and data-x, None and False leave an attribute out."""
    parts = [f"<{tag}"]
    for name, value in attributes.items():
        if value is None or value is False:
            continue
        # a chart has a thousand elements: numbers need no escaping, and markupsafe's own escape is slow on scraps
        text = f"{value:.1f}" if isinstance(value, float) else "" if value is True else escape(str(value))
        parts.append(f' {_attribute(name)}="{text}"')
    inside = "".join([child if isinstance(child, Markup) else escape(child) for child in children])
    return Markup(f"{''.join(parts)}>{inside}</{tag}>")


@cache
def _attribute(name: str) -> str:
    return name.rstrip("_").replace("_", "-")


def group(children: Iterable[Markup], **attributes: object) -> Markup:
    """A <g> around some elements."""
    return el("g", Markup("".join(children)), **attributes)


def points_path(points: np.ndarray | Sequence[Sequence[float]], *, closed: bool = False) -> str:
    """Path data through points (n, 2) in drawing units."""
    return pieces_path([np.asarray(points, dtype=np.float64)], closed=closed)


def pieces_path(pieces: Sequence[np.ndarray], *, closed: bool = False) -> str:
    """Path data of several lines, each through points (n, 2) in drawing units."""
    if not pieces:
        return ""
    # the text of one long list is made much faster than that of each number; gaps part the lines in it
    parted = [part for piece in pieces for part in (piece, _GAP)][:-1]
    text = str(np.concatenate(parted).round(1).ravel().tolist())[1:-1]
    end = "Z" if closed else ""
    return "M" + text.replace(", nan, nan, ", end + "M").replace(" ", "") + end


_GAP = np.full((1, 2), np.nan)
