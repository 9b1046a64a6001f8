"""The stations of a tank in the order of the work: one list for the navigation of every page."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Station:
    """A page of a tank: the key that pages call themselves by, its name, and its path under the tank's.

    ``by_setup`` tells whether it shows a setup that is looked at, and not only the one in use.
    """

    key: str
    name: str
    path: str
    by_setup: bool = False


STATIONS = (
    Station("tank", "Measures", ""),
    Station("kinds", "Kinds", "/kinds"),
    Station("hang", "Hang", "/hang", by_setup=True),
    Station("chart", "Light chart", "/chart", by_setup=True),
    Station("corals", "Corals", "/corals"),
)
