"""Kept things as CSV: one a row, their fields as columns named as in files."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator
from typing import Any, TypeVar

from corlume.core.schema import Field, Part, per_class
from corlume.formats.file_faults import BadFile, FileFault
from corlume.formats.measure import parse_number
from corlume.formats.shapes import read_thing, slots, to_data

T = TypeVar("T")
Path = tuple[str, ...]
MOST_ROWS = 5000
MAX_BYTES = 4_000_000
FLAGS = {"yes": True, "no": False}


@per_class
def columns(cls: type) -> dict[str, tuple[Path, Field]]:
    """Columns of a kept thing, with the place of each in its plain data; lists have none."""
    return {path[-1]: (path, field) for path, field in _columns(cls)}


def _columns(cls: type) -> Iterator[tuple[Path, Field]]:
    for slot in slots(cls):
        path = tuple(slot.name.split("."))
        if isinstance(slot.item.spec, Field):
            yield path, slot.item.spec
        elif isinstance(slot.item.spec, Part):
            yield from (((*path, *inner), field) for inner, field in _columns(slot.item.type))


def write_table(cls: type[T], things: Iterable[T]) -> str:
    """Kept things as CSV text with a header."""
    out = io.StringIO()
    lines = csv.writer(out, lineterminator="\n")
    lines.writerow(columns(cls))
    for thing in things:
        data = to_data(thing)
        lines.writerow([_cell(data, path) for path, _ in columns(cls).values()])
    return out.getvalue()


def _cell(data: Any, path: Path) -> str:
    for name in path:
        data = None if data is None else data[name]
    if isinstance(data, bool):
        return "yes" if data else "no"
    return "" if data is None else f"{data:.10g}" if isinstance(data, float) else str(data)


def read_table(cls: type[T], data: bytes) -> list[T]:
    """Parse such text, its columns in any order; ``BadFile`` has every error by row and column.

    Where semicolons part the columns, numbers may have a decimal comma.
    """
    rows = _rows(data)
    names = [name.strip() for name in rows[0]] if rows else []
    faults = [
        FileFault("line 1", f'names the column "{name}" twice') for name in {n for n in names if names.count(n) > 1}
    ]
    known = ", ".join(columns(cls))
    faults += [
        FileFault("line 1", f'"{n[:40]}" is no column here: these are {known}') for n in names if n not in columns(cls)
    ]
    if len(rows) > MOST_ROWS:
        faults.append(FileFault("the file", f"has {len(rows) - 1} lines, at most {MOST_ROWS} are read"))
    found = list[T]()
    for number, row in enumerate(() if faults else rows[1:], 2):
        try:
            found += _things(cls, names, row)
        except BadFile as error:
            faults += [FileFault(f"line {number}, {f.where}".removesuffix(", "), f.what) for f in error.faults]
    if faults or not rows:
        raise BadFile(faults[:20] or [FileFault("line 1", f"is empty: it names the columns, {known}")])
    return found


def _rows(data: bytes) -> list[list[str]]:
    if len(data) > MAX_BYTES:
        raise BadFile(
            [FileFault("", f"The file is too big: {len(data) / 1e6:.1f} MB, at most {MAX_BYTES / 1e6:g} MB.")]
        )
    try:
        text = data.decode("utf-8-sig")
        first = text.partition("\n")[0]
        comma = ";" if first.count(";") > first.count(",") else ","
        return list(csv.reader(io.StringIO(text), delimiter=comma, strict=True))
    except UnicodeDecodeError as error:
        raise BadFile([FileFault(f"byte {error.start}", "is not UTF-8 text.")]) from error
    except csv.Error as error:
        raise BadFile([FileFault("the file", f"is not CSV: {error}.")]) from error


def _things(cls: type[T], names: list[str], row: list[str]) -> list[T]:
    """Kept thing of a row, or none of a blank one."""
    if not any(cell.strip() for cell in row):
        return []
    if len(row) > len(names):
        raise BadFile([FileFault("", f"has {len(row)} cells, and there are {len(names)} columns")])
    data, faults = dict[str, Any](), list[FileFault]()
    for name, cell in zip(names, row, strict=False):
        path, field = columns(cls)[name]
        if text := cell.strip():
            inside = data
            for outer in path[:-1]:
                inside = inside.setdefault(outer, {})
            try:
                inside[path[-1]] = _typed(field, text)
            except ValueError as error:
                faults.append(FileFault(name, str(error)))
    if faults:
        raise BadFile(faults)
    return [read_thing(cls, data)]


def _typed(field: Field, text: str) -> Any:
    match field.sort:
        case "number":
            return parse_number(text)
        case "whole":
            return int(text) if text.lstrip("-").isdigit() else text
        case "flag":
            return FLAGS.get(text.lower(), text)
    return text
