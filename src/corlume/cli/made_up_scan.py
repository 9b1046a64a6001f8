"""The command `made-up-scan`: a file to try the import of scans with."""

from __future__ import annotations

from pathlib import Path

import click

from corlume.core.keeping.rockscapes import SCAPES
from corlume.devices.scan_standin import scanned
from corlume.formats.scan_file import write_ply


@click.command("made-up-scan")
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False))
@click.option("--scape", type=click.Choice([key for key in SCAPES if key != "open"]), default="bommie")
@click.option("--seed", type=int, default=28, help="The same seed gives the same scan.")
def made_up_scan(file: Path, scape: str, seed: int) -> None:
    """Write a made-up scan of a rockscape to FILE as PLY: noisy, with holes, on its side, in millimetres."""
    key = next(one for one in SCAPES if one == scape)
    try:
        file.write_bytes(write_ply(scanned(key, seed)))
    except OSError as error:
        raise click.ClickException(f"{file} cannot be written: {error.strerror}.") from error
    click.echo(f"Wrote {file}: {SCAPES[key][0].lower()}, seed {seed}.")
