"""Natural rock of a tank: rockscapes laid, pieces placed and deleted, rock brushed, and its rock as a mesh."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from corlume.core.keeping.rockscapes import SCAPES, ScapeKey, scape
from corlume.core.light.brush import Stroke, brushed
from corlume.core.light.brushed_rock import BrushedRock
from corlume.core.light.geometry import Tank
from corlume.core.light.natural_rock import NaturalRock
from corlume.core.light.rock_bytes import pack_mesh, pack_strokes, rock_key, unpack_strokes
from corlume.core.light.rock_mesh import RockMesh
from corlume.core.light.rock_surface import rock_surface
from corlume.core.schema import check_count
from corlume.services.keeping.tanks import check_open, check_part
from corlume.store.blobs import keep_blob
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import BRUSHED_ROCK, NATURAL_ROCKS
from corlume.store.tanks import load_tank


def lay_scape(db: Database, tank_id: int, key: ScapeKey, seed: int) -> int:
    """Add the rock of a rockscape, in one step of undo; returns how many pieces. ``InvalidInput`` when it does not
    fit.
    """
    with db.reading() as connection:
        tank = load_tank(connection, tank_id).tank
    return add_natural_rocks(db, tank_id, scape(key, tank, seed), f"add {SCAPES[key][0].lower()}")


def add_natural_rocks(db: Database, tank_id: int, rocks: Sequence[NaturalRock], label: str) -> int:
    """Add pieces with their meshes, in one step of undo; returns the id of the last one."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        check_count(Tank, "natural_rocks", len(stored.natural_rocks) + len(rocks))
        check_part(stored.tank, "natural_rocks", (*stored.tank.natural_rocks, *rocks))
        check_open(stored, replace(stored.tank, natural_rocks=(*stored.tank.natural_rocks, *rocks)), "x")
        edit, last = Edit(connection, tank_scope(tank_id), label), 0
        for rock in rocks:
            assert rock.mesh is not None
            kept = replace(rock, mesh_key=keep_blob(connection, pack_mesh(rock.mesh)))
            last = NATURAL_ROCKS.insert(edit, kept, tank_id)
    return last


def save_natural_rock(db: Database, tank_id: int, rock_id: int, rock: NaturalRock) -> None:
    """Change where and how a piece lies, its name or its noted flow; its mesh stays. ``InvalidInput`` names the
    field.
    """
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        now = stored.natural_rock(rock_id).value
        rock = replace(rock, mesh_key=now.mesh_key, mesh=now.mesh, origin=now.origin)
        others = tuple(kept.value for kept in stored.natural_rocks if kept.id != rock_id)
        check_part(stored.tank, "natural_rocks", (*others, rock))
        check_open(stored, replace(stored.tank, natural_rocks=(*others, rock)), "x")
        NATURAL_ROCKS.update(Edit(connection, tank_scope(tank_id), f"change {rock.name}"), rock_id, rock)


def delete_natural_rock(db: Database, tank_id: int, rock_id: int) -> None:
    """Delete a piece."""
    with db.writing() as connection:
        rock = load_tank(connection, tank_id).natural_rock(rock_id)
        NATURAL_ROCKS.delete(Edit(connection, tank_scope(tank_id), f"delete {rock.value.name}"), rock_id)


def brush_rock(db: Database, tank_id: int, stroke: Stroke) -> None:
    """Add a stroke of the brush, in one step of undo."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        strokes = brushed(stored.tank, stroke)
        data = pack_strokes(strokes)
        one = BrushedRock(rock_key(data), unpack_strokes(data))
        check_open(stored, replace(stored.tank, brushed_rock=(one,)), "at")
        keep_blob(connection, data)
        words = {("plan", True): "raise", ("plan", False): "lower", ("front", True): "add", ("front", False): "carve"}
        edit = Edit(connection, tank_scope(tank_id), f"{words[stroke.view, stroke.adds]} rock with the brush")
        if stored.brushed_rock:
            BRUSHED_ROCK.update(edit, stored.brushed_rock[0].id, one)
        else:
            BRUSHED_ROCK.insert(edit, one, tank_id)


def delete_strokes(db: Database, tank_id: int) -> None:
    """Delete all strokes of the brush: the rock is as it was entered."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        check_open(stored, replace(stored.tank, brushed_rock=()), "at")
        edit = Edit(connection, tank_scope(tank_id), "delete all brush strokes")
        for one in stored.brushed_rock:
            BRUSHED_ROCK.delete(edit, one.id)


def rock_as_mesh(tank: Tank) -> RockMesh:
    """The surface of all rock of a tank, x from its left pane, y from its front pane and z over its bottom [m]."""
    surface = rock_surface(tank)
    x, y, depth = surface.corners.T
    return RockMesh(np.column_stack((x, y, tank.water_depth - depth)), surface.triangles)
