"""The journal: what happened, append-only, intent before act and result after.

SQLite in WAL mode with synchronous FULL, through SQLAlchemy Core so that another database can stand in its
place. One thread writes, many entries a commit; `write` returns when the entry is on disk, `note` does not
wait. Nothing is ever updated or deleted; a device's state is a fold over its entries.
"""

from __future__ import annotations

import asyncio
import json
import queue
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import sqlalchemy as sql

from zinger.store.entries import Entry, JournalError

_TABLES = sql.MetaData()
_ENTRIES = sql.Table(
    "entries",
    _TABLES,
    sql.Column("id", sql.Integer, primary_key=True, autoincrement=True),
    sql.Column("at", sql.Float, nullable=False),
    sql.Column("device", sql.Text, nullable=False),
    sql.Column("kind", sql.Text, nullable=False),
    sql.Column("data", sql.Text, nullable=False),
)


def _read(text: Any) -> dict[str, Any] | None:
    """The data of an entry; None for what no Zinger wrote: a journal is data from somebody else too."""
    try:
        data = json.loads(text)
    except (ValueError, TypeError, RecursionError):
        return None
    return data if isinstance(data, dict) else None


class Journal:
    """An open journal; close it to be sure that all notes are on disk."""

    def __init__(self, file: Path) -> None:
        self.file = file
        self.kept_aside: Path | None = None
        """Where a damaged journal was moved to, if there was one."""
        try:
            self._open()
        except sql.exc.DatabaseError as error:
            self._engine.dispose()
            self._set_aside(error)
            self._open()
        self._queue: queue.Queue[tuple[dict[str, Any], asyncio.Future[None] | None] | None] = queue.Queue()
        self._failure: Exception | None = None
        self._thread = threading.Thread(target=self._drain, name="journal", daemon=True)
        self._thread.start()

    def _open(self) -> None:
        self._engine = sql.create_engine(f"sqlite:///{self.file}")
        with self._engine.connect() as db:
            for pragma in ("journal_mode=WAL", "synchronous=FULL"):
                db.exec_driver_sql(f"PRAGMA {pragma}")
            if db.exec_driver_sql("PRAGMA quick_check").scalar() != "ok":
                raise sql.exc.DatabaseError("quick_check", None, ValueError("the file is damaged"))
            _TABLES.create_all(db)
            db.execute(sql.select(_ENTRIES).limit(1)).all()
            db.commit()

    def _set_aside(self, error: Exception) -> None:
        cause = str(getattr(error, "orig", error))
        if not self.file.exists() or "readonly" in cause or "unable to open" in cause:
            raise JournalError(f"{self.file} can't be opened: {cause}") from None
        aside = self.file.with_name(f"{self.file.name}.damaged-{time.strftime('%Y%m%d-%H%M%S')}")
        self.file.rename(aside)
        for extra in ("-wal", "-shm"):
            rest = self.file.with_name(self.file.name + extra)
            if rest.exists():
                rest.rename(aside.with_name(aside.name + extra))
        self.kept_aside = aside

    def _drain(self) -> None:
        """The writing thread: everything that waits goes into one commit."""
        closing = False
        while not closing:
            batch = [self._queue.get()]
            while not self._queue.empty():
                batch.append(self._queue.get_nowait())
            closing = None in batch
            work = [item for item in batch if item is not None]
            failure: Exception | None = None
            if work:
                try:
                    with self._engine.begin() as db:
                        db.exec_driver_sql("PRAGMA synchronous=FULL")
                        db.execute(sql.insert(_ENTRIES), [row for row, _ in work])
                except sql.exc.SQLAlchemyError as error:
                    cause = getattr(error, "orig", error)
                    failure = self._failure = JournalError(f"{self.file} can't be written: {cause}")
            for _, done in work:
                if done is not None:
                    done.get_loop().call_soon_threadsafe(_settle, done, failure)

    def note(self, kind: str, device: str = "", **data: Any) -> None:
        """Append an entry without waiting for the disk; raises JournalError if an earlier one failed."""
        self._put(kind, device, data, None)

    async def write(self, kind: str, device: str = "", **data: Any) -> None:
        """Append an entry; when this returns it is on disk. Raises JournalError."""
        done: asyncio.Future[None] = asyncio.get_running_loop().create_future()
        self._put(kind, device, data, done)
        await done

    def _put(self, kind: str, device: str, data: dict[str, Any], done: asyncio.Future[None] | None) -> None:
        if self._failure is not None:
            raise self._failure
        row = {"at": time.time(), "device": device, "kind": kind, "data": json.dumps(data, sort_keys=True)}
        self._queue.put((row, done))

    def last(self) -> int:
        """The number of the last entry on disk; 0 in an empty journal."""
        with self._engine.connect() as db:
            return int(db.execute(sql.select(sql.func.max(_ENTRIES.c.id))).scalar() or 0)

    def read_after(self, last: int) -> list[Entry]:
        """The entries on disk behind the one with this number."""
        return list(self._select(_ENTRIES.c.id > last))

    def entries(self, device: str | None = None) -> Iterator[Entry]:
        """All entries on disk in order, of one device or all."""
        return self._select(_ENTRIES.c.device == device if device is not None else sql.true())

    def _select(self, wanted: sql.ColumnElement[bool]) -> Iterator[Entry]:
        query = sql.select(_ENTRIES).where(wanted).order_by(_ENTRIES.c.id)
        with self._engine.connect() as db:
            for row in db.execute(query):
                data = _read(row.data)
                if data is not None and all(isinstance(text, str) for text in (row.device, row.kind)):
                    yield Entry(row.id, row.at if isinstance(row.at, int | float) else 0.0, row.device, row.kind, data)

    def close(self) -> None:
        """Write out what waits, and stop."""
        self._queue.put(None)
        self._thread.join(timeout=10)
        self._engine.dispose()


def _settle(done: asyncio.Future[None], failure: Exception | None) -> None:
    if done.cancelled():
        return
    if failure is None:
        done.set_result(None)
    else:
        done.set_exception(failure)
