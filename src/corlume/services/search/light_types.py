"""Light types, each at its own best over the tank by a quick search; hybrids are frames made to fit."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from corlume.core.errors import InvalidInput
from corlume.core.judging.intent import Intent
from corlume.core.light.fixture import Fixture, extent
from corlume.core.light.geometry import Tank
from corlume.core.light.spectrum import photon_shares, usable_share
from corlume.core.light.technology import TECHNOLOGIES
from corlume.core.mounting.frame import MOST_ABREAST, build_frame
from corlume.core.search.layout import Layout
from corlume.core.search.layout_search import different, differs
from corlume.formats.round_steps import STEPS, RoundSteps
from corlume.reference.catalogue import CatalogueEntry, catalogue, technology_notes, told_of_hybrids
from corlume.reference.spectrum_tables import weightings
from corlume.services.search.arrangement import arrangement_of, as_found, column_counts
from corlume.services.search.candidate import Found, SearchCase, SearchStep
from corlume.services.search.layout_scores import judged
from corlume.services.search.search_request import SearchRequest
from corlume.services.search.starting_points import default_request
from corlume.store.tanks import StoredSetup, StoredTank

HALIDE_PATCH, LED_PATCH = 0.7, 0.6
"""How much of a frame's length one halide and one LED module serve [m]; the rule of cover is common practice."""
FRAME_HEIGHT = 0.25
"""Where a frame hangs to begin with [m]."""
BETWEEN = 0.02
"""Room between the bodies of a frame [m]."""
QUICK_REFINED = 3
"""So many of the best of the coarse grid are refined, where they come this near; ours."""
NEAR_ALIKE = 0.3
"""Merit over that of the best of the coarse grid, from which a second is refined as well [-]; ours."""
PANE = 0.02
"""How far a frame keeps from the panes [m]; ours."""


@dataclass(frozen=True, slots=True)
class LightType:
    """A light type: keepers' opinions in words and by criterion [0..1], and the fixtures to try."""

    key: str
    name: str
    strong: str
    weak: str
    told: Mapping[str, float]
    entries: tuple[CatalogueEntry, ...]


def light_types_for(tank: Tank) -> list[LightType]:
    """Light types with fixtures that suit a tank, LED first; hybrids of all pairings that fit its opening."""
    shelf, found = catalogue(), dict[str, LightType]()
    for technology, notes in technology_notes().items():
        one = notes.compared
        if one is None:
            continue
        entries = [shelf[key] for key in one.suiting(tank.length, tank.water_depth)]
        if entries and TECHNOLOGIES[technology].long:
            entries = [_fitting(tank, entries)]
        found[technology] = LightType(one.key, one.name, notes.strong, notes.weak, one.told, tuple(entries))
    modules, halides = found["led_cluster"].entries, found["halide"].entries
    [bar], [tube], [compact] = (found[key].entries for key in ("led_bar", "t5_tube", "power_compact"))
    hybrids = [
        _hybrid(tank, "t5-led", "T5 and LED", "hybrid", modules[:1], LED_PATCH, tube, 2),
        _hybrid(tank, "halide-led", "Halide and LED", "hybrid_halide", halides, HALIDE_PATCH, bar),
        _hybrid(tank, "halide-t5", "Halide and T5", "hybrid_halide", halides, HALIDE_PATCH, tube),
        _hybrid(tank, "halide-compact", "Halide and compact", "hybrid_halide", halides[:1], HALIDE_PATCH, compact),
    ]
    return [one for one in (*found.values(), *hybrids) if one.entries]


def _hybrid(
    tank: Tank, key: str, name: str, words: str, middles: Sequence[CatalogueEntry], patch: float, long: CatalogueEntry,
    each_side: int = 1,
) -> LightType:  # fmt: skip
    """A hybrid: frames around modules or pendants that fit a tank's opening."""
    told = told_of_hybrids()
    said = told["words"][words]
    frames = (frame_of(key, tank, middle, patch, long, each_side) for middle in middles)
    entries = tuple(frame for frame in frames if _over_opening(tank, frame))
    return LightType(key, name, said["strong"], said["weak"], told["told"][key], entries)


def _over_opening(tank: Tank, entry: CatalogueEntry) -> bool:
    """Whether a frame hung over the middle keeps its distance to all panes."""
    (x0, y0), (x1, y1) = extent(entry.parts)
    return x1 - x0 <= tank.length - 2 * PANE + 1e-6 and y1 - y0 <= tank.width - 2 * PANE + 1e-6


def _fitting(tank: Tank, entries: Sequence[CatalogueEntry]) -> CatalogueEntry:
    """The fixture that covers most of the tank's length, end to end; or the shortest."""
    return max(reversed(entries), key=lambda entry: _covered(tank, entry))


def _covered(tank: Tank, entry: CatalogueEntry) -> float:
    length = entry.parts[0].emitter.length
    return math.floor(tank.length / length) * length


def frame_of(
    key: str, tank: Tank, middle: CatalogueEntry, patch: float, long: CatalogueEntry, each_side: int
) -> CatalogueEntry:
    """A hybrid frame: modules or pendants in a row, long fixtures before and behind them, all at one height."""
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
    """Return defaults for a frame of the keeper's own: how many mid-size modules, how many of which tubes on each side.

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


def light_types_request(
    stored: StoredTank, setup: StoredSetup, *, usable: bool = False, steps: RoundSteps = STEPS["cm"]
) -> SearchRequest:
    """Search request for every light type: the setup's goal, at the heights that the room allows."""
    wish = default_request(stored, catalogue()["cluster"], steps, setup.intent)
    return replace(wish, means="kinds", usable=usable, of=fingerprint(stored, setup.intent), shimmer="any")


def fingerprint(stored: StoredTank, intent: Intent) -> str:
    """Hash of everything that results depend on; they are kept until it changes."""
    zones, intent = [kept.value for kept in stored.wanted], replace(intent, shimmer="any")  # it is weighed afterwards
    parts = (stored.lit_tank(), stored.targets, stored.running, intent, zones)
    return hashlib.sha256(repr(parts).encode()).hexdigest()[:24]


def search_light_types(stored: StoredTank, wish: SearchRequest) -> Iterator[SearchStep]:
    """Search every light type quickly, one after the other; each is yielded as soon as it is found.

    With ``usable``, each kind is searched for as much usable light as LED modules bring at the PAR that is wanted.
    """
    kinds = light_types_for(stored.tank)
    seen, found = 0, list[Found]()
    for k, kind in enumerate(kinds):
        number, best = quick(stored, kind, wish, kinds[0])
        seen += number
        found += [replace(best, name=kind.name)] if best else []
        yield SearchStep((k + 1) / len(kinds), seen, tuple(found), ())


def quick(stored: StoredTank, kind: LightType, wish: SearchRequest, yardstick: LightType) -> tuple[int, Found | None]:
    """The best layout of a light type, and how many were tested."""

    def share(entry: CatalogueEntry) -> float:
        return usable_part(yardstick.entries[0].parts) / usable_part(entry.parts) if wish.usable else 1.0

    seen, best, next_off = quick_layout(stored, kind.entries, wish, share)
    if best is None:
        return seen, None
    return seen, replace(judged(*best), next_off=next_off)


def quick_layout(
    stored: StoredTank, entries: Sequence[CatalogueEntry], wish: SearchRequest, share: Callable[[CatalogueEntry], float]
) -> tuple[int, tuple[SearchCase, Layout] | None, float | None]:
    """The best layout of some fixtures on a coarse grid, refined; how many were tested; and how much worse the next
    clearly different one on that grid is, None without one.

    Modules lie as mirror images; tubes follow the rock from front to back. ``share`` is by how much more, or less, PAR
    is wanted of a fixture than the wish says [-].
    """
    seen, scanned = 0, list[tuple[SearchCase, Layout]]()
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
            case = SearchCase.of(stored, entry, own, (), coarse=True)
        except InvalidInput:  # no room for it
            continue
        pool = list[Layout]()
        for number, layouts in case.scan():
            seen += number
            pool += case.lively(layouts)
        scanned += [(case, one) for one in sorted(pool, key=lambda one: one.merit)]
    if not scanned:
        return seen, None, None
    case, first = min(scanned, key=lambda pair: pair[1].merit)
    others = [one.off for of, one in scanned if of is not case or differs(one, first)]
    # a coarse grid does not tell which of two near alike is the better when refined
    alike = (one for of, one in scanned if of is case and one.merit <= (1 + NEAR_ALIKE) * first.merit)
    near = different(alike, QUICK_REFINED)
    best = min(
        [first, *(one for start in near for one in case.lively(case.refined(start)))],
        key=lambda one: one.merit,
    )  # fmt: skip
    return seen, (case, case.snapped(case.finished(best))), max(0.0, min(others) - first.off) if others else None


def usable_part(fixtures: Sequence[Fixture]) -> float:
    """Usable share of the fixtures' full light, by the first of the weightings [-]."""
    weighting = weightings()[0]
    flux = [(f.emitter.ppf * c.share, c.spectrum) for f in fixtures for c in f.emitter.channels if c.spectrum]
    given = sum(part for part, _ in flux)
    used = sum(
        part * usable_share(photon_shares(spectrum), (weighting.wavelengths, weighting.weights))
        for part, spectrum in flux
    )
    return used / given if given else 1.0
