"""The light model against closed forms, conservation, published optics and an independent renderer."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import product
from typing import Any

import numpy as np
import pytest
import tmm
from scipy import integrate

from corlume.core.judging.light_zones import surfaces
from corlume.core.light.emitter import Emitter
from corlume.core.light.field import Medium, channel_fields, grid, unit_field
from corlume.core.light.fixture import Fixture, bodies_below
from corlume.core.light.flux_budget import flux_budget, front_share
from corlume.core.light.geometry import Brace, Colony, Pane, Rock, Tank
from corlume.core.light.lobe import lobe_exponent
from corlume.core.light.pane_reflection import slab_return
from corlume.core.light.water import Water
from corlume.core.light.water_surface import entry_tangent, fresnel_transmittance, steepest_tangent
from corlume.core.units import DEGREE, INCH
from corlume.services.light.fields import par_at
from tests.photon_tracer import trace
from tests.renderer import rendered

BLACK, MIRROR = Pane("plain", 0.0), Pane("plain", 1.0)


def tank(pane: Pane = BLACK, **changes: object) -> Tank:
    """A box of 60 cm with four panes alike, nothing lost in the water, no rim, no sand."""
    values: dict[str, object] = {"length": 0.6, "width": 0.6, "water_depth": 0.6, "rim_height": 0.0, "sand": 0.0}
    water = {"attenuation": changes.pop("attenuation", 0.0), "index": changes.pop("index", 1.34)}
    values |= {
        "water": Water("plain", **water),  # type: ignore[arg-type]
        "sand_albedo": 0.0,
        "rock_albedo": 0.0,
        "left": pane,
        "right": pane,
        "front": pane,
        "back": pane,
    }
    return Tank(**(values | changes))  # type: ignore[arg-type]


def lamp(x: float = 0.3, y: float = 0.3, height: float = 0.25, **changes: object) -> Emitter:
    """A Lambert face of 10 x 10 cm that gives 1 umol/s."""
    values: dict[str, object] = {
        "technology": "led_cluster",
        "ppf": 1.0,
        "fwhm": 120 * DEGREE,
        "length": 0.1,
        "width": 0.1,
    }
    return Emitter(**(values | {"x": x, "y": y, "height": height} | changes))  # type: ignore[arg-type]


def par(where: Tank, emitter: Emitter, *points: tuple[float, float, float], step: float = 0.35) -> np.ndarray:
    return unit_field(Medium.of(where), emitter, np.array(points), step=step)


# ---- no water optics: configuration factors ----


def test_point_source_without_water_follows_cos4_law() -> None:
    # E = (Phi / pi) cos^4(theta) / H^2 for a small Lambert source
    air = tank(index=1.0, length=4.0, width=4.0)
    small = lamp(2.0, 2.0, 0.5, length=0.001, width=0.001)
    for aside in (0.0, 0.3, 0.8):
        theta = math.atan2(aside, 0.9)
        expected = math.cos(theta) ** 4 / (math.pi * 0.9**2)
        assert par(air, small, (2.0 + aside, 2.0, 0.4))[0] == pytest.approx(expected, rel=1e-4)


def test_rectangle_without_water_matches_its_configuration_factor() -> None:
    # Siegel and Howell, catalogue: differential element to parallel rectangle, corner above the element
    air = tank(index=1.0)
    a, b, c = 0.2, 0.15, 0.3
    x, y = a / c, b / c
    factor = (
        x / math.hypot(1, x) * math.atan(y / math.hypot(1, x)) + y / math.hypot(1, y) * math.atan(x / math.hypot(1, y))
    ) / (2 * math.pi)
    face = lamp(0.1 + a / 2, 0.1 + b / 2, 0.2, length=a, width=b)
    assert par(air, face, (0.1, 0.1, 0.1), step=0.1)[0] == pytest.approx(factor / (a * b), rel=2e-4)


def test_line_source_without_water_matches_its_integral() -> None:
    air = tank(index=1.0, length=2.0)
    tube = lamp(1.0, 0.3, 0.2, technology="t5_tube", length=1.15, width=0.001)
    h = 0.5

    def lambert(s: float) -> float:
        return h**2 / (math.pi * ((s - 0.2) ** 2 + 0.1**2 + h**2) ** 2 * 1.15)

    expected = integrate.quad(lambert, -0.575, 0.575)[0]
    assert par(air, tube, (1.2, 0.4, 0.3))[0] == pytest.approx(expected, rel=2e-4)


# ---- the surface and the panes ----


def transmittance(angle_in: float, n_in: float, n_out: float) -> float:
    """Share that passes at an angle to the normal; 0 past the critical one."""
    sin_out = n_in * math.sin(angle_in) / n_out
    passes = sin_out < 1.0
    return fresnel_transmittance(math.cos(angle_in), math.sqrt(1 - sin_out**2), n_in, n_out) if passes else 0.0


@pytest.mark.parametrize(("angle", "expected"), [(0, 0.978888), (30, 0.977801), (60, 0.938995), (75, 0.785442)])
def test_fresnel_agrees_with_reference(angle: float, expected: float) -> None:
    # values of a physically based renderer; and the package tmm, mean of both polarisations
    assert transmittance(angle * DEGREE, 1.0, 1.34) == pytest.approx(expected, abs=2e-6)
    both = [1 - tmm.interface_R(p, 1.0, 1.34, angle * DEGREE, tmm.snell(1.0, 1.34, angle * DEGREE)) for p in "sp"]
    assert transmittance(angle * DEGREE, 1.0, 1.34) == pytest.approx(np.mean(both), abs=1e-9)


def test_light_past_the_critical_angle_stays_in_the_water() -> None:
    assert math.degrees(math.asin(1 / 1.34)) == pytest.approx(48.2682, abs=1e-4)
    assert transmittance(48.3 * DEGREE, 1.34, 1.0) == 0.0
    assert transmittance(48.0 * DEGREE, 1.34, 1.0) == pytest.approx(0.429467, abs=2e-5)


@pytest.mark.parametrize(("n_in", "n_out", "expected"), [(1.0, 1.34, 0.932489), (1.34, 1.0, 0.519319)])
def test_diffuse_light_passes_as_published(n_in: float, n_out: float, expected: float) -> None:
    # Lambertian hemispheric transmittance at n = 1.34, a physically based renderer's figure
    def part(theta: float) -> float:
        return transmittance(theta, n_in, n_out) * math.sin(2 * theta)

    critical = math.asin(min(1.0, n_out / n_in))
    assert integrate.quad(part, 0, critical, limit=200)[0] == pytest.approx(expected, abs=2e-6)


@pytest.mark.parametrize(("angle", "expected"), [(0, 0.0462), (30, 0.0538), (40, 0.0936), (45, 0.1961), (49, 1.0)])
def test_real_pane_returns_twice_a_boundary_until_it_returns_all(angle: float, expected: float) -> None:
    # water, glass of 1.52, air: incoherent slab by tmm, table of our own making
    assert slab_return(np.array([math.cos(angle * DEGREE)]), 1.34)[0] == pytest.approx(expected, abs=6e-5)


@pytest.mark.parametrize("angle", [0, 20, 30, 40, 45, 48, 60, 80])
def test_pane_agrees_with_tmm_incoherent_slab(angle: float) -> None:
    layers = ([1.34, 1.52, 1.0], [np.inf, 10_000.0, np.inf], ["i", "i", "i"])
    expected = np.mean([tmm.inc_tmm(p, *layers, angle * DEGREE, 500.0)["R"] for p in "sp"])
    assert slab_return(np.array([math.cos(angle * DEGREE)]), 1.34)[0] == pytest.approx(expected, abs=1e-6)


@pytest.mark.parametrize(("h", "d"), [(0.05, 0.6), (0.2, 0.1), (0.6, 0.02)])
def test_ray_obeys_snell_and_arrives(h: float, d: float) -> None:
    for r in np.linspace(0.001, 2.5, 60):
        t = entry_tangent(r, h, d, 1.34, steepest_tangent(1.34))
        in_water = math.asin(math.sin(math.atan(t)) / 1.34)
        assert h * t + d * math.tan(in_water) == pytest.approx(r, rel=1e-6)


# ---- the whole field ----

# Box of 60 cm, n = 1.34, no absorption, Lambert face 10 x 10 cm; E/Phi [1/m2] by a general-purpose
# physically based renderer (path tracing, about 0.1 %); height of the face, point, clear or mirror, black.
RENDERED = [
    (0.25, (0.3, 0.3, 0.15), 2.3274, 2.3274),
    (0.25, (0.3, 0.3, 0.30), 1.3714, 1.3714),
    (0.25, (0.3, 0.3, 0.45), 1.6107, 0.9014),
    (0.25, (0.55, 0.55, 0.15), 1.8588, 0.6788),
    (0.25, (0.55, 0.55, 0.30), 1.9735, 0.6487),
    (0.25, (0.55, 0.55, 0.45), 1.8159, 0.5522),
    (0.05, (0.3, 0.3, 0.30), 4.1937, 4.0394),
    (0.05, (0.3, 0.3, 0.45), 2.8012, 2.0648),
]


@pytest.mark.parametrize(("height", "point", "returned", "black"), RENDERED)
def test_field_agrees_with_renderer(
    height: float, point: tuple[float, float, float], returned: float, black: float
) -> None:
    fine = 0.15
    assert par(tank(BLACK), lamp(height=height), point, step=fine)[0] == pytest.approx(black, rel=2e-3)
    assert par(tank(MIRROR), lamp(height=height), point, step=fine)[0] == pytest.approx(returned, rel=5e-3)


def test_steep_light_leaves_through_the_pane_as_in_renderer(monkeypatch: pytest.MonkeyPatch) -> None:
    # the same renderer with a single water-air boundary for a pane: glass of the water's own index
    monkeypatch.setattr("corlume.core.light.pane_reflection.slab_return.__kwdefaults__", {"glass_index": 1.34})
    found = par(tank(Pane("glass", 1.0)), lamp(height=0.05), (0.3, 0.3, 0.3), (0.3, 0.3, 0.45), step=0.15)
    assert found == pytest.approx([4.0541, 2.2280], rel=3e-3)


@pytest.mark.parametrize(("x", "height", "fwhm"), [(0.3, 0.25, 120), (0.1, 0.1, 80), (0.7, 0.3, 120)])
def test_what_enters_is_what_arrives_on_every_plane(x: float, height: float, fwhm: float) -> None:
    box, emitter = tank(MIRROR, rim_height=0.03), lamp(x, height=height, fwhm=fwhm * DEGREE)
    entered = flux_budget(box, emitter, directions=160).entered
    for depth in (0.1, 0.3, 0.58):
        plane = grid(box, (60, 60, 1), depths=(depth, depth))
        through = unit_field(Medium.of(box), emitter, plane, step=0.15).mean() * 0.36
        assert through == pytest.approx(entered, rel=0.01)


def test_budget_adds_up_and_black_panes_take_the_missing_part() -> None:
    box, emitter = tank(BLACK), lamp()
    budget = flux_budget(box, emitter)
    assert budget.entered + budget.reflected + budget.spilled == pytest.approx(1.0)
    plane = grid(box, (40, 40, 1), depths=(0.3, 0.3))
    assert unit_field(Medium.of(box), emitter, plane).mean() * 0.36 < 0.9 * budget.entered


@pytest.mark.parametrize("y", [0.08, 0.2, 0.33])
def test_light_on_the_front_is_that_of_rays_drawn_at_random(y: float) -> None:
    """Rays of a cos^m lobe, refracted one by one: those out over the front, and those that meet its pane first."""
    box = tank(rim_height=0.0, rim_inset=0.02)
    emitter = lamp(0.3, y, 0.15, fwhm=80 * DEGREE, length=0.001, width=0.001)
    draw, m = np.random.default_rng(3), lobe_exponent(80 * DEGREE)
    cos_t, phi = draw.random(400_000) ** (1 / (m + 1)), draw.uniform(0, 2 * np.pi, 400_000)
    run = np.sqrt(1 - cos_t**2) / cos_t * np.array([np.cos(phi), np.sin(phi)])
    at_x, at_y = 0.3 + 0.15 * run[0], y + 0.15 * run[1]
    along = (at_x >= 0.02) & (at_x <= box.length - 0.02)
    in_water = np.arcsin(np.sqrt(1 - cos_t**2) / box.index)
    ends = at_y + np.tan(in_water) * np.sin(phi) * box.sand_depth
    over, inside = at_y < 0.02, (at_y >= 0.02) & (at_y <= box.width - 0.02)
    expected = (along & (over | (inside & (ends < 0)))).mean()
    assert front_share(box, emitter, directions=160) == pytest.approx(expected, abs=0.004)


def test_returning_panes_need_no_more_orders_than_geometry_gives() -> None:
    # two orders are enough in a cube: light that crossed three panes would lean past the critical angle
    points = grid(tank(), (6, 6, 5)).reshape(-1, 3)
    assert 0.6 * steepest_tangent(1.34) < 2 * 0.6
    whole = par(tank(MIRROR), lamp(), *map(tuple, points))
    assert (whole >= par(tank(BLACK), lamp(), *map(tuple, points)) - 1e-12).all()


def test_mirrored_tank_gives_mirrored_light() -> None:
    left, right = Pane("glass", 0.9), Pane("plain", 0.2)
    one = tank(left=left, right=right, front=left, back=BLACK)
    other = tank(left=right, right=left, front=left, back=BLACK)
    points = [(0.05, 0.2, 0.4), (0.5, 0.5, 0.2), (0.33, 0.02, 0.55)]
    mirrored = [(0.6 - x, y, d) for x, y, d in points]
    assert par(one, lamp(0.2, 0.25), *points) == pytest.approx(par(other, lamp(0.4, 0.25), *mirrored), rel=1e-9)


def test_lid_dims_all_alike() -> None:
    point = (0.5, 0.4, 0.3)
    open_top, lid = tank(Pane("glass", 0.9), sand_albedo=0.3), tank(Pane("glass", 0.9), sand_albedo=0.3, cover=0.85)
    assert par(lid, lamp(), point) == pytest.approx(0.85 * par(open_top, lamp(), point))


def test_fixtures_add_up_and_dim_linearly() -> None:
    medium, points = Medium.of(tank(MIRROR)), grid(tank(), (5, 4, 3))
    one, double = unit_field(medium, lamp(0.2), points), unit_field(medium, lamp(0.2, ppf=2.0), points)
    assert double == pytest.approx(2 * one)
    assert (one >= 0).all()
    west, east = Fixture(lamp(0.2), output=0.5), Fixture(lamp(0.5))
    places = points.reshape(-1, 3)
    both = par_at(tank(MIRROR), [west, east], places)
    assert both == pytest.approx(0.5 * par_at(tank(MIRROR), [replace(west, output=1.0)], places)
                                 + par_at(tank(MIRROR), [east], places))  # fmt: skip


def test_lamp_aside_and_turned_faces_keep_their_light() -> None:
    tube = lamp(0.3, 0.3, 0.2, technology="t5_tube", length=0.5, width=0.04)
    turned = lamp(0.3, 0.3, 0.2, technology="t5_tube", length=0.5, width=0.04, turn=90 * DEGREE)
    assert par(tank(), tube, (0.5, 0.3, 0.2)) == pytest.approx(par(tank(), turned, (0.3, 0.5, 0.2)), rel=1e-6)
    assert par(tank(), lamp(x=-0.3), (0.3, 0.3, 0.3))[0] > 0


def test_rock_and_brace_block_and_rim_cuts() -> None:
    shade = tank(rocks=(Rock(0.2, 0.2, 0.3, 0.2, 0.2, 0.05),))
    under, beside = (0.3, 0.3, 0.5), (0.55, 0.3, 0.5)
    assert par(shade, lamp(), under)[0] == 0.0
    assert par(shade, lamp(), beside) == pytest.approx(par(tank(), lamp(), beside))
    braced = tank(rim_height=0.02, braces=(Brace(0.2, 0.0, 0.2, 0.6),))
    assert par(braced, lamp(), (0.3, 0.3, 0.1))[0] < 0.05 * par(tank(), lamp(), (0.3, 0.3, 0.1))[0]
    assert flux_budget(braced, lamp()).spilled > flux_budget(tank(), lamp()).spilled + 0.1
    rimmed = tank(rim_height=0.02, rim_inset=0.1)
    assert par(rimmed, lamp(x=0.5), (0.58, 0.3, 0.05))[0] < par(tank(), lamp(x=0.5), (0.58, 0.3, 0.05))[0]


ARCH, MOUND = Rock(0.08, 0.1, 0.0, 0.3, 0.18, 0.3, form="arch"), Rock(0.5, 0.18, 0.0, 0.28, 0.24, 0.26, form="mound")
BLOCKS = (Rock(0.1, 0.1, 0.05, 0.25, 0.2, 0.25), Rock(0.5, 0.2, 0.18, 0.3, 0.2, 0.05))
# Photon tracing of tests/photon_tracer.py: tube and cluster, uneven panes, brace, tilt, bright floor, overhanging
# rock; then an arch and a mound under a canopy's edge and another fixture's body, grown colonies, a deep narrow tank.
TRACED: dict[str, dict[str, Any]] = {
    "tube": {"lamp": (0.45, 0.2, 0.2, 0.7, 0.05, 1.0), "panes": (0.9, 0.3, 0.8, 0.05)},
    "brace": {"lamp": (0.6, 0.3, 0.12, 0.18, 0.14, 2.2), "panes": (0.6, 0.6, 0.95, 0.95),
              "brace": (0.42, 0.48, 0.0, 0.5)},
    "tilt": {"lamp": (0.7, 0.1, 0.25, 0.4, 0.06, 1.5), "panes": (0.8, 0.5, 0.9, 0.3), "aim": (0.5, 0.6, -0.3)},
    "floor": {"lamp": (0.3, 0.3, 0.2, 0.2, 0.2, 1.0), "panes": (0.9, 0.5, 0.8, 0.2), "floor": (0.45, 0.7)},
    "arch": {"lamp": (0.4, 0.25, 0.3, 0.2, 0.16, 1.2), "panes": (0.85, 0.85, 0.85, 0.1), "rocks": (ARCH, MOUND),
             "strips": [(-0.2, 1.1, -0.05, 0.07, 0.15), (0.3, 0.9, 0.3, 0.35, 0.22)]},
    "colonies": {"lamp": (0.45, 0.25, 0.22, 0.6, 0.05, 1.0), "panes": (0.85, 0.6, 0.85, 0.1), "rocks": (MOUND,),
                 "discs": [(0.2, 0.2, 0.15, 0.09), (0.62, 0.3, 0.1, 0.12), (0.85, 0.1, 0.3, 0.06)]},
    "glass": {"lamp": (0.2, 0.12, 0.05, 0.16, 0.12, 1.0), "panes": (("glass", 0.85),) * 4, "rocks": ()},
    "deep": {"lamp": (0.2, 0.15, 0.15, 0.12, 0.12, 1.0), "panes": (0.9, 0.85, 0.9, 0.7), "rocks": (),
             "size": (0.4, 0.3), "at": 0.8},
}  # fmt: skip


def _pane(returned: float | tuple[Any, float]) -> Pane:
    return Pane(*returned) if isinstance(returned, tuple) else Pane("plain", returned)


@pytest.mark.parametrize("name", TRACED)
def test_field_agrees_with_photons_followed_one_by_one(name: str) -> None:
    case = TRACED[name]
    depth, size, deepest = case.get("at", 0.38), case.get("size", (0.9, 0.5)), case.get("at", 0.38) + 0.07
    bright, strips, discs = case.get("floor", (0.0, 0.0))[1], case.get("strips", []), case.get("discs", [])
    panes = dict(zip(("left", "right", "front", "back"), (_pane(r) for r in case["panes"]), strict=True))
    box = Tank(
        *size, deepest, rim_height=0.03, sand=0.0, water=Water("plain", attenuation=0.1), rock_albedo=0.0, **panes,
        sand_albedo=bright, rocks=case.get("rocks", BLOCKS), colonies=tuple(Colony(*disc) for disc in discs),
        braces=tuple(
            Brace(x0, y0, x1 - x0, y1 - y0, *height)
            for x0, x1, y0, y1, *height in ([case["brace"]] if "brace" in case else []) + strips
        ),
    )  # fmt: skip
    rocks = [(b.x0, b.x1, b.y0, b.y1, b.top, b.bottom) for b in box.boxes()]
    scene = {"size": size, "n": 1.34, "loss": 0.1, "rim": 0.03, "rocks": rocks, "brace": None, **case} | {
        "rocks": rocks
    }
    # light that comes up again takes long to follow, so fewer photons and larger bins
    bins, photons = ((6, 4), 150_000) if bright else ((18, 10), 1_500_000)
    traced, error = trace(scene, depth=depth, bins=bins, photons=photons, seed=5)
    x, y, height, length, width, m = case["lamp"]
    turn, roll, pitch = case.get("aim", (0.0, 0.0, 0.0))
    fwhm = 2 * math.acos(0.5 ** (1 / m))
    emitter = Emitter("t5_tube", 1.0, fwhm, length, width, x, y, height, turn, roll, pitch)
    points = grid(box, (bins[0] * 8, bins[1] * 8, 1), depths=(depth, depth))

    def binned(tank: Tank, step: float) -> np.ndarray:
        fine = unit_field(Medium.of(tank), emitter, points, step=step)[..., 0]
        return fine.reshape(bins[0], 8, bins[1], 8)

    used = binned(box, 0.35)
    found, refined = (cells.mean(axis=(1, 3)) for cells in (used, binned(box, 0.1)))
    # counting error of one or two percent a bin; all bins together stand much closer
    counting = math.sqrt((error**2).sum()) / traced.sum()
    in_rock = box.in_rock(points)[..., 0].reshape(bins[0], 8, bins[1], 8)
    open_water = ~in_rock.any(axis=(1, 3))  # the samples of a bin cannot follow a rock's wall through it
    assert (np.abs(refined - traced) < 5 * error + 0.01 * traced.max())[open_water].all()
    assert refined.sum() == pytest.approx(traced.sum(), rel=0.004 + 3 * counting)
    # what the screens use: 2 % rms and 5 % at worst where no edge of a shadow runs, 5 % rms where one does
    free = binned(replace(box, rocks=(), natural_rocks=(), braces=(), colonies=()), 0.35)
    plain = (np.abs(used / free - 1) < 1e-9).all(axis=(1, 3)) & (traced > 0.1 * traced.max())
    for where, limit in ((plain, 0.02), (~plain & open_water, 0.05)):
        if where.any():
            noise = np.mean((error[where] / traced[where].mean()) ** 2)
            off = np.mean(((found - traced)[where] / traced[where].mean()) ** 2)
            assert off - noise < limit**2
    assert (np.abs(found - traced)[plain] < 0.05 * traced[plain] + 4 * error[plain]).all()


@pytest.mark.slow
@pytest.mark.parametrize(("height", "point", "returned", "black"), RENDERED[1:6:2])
def test_field_agrees_with_the_renderer_run_here(
    height: float, point: tuple[float, float, float], returned: float, black: float
) -> None:
    # at these points light strikes every pane past the critical angle, so that clear panes are mirrors
    for pane, expected in ((BLACK, black), (MIRROR, returned)):
        seen, error = rendered(point, height=height, clear=pane is MIRROR, samples=150_000, seeds=8)
        assert seen == pytest.approx(expected, abs=4 * error)
        assert par(tank(pane), lamp(height=height), point)[0] == pytest.approx(seen, abs=4 * error + 0.005 * seen)


# ---- other sensors, bodies, forms of rock ----


def test_sphere_reads_more_by_the_slant_of_the_light() -> None:
    box, small = tank(), lamp(0.3, 0.3, 0.3, length=0.005, width=0.005)
    for aside in (0.0, 0.1, 0.25):
        point = np.array([(0.3 + aside, 0.3, 0.3)])
        flat, sphere = (
            channel_fields(Medium.of(box), small, point, sensor=kind)[0, 0] for kind in ("planar", "scalar")
        )
        tangent = entry_tangent(aside, 0.3, 0.3, 1.34, steepest_tangent(1.34))
        cos_w = math.sqrt(1 - (math.sin(math.atan(tangent)) / 1.34) ** 2)
        assert flat / sphere == pytest.approx(cos_w, rel=1e-3)


def test_sphere_sees_the_floor_as_a_lambert_face() -> None:
    # each piece of floor, of exitance M, gives M / pi times its solid angle; n = 1 sends nothing back from above
    dark, bright = tank(index=1.0), tank(index=1.0, sand_albedo=0.5)
    low, points = grid(dark, (60, 60, 1), depths=(0.6, 0.6)).reshape(-1, 3), grid(dark, (3, 3, 1), depths=(0.4, 0.4))
    exitance = 0.5 * unit_field(Medium.of(dark), lamp(), low)
    away = points.reshape(-1, 1, 3) - low
    expected = (exitance * 0.01**2 / math.pi * 0.2 / np.linalg.norm(away, axis=2) ** 3).sum(axis=1)
    sphere, direct = (channel_fields(Medium.of(box), lamp(), points, sensor="scalar").ravel() for box in (bright, dark))
    assert sphere - direct == pytest.approx(expected, rel=0.06)


def test_ledge_leaves_what_comes_from_outside_its_cone() -> None:
    medium, under = Medium.of(tank()), np.array([(0.3, 0.3, 0.4)])
    tube = lamp(0.3, 0.3, 0.2, technology="t5_tube", length=0.58, width=0.03)
    soft, hard = (channel_fields(medium, e, under, ledge=0.4)[0, 0] / unit_field(medium, e, under)[0]
                  for e in (tube, lamp(height=0.2)))  # fmt: skip
    assert hard == 0.0
    assert 0.03 < soft < 0.9
    # the same by a real disc of that size
    shaded = replace(tank(), colonies=(Colony(0.3, 0.3, 0.3, 0.04),))
    assert par(shaded, tube, (0.3, 0.3, 0.4), step=0.05)[0] == pytest.approx(
        channel_fields(medium, tube, under, ledge=0.4, step=0.05)[0, 0], rel=0.02
    )


def test_fixtures_shade_those_above_them_and_no_others() -> None:
    high, low = Fixture(lamp(height=0.3)), Fixture(lamp(height=0.2))
    assert bodies_below([high, low], 1) == ()
    bodies = bodies_below([high, low], 0)
    medium, point = Medium.of(tank()), np.array([(0.3, 0.3, 0.3)])
    whole = unit_field(medium, high.emitter, point)[0]
    assert channel_fields(medium, high.emitter, point, bodies=bodies)[0, 0] < 0.2 * whole
    aside = (Fixture(lamp(0.3, 0.05, 0.2)),)
    assert bodies_below([high, *aside], 0) != ()
    clear = channel_fields(medium, high.emitter, point, bodies=bodies_below([high, *aside], 0))[0, 0]
    assert clear == pytest.approx(whole)


def test_arch_is_open_and_mound_narrows() -> None:
    box = Tank(0.9, 0.5, 0.45, rocks=(ARCH, MOUND))
    inside = box.in_rock(
        np.array([(0.23, 0.19, 0.3), (0.23, 0.19, 0.2), (0.1, 0.19, 0.4), (0.64, 0.3, 0.2), (0.52, 0.2, 0.22)])
    )
    assert inside.tolist() == [False, True, True, True, False]
    assert {s.name for s in surfaces(replace(box, rocks=(replace(MOUND, name="Heap"),)))} == {
        "Sand", "Heap", "Heap, step 2", "Heap, step 3"
    }  # fmt: skip
    turned = replace(ARCH, length=0.18, width=0.3)
    legs = list(turned.boxes(0.45))[1:]
    assert [leg.x1 - leg.x0 for leg in legs] == pytest.approx([0.18, 0.18])
    assert legs[0].y1 < legs[1].y0


def test_floor_between_mirrors_gives_the_closed_form_of_diffuse_exchange() -> None:
    # endless floor of albedo a under a surface that returns R = 1 - 0.519319: all light comes to 1 / (1 - a R)
    shallow = {"length": 1.0, "width": 1.0, "water_depth": 0.15}
    for albedo in (0.2, 0.4, 0.8):
        dark, bright = tank(MIRROR, **shallow), tank(MIRROR, **shallow, sand_albedo=albedo)
        low = grid(dark, (12, 12, 1), depths=(0.15, 0.15))
        sums = [unit_field(Medium.of(box), lamp(0.5, 0.5), low).mean() for box in (bright, dark)]
        assert sums[0] / sums[1] == pytest.approx(1 / (1 - albedo * 0.480681), rel=0.02)


def test_water_takes_light_along_the_path() -> None:
    clear, dull = par(tank(), lamp(), (0.3, 0.3, 0.5))[0], par(tank(attenuation=0.5), lamp(), (0.3, 0.3, 0.5))[0]
    # straight down the path is the depth; the face's edges lean a little
    assert dull / clear == pytest.approx(math.exp(-0.25), rel=2e-3)


def test_quadrature_stands_still_when_refined() -> None:
    glass, rng = tank(Pane("glass", 0.9)), np.random.default_rng(7)
    points = rng.uniform([0.02, 0.02, 0.05], [0.58, 0.58, 0.55], (600, 3))
    shapes = product(("led_cluster", "t5_tube"), (0.12, 0.25))
    for kind, height in shapes:
        length, width = (0.18, 0.18) if kind == "led_cluster" else (0.55, 0.06)
        emitter = lamp(height=height, technology=kind, length=length, width=width)
        used = unit_field(Medium.of(glass), emitter, points)
        refined = unit_field(Medium.of(glass), emitter, points, step=0.05)
        assert np.sqrt(np.mean((used / refined - 1) ** 2)) < 0.005


def test_points_at_many_depths_read_as_each_reads_by_itself() -> None:
    """Tables at even depths, which many points share, against a table for each depth."""
    rock = (Rock(0.1, 0.1, 0.0, 0.2, 0.3, 0.3),)
    where, rng = tank(Pane("glass", 0.9), rocks=rock, attenuation=0.3), np.random.default_rng(3)
    points = rng.uniform([0.31, 0.02, 0.0], [0.58, 0.58, 0.6], (200, 3))
    for emitter in (lamp(height=0.15), lamp(technology="t5_tube", length=0.55, width=0.02, height=0.06)):
        together = par(where, emitter, *points)
        alone = np.concatenate([par(where, emitter, point) for point in points])
        assert together == pytest.approx(alone, rel=2e-3, abs=1e-4 * alone.max())


def test_light_falls_and_evens_out_as_a_lamp_is_raised() -> None:
    heights = [8 * INCH, 12 * INCH, 18 * INCH, 24 * INCH]
    middle, edge = (0.3, 0.3, 0.2), (0.56, 0.3, 0.2)
    readings = np.array([par(tank(), lamp(height=h), middle, edge) for h in heights])
    assert (np.diff(readings[:, 0]) < 0).all()
    assert (np.diff(readings[:, 1] / readings[:, 0]) > 0).all()
