"""`corlume check`: verdicts, faults and mounting of a scene's setup, in words."""

from __future__ import annotations

from pathlib import Path

import click

from corlume.cli import scenes
from corlume.core.mounting import check_mounting
from corlume.formats.measure import LengthUnit, Measure
from corlume.services.diagnosis import find_faults
from corlume.services.predict import verdicts
from corlume.services.wanted import zones_met
from corlume.store.tanks import unstored

MENDS = {"gone": "mends it", "less": "eases it", "no": "no better"}
HOLDS = {"yes": "holds", "no": "does not hold", "look": "look"}


@click.command()
@click.argument("scene", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--setup", "setup_name", help="Name of the setup; otherwise the one in use.")
@click.option("--unit", type=click.Choice(["cm", "in"]), default="cm", help="Unit of lengths.")
def check(scene: Path, setup_name: str | None, unit: LengthUnit) -> None:
    """Judge a setup of SCENE: its light, its faults with what would help, its zones, and how it hangs."""
    read, measure = scenes.read(scene), Measure(unit)
    setup, stored = scenes.setup_of(read, setup_name), unstored(read)
    click.echo(f"{read.name}, {setup.name}\n\nLight")
    for v in verdicts(stored.lit_tank(), setup.fixtures, read.targets, read.running):
        grade = "" if v.grade == "plain" else f", {v.grade}"
        click.echo(f"- {v.title}: {v.value}{grade}. {measure.fill(v.reason, v.lengths)} ({v.school})")
    now, found = find_faults(stored, setup.fixtures)
    click.echo("\nFaults" if found else "\nFaults: none of those known")
    for finding in found:
        fault = finding.fault
        click.echo(f"- {fault.title}: {measure.fill(fault.found, fault.lengths)} {fault.reason}")
        for remedy in finding.remedies:
            f = remedy.figures
            click.echo(
                f"  {measure.fill(remedy.words, remedy.lengths)}: {MENDS[remedy.mends(fault)]}, mean {f.mean:.0f} PAR, "
                f"evenness {100 * f.evenness:.0f} %, in band {100 * f.coverage:.0f} %, spread {f.spread:.0f} PAR"
            )
    if now and stored.wanted:
        click.echo("\nZones wanted")
        for met in zones_met(stored, setup.fixtures):
            zone = met.zone
            click.echo(
                f"- {zone.name}: {met.mean:.0f} PAR on average where {zone.low:g} to {zone.high:g} is wanted, "
                f"{100 * met.within:.0f} % within"
            )
    click.echo("\nMounting (common practice, no source; local code and licensed work go before it)")
    for c in check_mounting(read.tank, setup.fixtures, read.site):
        click.echo(
            f"- {c.title}, {HOLDS[c.answer]}: {measure.fill(c.found, c.lengths)} {measure.fill(c.rule, c.lengths)}"
        )
