"""Declared fields of kept things: each is declared once, in its type.

A kept thing is a frozen dataclass, or a named tuple, whose fields say how they are kept::

    sweepers: Annotated[float, Length("Sweepers", 0.0, 0.5, about="how far they go past its edge")]

Its limits come from that here; its row in ``store.rows``, its shape in files in ``formats.shapes``, its columns in
``formats.table``, its form in ``web.forms.form``, and the names by which all of them speak of it.
"""

from __future__ import annotations

import math
import types
import typing
from collections.abc import Callable, Iterator, Mapping
from dataclasses import MISSING, dataclass, fields, is_dataclass
from functools import lru_cache, partial
from typing import Any, Literal, NamedTuple, TypeVar, cast

from corlume.core.errors import NAME, Quantity, Rules

UNSAID: Any = object()
"""What stands for no value where None is one."""
Sort = Literal["number", "whole", "text", "choice", "flag", "date", "time"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Field:
    """One value of a kept thing.

    Parameters
    ----------
    label : what forms call it.
    sort : what is typed there; a number has a ``quantity``, in SI inside the core.
    low, high : limits of a number.
    least, most : characters of a text.
    options : what can be chosen, with the words for it.
    unit : what a plain number counts, where its quantity does not say.
    about : a few words more, for forms and for the scene file's schema.
    file : its name in files; by default its own, with the unit of its quantity behind it.
    formerly : names that older files have for it; ``was`` keys of a choice that older files and rows have.
    column : its name in the database, by default its own.
    blank : what a file may leave out; by default what the class says.
    empty : the number that a form shows as nothing.
    """

    label: str
    sort: Sort = "number"
    quantity: Quantity = "plain"
    low: float = -math.inf
    high: float = math.inf
    least: int = 0
    most: int = NAME
    options: Mapping[str, str] | None = None
    unit: str = ""
    about: str = ""
    file: str = ""
    formerly: tuple[str, ...] = ()
    was: Mapping[str, str] | None = None
    column: str = ""
    blank: Any = UNSAID
    empty: float | None = None

    def check(self, rules: Rules, name: str, value: Any) -> None:
        """Note what is wrong with a value."""
        if self.sort == "text":
            rules.text(name, value, self.most, least=self.least)
        elif self.options is not None:
            rules.that(value in self.options, name, f"must be {either(self.options)}")
        elif self.sort in ("number", "whole"):
            rules.between(name, value, self.low, self.high, self.quantity)


def either(options: Mapping[str, str]) -> str:
    """The keys of a choice as they stand in a sentence."""
    named = [key for key in options if key]
    words = " or ".join([", ".join(named[:-1]), named[-1]] if len(named) > 1 else named)
    return words + ", or be left open" * ("" in options)


def Number(
    label: str, low: float = -math.inf, high: float = math.inf, quantity: Quantity = "plain", **more: Any
) -> Field:
    """A number within limits, in SI."""
    return Field(label=label, low=low, high=high, quantity=quantity, **more)


def Whole(label: str, low: int, high: int, **more: Any) -> Field:
    """A whole number."""
    return Field(label=label, sort="whole", low=low, high=high, **more)


Length: Callable[..., Field] = partial(Number, quantity="length")
Angle: Callable[..., Field] = partial(Number, quantity="angle")
Share: Callable[..., Field] = partial(Number, quantity="share")
Par: Callable[..., Field] = partial(Number, unit="PAR")


def Text(label: str, most: int = NAME, *, least: int = 0, **more: Any) -> Field:
    """A text of so many characters."""
    return Field(label=label, sort="text", most=most, least=least, **more)


def Choice(label: str, options: Mapping[Any, str], **more: Any) -> Field:
    """One of some keys, each with its words."""
    return Field(label=label, sort="choice", options=options, **more)


def Flag(label: str, **more: Any) -> Field:
    """Yes or no."""
    return Field(label=label, sort="flag", **more)


def Day(label: str, **more: Any) -> Field:
    """A calendar day."""
    return Field(label=label, sort="date", **more)


def Time(label: str, **more: Any) -> Field:
    """A time of day."""
    return Field(label=label, sort="time", **more)


@dataclass(frozen=True, slots=True)
class Part:
    """A kept thing inside another: its columns stand in the same row, and its fields in the same form, behind a prefix;
    files keep it flat, unless it has a name there; ``formerly`` is the name in older files.
    """

    file: str = ""
    prefix: str = ""
    formerly: str = ""


@dataclass(frozen=True, slots=True)
class Many:
    """A list of kept things: a table of its own in the database, and a list in files.

    Parameters
    ----------
    most : how many a keeper can add.
    one : what one of them is called; by default the name of the field without its s.
    table : name of the table, by default that of the field.
    apart : whether its own pages load it, and the tank is loaded without.
    """

    most: int
    file: str = ""
    one: str = ""
    table: str = ""
    apart: bool = False


@dataclass(frozen=True, slots=True)
class Own:
    """A value with a way of writing of its own, named by each face; no form has it."""

    file: str = ""


Spec = Field | Part | Many | Own
R = TypeVar("R")


def per_class(work: Callable[[type], R]) -> Callable[[type[Any]], R]:
    """Cache a function of a class."""
    return cast(Callable[[type[Any]], R], lru_cache(maxsize=None)(work))


class Item(NamedTuple):
    """One declared field: its name, how it is kept, its type where it is a kept thing, whether it can be None, and what
    it is when nothing is said (``UNSAID``: it must be said).
    """

    name: str
    spec: Spec
    type: Any
    optional: bool
    default: Any


@per_class
def items(cls: type) -> tuple[Item, ...]:
    """Declared fields of a kept thing in their order; derived fields have no declaration."""
    found = []
    defaults = _defaults(cls)
    for name, hint in typing.get_type_hints(cls, include_extras=True).items():
        spec = next((m for m in getattr(hint, "__metadata__", ()) if isinstance(m, Spec)), None)
        if spec is not None:
            bare = [t for t in _alternatives(hint.__origin__) if t is not types.NoneType]
            optional = len(bare) < len(_alternatives(hint.__origin__))
            of = typing.get_args(bare[0])[0] if isinstance(spec, Many) else bare[0]
            found.append(Item(name, spec, of, optional, defaults.get(name, UNSAID)))
    return tuple(found)


def _alternatives(hint: Any) -> tuple[Any, ...]:
    return typing.get_args(hint) if isinstance(hint, types.UnionType) else (hint,)


def _defaults(cls: type) -> dict[str, Any]:
    if not is_dataclass(cls):
        return dict(getattr(cls, "_field_defaults", {}))
    made = {f.name: f.default_factory() for f in fields(cls) if f.default_factory is not MISSING}
    return made | {f.name: f.default for f in fields(cls) if f.default is not MISSING}


@per_class
def lists(cls: type) -> dict[str, Item]:
    """The lists of a kept thing by the names of their fields."""
    return {item.name: item for item in items(cls) if isinstance(item.spec, Many)}


def check_count(cls: type, name: str, count: int, holder: str = "tank") -> None:
    """Raise ``InvalidInput`` when a list would get more entries than it can hold."""
    rules, most = Rules(), most_of(cls, name)
    rules.that(count <= most, name, f"would be {count}: a {holder} holds at most {most}, so take one out first")
    rules.finish()


def most_of(cls: type, name: str) -> int:
    """Most entries that a list can hold."""
    many = lists(cls)[name].spec
    assert isinstance(many, Many)
    return many.most


@per_class
def leaves(cls: type) -> dict[str, Item]:
    """Plain values of a kept thing and of its parts, by their names in rows and forms."""
    return dict(_leaves(cls, ""))


def _leaves(cls: type, prefix: str) -> Iterator[tuple[str, Item]]:
    for item in items(cls):
        if isinstance(item.spec, Field):
            yield prefix + item.name, item
        elif isinstance(item.spec, Part):
            yield from _leaves(item.type, prefix + item.spec.prefix)


@per_class
def _checks(cls: type) -> tuple[tuple[str, Field], ...]:
    """Fields of the class itself that have limits; a number without any is checked by the class."""
    found = [(item.name, item.spec) for item in items(cls) if isinstance(item.spec, Field)]
    return tuple((name, f) for name, f in found if f.sort not in ("number", "whole") or f.high < math.inf)


def limits(thing: object) -> Rules:
    """Check a thing against the limits of its fields; the rules go on from there."""
    rules = Rules()
    for name, field in _checks(type(thing)):
        value = getattr(thing, name)
        if field.sort == "number" and value is not None and field.low <= value <= field.high:
            continue
        if value is not None:
            field.check(rules, name, value)
    return rules


def limits_of(cls: type, **values: Any) -> Rules:
    """Check some values against the limits of a class's fields, before there is an instance."""
    rules = Rules()
    for name, value in values.items():
        field = leaves(cls)[name].spec
        assert isinstance(field, Field)
        field.check(rules, name, value)
    return rules
