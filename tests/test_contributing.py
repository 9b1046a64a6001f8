"""CONTRIBUTING.md keeps its word: its examples are made along exactly the files that it names, and work everywhere."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

from tests.examples import EXAMPLES, apply

ROOT = Path(__file__).parent.parent
COUNTS = {
    "A new field of a coral": 3, "A new kept list": 4, "A new station": 7, "A new figure": 3, "A new technology": 3,
    "A new type of meter": 3,
}  # fmt: skip
"""Files of each example, its test among them; of a station without."""


def named() -> dict[str, tuple[int, set[str]]]:
    """The examples as CONTRIBUTING.md has them: how many files it says, and which it names."""
    text = (ROOT / "CONTRIBUTING.md").read_text(encoding="utf-8")
    found = {}
    for title, count, body in re.findall(
        r"\*\*(A new [\w ]+): (\d) files[^*]*\*\*(.*?)(?=\n\*\*A new|\n## )", text, re.S
    ):
        found[title] = int(count), set(re.findall(r"^\d\. `([\w/.]+)`", body, re.M))
    return found


def test_examples_are_made_along_the_files_that_are_named() -> None:
    told = named()
    assert {title: count for title, (count, _) in told.items()} == COUNTS
    for title, edits in EXAMPLES.items():
        files = {re.sub(r"sql/NNNN_", "sql/", name) for name in told[title][1]}
        own = {name for name in files if not name.startswith("tests/")}
        assert own == {re.sub(r"sql/\d+_", "sql/", name) for name in edits}, title
        assert len(files) == told[title][0], title


def test_examples_are_found_in_form_row_file_table_undo_and_export(tmp_path: Path) -> None:
    shutil.copytree(ROOT / "src", tmp_path / "src", ignore=shutil.ignore_patterns("*.egg-info"))
    apply(tmp_path)
    env = {**os.environ, "PYTHONPATH": f"{tmp_path / 'src'}{os.pathsep}{ROOT}"}
    done = subprocess.run(
        [sys.executable, "-m", "tests.examples_walk", str(tmp_path / "data" / "walk.db")],
        cwd=tmp_path, env=env, capture_output=True, text=True, timeout=300, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-3000:]
    assert json.loads(done.stdout.splitlines()[-1]) == list(EXAMPLES)
