"""Lengths and numbers as keepers write them, and messages in their units."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from corlume.core.errors import FieldError
from corlume.core.message_text import fill_slots
from corlume.core.units import CM, DEGREE, GALLONS_AN_HOUR, INCH, LITRES_AN_HOUR

LengthUnit = Literal["cm", "in"]
METRES: dict[str, float] = {"mm": 0.001, "cm": CM, "m": 1.0, "in": INCH, '"': INCH, "inch": INCH, "ft": 12 * INCH}
_NUMBER = re.compile(r"""^\s*([+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?)\s*([a-zA-Z"%\u00b0]*)\s*$""")


def trim(value: float, decimals: int) -> str:
    """Print with at most so many decimals and no trailing zeros; never "-0"."""
    text = f"{value:.{decimals}f}"
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


@dataclass(frozen=True, slots=True)
class Measure:
    """The keeper's unit of length, and how lengths are printed and read in it."""

    unit: LengthUnit = "cm"

    def number(self, metres: float) -> str:
        """Print a length without its unit: to the millimetre, or to the tenth of an inch, eighths as they are."""
        value = metres / METRES[self.unit]
        eighths = self.unit == "in" and abs(8 * value - round(8 * value)) < 0.03
        return trim(round(8 * value) / 8, 3) if eighths else trim(value, 1)

    def place(self, metres: float) -> str:
        """Print a place of a coral without its unit: to the centimetre, or to half an inch."""
        return trim(metres / CM, 0) if self.unit == "cm" else trim(round(2 * metres / INCH) / 2, 1)

    def length(self, metres: float) -> str:
        """Print a length with its unit."""
        return f"{self.number(metres)} {self.unit}"

    def rate(self, flow: float) -> str:
        """Print how much water moves [m3/s] with its unit: litres or US gallons an hour."""
        metric = self.unit == "cm"
        return f"{flow / (LITRES_AN_HOUR if metric else GALLONS_AN_HOUR):,.0f} {'L/h' if metric else 'gal/h'}"

    def parse(self, text: str) -> float:
        """Read a length [m] in the keeper's unit, or in the unit written behind it; ``ValueError`` with words."""
        value, suffix = split_number(text, f"a length such as {'120' if self.unit == 'cm' else '47.2'}")
        if suffix and suffix not in METRES:
            raise ValueError(f'has a unit that is not known, "{suffix}": use cm, mm or in')
        return value * METRES[suffix or self.unit]

    def fill(self, text: str, lengths: dict[str, float]) -> str:
        """Put lengths [m] into a sentence of the core."""
        return fill_slots(text, {name: self.length(value) for name, value in lengths.items() if f"{{{name}}}" in text})

    def message(self, error: FieldError) -> str:
        """Say a broken rule in the keeper's units, with what was found."""
        shown = {"value": self._show(error, error.value), "low": self._limit(error, error.low, math.ceil)}
        text = fill_slots(error.rule, {**shown, "high": self._limit(error, error.high, math.floor)})
        if error.value is not None and "{value}" not in error.rule:
            text += f", not {shown['value']}"
        return text

    def _limit(self, error: FieldError, limit: float | None, inward: Callable[[float], int]) -> str:
        """Print a limit, a length rounded inward, so that what is printed is allowed."""
        if error.quantity == "length" and limit is not None and math.isfinite(limit):
            step = METRES[self.unit] / 10
            limit = inward(limit / step + (-1e-6 if inward is math.ceil else 1e-6)) * step
        return self._show(error, limit)

    def _show(self, error: FieldError, value: float | None) -> str:
        if value is None:
            return ""
        if not math.isfinite(value):
            return "a number without end"
        match error.quantity:
            case "length":
                return self.length(value)
            case "angle":
                return f"{trim(value / DEGREE, 1)} degrees"
            case "share" | "fraction":
                return f"{trim(100 * value, 1)} %"
            case "flux":
                return f"{trim(value, 1)} \u00b5mol/s"
            case "power":
                return f"{trim(value, 1)} W"
            case "attenuation":
                return f"{trim(value, 3)} per m"
            case "wavelength":
                return f"{trim(value, 1)} nm"
            case "temperature":
                return f"{trim(value, 1)} \u00b0C"
            case "salinity":
                return f"{trim(value, 1)} psu"
            case "rate":
                return self.rate(value)
            case _:
                return trim(value, 3)


def split_number(text: str, example: str) -> tuple[float, str]:
    """Read a number with an optional suffix; decimal comma or point; ``ValueError`` with words."""
    if not text.strip():
        raise ValueError(f"is empty: type {example}")
    found = _NUMBER.match(text[:64])
    if not found or len(text) > 64:
        raise ValueError(f'is not a number: "{text.strip()[:24]}". Type {example}')
    value = float(found[1].replace(",", "."))
    if not math.isfinite(value):
        raise ValueError(f"is too large a number. Type {example}")
    return value, found[2].lower()


def parse_number(text: str, *, example: str = "a number such as 120") -> float:
    """Read a plain number; a trailing % or degree sign is allowed; ``ValueError`` with words."""
    value, suffix = split_number(text, example)
    if suffix not in ("", "%", "\u00b0", "deg", "degrees", "par", "w", "kg"):
        raise ValueError(f'has something behind the number that is not known, "{suffix}". Type {example}')
    return value
