"""A built wheel, installed where nothing else of ours is: everything that it needs is in it."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import sysconfig
import urllib.error
import urllib.request
import venv
from pathlib import Path

import pytest

from corlume import __version__

ROOT = Path(__file__).parent.parent


def shipped(package: Path) -> list[Path]:
    """Every file of the package: modules, pages, styles, scripts, fonts, tables and migrations."""
    return [path for path in package.rglob("*") if path.is_file() and "__pycache__" not in path.parts]


def test_wheel_in_a_venv_of_its_own_holds_every_file_and_serves_while_it_gets_ready(tmp_path: Path) -> None:
    """Other packages come from the venv of the tests by a path file; of ours there is only what the wheel brought."""
    pip = [sys.executable, "-m", "pip", "--disable-pip-version-check", "--quiet"]
    source = tmp_path / "source"  # building leaves a folder beside the sources
    shutil.copytree(ROOT / "src", source / "src", ignore=shutil.ignore_patterns("*.egg-info", "__pycache__"))
    for name in ("pyproject.toml", "requirements.in", "README.md", "LICENSE"):
        shutil.copy(ROOT / name, source)
    subprocess.run([*pip, "wheel", "--no-deps", "--wheel-dir", str(tmp_path), str(source)], check=True, timeout=300)
    [wheel] = tmp_path.glob("corlume-*.whl")
    venv.create(tmp_path / "venv", with_pip=False)
    python = tmp_path / "venv" / "bin" / "python"
    target = next((tmp_path / "venv" / "lib").glob("python*")) / "site-packages"
    subprocess.run([*pip, "install", "--no-deps", "--target", str(target), str(wheel)], check=True, timeout=300)
    brought = {path.relative_to(target) for path in (target / "corlume").rglob("*")}
    assert {path.relative_to(ROOT / "src") for path in shipped(ROOT / "src" / "corlume")} <= brought
    (target / "others.pth").write_text(sysconfig.get_path("purelib"))
    env = {k: v for k, v in os.environ.items() if not k.startswith("PYTHON")}
    env |= {"CORLUME_DATA": str(tmp_path / "data"), "CORLUME_PORT": "0", "PYTHONUNBUFFERED": "1"}
    command = [str(python), "-c", "import corlume.cli.main as m; print(m.__file__, flush=True); m.main()"]
    told = subprocess.run([*command, "--version"], env=env, cwd=tmp_path, capture_output=True, text=True, check=True)
    assert str(target) in told.stdout
    assert f"version {__version__}" in told.stdout
    server = subprocess.Popen([*command, "demo"], env=env, cwd=tmp_path, stdout=subprocess.PIPE, text=True)
    assert server.stdout is not None
    try:
        assert str(target) in server.stdout.readline()
        found = re.search(r"http://[\d.:]+", server.stdout.readline())
        assert found
        assert urllib.request.urlopen(f"{found[0]}/static/app.css").status == 200
        # its kernels are not compiled yet, which is said at once
        with pytest.raises(urllib.error.HTTPError, match="503") as told_so:
            urllib.request.urlopen(f"{found[0]}/tanks/1/par-map")
        assert "Getting ready" in told_so.value.read().decode()
    finally:
        server.kill()
        server.wait(10)
        server.stdout.close()
