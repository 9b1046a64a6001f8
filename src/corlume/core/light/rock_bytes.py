"""Meshes of rock and strokes of the brush as they are stored: small, and the same bytes for the same rock."""

from __future__ import annotations

import hashlib
import io
import zlib

import numpy as np

from corlume.core.light.brushed_rock import DRAWN, Strokes
from corlume.core.light.rock_mesh import RockMesh
from corlume.core.light.sampled_rock import SampledRock

GRAIN = 65535
"""Corners are kept to this part of the size of their box along each axis."""
MOST_UNPACKED = 200_000_000
_FINE = 20_000.0
"""Depths of strokes are kept in this part of a metre."""


def pack_mesh(mesh: RockMesh) -> bytes:
    """A mesh as it is stored, its corners to a 65,535th of its size; one that was stored packs to the same bytes."""
    low, high = mesh.corners.min(axis=0).round(6), mesh.corners.max(axis=0)
    size = np.maximum((high - low).round(6), 1e-6)
    corners = np.round((mesh.corners - low) / size * GRAIN).clip(0, GRAIN).astype("<u2")
    steps = np.diff(mesh.triangles.astype("<i4"), axis=0, prepend=np.zeros((1, 3), "<i4"))
    return _packed({"box": np.array([low, size]), "corners": corners, "steps": steps.astype("<i4")})


def rock_key(data: bytes) -> str:
    """Hash under which packed rock is kept."""
    return hashlib.sha256(data).hexdigest()


def unpack_mesh(data: bytes) -> RockMesh:
    """A mesh as it was stored; ``ValueError`` when it is damaged."""
    parts = _unpacked(data, ("box", "corners", "steps"))
    box, corners = parts["box"], parts["corners"].astype(np.float64)
    triangles = np.cumsum(parts["steps"].astype(np.int64), axis=0)
    sound = (
        box.shape == (2, 3)
        and np.isfinite(box).all()
        and bool(len(corners) and len(triangles))
        and corners.ndim == 2
        and corners.shape[1:] == (3,)
        and triangles.ndim == 2
        and triangles.shape[1:] == (3,)
        and triangles.min() >= 0
        and triangles.max() < len(corners)
    )
    if not sound:
        raise _damaged()
    return RockMesh(box[0] + corners / GRAIN * box[1], triangles)


def pack_strokes(strokes: Strokes) -> bytes:
    """Strokes of the brush as they are stored, to a twentieth of a millimetre."""
    parts = {"size": np.array([strokes.length, strokes.width])}
    for name, rock in (("added", strokes.added), ("carved", strokes.carved)):
        parts[f"{name}_lines"] = rock.lines.astype("<i2")
        parts[f"{name}_starts"] = rock.starts.astype("<i4")
        parts[f"{name}_tops"], parts[f"{name}_bottoms"] = (
            np.round(part * _FINE).astype("<i4") for part in (rock.tops, rock.bottoms)
        )
    return _packed(parts)


def unpack_strokes(data: bytes) -> Strokes:
    """Strokes of the brush as they were stored; ``ValueError`` when they are damaged."""
    names = [f"{one}_{part}" for one in ("added", "carved") for part in ("lines", "starts", "tops", "bottoms")]
    parts = _unpacked(data, ("size", *names))
    found = []
    for one in ("added", "carved"):
        lines, starts = parts[f"{one}_lines"].astype(np.int64), parts[f"{one}_starts"].astype(np.int64)
        tops, bottoms = (parts[f"{one}_{part}"].astype(np.float64) / _FINE for part in ("tops", "bottoms"))
        sound = (
            lines.ndim == 2
            and lines.shape[1:] == (2,)
            and starts.shape == (len(lines) + 1,)
            and tops.shape == bottoms.shape == (starts[-1],)
            and starts[0] == 0
            and (np.diff(starts) >= 0).all()
        )
        if not sound:
            raise _damaged()
        found.append(SampledRock(lines, starts, tops, bottoms, DRAWN))
    length, width = parts["size"].tolist()
    return Strokes(found[0], found[1], length, width)


def _packed(parts: dict[str, np.ndarray[tuple[int, ...], np.dtype[np.generic]]]) -> bytes:
    out = io.BytesIO()
    for name, part in parts.items():
        out.write(name.encode() + b"\n")
        np.lib.format.write_array(out, np.ascontiguousarray(part), version=(1, 0), allow_pickle=False)
    return zlib.compress(out.getvalue(), 9)


def _unpacked(
    data: bytes, names: tuple[str, ...]
) -> dict[str, np.ndarray[tuple[int, ...], np.dtype[np.float64 | np.int64]]]:
    found = {}
    try:
        reader = zlib.decompressobj()
        stream = io.BytesIO(reader.decompress(data, MOST_UNPACKED))
        for name in names:
            if stream.readline(40).strip().decode() != name:
                raise _damaged()
            found[name] = np.lib.format.read_array(stream, allow_pickle=False)
    except (zlib.error, EOFError, OSError, MemoryError) as error:
        raise _damaged() from error
    return found


def _damaged() -> ValueError:
    return ValueError("the rock is damaged, or packed in a way that cannot be read")
