"""Name the tests that a change wants: those that import what was changed; for `make quick`.

A changed template, style or script wants the tests of pages; a changed test itself. Browser tests and those marked slow
stay for `make test`.
"""

from __future__ import annotations

import ast
import subprocess
from pathlib import Path

ROOT = Path(__file__).parent.parent
SOURCE, TESTS = ROOT / "src", ROOT / "tests"
ALWAYS = ("tests/test_structure.py", "tests/keeping/test_schema.py")
PAGES = ("tests/test_web.py", "tests/test_stations.py")
MOST = 3
"""So many files of tests, those that import most of the change first: more take longer than two minutes."""


def changed() -> set[str]:
    """Files that differ from the last commit; when nothing does, those of the last commit itself."""
    ask = ["git", "-C", str(ROOT), "status", "--porcelain", "--no-renames", "-uall"]
    found = {line[3:].strip('"') for line in subprocess.check_output(ask, text=True).splitlines()}
    last = ["git", "-C", str(ROOT), "show", "--name-only", "--format=", "HEAD"]
    return found or set(subprocess.check_output(last, text=True).split())


def imports(path: Path) -> set[str]:
    """Modules of ours that a file imports, by their dotted names."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module, *(f"{node.module}.{alias.name}" for alias in node.names)}
    return {name for name in found if name.startswith("corlume.")}


def main() -> None:
    """Print the tests, one line."""
    files = changed()
    modules = {
        ".".join(Path(name).relative_to("src").with_suffix("").parts)
        for name in files
        if name.startswith("src/") and name.endswith(".py")
    }
    weights: dict[str, int] = {}
    for path in TESTS.rglob("test_*.py"):
        name, used = str(path.relative_to(ROOT)), imports(path)
        weights[name] = 100 * (name in files) + len(used & modules)
    wanted = sorted((name for name, weight in weights.items() if weight), key=lambda name: -weights[name])[:MOST]
    pages = PAGES if any(name.endswith((".html", ".js", ".css")) for name in files) else ()
    print("-m 'not slow'", *dict.fromkeys((*ALWAYS, *pages, *wanted)))


if __name__ == "__main__":
    main()
