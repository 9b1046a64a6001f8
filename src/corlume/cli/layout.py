"""`corlume layout`: search for a layout over a scene's tank, and print what is found as CSV."""

from __future__ import annotations

import csv
import re
import sys
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

import click

from corlume.cli import scenes
from corlume.core.errors import InvalidInput
from corlume.core.judging.intent import SHIMMERS, Intent, Shimmer
from corlume.core.keeping.scene import Scene, Setup
from corlume.core.units import CM, DEGREE
from corlume.formats.measure import LengthUnit, Measure
from corlume.formats.round_steps import STEPS
from corlume.formats.scene_file import write_scene
from corlume.reference.catalogue import catalogue
from corlume.services.search.candidate import Found
from corlume.services.search.run_search import search
from corlume.services.search.search_request import (
    MEANS,
    WISH_PURPOSES,
    ZONES,
    Means,
    WishPurpose,
    Zones,
    band_for,
    intent_of,
)
from corlume.services.search.search_results import SearchResult, in_order
from corlume.services.search.starting_points import default_request
from corlume.store.tanks import unstored

COLUMNS = ("fixture", "count", "height_cm", "x_cm", "y_cm", "levels_percent", "lens", "lean_deg", "mean_par",
           "least_percent", "tenth_percent", "ends_percent", "in_band_percent", "spread_par", "watts", "five_years",
           "to_buy", "corals_leaving", "off_target_points", "added_for", "binds")  # fmt: skip
OPTIONS = {
    "count": "--counts",
    "height": "--heights",
    "band": "--band",
    "kind": "--kind",
    "purpose": "--purpose",
    "means": "--by",
    "zones": "--levels-by",
    "groups": "--groups",
    "watts": "--watts",
    "money": "--money",
    "shimmer": "--shimmer",
}


def _pair(scale: float) -> Callable[[click.Context, click.Parameter, str | None], tuple[float, float] | None]:
    """Read an option of two numbers such as 20-40, times a scale."""

    def read(context: click.Context, parameter: click.Parameter, text: str | None) -> tuple[float, float] | None:
        if text is None:
            return None
        found = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*(?:-\s*(\d+(?:\.\d+)?))?\s*", text)
        if not found:
            raise click.BadParameter(f'takes one number or two such as 20-40, not "{text}"', context, parameter)
        low, high = float(found[1]), float(found[2] or found[1])
        return low * scale, high * scale

    return read


@click.command()
@click.argument("scene", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--kind", "key", type=click.Choice(list(catalogue())), default="cluster", help="Fixture to add.")
@click.option(
    "--purpose",
    "--goal",
    "purpose",
    type=click.Choice(list(WISH_PURPOSES)),
    help="Goal; by default that of the setup.",
)
@click.option("--by", "means", type=click.Choice(list(MEANS)), default="new", help="What may be changed for it.")
@click.option(
    "--levels-by", "zones", type=click.Choice(list(ZONES)), default="each", help="What has a level of its own."
)
@click.option("--groups", default="", help='Groups by hand, such as "A B, C D".')
@click.option("--unit", type=click.Choice(["cm", "in"]), default="cm", help="Unit in which places are round.")
@click.option("--counts", callback=_pair(1.0), metavar="LEAST-MOST", help="How many side by side.")
@click.option("--heights", callback=_pair(CM), metavar="LOW-HIGH", help="Face above the water, cm.")
@click.option("--band", callback=_pair(1.0), metavar="LOW-HIGH", help="PAR wanted at the rock top.")
@click.option("--watts", type=float, default=0.0, help="Most power as it is dimmed, W.")
@click.option("--money", type=float, default=0.0, help="Most to be spent on fixtures.")
@click.option(
    "--shimmer", type=click.Choice(list(SHIMMERS)), help="Glitter lines; by default as the goal of the setup."
)
@click.option("--symmetric", is_flag=True, help="Mirror images only.")
@click.option("--beside", is_flag=True, help="Add to the present fixtures.")
@click.option("--setup", "setup_name", help="Current fixtures; otherwise the setup in use.")
@click.option("--output", type=click.Path(dir_okay=False, path_type=Path), help="Scene file to write the answers into.")
def layout(
    scene: Path,
    key: str,
    purpose: WishPurpose | None,
    means: Means,
    zones: Zones,
    groups: str,
    unit: LengthUnit,
    counts: tuple[float, float] | None,
    heights: tuple[float, float] | None,
    band: tuple[float, float] | None,
    watts: float,
    money: float,
    shimmer: Shimmer | None,
    symmetric: bool,
    beside: bool,
    setup_name: str | None,
    output: Path | None,
) -> None:
    """Search for a layout in SCENE and print the answers as CSV, best first; lengths in cm, PAR in umol/m2/s."""
    read = scenes.read(scene)
    setup, stored, kind = scenes.setup_of(read, setup_name), unstored(read), catalogue()[key]
    wish = default_request(stored, kind, STEPS[unit], setup.intent)
    if purpose and purpose != wish.purpose:
        wish = replace(wish, purpose=purpose, band=band_for(stored, purpose), end=0.0)
    wish = replace(wish, means=means, zones=zones, groups=groups, symmetric=symmetric)
    wish = replace(wish, beside=beside, watts=watts, money=money, shimmer=shimmer or wish.shimmer)
    wish = replace(
        wish,
        counts=(int(counts[0]), int(counts[1])) if counts else wish.counts,
        heights=heights or wish.heights,
        band=band or wish.band,
    )
    found: tuple[Found, ...] = ()
    try:
        steps = search(stored, kind, wish, setup.fixtures, list(catalogue().values()))
        with click.progressbar(length=100, label="Searching", file=sys.stderr) as bar:
            for step in steps:
                bar.update(int(100 * step.done) - bar.pos)
                found = step.best
    except InvalidInput as error:
        faults = (f"{OPTIONS[e.field.split('_')[0]]} {Measure(unit).message(e)}" for e in error.errors)
        raise click.ClickException("\n".join(faults)) from error
    answers = in_order(stored, wish, found)
    _print(answers)
    if output:
        output.write_text(
            write_scene(_with(read, [one.found for one in answers], intent_of(stored, wish))), encoding="utf-8"
        )


def _print(answers: Sequence[SearchResult]) -> None:
    writer = csv.writer(sys.stdout, lineterminator="\n")
    writer.writerow(COLUMNS)
    for answer in answers:
        one, does = answer.found, answer.proposal
        lay, f = one.layout, one.figures
        lengths = [" ".join(f"{v / CM:.1f}" for v in values) for values in ((lay.height,), lay.xs, lay.ys)]
        writer.writerow(
            [
                one.name, len(lay.places) * len(lay.rows), *lengths, " ".join(f"{100 * s:.0f}" for s in lay.levels),
                lay.lens, f"{lay.lean / DEGREE:.0f}", f"{f.mean:.1f}", f"{100 * f.plane.uniformity:.1f}",
                f"{100 * f.plane.tenth_share:.1f}", f"{100 * f.ends.share:.1f}", f"{100 * f.coverage:.1f}",
                f"{f.plane.spread:.0f}", f"{f.watts:.0f}", f"{one.cost:.0f}", f"{one.buy:.0f}",
                len(does.corals.leave), f"{does.rank.points:.1f}", does.rank.words, "; ".join(one.binds),
            ]
        )  # fmt: skip


def _with(scene: Scene, found: Sequence[Found], intent: Intent) -> Scene:
    """A scene with the answers as more setups."""
    names, setups = {s.name for s in scene.setups}, list(scene.setups)
    for one in found:
        name = next(n for k in range(1, 99) if (n := f"Searched {k}: {one.name}"[:80]) not in names)
        names.add(name)
        setups.append(Setup(name, one.fixtures, intent=intent))
    return replace(scene, setups=tuple(setups))
