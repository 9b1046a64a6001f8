"""The stations of a tank in the order of the work: one list makes routes, navigation, scripts and access keys."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter

from corlume.web.pages import (
    backup,
    balance,
    chart,
    corals,
    course,
    flow,
    hang,
    kinds,
    library,
    mount,
    phone,
    photos,
    place_all,
    seats,
    setups,
    shelf,
    shelf_fit,
    survey,
    survey_take,
    survey_week,
    survey_without,
    tank,
    tanks,
    words,
    zones,
)


@dataclass(frozen=True, slots=True)
class Station:
    """A place of work: the key that its pages call themselves by, its name, and its path under the tank's.

    ``routers`` answer for it, those of its side pages among them; ``scripts`` are loaded by all of these.
    """

    key: str
    name: str
    path: str
    routers: tuple[APIRouter, ...]
    scripts: tuple[str, ...] = ()


SURVEY = (
    photos.router, balance.router, survey_week.router, survey_without.router, survey_take.router, survey.router
)  # fmt: skip
CORALS = (library.router, place_all.router, flow.router, seats.router, course.router, corals.router)
STATIONS = (
    Station("tank", "Tank", "", (tank.router,), ("boxes.js",)),
    Station("kinds", "Kinds", "/kinds", (kinds.router,), ("kinds.js",)),
    Station("hang", "Hang", "/hang", (hang.router, mount.router, zones.router), ("hang.js", "boxes.js")),
    Station("chart", "Chart", "/chart", (chart.router, setups.router), chart.SCRIPTS),
    Station("survey", "Survey", "/survey", SURVEY, ("survey.js", "spots.js")),
    Station("corals", "Corals", "/corals", CORALS, ("corals.js", "spots.js")),
)
"""A tank opens at its chart."""
BESIDE = (tanks.router, shelf_fit.router, shelf.router, phone.router, backup.router, words.router)
"""What belongs to no tank."""
