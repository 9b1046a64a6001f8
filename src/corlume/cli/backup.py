"""`corlume backup`, `verify` and `restore`: the whole record in one file."""

from __future__ import annotations

from pathlib import Path

import click

from corlume.cli.database import opened
from corlume.services.keeping import backup as service
from corlume.services.keeping.backup import Contents
from corlume.store.database import Unusable
from corlume.store.lock import alone

FILE = click.Path(dir_okay=False, path_type=Path)
KEPT = click.Path(exists=True, dir_okay=False, path_type=Path)
DEMO = click.option("--demo", is_flag=True, help="The demo's record instead of your own.")


def _say(held: Contents) -> str:
    names = f" ({', '.join(held.tanks)})" if held.tanks else ""
    counts = ((held.fixtures, "own fixture"), (held.edits, "step"))
    text = ", ".join([_count(len(held.tanks), "tank") + names, *(_count(n, what) for n, what in counts)]) + " of undo"
    return text + f"; not to be read: {', '.join(held.faulty)}" * bool(held.faulty)


def _count(number: int, what: str) -> str:
    return f"{number} {what}{'s' * (number != 1)}"


@click.command()
@click.argument("file", type=FILE)
@DEMO
def backup(file: Path, demo: bool) -> None:
    """Write all tanks, fixtures and what can be undone to FILE, also while Corlume is running."""
    db = opened(demo=demo)
    try:
        click.echo(f"{file}: {_say(service.backup(db, file))}.")
    except Unusable as error:
        raise click.ClickException(str(error)) from error


@click.command()
@click.argument("file", type=KEPT)
def verify(file: Path) -> None:
    """Say whether FILE is a whole backup, and what it holds."""
    try:
        click.echo(f"{file} is whole: {_say(service.verify(file))}.")
    except Unusable as error:
        raise click.ClickException(str(error)) from error


@click.command()
@click.argument("file", type=KEPT)
@DEMO
def restore(file: Path, demo: bool) -> None:
    """Put FILE in place of the whole record; what was there stays in a file beside it."""
    db = opened(demo=demo)
    try:
        with alone(db.path):
            held, kept = service.restore(db, file)
    except Unusable as error:
        raise click.ClickException(str(error)) from error
    click.echo(f"Restored: {_say(held)}. What was there is in {kept}.")
