"""The database of a study file, opened without trust, with errors in words."""

from __future__ import annotations

import contextlib
import os
import random
import sqlite3
import time
from collections.abc import Iterator, Sequence
from pathlib import Path

from tarnwater.errors import StorageError, StudyFileError
from tarnwater.study.document.plain import MOST_BYTES
from tarnwater.study.file.layers import LAYERS
from tarnwater.study.file.writing import PATIENCE

#: How long reading a file may take before it is refused, s.
LONGEST_READ = 8.0

#: Bytes of grids, geometries and series that a file may hold.
MOST_DATA = 768 << 20

#: Greatest number of an act; a larger one is damage, and no act could follow it.
MOST_ACTS = 1 << 53

#: Tables that a file of an earlier version may lack, with their SQL.
OPTIONAL = {
    "tarn_digest": "CREATE TABLE IF NOT EXISTS tarn_digest (name TEXT PRIMARY KEY, digest TEXT NOT NULL)",
    "tarn_desk": "CREATE TABLE IF NOT EXISTS tarn_desk (name TEXT PRIMARY KEY, value TEXT NOT NULL)",
}

_MAY_LACK = {*OPTIONAL, *(layer.name for layer in LAYERS if layer.came_later)}

_COLUMNS: dict[str, tuple[str, ...]] = {
    "tarn_document": ("id", "document"),
    "tarn_history": ("number", "at", "label", "changes"),
    "tarn_point": ("name", "comment", "at", "document"),
    "tarn_data": ("digest", "kind", "bytes"),
    "tarn_layer": ("name", "digest"),
    "tarn_digest": ("name", "digest"),
    "tarn_desk": ("name", "value"),
    "gpkg_contents": ("table_name", "srs_id", "last_change"),
    "gpkg_geometry_columns": ("table_name", "column_name", "srs_id"),
    "gpkg_spatial_ref_sys": ("srs_name", "srs_id", "definition"),
    **{layer.name: ("fid", "geom", "key", "name", *(c for c, _ in layer.columns)) for layer in LAYERS},
}


def begin_held(connection: sqlite3.Connection) -> None:
    """Begin to write when other writers have finished; raises SQLite's error after `PATIENCE`.

    It tries again after short random pauses. The pauses of SQLite grow, so that one of several programs could wait for
    ever.
    """
    end = time.monotonic() + PATIENCE
    connection.execute("PRAGMA busy_timeout = 0")
    while True:
        try:
            connection.execute("BEGIN IMMEDIATE")
            break
        except sqlite3.OperationalError as error:
            if error.sqlite_errorcode & 0xFF != sqlite3.SQLITE_BUSY or time.monotonic() > end:
                raise
            time.sleep(random.uniform(0.001, 0.01))
    connection.execute(f"PRAGMA busy_timeout = {PATIENCE * 1000:.0f}")


def connect(path: Path) -> sqlite3.Connection:
    """A connection that waits for other writers and runs no code of the file."""
    # the window's named points are read from the thread that asks for them
    connection = sqlite3.connect(path, isolation_level=None, timeout=PATIENCE, check_same_thread=False)
    try:
        for pragma in ("trusted_schema = OFF", "synchronous = FULL", "cell_size_check = ON", "mmap_size = 0"):
            connection.execute(f"PRAGMA {pragma}")
        connection.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, MOST_DATA)
    except BaseException:
        connection.close()
        raise
    return connection


@contextlib.contextmanager
def reading(path: Path, connection: sqlite3.Connection, *, begin: bool = True) -> Iterator[None]:
    """Read a file in one transaction and in limited time; errors are reported as `StudyFileError`."""
    end = time.monotonic() + LONGEST_READ
    connection.set_progress_handler(lambda: time.monotonic() > end, 50_000)
    try:
        with told_in_words(path):
            if begin:
                _set_journal_back(connection)
                connection.execute("BEGIN")
            yield
            if begin:
                connection.execute("COMMIT")
    finally:
        connection.set_progress_handler(None, 0)
        if begin and connection.in_transaction:
            with contextlib.suppress(sqlite3.Error):
                connection.execute("ROLLBACK")


@contextlib.contextmanager
def told_in_words(path: Path) -> Iterator[None]:
    """An error of SQLite while reading, as `StudyFileError` or `StorageError`."""
    try:
        yield
    except (sqlite3.Error, OverflowError, UnicodeDecodeError) as error:
        raise _told(path, error) from error


def _set_journal_back(connection: sqlite3.Connection) -> None:
    """Set the journal mode back to DELETE: with another mode a copy of the file alone may be incomplete."""
    (mode,) = connection.execute("PRAGMA journal_mode").fetchone()
    if mode != "delete":
        connection.execute("PRAGMA journal_mode = DELETE")


def _told(path: Path, error: Exception) -> StorageError | StudyFileError:
    said, where = str(error), str(path)
    if "locked" in said or "busy" in said:
        return StorageError(
            f"another program has been writing to the study for {PATIENCE:g} s.", where=where, remedy="Try again."
        )
    if "interrupted" in said:
        what = f"the file takes longer than {LONGEST_READ:g} s to read; it is damaged or not a study."
        return StudyFileError(what, where=where, remedy="Restore it from a copy.")
    journal = Path(f"{path}-journal")
    if (journal.exists() and not (os.access(path, os.W_OK) and os.access(path.parent, os.W_OK))) or (
        journal.exists() and ("readonly" in said or "unable to open" in said)
    ):
        return StorageError(
            "the program that last wrote the study was stopped while writing; what it left (a hot journal) must be "
            "rolled back first, and the folder is not writable.",
            where=where,
            remedy=f"Copy {path.name} and {journal.name} to a folder that can be written, and open it there.",
        )
    return StudyFileError(
        f"the file is damaged or not a study ({said}).", where=where, remedy="Restore it from a copy."
    )


def known_schema(connection: sqlite3.Connection, where: str) -> set[str]:
    """Names of our tables in a file; `StudyFileError` if one is not a plain table of our form.

    A view or a virtual table in place of one, or a trigger on one, could change what is read or written. Other tables,
    views and triggers are harmless.
    """
    if connection.execute("PRAGMA quick_check(1)").fetchone()[0] != "ok":
        raise sqlite3.DatabaseError("integrity check failed")
    found: set[str] = set()
    for kind, name, table, sql in connection.execute("SELECT type, name, tbl_name, sql FROM sqlite_master").fetchall():
        name, table = str(name), str(table)
        foreign = kind == "trigger" and table.lower() in _COLUMNS
        posing = name.lower() in _COLUMNS and (kind != "table" or "virtual" in str(sql).lower().split()[:2])
        if foreign or posing:
            what = (
                f"another program has put the {kind} “{name[:60]}” into the study, which could change what is written."
            )
            raise StudyFileError(what, where=where, remedy="Remove it with that program, or restore a copy.")
        if kind == "table" and name in _COLUMNS:
            found.add(name)
    for name in _COLUMNS:
        if name not in found:
            if name in _MAY_LACK:
                continue
            raise StudyFileError(
                f"the file is damaged or not a study (it has no table {name}).",
                where=where,
                remedy="Restore it from a copy.",
            )
        columns = {str(row[1]): row[6] for row in connection.execute(f'PRAGMA table_xinfo("{name}")')}
        if any(columns.get(column, 1) != 0 for column in _COLUMNS[name]):
            what = f"the file is damaged or not a study (the table {name} is not as it should be)."
            raise StudyFileError(what, where=where, remedy="Restore it from a copy.")
    _refuse_too_much(connection, where)
    return found


def _refuse_too_much(connection: sqlite3.Connection, where: str) -> None:
    sizes = {
        "document": ("SELECT coalesce(max(length(CAST(document AS BLOB))), 0) FROM tarn_document", MOST_BYTES),
        "data": ("SELECT coalesce(sum(length(bytes)), 0) FROM tarn_data", MOST_DATA),
        "named points": ("SELECT coalesce(sum(length(CAST(document AS BLOB))), 0) FROM tarn_point", MOST_DATA),
    }
    for name, (question, most) in sizes.items():
        size = int(connection.execute(question).fetchone()[0])
        if size > most:
            what = f"its {name} has {size >> 20} MB; at most {most >> 20} are read."
            raise StudyFileError(what, where=where, remedy="Restore it from a copy.")
    greatest = connection.execute("SELECT max(number) FROM tarn_history").fetchone()[0]
    counted = connection.execute("SELECT max(seq) FROM sqlite_sequence WHERE name = 'tarn_history'").fetchone()[0]
    for number in (greatest, counted):
        if number is not None and not (isinstance(number, int) and number < MOST_ACTS):
            what = f"the history is damaged: an act is numbered {str(number)[:30]}, after which none can be written."
            raise StudyFileError(what, where=where, remedy="Restore it from a copy.")


def execute_one(connection: sqlite3.Connection, statement: str, values: Sequence[object]) -> None:
    """Run a statement that must change one row; anything else is undone by the transaction around it."""
    changed = connection.execute(statement, values).rowcount
    if changed != 1:
        raise sqlite3.DatabaseError(f"{changed} rows were changed where one should be")


@contextlib.contextmanager
def translated(path: Path) -> Iterator[None]:
    """Report errors of SQLite while writing as `StorageError`."""
    try:
        yield
    except sqlite3.Error as error:
        said = str(error)
        if "full" in said:
            what, remedy = "the disk is full.", "Free some disk space and try again."
        elif "readonly" in said or "unable to open" in said or not os.access(path.parent, os.W_OK):
            what, remedy = "the folder or the file cannot be written.", "Choose another folder, or change its rights."
        elif "locked" in said:
            what, remedy = "another program is writing to the study.", "Close it there, or wait, and try again."
        else:
            what, remedy = f"the study could not be written ({said}).", "Check the disk, and keep a copy elsewhere."
        raise StorageError(f"{what} The study on the disk is unchanged.", where=str(path), remedy=remedy) from error
