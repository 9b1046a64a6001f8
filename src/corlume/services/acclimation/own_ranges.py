"""Own ranges of the coral types of a tank, from its logs, and as an open file."""

from __future__ import annotations

import csv
import io
from collections import defaultdict

from corlume.core.acclimation.acclimation_status import GRACE, is_unhappy
from corlume.core.acclimation.own_range import CheckedLight, OwnRange, own_range
from corlume.services.acclimation.acclimation import lights_on
from corlume.services.keeping.acclimation_log import logs
from corlume.store.database import Database
from corlume.store.tanks import StoredTank

COLUMNS = ("type", "par_low", "par_high", "checks", "corals", "healthy_percent", "did_badly_at_par")


def own_ranges(db: Database, stored: StoredTank) -> dict[str, OwnRange]:
    """Own range by the name of the type, for all types of a tank with enough checks.

    Checks of the first days after transport or a dip say nothing, and are left out.
    """
    checks = defaultdict[str, list[CheckedLight]](list)
    hours, notes = lights_on(stored), logs(db, stored.id)
    for kept in (*stored.corals, *stored.lost):
        par: float | None = None
        came = kept.value.course.bought
        for note in (one.value for one in notes.get(kept.id, ())):
            par = note.par if note.par is not None else par
            came = note.day if note.kind == "dip" else came
            fresh = came is not None and (note.day - came).days < GRACE
            if note.kind == "watch" and par is not None and not fresh:
                checks[kept.value.card.name].append(CheckedLight(par, not is_unhappy(note, hours), kept.id))
    found = {name: own_range(seen) for name, seen in checks.items()}
    return {name: own for name, own in found.items() if own}


def export_own_ranges(db: Database, stored: StoredTank) -> str:
    """Own ranges of a tank as CSV, a type per line; PAR in umol/m2/s."""
    text = io.StringIO()
    lines = csv.writer(text, lineterminator="\n")
    lines.writerow(COLUMNS)
    for name, own in sorted(own_ranges(db, stored).items()):
        worse = " ".join(f"{par:.0f}" for par in own.worse)
        lines.writerow(
            (name, f"{own.low:.0f}", f"{own.high:.0f}", own.checks, own.corals, f"{100 * own.healthy:.0f}", worse)
        )
    return text.getvalue()
