"""The command line: serve, demo, par, layout, check, export, import."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import click

from corlume import __version__
from corlume.cli.backup import backup, restore, verify
from corlume.cli.check import check
from corlume.cli.controller import controller
from corlume.cli.database import opened, settings
from corlume.cli.layout import layout
from corlume.cli.made_up_scan import made_up_scan
from corlume.cli.meter import meter
from corlume.cli.par import par
from corlume.devices.register import meter_at, place_of
from corlume.formats.file_faults import BadFile
from corlume.formats.scene_file import scene_schema
from corlume.services.keeping import demo as demo_data
from corlume.services.keeping import tanks
from corlume.services.light.kernels import compile_kernels
from corlume.settings import Settings
from corlume.store.database import Database, Unusable
from corlume.store.lock import alone
from corlume.store.tables import NotFound


@click.group()
@click.version_option(__version__, prog_name="corlume")
def main() -> None:
    """Corlume, the reef keeper's light bench."""


phone_option = click.option(
    "--phone", is_flag=True, help="Listen on the home network as well, for phones that were paired on the page Phone."
)


@main.command()
@phone_option
def serve(phone: bool) -> None:
    """Serve the application with your own tanks."""
    _run(opened(), settings(), phone=phone)


@main.command()
@click.option("--fresh", is_flag=True, help="Begin again from the demo data as shipped.")
@phone_option
def demo(fresh: bool, phone: bool) -> None:
    """Serve the application with a made-up keeper's tank; kept apart from your own."""
    if fresh:
        _clear_demo(settings().data / "demo.db")
    db = opened(demo=True)
    demo_data.seed(db)
    with _devices(settings()):
        _run(db, settings(), phone=phone)


def _clear_demo(path: Path) -> None:
    """Delete the demo's database, unless a server has it open."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with alone(path):
            for suffix in ("", "-wal", "-shm"):
                path.with_name(path.name + suffix).unlink(missing_ok=True)
    except (Unusable, OSError) as error:
        raise click.ClickException(str(error)) from error


@contextmanager
def _devices(chosen: Settings) -> Iterator[None]:
    """The simulated devices, each a process of its own that ends with this one; one that ends by itself is told."""
    meter_kind, _, meter_port = meter_at(chosen.meter)
    controller_kind, _, controller_port = place_of(chosen.controller)
    wanted = (
        ("meter", "Readings by meter", chosen.meter, meter_kind.key, meter_port),
        ("controller", "The controller", chosen.controller, controller_kind.key, controller_port),
    )
    command = "from corlume.cli.main import main; main()"
    processes = [
        subprocess.Popen(
            [
                sys.executable,
                "-c",
                command,
                name,
                "--demo",
                "--parent",
                str(os.getpid()),
                "--kind",
                kind,
                "--port",
                str(port),
            ],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
            text=True,
        )
        for name, _, _, kind, port in wanted
    ]
    stopping = threading.Event()

    def watch(process: subprocess.Popen[str], name: str, what: str, address: str) -> None:
        _, words = process.communicate()
        if not stopping.is_set():
            why = words.strip().removeprefix("Error: ") or "it stopped"
            click.echo(
                f"The simulated {name} does not answer at {address}: {why} {what} will not work; all else does. "
                f"Set CORLUME_{name.upper()} to another address.",
                err=True,
            )

    for process, (name, what, address, _, _) in zip(processes, wanted, strict=True):
        threading.Thread(target=watch, args=(process, name, what, address), daemon=True).start()
    try:
        yield
    finally:
        stopping.set()
        for process in processes:
            process.terminate()


def _run(db: Database, chosen: Settings, *, phone: bool) -> None:
    from corlume.serve import serve as run  # the other commands start faster without the web

    try:
        run(db, chosen, tell=click.echo, phone=phone)
    except Unusable as error:
        raise click.ClickException(str(error)) from error
    except OSError as error:
        raise click.ClickException(
            f"Port {chosen.port} on {chosen.host} cannot be used: {error.strerror}. Set CORLUME_PORT to another."
        ) from error
    # every edit is on the disk by now; a field that is still being worked out for nobody is not waited for
    sys.stdout.flush()
    os._exit(0)


@main.command()
def warm() -> None:
    """Compile the light model once, so that the first page is quick."""
    compile_kernels(lambda step: click.echo(f"Compiling the light model, {step} ..."))


@main.command("import")
@click.argument("scene", type=click.Path(exists=True, dir_okay=False, path_type=Path))
def import_(scene: Path) -> None:
    """Store the tank of a SCENE file among your own."""
    try:
        tank_id = tanks.import_tank(opened(), scene.read_bytes())
    except BadFile as error:
        raise click.ClickException(f"{scene} was not read:\n{error}") from error
    click.echo(f"Stored as tank {tank_id}.")


@main.command()
@click.argument("tank_id", type=int)
@click.option("--output", type=click.Path(dir_okay=False, path_type=Path), help="File to write; otherwise printed.")
def export(tank_id: int, output: Path | None) -> None:
    """Write tank TANK_ID as a scene file; to a name that ends in .zip with its photos."""
    try:
        if output and output.suffix == ".zip":
            output.write_bytes(tanks.export_zip(opened(), tank_id))
            return
        text = tanks.export_tank(opened(), tank_id)
    except NotFound as error:
        known = ", ".join(f"{t.id} ({t.name})" for t in tanks.all_tanks(opened())) or "none yet"
        raise click.ClickException(f"There is no tank {tank_id}. Tanks: {known}.") from error
    if output:
        output.write_text(text, encoding="utf-8")
    else:
        sys.stdout.write(text)


@main.command()
@click.argument("path", type=click.Path(dir_okay=False, path_type=Path), default=Path("docs/scene.schema.json"))
def schema(path: Path) -> None:
    """Write the JSON Schema of the scene file to PATH."""
    path.write_text(scene_schema(), encoding="utf-8")


for command in (par, layout, check, meter, controller, made_up_scan, backup, restore, verify):
    main.add_command(command)
