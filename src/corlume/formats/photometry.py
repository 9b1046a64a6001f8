"""Read photometry files: IES LM-63 (1995, 2002, 2019 text forms, type C) and EULUMDAT [11].

Both give luminous intensity over directions. What Corlume takes from them is the lobe, the size of the
light-giving face, the watts and the lumens; photon flux follows from lumens only by way of a spectrum.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import InvalidInput
from corlume.core.light.lobe import Beam, TableLobe
from corlume.core.units import DEGREE
from corlume.formats.file_faults import BadFile, FileFault

Array = NDArray[np.float64]
FOOT = 0.3048
MAX_BYTES = 2_000_000
LARGEST = 1e8


@dataclass(frozen=True)
class Photometry:
    """What a photometry file says.

    ``theta`` (nt,) from straight down and ``phi`` (np,) about the vertical from the long axis [rad];
    ``candela`` (nt, np); ``length``, ``width`` of the luminous face [m]; ``watts`` [W].
    """

    name: str
    theta: Array
    phi: Array
    candela: Array
    length: float
    width: float
    watts: float

    @property
    def lumens(self) -> float:
        """Luminous flux below the horizon, integrated over the table [lm]."""
        down = np.linspace(0.0, math.pi / 2, 721)
        columns = np.stack([np.interp(down, self.theta, c, right=0.0) for c in self.candela.T], axis=1)
        if len(self.phi) > 1:
            ends = np.append(self.phi, 2 * math.pi)
            rows = np.concatenate([columns, columns[:, :1]], axis=1)
            around = np.trapezoid(rows, ends, axis=1)
        else:
            around = 2 * math.pi * columns[:, 0]
        return float(np.trapezoid(around * np.sin(down), down))

    def lobe(self) -> TableLobe:
        """The lobe, light above the horizon left out."""
        keep = self.theta <= math.pi / 2 + 1e-9
        rows = tuple(tuple(row) for row in self.candela[keep].tolist())
        return TableLobe(tuple(self.theta[keep].tolist()), tuple(self.phi.tolist()), rows)


def read_photometry(data: bytes) -> Photometry:
    """Read a file of either kind; ``BadFile`` says line and column, what was found and what was expected."""
    if len(data) > MAX_BYTES:
        raise BadFile([FileFault("", f"The file is too big: at most {MAX_BYTES / 1e6:g} MB.")])
    text = data.decode("utf-8-sig", errors="replace").replace("\r\n", "\n").replace("\r", "\n")
    lines = text.split("\n")
    if any(line.strip().upper().startswith("TILT=") for line in lines[:200]):
        found = _read_lm63(lines)
    elif len(lines) > 40:
        found = _read_eulumdat(lines)
    else:
        raise BadFile([FileFault("line 1", "is neither LM-63 (no TILT= line) nor EULUMDAT (fewer than 40 lines).")])
    try:
        found.lobe()
    except InvalidInput as error:
        raise BadFile([FileFault(e.field, e.rule) for e in error.errors]) from error
    return found


class _Numbers:
    """The numbers of a text, one after the other, each with its line and column for the errors."""

    def __init__(self, lines: Sequence[str], start: int) -> None:
        self._tokens = self._split(lines, start)
        self.where = f"line {start + 1}"

    @staticmethod
    def _split(lines: Sequence[str], start: int) -> Iterator[tuple[str, str]]:
        for number, line in enumerate(lines[start:], start + 1):
            for match in re.finditer(r"[^\s,]+", line):
                yield f"line {number}, column {match.start() + 1}", match[0]

    def take(self, what: str, *, low: float = -LARGEST, high: float = LARGEST) -> float:
        """The next number; ``what`` names it in errors."""
        try:
            self.where, token = next(self._tokens)
        except StopIteration:
            raise BadFile([FileFault(self.where, f"the file ends before {what}.")]) from None
        try:
            value = float(token.replace("D", "E").replace("d", "e"))
        except ValueError:
            raise BadFile([FileFault(self.where, f'found "{token[:20]}", expected {what}.')]) from None
        if not low <= value <= high:
            raise BadFile([FileFault(self.where, f"found {token[:20]}, expected {what} from {low:g} to {high:g}.")])
        return value

    def count(self, what: str, high: int) -> int:
        """The next number as a count from 1."""
        value = self.take(what, low=1, high=high)
        if value != int(value):
            raise BadFile([FileFault(self.where, f"found {value:g}, expected {what}, a whole number.")])
        return int(value)

    def rising(self, count: int, what: str, high: float) -> Array:
        """So many angles in rising order [degrees]."""
        angles: list[float] = []
        for k in range(count):
            angles.append(self.take(f"{what} {k + 1} of {count}", low=-360, high=high))
            if k and angles[-1] <= angles[-2]:
                raise BadFile([FileFault(self.where, f"{what} {angles[-1]:g} follows {angles[-2]:g}: they must rise.")])
        return np.array(angles)

    def table(self, rows: int, columns: int, what: str) -> Array:
        """A table of intensities that are not negative."""
        return np.array([[self.take(what, low=0.0) for _ in range(columns)] for _ in range(rows)])


def _read_lm63(lines: list[str]) -> Photometry:
    tilt_at = next(i for i, line in enumerate(lines) if line.strip().upper().startswith("TILT="))
    keywords = dict(re.findall(r"^\s*\[(\w+)\]\s*(.*?)\s*$", "\n".join(lines[:tilt_at]), re.M))
    tilt = lines[tilt_at].split("=", 1)[1].strip().upper()
    numbers = _Numbers(lines, tilt_at + 1)
    factor = 1.0
    if tilt == "INCLUDE":
        numbers.take("the lamp's position in the luminaire", low=1, high=3)
        pairs = numbers.count("the number of tilt angles", 200)
        angles = numbers.rising(pairs, "tilt angle", 180)
        factors = [numbers.take("a tilt factor", low=0, high=10) for _ in range(pairs)]
        # the lamp hangs as it was measured, so the factor is the one for no tilt
        factor = float(np.interp(0.0, angles, factors))
    elif tilt != "NONE":
        where = f"line {tilt_at + 1}"
        raise BadFile([FileFault(where, f"TILT={tilt[:20]} is kept in another file; NONE or INCLUDE is needed.")])
    numbers.count("the number of lamps", 1000)
    numbers.take("lumens per lamp (-1 for absolute)", low=-1)
    factor *= numbers.take("the candela multiplier", low=1e-9)
    verticals = numbers.count("the number of vertical angles", 2000)
    horizontals = numbers.count("the number of horizontal angles", 800)
    kind = numbers.count("the photometric type", 3)
    if kind != 1:
        raise BadFile([FileFault(numbers.where, f"the photometry is of type {' CBA'[kind]}; only type C is read.")])
    unit = FOOT if numbers.count("the unit of length (1 feet, 2 metres)", 2) == 1 else 1.0
    sides = [abs(numbers.take(f"the {side}", low=-100, high=100)) * unit for side in ("width", "length", "height")]
    factor *= numbers.take("the ballast factor", low=0, high=10) * numbers.take("the second factor", low=0, high=10)
    watts = numbers.take("the watts", low=0, high=1e5)
    theta = numbers.rising(verticals, "vertical angle", 180)
    phi = numbers.rising(horizontals, "horizontal angle", 360)
    candela = numbers.table(horizontals, verticals, "an intensity").T * factor
    if theta[0] > 1e-6:
        raise BadFile(
            [FileFault("vertical angles", f"begin at {theta[0]:g} degrees; light straight down (0) is needed.")]
        )
    name = keywords.get("LUMINAIRE") or keywords.get("LUMCAT") or keywords.get("LAMP") or "Imported fixture"
    phi, candela = _whole_turn(phi, candela)
    return Photometry(name[:80], theta * DEGREE, phi * DEGREE, candela, sides[1], sides[0], watts)


def _whole_turn(phi: Array, candela: Array) -> tuple[Array, Array]:
    """Fill up a part of a turn by its symmetry to angles from 0 up to, not including, 360 degrees."""
    last = phi[-1]
    if len(phi) == 1:
        return np.zeros(1), candela
    if phi[0] == 90 and last == 270:
        # alike on both sides of the plane through 90 and 270
        phi, candela = np.concatenate([phi - 180, phi]), np.concatenate([candela[:, ::-1], candela], axis=1)
        order = np.argsort(phi % 360, kind="stable")
        phi, candela = (phi % 360)[order], candela[:, order]
        phi, first = np.unique(phi, return_index=True)
        return phi, candela[:, first]
    if phi[0] != 0 or last not in (90, 180, 360):
        what = f"run from {phi[0]:g} to {last:g} degrees; 0 alone, 0 to 90, 0 to 180, 90 to 270 or 0 to 360 is needed."
        raise BadFile([FileFault("horizontal angles", what)])
    for end in (90, 180):
        if last == end:
            phi = np.concatenate([phi, 2 * end - phi[-2::-1]])
            candela = np.concatenate([candela, candela[:, -2::-1]], axis=1)
            last = 2 * end
    return phi[:-1], candela[:, :-1]


def _read_eulumdat(lines: list[str]) -> Photometry:
    def value(line: int, what: str, low: float, high: float) -> float:
        if line >= len(lines):
            raise BadFile([FileFault(f"line {len(lines)}", f"the file ends before {what} (line {line + 1}).")])
        text = lines[line].strip().replace(",", ".")
        try:
            number = float(text)
        except ValueError:
            raise BadFile([FileFault(f"line {line + 1}, column 1", f'found "{text[:20]}", expected {what}.')]) from None
        if not low <= number <= high:
            raise BadFile(
                [
                    FileFault(
                        f"line {line + 1}, column 1", f"found {text[:20]}, expected {what} from {low:g} to {high:g}."
                    )
                ]
            )
        return number

    symmetry = int(value(2, "the symmetry", 0, 4))
    planes = int(value(3, "the number of C-planes", 1, 721))
    angles = int(value(5, "the number of intensities in a C-plane", 2, 361))
    length = value(15, "the length of the luminous area in mm", 0, 1e5) / 1000
    width = value(16, "the width of the luminous area in mm", 0, 1e5) / 1000
    scale = value(23, "the conversion factor for intensities", 1e-9, 1e6)
    sets = int(value(25, "the number of lamp sets", 1, 20))
    lumens, watts = 0.0, 0.0
    for k in range(sets):
        start = 26 + 6 * k
        lumens += value(start + 2, "the lumens of a lamp set", 0, LARGEST)
        watts += value(start + 5, "the watts of a lamp set", 0, 1e5)
    numbers = _Numbers(lines, 26 + 6 * sets + 10)
    all_phi = numbers.rising(planes, "C-angle", 360)
    theta = numbers.rising(angles, "G-angle", 180)
    if theta[0] > 1e-6:
        raise BadFile([FileFault("G-angles", f"begin at {theta[0]:g} degrees; light straight down (0) is needed.")])
    kept = {0: planes, 1: 1, 2: planes // 2 + 1, 3: planes // 2 + 1, 4: planes // 4 + 1}[symmetry]
    table = numbers.table(kept, angles, "an intensity in cd per 1000 lm").T * scale * lumens / 1000
    if symmetry == 1:
        phi, table = np.zeros(1), table[:, :1]
    elif symmetry == 0:
        phi = all_phi
    else:
        first = planes // 4 if symmetry == 3 else 0
        phi, table = _whole_turn(
            all_phi[first : first + kept] if symmetry != 2 else np.append(all_phi, 360)[:kept], table
        )
    name = lines[8].strip() or "Imported fixture"
    return Photometry(name[:80], theta * DEGREE, phi * DEGREE, table, length, width or length, watts)


def write_lm63(name: str, lobe: Beam, *, length: float, width: float, watts: float) -> str:
    """Write a lobe as LM-63-2019 for 1000 lm; lengths in metres, power in watts.

    Corlume knows photon flux and not lumens, so the intensities are relative; the note in the file says so.
    """
    table = lobe.table()
    cosines = np.linspace(0.0, 1.0, table.shape[0])
    theta = np.arange(0.0, 90.5, 1.0)
    phi = np.arange(0.0, 360.5, 15.0) if table.shape[1] > 1 else np.zeros(1)
    columns = np.round(phi / 360 * (table.shape[1] - 1)).astype(int)
    candela = [1000 * np.interp(np.cos(theta * DEGREE), cosines, table[:, column]) for column in columns]
    lines = [
        "IES:LM-63-2019",
        f"[LUMINAIRE] {' '.join(name.split())}",
        "[OTHER] Relative intensities for 1000 lm, written by Corlume",
        "TILT=NONE",
        f"1 1000 1 {len(theta)} {len(phi)} 1 2 {width:.4f} {length:.4f} 0",
        f"1 1 {watts:g}",
        *_wrapped(theta),
        *_wrapped(phi),
        *(line for row in candela for line in _wrapped(row)),
    ]
    return "\r\n".join(lines) + "\r\n"


def _wrapped(numbers: Array) -> Iterator[str]:
    """Numbers on lines of at most ten."""
    texts = [f"{x:.6g}" for x in numbers]
    for k in range(0, len(texts), 10):
        yield " ".join(texts[k : k + 10])
