"""Measure what a keeper waits for; see README.md beside this file."""

from __future__ import annotations

import json
import os
import re
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from corlume.core.emitter import Emitter
from corlume.core.field import Medium, combine, grid, unit_field
from corlume.core.geometry import Pane, Rock, Tank
from corlume.core.levels import Aim
from corlume.core.module import Module
from corlume.core.search import Columns, Space, scan
from corlume.core.units import DEGREE
from corlume.core.water import Water
from corlume.reference.catalogue import fixture_kinds
from corlume.services.demo import demo_scene
from corlume.services.hang import search
from corlume.services.starting import starting_points
from corlume.services.wish import Wish
from corlume.store.tanks import unstored


def clock(work: Callable[[], object], runs: int) -> float:
    """Median seconds of a piece of work, after one run that is not counted."""
    work()
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return statistics.median(times)


def row(name: str, seconds: float, goal: float, note: str = "") -> None:
    """Print one line of the table."""
    print(f"{name:<46} {1000 * seconds:8.0f} ms   goal {1000 * goal:6.0f} ms   ratio {seconds / goal:5.2f}   {note}")


def reference() -> tuple[Tank, list[Emitter]]:
    """A 48 x 24 in tank with two clusters and four tubes, as the figures ask for."""
    cluster = Emitter("led_cluster", 210, 110 * DEGREE, 0.18, 0.14, 0.33, 0.3, 0.25)
    tube = Emitter("t5_tube", 50, 115 * DEGREE, 1.15, 0.05, 0.61, 0.12, 0.2)
    clusters = [replace(cluster, x=x) for x in (0.33, 0.89)]
    return Tank(1.2192, 0.6096, 0.55), clusters + [replace(tube, y=y) for y in (0.12, 0.2, 0.41, 0.49)]


def field() -> None:
    """The whole field, without and with rock."""
    tank, emitters = reference()
    points = grid(tank, (48, 24, 12))

    def solve(medium: Medium, step: float = 0.35) -> np.ndarray:
        return combine([unit_field(medium, e, points, step=step) for e in emitters], [1.0] * len(emitters))

    clear = Medium.of(tank)
    blocks = [Rock(0.1 + 0.18 * k, 0.2, 0.0, 0.14, 0.2, 0.2 + 0.02 * k) for k in range(6)]
    shelves = [Rock(x, 0.1, 0.22, 0.25, 0.1, 0.05) for x in (0.2, 0.7)]
    rocky = Medium.of(replace(tank, rocks=(*blocks, *shelves)))
    bare = clock(lambda: solve(clear), 9)
    row("field 48 x 24 x 12, 2 clusters + 4 tubes", bare, 0.15)
    row("  the same with six blocks and two shelves", clock(lambda: solve(rocky), 5), 0.5)
    off = solve(clear) / solve(clear, 0.1) - 1
    rms, worst = 100 * np.sqrt(np.mean(off**2)), 100 * np.abs(off).max()
    print(f"  against a finer quadrature: {rms:.2f} % rms, {worst:.1f} % at worst")


def renderer() -> None:
    """Time a point at 1 %, thousands asked at once, against a general-purpose renderer (it comes with the tests)."""
    try:
        from tests.renderer import rendered

        rendered((0.3, 0.3, 0.3), height=0.25, clear=True, samples=1000, seeds=2)
        start = time.perf_counter()
        seen, error = rendered((0.55, 0.55, 0.3), height=0.25, clear=True, samples=150_000, seeds=8)
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
    medium, points = Medium.of(box), grid(box, (24, 24, 12))
    ours = clock(lambda: unit_field(medium, face, points), 15) / points[..., 0].size
    off = 100 * abs(unit_field(medium, face, np.array([(0.55, 0.55, 0.3)]))[0] / seen - 1)
    print(
        f"{'a point at 1 %, against a renderer':<46} {1000 * ours:8.4f} ms   renderer {1000 * theirs:6.0f} ms   "
        f"ratio {theirs / ours:,.0f} (goal 5,000); they differ by {off:.1f} %, its error {100 * error / seen:.1f} %"
    )


def growth() -> None:
    """How the field's time grows with points, emitters and rock, each against its smallest case."""
    tank, emitters = reference()
    block = Rock(0.05, 0.1, 0.0, 0.06, 0.1, 0.25)
    cases: dict[str, list[tuple[int, Tank, list[Emitter], tuple[int, int, int]]]] = {
        "points": [(n * n * n * 432, tank, emitters, (12 * n, 6 * n, 6 * n)) for n in (2, 3, 4)],
        "emitters": [(6 * n, tank, emitters * n, (48, 24, 12)) for n in (1, 2, 4)],
        "rocks": [
            (n, replace(tank, rocks=tuple(replace(block, x=0.05 + 0.09 * k) for k in range(n))), emitters, (48, 24, 12))
            for n in (3, 6, 12)
        ],
    }
    for what, rows in cases.items():
        texts, first = [], 0.0
        for count, box, lamps, counts in rows:
            medium, points = Medium.of(box), grid(box, counts)
            seconds = clock(lambda m=medium, p=points, e=lamps: [unit_field(m, one, p) for one in e], 3)  # type: ignore[misc]
            first = first or seconds / count
            texts.append(f"{count}: {1000 * seconds:.0f} ms ({seconds / count / first:.2f} x a linear growth)")
        print(f"growth with {what:<10} " + ", ".join(texts))


def layouts() -> None:
    """Search a four-fixture tank: layouts judged by the second, and the gain over balanced spacing."""
    tank, _ = reference()
    stored = unstored(replace(demo_scene(), tank=tank, corals=(), wanted=()))
    kind = fixture_kinds()["cluster"]
    wish = Wish("cluster", "blanket", (4, 4), (0.2, 0.5), (200.0, 350.0))
    *_, _ = search(stored, kind, replace(wish, counts=(1, 1), heights=(0.3, 0.3)))
    start = time.perf_counter()
    *_, last = search(stored, kind, wish)
    seconds = time.perf_counter() - start
    case = small_space(stored.tank, Module.of(kind.parts))
    scanned = clock(lambda: sum(number for number, _ in scan(Columns(*case[:3]), case[3])), 3)
    count = sum(number for number, _ in scan(Columns(*case[:3]), case[3]))
    print(
        f"{'search, four modules, to its end':<46} {1000 * seconds:8.0f} ms   {last.judged} layouts, "
        f"{last.judged / seconds:,.0f} by the second (goal 3,000 in 5 s)"
    )
    print(f"{'  the scan alone':<46} {1000 * scanned:8.0f} ms   {count / scanned:,.0f} layouts by the second")
    rule = next(start.figures for start in starting_points(stored, kind) if start.rule.endswith("balanced"))
    best = last.best[0].figures
    print(
        f"  gain over balanced spacing: evenness {100 * rule.evenness:.0f} -> {100 * best.evenness:.0f} %, in band "
        f"{100 * rule.coverage:.0f} -> {100 * best.coverage:.0f} %, spread {rule.spread:.0f} -> {best.spread:.0f} PAR"
    )
    for words, key, wished in (
        ("  tubes side by side, to the end", "t5-54", Wish("t5-54", "blanket", (4, 6), (0.2, 0.4), (200.0, 350.0))),
        ("  hybrid frames, to the end", "hybrid-60", Wish("hybrid-60", "blanket", (1, 2), (0.2, 0.4), (200.0, 350.0))),
        ("  the whole shelf, for the cheapest", "cluster", replace(wish, goal="cheapest", counts=(2, 4))),
    ):
        start = time.perf_counter()
        *_, last = search(stored, fixture_kinds()[key], wished, kinds=list(fixture_kinds().values()))
        print(f"{words:<46} {1000 * (time.perf_counter() - start):8.0f} ms   {last.judged} layouts")


def small_space(tank: Tank, module: Module) -> tuple[Medium, Module, Aim, Space]:
    """Four modules at one height on a grid of 31 places."""
    points = grid(tank, (24, 12, 1), depths=(0.18, 0.18)).reshape(-1, 3)
    aim = Aim(points, np.full(len(points), 275.0), np.full(len(points), 1.0 / len(points)))
    places = tuple(np.linspace(0.05, tank.length - 0.05, 31).tolist())
    return Medium.of(tank), module, aim, Space((4,), places, (0.3,), (tank.width / 2,), 0.19)


def served() -> None:
    """Start, first chart, and what a drag, a dimmer and the probe cost."""
    with tempfile.TemporaryDirectory() as folder:
        env = {**os.environ, "CORLUME_DATA": folder, "CORLUME_PORT": "0", "PYTHONUNBUFFERED": "1"}
        start = time.perf_counter()
        command = [sys.executable, "-c", "from corlume.cli.main import main; main()", "demo"]
        server = subprocess.Popen(command, env=env, stdout=subprocess.PIPE, text=True)
        assert server.stdout is not None
        found = re.search(r"http://[\d.:]+", server.stdout.readline())
        assert found, "the demo did not start"
        address = found[0]
        try:
            with urllib.request.urlopen(f"{address}/tanks/1/chart") as answer:
                answer.read()
            row("cold start to first chart", time.perf_counter() - start, 8.0)
            ask = _asker(f"{address}/tanks/1/setups/2/light")
            steps = iter(range(1, 10_000))
            moved = clock(lambda: ask({"9": {"x": 0.4 + 0.001 * next(steps)}}), 25)
            row("moved: cluster, three drawings", moved, 0.06, "six rocks, brace, six fixtures")
            row("moved: tube, three drawings", clock(lambda: ask({"4": {"y": 0.18 + 0.001 * next(steps)}}), 25), 0.06)
            dimmed = clock(lambda: ask({"9": {"output": 0.3 + 0.0001 * next(steps)}}), 25)
            row("dimmed: cluster, three drawings", dimmed, 0.01, f"{moved / dimmed:.1f} x faster than moved")
            row("probe moved, all fixtures anew", clock(lambda: ask({}, x=0.2 + 0.001 * next(steps)), 15), 0.15)
            peak = re.search(r"VmHWM:\s+(\d+)", Path(f"/proc/{server.pid}/status").read_text())
            if peak:
                print(f"memory at its highest {int(peak[1]) / 1024:30.0f} MB   goal    500 MB")
        finally:
            server.terminate()
            server.wait(10)


def _asker(url: str) -> Callable[..., None]:
    def ask(changes: dict[str, dict[str, float]], x: float = 0.5) -> None:
        body = json.dumps({"probe": {"x": x, "y": 0.3, "depth": 0.2}, "changes": changes}).encode()
        request = urllib.request.Request(url, body, {"Content-Type": "application/json"})
        with urllib.request.urlopen(request) as answer:
            assert b"light-plan" in answer.read()

    return ask


if __name__ == "__main__":
    field()
    renderer()
    growth()
    layouts()
    served()
