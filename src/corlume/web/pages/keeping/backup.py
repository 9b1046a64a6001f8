"""Backups of all data, saved and restored from the tanks page."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response, StreamingResponse

from corlume.services.keeping import backup
from corlume.store.database import Unusable
from corlume.web.pages.keeping.tanks import show_tanks
from corlume.web.request.page import Db, Files, page

router = APIRouter()
PIECE = 1_000_000


@router.get("/backup")
def save(db: Db) -> Response:
    """All data in one file: all tanks, the fixture library and all steps of undo."""
    folder = tempfile.TemporaryDirectory(prefix="corlume-")
    try:
        copy = Path(folder.name) / "copy.db"
        backup.backup(db, copy)
    except BaseException:
        folder.cleanup()
        raise

    def pieces() -> Iterator[bytes]:
        with folder, copy.open("rb") as file:
            while piece := file.read(PIECE):
                yield piece

    name = f"corlume-{datetime.now(UTC):%Y-%m-%d-%H%M}.db"
    headers = {"Content-Disposition": f'attachment; filename="{name}"', "Content-Length": str(copy.stat().st_size)}
    return StreamingResponse(pieces(), media_type="application/vnd.sqlite3", headers=headers)


@router.post("/restore", response_model=None)
def restore(request: Request, db: Db, sent: Files) -> HTMLResponse | Response:
    """Restore a backup in place of all data, which stay in a file beside it."""
    data = sent.files.get("file", b"")
    if not data:
        return show_tanks(request, db, faults=["No file was chosen, or it is empty."])
    if sent.texts.get("agreed") != "on":
        words = 'Tick "Replace all tanks, fixtures and undo" first. Nothing was changed.'
        return show_tanks(request, db, faults=[words])
    with tempfile.TemporaryDirectory(prefix="corlume-") as folder:
        copy = Path(folder) / "the file"
        copy.write_bytes(data)
        try:
            held, kept = backup.restore(db, copy)
        except Unusable as error:
            return show_tanks(request, db, faults=[str(error).replace(str(copy), "The file")])
    return page(request, "keeping/restored.html", {"held": held, "kept": kept.name})
