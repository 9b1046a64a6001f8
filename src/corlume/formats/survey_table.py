"""Readings as a table: CSV, or pasted from a sheet; headers, units, separators and decimal commas of many hands.

What is taken to mean what is reported; what cannot be read is told by line and column, and then nothing is taken.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable
from dataclasses import dataclass, replace

from corlume.core.errors import InvalidInput
from corlume.core.survey.survey_record import MeasuringPoint
from corlume.core.units import CM, INCH
from corlume.formats.file_faults import BadFile, FileFault
from corlume.formats.measure import LengthUnit, Measure, parse_number

MAX_BYTES = 1_000_000
MOST_ROWS = 2000
NAMES = {
    "name": ("name", "spot", "place", "point", "label", "where"),
    "x": ("x", "from left", "left", "along"),
    "y": ("y", "from front", "front", "across"),
    "depth": ("depth", "z", "down", "d"),
    "par": ("par", "ppfd", "reading", "value", "umol", "lux"),
    "pumps": ("pumps", "pump", "flow"),
    "upright": ("upright",),
    "level": ("level", "lights at"),
    "note": ("note", "notes", "comment", "remark"),
}
UNITS = {"cm": CM, "mm": 0.1 * CM, "m": 1.0, "in": INCH, "inch": INCH, "inches": INCH, '"': INCH}
COLUMNS = ("name", "x_cm", "y_cm", "depth_cm", "par", "pumps", "upright", "level_percent", "note")


@dataclass(frozen=True, slots=True)
class ImportedReadings:
    """Points with their readings, and how the table was understood, in sentences."""

    spots: tuple[MeasuringPoint, ...]
    understood: tuple[str, ...]


def write_survey(spots: Iterable[MeasuringPoint]) -> str:
    """Spots as CSV, a line for each reading; one without a reading has a line with none."""
    out = io.StringIO()
    lines = csv.writer(out, lineterminator="\n")
    lines.writerow(COLUMNS)
    for spot in spots:
        place = [f"{value / CM:.10g}" for value in spot.place]
        rest = [spot.pumps, "yes" if spot.upright else "no", f"{100 * spot.level:.10g}", spot.note]
        for reading in spot.readings or (None,):
            lines.writerow([spot.name, *place, "" if reading is None else f"{reading:.10g}", *rest])
    return out.getvalue()


@dataclass(frozen=True, slots=True)
class _Column:
    """A column as understood: its content, its head, and its factor."""

    key: str
    head: str
    factor: float


def read_survey(text: str, unit: LengthUnit, lux_by_par: float | None = None) -> ImportedReadings:
    """Read a table of readings; ``BadFile`` has every fault by line and column.

    Parameters
    ----------
    unit : of lengths whose column names none.
    lux_by_par : how many lux make one umol/m2/s, when a column is in lux; without it such a column is refused.
    """
    if len(text) > MAX_BYTES:
        raise BadFile(
            [FileFault("", f"The table is too long: {len(text) / 1e6:.1f} MB, at most {MAX_BYTES / 1e6:g} MB.")]
        )
    rows, comma = _rows(text)
    if not rows:
        raise BadFile([FileFault("line 1", "is empty: it names the columns, such as name, x_cm, y_cm, depth_cm, par")])
    heads, faults, understood = _heads(rows[0][1], unit, lux_by_par)
    if len(rows) > MOST_ROWS:
        faults.append(FileFault("the table", f"has {len(rows) - 1} lines, at most {MOST_ROWS} are read"))
    found: dict[tuple[str, float, float, float], MeasuringPoint] = {}
    for number, row in () if faults else rows[1:]:
        try:
            spot = _spot(heads, row, len(found) + 1)
        except _Broken as broken:
            faults += [FileFault(", ".join(filter(None, (f"line {number}", at))), what) for at, what in broken.faults]
            continue
        key = (spot.name, *spot.place)
        was = found.get(key)
        found[key] = spot if was is None else _joined(was, spot)
    if faults:
        raise BadFile(faults[:20])
    if not found:
        raise BadFile([FileFault("line 2", "is missing: the table has no readings")])
    several = sum(len(spot.readings) > 1 for spot in found.values())
    understood.append(f"Numbers with a decimal {comma}.")
    if several:
        understood.append(f"{several} spots with several readings.")
    return ImportedReadings(tuple(found.values()), tuple(understood))


class _Broken(Exception):
    def __init__(self, faults: list[tuple[str, str]]) -> None:
        self.faults = faults
        super().__init__()


def _rows(text: str) -> tuple[list[tuple[int, list[str]]], str]:
    """Rows with content, with their numbers, and the decimal mark of the table."""
    text = text.lstrip("\ufeff").replace("\r\n", "\n").replace("\r", "\n")
    first = next((line for line in text.split("\n") if line.strip()), "")
    mark = max("\t;,", key=first.count) if any(c in first for c in "\t;,") else ","
    try:
        rows = list(csv.reader(io.StringIO(text), delimiter=mark, strict=True))
    except csv.Error as error:
        raise BadFile([FileFault("the table", f"is not CSV: {error}.")]) from error
    found = [(i, [cell.strip() for cell in row]) for i, row in enumerate(rows, 1) if any(c.strip() for c in row)]
    commas = mark != "," and any(re.fullmatch(r"-?\d+,\d+", cell) for _, row in found[1:] for cell in row)
    return found, "comma" if commas else "point"


def _heads(
    cells: list[str], unit: LengthUnit, lux_by_par: float | None
) -> tuple[list[_Column], list[FileFault], list[str]]:
    heads, faults, understood = list[_Column](), list[FileFault](), list[str]()
    for cell in cells:
        plain = re.sub(r"[_\-/()\[\].]+", " ", cell.lower()).strip()
        words = plain.split()
        named = next((key for key, names in NAMES.items() if plain in names or (words and words[0] in names)), "")
        named = named or next((k for k, names in NAMES.items() if any(n in plain for n in names if len(n) > 3)), "")
        if not named:
            known = ", ".join(COLUMNS)
            faults.append(FileFault("line 1", f'"{cell[:40]}" is no column that is known here: {known}'))
            continue
        factor = 1.0
        if named in ("x", "y", "depth"):
            said = next((word for word in words if word in UNITS), "")
            factor = UNITS[said or unit]
            understood.append(f"{cell} is in {said or unit}{'' if said else ', as no unit is named'}.")
        elif named == "par" and "lux" in words:
            if lux_by_par is None:
                faults.append(
                    FileFault(
                        f"line 1, {cell}", "is in lux, and PAR is asked for: say by what to divide, 55 for sunlight"
                    )
                )
            else:
                factor = 1 / lux_by_par
                understood.append(f"{cell} is lux, divided by {lux_by_par:g}.")
        elif named == "level":
            factor = 0.01
        heads.append(_Column(named, cell, factor))
    keys = [head.key for head in heads]
    faults += [FileFault("line 1", f"names {key} twice") for key in dict.fromkeys(keys) if keys.count(key) > 1]
    missing = [key for key in ("x", "y", "depth", "par") if key not in keys]
    if missing and not faults:
        faults.append(FileFault("line 1", f"has no column for {', '.join(missing)}"))
    return heads, faults, understood


def _spot(heads: list[_Column], row: list[str], number: int) -> MeasuringPoint:
    faults, values = list[tuple[str, str]](), dict[str, float | str]()
    if len(row) > len(heads):
        raise _Broken([("", f"has {len(row)} cells, and there are {len(heads)} columns")])
    for head, cell in zip(heads, row, strict=False):
        if head.key in ("x", "y", "depth", "par", "level"):
            if not cell and head.key in ("par", "level"):
                continue
            try:
                values[head.key] = round(parse_number(cell) * head.factor, 6)
            except ValueError as error:
                faults.append((head.head, str(error)))
        else:
            values[head.key] = cell
    missing = [head.head for head in heads[len(row) :] if head.key in ("x", "y", "depth")]
    faults += [(name, "is missing") for name in missing]
    if faults:
        raise _Broken(faults)
    par, pumps = values.get("par"), str(values.get("pumps", "")).lower()
    if pumps not in ("", "on", "off"):
        raise _Broken([("pumps", f'must be on, off or empty, not "{pumps[:24]}"')])
    try:
        return MeasuringPoint(
            name=str(values.get("name") or f"Spot {number}"),
            x=float(values["x"]),
            y=float(values["y"]),
            depth=float(values["depth"]),
            readings=() if par is None else (float(par),),
            pumps=pumps,  # type: ignore[arg-type]
            upright=str(values.get("upright", "")).lower() not in ("no", "false", "0"),
            level=float(values.get("level", 1.0)),
            note=str(values.get("note", "")),
        )
    except InvalidInput as error:
        names = {head.key: head.head for head in heads}
        raise _Broken([(names.get(e.field, e.field), Measure("cm").message(e)) for e in error.errors]) from error


def _joined(one: MeasuringPoint, other: MeasuringPoint) -> MeasuringPoint:
    return replace(one, readings=(*one.readings, *other.readings))
