"""Points to read PAR at, as CSV: x_cm, y_cm, depth_cm."""

from __future__ import annotations

import csv
import io

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.geometry import Tank
from corlume.core.units import CM
from corlume.formats.file_faults import BadFile, FileFault
from corlume.formats.measure import parse_number

COLUMNS = ("x_cm", "y_cm", "depth_cm")


def read_points(text: str, tank: Tank) -> NDArray[np.float64]:
    """Read points (n, 3) inside a tank's water [m]; ``BadFile`` names line and column of every fault.

    The header must name the three columns; others, such as a measured par, are passed over.
    """
    rows = csv.reader(io.StringIO(text))
    header = [name.strip().lower() for name in next(rows, [])]
    missing = [name for name in COLUMNS if name not in header]
    if missing:
        raise BadFile([FileFault("line 1", f"has no column {', '.join(missing)}; expected {','.join(COLUMNS)}")])
    at = [header.index(name) for name in COLUMNS]
    limits = (tank.length, tank.width, tank.water_depth)
    points: list[list[float]] = []
    faults: list[FileFault] = []
    for row in rows:
        if not any(cell.strip() for cell in row):
            continue
        point = []
        for name, column, limit in zip(COLUMNS, at, limits, strict=True):
            where = f"line {rows.line_num}, column {name}"
            try:
                value = parse_number(row[column]) * CM if column < len(row) else float("nan")
            except ValueError as error:
                faults.append(FileFault(where, str(error)))
                continue
            if not 0 <= value <= limit + 1e-9:
                found = "nothing" if column >= len(row) else f"{row[column].strip()} cm"
                faults.append(FileFault(where, f"found {found}, expected 0 to {limit / CM:g} cm"))
            point.append(value)
        points.append(point)
    if faults:
        raise BadFile(faults[:20])
    return np.array(points).reshape(-1, 3)
