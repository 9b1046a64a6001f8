"""`corlume par`: PAR of a scene at given points, or over a grid, as CSV."""

from __future__ import annotations

import csv
import re
import sys
from pathlib import Path

import click
import numpy as np

from corlume.cli import scenes
from corlume.core.light.field import Sensor, grid
from corlume.core.light.geometry import Tank
from corlume.core.units import CM
from corlume.formats.file_faults import BadFile
from corlume.formats.point_list import read_points
from corlume.services.light.fields import par_at

MOST_POINTS = 2_000_000


@click.command()
@click.argument("scene", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--points", type=click.Path(exists=True, dir_okay=False, path_type=Path), help="CSV x_cm,y_cm,depth_cm.")
@click.option("--grid", "size", metavar="NXxNYxNZ", help="A whole field: so many points along each axis.")
@click.option("--setup", "setup_name", help="Name of the setup; otherwise the one in use.")
@click.option("--sensor", type=click.Choice(["planar", "scalar"]), default="planar", help="Meters are planar.")
def par(scene: Path, points: Path | None, size: str | None, setup_name: str | None, sensor: Sensor) -> None:
    """Predict PAR in SCENE and print CSV x_cm,y_cm,depth_cm,par (umol/m2/s)."""
    if (points is None) == (size is None):
        raise click.UsageError("Give either --points FILE or --grid NXxNYxNZ.")
    read = scenes.read(scene)
    try:
        where = (
            read_points(points.read_text(encoding="utf-8-sig"), read.tank) if points else _grid(size or "", read.tank)
        )
    except BadFile as error:
        raise click.ClickException(f"{error}") from error
    except UnicodeDecodeError as error:
        raise click.ClickException(f"{points} is not UTF-8 text.") from error
    setup = scenes.setup_of(read, setup_name)
    values = par_at(read.lit_tank(), setup.fixtures, where, sensor=sensor)
    writer = csv.writer(sys.stdout, lineterminator="\n")
    writer.writerow(["x_cm", "y_cm", "depth_cm", "par"])
    for (x, y, depth), value in zip(where / CM, values, strict=True):
        writer.writerow([f"{x:.6g}", f"{y:.6g}", f"{depth:.6g}", f"{value:.2f}"])


def _grid(size: str, tank: Tank) -> np.ndarray:
    found = re.fullmatch(r"(\d{1,4})x(\d{1,4})x(\d{1,4})", size.strip().lower())
    counts = tuple(int(n) for n in found.groups()) if found else ()
    if not counts or min(counts) < 1 or int(np.prod(counts)) > MOST_POINTS:
        raise click.UsageError(
            f'--grid takes three counts such as 44x28x12, at most {MOST_POINTS} points, not "{size}".'
        )
    return grid(tank, (counts[0], counts[1], counts[2])).reshape(-1, 3)
