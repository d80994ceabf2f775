"""The workshop's database: opened, brought up to date, and used in short transactions."""

from __future__ import annotations

import hashlib
import os
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from drumbo.core.errors import NotFound, NotNow
from drumbo.store.soundness import DATABASE, FILES, MIGRATIONS, check_openable, in_words, known_versions

PART = ".part-"
"""How files begin that are not whole yet; what is left of them is nobody's."""
TRIES, PAUSE_S = 4, 0.5


class Workshop:
    """A data folder: `drumbo.sqlite` and `files/`."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        check_openable(folder)
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise NotNow(f"{folder} cannot be made ({error.strerror}); name another folder with --data") from error
        self.files = Files(folder / FILES)
        self.engine = engine_of(folder / DATABASE)
        try:
            _upgrade(self.engine)
        except OperationalError as error:
            self.engine.dispose()
            raise NotNow(in_words(error, folder / DATABASE)) from error
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session to look things up with; nothing is written."""
        with self._sessions() as session:
            yield session
            session.rollback()

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """One transaction: all of it is kept, or nothing."""
        with self._sessions() as session, session.begin():
            session.connection(execution_options={"writes": True})
            yield session

    def close(self) -> None:
        """Let go of the file."""
        self.engine.dispose()


def write_safely(path: Path, data: bytes) -> None:
    """Write a file whole or not at all: it is on the disk before it bears its name, and a failure leaves nothing."""
    with tempfile.NamedTemporaryFile(dir=path.parent, prefix=PART, delete=False) as part:
        try:
            part.write(data)
            part.flush()
            os.fsync(part.fileno())
            os.replace(part.name, path)
        except BaseException:
            Path(part.name).unlink(missing_ok=True)
            raise
    folder = os.open(path.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


class Files:
    """Files under the SHA-256 of what they hold, so that none is ever overwritten."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def put(self, data: bytes) -> str:
        """Keep `data`; returns its digest."""
        digest = hashlib.sha256(data).hexdigest()
        path = self.path(digest)
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            write_safely(path, data)
        return digest

    def path(self, digest: str) -> Path:
        """Where the file of that digest lies, or would lie."""
        return self._folder / digest[:2] / digest

    def get(self, digest: str) -> bytes:
        """What was put under the digest; NotFound otherwise."""
        try:
            return self.path(digest).read_bytes()
        except FileNotFoundError:
            raise NotFound(f"the file {digest[:12]} is missing from the data folder") from None


def engine_of(path: Path) -> Engine:
    """The database in a file, with its rules on."""
    engine = create_engine(f"sqlite:///{path}", connect_args={"check_same_thread": False})

    @event.listens_for(engine, "connect")
    def _on_connect(connection: Any, _record: Any) -> None:
        # The driver must not begin transactions by itself, or read-modify-write loses updates.
        connection.isolation_level = None
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA foreign_keys=ON")
        connection.execute("PRAGMA busy_timeout=8000")

    @event.listens_for(engine, "begin")
    def _on_begin(connection: Any) -> None:
        writes = connection.get_execution_options().get("writes")
        connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")

    return engine


def _upgrade(engine: Engine) -> None:
    """Bring the tables up to date. A file system under load may keep SQLite from its locks for longer than it waits
    itself ("locking protocol"); nothing is half done then, and it is tried again.
    """
    for left in range(TRIES - 1, -1, -1):
        try:
            _upgrade_once(engine)
        except OperationalError as error:
            if "locking protocol" not in str(error) or not left:
                raise
            engine.dispose()
            time.sleep(PAUSE_S)
        else:
            return


def _up_to_date(engine: Engine) -> bool:
    with engine.connect() as connection:
        tables = connection.exec_driver_sql("SELECT 1 FROM sqlite_master WHERE name = 'alembic_version'").scalar()
        if not tables:
            return False
        version = connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar()
    return bool(version == known_versions()[-1])


def _upgrade_once(engine: Engine) -> None:
    if _up_to_date(engine):
        return
    # Fetched only where there is something to do: every start would wait for it.
    from alembic import command  # noqa: PLC0415
    from alembic.config import Config  # noqa: PLC0415

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.connect() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
        connection.commit()
