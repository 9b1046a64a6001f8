"""Time that a busy machine does not move: CPU seconds, beside a fixed piece of work done at the same moment."""

from __future__ import annotations

import os
import statistics
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

QUIET = 0.070
"""CPU seconds of the reference on the quiet machine (two cores) on which the goals were set."""
TICK = os.sysconf("SC_CLK_TCK")
SMALLEST = "--smallest" in sys.argv
"""Whether each benchmark runs once at its smallest size: it shows that it runs, and its times mean nothing."""
T = TypeVar("T")


def sized(usual: T, smallest: T) -> T:
    """A size of a benchmark: the usual one, or the smallest when that is asked for."""
    return smallest if SMALLEST else usual


def reference() -> None:
    """Some numpy and some Python, as the product mixes them."""
    field = np.linspace(0.0, 1.0, 250_000).reshape(500, 500)
    for _ in range(12):
        field = np.sqrt(field.T * field + 0.1 * np.exp(-field))  # no linear algebra: its threads spin
    total = 0
    for k in range(220_000):
        total += k * k % 7
    assert total > 0
    assert np.isfinite(field).all()


@dataclass(frozen=True, slots=True)
class Taken:
    """What a piece of work took: CPU and wall seconds, and its CPU in units of the reference beside it."""

    cpu: float
    wall: float
    ratio: float


def spent(pid: int | None = None) -> float:
    """CPU seconds of this process, or of another one by its number."""
    if pid is None:
        return time.process_time()
    with open(f"/proc/{pid}/stat", encoding="ascii") as file:
        fields = file.read().rpartition(")")[2].split()
    return (int(fields[11]) + int(fields[12])) / TICK


def clock(work: Callable[[], object], runs: int, *, pid: int | None = None, warm: bool = True) -> Taken:
    """Medians over some runs, after one that is not counted, each with the reference before it.

    Another process's CPU is told in ticks of some milliseconds, so that all its runs are taken together.
    """
    if warm and not SMALLEST:
        work()
    cpu, wall, beside = [], [], []
    for _ in range(sized(runs, 1)):
        start = time.process_time()
        reference()
        beside.append(time.process_time() - start)
        begun, at = spent(pid), time.perf_counter()
        work()
        wall.append(time.perf_counter() - at)
        cpu.append(spent(pid) - begun)
    taken = statistics.fmean(cpu) if pid else statistics.median(cpu)
    return Taken(taken, statistics.median(wall), taken / statistics.median(beside))


def row(name: str, taken: Taken, goal: float | None = None, note: str = "") -> None:
    """Print one line of the table; ``goal`` in CPU seconds on the quiet machine."""
    text = (
        f"{name:<46} {1000 * taken.cpu:8.0f} ms CPU {1000 * taken.wall:8.0f} ms wall   {taken.ratio:7.2f} x reference"
    )
    if goal is not None:
        allowed = goal / QUIET
        text += f"   goal {allowed:7.2f} ({1000 * goal:.0f} ms){'' if taken.ratio <= allowed else '  OVER'}"
    print(text + (f"   {note}" if note else ""), flush=True)
