"""Errors of the core for input that breaks a rule. A leaf: imports nothing of ours."""

from __future__ import annotations

import datetime
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

Quantity = Literal[
    "length",
    "angle",
    "share",
    "fraction",
    "flux",
    "power",
    "attenuation",
    "wavelength",
    "temperature",
    "salinity",
    "rate",
    "plain",
]


@dataclass(frozen=True, slots=True)
class FieldError:
    """One broken rule: which field, what was found, and what is allowed.

    ``low`` and ``high`` are limits in SI, so that an edge can print them in the keeper's units;
    ``rule`` is a sentence for rules that are not a plain range. ``{value}``, ``{low}`` and
    ``{high}`` in it are filled in by the edge.
    """

    field: str
    rule: str
    quantity: Quantity = "plain"
    value: float | None = None
    low: float | None = None
    high: float | None = None

    def __str__(self) -> str:
        """The field and its rule, with numbers in SI: for logs and tracebacks, not for keepers."""
        text = self.rule
        for name in ("value", "low", "high"):
            number = getattr(self, name)
            text = text.replace(f"{{{name}}}", "" if number is None else f"{number:g}")
        return f"{self.field}: {text}"

    def under(self, prefix: str) -> FieldError:
        """Return the same error with its field named from one level further out."""
        return replace(self, field=f"{prefix}.{self.field}")


class InvalidInput(ValueError):
    """Raised with every broken rule found, never only the first."""

    def __init__(self, errors: Iterable[FieldError]) -> None:
        self.errors = tuple(errors)
        super().__init__("; ".join(map(str, self.errors)))


NAME = 80
"""Most characters of a name."""


class Rules:
    """Collects broken rules while an object checks itself, then raises them together."""

    def __init__(self) -> None:
        self.errors: list[FieldError] = []

    def between(self, field: str, value: float, low: float, high: float, quantity: Quantity = "plain") -> None:
        """Require ``low <= value <= high``; NaN and infinities never pass."""
        if not low <= value <= high:
            self.errors.append(FieldError(field, "must be from {low} to {high}", quantity, value, low, high))

    def text(self, field: str, value: str, most: int, *, least: int = 0) -> None:
        """Require a text of ``least`` to ``most`` characters that can be written down."""
        length = len(value.strip())
        if length < least:
            self.errors.append(FieldError(field, "is empty: give it a name"))
        elif length > most:
            self.errors.append(FieldError(field, f"has {length} characters, and at most {most} are kept"))
        elif any(c == "\0" or "\ud800" <= c <= "\udfff" for c in value):
            self.errors.append(FieldError(field, "contains an unsupported character"))

    def that(
        self,
        holds: bool,
        field: str,
        rule: str,
        quantity: Quantity = "plain",
        value: float | None = None,
        *,
        low: float | None = None,
        high: float | None = None,
    ) -> None:
        """Require a condition that is not a plain range."""
        if not holds:
            self.errors.append(FieldError(field, rule, quantity, value, low, high))

    def come(self, field: str, day: datetime.date | None, today: datetime.date) -> None:
        """Require a day that is not still to come."""
        self.that(day is None or day <= today, field, f"is in the future: today is {today.isoformat()}")

    def finish(self) -> None:
        """Raise ``InvalidInput`` when anything was broken."""
        if self.errors:
            raise InvalidInput(self.errors)
