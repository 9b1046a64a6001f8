"""Estimate a fixture from its watts and technology alone, a few readings, or a published PAR grid.

PAR is linear in the flux, and in the intensity of the lobe: one width is found by least squares; two rings, or a table
over the angle, are put together of narrow parts by non-negative least squares, where there are readings enough.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import FieldError, InvalidInput
from corlume.core.light.efficacy import usual_efficacy
from corlume.core.light.emitter import Emitter
from corlume.core.light.field import Medium, channel_fields
from corlume.core.light.geometry import Pane, Tank
from corlume.core.light.lobe import RingLobe, TableLobe, width_at_half
from corlume.core.light.pane_reflection import return_table
from corlume.core.light.technology import TECHNOLOGIES, TechnologyKey
from corlume.core.light.water import Water
from corlume.core.units import DEGREE

Array = NDArray[np.float64]
Where = Literal["tank", "open", "air"]
WHERE: dict[Where, str] = {"tank": "in a tank", "open": "in open water", "air": "in air"}
AGES: dict[str, tuple[str, float]] = {
    "": ("of the last five years", 1.0), "older": ("five to ten years old", 0.75), "old": ("older still", 0.55),
}  # fmt: skip
"""How old the make of an LED fixture is, and its efficacy against a new one [-]; ours. Lamps have hardly changed."""
SPREAD = (0.6, 1.6)
"""What is seen on sale, as shares of the usual efficacy [-]; from memory and ours."""
NOISE = 0.05
WIDTH_SD, RETURN_SD = 25 * DEGREE, 0.15
"""How far the usual width, and the return as it was told, can be off."""
KNOWN = 0.7
"""A number is told by the readings when they leave less than this of what was not known of it [-]."""
PART_WIDTHS = tuple(float(w) * DEGREE for w in (20, 30, 40, 50, 60, 75, 90, 105, 120, 140, 160))
TABLE_STEP, SMOOTHING = 7.5 * DEGREE, 0.3
RINGS_FROM, TABLE_FROM = 8, 25
"""Readings from which two rings, and a table, are tried; they are taken when what they leave is so much less than what
the simpler lobe leaves that Schwarz's criterion pays for their numbers [28], and that is more than ``FINE``."""
MORE_OF_RINGS, MORE_OF_TABLE = 3, 9
"""Numbers that two rings, and a table, have over the simpler lobe."""
FINE = 0.01
IN_WATER = 0.75
"""A depth of water counts as so much of it in air, for the angle at which a place is seen from above [-]."""
DARK = Pane("plain", 0.0)


@dataclass(frozen=True, slots=True)
class FixtureEstimate:
    """A fixture estimated from readings.

    Parameters
    ----------
    emitter : with its flux and its lobe; at the place where it was measured.
    lobe : how the lobe is given, in words.
    flux_sd : standard deviation of the flux, as a share of it [-].
    width, width_sd : at half maximum [rad]; the deviation is 0 where the width is taken as usual.
    share : of the panes' return, or None where they have none or it cannot be told.
    predicted : PAR at the readings (n,) [umol/m2/s].
    rms : root mean square of readings over the fit, less one [-].
    notes : what was taken to be as usual, or as it was told, and why.
    """

    emitter: Emitter
    lobe: str
    flux_sd: float
    width: float
    width_sd: float
    share: float | None
    predicted: tuple[float, ...]
    rms: float
    notes: tuple[str, ...]


def usual_emitter(technology: TechnologyKey, ppf: float, *, length: float | None = None, width: float | None = None,
                  height: float = 0.25) -> Emitter:  # fmt: skip
    """A typical emitter of a technology, with a face of its usual size where none is said."""
    usual = TECHNOLOGIES[technology]
    return Emitter(technology, ppf, usual.fwhm, length or usual.length, width or usual.width, 0.0, 0.0, height)


def flux_of_watts(technology: TechnologyKey, watts: float, age: str = "") -> float:
    """Photon flux of a typical fixture of so many watts [umol/s]; ``age`` is one of ``AGES``, for LEDs."""
    aged = AGES[age][1] if TECHNOLOGIES[technology].wears == "led" else 1.0
    return usual_efficacy(technology) * aged * watts


def bench(where: Where, *, depth: float, tank: tuple[float, float] | None = None, pane: Pane = DARK) -> Tank:
    """Surroundings of a fixture's measurement: a tank with equal panes, water without panes, or air.

    ``depth`` is down to the deepest reading, or in air the distance to the farthest [m].
    """
    size = tank or (5.0, 5.0)
    water = Water("plain", attenuation=0.0, index=1.0) if where == "air" else Water()
    sides = pane if where == "tank" else DARK
    depth = min(2.0, max(0.05, depth + 0.02))
    return Tank(
        *size, depth, rim_height=0.0, sand=0.0, sand_albedo=0.0, rock_albedo=0.0, water=water, left=sides, right=sides,
        front=sides, back=sides, room_height=5.0,
    )  # fmt: skip


def estimate_fixture(tank: Tank, start: Emitter, points: Array, par: Array) -> FixtureEstimate:
    """Fit flux and lobe of a fixture to readings.

    Parameters
    ----------
    tank : what it was measured in.
    start : where it hung, with its usual flux and lobe.
    points : (n, 3) of the readings [m].
    par : (n,) [umol/m2/s].

    Raises ``InvalidInput`` by the field "readings" when none of its light reaches a reading.
    """
    from scipy.optimize import least_squares

    medium = Medium.of(tank)
    noise = np.sqrt(NOISE**2 + (1 / par) ** 2)
    walls = any(pane.factor > 0 for pane in tank.panes())
    told = tank.left.factor

    def field(fwhm: float, share: float) -> Array:
        # the solver may step a hair past a bound
        here, share = medium, min(1.0, max(0.0, share))
        if walls and share != told:
            panes = np.array([return_table(replace(pane, factor=share), tank.index) for pane in tank.panes()])
            here = replace(medium, panes=panes)
        lit = channel_fields(here, replace(start, ppf=1.0, fwhm=fwhm, lobe=None), points).sum(axis=0)
        return np.asarray(lit, dtype=np.float64)

    if field(start.fwhm, told).min() <= 0:
        raise InvalidInput([FieldError("readings", "are where none of its light comes: check height and positions")])

    def residuals(v: Array) -> Array:
        model = np.log(np.maximum(1e-12, field(v[1], v[2]))) + v[0]
        return np.concatenate(
            [(np.log(par) - model) / noise, [(v[1] - start.fwhm) / WIDTH_SD, (v[2] - told) / RETURN_SD]]
        )

    first = np.array([float(np.mean(np.log(par / field(start.fwhm, told)))), start.fwhm, told])
    low, high = [-20.0, 15 * DEGREE, -1e-6], [20.0, 168 * DEGREE, 1.0 + 1e-6]
    scale = (1.0, 0.2, 0.2)
    found = least_squares(residuals, np.clip(first, low, high), bounds=(low, high), x_scale=scale, diff_step=1e-3)
    vector, sd = found.x, np.sqrt(np.diag(np.linalg.inv(found.jac.T @ found.jac)))
    notes = list[str]()
    keep = [True, bool(sd[1] < KNOWN * WIDTH_SD), walls and bool(sd[2] < KNOWN * RETURN_SD)]
    if not keep[1]:
        notes.append(f"The readings do not show its beam angle: assumed {start.fwhm / DEGREE:.0f} degrees, as usual.")
    if walls and not keep[2]:
        notes.append(
            f"These readings cannot separate PPF and pane reflectance; assumed pane reflectance: "
            f"{100 * told:.0f} %, as you said. Readings near a pane and away from it would tell both."
        )
    if not all(keep):
        free = [k for k in range(3) if keep[k]]

        def some(part: Array) -> Array:
            whole = first.copy()
            whole[free] = part
            return residuals(whole)

        again = least_squares(
            some, np.clip(first, low, high)[free], bounds=([low[k] for k in free], [high[k] for k in free]),
            x_scale=[scale[k] for k in free], diff_step=1e-3,
        )  # fmt: skip
        vector = first.copy()
        vector[free] = again.x
    share = float(np.clip(vector[2], 0.0, 1.0))
    predicted = math.exp(vector[0]) * field(float(vector[1]), share)
    one = replace(start, ppf=math.exp(float(vector[0])), fwhm=float(vector[1]), lobe=None)
    best = (one, predicted, f"one beam of {vector[1] / DEGREE:.0f} degrees")
    for made, more in ((_rings, MORE_OF_RINGS), (_table, MORE_OF_TABLE)):
        best = _better(best, made(tank, medium, one, share, points, par), par, more)
    emitter, predicted, words = best
    return FixtureEstimate(
        emitter=emitter,
        lobe=words,
        flux_sd=float(math.hypot(sd[0] if keep[1] else max(sd[0], 0.1), METER)),
        width=width_at_half(emitter.shape()),
        width_sd=float(sd[1]) if keep[1] else 0.0,
        share=share if keep[2] else None,
        predicted=tuple(predicted.tolist()),
        rms=_rms(predicted, par),
        notes=tuple(notes),
    )


METER = 0.05
"""What a meter may be off by as a whole [-]: it is in the flux, and no number of readings takes it away."""
Try = tuple[Emitter, Array, str]


def _rms(predicted: Array, par: Array) -> float:
    return float(np.sqrt(np.mean((predicted / par - 1) ** 2)))


def _better(now: Try, other: Try | None, par: Array, more: int) -> Try:
    if other is None or _rms(now[1], par) < FINE:
        return now
    gain = 2 * len(par) * math.log(_rms(now[1], par) / max(1e-9, _rms(other[1], par)))
    return other if gain > more * math.log(len(par)) else now


def _unit(medium: Medium, emitter: Emitter, points: Array) -> Array:
    found: Array = channel_fields(medium, replace(emitter, ppf=1.0), points).sum(axis=0)
    return found


def _walled(tank: Tank, medium: Medium, share: float) -> Medium:
    panes = [return_table(replace(pane, factor=share) if pane.factor else pane, tank.index) for pane in tank.panes()]
    return replace(medium, panes=np.array(panes))


def _rings(tank: Tank, medium: Medium, one: Emitter, share: float, points: Array, par: Array) -> Try | None:
    """The best two concentric beams."""
    from scipy.optimize import nnls

    if len(par) < RINGS_FROM:
        return None
    here = _walled(tank, medium, share)
    columns = np.stack([_unit(here, replace(one, fwhm=width), points) for width in PART_WIDTHS], axis=1)
    # a beam between the readings, that none of them sees, could be anything
    aside = np.hypot(points[:, 0] - one.x, points[:, 1] - one.y)
    nearest = float(np.arctan2(aside, one.height + IN_WATER * points[:, 2]).min())
    seen = [k for k, width in enumerate(PART_WIDTHS) if 0.5 * width >= nearest]
    tries = []
    for a, b in itertools.combinations(seen, 2):
        parts, left = nnls(columns[:, [a, b]] / par[:, None], np.ones(len(par)))
        if parts.min() > 0:
            tries.append((left, a, b, parts))
    if not tries:
        return None
    _, a, b, parts = min(tries, key=lambda one_try: one_try[0])
    flux = float(parts.sum())
    lobe = RingLobe(((float(parts[0] / flux), PART_WIDTHS[a]), (float(parts[1] / flux), PART_WIDTHS[b])))
    words = f"two beams, {100 * parts[0] / flux:.0f} % in {PART_WIDTHS[a] / DEGREE:.0f} degrees and the rest in " \
        f"{PART_WIDTHS[b] / DEGREE:.0f}"  # fmt: skip
    emitter = replace(one, ppf=flux, lobe=lobe, fwhm=width_at_half(lobe))
    return emitter, columns[:, [a, b]] @ parts, words


def _table(tank: Tank, medium: Medium, one: Emitter, share: float, points: Array, par: Array) -> Try | None:
    """The lobe as a table over the angle, smooth where there are no readings."""
    from scipy.optimize import nnls

    if len(par) < TABLE_FROM:
        return None
    here = _walled(tank, medium, share)
    angles = np.arange(0.0, math.pi / 2 + 1e-9, TABLE_STEP)
    hats = [
        TableLobe(tuple(angles), (0.0,), tuple((1.0 if k == j else 0.0,) for j in range(len(angles))))
        for k in range(len(angles) - 1)
    ]
    columns = np.stack([_unit(here, replace(one, lobe=hat), points) for hat in hats], axis=1)
    # a hat's light per unit of its height: intensities, not fluxes, are to be smooth
    flux = np.array([1 / float(hat.table()[:, 0].max()) for hat in hats])
    scaled = columns * flux
    bend = np.diff(np.eye(len(hats)), 2, axis=0) * float(np.median(scaled[scaled > 0])) / float(np.median(par))
    heights, _ = nnls(
        np.concatenate([scaled / par[:, None], SMOOTHING * bend]),
        np.concatenate([np.ones(len(par)), np.zeros(len(bend))]),
    )
    if heights.max() <= 0:
        return None
    values = tuple((float(h),) for h in (*heights / heights.max(), 0.0))
    lobe = TableLobe(tuple(angles), (0.0,), values)
    emitter = replace(one, ppf=float(heights @ flux), lobe=lobe, fwhm=min(2.9, max(0.2, width_at_half(lobe))))
    return emitter, scaled @ heights, "a table over the angle"
