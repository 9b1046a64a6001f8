"""What a coral's time line says: how far it is in its first weeks, whether it is unhappy, and what to do next.

Common practice, no source: placed loose, watched for a week, then fixed; open polyps and full tissue mean settled. An
unhappy coral is moved decisively and then left for a week; another school moves after two or three bad days. One
unhappy coral is moved; when several are, flow or light is looked at first.
"""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from corlume.core.course.note import PLACED, CoralNote, Course

Stage = Literal["waits", "untold", "watch", "unhappy", "move", "fix", "fixed", "lost"]
STAGES: dict[Stage, str] = {
    "waits": "waits for a place",
    "untold": "not watched",
    "watch": "being watched",
    "unhappy": "unhappy",
    "move": "to be moved",
    "fix": "settled, to be fixed",
    "fixed": "fixed",
    "lost": "lost",
}
WEEK = 7
"""Days that a coral is watched before it is fixed, and left alone after a move."""
BAD_DAYS = 2
"""So many bad days running ask for something."""
GOOD_LOOKS = 3
"""So many looks at least say that a coral has settled; ours."""
MANY, MANY_SHARE = 3, 0.34
"""So many corals, and so large a share of those looked at, are several at once; ours."""
LATELY = 14
"""What changed within so many days is told when several are unhappy; ours."""
APART = 0.01
"""A coral that sits so far from where it sat was moved [m]."""


@dataclass(frozen=True, slots=True)
class Standing:
    """Where a coral stands.

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
class Light:
    """When the light is on: until ``out``, for so many hours; nothing is known where it is None."""

    out: datetime.time | None
    hours: float

    def ends(self, at: datetime.time | None) -> bool:
        """Whether a time of day lies in the last hour of light, or in the dark: corals close then."""
        if at is None or self.out is None:
            return False
        left = (_minutes(self.out) - _minutes(at)) % 1440
        return left <= 60 or left > 60 * self.hours


def _minutes(time: datetime.time) -> int:
    return 60 * time.hour + time.minute


def unhappy(note: CoralNote, light: Light) -> bool:
    """Whether a look saw a coral unhappy: receding, paler, or closed at an hour at which it should be open."""
    if note.kind != "watch":
        return False
    closed = note.polyps == "closed" and not light.ends(note.time)
    return closed or note.tissue == "receding" or note.colour == "paler"


def content(note: CoralNote) -> bool:
    """Whether a look saw a coral well: open, and neither flat, receding nor paler."""
    return (
        note.kind == "watch"
        and note.polyps == "open"
        and note.tissue in ("", "full")
        and note.colour in ("", "good", "darker")
    )


def seated_since(notes: Sequence[CoralNote], place: tuple[float, float, float] | None) -> datetime.date | None:
    """The day since which a coral has sat where it sits, by its time line, oldest first; None where it is not known."""
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


def stand(
    notes: Sequence[CoralNote],
    course: Course,
    place: tuple[float, float, float] | None,
    *,
    today: datetime.date,
    light: Light,
) -> Standing:
    """Tell where a coral stands by its time line, oldest first, on a day."""
    if course.lost is not None:
        return Standing("lost", f"Lost on {course.lost.isoformat()}.", "Kept in the books for what its record shows.")
    if place is None:
        if any(note.kind == "dip" for note in notes):
            return Standing("waits", "Dipped. Find it a seat and place it loose.", "Placed loose, it can still move.")
        return Standing("waits", "Dip it, then place it loose.", "A dip before it comes in keeps pests out.")
    if all(note.kind == "light" for note in notes):
        why = "Nothing stands in its time line: it is taken to have settled long ago."
        return Standing("untold", 'To begin its week, write down "placed loose".', why)
    since = seated_since(notes, place)
    looks = [note for note in notes if note.kind == "watch" and (since is None or note.day >= since)]
    bad = _bad_days(looks, light)
    due = not any(note.day == today for note in looks)
    fixed = any(note.kind == "fixed" and (since is None or note.day >= since) for note in notes)
    if fixed and bad < BAD_DAYS:
        return Standing("fixed", "Fixed: look at it now and then.", "It has settled.", bad_days=bad)
    days = (today - since).days if since is not None else WEEK
    if bad:
        return _for_bad_days(course, bad, days, since, due)
    good = [note for note in looks if content(note)]
    if days >= WEEK and len(good) >= GOOD_LOOKS and content(looks[-1]):
        why = f"A week loose, and well at {len(good)} looks: it has settled."
        return Standing("fix", "Fix it now.", why, due=due)
    if days >= WEEK:
        more = max(1, GOOD_LOOKS - len(good))
        words = f"Look at it on {more} more day{'s' * (more > 1)}, then fix it."
        return Standing("watch", words, f"Its week is over, with {len(good)} good looks.", days + 1, due)
    words = f"Day {days + 1} of {WEEK}: look at it once a day."
    return Standing("watch", words, "Placed loose, watched for a week, then fixed.", days + 1, due)


def _for_bad_days(course: Course, bad: int, days: int, since: datetime.date | None, due: bool) -> Standing:
    running = f"{bad} bad day{'s' * (bad > 1)} running"
    if course.patience == "days":
        if bad >= BAD_DAYS:
            why = f"{running}; by your school it is moved after two or three."
            return Standing("move", "Move it, decisively.", why, days + 1, due, bad)
        return Standing("unhappy", "Look again tomorrow.", f"{running}; one day says little.", days + 1, due, bad)
    if bad >= BAD_DAYS and days >= WEEK:
        why = f"{running}, and its week is over: move it, then leave it for a week again."
        return Standing("move", "Move it, decisively.", why, days + 1, due, bad)
    if days >= WEEK or since is None:
        return Standing("unhappy", "Look again tomorrow.", f"{running}; one day says little.", days + 1, due, bad)
    until = (since + datetime.timedelta(days=WEEK)).isoformat()
    why = f"{running}; by your school it is left for a week after it was placed."
    return Standing("unhappy", f"Leave it until {until}.", why, days + 1, due, bad)


def _bad_days(looks: Sequence[CoralNote], light: Light) -> int:
    """Days running with an unhappy look, back from the last one."""
    days = sorted({note.day for note in looks}, reverse=True)
    count = 0
    for day in days:
        if not any(unhappy(note, light) for note in looks if note.day == day):
            break
        count += 1
    return count


def several(standings: Sequence[Standing]) -> bool:
    """Whether so many corals are unhappy at once that flow or light is looked at before any is moved."""
    bad = sum(one.bad_days > 0 for one in standings)
    looked = sum(one.stage not in ("waits", "untold", "lost") for one in standings)
    return bad >= MANY and bad >= MANY_SHARE * looked
