"""Rock with its meshes and strokes, read from where they are kept."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Iterable
from dataclasses import replace

import cachetools

from corlume.core.light.brushed_rock import BrushedRock, Strokes
from corlume.core.light.geometry import Tank
from corlume.core.light.natural_rock import NaturalRock
from corlume.core.light.rock_bytes import pack_mesh, pack_strokes, unpack_mesh, unpack_strokes
from corlume.core.light.rock_mesh import RockMesh
from corlume.store.blobs import keep_blob, load_blob


def meshed(connection: sqlite3.Connection, rocks: Iterable[NaturalRock]) -> tuple[NaturalRock, ...]:
    """Natural rock with its meshes; ``ValueError`` for one that is damaged."""
    return tuple(replace(rock, mesh=_mesh(connection, rock.mesh_key)) for rock in rocks)


def stroked(connection: sqlite3.Connection, brushed: Iterable[BrushedRock]) -> tuple[BrushedRock, ...]:
    """Brushed rock with its strokes; ``ValueError`` for strokes that are damaged."""
    return tuple(replace(one, strokes=_strokes(connection, one.key)) for one in brushed)


def keep_rock(connection: sqlite3.Connection, tank: Tank) -> Tank:
    """Store the meshes and strokes of a tank's rock; the tank refers to them as they are kept."""
    natural = (
        replace(r, mesh_key=keep_blob(connection, pack_mesh(r.mesh))) if r.mesh else r for r in tank.natural_rocks
    )
    brushed = (
        replace(b, key=keep_blob(connection, pack_strokes(b.strokes))) if b.strokes else b for b in tank.brushed_rock
    )
    return replace(tank, natural_rocks=tuple(natural), brushed_rock=tuple(brushed))


@cachetools.cached(cachetools.LRUCache(64), key=lambda _, key: key, lock=threading.Lock())
def _mesh(connection: sqlite3.Connection, key: str) -> RockMesh:
    return unpack_mesh(load_blob(connection, key))


@cachetools.cached(cachetools.LRUCache(16), key=lambda _, key: key, lock=threading.Lock())
def _strokes(connection: sqlite3.Connection, key: str) -> Strokes:
    return unpack_strokes(load_blob(connection, key))
