"""The rooms and who may import whom, and that what is shipped is current."""

from __future__ import annotations

import ast
import graphlib
import hashlib
import importlib.util
import re
import sys
from pathlib import Path
from typing import Any

import pytest

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "corlume"
MAY_IMPORT = {
    "core": set(),
    "reference": {"core", "formats"},
    "formats": {"core"},
    "store": {"core"},
    "devices": {"core"},
    "services": {"core", "reference", "formats", "store", "devices"},
    "web": {"core", "reference", "formats", "store", "services", "settings"},
    "cli": {"core", "reference", "formats", "store", "devices", "services", "settings", "serve"},
    "serve": {"web", "services", "store", "settings"},
    "settings": set(),
}
CORE_PACKAGES = {"numpy", "scipy", "numba", "cachetools"}
BARRED_FROM_CORE = {"os", "pathlib", "time", "logging", "sqlite3", "random", "socket", "json"}


def imports(path: Path) -> set[str]:
    """Dotted names that a file imports."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            found |= {node.module or "", *(f"{node.module}.{alias.name}" for alias in node.names)}
    return found


def room(path: Path) -> str:
    return path.relative_to(SOURCE).parts[0].removesuffix(".py")


FILES = [p for p in SOURCE.rglob("*.py") if p.name != "__init__.py"]


@pytest.mark.parametrize("path", FILES, ids=lambda p: str(p.relative_to(SOURCE)))
def test_rooms_import_only_what_they_may(path: Path) -> None:
    ours = {name.split(".")[1] for name in imports(path) if name.startswith("corlume.")}
    assert ours - {room(path), "__version__"} <= MAY_IMPORT[room(path)]
    if room(path) == "core":
        others = {name.split(".")[0] for name in imports(path)} - {"corlume", "__future__"}
        assert {n for n in others if n not in sys.stdlib_module_names} <= CORE_PACKAGES
        assert not others & BARRED_FROM_CORE
        # days and times come in as arguments: their types may be named, a clock may not be read
        assert not re.search(r"\.(now|today|utcnow)\(", path.read_text())


def test_there_are_no_import_circles() -> None:
    names = {"corlume." + ".".join(p.relative_to(SOURCE).with_suffix("").parts): p for p in FILES}
    graph = {name: imports(path) & set(names) - {name} for name, path in names.items()}
    list(graphlib.TopologicalSorter(graph).static_order())


SUBJECTS = {
    "core": (
        "light",
        "acclimation",
        "flow",
        "judging",
        "search",
        "placement",
        "mounting",
        "schedule",
        "survey",
        "upkeep",
        "keeping",
    ),
    "services": (
        "light",
        "keeping",
        "flow",
        "placement",
        "judging",
        "survey",
        "acclimation",
        "schedule",
        "search",
        "mounting",
        "upkeep",
    ),
    "web": ("forms", "request", "drawing", "pages"),
}
"""Rooms that are folders, each after those that it may import."""


@pytest.mark.parametrize("floor", SUBJECTS)
def test_rooms_of_a_floor_use_only_those_before_them(floor: str) -> None:
    """So that no two rooms import each other; what stands beside the rooms is for all, or ties them together."""
    order = SUBJECTS[floor]
    assert {p.parent.name for p in (SOURCE / floor).glob("*/__init__.py")} == set(order)
    for path in FILES:
        place = path.relative_to(SOURCE / floor).parts if path.is_relative_to(SOURCE / floor) else ()
        if len(place) > 1:
            used = {name.split(".")[2] for name in imports(path) if name.startswith(f"corlume.{floor}.")} & set(order)
            assert used <= set(order[: order.index(place[0]) + 1]), path


def test_a_subject_has_one_word_on_every_floor() -> None:
    named = {
        folder.name
        for floor in (
            SOURCE / "core",
            SOURCE / "services",
            SOURCE / "web/pages",
            SOURCE / "web/templates",
            ROOT / "tests",
        )
        for folder in floor.iterdir()
        if folder.is_dir() and folder.name not in ("__pycache__", "parts", "browser", "js", "scenes")
    }
    assert named == set(SUBJECTS["core"]) | set(SUBJECTS["services"])


RETIRED = {
    "*.py": r"\.yellowing|flicker|(?<!Fetch-)\bSite\b|\.reach\b|FixtureKind|\bRack\b",
    "*.html": r"(?i)\byellowing\b|>flicker\b|>condition\b|work out the condition|no source|\(ours\)|light chart|"
    r"\bremed(y|ies)\b|meant for|zones wanted|that wait\b|take (it|them) down|>remove<|bring (it )?in<|anew\b",
    "*.js": r"\bcondition\b|no source",
    "*.md": r"(?i)light chart|\bremed(y|ies)\b|zones wanted|\(ours\)",
}
"""Words that the glossary has retired, and where: older files are still read by some of them, so declarations may hold
them as texts."""


@pytest.mark.parametrize("kind", RETIRED)
def test_retired_words_stay_out_of_code_screens_and_docs(kind: str) -> None:
    """docs/glossary.md names what stands in their place."""
    docs = [*(ROOT / "docs").rglob("*.md"), ROOT / "README.md", ROOT / "CONTRIBUTING.md"]
    for path in docs if kind == "*.md" else SOURCE.rglob(kind):
        text = re.sub(
            r"formerly=\([^)]*\)|was=\{[^}]*\}|column=\"\w+\"|flickers|class=\"[^\"]*\"",
            "",
            path.read_text(encoding="utf-8"),
        )
        if kind == "*.html":
            text = re.sub(r"\{[{%#].*?[}%#]\}", "", text, flags=re.DOTALL)
        found = None if "vendor" in path.parts else re.search(RETIRED[kind], text)
        assert found is None, f"{path.relative_to(ROOT)}: {found and found[0]}"


MESSAGES = re.compile(
    r"no source|\bours\b|(?i:light chart|\bremed(y|ies)\b|meant for|zones drawn by hand|\bthe shelf\b|that waits?\b)"
)


def test_retired_words_stay_out_of_messages() -> None:
    """Texts in the code that are not docstrings are read by keepers."""
    for path in FILES:
        tree = ast.parse(path.read_text(encoding="utf-8"))
        said = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
        for node in ast.walk(tree):
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in said:
                found = MESSAGES.search(node.value)
                assert found is None, f"{path.relative_to(ROOT)}:{node.lineno}: {found and found[0]}"


def load_script(name: str) -> Any:
    """A script by its name, as a module; what it does when run stays undone."""
    spec = importlib.util.spec_from_file_location(name, ROOT / f"scripts/{name}.py")
    assert spec is not None
    assert spec.loader is not None
    script = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(script)
    return script


def test_glossary_is_the_list_of_terms() -> None:
    script = load_script("write_glossary")
    assert script.GLOSSARY.read_text(encoding="utf-8") == script.glossary(), "the glossary is stale: run make glossary"


def test_schema_speaks_by_the_glossary() -> None:
    schema = (ROOT / "docs/scene.schema.json").read_text()
    for word in ("condition_percent", "yellowing", "reach_cm", '"goal"', '"site"'):
        assert word not in schema


def test_picture_of_the_rooms_is_current() -> None:
    picture = (ROOT / "docs/rooms.svg").read_text()
    for folder in (*(SOURCE / "core").iterdir(), *(SOURCE / "services").iterdir()):
        if (folder / "__init__.py").exists():
            assert f"{folder.parent.name}/{folder.name}," in picture, "the picture is old: run make rooms"


def test_shipped_css_is_current() -> None:
    stamp = load_script("stamp_styles")
    assert stamp.source_hash() in stamp.CSS.read_text(), "the CSS is stale: run make styles"


def test_scripts_of_others_are_those_that_are_pinned() -> None:
    """vendor/README.md says how they are made."""
    folder = SOURCE / "web/static/vendor"
    pinned = dict(reversed(line.split()) for line in (folder / "SHA256SUMS").read_text().splitlines())
    found = {path.name: hashlib.sha256(path.read_bytes()).hexdigest() for path in folder.glob("*.js")}
    assert found == pinned


def test_templates_styles_and_scripts_are_readable() -> None:
    scripts = (SOURCE / "web/static").glob("*.js")
    for path in (*SOURCE.rglob("*.html"), ROOT / "styles/app.css", *scripts):
        longest = max(path.read_text(encoding="utf-8").splitlines(), key=len)
        assert len(longest) <= 140, f"{path.relative_to(ROOT)}: {longest.strip()[:60]}"


def test_pages_load_nothing_from_elsewhere() -> None:
    for path in [*SOURCE.rglob("*.html"), SOURCE / "web/static/app.css", *(SOURCE / "web/static").glob("*.js")]:
        text = path.read_text().replace("http://www.w3.org/2000/svg", "").replace("https://tailwindcss.com", "")
        assert "http://" not in text, path
        assert "https://" not in text, path
        assert " style=" not in text or path.suffix == ".js", path


def test_documents_have_short_lines() -> None:
    for path in (*(ROOT / "docs").glob("*.md"), ROOT / "README.md"):
        longest = max(path.read_text(encoding="utf-8").splitlines(), key=len)
        assert len(longest) <= 120, f"{path.relative_to(ROOT)}: {longest[:60]}"
