"""Measure what a keeper waits for; see README.md beside this file."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from dataclasses import replace
from itertools import islice
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks.clock import clock, reference, row, sized, spent
from benchmarks.day import day
from benchmarks.foresee import foresee
from benchmarks.placing import placing
from benchmarks.survey import survey
from benchmarks.survey_trials import survey_trials
from benchmarks.upkeep import upkeep
from corlume.core.keeping.rockscapes import scape as natural_scape
from corlume.core.keeping.scene import Scene
from corlume.core.light.brush import Stroke, brushed
from corlume.core.light.brushed_rock import BrushedRock
from corlume.core.light.emitter import Emitter
from corlume.core.light.field import Medium, channel_fields, grid, unit_field
from corlume.core.light.geometry import Pane, Rock, Tank
from corlume.core.light.natural_rock import NaturalRock
from corlume.core.light.rock_bytes import pack_mesh, unpack_mesh
from corlume.core.light.rock_mesh import centred, sample_mesh
from corlume.core.light.rockwork import rockwork
from corlume.core.light.water import Water
from corlume.core.search.layout import Module
from corlume.core.search.layout_search import Columns, Space, scan
from corlume.core.search.level_solver import LevelTarget
from corlume.core.units import DEGREE
from corlume.formats.scan_file import read_scan, write_ply
from corlume.reference.catalogue import catalogue
from corlume.services.judging.judge import verdicts
from corlume.services.keeping.demo import demo_scene
from corlume.services.light.fields import first_look, medium_of
from corlume.services.light.kernels import compile_kernels
from corlume.services.mounting.buying import BuyingRequest, plan_buying
from corlume.services.mounting.owned import Owned
from corlume.services.search.light_types import light_types_request, search_light_types
from corlume.services.search.run_search import search
from corlume.services.search.search_request import SearchRequest
from corlume.services.search.starting_points import default_request, starting_points
from corlume.store.tanks import StoredTank, unstored


def our_tank() -> tuple[Tank, list[Emitter]]:
    """A tank of 132 x 58 cm with two clusters and four tubes."""
    cluster = Emitter("led_cluster", 210, 110 * DEGREE, 0.18, 0.14, 0.35, 0.29, 0.25)
    tube = Emitter("t5_tube", 50, 115 * DEGREE, 1.15, 0.05, 0.66, 0.12, 0.2)
    clusters = [replace(cluster, x=x) for x in (0.35, 0.97)]
    return Tank(1.32, 0.58, 0.54), clusters + [replace(tube, y=y) for y in (0.1, 0.18, 0.4, 0.48)]


def scape(count: int, tank: Tank) -> tuple[Rock, ...]:
    """Blocks and ledges at seeded places, smaller the more there are."""
    draw, size = np.random.default_rng(1), 0.6 / np.sqrt(count)
    found = []
    for _ in range(count):
        length, width, height = (
            size * draw.uniform(0.6, 1.6),
            size * draw.uniform(0.6, 1.3),
            size * draw.uniform(0.5, 1.2),
        )
        x, y = draw.uniform(0.05, tank.length - length - 0.05), draw.uniform(0.05, tank.width - width - 0.05)
        found.append(Rock(x, y, draw.uniform(0.0, max(0.01, 0.42 - height)), length, width, height))
    return tuple(found)


def field() -> None:
    """The whole field, without and with rock."""
    tank, emitters = our_tank()
    points = grid(tank, sized((48, 24, 12), (6, 4, 3)))

    def solve(medium: Medium, step: float = 0.35) -> np.ndarray:
        total: np.ndarray = np.sum([unit_field(medium, e, points, step=step) for e in emitters], axis=0)
        return total

    clear = Medium.of(tank)
    row("field 48 x 24 x 12, 2 clusters + 4 tubes", clock(lambda: solve(clear), 9), 0.25)
    rocky = Medium.of(replace(tank, rocks=scape(8, tank)))
    row("  the same with eight blocks", clock(lambda: solve(rocky), 5), 0.6)
    off = solve(clear) / solve(clear, 0.1) - 1
    rms, worst = 100 * np.sqrt(np.mean(off**2)), 100 * np.abs(off).max()
    print(f"  against a finer quadrature: {rms:.2f} % rms, {worst:.1f} % at worst")


def rock() -> None:
    """A tank's first light by the number of its rocks: its floor's light once, and the field of one cluster."""
    tank, emitters = our_tank()
    points, first = grid(tank, sized((48, 24, 12), (6, 4, 3))), 0.0
    for count in sized((6, 24, 50, 200), (6, 24)):
        rocky = replace(tank, rocks=scape(count, tank))
        taken = clock(lambda t=rocky: unit_field(Medium.of(t), emitters[0], points), 2)  # type: ignore[misc]
        first = first or taken.cpu
        row(f"first light with {count} blocks", taken, None, f"{taken.cpu / first:.2f} x that of 6 (goal 2)")
    many = replace(tank, rocks=scape(sized(200, 12), tank))
    bare = first_look(many)
    assert bare is not None
    row(
        "  a first look at 200, three slices' nodes", clock(lambda: unit_field(Medium.of(bare), emitters[0], points), 3)
    )


def scans() -> None:
    """A scan of 200,000 triangles to runs in columns; light over natural rock against the same rock in blocks."""
    tank, _ = our_tank()
    mesh = unpack_mesh(pack_mesh(centred(*lump(sized(320, 24)))))
    data = write_ply(mesh)

    def bring() -> None:
        scan = read_scan(data)
        placed_mesh = centred(scan.corners, scan.triangles)
        lain = replace(lying, x=lying.x + 1e-4 * len(seen), mesh=placed_mesh)
        seen.append(replace(tank, natural_rocks=(lain,)).rockwork.peak)

    seen = list[float]()
    lying = NaturalRock("Lump", "0" * 64, 0.6, 0.3, mesh=mesh)
    print(f"  a scan of {len(mesh.triangles):,} triangles, {len(data) / 1e6:.1f} MB as PLY")
    row("scan read, simplified, in runs", clock(bring, 3), 4.0)
    big = replace(tank, natural_rocks=(replace(lying, x=0.61),))
    row("  the runs of all its triangles alone", clock(lambda: _runs_anew(big), 3), 4.0)
    demo = demo_scene()
    blocks = replace(demo.tank, natural_rocks=(), rocks=BLOCKS)
    points = grid(demo.tank, sized((54, 24, 3), (6, 4, 2)))
    hung = demo.setup().fixtures

    def chart(one: Tank) -> None:
        medium = Medium.of(one)
        for fixture in hung:
            unit_field(medium, fixture.emitter, points)

    of_blocks = clock(lambda: chart(blocks), 3)
    natural = clock(lambda: chart(demo.tank), 3)
    row("first light over the demo's former blocks", of_blocks, None)
    row("first light over its natural rock", natural, None, f"{natural.cpu / of_blocks.cpu:.2f} x (goal 1.5)")
    media = [Medium.of(one) for one in (blocks, demo.tank)]
    moved = [clock(lambda m=m: unit_field(m, hung[0].emitter, points), 9) for m in media]  # type: ignore[misc]
    row("one fixture moved over blocks", moved[0], None)
    row("one fixture moved over natural rock", moved[1], None, f"{moved[1].cpu / moved[0].cpu:.2f} x")
    row("a rockscape grown", clock(lambda: natural_scape("islands", demo.tank, 3), 3), None)
    stroke = Stroke("front", [(0.2 + 0.01 * k, 0.3) for k in range(30)], False, 0.05, 0.5, at=0.3)
    row("a stroke of the brush, to runs", clock(lambda: _brushed_runs(demo.tank, stroke), 3), None)


BLOCKS = (
    Rock(0.16, 0.26, 0.0, 0.26, 0.24, 0.42), Rock(0.10, 0.14, 0.0, 0.34, 0.12, 0.17),
    Rock(0.42, 0.30, 0.0, 0.28, 0.16, 0.35, form="arch"), Rock(0.69, 0.20, 0.0, 0.30, 0.30, 0.31, form="mound"),
    Rock(1.08, 0.28, 0.0, 0.24, 0.22, 0.38), Rock(0.98, 0.14, 0.14, 0.38, 0.14, 0.06),
)  # fmt: skip
"""The demo's rock when it was blocks."""


def lump(fine: int) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Corners and triangles of a rough ball of 40 cm."""
    turn, rise = np.meshgrid(
        np.linspace(0, 2 * np.pi, fine, endpoint=False), np.linspace(0.01, np.pi - 0.01, fine), indexing="ij"
    )
    far = 0.2 * (1 + 0.1 * np.sin(5 * turn) * np.sin(7 * rise))
    corners = np.stack((far * np.sin(rise) * np.cos(turn), far * np.sin(rise) * np.sin(turn), far * np.cos(rise)), -1)
    i, j = (part.ravel() for part in np.meshgrid(np.arange(fine), np.arange(fine - 1), indexing="ij"))
    a, b = i * fine + j, (i + 1) % fine * fine + j
    triangles = np.concatenate([np.column_stack((a, a + 1, b)), np.column_stack((b, a + 1, b + 1))])
    return corners.reshape(-1, 3), triangles.astype(np.int64)


def _runs_anew(tank: Tank) -> float:
    rock = tank.natural_rocks[0]
    assert rock.mesh is not None
    sampled = sample_mesh(rock.laid(tank.water_depth), rock.mesh.triangles, tank.length, tank.width)
    return rockwork([], tank.length, tank.width, [sampled]).peak


def _brushed_runs(tank: Tank, stroke: Stroke) -> float:
    return replace(tank, brushed_rock=(BrushedRock("0" * 64, brushed(tank, stroke)),)).rockwork.peak


def memory() -> None:
    """What is remembered of a tilted face at 40 heights stays within its bytes."""
    tank, emitters = our_tank()
    tilted = replace(emitters[0], roll=0.3)
    points = grid(tank, (24, 12, 24))
    medium = medium_of(tank)
    for k in range(sized(40, 2)):
        channel_fields(medium, replace(tilted, height=0.15 + 0.01 * k), points)
    peak = re.search(r"VmHWM:\s+(\d+)", Path("/proc/self/status").read_text())
    if peak:
        print(f"memory after a tilted face at 40 heights {int(peak[1]) / 1024:16.0f} MB   goal    700 MB")


def renderer() -> None:
    """Time a point at 1 %, thousands asked at once, against a general-purpose renderer (it comes with the tests)."""
    try:
        from tests.renderer import rendered

        rendered((0.3, 0.3, 0.3), height=0.25, clear=True, samples=1000, seeds=2)
        start = time.perf_counter()
        samples = sized(150_000, 1000)
        seen, error = rendered((0.55, 0.55, 0.3), height=0.25, clear=True, samples=samples, seeds=8)
    except ImportError:
        print("against a renderer: mitsuba is not installed (make test installs it)")
        return
    theirs = (time.perf_counter() - start) * (100 * error / seen) ** 2
    mirror = Pane("plain", 1.0)
    box = Tank(
        0.6, 0.6, 0.6, rim_height=0.0, sand=0.0, sand_albedo=0.0, rock_albedo=0.0, left=mirror, right=mirror,
        front=mirror, back=mirror, water=Water("plain", attenuation=0.0),
    )  # fmt: skip
    face = Emitter("led_cluster", 1.0, 120 * DEGREE, 0.1, 0.1, 0.3, 0.3, 0.25)
    medium, points = Medium.of(box), grid(box, sized((24, 24, 12), (4, 4, 2)))
    ours = clock(lambda: unit_field(medium, face, points), 15).wall / points[..., 0].size
    off = 100 * abs(unit_field(medium, face, np.array([(0.55, 0.55, 0.3)]))[0] / seen - 1)
    print(
        f"{'a point at 1 %, against a renderer':<46} {1000 * ours:8.4f} ms   renderer {1000 * theirs:6.0f} ms   "
        f"ratio {theirs / ours:,.0f} (goal 5,000); they differ by {off:.1f} %, its error {100 * error / seen:.1f} %"
    )


def layouts() -> None:
    """Searches to their refined answers: our tank, the demo's with rock, tubes, hybrids, the whole shelf."""
    tank, _ = our_tank()
    demo = unstored(demo_scene())
    shown = demo_scene()
    stored = unstored(Scene(shown.name, tank, shown.targets, shown.running))
    kind = catalogue()["cluster"]
    wish = SearchRequest("cluster", "even", sized((4, 4), (1, 1)), sized((0.2, 0.5), (0.3, 0.3)), (200.0, 350.0))

    def run(key: str, wished: SearchRequest, over=stored):  # type: ignore[no-untyped-def]
        *_, last = search(over, catalogue()[key], wished, entries=list(catalogue().values())[: sized(None, 2)])
        return last

    run("cluster", replace(wish, counts=(1, 1), heights=(0.3, 0.3)))
    taken = clock(lambda: run("cluster", wish), 1, warm=False)
    last = run("cluster", wish)
    row("search, four modules, to its end", taken, None, f"{last.judged / taken.cpu:,.0f} layouts by the CPU second")
    case = small_space(stored.tank, Module.of(kind.parts))
    count = sum(number for number, _ in scan(Columns(*case[:3]), case[3]))
    scanned = clock(lambda: sum(number for number, _ in scan(Columns(*case[:3]), case[3])), 3)
    row("  the scan alone", scanned, None, f"{count / scanned.cpu:,.0f} layouts by the CPU second")
    rule = next(start.figures for start in starting_points(stored, kind) if start.rule.endswith("equally spaced"))
    best = last.best[0].figures
    print(
        f"  gain over equal spacing: ends {100 * rule.ends.share:.0f} -> {100 * best.ends.share:.0f} %, in range "
        f"{100 * rule.coverage:.0f} -> {100 * best.coverage:.0f} %, "
        f"spread {rule.plane.spread:.0f} -> {best.plane.spread:.0f} PAR"
    )
    tubes, hybrids = (
        SearchRequest(k, "even", c, sized((0.2, 0.4), (0.3, 0.3)), (200.0, 350.0))
        for k, c in (("t5-54", sized((4, 6), (4, 4))), ("hybrid-60", sized((1, 2), (1, 1))))
    )
    _judging(demo)
    demo_wish, kinds = default_request(demo, kind), light_types_request(demo, demo.setup())
    demo_wish = sized(demo_wish, replace(demo_wish, counts=(1, 1), heights=(0.3, 0.3)))
    medium_of(demo.lit_tank())
    for words, goal, work in (
        ("search, the demo tank with rock", 8.0, lambda: run("cluster", demo_wish, demo)),
        ("search, tubes side by side", None, lambda: run("t5-54", tubes)),
        ("search, hybrid frames", 10.0, lambda: run("hybrid-60", hybrids)),
        (
            "search, the whole shelf for the cheapest",
            10.0,
            lambda: run("cluster", replace(wish, means="cheapest", counts=sized((2, 4), (1, 1)))),
        ),
        *sized([("kinds, the first at its best", 2.0, lambda: next(search_light_types(demo, kinds)))], []),
        ("kinds, all at their best", 15.0, lambda: list(islice(search_light_types(demo, kinds), sized(None, 1)))),
    ):
        row(words, clock(work, 1, warm=False), goal)


def rig() -> None:
    """A search that keeps to the demo's rail, against the same anywhere; and stages over 40 fixtures."""
    demo = unstored(demo_scene())
    kind, rail = catalogue()["cluster"], demo.setup().mount_values
    wish = replace(default_request(demo, kind), counts=sized((3, 4), (1, 1)), heights=sized((0.18, 0.28), (0.2, 0.2)))
    medium_of(demo.lit_tank())
    free = clock(lambda: list(search(demo, kind, wish)), 1, warm=False)
    row("search, three or four modules anywhere", free, None)
    held = replace(wish, mounts=tuple(mount.name for mount in rail))
    kept = clock(lambda: list(search(demo, kind, held, mounts=rail)), 1, warm=False)
    row("  on the demo's rail", kept, None, f"{kept.cpu / free.cpu:.2f} x (goal 1.3)")
    shelf = [Owned(entry, 0, 0.0) for entry in catalogue().values()]
    for entry in list(catalogue().values())[: 40 - len(shelf)]:  # and as many older ones, with less light
        parts = tuple(replace(p, emitter=replace(p.emitter, ppf=0.8 * p.emitter.ppf)) for p in entry.parts)
        older = replace(entry, key=f"{entry.key}-older", name=f"{entry.name}, older", parts=parts)
        shelf.append(Owned(older, 0, 0.6 * entry.price))
    bare = replace(demo, setups=tuple(replace(s, fixtures=()) if s.in_use else s for s in demo.setups))
    budgets = sized((250.0, 250.0, 400.0), (250.0,))
    some = sized(shelf, shelf[:2])
    staged = clock(lambda: plan_buying(bare, some, BuyingRequest(budgets)), 1, warm=False)
    row(f"three stages over {len(some)} fixtures", staged, 10.0)


def _judging(demo: StoredTank) -> None:
    """All figures and verdicts of a setup whose fixture was just moved, and all of them known."""
    setup, moved = demo.setup(), iter(range(1, 1000))

    def judge_moved() -> None:
        first, *rest = setup.hung
        at = replace(first, emitter=replace(first.emitter, x=0.3 + 0.0001 * next(moved)))
        verdicts(demo, [at, *rest], setup.intent)

    row("judging the demo setup, one fixture moved", clock(judge_moved, 9), 0.060)
    row("  and all of it known", clock(lambda: verdicts(demo, setup.hung, setup.intent), 9))


def small_space(tank: Tank, module: Module) -> tuple[Medium, Module, LevelTarget, Space]:
    """Four modules at one height on a grid of 31 places."""
    points = grid(tank, sized((24, 12, 1), (6, 3, 1)), depths=(0.18, 0.18)).reshape(-1, 3)
    aim = LevelTarget(points, np.full(len(points), 275.0), np.full(len(points), 1.0 / len(points)))
    places = tuple(np.linspace(0.05, tank.length - 0.05, sized(31, 6)).tolist())
    return Medium.of(tank), module, aim, Space((4,), places, (0.3,), (tank.width / 2,), 0.19)


def served() -> None:
    """Start, first chart, and what a drag, a dimmer and the probe cost, over HTTP to a server of its own."""
    with tempfile.TemporaryDirectory() as folder:
        env = {**os.environ, "CORLUME_DATA": folder, "CORLUME_PORT": "0", "PYTHONUNBUFFERED": "1"}
        start = time.perf_counter()
        command = [sys.executable, "-c", "from corlume.cli.main import main; main()", "demo"]
        server = subprocess.Popen(command, env=env, stdout=subprocess.PIPE, text=True)
        assert server.stdout is not None
        found = re.search(r"http://[\d.:]+", server.stdout.readline())
        assert found, "the demo did not start"
        address, pid = found[0], server.pid
        try:
            _first_page(f"{address}/tanks/1/par-map")
            print(f"cold start to a first look {time.perf_counter() - start:33.1f} s wall, {spent(pid):.1f} s CPU")
            ask, steps = _asker(f"{address}/tanks/1/setups/2/light"), iter(range(1, 10_000))
            ask({})
            print(f"cold start to the whole chart {time.perf_counter() - start:30.1f} s wall, {spent(pid):.1f} s CPU")
            for words, goal, runs, work in (
                ("dimmed: cluster, in mid-drag", 0.012, 40, lambda: ask({"9": {"output": 0.3 + 0.0001 * next(steps)}})),
                ("moved: cluster, in mid-drag", 0.03, 40, lambda: ask({"9": {"x": 0.4 + 0.001 * next(steps)}})),
                ("moved: tube, in mid-drag", 0.03, 40, lambda: ask({"4": {"y": 0.18 + 0.001 * next(steps)}})),
                (
                    "moved: cluster, drawn in full",
                    0.16,
                    20,
                    lambda: ask({"9": {"x": 0.4 + 0.001 * next(steps)}}, drag=False),
                ),
                ("probe moved, all fixtures anew, in full", None, 20, lambda: ask({}, x=0.2 + 0.001 * next(steps))),
            ):
                row(words, clock(work, runs, pid=pid), goal)
            peak = re.search(r"VmHWM:\s+(\d+)", Path(f"/proc/{pid}/status").read_text())
            if peak:
                print(f"memory of the server at its highest {int(peak[1]) / 1024:21.0f} MB   goal    500 MB")
        finally:
            server.terminate()
            server.wait(10)


def _first_page(url: str) -> None:
    """Load a page, once the server has its kernels compiled."""
    while True:
        try:
            with urllib.request.urlopen(url) as answer:
                answer.read()
                return
        except urllib.error.HTTPError as error:
            if error.code != 503:
                raise
            time.sleep(1)


def _asker(url: str) -> Callable[..., None]:
    def ask(changes: dict[str, dict[str, float]], x: float = 0.5, *, drag: bool = True) -> None:
        asked = {"probe": {"x": x, "y": 0.3, "depth": 0.2}, "changes": changes, "dragging": drag and bool(changes)}
        request = urllib.request.Request(url, json.dumps(asked).encode(), {"Content-Type": "application/json"})
        with urllib.request.urlopen(request) as answer:
            assert b"light-plan" in answer.read()

    return ask


if __name__ == "__main__":
    compile_kernels()
    row("the reference by itself", clock(reference, 9))
    parts = (
        field,
        rock,
        scans,
        survey,
        survey_trials,
        placing,
        day,
        upkeep,
        foresee,
        served,
        layouts,
        rig,
        memory,
        renderer,
    )
    chosen = [name for name in sys.argv[1:] if name != "--smallest"]
    unknown = set(chosen) - {part.__name__ for part in parts}
    if unknown:
        sys.exit(f"no benchmark {', '.join(sorted(unknown))}: there are {', '.join(part.__name__ for part in parts)}")
    for part in parts:
        # `python -m benchmarks.run placing survey` runs these alone
        if not chosen or part.__name__ in chosen:
            part()
