"""Rock on a tank's page: blocks, natural pieces, the brush, and all of it as a file."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import replace
from typing import Any, Literal, TypeVar

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from pydantic import BaseModel, Field, RootModel

from corlume.core.keeping.rock_outline import strips_of
from corlume.core.light.brush import Stroke
from corlume.core.light.geometry import Rock, Tank
from corlume.core.light.natural_rock import NaturalRock
from corlume.formats.scan_file import write_ply, write_stl
from corlume.services.keeping import natural_rock, tanks
from corlume.web.forms.dragged import BoxShape, Measured
from corlume.web.forms.form import Form
from corlume.web.pages.keeping.tank import new_seed, part_answer, read_scape, save_typed
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go

router = APIRouter()
P = TypeVar("P", Rock, NaturalRock)
PieceShape = RootModel[dict[Literal["x", "y", "base", "turn"], Measured]]
"""Changed place of a piece [m] and its turn [rad]."""


@router.post("/tanks/{tank_id}/scape")
def lay_scape(
    request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Add the rock of a rockscape, to be dragged and brushed from there."""
    form, stored = Form(data, measure), tanks.open_tank(db, tank_id)
    key = read_scape(form)
    if form.ok:
        form.attempt(lambda: natural_rock.lay_scape(db, tank_id, key, new_seed()))
    return part_answer(request, stored, form, "rock", None, setup)


class DrawnBlock(BaseModel):
    """A rectangle drawn over a view, from its upper left corner [m]."""

    view: Literal["plan", "front"]
    start: tuple[Measured, Measured]
    end: tuple[Measured, Measured]

    def rock(self, tank: Tank, number: int) -> Rock:
        """Block of the rectangle; drawn in plan a third of the water high, else a third of the tank deep."""
        (u0, u1), (v0, v1) = (sorted((self.start[k], self.end[k])) for k in (0, 1))
        name, plan = f"Rock {number}", self.view == "plan"
        y, width = (tank.width - v1, v1 - v0) if plan else (tank.width / 3, tank.width / 3)
        base, height = (0.0, tank.water_depth / 3) if plan else (max(0.0, tank.water_depth - v1), v1 - v0)
        x, length = u0, u1 - u0
        x, y, base, length, width, height = (round(value, 3) for value in (x, y, base, length, width, height))
        return Rock(x, y, base, length, width, height, name)


@router.post("/tanks/{tank_id}/rocks/draw")
def draw_block(db: Db, tank_id: RowId, body: DrawnBlock) -> JSONResponse:
    """Add a rock as drawn."""
    stored = tanks.open_tank(db, tank_id)
    return JSONResponse({"saved": tanks.save_rock(db, tank_id, None, body.rock(stored.tank, len(stored.rocks) + 1))})


class DrawnOutline(BaseModel):
    """A freehand outline on a view: places from its upper left corner [m]."""

    view: Literal["plan", "front"]
    points: list[tuple[Measured, Measured]] = Field(min_length=3, max_length=4000)

    def rocks(self, tank: Tank, number: int) -> list[Rock]:
        """Blocks that fill the outline, as deep or as high as a ``DrawnBlock``; close to the bottom in the front view
        they stand on it.
        """
        found = []
        for k, (u0, u1, v0, v1) in enumerate(strips_of(self.points), 1):
            drawn = DrawnBlock(view=self.view, start=(u0, v0), end=(u1, v1)).rock(tank, number)
            if self.view == "front" and drawn.base < tank.sand + STANDS:
                drawn = replace(drawn, base=0.0, height=round(drawn.height + drawn.base, 3))
            found.append(replace(drawn, name=f"Drawn {number}.{k}"))
        return found


STANDS = 0.02
"""What was drawn so near to the sand is meant to stand on the bottom [m]."""


@router.post("/tanks/{tank_id}/rocks/outline")
def draw_outline(db: Db, tank_id: RowId, body: DrawnOutline) -> JSONResponse:
    """Add the rock of an outline, in one step of undo."""
    stored = tanks.open_tank(db, tank_id)
    rocks = body.rocks(stored.tank, len(stored.rocks) + 1)
    return JSONResponse({"saved": tanks.add_rocks(db, tank_id, rocks)})


class BrushStroke(BaseModel):
    """A stroke on a view: places from its upper left corner [m]; see ``Stroke``."""

    view: Literal["plan", "front"]
    points: list[tuple[Measured, Measured]] = Field(min_length=1, max_length=4000)
    adds: bool
    radius: Measured
    softness: Measured
    by: Measured
    at: Measured

    def stroke(self, width: float) -> Stroke:
        """The stroke in a tank of an inside width [m]."""
        plan = self.view == "plan"
        places = [(u, width - v if plan else v) for u, v in self.points]
        return Stroke(self.view, places, self.adds, self.radius, self.softness, self.by, self.at)


@router.post("/tanks/{tank_id}/rocks/brush")
def brush(db: Db, tank_id: RowId, body: BrushStroke) -> JSONResponse:
    """Raise, lower, add or carve rock along a stroke."""
    natural_rock.brush_rock(db, tank_id, body.stroke(tanks.open_tank(db, tank_id).tank.width))
    return JSONResponse({"saved": 1})


@router.post("/tanks/{tank_id}/rocks")
@router.post("/tanks/{tank_id}/rocks/{rock_id}")
def save_block(
    request: Request,
    db: Db,
    measure: Unit,
    tank_id: RowId,
    data: FormData,
    rock_id: RowId | None = None,
    setup: Looked = None,
) -> Response:
    """Add or change a rock."""
    form, stored = Form(data, measure), tanks.open_tank(db, tank_id)
    rock = form.read(Rock, stored.rock(rock_id).value if rock_id else None)
    save_typed(form, rock, lambda typed: tanks.save_rock(db, tank_id, rock_id, typed))
    return part_answer(request, stored, form, "rock", rock_id, setup)


@router.post("/tanks/{tank_id}/rocks/{rock_id}/shape")
def shape_block(db: Db, tank_id: RowId, rock_id: RowId, body: BoxShape) -> JSONResponse:
    """Move or resize a rock by hand."""
    rock = tanks.open_tank(db, tank_id).rock(rock_id).value
    tanks.save_rock(db, tank_id, rock_id, _reshaped(rock, body.root))
    return JSONResponse({"saved": rock_id})


@router.post("/tanks/{tank_id}/rocks/{rock_id}/remove")
def remove_block(db: Db, tank_id: RowId, rock_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a rock."""
    tanks.delete_rock(db, tank_id, rock_id)
    return go(f"/tanks/{tank_id}#rock", setup)


@router.post("/tanks/{tank_id}/natural-rocks/{rock_id}")
def save_piece(
    request: Request, db: Db, measure: Unit, tank_id: RowId, rock_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Change where and how a piece lies."""
    form, stored = Form(data, measure), tanks.open_tank(db, tank_id)
    rock = form.read(NaturalRock, stored.natural_rock(rock_id).value)
    save_typed(form, rock, lambda typed: natural_rock.save_natural_rock(db, tank_id, rock_id, typed))
    return part_answer(request, stored, form, "natural-rock", rock_id, setup)


@router.post("/tanks/{tank_id}/natural-rocks/{rock_id}/shape")
def move_piece(db: Db, tank_id: RowId, rock_id: RowId, body: PieceShape) -> JSONResponse:
    """Move or turn a piece by hand."""
    rock = tanks.open_tank(db, tank_id).natural_rock(rock_id).value
    natural_rock.save_natural_rock(db, tank_id, rock_id, _reshaped(rock, body.root))
    return JSONResponse({"saved": rock_id})


@router.post("/tanks/{tank_id}/natural-rocks/{rock_id}/remove")
def remove_piece(db: Db, tank_id: RowId, rock_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a piece."""
    natural_rock.delete_natural_rock(db, tank_id, rock_id)
    return go(f"/tanks/{tank_id}#rock", setup)


@router.post("/tanks/{tank_id}/brush/remove")
def remove_strokes(db: Db, tank_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete all strokes of the brush."""
    natural_rock.delete_strokes(db, tank_id)
    return go(f"/tanks/{tank_id}#rock", setup)


@router.get("/tanks/{tank_id}/rock.{form}")
def export_rock(db: Db, tank_id: RowId, form: Literal["ply", "stl"]) -> Response:
    """The surface of all rock as a mesh."""
    stored = tanks.open_tank(db, tank_id)
    mesh = natural_rock.rock_as_mesh(stored.tank)
    name = re.sub(r"[^a-z0-9]+", "-", stored.name.lower()).strip("-") or "tank"
    headers = {"Content-Disposition": f'attachment; filename="{name}-rock.{form}"'}
    data = write_ply(mesh) if form == "ply" else write_stl(mesh)
    return Response(data, media_type="application/octet-stream", headers=headers)


def _reshaped(part: P, change: Mapping[Any, float]) -> P:
    """A part with measures changed by hand [m], or its turn [rad]."""
    measures: dict[str, Any] = {str(name): value for name, value in change.items()}
    return replace(part, **measures)
