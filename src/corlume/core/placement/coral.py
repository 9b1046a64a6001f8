"""A coral that the keeper owns, and its placement."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, NamedTuple

from corlume.core.acclimation.log_entry import NO_COURSE, Course, LogEntry
from corlume.core.placement.coral_card import CoralCard
from corlume.core.placement.placement_preferences import NO_WISH, PlacementPreferences
from corlume.core.schema import Length, Many, Part


class Placement(NamedTuple):
    """Place of a coral: its foot from the left pane, from the front pane, and below the water line [m]."""

    x: Annotated[float, Length("From left")]
    y: Annotated[float, Length("From front")]
    depth: Annotated[float, Length("Depth")]


@dataclass(frozen=True, slots=True)
class Coral:
    """A coral that the keeper owns: its care card, its placement, None while unplaced, its preferences, its origin, and
    its acclimation log where loaded.
    """

    card: Annotated[CoralCard, Part()]
    place: Annotated[Placement | None, Part(file="place")] = None
    wish: Annotated[PlacementPreferences, Part(file="wish", prefix="wish_")] = NO_WISH
    course: Annotated[Course, Part(file="course", prefix="course_")] = NO_COURSE
    notes: Annotated[tuple[LogEntry, ...], Many(2000, table="coral_notes", apart=True)] = ()
