"""Read a scene file for a command, with words for what is wrong."""

from __future__ import annotations

from pathlib import Path

import click

from corlume.core.keeping.scene import Scene, Setup
from corlume.formats.file_faults import BadFile
from corlume.formats.scene_zip import read_packed


def read(path: Path) -> Scene:
    """The scene of a file, JSON or zip; ``ClickException`` says where it is wrong."""
    try:
        return read_packed(path.read_bytes()).scene
    except BadFile as error:
        raise click.ClickException(f"{error}") from error


def setup_of(scene: Scene, name: str | None) -> Setup:
    """The setup of that name, or the one in use; ``ClickException`` names those that there are."""
    try:
        return scene.setup(name)
    except KeyError as error:
        names = ", ".join(f'"{s.name}"' for s in scene.setups)
        raise click.ClickException(f'There is no setup "{name}" in the scene. It has: {names}.') from error
