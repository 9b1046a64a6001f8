"""Whether light made the corals of a tank ail: the evidence from their logs, and the answer for each."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass

from corlume.core.acclimation.acclimation_status import LightsOn, is_unhappy
from corlume.core.acclimation.light_cause import (
    BEFORE,
    AilingCoral,
    CauseAnswer,
    CoralEvidence,
    Symptom,
    light_cause,
)
from corlume.core.acclimation.log_entry import LogEntry
from corlume.core.placement.coral import Coral
from corlume.core.upkeep.log_event import NOT_LIGHT
from corlume.services.acclimation.acclimation import lights_on
from corlume.services.keeping.acclimation_log import logs
from corlume.services.placement.coral_uncertainty import UNKNOWN_SD, coral_uncertainty
from corlume.services.placement.zone_placement import coral_light, coral_places
from corlume.services.upkeep.log import Entry, entries
from corlume.store.database import Database
from corlume.store.tables import Kept
from corlume.store.tanks import StoredTank

LATELY = 90
"""A coral whose last check is older, and one that was lost longer ago, is not asked about [d]."""
NEAR = 21
"""A check of another coral counts when it is so near to the day on which the first began to ail [d]."""


@dataclass(frozen=True, slots=True)
class Known:
    """What is known of the tank: its ``hours`` of light, and the present ``light`` of corals with its uncertainty."""

    hours: LightsOn
    light: dict[int, tuple[float, float]]


@dataclass(frozen=True, slots=True)
class CoralCause:
    """A coral that ails or was lost, since when, what changed beside the light, and the answer."""

    number: int
    id: int
    coral: Coral
    since: datetime.date
    changes: tuple[Entry, ...]
    answer: CauseAnswer


def light_causes(db: Database, stored: StoredTank, today: datetime.date) -> list[CoralCause]:
    """The answer for every coral that ails by its last check or was lost of late, those with a cause first."""
    notes, known = logs(db, stored.id), Known(lights_on(stored), _light(stored))
    lines = {kept.id: [one.value for one in notes.get(kept.id, ())] for kept in (*stored.corals, *stored.lost)}
    found = []
    for number, kept in enumerate((*stored.corals, *stored.lost), 1):
        since = _ails_since(kept.value, lines[kept.id], known.hours, today)
        if since is None:
            continue
        changes = tuple(
            entries(db, stored.id, kinds=NOT_LIGHT, since=since - datetime.timedelta(days=BEFORE), until=since)
        )
        asked = AilingCoral(
            evidence=_evidence(kept, lines[kept.id], since, known),
            since=since,
            symptom=_symptom(lines[kept.id], since),
            others=tuple(
                _evidence(other, lines[other.id], since, known)
                for other in (*stored.corals, *stored.lost)
                if other.id != kept.id and _there(other.value, since)
            ),
            changes=tuple(dict.fromkeys(entry.what for entry in changes)),
            lost=kept.value.course.lost is not None,
        )
        found.append(CoralCause(number, kept.id, kept.value, since, changes, light_cause(asked)))
    return sorted(found, key=lambda one: (one.answer.cause is None, one.number))


def _ails_since(coral: Coral, line: Sequence[LogEntry], hours: LightsOn, today: datetime.date) -> datetime.date | None:
    """The first day of the bad checks that its log ends with, or of its loss; None where it is well or long ago."""
    ended = coral.course.lost
    checks = [note for note in line if note.kind == "watch" and (ended is None or note.day <= ended)]
    last = ended or (checks[-1].day if checks else None)
    if last is None or (today - last).days > LATELY:
        return None
    bad: datetime.date | None = ended
    for note in reversed(checks):
        if not is_unhappy(note, hours):
            break
        bad = note.day
    return bad


def _symptom(line: Sequence[LogEntry], since: datetime.date) -> Symptom | None:
    """The most telling that was seen from a month before the first bad check on."""
    begin = since - datetime.timedelta(days=BEFORE)
    seen = [note for note in line if note.kind == "watch" and note.day >= begin]
    if any(note.colour == "paler" for note in seen):
        return "paler"
    if any(note.colour == "darker" for note in seen):
        return "darker"
    if any(note.tissue == "receding" for note in seen):
        return "receding"
    return "closed" if any(note.polyps == "closed" for note in seen) else None


def _evidence(kept: Kept[Coral], line: Sequence[LogEntry], day: datetime.date, known: Known) -> CoralEvidence:
    """Light of a coral on a day and its rise before, and whether it ailed about that day.

    Where its PAR was not logged by then, that of the month after counts, or its present PAR, with a wide uncertainty;
    whether it rose is then not known.
    """
    card, light = kept.value.card, [note for note in line if note.par is not None]
    until = [note for note in light if note.day <= day]
    later = [note for note in light if day < note.day <= day + datetime.timedelta(days=BEFORE)]
    now, sd = known.light.get(kept.id, (None, UNKNOWN_SD))
    par = until[-1].par if until else later[0].par if later else now
    sd = sd if until else max(sd, UNKNOWN_SD)
    begin = day - datetime.timedelta(days=BEFORE)
    before = [note.par for note in until if note.day <= begin][-1:]
    earlier = [value for value in (*before, *(n.par for n in until if n.day > begin)) if value]
    known_before = bool(before) or len(until) > 1  # one entry alone says nothing of a change
    rise = max(0.0, par / min(earlier) - 1.0) if par and earlier and known_before else None
    near = [n for n in line if n.kind == "watch" and abs((n.day - day).days) <= NEAR]
    ails = any(is_unhappy(note, known.hours) for note in near) if near else None
    return CoralEvidence(par, sd, card.par_low, card.par_high, rise, ails)


def _there(coral: Coral, day: datetime.date) -> bool:
    """Whether a coral was in the tank on a day, as far as is known."""
    came, gone = coral.course.bought, coral.course.lost
    return (came is None or came <= day) and (coral.place is not None if gone is None else gone >= day)


def _light(stored: StoredTank) -> dict[int, tuple[float, float]]:
    """Present PAR of every placed coral [umol/m2/s] and its relative uncertainty [-]."""
    ids, places = coral_places(stored)
    if places is None:
        return {}
    par = coral_light(stored, stored.setup().hung)
    return {coral: (par[coral], sd) for coral, sd in zip(ids, coral_uncertainty(stored).tolist(), strict=True)}
