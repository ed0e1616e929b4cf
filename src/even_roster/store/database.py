"""Opens the database file: WAL mode, foreign keys, one writer at a time, migrations at start after a copy is made."""

from __future__ import annotations

import json
import shutil
import sqlite3
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from typing import Any

from pydantic_core import from_json
from sqlalchemy import Connection, Engine, create_engine, create_mock_engine, event, insert, inspect, select, text
from sqlalchemy.dialects import sqlite
from sqlalchemy.exc import OperationalError

from . import calling_tables, fitting_tables, past_tables, switch_tables, wiring_tables
from .one_lock import OneLock
from .tables import metadata, sites

_MIGRATIONS = Path(__file__).parent / "migrations"


@cache
def _definitions() -> tuple[str, ...]:
    """The statements that define all tables and indexes; worked out once for all files of a process."""
    found: list[str] = []
    dialect = sqlite.dialect()
    told = create_mock_engine("sqlite://", lambda words, *_: found.append(str(words.compile(dialect=dialect))))
    metadata.create_all(told, checkfirst=False)
    return tuple(found)


class StoreError(RuntimeError):
    """The database cannot be used; the message says which file and why."""


class DiskFull(StoreError):
    """There is no room for a write; nothing of it was kept, and what was there stays readable."""


_NO_ROOM = ("disk is full", "disk i/o error", "no space left")
_TABLES = calling_tables, fitting_tables, past_tables, switch_tables, wiring_tables
"""The modules of tables beside `tables`: a new file has theirs only when they were imported."""


class Database:
    """One SQLite file. Reads run side by side; writes go one after the other through `write`. `trouble` says why the last
    write could not be made, and is empty again after one that could."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.trouble = ""
        self._writing = OneLock("the right to write the records")
        self._when_stored: list[Callable[[], None]] = []
        # More connections than the service has threads: nobody waits for one.
        self.engine: Engine = create_engine(
            f"sqlite:///{path}", connect_args={"check_same_thread": False, "timeout": 15}, pool_size=12, max_overflow=60,
            json_deserializer=_read,
        )  # fmt: skip
        event.listen(self.engine, "connect", _prepare)
        try:
            self._migrate()
        except Exception as error:
            self.engine.dispose()
            if isinstance(error, StoreError):
                raise
            raise StoreError(f"{path} is not a usable roster: {error}") from error

    @contextmanager
    def read(self) -> Iterator[Connection]:
        """A connection for reading."""
        with self.engine.connect() as connection:
            yield connection

    @contextmanager
    def write(self) -> Iterator[Connection]:
        """A transaction for writing: all of it or nothing. Only one is open at a time, so nobody else writes between what is
        read in it and what is written. Raises DiskFull."""
        with self._writing, self.engine.connect() as connection:
            self._when_stored = []
            before = _changes(connection)
            try:
                connection.exec_driver_sql("BEGIN IMMEDIATE")
                yield connection
                connection.commit()
                if _changes(connection) != before:  # a transaction that wrote nothing does not show that there is room
                    self.trouble = ""
            except OperationalError as error:
                connection.rollback()
                if any(sign in str(error.orig).lower() for sign in _NO_ROOM):
                    self.trouble = (
                        f"the disk that holds {self.path} is full: free some space, the service goes on by itself"
                    )
                    raise DiskFull(self.trouble) from error
                raise
            except BaseException:
                connection.rollback()
                raise
            for swap in self._when_stored:
                swap()

    def when_stored(self, swap: Callable[[], None]) -> None:
        """Within `write`: call this when all is stored, before anybody else writes. It puts a new picture of the records in the
        place of the old one, and does nothing else."""
        self._when_stored.append(swap)

    def check(self) -> bool:
        """True when the database answers."""
        with self.read() as connection:
            return connection.execute(select(text("1"))).scalar() == 1

    def close(self) -> None:
        """Close all connections; the WAL is folded into the file."""
        self.engine.dispose()

    def _migrate(self) -> None:
        known = sorted(path.name.partition("_")[0] for path in (_MIGRATIONS / "versions").glob("[0-9]*.py"))
        with self.engine.connect() as connection:
            stamped = inspect(connection).has_table("alembic_version")
            current = connection.execute(text("SELECT version_num FROM alembic_version")).scalar() if stamped else None
            empty = not inspect(connection).get_table_names()
        if current == known[-1]:
            return
        if empty:
            self._create(known[-1])
            return
        if current is not None:
            if current not in known:
                raise StoreError(f"{self.path} was written by a newer version (revision {current}); use that version")
            self._copy(current)
        self._upgrade()

    def _create(self, revision: str) -> None:
        """A new file as all migrations would leave it; a test compares the two."""
        with self.engine.connect() as connection:
            connection.exec_driver_sql("BEGIN IMMEDIATE")
            for words in _definitions():
                connection.exec_driver_sql(words)
            connection.execute(insert(sites).values(id=1, version=1, name="This site", here=True, notes=""))
            connection.exec_driver_sql(
                "CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL, "
                "CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num))"
            )
            connection.execute(text("INSERT INTO alembic_version VALUES (:revision)"), {"revision": revision})
            connection.commit()

    def _upgrade(self) -> None:
        from alembic import command  # as large as it is, and wanted once in the life of a roster's version
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(_MIGRATIONS))
        with self.engine.connect() as connection:
            config.attributes["connection"] = connection
            connection.exec_driver_sql(
                "BEGIN IMMEDIATE"
            )  # all steps or none: one that is cut off is done again from its beginning
            command.upgrade(config, "head")
            connection.commit()

    def _copy(self, revision: str) -> None:
        """A copy of the file as it was, by SQLite's online backup."""
        folder = self.path.parent / "backups"
        folder.mkdir(exist_ok=True, mode=0o700)
        target = folder / f"before-migration-{revision}-{time.strftime('%Y%m%d-%H%M%S', time.gmtime())}.db"
        with sqlite3.connect(self.path) as source, sqlite3.connect(target) as copy:
            source.backup(copy)
        shutil.copymode(self.path, target)


def _read(text: str) -> Any:
    """A JSON column, quickly, where every row of a list has some; what only the standard library takes (half of a surrogate pair,
    say) by that."""
    try:
        return from_json(text)
    except ValueError:
        return json.loads(text)


def _changes(connection: Connection) -> int:
    """How many rows a connection has changed in all."""
    driver: Any = connection.connection.driver_connection
    return int(driver.total_changes)


def _prepare(connection: Any, _record: Any) -> None:
    """Transactions are begun by us, not guessed by the driver."""
    connection.isolation_level = None
    for pragma in (
        "journal_mode=WAL",
        "synchronous=NORMAL",
        "foreign_keys=ON",
        "busy_timeout=15000",
        "cache_size=-32000",
    ):
        connection.execute(f"PRAGMA {pragma}")
