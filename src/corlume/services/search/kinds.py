"""Every kind of light at its own best over the tank, by a quick search for one wish; hybrids as frames made to fit."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

from corlume.core.errors import InvalidInput
from corlume.core.fixture import Fixture, extent
from corlume.core.geometry import Tank
from corlume.core.hanging.frame import MOST_ABREAST, build_frame
from corlume.core.hanging.module import Layout
from corlume.core.hanging.search import different, differs
from corlume.core.judgement.intent import Intent
from corlume.core.optics.spectrum import photon_shares, usable_share
from corlume.formats.steps import STEPS, Steps
from corlume.reference.catalogue import CatalogueEntry, catalogue
from corlume.reference.spectra import weightings
from corlume.services.search.arrangement import arrangement_of, as_found, column_counts
from corlume.services.search.candidate import LEAST_LEVEL, Case, Found, Step
from corlume.services.search.judging import judged
from corlume.services.search.start_points import default_wish
from corlume.services.search.wish import Wish
from corlume.store.tanks import StoredSetup, StoredTank

TUBES = ("t5-24", "t5-39", "t5-54", "t5-80")
BARS = ("bar-short", "bar")
COMPACTS = ("pc-55", "pc-96")
HALIDE_PATCH, LED_PATCH = 0.7, 0.6
"""How much of a frame's length one halide and one LED module serve [m]; the rule of cover is common practice."""
FRAME_HEIGHT = 0.25
"""Where a frame hangs to begin with [m]."""
SMALL, DEEP = 0.7, 0.6
"""Length up to which small modules are tried, and depth from which strong halides are [m]; ours."""
BETWEEN = 0.02
"""Room between the bodies of a frame [m]."""
QUICK_REFINED = 3
"""So many of the best of the coarse grid are refined, where they come this near; ours."""
NEAR_ALIKE = 0.3
"""Merit over that of the best of the coarse grid, from which a second is refined as well [-]; ours."""
PANE = 0.02
"""How far a frame keeps from the panes [m]; ours."""


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of light: its key, its name, the key of what keepers say of it, and the fixtures it is tried with."""

    key: str
    name: str
    words: str
    entries: tuple[CatalogueEntry, ...]


def kinds_for(tank: Tank) -> list[Kind]:
    """Every kind of light with fixtures that suit a tank, LED first; hybrids of all pairings that its opening takes."""
    shelf = catalogue()
    tube, bar, compact = (_fitting(tank, keys) for keys in (TUBES, BARS, COMPACTS))
    modules = [shelf["cluster"], shelf["cluster-small" if tank.length <= SMALL else "cluster-large"]]
    halides = [
        shelf[key]
        for key in (("halide-250", "halide-400") if tank.water_depth >= DEEP else ("halide-150", "halide-250"))
    ]
    kinds = [
        Kind("led", "LED modules", "led_cluster", tuple(modules)),
        Kind("bars", "LED bars", "led_bar", (bar,)),
        Kind("t5", "T5 tubes", "t5_tube", (tube,)),
        Kind("compact", "Power compact", "power_compact", (compact,)),
        Kind("halide", "Metal halide", "halide", tuple(halides)),
        Kind("t5-led", "T5 and LED", "hybrid", (frame_of("t5-led", tank, modules[0], LED_PATCH, tube, 2),)),
        Kind("halide-led", "Halide and LED", "hybrid_halide",
             tuple(frame_of("halide-led", tank, h, HALIDE_PATCH, bar, 1) for h in halides)),
        Kind("halide-t5", "Halide and T5", "hybrid_halide",
             tuple(frame_of("halide-t5", tank, h, HALIDE_PATCH, tube, 1) for h in halides)),
        Kind("halide-compact", "Halide and compact", "hybrid_halide",
             (frame_of("halide-compact", tank, halides[0], HALIDE_PATCH, compact, 1),)),
    ]  # fmt: skip
    for k, kind in enumerate(kinds):
        if kind.words.startswith("hybrid"):
            kinds[k] = replace(kind, entries=tuple(e for e in kind.entries if _over_opening(tank, e)))
    return [kind for kind in kinds if kind.entries]


def _over_opening(tank: Tank, entry: CatalogueEntry) -> bool:
    """Whether a frame hung over the middle keeps its distance to all panes."""
    (x0, y0), (x1, y1) = extent(entry.parts)
    return x1 - x0 <= tank.length - 2 * PANE + 1e-6 and y1 - y0 <= tank.width - 2 * PANE + 1e-6


def _fitting(tank: Tank, keys: tuple[str, ...]) -> CatalogueEntry:
    """Of some fixtures the one that covers most of the tank's length, end to end; or the shortest."""
    shelf = [catalogue()[key] for key in keys]
    return max(reversed(shelf), key=lambda entry: _covered(tank, entry))


def _covered(tank: Tank, entry: CatalogueEntry) -> float:
    length = entry.parts[0].emitter.length
    return math.floor(tank.length / length) * length


def frame_of(
    key: str, tank: Tank, middle: CatalogueEntry, patch: float, long: CatalogueEntry, each_side: int
) -> CatalogueEntry:
    """A hybrid frame: modules or pendants in a row, so many long fixtures before and behind them, all on one height."""
    center, side = middle.parts[0], long.parts[0]
    ends = max(1, math.floor(tank.length / side.emitter.length))
    length = ends * side.emitter.length
    count = max(1, min(round(length / patch), math.floor(length / (center.emitter.length + BETWEEN)), MOST_ABREAST))
    # the frame stays over the opening: fewer on each side over a narrow tank
    deep = 0.5 * (tank.width - center.emitter.width) - BETWEEN - PANE
    each_side = max(1, min(each_side, math.floor(deep / (side.emitter.width + 0.5 * BETWEEN) + 1e-6)))
    low = replace(center, emitter=replace(center.emitter, height=min(FRAME_HEIGHT, tank.room_height)))
    parts = build_frame(low, count, side, each_side, gap=BETWEEN, ends=ends)
    tubes = 2 * each_side * ends
    name = f"{count} x {middle.name}, {tubes} x {long.name}"
    return CatalogueEntry(key, name, parts, count * middle.price + tubes * long.price, "Four wires; lift rack")


def first_frame(tank: Tank, entries: Sequence[CatalogueEntry]) -> tuple[int, int, str]:
    """Return what a keeper's own frame begins with: how many mid-size modules, how many of which tubes on each side.

    The longest tubes that the tank takes, no more than lie over the opening.
    """
    tubes = [e for e in entries if len(e.parts) == 1 and e.parts[0].emitter.made_by.wears == "tube"]
    long = max(
        [e for e in tubes if e.parts[0].emitter.length <= tank.length]
        or [min(tubes, key=lambda e: e.parts[0].emitter.length)],
        key=lambda e: e.parts[0].emitter.length,
    )
    frame = frame_of("", tank, catalogue()["cluster"], LED_PATCH, long, 2)
    tubes_abreast = {part.emitter.y for part in frame.parts if part.emitter.made_by.long}
    count = sum(not part.emitter.made_by.long for part in frame.parts)
    return count, max(1, len(tubes_abreast) // 2), long.key


def kinds_wish(stored: StoredTank, setup: StoredSetup, *, usable: bool = False, steps: Steps = STEPS["cm"]) -> Wish:
    """What every kind is searched for: the setup's purpose, at the heights that the room allows."""
    wish = default_wish(stored, catalogue()["cluster"], steps, setup.intent)
    return replace(wish, means="kinds", usable=usable, of=fingerprint(stored, setup.intent), shimmer="any")


def fingerprint(stored: StoredTank, intent: Intent) -> str:
    """What results depend on, in one word: they are kept until it changes."""
    zones, intent = [kept.value for kept in stored.wanted], replace(intent, shimmer="any")  # it is weighed afterwards
    parts = (stored.lit_tank(), stored.targets, stored.running, intent, zones)
    return hashlib.sha256(repr(parts).encode()).hexdigest()[:24]


def search_kinds(stored: StoredTank, wish: Wish) -> Iterator[Step]:
    """Search every kind quickly, one after the other; each is there as soon as it is found.

    With ``usable``, each kind is searched for as much usable light as LED modules bring at the PAR that is wanted.
    """
    kinds = kinds_for(stored.tank)
    seen, found = 0, list[Found]()
    for k, kind in enumerate(kinds):
        number, best = quick(stored, kind, wish, kinds[0])
        seen += number
        found += [replace(best, name=kind.name)] if best else []
        yield Step((k + 1) / len(kinds), seen, tuple(found), ())


def quick(stored: StoredTank, kind: Kind, wish: Wish, yardstick: Kind) -> tuple[int, Found | None]:
    """The best of a kind: how many layouts were judged, and what was found."""

    def share(entry: CatalogueEntry) -> float:
        return usable_part(yardstick.entries[0].parts) / usable_part(entry.parts) if wish.usable else 1.0

    seen, best, next_off = quick_layout(stored, kind.entries, wish, share)
    if best is None:
        return seen, None
    return seen, replace(judged(*best), next_off=next_off)


def quick_layout(
    stored: StoredTank, entries: Sequence[CatalogueEntry], wish: Wish, share: Callable[[CatalogueEntry], float]
) -> tuple[int, tuple[Case, Layout] | None, float | None]:
    """The best layout of some fixtures on a coarse grid, refined; how many were judged; and by how much more the next
    clearly different one on that grid is off what is wanted, None when there is none.

    Modules lie as mirror images; tubes follow the rock from front to back. ``share`` is by how much more, or less, PAR
    is wanted of a fixture than the wish says [-].
    """
    seen, scanned = 0, list[tuple[Case, Layout]]()
    for plain in entries:
        entry = as_found(stored, plain)
        counts, laid = list(column_counts(stored, entry)), arrangement_of(stored.tank, entry.parts)
        highest, mirrored = min(laid.most, counts[-1] + 1), laid.along == "x"
        more = share(entry)
        own = replace(
            wish, means="new", symmetric=mirrored, counts=(min(counts[0], highest), highest), more=more,
            band=(more * wish.band[0], more * wish.band[1]),
        )  # fmt: skip
        try:
            case = Case.of(stored, entry, own, (), coarse=True)
        except InvalidInput:  # no room for it
            continue
        pool = list[Layout]()
        for number, layouts in case.scan():
            seen += number
            pool += _lively(case, layouts)
        scanned += [(case, one) for one in sorted(pool, key=lambda one: one.merit)]
    if not scanned:
        return seen, None, None
    case, first = min(scanned, key=lambda pair: pair[1].merit)
    others = [one.off for of, one in scanned if of is not case or differs(one, first)]
    # a coarse grid does not tell which of two near alike is the better when refined
    alike = (one for of, one in scanned if of is case and one.merit <= (1 + NEAR_ALIKE) * first.merit)
    near = different(alike, QUICK_REFINED)
    best = min(
        [first, *(one for start in near for one in _lively(case, case.refined(start)))],
        key=lambda one: one.merit,
    )  # fmt: skip
    return seen, (case, case.snapped(best)), max(0.0, min(others) - first.off) if others else None


def _lively(case: Case, layouts: Sequence[Layout]) -> list[Layout]:
    """Those in which nothing hangs to idle."""
    return [one for one in layouts if not case.laid.module.dims or min(one.levels) > LEAST_LEVEL]


def usable_part(fixtures: Sequence[Fixture]) -> float:
    """How much of what fixtures give at full is of use, by the first of the weightings [-]."""
    weighting = weightings()[0]
    flux = [(f.emitter.ppf * c.share, c.spectrum) for f in fixtures for c in f.emitter.channels if c.spectrum]
    given = sum(part for part, _ in flux)
    used = sum(
        part * usable_share(photon_shares(spectrum), (weighting.wavelengths, weighting.weights))
        for part, spectrum in flux
    )
    return used / given if given else 1.0
