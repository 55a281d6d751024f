"""The study file: one SQLite file that is a valid OGC GeoPackage (``*.tarn.gpkg``).

Every edit is one transaction on one connection, with a rollback journal, so that the file is complete after a crash or
a copy. Before a write it is checked whether another program has written. Beside the feature layers there are these
tables:

- ``tarn_document``: the present document, JSON;
- ``tarn_history``: every act with its label, time, and the changes it made;
- ``tarn_point``: named points, each a whole document;
- ``tarn_data``: grids, series and geometries by digest;
- ``tarn_layer``: digests of the feature layers as last written here;
- ``tarn_digest``: digests of the document and the named points;
- ``tarn_desk``: what the window keeps of its state, such as pins.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import sqlite3
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

from tarnwater.errors import ChangedElsewhere, StorageError, StudyFileError, UnknownName
from tarnwater.study.document import FORMAT, Study
from tarnwater.study.document.blobs import Blob, Blobs
from tarnwater.study.document.changes import Change, applied, changes_between, reversed_changes
from tarnwater.study.document.conditions import refuse_what_cannot_be
from tarnwater.study.document.plain import plain_from_text
from tarnwater.study.edits.history import Act, History, NamedPoint
from tarnwater.study.file.database import (
    OPTIONAL,
    begin_held,
    connect,
    execute_one,
    known_schema,
    reading,
    told_in_words,
    translated,
)
from tarnwater.study.file.layers import LAYERS, Layer, layer_digest, rows_in, rows_of
from tarnwater.study.file.migrations import said_of_older, study_of_any_format
from tarnwater.study.file.writing import clear_parts, make_whole, refuse_second_names

SUFFIX = ".tarn.gpkg"
APPLICATION_ID = 0x47504B47
GEOPACKAGE_VERSION = 10300
LOCAL_SRS = 100_000

#: Acts that can be undone after a study was opened again.
ACTS_KEPT = 100

_SCHEMA = """
CREATE TABLE gpkg_spatial_ref_sys (srs_name TEXT NOT NULL, srs_id INTEGER NOT NULL PRIMARY KEY,
  organization TEXT NOT NULL, organization_coordsys_id INTEGER NOT NULL, definition TEXT NOT NULL, description TEXT);
CREATE TABLE gpkg_contents (table_name TEXT NOT NULL PRIMARY KEY, data_type TEXT NOT NULL, identifier TEXT UNIQUE,
  description TEXT DEFAULT '', last_change DATETIME NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ','now')),
  min_x DOUBLE, min_y DOUBLE, max_x DOUBLE, max_y DOUBLE, srs_id INTEGER REFERENCES gpkg_spatial_ref_sys(srs_id));
CREATE TABLE gpkg_geometry_columns (table_name TEXT NOT NULL REFERENCES gpkg_contents(table_name),
  column_name TEXT NOT NULL, geometry_type_name TEXT NOT NULL,
  srs_id INTEGER NOT NULL REFERENCES gpkg_spatial_ref_sys(srs_id), z TINYINT NOT NULL, m TINYINT NOT NULL,
  PRIMARY KEY (table_name, column_name));
CREATE TABLE tarn_document (id INTEGER PRIMARY KEY CHECK (id = 1), document TEXT NOT NULL);
CREATE TABLE tarn_history (number INTEGER PRIMARY KEY AUTOINCREMENT, at TEXT NOT NULL, label TEXT NOT NULL,
  changes TEXT NOT NULL);
CREATE TABLE tarn_point (name TEXT PRIMARY KEY, comment TEXT NOT NULL, at TEXT NOT NULL, document TEXT NOT NULL);
CREATE TABLE tarn_data (digest TEXT PRIMARY KEY, kind TEXT NOT NULL, bytes BLOB NOT NULL);
CREATE TABLE tarn_layer (name TEXT PRIMARY KEY, digest TEXT NOT NULL);
"""


def now() -> str:
    """The present time as ISO text, UTC, to the second."""
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


@dataclass(frozen=True)
class KeptAct:
    """An act of an earlier opening or of another program, by the changes that it made."""

    label: str
    changes: list[Change]

    def undone(self, after: Study) -> Study:
        """The study before the act, from the one after it."""
        return study_of_any_format(applied(after.as_dict(), reversed_changes(self.changes)))

    def redone(self, before: Study) -> Study:
        """The study after the act, from the one before it."""
        return study_of_any_format(applied(before.as_dict(), self.changes))


class StudyFile:
    """An open study file with its history; every edit is saved at once.

    Use `create` or `open`, and `close` (or ``with``) when done; `editing` for one edit that no other
    program comes between.
    """

    def __init__(self, path: Path, connection: sqlite3.Connection, study: Study, blobs: Blobs) -> None:
        self.path = path
        self.blobs = blobs
        self.history = History(study, committed=self._write)
        self.layers_changed_outside: tuple[str, ...] = ()
        self.said_of_older: tuple[str, ...] = ()
        self.damaged: tuple[str, ...] = ()
        self._connection = connection
        self._kept = set(blobs)
        self._older: dict[str, Any] | None = None
        self._data: tuple[Study, dict[str, Any]] = (study, {})
        self._identity: tuple[int, int] | None = None
        self._acts = 0
        self._version = 0
        self._layer_digests: dict[str, int] = {}
        self._held = False

    @classmethod
    def create(
        cls, path: Path, study: Study, blobs: Blobs | None = None, points: Iterable[NamedPoint] = ()
    ) -> StudyFile:
        """Make a new file, completely or not at all, and open it.

        Raises `StudyFileError` if the file exists, `StorageError` if it cannot be written.
        """
        if os.path.lexists(path):
            raise StudyFileError("there is a file of that name.", where=str(path), remedy="Choose another name.")
        points = tuple(points)

        def build(part: Path) -> None:
            with translated(path), contextlib.closing(connect(part)) as connection:
                connection.execute(f"PRAGMA application_id = {APPLICATION_ID}")
                connection.execute(f"PRAGMA user_version = {GEOPACKAGE_VERSION}")
                file = cls(part, connection, study, Blobs(blobs))
                file._kept = set()
                with file._transaction():
                    file._build()
                    for point in points:
                        file._write_point(point)

        make_whole(path, build)
        return cls.open(path)

    @classmethod
    def open(cls, path: Path) -> StudyFile:
        """Open a file, with migration if needed; `StudyFileError` if it is not a study or is damaged."""
        connection = _connected(path)
        try:
            with reading(path, connection):
                return cls._read(path, connection)
        except BaseException:
            connection.close()
            raise

    @classmethod
    @contextlib.contextmanager
    def editing(cls, path: Path) -> Iterator[StudyFile]:
        """Open a file, wait for other programs, and hold it until the edit is made."""
        connection = _connected(path)
        try:
            with translated(path):
                begin_held(connection)
            try:
                with reading(path, connection, begin=False):
                    file = cls._read(path, connection)
                file._held = True
                yield file
                with translated(path):
                    connection.execute("COMMIT")
            except BaseException:
                with contextlib.suppress(sqlite3.Error):
                    connection.execute("ROLLBACK")
                raise
        finally:
            connection.close()

    @classmethod
    def _read(cls, path: Path, connection: sqlite3.Connection) -> StudyFile:
        where = str(path)
        tables = known_schema(connection, where)
        digests = dict(connection.execute("SELECT name, digest FROM tarn_digest")) if "tarn_digest" in tables else {}
        text = _document_text(connection, where)
        if digests.get("document", _digest(text)) != _digest(text):
            raise StudyFileError(
                "the document is not as it was kept: the file is damaged, or another program changed it.",
                where=where,
                remedy="Restore it from a copy.",
            )
        document = plain_from_text(text, where)
        study = study_of_any_format(document, where)
        damaged: list[str] = []
        file = cls(path, connection, study, _read_blobs(connection, damaged))
        if document["format"] != FORMAT:
            file._older = document
            file.said_of_older = said_of_older(document, where)
        for name, comment, at in connection.execute("SELECT name, comment, at FROM tarn_point").fetchall():
            kept = digests.get(f"point {name}")
            file.history.points[str(name)] = NamedPoint(
                str(name), str(comment), str(at), partial(file._study_of_point, name, kept)
            )
            if not file._point_is_whole(name, kept):
                damaged.append(f"the named point “{name}” is damaged; it cannot be restored.")
        file.damaged = tuple(damaged)
        file.layers_changed_outside = file._layers_changed()
        file._know_the_file()
        if file._older is None:
            file._restore_undo()
        return file

    @property
    def study(self) -> Study:
        """The present study."""
        return self.history.study

    def keep(self, name: str, comment: str = "") -> NamedPoint:
        """Save the present study under a name, also in the file."""
        point = NamedPoint(name, comment, now(), self.study)
        with self._transaction():
            self._still_ours()
            self._write_point(point)
        self._version = self._data_version()
        self.history.points[point.name] = point
        return point

    def _write_point(self, point: NamedPoint) -> None:
        text = point.study.as_text()
        self._connection.execute(
            "INSERT OR REPLACE INTO tarn_point VALUES (?, ?, ?, ?)", (point.name, point.comment, point.at, text)
        )
        self._note_digest(f"point {point.name}", text)

    def _point_is_whole(self, name: str, kept: str | None) -> bool:
        row = self._connection.execute("SELECT document FROM tarn_point WHERE name = ?", (name,)).fetchone()
        return row is not None and isinstance(row[0], str) and kept in (None, _digest(row[0]))

    def _study_of_point(self, name: str, kept: str | None) -> Study:
        where = f"{self.path}, named point “{name}”"
        if not self._point_is_whole(name, kept):
            raise StudyFileError("the named point is damaged.", where=where, remedy="Restore the file from a copy.")
        row = self._connection.execute("SELECT document FROM tarn_point WHERE name = ?", (name,)).fetchone()
        return study_of_any_format(plain_from_text(row[0], where), where)

    def acts(self) -> list[tuple[int, str, str]]:
        """Number, time and label of every act, the first first."""
        return self._connection.execute("SELECT number, at, label FROM tarn_history ORDER BY number").fetchall()

    def study_after(self, number: int) -> Study:
        """The study as it was after an act, by its number; 0 is the beginning."""
        rows = self._connection.execute("SELECT number, changes FROM tarn_history ORDER BY number DESC").fetchall()
        if number and number not in {n for n, _ in rows}:
            raise UnknownName(str(number), [str(n) for n, _ in rows], kind="act")
        document: Any = self._older or self.study.as_dict()
        for later, changes in rows:
            if later <= number:
                break
            document = applied(document, reversed_changes(json.loads(changes)))
        return study_of_any_format(document)

    def kept_state(self, name: str) -> Any:
        """State of the window under a name, as plain data; None if there is none."""
        with contextlib.suppress(sqlite3.Error, ValueError):
            row = self._connection.execute("SELECT value FROM tarn_desk WHERE name = ?", (name,)).fetchone()
            return None if row is None else json.loads(row[0])
        return None

    def keep_state(self, name: str, value: Any) -> None:
        """Save state of the window under a name, as plain data; errors are ignored."""
        with contextlib.suppress(StorageError), self._transaction():
            self._connection.execute(OPTIONAL["tarn_desk"])
            self._connection.execute("INSERT OR REPLACE INTO tarn_desk VALUES (?, ?)", (name, json.dumps(value)))

    @property
    def is_behind(self) -> bool:
        """Whether another program has made acts since the file was last read or written here."""
        try:
            version = self._data_version()
            if version == self._version:
                return False
            self._version = version
            return self._count_acts() != self._acts
        except sqlite3.Error:
            return False

    def take_in(self) -> tuple[str, ...]:
        """Load what another program wrote; returns the labels of its acts, which can be undone here too."""
        with reading(self.path, self._connection):
            text = _document_text(self._connection, str(self.path))
            study = study_of_any_format(plain_from_text(text, str(self.path)), str(self.path))
            rows = self._connection.execute(
                "SELECT label, changes FROM tarn_history WHERE number > ? ORDER BY number", (self._acts,)
            ).fetchall()
            for digest, blob in _read_blobs(self._connection, []).items():
                self.blobs.add(blob.kind, blob.data)
                self._kept.add(digest)
            for name, comment, at in self._connection.execute("SELECT name, comment, at FROM tarn_point").fetchall():
                if name not in self.history.points:
                    self.history.points[name] = NamedPoint(name, comment, at, partial(self._study_of_point, name, None))
            self._layer_digests = self._digests_of_layers()
            self._know_the_file()
        self._data, self._older = (study, {}), None
        acts: list[Act] = [KeptAct(str(label), json.loads(changes)) for label, changes in rows]
        self.history.take_in(study, acts)
        return tuple(str(label) for label, _ in rows)

    def close(self) -> None:
        """Close the file."""
        self._connection.close()

    def __enter__(self) -> StudyFile:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def _build(self) -> None:
        for statement in _SCHEMA.split(";"):
            if statement.strip():
                self._connection.execute(statement)
        for statement in OPTIONAL.values():
            self._connection.execute(statement)
        self._connection.execute(
            "INSERT INTO gpkg_spatial_ref_sys VALUES ('Undefined Cartesian', -1, 'NONE', -1, 'undefined', NULL), "
            "('Undefined geographic', 0, 'NONE', 0, 'undefined', NULL), "
            "('WGS 84', 4326, 'EPSG', 4326, ?, NULL)",
            (_WGS84,),
        )
        refuse_what_cannot_be(self.study)
        self._write_blobs()
        text = self.study.as_line()
        self._connection.execute("INSERT INTO tarn_document VALUES (1, ?)", (text,))
        self._note_digest("document", text)
        self._write_layers(None, self.study)

    def _note_digest(self, name: str, text: str) -> None:
        self._connection.execute(OPTIONAL["tarn_digest"])
        self._connection.execute("INSERT OR REPLACE INTO tarn_digest VALUES (?, ?)", (name, _digest(text)))

    def _know_the_file(self) -> None:
        """Remember the identity of the file and its number of acts, to notice changes by others."""
        status = self.path.stat()
        self._identity = status.st_dev, status.st_ino
        self._acts = self._count_acts()
        self._version = self._data_version()

    def _data_version(self) -> int:
        return int(self._connection.execute("PRAGMA data_version").fetchone()[0])

    def _count_acts(self) -> int:
        return int(self._connection.execute("SELECT coalesce(max(number), 0) FROM tarn_history").fetchone()[0])

    def _restore_undo(self) -> None:
        """Restore undo for the last acts of earlier openings, if they are of the present format."""
        rows = self._connection.execute(
            "SELECT label, changes FROM tarn_history ORDER BY number DESC LIMIT ?", (ACTS_KEPT,)
        ).fetchall()
        past: list[Act] = []
        future: list[Act] = []
        for label, changes in reversed(rows):
            if label.startswith("brought from format"):
                past, future = [], []
            elif label.startswith("undo: "):
                future += [past.pop()] if past else []
            elif label.startswith("redo: ") and future:
                past.append(future.pop())
            else:
                with contextlib.suppress(ValueError):
                    past.append(KeptAct(label, json.loads(changes)))
                    future = []
        self.history.past, self.history.future = past, future

    def _still_ours(self) -> None:
        """Raise `StorageError` if the file was moved, or if another program has written to the study."""
        if self._identity is None:
            return
        try:
            status = self.path.stat()
        except OSError:
            status = None
        if status is None or (status.st_dev, status.st_ino) != self._identity:
            raise StorageError(
                "the study file was moved, removed or replaced while it was open; nothing was changed in it.",
                where=str(self.path),
                remedy="Put it back, or save the study as another file.",
            )
        refuse_second_names(self.path)
        if self._count_acts() != self._acts:
            raise ChangedElsewhere(
                "another program has changed the study since it was opened here; nothing was overwritten.",
                where=str(self.path),
                remedy="Open it again to go on from there, or save the study as another file.",
            )

    def keep_as(self, path: Path) -> StudyFile:
        """Save the present study, its data and its named points as a new file, and open it."""
        return StudyFile.create(path, self.study, self.blobs, self.history.points.values())

    def _write(self, label: str, before: Study, after: Study) -> None:
        digests = dict(self._layer_digests)
        try:
            self._write_all(label, before, after)
        except BaseException:
            self._layer_digests = digests
            raise

    def _write_all(self, label: str, before: Study, after: Study) -> None:
        refuse_what_cannot_be(after, before)
        with self._transaction():
            self._still_ours()
            self._write_blobs()
            if self._older is not None:
                self._write_act(
                    f"brought from format {self._older['format']} to {FORMAT}", self._older, before.as_dict()
                )
            written = self._as_dict(before)
            data = after.as_dict_sharing(before, written)
            text = after.as_line()
            execute_one(self._connection, "UPDATE tarn_document SET document = ? WHERE id = 1", (text,))
            self._note_digest("document", text)
            self._write_act(label, written, data)
            self._write_layers(before, after)
            acts = self._count_acts()
        self._acts = acts
        self._version = self._data_version()
        self._data = (after, data)
        self._older = None
        self._kept = set(self.blobs)

    def _as_dict(self, study: Study) -> dict[str, Any]:
        """The document as plain data, cached from the last write."""
        written, data = self._data
        return data if study is written and data else study.as_dict()

    def _write_act(self, label: str, before: dict[str, Any], after: dict[str, Any]) -> None:
        changes = json.dumps(changes_between(before, after), ensure_ascii=False, allow_nan=False)
        execute_one(
            self._connection,
            "INSERT INTO tarn_history (at, label, changes) VALUES (?, ?, ?)",
            (now(), label, changes),
        )

    def _write_blobs(self) -> None:
        for digest in set(self.blobs) - self._kept:
            blob = self.blobs[digest]
            self._connection.execute("INSERT OR IGNORE INTO tarn_data VALUES (?, ?, ?)", (digest, blob.kind, blob.data))

    def _write_layers(self, before: Study | None, after: Study) -> None:
        srs = self._srs(after)
        srs_before = srs if before is None else self._srs(before)
        for layer in LAYERS:
            there = before if layer.name in self._layer_digests else None
            if there is None:
                self._add_layer(layer)
            self._write_layer(layer, there, after, srs_before, srs)

    def _write_layer(self, layer: Layer, before: Study | None, after: Study, srs_before: int, srs: int) -> None:
        # in another system every row is another one, since a geometry names its system
        alike = before is not None and srs_before == srs
        new = {
            str(row[1]): row for row in rows_of(after, self.blobs, layer.name, srs, unlike=before if alike else None)
        }
        old = {} if before is None else {
            str(row[1]): row
            for row in rows_of(before, self.blobs, layer.name, srs_before, unlike=after if alike else None)
        }  # fmt: skip
        if new == old and before is not None:
            return
        for key in old:
            if new.get(key) != old[key]:
                self._connection.execute(f'DELETE FROM "{layer.name}" WHERE key = ?', (key,))
        marks = ", ".join("?" * (3 + len(layer.columns)))
        names = ", ".join(["geom", "key", "name", *(f'"{c}"' for c, _ in layer.columns)])
        changed = [row for key, row in new.items() if old.get(key) != row]
        self._connection.executemany(f'INSERT INTO "{layer.name}" ({names}) VALUES ({marks})', changed)
        self._connection.execute(
            "UPDATE gpkg_contents SET srs_id = ?, last_change = ? WHERE table_name = ?", (srs, now(), layer.name)
        )
        self._connection.execute("UPDATE gpkg_geometry_columns SET srs_id = ? WHERE table_name = ?", (srs, layer.name))
        if layer.name not in self.layers_changed_outside:
            gone = [row for key, row in old.items() if new.get(key) != row]
            known = self._layer_digests.get(layer.name, 0)
            digest = (known + layer_digest(changed) - layer_digest(gone)) % 2**256
            self._layer_digests[layer.name] = digest
            self._connection.execute("INSERT OR REPLACE INTO tarn_layer VALUES (?, ?)", (layer.name, str(digest)))

    def _add_layer(self, layer: Layer) -> None:
        """Make the table of a layer and register it in the GeoPackage."""
        self._connection.execute(layer.create)
        self._connection.execute(
            "INSERT INTO gpkg_contents (table_name, data_type, identifier, srs_id) VALUES (?, 'features', ?, -1)",
            (layer.name, layer.name),
        )
        self._connection.execute(
            "INSERT INTO gpkg_geometry_columns VALUES (?, 'geom', ?, -1, 0, 0)", (layer.name, layer.geometry)
        )

    def _srs(self, study: Study) -> int:
        """Number of the study's coordinate system, entered in the file; -1 where there is none."""
        name = study.map_crs
        if not name:
            return -1
        authority, _, code = name.partition(":")
        number = int(code) if authority == "EPSG" and code.isdigit() else LOCAL_SRS
        known = self._connection.execute("SELECT 1 FROM gpkg_spatial_ref_sys WHERE srs_id = ?", (number,)).fetchone()
        if known is None:
            title, definition = _described_system(name)
            organization = "EPSG" if number != LOCAL_SRS else "NONE"
            self._connection.execute(
                "INSERT INTO gpkg_spatial_ref_sys VALUES (?, ?, ?, ?, ?, NULL)",
                (title, number, organization, number, definition),
            )
        return number

    def _layers_changed(self) -> tuple[str, ...]:
        kept = dict(self._connection.execute("SELECT name, digest FROM tarn_layer").fetchall())
        self._layer_digests = self._digests_of_layers()
        return tuple(name for name, digest in self._layer_digests.items() if kept.get(name) != str(digest))

    def _digests_of_layers(self) -> dict[str, int]:
        """Digests of the layers that the file has."""
        tables = {str(name) for (name,) in self._connection.execute("SELECT name FROM sqlite_master")}
        there = [layer for layer in LAYERS if layer.name in tables]
        return {layer.name: layer_digest(rows_in(self._connection, layer)) for layer in there}

    @contextlib.contextmanager
    def _transaction(self) -> Iterator[None]:
        """A transaction; within `editing`, part of the transaction that holds the file."""
        if self._held:
            with translated(self.path):
                yield
            return
        with translated(self.path):
            self._connection.execute("BEGIN IMMEDIATE")
            try:
                yield
                self._connection.execute("COMMIT")
            except BaseException:
                with contextlib.suppress(sqlite3.Error):
                    self._connection.execute("ROLLBACK")
                raise


def _connected(path: Path) -> sqlite3.Connection:
    """A connection to a file that exists and looks like a study."""
    where = str(path)
    if path.is_dir():
        raise StudyFileError("this is a folder.", where=where, remedy="Give the study file.")
    try:
        with path.open("rb") as raw:
            start = raw.read(16)
    except FileNotFoundError as error:
        raise StudyFileError("there is no such file.", where=where, remedy="Check the name.") from error
    except OSError as error:
        what = f"the file cannot be read ({error.strerror})."
        raise StudyFileError(what, where=where, remedy="Check its name and its rights.") from error
    if start != b"SQLite format 3\x00":
        raise StudyFileError("this is not a study file.", where=where, remedy="Open a Tarnwater study.")
    clear_parts(path)
    with told_in_words(path):
        return connect(path)


def _document_text(connection: sqlite3.Connection, where: str) -> str:
    rows = connection.execute("SELECT id, document FROM tarn_document LIMIT 2").fetchall()
    if len(rows) != 1 or rows[0][0] != 1 or not isinstance(rows[0][1], str):
        what = "the file is damaged or not a study: it does not hold one document."
        raise StudyFileError(what, where=where, remedy="Restore it from a copy.")
    return str(rows[0][1])


def _read_blobs(connection: sqlite3.Connection, damaged: list[str]) -> Blobs:
    """Blobs of the file by digest; those that do not match their digest are left out and listed."""
    found: dict[str, Blob] = {}
    for digest, kind, data in connection.execute("SELECT digest, kind, bytes FROM tarn_data"):
        blob = Blob(kind, data) if kind in ("grid", "geometry", "series") and isinstance(data, bytes) else None
        if blob is None or blob.digest != digest:
            kind = kind if isinstance(kind, str) else "data"
            damaged.append(f"the {kind[:20]} {str(digest)[:32]} is damaged and was left out; import it again.")
        else:
            found[digest] = blob
    return Blobs(found)


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()[:32]


def _described_system(name: str) -> tuple[str, str]:
    """Name and definition of a coordinate system, in the older well-known text if possible."""
    from pyproj import CRS
    from pyproj.exceptions import CRSError

    system = CRS.from_user_input(name)
    try:
        return system.name, system.to_wkt("WKT1_GDAL")
    except CRSError:
        return system.name, system.to_wkt()


_WGS84 = (
    'GEOGCS["WGS 84",DATUM["WGS_1984",SPHEROID["WGS 84",6378137,298.257223563]],PRIMEM["Greenwich",0],'
    'UNIT["degree",0.0174532925199433],AUTHORITY["EPSG","4326"]]'
)
