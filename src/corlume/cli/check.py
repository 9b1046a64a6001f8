"""`corlume check`: verdicts, faults and mounting of a scene's setup, in words."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import click

from corlume.cli import scenes
from corlume.core.judging.intent import PURPOSES, SHIMMER_WORDS
from corlume.core.judging.ring_means import NAMES
from corlume.core.mounting.mounting_checks import ANSWERS
from corlume.core.mounting.rig_checks import check_rig
from corlume.formats.measure import LengthUnit, Measure
from corlume.formats.round_steps import STEPS
from corlume.services.judging.judge import rings, verdicts_in_doubt
from corlume.services.judging.suggested_changes import ProblemReport, problems_of
from corlume.services.keeping.target_zones import zones_met
from corlume.services.search.proposal import Suggested, suggested
from corlume.store.tanks import unstored

EASES = {"gone": "solves", "less": "reduces"}


@click.command()
@click.argument("scene", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--setup", "setup_name", help="Name of the setup; otherwise the one in use.")
@click.option("--unit", type=click.Choice(["cm", "in"]), default="cm", help="Unit of lengths.")
def check(scene: Path, setup_name: str | None, unit: LengthUnit) -> None:
    """Judge a setup of SCENE: its light, problems with suggested changes, zones and mounting."""
    read, measure = scenes.read(scene), Measure(unit)
    setup, stored = scenes.setup_of(read, setup_name), unstored(read)
    steps, purpose = STEPS[unit], setup.intent.meant(read.targets.stocking)
    meant = ", ".join(filter(None, (PURPOSES[purpose][0], SHIMMER_WORDS[setup.intent.shimmer])))
    click.echo(f"{read.name}, {setup.name}\nGoal: {meant}\n\nLight")
    for v in verdicts_in_doubt(stored, setup.fixtures, setup.intent):
        grade = "" if v.grade == "plain" else f", {v.graded}"
        help_ = "" if v.grade in ("good", "plain") else f" {measure.fill(v.improve, v.lengths)}"
        click.echo(f"- {v.title}: {v.value}{grade}. {measure.fill(v.reason, v.lengths)} ({v.school}){help_}")
    click.echo(f"\nBy rings, PAR: {', '.join(NAMES)} (rings in thirds of the way out, our estimate)")
    for row in rings(stored, setup.fixtures, steps.rings):
        told = (f"{par:.0f} {read.targets.band_at(par).name}" if par == par else "rock" for par in row.means)
        click.echo(f"- {measure.length(row.depth)} down: {', '.join(told)}")
    found = problems_of(stored, setup.fixtures, setup.intent, steps)
    _, changes = suggested(stored, setup.fixtures, setup.intent, found, ())
    _faults(found, changes, measure)
    if found.now and stored.wanted:
        click.echo("\nZones wanted")
        for met in zones_met(stored, setup.fixtures):
            zone = met.zone
            click.echo(
                f"- {zone.name}: {met.mean:.0f} PAR on average where {zone.low:g} to {zone.high:g} is wanted, "
                f"{100 * met.within:.0f} % within"
            )
    click.echo("\nMounting (common practice; local code and licensed work come first)")
    checks = check_rig(read.tank, setup.fixtures, read.surroundings, setup.mounts, setup.cords, setup.power_parts)
    for c in checks:
        title, words, rule = (measure.fill(text, c.lengths) for text in (c.title, c.found, c.rule))
        click.echo(f"- {title}, {ANSWERS[c.answer]}: {words} {rule}")


def _faults(found: ProblemReport, changes: Sequence[Suggested], measure: Measure) -> None:
    """Faults first, then every remedy once, the best by points first, with all that it does and what to set."""
    click.echo("\nProblems" if found.findings else "\nProblems: none found")
    titles = {finding.fault.key: finding.fault.title for finding in found.findings}
    for finding in found.findings:
        fault = finding.fault
        why = f" No single change: {measure.fill(finding.why, {})}" if finding.why else ""
        words, reason = (measure.fill(text, fault.lengths) for text in (fault.found, fault.reason))
        click.echo(f"- {fault.title}: {words} {reason}{why}")
    if changes:
        click.echo("\nSuggested changes, by points off target")
    for change in changes:
        r, f = change.remedy, change.does.figures
        room = measure.fill(" (the canopy must rise by {short} first)", r.lengths) if r.short else ""
        eases = "; ".join(f"{EASES[left]} {titles[key].lower()}" for key, left in r.eases.items())
        cost = "".join(
            f"; {word} {', '.join(t).lower()}" for word, t in (("adds", r.brings), ("worsens", r.worsens)) if t
        )
        corals = change.does.corals
        named = ": ".join(filter(None, (corals.words, "; ".join((*corals.leaving, *corals.entering)))))
        settings = "; ".join(f"{one.who} {measure.fill(one.words, one.lengths)}" for one in change.settings)
        click.echo(
            f"- {measure.fill(r.words, r.lengths)}{room}: {eases}{cost}. {change.does.rank.points:.0f} points off "
            f"target, mean {f.mean:.0f} PAR, uniformity {100 * f.plane.tenth_share:.0f} %, ends "
            f"{100 * f.ends.share:.0f} %, in range {100 * f.coverage:.0f} %, spread {f.plane.spread:.0f} PAR, "
            f"{f.watts:.0f} W." + f" {named}." * bool(named) + f" Set: {settings}."
        )
