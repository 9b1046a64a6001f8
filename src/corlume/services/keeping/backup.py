"""Back up all data into one file while it is in use, check a backup, and restore one."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from itertools import count
from pathlib import Path
from sqlite3 import connect

from corlume.store.database import Database, Unusable, check_file, copy_file, match_page_size, pour
from corlume.store.devices import keep_devices
from corlume.store.tables import OWN_FIXTURES
from corlume.store.tanks import list_tanks


@dataclass(frozen=True, slots=True)
class Contents:
    """Contents of a backup: names of its tanks and of those that cannot be opened, own fixtures, and steps of undo."""

    tanks: tuple[str, ...]
    faulty: tuple[str, ...]
    fixtures: int
    edits: int


def backup(db: Database, target: Path) -> Contents:
    """Write all data into one new file while in use, and verify it; ``Unusable`` says why not."""
    if target.exists():
        raise Unusable(f"{target} is there already: choose another name, so that no older copy is lost.")
    copy_file(db.path, target)
    return verify(target)


def verify(file: Path) -> Contents:
    """Verify a backup from end to end as this version would; ``Unusable`` says what is wrong. The file stays."""
    with _current_copy(file) as copy:
        return contents(copy)


@contextmanager
def _current_copy(file: Path) -> Iterator[Database]:
    """A verified copy of a backup in a folder of its own, migrated to this version."""
    try:
        check_file(file)
    except OSError as error:
        raise Unusable(f"{file} cannot be read: {error.strerror or error}.") from error
    with tempfile.TemporaryDirectory(prefix="corlume-") as folder:
        copy = Path(folder) / "copy.db"
        pour(file, copy)
        with closing(connect(copy)) as connection:
            torn = connection.execute("PRAGMA foreign_key_check").fetchone()
            if torn or connection.execute("PRAGMA integrity_check(1)").fetchone()[0] != "ok":
                raise Unusable(f"{file} is damaged.")
        yield Database(copy)


@dataclass(frozen=True, slots=True)
class Change:
    """What a restore would change: tanks that come back, go, or stay with other data, and the latest edit of each side.

    ``newer`` says whether the data of now were edited after those of the backup.
    """

    back: tuple[str, ...]
    gone: tuple[str, ...]
    other: tuple[str, ...]
    held: Contents
    last_held: str
    last_now: str

    @property
    def newer(self) -> bool:
        """Whether something was changed since the backup."""
        return self.last_now > self.last_held


def compare(db: Database, file: Path) -> Change:
    """What restoring a backup would change; nothing is changed. ``Unusable`` says what is wrong with the file."""
    with _current_copy(file) as copy:
        held, now = (_fingerprints(one) for one in (copy, db))
        last_held, last_now = (_last_edit(one) for one in (copy, db))
        both = held.keys() & now.keys()
        return Change(
            tuple(sorted(held.keys() - now.keys())),
            tuple(sorted(now.keys() - held.keys())),
            tuple(sorted(name for name in both if held[name] != now[name])),
            contents(copy),
            last_held,
            last_now,
        )


def _fingerprints(db: Database) -> dict[str, object]:
    """What every tank holds, by its name."""
    with db.reading() as connection:
        found, faulty = list_tanks(connection)
        return {one.name: one.scene() for one in found} | {one.name: one.faults for one in faulty}


def _last_edit(db: Database) -> str:
    """When a database was edited last, in UTC; empty when never."""
    with db.reading() as connection:
        return str(connection.execute("SELECT coalesce(max(at), '') FROM edits").fetchone()[0])


def contents(db: Database) -> Contents:
    """Contents of a database."""
    with db.reading() as connection:
        found, faulty = list_tanks(connection)
        return Contents(
            tanks=tuple(one.name for one in found),
            faulty=tuple(one.name for one in faulty),
            fixtures=len(OWN_FIXTURES.load(connection)),
            edits=connection.execute("SELECT count(*) FROM edits").fetchone()[0],
        )


def restore(db: Database, file: Path) -> tuple[Contents, Path]:
    """Restore a backup in place of all data; the data before it stay in a file beside it, whose path is returned.

    The copy is verified and brought up to date first, so that what is put in place is whole and of this version's
    form. Paired devices are not part of it: those that are paired now stay, and one that was unpaired stays out.
    ``Unusable`` says what is wrong; then nothing has changed.
    """
    asides = (db.path.with_name(f"{db.path.name}.before-restore-{n}") for n in count(1))
    kept = next(aside for aside in asides if not aside.exists())
    with _current_copy(file) as copy:
        held = contents(copy)
        with db.reading() as now, copy.writing() as connection:
            keep_devices(now, connection)
        match_page_size(copy.path, db.path)
        copy_file(db.path, kept)
        pour(copy.path, db.path)
    return held, kept
