"""Acclimation of a coral from its log: how far along it is, whether it is unhappy, and what to do next.

Common practice, no source: placed loose, checked for a week, then secured; open polyps and full tissue mean settled.
For three days after transport and dip a closed or pale coral says nothing. An unhappy coral is moved and then left for
a week; another approach moves after three bad days, and a third secures a coral on the day that it comes. One unhappy
coral is moved; when several are, flow or light is checked first.
"""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from corlume.core.acclimation.log_entry import PLACED, Course, LogEntry, Patience

Stage = Literal["waits", "untold", "watch", "unhappy", "move", "fix", "fixed", "lost"]
STAGES: dict[Stage, str] = {
    "waits": "unplaced",
    "untold": "not watched",
    "watch": "being watched",
    "unhappy": "unhappy",
    "move": "to be moved",
    "fix": "to be secured",
    "fixed": "secured",
    "lost": "lost",
}
WEEK = 7
"""Days that a coral is watched before it is fixed, and left alone after a move."""
BAD_DAYS = 2
"""So many bad days running ask for something."""
MOVE_AFTER: dict[Patience, int] = {"week": BAD_DAYS, "days": 3, "secure": BAD_DAYS}
"""Bad days running after which a coral is moved, by approach; "two or three" in the trade."""
GRACE = 3
"""Days after transport and dip on which looks do not count as bad; common practice, no source."""
ACCLIMATED = 21
"""After so many days in a tank a coral's previous light is no longer matched; our estimate of "some weeks"."""
GOOD_LOOKS = 3
"""So many looks at least say that a coral has settled; ours."""
MANY, MANY_SHARE = 3, 0.34
"""So many corals, and so large a share of those looked at, are several at once; ours."""
LATELY = 14
"""What changed within so many days is told when several are unhappy; ours."""
APART = 0.01
"""A coral that sits so far from where it sat was moved [m]."""


@dataclass(frozen=True, slots=True)
class AcclimationStatus:
    """Acclimation status of a coral on a day.

    Parameters
    ----------
    stage : of its course; ``words`` what to do, and ``why``, by which school.
    day : which day of its week it is, from 1, where it is being watched.
    due : whether it is to be looked at today.
    bad_days : days running on which it was unhappy, the last look among them.
    """

    stage: Stage
    words: str
    why: str
    day: int | None = None
    due: bool = False
    bad_days: int = 0


@dataclass(frozen=True, slots=True)
class LightsOn:
    """Hours of light: until ``out``, for ``hours``; None where not known."""

    out: datetime.time | None
    hours: float

    def ends(self, at: datetime.time | None) -> bool:
        """Whether a time of day lies in the last hour of light, or in the dark, when corals close."""
        if at is None or self.out is None:
            return False
        left = (_minutes(self.out) - _minutes(at)) % 1440
        return left <= 60 or left > 60 * self.hours


def _minutes(time: datetime.time) -> int:
    return 60 * time.hour + time.minute


def is_unhappy(note: LogEntry, light: LightsOn) -> bool:
    """Whether an entry shows an unhappy coral: receding, paler, or closed when it should be open."""
    if note.kind != "watch":
        return False
    closed = note.polyps == "closed" and not light.ends(note.time)
    return closed or note.tissue == "receding" or note.colour == "paler"


def is_healthy(note: LogEntry) -> bool:
    """Whether an entry shows a healthy coral: open, and neither flat, receding nor paler."""
    return (
        note.kind == "watch"
        and note.polyps == "open"
        and note.tissue in ("", "full")
        and note.colour in ("", "good", "darker", "better")
    )


def placed_since(notes: Sequence[LogEntry], place: tuple[float, float, float] | None) -> datetime.date | None:
    """Day since which a coral has sat where it sits, from its log, oldest entry first; None where not known."""
    if place is None:
        return None
    since: datetime.date | None = None
    for note in notes:
        if note.kind in PLACED:
            since = note.day
        elif note.place is not None:
            here = max(abs(a - b) for a, b in zip(note.place, place, strict=True)) < APART
            since = (since or note.day) if here else None
    return since


def arrival_day(notes: Sequence[LogEntry], course: Course) -> datetime.date | None:
    """Return the day of transport or of the last dip, whichever is later; None where neither is known."""
    days = [note.day for note in notes if note.kind == "dip"]
    return max([*days, course.bought] if course.bought else days, default=None)


def is_acclimating(notes: Sequence[LogEntry], course: Course, today: datetime.date) -> bool:
    """Return whether a coral's previous light still matters: not secured yet, and in the tank for under three weeks."""
    came = arrival_day(notes, course)
    if any(note.kind == "fixed" for note in notes):
        return False
    return came is None or (today - came).days < ACCLIMATED


@dataclass(frozen=True, slots=True)
class PlacementPar:
    """PAR at a coral, and its target range [umol/m2/s]."""

    par: float
    low: float
    high: float


def advice_on(look: LogEntry, reading: PlacementPar | None) -> str:
    """Return what to check after a bad entry, in words; common practice, no source."""
    if look.tissue == "receding":
        return "Check today for pests, for a neighbour's sweeper tentacles and for detritus on it."
    if look.colour == "paler" and reading is not None:
        if reading.par > reading.high:
            return f"It has {reading.par:.0f} PAR and needs {reading.high:g} at most: shade it or find it a lower spot."
        if reading.par < reading.low:
            return f"It has {reading.par:.0f} PAR and needs {reading.low:g} at least: it may be short of light."
        return f"Its {reading.par:.0f} PAR are in its range: check what else changed, such as lamps, media or feeding."
    if look.colour == "paler":
        return "Check its PAR against its range."
    return "Check the flow on it, its neighbours, and what else changed today."


def status_on(
    notes: Sequence[LogEntry],
    course: Course,
    place: tuple[float, float, float] | None,
    *,
    today: datetime.date,
    light: LightsOn,
    reading: PlacementPar | None = None,
) -> AcclimationStatus:
    """Return the acclimation status on ``today`` from log entries, oldest first."""
    if course.lost is not None:
        return AcclimationStatus(
            "lost", f"Lost on {course.lost.isoformat()}.", "Kept in the books for what its record shows."
        )
    if place is None:
        if any(note.kind == "dip" for note in notes):
            return AcclimationStatus(
                "waits", "Dipped. Find a spot and place it loose.", "Placed loose, it can still move."
            )
        return AcclimationStatus("waits", "Dip it, then place it loose.", "A dip before it comes in keeps pests out.")
    if all(note.kind == "light" for note in notes):
        why = "Its log is empty: treated as settled."
        return AcclimationStatus("untold", 'To start its week, add a "placed loose" entry.', why)
    since = placed_since(notes, place)
    looks = [note for note in notes if note.kind == "watch" and (since is None or note.day >= since)]
    came = arrival_day(notes, course)
    calm = came + datetime.timedelta(days=GRACE) if came is not None else datetime.date.min
    bad = _bad_days([look for look in looks if look.day >= calm], light)
    due = not any(note.day == today for note in looks)
    fixed = any(note.kind == "fixed" and (since is None or note.day >= since) for note in notes)
    worst = next((look for look in reversed(looks) if is_unhappy(look, light)), None)
    advice = advice_on(worst, reading) if bad and worst else ""
    if fixed and bad < BAD_DAYS:
        why = f"It was unhappy at the last check. {advice}" if bad else "It has settled."
        return AcclimationStatus("fixed", "Secured: check it now and then.", why, bad_days=bad)
    days = (today - since).days if since is not None else WEEK
    if bad:
        return _for_bad_days(course, bad, days, since, due, advice)
    if course.patience == "secure" and not fixed:
        return AcclimationStatus(
            "fix", "Secure it now.", "By your approach it is secured the day it comes.", days + 1, due
        )
    if looks and looks[-1].day < calm and is_unhappy(looks[-1], light):
        why = "It came lately: closed or pale for three days after transport and dip is usual and counts for nothing."
        return AcclimationStatus("watch", f"Day {days + 1} of {WEEK}: give it time.", why, days + 1, due)
    good = [note for note in looks if is_healthy(note)]
    if days >= WEEK and len(good) >= GOOD_LOOKS and is_healthy(looks[-1]):
        why = f"A week loose, and well at {len(good)} checks: it has settled."
        return AcclimationStatus("fix", "Secure it now.", why, due=due)
    if days >= WEEK:
        more = max(1, GOOD_LOOKS - len(good))
        words = f"Check it on {more} more day{'s' * (more > 1)}, then secure it."
        return AcclimationStatus("watch", words, f"Its week is over, with {len(good)} good checks.", days + 1, due)
    words = f"Day {days + 1} of {WEEK}: check it once a day."
    return AcclimationStatus("watch", words, "Placed loose, checked for a week, then secured.", days + 1, due)


def _for_bad_days(
    course: Course, bad: int, days: int, since: datetime.date | None, due: bool, advice: str
) -> AcclimationStatus:
    running = f"{bad} bad day{'s' * (bad > 1)} running"
    most, week_over = MOVE_AFTER[course.patience], days >= WEEK or since is None
    if bad >= most and (week_over or course.patience == "days"):
        by = "by your approach it is moved after three" if course.patience == "days" else "its week is over"
        return AcclimationStatus(
            "move", "Move it now.", f"{running}, and {by}; then leave it for a week.", days + 1, due, bad
        )
    if bad == 1:
        why = f"{running}; one day says little. {advice}"
        return AcclimationStatus("unhappy", "Check it again tomorrow.", why, days + 1, due, bad)
    if course.patience == "days":
        why = f"{running}; by your approach it is moved after three. {advice}"
        return AcclimationStatus("unhappy", "Check it again tomorrow.", why, days + 1, due, bad)
    assert since is not None
    until = (since + datetime.timedelta(days=WEEK)).isoformat()
    why = f"{running}; by your approach it is left for a week after it was placed. {advice}"
    return AcclimationStatus("unhappy", f"Leave it until {until}.", why, days + 1, due, bad)


def _bad_days(looks: Sequence[LogEntry], light: LightsOn) -> int:
    """Consecutive days with an unhappy entry, back from the last one."""
    days = sorted({note.day for note in looks}, reverse=True)
    count = 0
    for day in days:
        if not any(is_unhappy(note, light) for note in looks if note.day == day):
            break
        count += 1
    return count


def many_unhappy(standings: Sequence[AcclimationStatus]) -> bool:
    """Whether so many corals are unhappy at once that flow or light is checked before any coral is moved."""
    bad = sum(one.bad_days > 0 for one in standings)
    looked = sum(one.stage not in ("waits", "untold", "lost") for one in standings)
    return bad >= MANY and bad >= MANY_SHARE * looked
