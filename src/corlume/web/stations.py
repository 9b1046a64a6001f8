"""The stations of a tank in the order of the work: one list makes routes, navigation, scripts and access keys."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter

from corlume.web.pages.acclimation import acclimation
from corlume.web.pages.flow import flow
from corlume.web.pages.judging import setups, target_zones
from corlume.web.pages.keeping import (
    backup,
    fixture_library,
    own_fixture_fit,
    phone,
    rock,
    rock_scan,
    tank,
    tanks,
    terms,
)
from corlume.web.pages.light import chart, three_d
from corlume.web.pages.mounting import buying, checklist, mounting_sheet, mounts, power
from corlume.web.pages.placement import coral_library, coral_spots, corals, place_all, shop
from corlume.web.pages.schedule import controller, day, heat, plan, presets
from corlume.web.pages.search import layout, light_types
from corlume.web.pages.survey import (
    balance,
    photos,
    rental_week,
    repeated_survey,
    surveys,
    take_readings,
    without_meter,
)
from corlume.web.pages.upkeep import (
    book,
    cleaning,
    costs,
    follow_up,
    forecast,
    lamps,
    light_cause,
    log,
    reminders,
    substitute,
    today,
)


@dataclass(frozen=True, slots=True)
class Station:
    """A station: its key, its name, and its path under the tank's.

    ``routers`` answer for it, those of its side pages among them; ``scripts`` are loaded by all of these.
    """

    key: str
    name: str
    path: str
    routers: tuple[APIRouter, ...]
    scripts: tuple[str, ...] = ()


SURVEY = (
    photos.router, balance.router, rental_week.router, without_meter.router, take_readings.router,
    repeated_survey.router, surveys.router
)  # fmt: skip
LOG_PAGES = tuple(one.router for one in (book, costs, follow_up, light_cause, substitute, forecast, reminders))
CORALS = (
    coral_library.router,
    shop.router,
    place_all.router,
    flow.router,
    coral_spots.router,
    acclimation.router,
    corals.router,
)
MOUNTING = (power.router, checklist.router, buying.router, mounts.router, mounting_sheet.router)
DAY = (plan.router, presets.router, controller.router, heat.router, day.router)
STATIONS = (
    Station("today", "Today", "/today", (today.router,)),
    Station("tank", "Tank", "", (rock.router, rock_scan.router, tank.router), ("boxes.js", "brush.js", "rock_scan.js")),
    Station("light-types", "Light types", "/light-types", (light_types.router,), ("light_types.js",)),
    Station(
        "layout",
        "Layout",
        "/layout",
        (layout.router, target_zones.router),
        ("layout_search.js", "boxes.js"),
    ),
    Station("par-map", "PAR map", "/par-map", (three_d.router, chart.router, setups.router), ("chart/chart.js",)),
    Station("mounting", "Mounting", "/mounting", MOUNTING, ("boxes.js",)),
    Station("survey", "Survey", "/survey", SURVEY, ("survey_buys.js", "photo.js", "take.js", "spots.js")),
    Station("corals", "Corals", "/corals", CORALS, ("corals.js", "place_all.js", "spots.js", "shop.js")),
    Station("day", "Day", "/day", DAY, ("day.js",)),
    Station(
        "log",
        "Log",
        "/log",
        (lamps.router, cleaning.router, *LOG_PAGES, log.router),
        ("upkeep.js", "work.js", "forecast.js"),
    ),
)
"""A tank opens at Today, or at its PAR map where a device says so."""
BESIDE = (tanks.router, own_fixture_fit.router, fixture_library.router, phone.router, backup.router, terms.router)
"""What belongs to no tank."""
