"""Readings of one fixture as text from a keeper's hand: a grid of PAR, or one reading a line."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import InvalidInput
from corlume.core.survey.survey_record import value_errors
from corlume.formats.file_faults import BadFile, FileFault
from corlume.formats.measure import Measure, parse_number

Array = NDArray[np.float64]
MOST_CELLS = 2500


def read_grid(text: str, *, across: float, deep: float) -> tuple[Array, Array]:
    """A grid of PAR seen from above, its first row at the back.

    Parameters
    ----------
    across, deep : from the middle of the first column to that of the last, and of the rows [m].

    Returns
    -------
    Places (n, 2) to the right of and behind the middle of the grid [m], and PAR (n,). Cells that are left open, by a
    dash or nothing between two separators, are passed over. ``BadFile`` has every fault by line and column.
    """
    rows = _cells(text)
    widths = {len(row) for _, row in rows}
    faults = list[FileFault]()
    if len(widths) > 1:
        usual = max(widths, key=lambda width: (sum(len(row) == width for _, row in rows), width))
        faults = [
            FileFault(
                f"line {line}", f"has {len(row)} numbers, and most lines have {usual}: a grid has as many in each"
            )
            for line, row in rows
            if len(row) != usual
        ]
    if faults or not rows:
        raise BadFile(faults[:20] or [FileFault("line 1", "is empty: paste the grid, one row a line")])
    par, columns = _numbers(rows), len(rows[0][1])
    x = np.linspace(-0.5, 0.5, columns) * across if columns > 1 else np.zeros(1)
    y = np.linspace(0.5, -0.5, len(rows)) * deep if len(rows) > 1 else np.zeros(1)
    right, behind = np.meshgrid(x, y)
    there = np.isfinite(par)
    if not there.any():
        raise BadFile([FileFault("the grid", "has no number in it")])
    return np.column_stack([right[there], behind[there]]), par[there]


def read_points(text: str, measure: Measure) -> tuple[Array, Array]:
    """Readings, one a line: to the right of the fixture's middle, behind it, down, and PAR; lengths as the keeper has
    them. Places (n, 3) [m] and PAR (n,); ``BadFile`` has every fault by line and column.
    """
    rows, faults = _cells(text), list[FileFault]()
    for line, row in rows:
        if len(row) != 4:
            faults.append(FileFault(f"line {line}", f"has {len(row)} numbers: right, behind, down, PAR are asked for"))
    if faults or not rows:
        raise BadFile(faults[:20] or [FileFault("line 1", "is empty: right, behind, down, PAR, such as 0 0 15 250")])
    values = _numbers(rows, par_at=3)
    unit = measure.parse("1")
    return values[:, :3] * unit, values[:, 3]


def _cells(text: str) -> list[tuple[int, list[str]]]:
    """Lines with something in them, each with its number and its cells."""
    mark = r"\t" if "\t" in text else ";" if ";" in text else r",\s|\s+" if re.search(r"\d,\d", text) is None else None
    if mark is None:
        # commas part the numbers where there is no other room between them, and are decimal where there is
        mark = r"\s+" if re.search(r"\S[ ]+\S", text.strip()) else ","
    found = []
    for line, content in enumerate(text.replace("\r\n", "\n").split("\n"), 1):
        if content.strip():
            found.append((line, [cell.strip() for cell in re.split(mark, content.strip(" " if mark != r"\t" else ""))]))
    if sum(len(row) for _, row in found) > MOST_CELLS:
        raise BadFile([FileFault("the table", f"has more than {MOST_CELLS} numbers")])
    return found


def _numbers(rows: list[tuple[int, list[str]]], par_at: int | None = None) -> Array:
    """The cells as numbers, NaN where one is open; PAR is held against what a reading can be."""
    values, faults = np.full((len(rows), len(rows[0][1])), np.nan), list[FileFault]()
    for i, (line, row) in enumerate(rows):
        for k, cell in enumerate(row):
            if par_at is None and cell in ("", "-"):
                continue
            where = f"line {line}, number {k + 1}"
            try:
                values[i, k] = parse_number(cell)
            except ValueError as error:
                faults.append(FileFault(where, str(error)))
                continue
            if par_at in (None, k):
                errors = InvalidInput(value_errors(float(values[i, k]))).errors
                faults += [FileFault(where, Measure("cm").message(error)) for error in errors]
    if faults:
        raise BadFile(faults[:20])
    return values
