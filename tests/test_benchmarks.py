"""The benchmarks run to their end."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path


def test_every_benchmark_runs_at_its_smallest_size() -> None:
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks.run", "--smallest"],
        cwd=Path(__file__).parent.parent, capture_output=True, text=True, timeout=600, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    for name in (
        "field 48 x 24 x 12", "first light with", "fit of 40 readings", "first plan", "a day by the minute", "dimmed",
        "kinds, all", "memory after", "against a renderer",
    ):  # fmt: skip
        assert name in done.stdout
