"""A fixture's spectrum: photons over wavelength, one line for each channel and one for all of them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from markupsafe import Markup

from corlume.core.light.emitter import Channel
from corlume.core.light.spectrum import PAR_HIGH, PAR_LOW, WAVELENGTHS, photon_shares
from corlume.services.keeping.fixture_library import ChannelColour
from corlume.web.drawing.svg import el, group, points_path

WIDTH, HEIGHT, LEFT, BOTTOM, TOP = 460.0, 168.0, 14.0, 30.0, 16.0


def draw_spectrum(colours: Sequence[ChannelColour]) -> Markup:
    """Draw the photons of every channel at full level, relative to the highest of all together."""
    if not colours:
        return Markup("")
    lines = [(c.name, c.share * photon_shares(c.spectrum)) for c in colours]
    whole = np.sum([line for _, line in lines], axis=0)
    across, down = WIDTH - 2 * LEFT, HEIGHT - BOTTOM - TOP
    x = LEFT + (WAVELENGTHS - PAR_LOW) / (PAR_HIGH - PAR_LOW) * across

    def curve(values: np.ndarray) -> np.ndarray:
        return np.column_stack((x, TOP + down * (1 - values / whole[1:-1].max())))[1:-1]

    base = TOP + down
    parts = [el("line", x1=LEFT, y1=base, x2=WIDTH - LEFT, y2=base, class_="tick")]
    for nm in range(400, 701, 50):
        at = LEFT + (nm - PAR_LOW) / (PAR_HIGH - PAR_LOW) * across
        parts.append(el("line", x1=at, y1=base, x2=at, y2=base + 4, class_="tick"))
        parts.append(el("text", str(nm), x=at, y=base + 14, class_="scale", text_anchor="middle"))
    parts.append(el("text", "wavelength, nm", x=WIDTH / 2, y=base + 27, class_="note", text_anchor="middle"))
    if len(lines) > 1:
        for name, line in lines:
            points = curve(line)
            top = points[int(points[:, 1].argmin())]
            parts.append(el("path", d=points_path(points), class_="spectrum-channel"))
            parts.append(
                el(
                    "text",
                    name,
                    x=float(top[0]),
                    y=float(top[1]) - 4,
                    class_="note spectrum-name",
                    text_anchor="middle",
                )
            )
    parts.append(el("path", d=points_path(curve(whole)), class_="spectrum-curve"))
    label = "Photons by wavelength from 400 to 700 nm, relative"
    return el("svg", group(parts), viewBox=f"0 0 {WIDTH:.0f} {HEIGHT:.0f}", role="img", aria_label=label)


STRIP, STRIP_HEIGHT, BINS = 72.0, 30.0, 12
BIN_COLOURS = (
    "#5b2a9a", "#3d3fc0", "#2458d0", "#1f7ec8", "#1b9fa6", "#1f9d55", "#57a52d", "#a3a51f", "#cf9a1c", "#d8751f",
    "#d2492a", "#b32d35",
)  # fmt: skip
"""A colour for each 25 nm from 400 to 700 nm, about as the eye sees them."""


def draw_colours(channels: Sequence[Channel]) -> Markup:
    """A small picture of a mix of colours: photons in steps of 25 nm, each in about its own colour."""
    whole = np.sum([c.share * photon_shares(c.spectrum) for c in channels], axis=0)
    edges = np.linspace(PAR_LOW, PAR_HIGH, BINS + 1)
    heights = np.histogram(WAVELENGTHS, edges, weights=whole)[0].tolist()
    wide, most = STRIP / BINS, max(heights)
    bars = []
    for k, height in enumerate(heights):
        tall = max(1.0, (STRIP_HEIGHT - 2) * height / most)
        bars.append(el("rect", x=k * wide, y=STRIP_HEIGHT - tall, width=wide - 0.5, height=tall, fill=BIN_COLOURS[k]))
    return el("svg", *bars, viewBox=f"0 0 {STRIP:.0f} {STRIP_HEIGHT:.0f}", class_="colour-picture", aria_hidden="true")
