"""Declared values as keepers type and read them: numbers in their units, days, times, choices."""

from __future__ import annotations

import datetime
import re
from typing import Any

from corlume.core.schema import Field
from corlume.core.units import DEGREE, GALLONS_AN_HOUR, LITRES_AN_HOUR
from corlume.formats.measure import Measure, parse_number, trim

UNITS = {
    "angle": "deg", "share": "%", "fraction": "%", "flux": "\u00b5mol/s", "power": "W", "attenuation": "per m",
    "wavelength": "nm", "temperature": "\u00b0C", "salinity": "psu",
}  # fmt: skip
"""What stands behind a number by its quantity; a length is in the keeper's unit."""
SCALES = {"angle": DEGREE, "share": 0.01, "fraction": 0.01}
_DAY = re.compile(r"\s*(\d{1,4})([-./ ])(\d{1,2})\2(\d{1,4})\s*")


def unit_of(field: Field, measure: Measure) -> str:
    """The unit that a form shows beside a field."""
    if field.quantity == "rate":
        return "gal/h" if measure.unit == "in" else "L/h"
    return measure.unit if field.quantity == "length" else field.unit or UNITS.get(field.quantity, "")


def _scale(field: Field, measure: Measure) -> float:
    """A number as it is typed, in SI."""
    if field.quantity == "rate":
        return GALLONS_AN_HOUR if measure.unit == "in" else LITRES_AN_HOUR
    return SCALES.get(field.quantity, 1.0)


def shown(field: Field, value: Any, measure: Measure) -> str:
    """A value as a form shows it; empty for None."""
    if value is None or value == field.empty:
        return ""
    match field.sort:
        case "number" if field.quantity == "length":
            return measure.number(value)
        case "number":
            return trim(value / _scale(field, measure), 2 if field.quantity == "rate" else 6)
        case "flag":
            return "on" if value else ""
        case "date":
            return str(value.isoformat())
        case "time":
            return f"{value:%H:%M}"
    return str(value)


def typed(field: Field, text: str, measure: Measure) -> Any:
    """Parse typed text, in SI; ``ValueError`` with words."""
    if field.empty is not None and not text.strip():
        return field.empty
    match field.sort:
        case "number" if field.quantity == "length":
            return measure.parse(text)
        case "number":
            return _scale(field, measure) * parse_number(text)
        case "whole":
            number = parse_number(text, example="a whole number such as 3")
            if number != int(number):
                raise ValueError(f"must be a whole number, not {trim(number, 6)}")
            return int(number)
        case "flag":
            return text.strip() == "on"
        case "choice":
            if text.strip() not in (field.options or ()):
                raise ValueError("is not one of those offered")
        case "date":
            return read_day(text)
        case "time":
            return read_time(text)
    return text.strip().replace("\r\n", "\n")


def read_day(text: str) -> datetime.date:
    """A calendar day as year-month-day; ``ValueError`` says which day another order can mean."""
    if not text.strip():
        raise ValueError("is empty: type a day such as 2026-03-31")
    found = _DAY.fullmatch(text)
    if not found:
        raise ValueError(f'is not a day: "{text.strip()[:24]}". Type it as year-month-day, such as 2026-03-31')
    first, second, third = int(found[1]), int(found[3]), int(found[4])
    if len(found[1]) == 4:
        day = _day(first, second, third)
        if day is None:
            raise ValueError(f'is no day of the calendar: "{text.strip()}"')
        return day
    # day first, or month first: both are written by keepers, so neither is guessed
    meant = [day for day in (_day(third, second, first), _day(third, first, second)) if day and len(found[4]) == 4]
    if not meant:
        raise ValueError(f'is not a day: "{text.strip()}". Type it as year-month-day, such as 2026-03-31')
    words = " or ".join(dict.fromkeys(day.isoformat() for day in meant))
    raise ValueError(f'is in another order: "{text.strip()}". Type it as year-month-day: {words}')


def _day(year: int, month: int, day: int) -> datetime.date | None:
    try:
        return datetime.date(year, month, day)
    except ValueError:
        return None


def read_time(text: str) -> datetime.time:
    """A time of day by 24 hours; ``ValueError`` with words."""
    found = re.fullmatch(r"\s*(\d{1,2})[:.](\d{2})\s*", text)
    if not found or int(found[1]) > 23 or int(found[2]) > 59:
        what = f'is not a time of day: "{text.strip()[:24]}"' if text.strip() else "is empty"
        raise ValueError(f"{what}. Type it by 24 hours, such as 8:30 or 20:15")
    return datetime.time(int(found[1]), int(found[2]))
