"""Backups of all data, saved and restored from the tanks page."""

from __future__ import annotations

import datetime
import hashlib
import shutil
import tempfile
import weakref
from collections.abc import Iterator
from pathlib import Path

from fastapi import APIRouter, FastAPI, Request
from fastapi.responses import HTMLResponse, Response, StreamingResponse

from corlume.services.keeping import backup, daily_copies
from corlume.store.database import Database, Unusable
from corlume.store.tables import NotFound
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

    name = f"corlume-{datetime.datetime.now(datetime.UTC):%Y-%m-%d-%H%M}.db"
    headers = {"Content-Disposition": f'attachment; filename="{name}"', "Content-Length": str(copy.stat().st_size)}
    return StreamingResponse(pieces(), media_type="application/vnd.sqlite3", headers=headers)


@router.post("/restore", response_model=None)
def restore(request: Request, db: Db, sent: Files) -> HTMLResponse | Response:
    """Show what a backup would change, and keep it at hand; or, once that is agreed to, restore it in place of all
    data.
    """
    data, agreed = sent.files.get("file", b""), sent.texts.get("agreed") == "on"
    looked = _Looked.of(request.app)
    if data:
        looked.file.write_bytes(data)
    elif not agreed:
        return show_tanks(request, db, faults=["No file was chosen, or it is empty."])
    elif not looked.holds(sent.texts.get("key", "")):
        return show_tanks(request, db, faults=["The backup is not at hand any more: choose it again."])
    answer = _restored(request, db, looked.file, agreed=agreed, key=looked.key())
    if agreed:
        looked.file.unlink(missing_ok=True)
    return answer


class _Looked:
    """The backup that was looked at last, in a folder that goes with the process."""

    def __init__(self) -> None:
        folder = tempfile.mkdtemp(prefix="corlume-")
        weakref.finalize(self, shutil.rmtree, folder, ignore_errors=True)
        self.file = Path(folder) / "the file"

    @classmethod
    def of(cls, app: FastAPI) -> _Looked:
        """That of an application."""
        if not hasattr(app.state, "looked"):
            app.state.looked = cls()
        looked: _Looked = app.state.looked
        return looked

    def key(self) -> str:
        """The hash of the backup, by which a page says which one it showed."""
        with self.file.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()

    def holds(self, key: str) -> bool:
        """Whether it is the backup of a key."""
        return self.file.exists() and self.key() == key


@router.get("/restore/{day}", response_model=None)
def show_copy(request: Request, db: Db, day: datetime.date) -> HTMLResponse | Response:
    """Show what a daily copy would change."""
    return _restored(request, db, _copy_of(db, day), agreed=False, day=day)


@router.post("/restore/{day}", response_model=None)
def restore_copy(request: Request, db: Db, day: datetime.date) -> HTMLResponse | Response:
    """Restore a daily copy in place of all data."""
    return _restored(request, db, _copy_of(db, day), agreed=True, day=day)


def _copy_of(db: Database, day: datetime.date) -> Path:
    path = daily_copies.copies(db).get(day)
    if path is None:
        raise NotFound(f"no copy of {day.isoformat()}")
    return path


def _restored(
    request: Request, db: Database, file: Path, *, agreed: bool, day: datetime.date | None = None, key: str = ""
) -> HTMLResponse | Response:
    try:
        if not agreed:
            return page(request, "keeping/restore.html", {"change": backup.compare(db, file), "day": day, "key": key})
        held, kept = backup.restore(db, file)
    except Unusable as error:
        return show_tanks(request, db, faults=[str(error).replace(str(file), "The file")])
    return page(request, "keeping/restored.html", {"held": held, "kept": kept.name})
