"""The database file: connections, pragmas, and errors when it cannot be used."""

from __future__ import annotations

import os
import sqlite3
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from contextvars import ContextVar
from functools import cache
from pathlib import Path
from threading import Lock
from typing import Any, TypeVar, cast

from corlume.store.migrations import migrate, newest_known, pending
from corlume.store.tables import missing_columns

T = TypeVar("T")
PATIENCE = 10.0
"""How long a write waits for another program's to end [s]."""
KEPT = 16
"""Things that are kept as they were read while nothing is written."""
COMMITS: ContextVar[list[frozenset[str]] | None] = ContextVar("commits", default=None)
"""The tables that were written to by each commit while a face worked that wants to know; None when nobody asks."""
_WRITES = (sqlite3.SQLITE_INSERT, sqlite3.SQLITE_UPDATE, sqlite3.SQLITE_DELETE)


class Unusable(Exception):
    """Raised with words for the keeper when the database cannot be opened, read or written."""


_TROUBLE = {
    sqlite3.SQLITE_FULL: "the disk is full",
    sqlite3.SQLITE_READONLY: "the file or its folder may only be read",
    sqlite3.SQLITE_CANTOPEN: "the file or its folder cannot be opened",
    sqlite3.SQLITE_PERM: "the file or its folder may not be used",
    sqlite3.SQLITE_IOERR: "the disk answers with errors",
    sqlite3.SQLITE_BUSY: "another program holds it; try again in a moment",
    sqlite3.SQLITE_CORRUPT: "the file is damaged: restore a backup",
    sqlite3.SQLITE_NOTADB: "the file is not a database of Corlume",
    sqlite3.SQLITE_TOOBIG: "a text or number in it is larger than it may be",
}


def trouble(error: sqlite3.Error) -> str | None:
    """What is wrong with the file or the disk, in words; None for any other error."""
    code = getattr(error, "sqlite_errorcode", None)
    return None if code is None else _TROUBLE.get(code & 0xFF)


class Database:
    """A SQLite file. Every use opens its own connection, so that any thread can call it."""

    def __init__(self, path: Path) -> None:
        """Open or create a database; a foreign, damaged or newer file is not touched: ``Unusable``."""
        self.path = path
        self._watching, self._watcher = Lock(), cast(sqlite3.Connection | None, None)
        self._kept: dict[object, tuple[int, Any]] = {}
        self._owner, self._writes = 0, Counter[str]()
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            with suppress(FileExistsError):
                create_file(path)
            os.chmod(path, 0o600)
            fresh = path.stat().st_size == 0
        except OSError as error:
            raise Unusable(f"{path} cannot be used: {error.strerror or error}.") from error
        try:
            if not fresh:
                check_file(path)
                self._copy_before_migration()
            with self._connection() as connection:
                connection.execute("PRAGMA journal_mode = WAL")  # stays with the file
                migrate(connection)
                lacking = missing_columns(connection)
            if lacking:
                raise RuntimeError(f"no migration adds {', '.join(lacking)}")
        except sqlite3.Error as error:
            raise Unusable(f"{path} cannot be used: {trouble(error) or error}.") from error
        except RuntimeError as error:
            raise Unusable(f"{path} does not go with this Corlume: {error}.") from error

    @contextmanager
    def reading(self) -> Iterator[sqlite3.Connection]:
        """A read-only connection with one view of the data from start to end."""
        try:
            with self._connection() as connection:
                connection.execute("PRAGMA query_only = ON")
                connection.execute("BEGIN")
                yield connection
        except sqlite3.Error as error:
            raise _told(error, "Not read") from error

    @contextmanager
    def writing(self, *, patience: float = PATIENCE) -> Iterator[sqlite3.Connection]:
        """A transaction: committed to the disk when the block ends, rolled back when it raises.

        ``Unusable`` when another program still writes after ``patience`` [s].
        """
        written = set[str]()

        def note(action: int, table: str | None, *_: object) -> int:
            if action in _WRITES and table:
                written.add(table)
            return sqlite3.SQLITE_OK

        try:
            with self._connection(patience) as connection:
                connection.set_authorizer(note)
                connection.execute("BEGIN IMMEDIATE")
                try:
                    yield connection
                    connection.commit()
                except BaseException:
                    if connection.in_transaction:
                        connection.rollback()
                    raise
        except sqlite3.Error as error:
            raise _told(error, "Not kept") from error
        with self._watching:
            self._writes.update(written)
        commits = COMMITS.get()
        if commits is not None:
            commits.append(frozenset(written))

    @contextmanager
    def rehearsing(self) -> Iterator[sqlite3.Connection]:
        """A transaction that is rolled back when the block ends: to see what the data were, or would be."""
        try:
            with self._connection() as connection:
                connection.execute("BEGIN IMMEDIATE")
                try:
                    yield connection
                finally:
                    connection.rollback()
        except sqlite3.Error as error:
            raise _told(error, "Not read") from error

    def unchanged(self, key: object, read: Callable[[sqlite3.Connection], T]) -> T:
        """Value read before under a key, while nobody has written to the database since; else it is read again."""
        version = self._version()
        with self._watching:
            kept = self._kept.get(key)
        if kept is None or kept[0] != version:
            # a write between the two is read already, and read again the next time
            with self.reading() as connection:
                kept = version, read(connection)
            with self._watching:
                if len(self._kept) >= KEPT:
                    self._kept.clear()
                self._kept[key] = kept
        return cast(T, kept[1])

    def times_written(self, table: str) -> int:
        """How often this program has written to a table."""
        return self._writes[table]

    def _version(self) -> int:
        """A number that changes with every write to the database, by this program or another."""
        try:
            with self._watching:
                if self._watcher is None or self._owner != os.getpid():  # a connection is not for a forked child
                    self._watcher = sqlite3.connect(self.path, timeout=PATIENCE, check_same_thread=False)
                    self._owner = os.getpid()
                return int(self._watcher.execute("PRAGMA data_version").fetchone()[0])
        except sqlite3.Error as error:
            raise _told(error, "Not read") from error

    def __del__(self) -> None:
        if (watcher := getattr(self, "_watcher", None)) is not None:
            watcher.close()

    @contextmanager
    def _connection(self, patience: float = PATIENCE) -> Iterator[sqlite3.Connection]:
        connection = sqlite3.connect(self.path, timeout=patience, isolation_level=None)
        try:
            connection.row_factory = sqlite3.Row
            for pragma in _pragmas():
                connection.execute(pragma)
            yield connection
        finally:
            connection.close()

    def _copy_before_migration(self) -> None:
        """Copy an older database to a file beside it before it is migrated."""
        with self._connection() as connection:
            waiting = pending(connection)
        if waiting:
            copy_file(self.path, self.path.with_name(f"{self.path.name}.before-{waiting[0]:04d}"))


@cache
def _pragmas() -> tuple[str, ...]:
    """Pragmas of each connection: foreign keys are enforced, and a commit is on the disk when it ends."""
    with closing(sqlite3.connect(":memory:")) as connection:
        full = connection.execute("PRAGMA synchronous").fetchone()[0] == 2
    return ("PRAGMA foreign_keys = ON", *["PRAGMA synchronous = FULL"] * (not full))


def _told(error: sqlite3.Error, prefix: str) -> Exception:
    """The error in words, or unchanged when it is a bug of ours."""
    words = trouble(error)
    return Unusable(f"{prefix}: {words}.") if words else error


def check_file(path: Path) -> None:
    """Raise ``Unusable`` unless a file is a whole database of ours, of this version or an older one."""
    if path.stat().st_size == 0:
        raise Unusable(f"{path} is empty.")
    try:
        with closing(sqlite3.connect(path, timeout=PATIENCE)) as connection:
            _check_form(path, connection)
    except sqlite3.DatabaseError as error:
        raise Unusable(f"{path} cannot be used: {trouble(error) or error}.") from error


def _check_form(path: Path, connection: sqlite3.Connection) -> None:
    if [row[0] for row in connection.execute("PRAGMA quick_check(3)")] != ["ok"]:
        raise Unusable(f"{path} is damaged: restore a backup.")
    tables = {row[0] for row in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    if not tables:
        return
    if not {"migrations", "tanks"} <= tables and tables != {"migrations"}:
        raise Unusable(f"{path} is a database of another program.")
    newest = connection.execute("SELECT max(number) FROM migrations").fetchone()[0] or 0
    if newest > newest_known():
        raise Unusable(
            f"{path} was written by a newer Corlume (its form is {newest}, this one knows {newest_known()}): "
            "use that one."
        )


def create_file(path: Path) -> None:
    """Create an empty file that only its owner can read; SQLite's side files take the same rights.

    This is the one place that opens a database file other than through SQLite, and the file is new: POSIX drops all
    locks of a process on a file when any descriptor on it is closed, SQLite's among them, and another program could
    then remove the write-ahead log of a running server.

    Raises
    ------
    FileExistsError : the file exists.
    """
    os.close(os.open(path, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600))


def copy_file(source: Path, target: Path) -> None:
    """Copy a database while it is in use, into one file that only its owner can read; an old target is replaced.

    ``Unusable`` when the target cannot be written; what was there then stays.
    """
    part = target.with_name(f"{target.name}.part")
    try:
        part.unlink(missing_ok=True)
        create_file(part)
        pour(source, part)
        with closing(sqlite3.connect(part)) as connection:
            connection.execute("PRAGMA journal_mode = DELETE")  # one file, with nothing beside it
        os.replace(part, target)
    except OSError as error:
        raise Unusable(f"{target} cannot be written: {error.strerror or error}.") from error
    except sqlite3.Error as error:
        raise Unusable(f"{target} cannot be written: {trouble(error) or error}.") from error
    finally:
        part.unlink(missing_ok=True)


def pour(source: Path, target: Path) -> None:
    """Replace one database with another of its page size by SQLite's backup: whole or not at all."""
    giver, taker = (sqlite3.connect(path, timeout=PATIENCE) for path in (source, target))
    with closing(giver), closing(taker):
        giver.backup(taker)


def match_page_size(path: Path, like: Path) -> None:
    """Rewrite a database with the page size of another, which a backup into a write-ahead log needs."""
    model, connection = (sqlite3.connect(one, timeout=PATIENCE, isolation_level=None) for one in (like, path))
    with closing(model), closing(connection):
        wanted, now = (int(c.execute("PRAGMA page_size").fetchone()[0]) for c in (model, connection))
        if wanted != now:
            connection.execute("PRAGMA journal_mode = DELETE")
            connection.execute(f"PRAGMA page_size = {wanted}")
            connection.execute("VACUUM")
