"""Kept things to rows and back, by their declaration; values with a form of their own are JSON text."""

from __future__ import annotations

import datetime
import json
import sqlite3
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, NamedTuple, TypeVar

from corlume.core.light.emitter import ONE_CHANNEL, Channel, Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Colony
from corlume.core.light.lobe import Lobe, RingLobe, TableLobe
from corlume.core.light.spectrum import BandSpectrum, Spectrum, TableSpectrum
from corlume.core.light.survey_correction import Correction
from corlume.core.schema import Field, Item, Own, Part, items, per_class
from corlume.core.survey.photo_geometry import Photo
from corlume.core.survey.survey_record import MeasuringPoint, Survey

Row = dict[str, Any]
T = TypeVar("T")


class Column(NamedTuple):
    """A declared field under its name in the database, and the parts that lead to it."""

    name: str
    item: Item
    owner: type
    path: tuple[str, ...]


@per_class
def columns(cls: type) -> tuple[Column, ...]:
    """The columns of a kept thing, those of its parts among them."""
    return tuple(_columns(cls, (), ""))


def _columns(cls: type, path: tuple[str, ...], prefix: str) -> Iterator[Column]:
    for item in items(cls):
        match item.spec:
            case Field(column=name):
                yield Column(prefix + (name or item.name), item, cls, path)
            case Own():
                yield Column(prefix + item.name, item, cls, path)
            case Part(prefix=inner):
                yield from _columns(item.type, (*path, item.name), prefix + inner)


def row_of(thing: Any) -> Row:
    """Columns of a kept thing with their values."""
    row: Row = {}
    for column in columns(type(thing)):
        holder = thing
        for name in column.path:
            holder = None if holder is None else getattr(holder, name)
        row[column.name] = None if holder is None else _stored(column, getattr(holder, column.item.name))
    return row


def _stored(column: Column, value: Any) -> Any:
    match column.item.spec:
        case Own():
            return OWN[column.owner, column.item.name].write(value)
        case Field(sort="flag"):
            return int(value)
        case Field(sort="date" | "time"):
            return None if value is None else value.isoformat()
    return value


def thing_of(cls: type[T], row: Mapping[str, Any] | sqlite3.Row, **given: Any) -> T:
    """Kept thing of a row; ``given`` are its lists, which have tables of their own."""
    return _thing_of(cls, row, "", given)


def _thing_of(cls: type[T], row: Any, prefix: str, given: Mapping[str, Any]) -> T:
    values = dict(given)
    for item in items(cls):
        match item.spec:
            case Field(column=name):
                values[item.name] = _read(item, row[prefix + (name or item.name)])
            case Own():
                values[item.name] = OWN[cls, item.name].read(row[prefix + item.name])
            case Part(prefix=inner):
                named = (prefix + inner + column.name for column in columns(item.type)) if item.optional else ()
                gone = item.optional and all(row[name] is None for name in named)
                values[item.name] = None if gone else _thing_of(item.type, row, prefix + inner, {})
    return cls(**values)


def _read(item: Item, value: Any) -> Any:
    match item.spec:
        case Field(sort="flag"):
            return bool(value)
        case Field(was=dict() as was):
            return was.get(value, value)
        case Field(sort="date") if value is not None:
            return datetime.date.fromisoformat(value)
        case Field(sort="time") if value is not None:
            return datetime.time.fromisoformat(value)
    return value


def fixture_from(row: sqlite3.Row) -> Fixture:
    """Fixture of a row; equal rows share one cached fixture, so that cached fields are found at once."""
    return _fixture_from(_Same(row))


class _Same:
    """A row that compares by what it says of a fixture, whatever its id."""

    def __init__(self, row: sqlite3.Row) -> None:
        self.row = row
        self.said = tuple(row[column.name] for column in columns(Fixture))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and self.said == other.said

    def __hash__(self) -> int:
        return hash(self.said)


@lru_cache(maxsize=400)
def _fixture_from(same: _Same) -> Fixture:
    return thing_of(Fixture, same.row)


@dataclass(frozen=True, slots=True)
class OwnColumn:
    """How a value with a form of its own is written as text, or as nothing, and read back."""

    write: Callable[[Any], str | None]
    read: Callable[[str | None], Any]


def _channels_text(channels: tuple[Channel, ...]) -> str | None:
    if channels == ONE_CHANNEL:
        return None
    return json.dumps([{"name": c.name, "share": c.share, "spectrum": _spectrum_row(c.spectrum)} for c in channels])


def _spectrum_row(spectrum: Spectrum | None) -> Row | None:
    match spectrum:
        case BandSpectrum():
            return {"bands": spectrum.parts}
        case TableSpectrum():
            return {"wavelengths": spectrum.wavelengths, "values": spectrum.values}
    return None


def _channels_from(text: str | None) -> tuple[Channel, ...]:
    if text is None:
        return ONE_CHANNEL
    return tuple(Channel(c["name"], c["share"], _spectrum_from(c["spectrum"])) for c in json.loads(text))


def _spectrum_from(read: Row | None) -> Spectrum | None:
    if read is None:
        return None
    if "bands" in read:
        return BandSpectrum(tuple((share, peak, width) for share, peak, width in read["bands"]))
    return TableSpectrum(tuple(read["wavelengths"]), tuple(read["values"]))


def _lobe_text(lobe: Lobe | None) -> str | None:
    match lobe:
        case RingLobe():
            return json.dumps({"parts": lobe.parts})
        case TableLobe():
            return json.dumps({"theta": lobe.theta, "phi": lobe.phi, "values": lobe.values})
    return None


def _lobe_from(text: str | None) -> Lobe | None:
    if text is None:
        return None
    read = json.loads(text)
    if "parts" in read:
        return RingLobe(tuple((share, fwhm) for share, fwhm in read["parts"]))
    return TableLobe(tuple(read["theta"]), tuple(read["phi"]), tuple(tuple(row) for row in read["values"]))


def _readings_from(text: str | None) -> tuple[float, ...]:
    return tuple(map(float, json.loads(text or "[]")))


OWN = {
    (Photo, "corners"): OwnColumn(
        lambda corners: json.dumps(corners) if corners else None,
        lambda text: tuple((float(u), float(v)) for u, v in json.loads(text)) if text else (),
    ),
    (MeasuringPoint, "readings"): OwnColumn(json.dumps, _readings_from),
    (Survey, "correction"): OwnColumn(
        lambda found: json.dumps(found.plain()) if found else None,
        lambda text: Correction.of_plain(json.loads(text)) if text else None,
    ),
    (Survey, "colonies"): OwnColumn(
        lambda discs: json.dumps([(c.x, c.y, c.depth, c.radius) for c in discs]) if discs else None,
        lambda text: tuple(Colony(*disc) for disc in json.loads(text)) if text else (),
    ),
    (Survey, "strips"): OwnColumn(
        lambda strips: json.dumps(strips) if strips else None,
        lambda text: tuple(tuple(strip) for strip in json.loads(text)) if text else (),
    ),
    (Emitter, "lobe"): OwnColumn(_lobe_text, _lobe_from),
    (Emitter, "channels"): OwnColumn(_channels_text, _channels_from),
    (Fixture, "levels"): OwnColumn(
        lambda levels: json.dumps(levels) if levels else None, lambda text: tuple(json.loads(text)) if text else ()
    ),
    (Fixture, "wear"): OwnColumn(
        lambda wear: json.dumps(dict(wear)) if wear else None,
        lambda text: tuple(json.loads(text).items()) if text else (),
    ),
}
