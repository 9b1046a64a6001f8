"""Layout searches in the background: begun, watched and stopped; results are kept as they come."""

from __future__ import annotations

import logging
import threading
from collections.abc import Iterator
from dataclasses import asdict, dataclass, replace
from typing import Any

from corlume.core.errors import Rules
from corlume.core.judging.figures import EndFigures, FigurePart, Figures, Hottest, LightFigures
from corlume.core.judging.target_zones import TargetZone, ZoneLight
from corlume.core.keeping.scene import Setup
from corlume.core.light.fixture import measured
from corlume.core.light.lens import LENSES
from corlume.core.light.survey_correction import Correction
from corlume.core.search.layout import Layout
from corlume.formats.fixture_file import read_fixture, write_fixture
from corlume.services.jobs import Job, Queue, State, owner_of
from corlume.services.keeping import fixture_library
from corlume.services.keeping.setups import add_setup
from corlume.services.search.candidate import Found, SearchStep
from corlume.services.search.dimming_search import AS_IT_HANGS, FOR_CORALS, LEVELS
from corlume.services.search.layout_reasons import LayoutReason
from corlume.services.search.light_types import fingerprint
from corlume.services.search.on_mounts import slid
from corlume.services.search.run_search import search
from corlume.services.search.search_request import SearchRequest, check_request, intent_of
from corlume.store import searches
from corlume.store.database import Database
from corlume.store.searches import SearchRow
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredTank, load_tank, survey_in_use

_log = logging.getLogger(__name__)
SEARCHES = Queue("search")
"""One search runs at a time; the kernels use every core already."""
MOST_UNDER_WAY = 5
"""Searches that may run or wait at once."""
_STARTING = threading.Lock()


@dataclass(frozen=True, slots=True)
class Search:
    """A search for a page: waiting, running, done, stopped, failed, or cut off by a restart."""

    id: int
    setup_id: int
    wish: SearchRequest
    state: str
    done: float
    judged: int
    found: tuple[Found, ...]
    curve: tuple[tuple[float, float, float], ...]


def begin(db: Database, tank_id: int, setup_id: int, wish: SearchRequest) -> int:
    """Begin a search in its own thread; returns its id. ``InvalidInput`` for an impossible request."""
    steps = _steps(db, tank_id, setup_id, wish)
    with db.reading() as connection:
        stored = load_tank(connection, tank_id)
    wish = replace(wish, tank=fingerprint(stored, intent_of(stored, wish)))
    before = newest(db, tank_id) if wish.means != "kinds" else None
    with _STARTING:
        _check_room(db, before.id if before else None)
        if before:
            stop(db, tank_id, before.id)  # whoever asks anew no longer waits for what was asked before
        with db.writing() as connection:
            search_id = searches.add_search(connection, tank_id, setup_id, asdict(wish))
        _start(db, tank_id, search_id, steps)
    return search_id


def resume(db: Database, tank_id: int, search_id: int) -> None:
    """Resume a search that a restart cut off, from its beginning; its results stay until it finds new ones."""
    found = look(db, tank_id, search_id)
    if found.state != "cut":
        return
    with db.reading() as connection:
        setup_id = next((s.id for s in load_tank(connection, tank_id).setups if s.id == found.setup_id), None)
    steps = _steps(db, tank_id, setup_id, found.wish)
    with _STARTING:
        _check_room(db)
        with db.writing() as connection:
            searches.take_up(connection, search_id, "waiting")
        _start(db, tank_id, search_id, steps)


def _steps(db: Database, tank_id: int, setup_id: int | None, wish: SearchRequest) -> Iterator[SearchStep]:
    entries = fixture_library.entries(db)
    entry = next((one for one in entries if one.key == wish.entry), None)
    with db.reading() as connection:
        stored = load_tank(connection, tank_id)
    check_request(stored, entry, wish)
    assert entry is not None
    setup = stored.setup(setup_id)
    return search(stored, entry, wish, setup.hung, entries, setup.mount_values)


def _check_room(db: Database, ending: int | None = None) -> None:
    """Raise if the queue is full, not counting the job ``ending``."""
    rules, many = Rules(), sum(job.owner[0] == str(db.path) and job.key != ending for job in SEARCHES.under_way())
    words = f"cannot start: {many} searches run or wait. Stop one first"
    rules.that(many < MOST_UNDER_WAY, "purpose", words)
    rules.finish()


def _start(db: Database, tank_id: int, search_id: int, steps: Iterator[SearchStep]) -> None:
    def run(job: Job) -> None:
        with db.writing() as connection:
            searches.take_up(connection, search_id, "running")
        for step in steps:
            _keep(db, search_id, step)
            job.tell(step.done)

    def ended(_: Job, state: State) -> None:
        with db.writing() as connection:
            searches.end_search(connection, search_id, state)

    SEARCHES.begin(Job(owner_of(db, tank_id), search_id), run, ended)


def _keep(db: Database, search_id: int, step: SearchStep) -> None:
    found = [{**asdict(one), "fixtures": [write_fixture(f) for f in one.fixtures]} for one in step.best]
    with db.writing() as connection:
        searches.keep_progress(connection, search_id, step.done, step.judged, found, [list(c) for c in step.curve])


def stop(db: Database, tank_id: int, search_id: int) -> None:
    """Stop a search after its current step; its results stay."""
    with db.reading() as connection:
        searches.load_search(connection, tank_id, search_id)
    job = SEARCHES.find(owner_of(db, tank_id), search_id)
    if job:
        job.stop()


def newest(db: Database, tank_id: int) -> Search | None:
    """The latest layout search of a tank."""
    with db.reading() as connection:
        search_id = searches.newest_search(connection, tank_id)
    return look_or_none(db, tank_id, search_id)


def still_true(stored: StoredTank, search: Search) -> bool:
    """Whether a search was begun for the tank as it is now."""
    return search.wish.tank == fingerprint(stored, intent_of(stored, search.wish))


def newest_of(db: Database, tank_id: int, wish: SearchRequest) -> Search | None:
    """The latest comparison of light types for the same tank and request; kept until one of them changes."""
    with db.reading() as connection:
        search_id = searches.newest_search(connection, tank_id, of=wish.of, usable=wish.usable)
    return look_or_none(db, tank_id, search_id)


def look_or_none(db: Database, tank_id: int, search_id: int | None) -> Search | None:
    """State of a search, if it can be read."""
    try:
        return look(db, tank_id, search_id) if search_id is not None else None
    except NotFound:
        return None


def look(db: Database, tank_id: int, search_id: int) -> Search:
    """State of a search; ``NotFound`` otherwise, and for one that cannot be read, which is deleted."""
    with db.reading() as connection:
        row = searches.load_search(connection, tank_id, search_id)
    try:
        return _read(db, row)
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        _log.warning("search %d cannot be read and was deleted", row.id, exc_info=True)
        with db.writing() as connection:
            searches.drop_search(connection, row.id)
        raise NotFound(f"no search {row.id}") from error


def _read(db: Database, row: SearchRow) -> Search:
    # one whose thread went down with the program is cut off, whatever it last said
    job = SEARCHES.find(owner_of(db, row.tank_id), row.id)
    gone = row.state in ("waiting", "running") and not (job and job.under_way)
    wish = SearchRequest(**_tuples(row.wish))
    with db.reading() as connection:
        survey = survey_in_use(connection, row.tank_id)
    found = tuple(_found(one, survey.correction if survey else None) for one in row.found)
    curve = tuple((h, e, p) for h, e, p in row.curve)
    return Search(row.id, row.setup_id, wish, "cut" if gone else row.state, row.done, row.judged, found, curve)


def _tuples(data: dict[str, Any]) -> dict[str, Any]:
    return {key: tuple(value) if isinstance(value, list) else value for key, value in data.items()}


def _found(data: dict[str, Any], correction: Correction | None) -> Found:
    return Found(
        name=data["name"],
        fixtures=tuple(measured([read_fixture(text) for text in data["fixtures"]], correction)),
        layout=Layout(**_tuples(data["layout"])),
        figures=_figures(data["figures"]),
        running=data["running"],
        buy=data["buy"],
        binds=tuple(data["binds"]),
        reasons=tuple(LayoutReason(**one) for one in data.get("reasons", ())),
        next_off=data.get("next_off"),
        met=tuple(ZoneLight(**{**met, "zone": TargetZone(**met["zone"])}) for met in data.get("met", ())),
    )


def _figures(data: dict[str, Any]) -> Figures:
    parts = tuple(FigurePart(**{**part, "light": LightFigures(**part["light"])}) for part in data["parts"])
    spot = Hottest(**data["hottest"]) if data["hottest"] else None
    plane, ends = LightFigures(**data["plane"]), EndFigures(**data["ends"])
    return Figures(**{**data, "plane": plane, "ends": ends, "parts": parts, "hottest": spot})


def result_of(db: Database, tank_id: int, search_id: int, number: int) -> Found:
    """One of the layouts found; ``NotFound`` if there is none of that number."""
    found = look(db, tank_id, search_id).found
    if not 0 <= number < len(found):
        raise NotFound(f"no layout {number} in the search")
    return found[number]


def adopt(db: Database, tank_id: int, search_id: int, number: int) -> int:
    """Add a setup of one of the layouts found, with the request's goal; returns the setup's id."""
    one, asked = result_of(db, tank_id, search_id, number), look(db, tank_id, search_id)
    with db.reading() as connection:
        stored = load_tank(connection, tank_id)
    began = next((setup for setup in stored.setups if setup.id == asked.setup_id), stored.setup())
    used = {fixture.held_by for fixture in one.fixtures}
    mounts = slid([mount for mount in began.mount_values if mount.name in used], one.fixtures)
    return add_setup(
        db, tank_id, Setup(_setup_name(one), one.fixtures, intent=intent_of(stored, asked.wish), mounts=mounts)
    )


def _setup_name(found: Found) -> str:
    if found.name == LEVELS or found.name.startswith(AS_IT_HANGS):
        return found.name
    if found.name.endswith(FOR_CORALS):
        return f"{len(found.fixtures)} x {found.name}"[:80]
    refits = [LENSES[found.layout.lens].words] if found.layout.lens else []
    refits += ["leaned inward"] * bool(found.layout.lean)
    count = "" if found.layout.outer else f"{len(found.layout.places) * len(found.layout.rows)} x "
    return f"{count}{found.name[:40]}, {', '.join([*refits, 'searched'])}"[:80]
