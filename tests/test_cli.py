"""The command line."""

from __future__ import annotations

import asyncio
import csv
import io
import json
import os
import re
import signal
import socket
import subprocess
import sys
import urllib.request
from pathlib import Path

import pytest
from click.testing import CliRunner, Result

from corlume.cli.main import main
from corlume.serve import serve
from corlume.settings import Settings
from corlume.store.database import Database
from tests import loops
from tests.processes import answered

SCENES = Path(__file__).parent / "scenes"
CUBE = str(SCENES / "hand-measured-cube.json")


def run(*args: str, **env: str) -> Result:
    return CliRunner(env=env).invoke(main, list(args))


def table(result: Result) -> list[dict[str, float]]:
    assert result.exit_code == 0, result.output
    return [{k: float(v) for k, v in row.items()} for row in csv.DictReader(io.StringIO(result.output))]


def test_par_reads_points_and_grids_alike() -> None:
    rows = table(run("par", CUBE, "--points", str(SCENES / "points.csv")))
    assert list(rows[0]) == ["x_cm", "y_cm", "depth_cm", "par"]
    assert 60 < rows[0]["par"] < 400
    whole = table(run("par", CUBE, "--grid", "3x3x2"))
    assert len(whole) == 18
    # the cube's tubes are symmetric, left to right and front to back
    assert whole[0]["par"] == pytest.approx(whole[-2]["par"], rel=1e-3)


def test_par_takes_a_setup_by_name() -> None:
    scene = str(SCENES / "two-modules.json")
    balanced, other = (
        table(run("par", scene, "--grid", "4x2x2", *extra)) for extra in ((), ("--setup", "With fill and halide"))
    )
    assert [r["par"] for r in balanced] != [r["par"] for r in other]
    assert 'It has: "Balanced"' in run("par", scene, "--grid", "2x2x2", "--setup", "x").output


@pytest.mark.parametrize(
    ("args", "message"),
    [
        ((CUBE,), "Give either --points"),
        ((CUBE, "--grid", "4x4"), "44x28x12"),
        ((CUBE, "--grid", "0x4x4"), "44x28x12"),
        ((str(SCENES / "points.csv"), "--grid", "2x2x2"), "is not JSON"),
        ((CUBE, "--points", CUBE), "line 1: has no column"),
        (("missing.json", "--grid", "2x2x2"), "does not exist"),
    ],
)
def test_par_says_what_is_wrong(args: tuple[str, ...], message: str) -> None:
    result = run("par", *args)
    assert result.exit_code != 0
    assert message in result.output
    assert "Traceback" not in result.output


def test_import_and_export_keep_a_tank(tmp_path: Path) -> None:
    data = {"CORLUME_DATA": str(tmp_path)}
    assert "tank 1" in run("import", CUBE, **data).output
    assert json.loads(run("export", "1", **data).output)["tank"]["length_cm"] == 60.96
    assert "There is no tank 7. Tanks: 1 (Cube by the tape)" in run("export", "7", **data).output


def test_record_is_backed_up_verified_and_restored(tmp_path: Path) -> None:
    data, copy = {"CORLUME_DATA": str(tmp_path / "data")}, str(tmp_path / "copy.db")
    run("import", CUBE, **data)
    assert "1 tank (Cube by the tape), 0 own fixtures, 1 step of undo" in run("backup", copy, **data).output
    assert "is there already" in run("backup", copy, **data).output
    assert "is whole" in run("verify", copy).output
    run("import", CUBE, **data)
    restored = run("restore", copy, **data)
    assert "What was there is in" in restored.output
    assert "There is no tank 2" in run("export", "2", **data).output
    refused = run("restore", str(SCENES / "points.csv"), **data)
    assert refused.exit_code == 1
    assert "is not a database of Corlume" in refused.output


def test_open_house_is_said_beyond_loopback(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("uvicorn.Server.run", lambda *_, **__: None)
    for host, lines in (("127.0.0.1", 1), ("0.0.0.0", 2)):
        said: list[str] = []
        db = Database(tmp_path / "a.db")
        serve(db, Settings(host=host, port=0, data=tmp_path), tell=said.append)
        assert len(said) == lines
    assert "there is no log-in" in said[1]
    assert "CORLUME_HOSTS=" in said[1]


def test_answers_leave_at_once_instead_of_waiting_for_an_acknowledgement(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A small answer on a connection that is kept open came 40 ms late once: asyncio had left TCP_NODELAY off."""
    told: list[int] = []

    def accepted(_: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        told.append(writer.get_extra_info("socket").getsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY))
        writer.close()

    async def talk(listener: socket.socket) -> None:
        async with await asyncio.start_server(accepted, sock=listener.dup()):
            reader, writer = await asyncio.open_connection(*listener.getsockname())
            await reader.read()
            writer.close()

    monkeypatch.setattr("uvicorn.Server.run", lambda _, sockets: loops.run(talk(sockets[0])))
    serve(Database(tmp_path / "a.db"), Settings(port=0, data=tmp_path), tell=lambda _: None)
    assert told == [1]


def test_demo_serves_on_loopback_and_prints_its_address(tmp_path: Path) -> None:
    env = {**os.environ, "CORLUME_DATA": str(tmp_path), "CORLUME_PORT": "0", "PYTHONUNBUFFERED": "1"}
    command = [sys.executable, "-c", "from corlume.cli.main import main; main()", "demo"]
    process = subprocess.Popen(command, env=env, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    address = re.search(r"http://127\.0\.0\.1:\d+/", process.stdout.readline())
    assert address
    assert answered(address[0] + "tanks") == 200
    with urllib.request.urlopen(address[0] + "tanks") as answer:
        assert b"Tern Skerry" in answer.read()
    process.send_signal(signal.SIGINT)
    process.wait(10)
    process.stdout.close()
    assert (tmp_path / "demo.db").exists()
    # a simulated device that was still starting then ends by itself, and leaves its port
    late = [*command[:-1], "meter", "--demo", "--parent", str(process.pid), "--port", "0"]
    assert subprocess.run(late, env=env, timeout=60, check=False).returncode == 0


def test_bad_settings_are_told_by_name(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    assert "CORLUME_PORT" in run("serve", CORLUME_PORT="many").output
    assert "cannot be used: File exists" in run("export", "1", CORLUME_DATA=str(tmp_path / "file")).output


def test_every_setting_is_documented() -> None:
    text = " ".join((SCENES.parent.parent / "docs/settings.md").read_text().split())
    for name, field in Settings.model_fields.items():
        assert f"`CORLUME_{name.upper()}`" in text
        assert str(field.description) in text


def answers(result: Result) -> list[dict[str, str]]:
    assert result.exit_code == 0, result.output
    return list(csv.DictReader(io.StringIO(result.stdout)))


def test_layout_prints_answers_and_writes_them_as_setups(tmp_path: Path) -> None:
    scene, out = str(SCENES / "two-modules.json"), tmp_path / "found.json"
    args = ("--counts", "2", "--heights", "28-30", "--symmetric", "--output", str(out))
    rows = answers(run("layout", scene, *args))
    assert len(rows) >= 1
    assert {row["count"] for row in rows} == {"2"}
    left, right = (float(x) for x in rows[0]["x_cm"].split())
    assert left + right == pytest.approx(48 * 2.54, abs=0.3)  # a symmetric tank gives a symmetric best
    assert 28 <= float(rows[0]["height_cm"]) <= 30
    written = json.loads(out.read_text())
    names = [s["name"] for s in written["setups"]]
    assert names[-len(rows)] == "Searched 1: LED cluster, mid-size"
    places = [f["x_cm"] for f in written["setups"][-len(rows)]["fixtures"]]
    assert places == pytest.approx([left, right], abs=0.05)
    # what was written can be read again and predicts what was told
    par = table(run("par", str(out), "--grid", "24x12x1", "--setup", names[-len(rows)]))
    assert sum(r["par"] for r in par) > 0


@pytest.mark.parametrize(
    ("args", "message"),
    [
        (("--counts", "two"), "takes one number or two such as 20-40"),
        (("--counts", "4-2"), "--counts must not be less than the least, not 2"),
        (("--heights", "20-500"), "--heights exceeds the clearance: canopy or ceiling is at 90 cm"),
        (("--band", "300-200"), "--band must be above the start of the range"),
        (("--purpose", "zones"), "--purpose needs a zone: draw one first"),
        (("--kind", "lantern"), "'lantern' is not one of"),
        (("--setup", "x"), 'It has: "Balanced"'),
    ],
)
def test_layout_says_which_option_is_wrong(args: tuple[str, ...], message: str) -> None:
    result = run("layout", str(SCENES / "two-modules.json"), *args)
    assert result.exit_code != 0
    assert message in result.output


def test_check_judges_names_faults_and_looks_at_the_mounting() -> None:
    scene = str(SCENES / "two-modules.json")
    said = run("check", scene).output
    # balanced spacing over four feet; common practice, no source
    assert re.search(r"Ends vs centre: \d\d %, (fair|poor)", said)
    assert "Beams overlap in the middle" in said
    assert re.search(r"Move the outer modules out by 6 cm: .*(reduces|solves) beams overlap in the middle", said)
    assert "Weight not known: Left module, Right module" in said
    assert "local code and licensed work come first" in said
    inches = run("check", scene, "--unit", "in", "--setup", "With fill and halide").output
    assert "Heat of halides" in inches
    assert " cm" not in inches
    assert 'There is no setup "x"' in run("check", scene, "--setup", "x").output
    assert "is not JSON" in run("check", str(SCENES / "points.csv")).output
