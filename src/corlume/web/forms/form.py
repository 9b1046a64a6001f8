"""Parse and show forms by the declarations of what they hold; every error stands by its field, and what was typed
stays.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, TypeVar

from corlume.core.errors import InvalidInput
from corlume.core.schema import UNSAID, Field, Item, Part, items, leaves
from corlume.formats.measure import Measure, parse_number
from corlume.formats.typed_values import shown, typed, unit_of

MOST_TEXT = 400
"""Characters of the longest text of a field that is not declared."""
T = TypeVar("T")


class Sent(dict[str, str]):
    """Texts of a submitted form; ``twice`` are names sent with two different texts."""

    twice: Mapping[str, tuple[str, str]] = {}


class Form:
    """A submitted form on its way to core values."""

    def __init__(self, data: Mapping[str, str], measure: Measure) -> None:
        self.data = dict(data)
        self.measure = measure
        self.asked: set[str] = set()
        self._faults = 0
        twice = data.twice if isinstance(data, Sent) else {}
        self.errors = {
            name: f'came twice, as "{one[:24]}" and "{other[:24]}": which is meant?'
            for name, (one, other) in twice.items()
        }

    def _note(self, name: str, text: str) -> None:
        """Note an error; the first of a field is shown."""
        self._faults += 1
        self.errors.setdefault(name, text)

    @property
    def ok(self) -> bool:
        """Whether the whole form could be read; unexpected fields are noted as errors first."""
        for name in self.data.keys() - self.asked:
            self._note(name, "is not a field of this form: reload the page")
        return not self.errors

    @property
    def strays(self) -> dict[str, str]:
        """Errors that belong to no field of the form, such as those of an unknown field."""
        return {name: text for name, text in self.errors.items() if name not in self.asked}

    def text(self, name: str) -> str:
        """A trimmed text."""
        self.asked.add(name)
        value = self.data.get(name, "").strip()
        if len(value) > MOST_TEXT:
            self._note(name, f"has {len(value)} characters, and at most {MOST_TEXT} are read")
        return value

    def length(self, name: str, old: float | None = None) -> float:
        """A length [m]; NaN with an error noted when it cannot be read.

        Where the text is just what ``old`` is shown as, it is ``old``: saving a form of rounded inches
        must not move anything.
        """
        if old is not None and self.text(name) == self.measure.number(old):
            return old
        return self._number(name, self.measure.parse)

    def number(self, name: str) -> float:
        """A plain number; NaN with an error noted when it cannot be read."""
        return self._number(name, parse_number)

    def _number(self, name: str, parse: Callable[[str], float]) -> float:
        self.asked.add(name)
        try:
            return parse(self.data.get(name, ""))
        except ValueError as error:
            self._note(name, str(error))
            return float("nan")

    def read(self, cls: type[T], old: T | None = None, *, prefix: str = "", **given: Any) -> T | None:
        """The typed thing; what the form has no field for stays as in ``old``, or is the default.

        ``given`` are values that come from elsewhere. None, with its faults noted, when it cannot be.
        """
        before, values = self._faults, dict(given)
        for item in items(cls):
            if item.name not in values:
                was = UNSAID if old is None else getattr(old, item.name)
                values[item.name] = self._read(item, was, prefix)
        if self._faults > before:
            return None
        return self.attempt(lambda: cls(**{k: v for k, v in values.items() if v is not UNSAID}), prefix)

    def _read(self, item: Item, old: Any, prefix: str) -> Any:
        spec, name = item.spec, prefix + item.name
        if isinstance(spec, Part) and any(prefix + spec.prefix + one in self.data for one in leaves(item.type)):
            found = self.read(item.type, None if old is UNSAID else old, prefix=prefix + spec.prefix)
            return UNSAID if found is None else found
        if not isinstance(spec, Field) or name not in self.data:
            if old is UNSAID and item.default is UNSAID and isinstance(spec, Field | Part):
                self._note(name, "is missing: reload the page")
            return old
        self.asked.add(name)
        text = self.data[name]
        if old is not UNSAID and text.strip() == shown(spec, old, self.measure):
            return old
        if item.optional and not text.strip():
            return None
        try:
            return typed(spec, text, self.measure)
        except ValueError as error:
            self._note(name, str(error))
            return UNSAID

    def prefixes(self, name: str) -> list[str]:
        """Prefixes of the fields of each repeated row."""
        pattern = re.compile(rf"{re.escape(name)}\.(\d{{1,4}})\.")
        found = (pattern.match(key) for key in self.data)
        return [f"{name}.{number}." for number in sorted({int(m[1]) for m in found if m})]

    def rows(self, cls: type[T], name: str) -> list[T] | None:
        """Repeated rows ``name.0.field`` and so on, without blank and deleted ones.

        None when one of them cannot be; faults stand by its own field.
        """
        before, found = self._faults, list[T | None]()
        for prefix in self.prefixes(name):
            mine = {key for key in self.data if key.startswith(prefix)}
            gone = self.data.get(f"{prefix}gone") == "on"
            if gone or not any(self.data[key].strip() for key in mine):
                self.asked |= mine
            else:
                found.append(self.read(cls, prefix=prefix))
                self.asked.add(f"{prefix}gone")
        return [one for one in found if one is not None] if self._faults == before else None

    def attempt(self, work: Callable[[], T], prefix: str = "") -> T | None:
        """Do some work; the core's objections become errors by field, and the result is None."""
        try:
            return work()
        except InvalidInput as error:
            for e in error.errors:
                self._note(prefix + e.field, self.measure.message(e))
            return None


@dataclass(frozen=True, slots=True)
class Asked:
    """One field as a form shows it."""

    name: str
    label: str
    sort: str
    unit: str
    hint: str
    value: str
    error: str
    options: tuple[tuple[str, str], ...]
    most: int

    @property
    def long(self) -> bool:
        """Whether the field takes more than a line."""
        return self.sort == "text" and self.most > 200


def shown_values(thing: Any, measure: Measure, prefix: str = "") -> dict[str, str]:
    """Values of a kept thing and its parts for a form, by the names of its fields."""
    values: dict[str, str] = {}
    for item in items(type(thing)):
        value = getattr(thing, item.name)
        if isinstance(item.spec, Field):
            values[prefix + item.name] = shown(item.spec, value, measure)
        elif isinstance(item.spec, Part) and value is not None:
            values |= shown_values(value, measure, prefix + item.spec.prefix)
    return values


def asked(
    cls: type, values: Mapping[str, str], errors: Mapping[str, str], measure: Measure, prefix: str = ""
) -> dict[str, Asked]:
    """Fields of a kept thing with their values, for a page to lay out."""
    found = {}
    for key, item in leaves(cls).items():
        spec, name = item.spec, prefix + key
        assert isinstance(spec, Field)
        found[key] = Asked(
            name,
            spec.label,
            spec.sort,
            unit_of(spec, measure),
            spec.about,
            values.get(name, ""),
            errors.get(name, ""),
            tuple((spec.options or {}).items()),
            spec.most,
        )
    return found
