"""The stations of a tank in the order of the work: one list for the navigation of every page."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Station:
    """A page of a tank: the key that pages call themselves by, its name, and its path under the tank's."""

    key: str
    name: str
    path: str


STATIONS = (
    Station("tank", "Measures", ""),
    Station("kinds", "Kinds", "/kinds"),
    Station("hang", "Hang", "/hang"),
    Station("chart", "Light chart", "/chart"),
    Station("corals", "Corals", "/corals"),
)
