"""Scans of rock from files: OBJ, PLY, STL and binary glTF, told apart by their content."""

from __future__ import annotations

import io
import json
import struct
import warnings
from typing import Any, Literal

import numpy as np

from corlume.core.errors import InvalidInput
from corlume.core.light.rock_mesh import RockMesh
from corlume.core.light.rock_scan import Scan, made_ready
from corlume.formats.file_faults import BadFile, FileFault

ScanKind = Literal["obj", "ply", "stl", "glb"]
MAX_BYTES = 60_000_000
MOST_TRIANGLES = 2_000_000
KEPT_TRIANGLES = 60_000
"""A scan is simplified to about so many triangles."""
NAMES: dict[ScanKind, str] = {"obj": "OBJ", "ply": "PLY", "stl": "STL", "glb": "binary glTF"}


def kind_of(data: bytes) -> ScanKind:
    """The form of a file by its content; ``BadFile`` when it is none of those that can be read."""
    if data.startswith(b"glTF"):
        return "glb"
    if data.startswith((b"ply\n", b"ply\r")):
        return "ply"
    if len(data) >= 84 and len(data) == 84 + 50 * struct.unpack("<I", data[80:84])[0]:
        return "stl"
    start = data[:400_000].lstrip()
    if start.startswith(b"solid") and b"facet" in start:
        return "stl"
    if b"\0" not in start and any(line.startswith(b"v ") for line in start.splitlines()):
        return "obj"
    if start.startswith(b"{") and b'"asset"' in start:
        raise _bad("is a glTF that names other files: save it as binary glTF (.glb), which holds everything")
    raise _bad("is not a mesh that can be read: OBJ, PLY, STL and binary glTF (.glb) can")


def read_scan(data: bytes) -> Scan:
    """Read a scan, simplified to at most ``KEPT_TRIANGLES``, without crumbs and with its holes closed where they can
    be.

    Colours and pictures are left out. ``BadFile`` says what is wrong with the file.
    """
    if len(data) > MAX_BYTES:
        raise _bad(f"is {len(data) / 1e6:.0f} MB; at most {MAX_BYTES / 1e6:.0f} MB")
    if not data.strip():
        raise _bad("is empty")
    kind = kind_of(data)
    corners, triangles = _read(kind, data)
    if len(triangles) > MOST_TRIANGLES:
        raise _bad(f"has {len(triangles):,} triangles; at most {MOST_TRIANGLES:,}")
    if len(triangles) and not np.isfinite(corners).all():
        raise _bad("has coordinates that are no numbers")
    if len(triangles) and float(np.abs(corners).max()) > 1e9:
        raise _bad("has coordinates that are endless")
    if len(triangles) > KEPT_TRIANGLES:
        corners, triangles = _simplified(corners, triangles)
    try:
        return made_ready(corners, triangles)
    except InvalidInput as error:
        raise BadFile([FileFault("the file", e.rule) for e in error.errors]) from error


def _read(kind: ScanKind, data: bytes) -> tuple[Any, Any]:
    import trimesh  # seconds to import, which no other page waits for

    if kind == "obj":
        # materials are other files, and only colour
        words = (b"mtllib", b"usemtl")
        data = b"\n".join(line for line in data.splitlines() if not line.startswith(words))
    if kind == "glb":
        _check_whole(data)
    if kind == "ply":
        _check_counts(data)
    try:
        with warnings.catch_warnings(), np.errstate(all="ignore"):
            warnings.simplefilter("ignore")
            mesh = trimesh.load_mesh(io.BytesIO(data), file_type=kind, process=False, skip_materials=True)
            if not isinstance(mesh, trimesh.Trimesh) or not len(mesh.faces):
                raise _bad("has no surface in it: points or lines alone are no rock")
            mesh.merge_vertices(merge_tex=True, merge_norm=True)
            corners, triangles = np.asarray(mesh.vertices, dtype=np.float64), np.asarray(mesh.faces, dtype=np.int64)
    except BadFile:
        raise
    except Exception as error:  # whatever a reader trips over in a file that is damaged
        raise _bad(f"cannot be read as {NAMES[kind]}: it is damaged or cut off") from error
    if triangles.min() < 0 or triangles.max() >= len(corners):
        raise _bad("has triangles between corners that it does not have")
    return corners, triangles


def _check_whole(data: bytes) -> None:
    """Raise ``BadFile`` for a binary glTF that names other files."""
    try:
        length, form = struct.unpack("<I4s", data[12:20])
        parts = json.loads(data[20 : 20 + length]) if form == b"JSON" else {}
        buffers = parts.get("buffers", [])
        outside = [one["uri"] for one in buffers if not str(one.get("uri", "data:")).startswith("data:")]
    except (struct.error, ValueError, AttributeError, TypeError, RecursionError) as error:
        raise _bad("cannot be read as binary glTF: it is damaged or cut off") from error
    if outside:
        raise _bad("names other files for its mesh: save it with everything in one file")


def _check_counts(data: bytes) -> None:
    """Raise ``BadFile`` for a PLY that says it has more than could be in it."""
    head = data[:20_000].split(b"end_header")[0].split()
    for word, count in zip(head, head[2:], strict=False):
        if word == b"element" and (not count.isdigit() or int(count) > len(data)):
            raise _bad("cannot be read as PLY: it is damaged or cut off")


def _simplified(corners: Any, triangles: Any) -> tuple[Any, Any]:
    import fast_simplification

    size = float(np.ptp(corners, axis=0).max()) or 1.0
    low = corners.min(axis=0)
    points, faces = fast_simplification.simplify(
        ((corners - low) / size).astype(np.float32), triangles.astype(np.int32), target_count=KEPT_TRIANGLES
    )
    return low + size * points.astype(np.float64), faces.astype(np.int64)


def write_ply(mesh: RockMesh) -> bytes:
    """A mesh as binary PLY, in metres."""
    head = (
        "ply\nformat binary_little_endian 1.0\ncomment metres, z up\n"
        f"element vertex {len(mesh.corners)}\nproperty float x\nproperty float y\nproperty float z\n"
        f"element face {len(mesh.triangles)}\nproperty list uchar int vertex_indices\nend_header\n"
    )
    faces = np.zeros(len(mesh.triangles), dtype=[("count", "u1"), ("corners", "<i4", 3)])
    faces["count"], faces["corners"] = 3, mesh.triangles
    return head.encode() + mesh.corners.astype("<f4").tobytes() + faces.tobytes()


def write_stl(mesh: RockMesh) -> bytes:
    """A mesh as binary STL, in millimetres as is usual there."""
    points = 1000.0 * mesh.corners[mesh.triangles]
    normals = np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0])
    normals /= np.maximum(np.linalg.norm(normals, axis=1), 1e-12)[:, None]
    rows = np.zeros(len(points), dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])
    rows["normal"], rows["corners"] = normals, points
    return b"rock, millimetres, z up".ljust(80) + struct.pack("<I", len(rows)) + rows.tobytes()


def _bad(words: str) -> BadFile:
    return BadFile([FileFault("the file", words)])
