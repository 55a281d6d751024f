"""The study file: one SQLite file that is a valid OGC GeoPackage (``*.tarn.gpkg``).

Every edit is one transaction on one connection, with a rollback journal, so that a copied or a
killed file is whole. Beside the feature layers stand these tables:

- ``tarn_document``: the present document, JSON;
- ``tarn_history``: every act with its label, time, and the changes it made;
- ``tarn_point``: named points, each a whole document;
- ``tarn_data``: grids, series and geometries by digest;
- ``tarn_layer``: digests of the feature layers as last written here.
"""

from __future__ import annotations

import contextlib
import json
import os
import sqlite3
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from tarnwater.errors import StorageError, StudyFileError, TarnwaterError, UnknownName
from tarnwater.study.blobs import Blob, Blobs
from tarnwater.study.changes import applied, changes_between, reversed_changes
from tarnwater.study.document import FORMAT, Study, study_from
from tarnwater.study.history import History, NamedPoint
from tarnwater.study.layers import LAYERS, layer_digest, rows_in, rows_of
from tarnwater.study.migrations import migrated, said_of_older

SUFFIX = ".tarn.gpkg"
APPLICATION_ID = 0x47504B47
GEOPACKAGE_VERSION = 10300
LOCAL_SRS = 100_000

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


class StudyFile:
    """An open study file with its history; every edit is on the disk when it is made.

    Use `create` or `open`, and `close` (or ``with``) when done.
    """

    def __init__(self, path: Path, connection: sqlite3.Connection, study: Study, blobs: Blobs) -> None:
        self.path = path
        self.blobs = blobs
        self.history = History(study, committed=self._write)
        self.layers_changed_outside: tuple[str, ...] = ()
        self.said_of_older: tuple[str, ...] = ()
        self._connection = connection
        self._kept = set(blobs)
        self._older: dict[str, Any] | None = None
        self._data: tuple[Study, dict[str, Any]] = (study, {})
        self._identity: tuple[int, int] | None = None
        self._acts = 0
        self._layer_digests: dict[str, int] = {}

    @classmethod
    def create(cls, path: Path, study: Study, blobs: Blobs | None = None) -> StudyFile:
        """Make a new file; `StudyFileError` where one is there, `StorageError` where it cannot be written."""
        if path.exists():
            raise StudyFileError("there is a file of that name.", where=str(path), remedy="Choose another name.")
        made = False
        try:
            with _translated(path):
                connection = sqlite3.connect(path, isolation_level=None)
                made = True
                connection.execute("PRAGMA journal_mode = DELETE")
                connection.execute("PRAGMA synchronous = FULL")
                connection.execute(f"PRAGMA application_id = {APPLICATION_ID}")
                connection.execute(f"PRAGMA user_version = {GEOPACKAGE_VERSION}")
                file = cls(path, connection, study, Blobs(blobs))
                file._kept = set()
                with file._transaction():
                    file._build()
                file._know_the_file()
        except TarnwaterError:
            if made:
                with contextlib.suppress(OSError):
                    connection.close()
                    path.unlink()
            raise
        return file

    @classmethod
    def open(cls, path: Path) -> StudyFile:
        """Open a file, migrated where it is older; `StudyFileError` where it is no study or is damaged."""
        if not path.exists():
            raise StudyFileError("there is no such file.", where=str(path), remedy="Check the name.")
        with path.open("rb") as raw:
            if raw.read(16) != b"SQLite format 3\x00":
                raise StudyFileError("this is no study file.", where=str(path), remedy="Open a Tarnwater study.")
        try:
            connection = sqlite3.connect(path, isolation_level=None)
            if connection.execute("PRAGMA integrity_check").fetchone()[0] != "ok":
                raise sqlite3.DatabaseError("integrity check failed")
            text = connection.execute("SELECT document FROM tarn_document").fetchone()[0]
            rows = connection.execute("SELECT digest, kind, bytes FROM tarn_data").fetchall()
            points = connection.execute("SELECT name, comment, at, document FROM tarn_point").fetchall()
        except (sqlite3.DatabaseError, TypeError) as error:
            if "locked" in str(error):
                raise StorageError("another program is writing to the study.", where=str(path)) from None
            raise StudyFileError(
                f"the file is damaged or no study ({error}).", where=str(path), remedy="Restore it from a copy."
            ) from None
        where = str(path)
        document = json.loads(text)
        study = study_from(migrated(document, where))
        file = cls(path, connection, study, Blobs({digest: Blob(kind, data) for digest, kind, data in rows}))
        if document["format"] != FORMAT:
            file._older = document
            file.said_of_older = said_of_older(document, where)
        for name, comment, at, kept_text in points:
            kept = study_from(migrated(json.loads(kept_text), where))
            file.history.points[name] = NamedPoint(name, comment, at, kept)
        file.layers_changed_outside = file._layers_changed()
        connection.execute("PRAGMA synchronous = FULL")
        file._know_the_file()
        return file

    @property
    def study(self) -> Study:
        """The present study."""
        return self.history.study

    def keep(self, name: str, comment: str = "") -> NamedPoint:
        """Keep the present study under a name, in the file too."""
        point = NamedPoint(name, comment, now(), self.study)
        self._keep(point)
        return point

    def _keep(self, point: NamedPoint) -> None:
        with self._transaction():
            self._still_ours()
            self._connection.execute(
                "INSERT OR REPLACE INTO tarn_point VALUES (?, ?, ?, ?)",
                (point.name, point.comment, point.at, point.study.as_text()),
            )
        self.history.points[point.name] = point

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
        return study_from(migrated(document))

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
        self._connection.execute(
            "INSERT INTO gpkg_spatial_ref_sys VALUES ('Undefined Cartesian', -1, 'NONE', -1, 'undefined', NULL), "
            "('Undefined geographic', 0, 'NONE', 0, 'undefined', NULL), "
            "('WGS 84', 4326, 'EPSG', 4326, ?, NULL)",
            (_WGS84,),
        )
        for layer in LAYERS:
            self._connection.execute(layer.create)
            self._connection.execute(
                "INSERT INTO gpkg_contents (table_name, data_type, identifier, srs_id) VALUES (?, 'features', ?, -1)",
                (layer.name, layer.name),
            )
            self._connection.execute(
                "INSERT INTO gpkg_geometry_columns VALUES (?, 'geom', ?, -1, 0, 0)", (layer.name, layer.geometry)
            )
        self._write_blobs()
        self._connection.execute("INSERT INTO tarn_document VALUES (1, ?)", (self.study.as_text(),))
        self._write_layers(None, self.study)

    def _know_the_file(self) -> None:
        """Remember which file this is and how many acts it holds, to notice what others do to it."""
        status = self.path.stat()
        self._identity = status.st_dev, status.st_ino
        self._acts = self._count_acts()

    def _count_acts(self) -> int:
        return int(self._connection.execute("SELECT coalesce(max(number), 0) FROM tarn_history").fetchone()[0])

    def _still_ours(self) -> None:
        """Raise `StorageError` where the file was moved, or where another program has written to the study."""
        try:
            status = self.path.stat()
        except OSError:
            status = None
        if self._identity is not None and (status is None or (status.st_dev, status.st_ino) != self._identity):
            raise StorageError(
                "the study file was moved, removed or replaced while it was open; nothing was changed in it.",
                where=str(self.path),
                remedy="Put it back, or keep the study as another file.",
            )
        if self._identity is not None and self._count_acts() != self._acts:
            raise StorageError(
                "another program has changed the study since it was opened here; nothing was overwritten.",
                where=str(self.path),
                remedy="Open it again to go on from there, or keep the study as another file.",
            )

    def keep_as(self, path: Path) -> StudyFile:
        """Keep the present study, its data and its named points as another new file, and open that."""
        other = StudyFile.create(path, self.study, self.blobs)
        for point in self.history.points.values():
            other._keep(point)
        return other

    def _write(self, label: str, before: Study, after: Study) -> None:
        digests = dict(self._layer_digests)
        try:
            self._write_all(label, before, after)
        except BaseException:
            self._layer_digests = digests
            raise

    def _write_all(self, label: str, before: Study, after: Study) -> None:
        with self._transaction():
            self._still_ours()
            self._write_blobs()
            if self._older is not None:
                self._write_act(
                    f"brought from format {self._older['format']} to {FORMAT}", self._older, before.as_dict()
                )
            written = self._as_dict(before)
            data = after.as_dict_sharing(before, written)
            self._connection.execute("UPDATE tarn_document SET document = ?", (after.as_line(),))
            self._write_act(label, written, data)
            self._write_layers(before, after)
            self._acts = self._count_acts()
        self._data = (after, data)
        self._older = None
        self._kept = set(self.blobs)

    def _as_dict(self, study: Study) -> dict[str, Any]:
        """The document as plain data, kept from when it was last written."""
        written, data = self._data
        return data if study is written and data else study.as_dict()

    def _write_act(self, label: str, before: dict[str, Any], after: dict[str, Any]) -> None:
        changes = json.dumps(changes_between(before, after), ensure_ascii=False)
        self._connection.execute(
            "INSERT INTO tarn_history (at, label, changes) VALUES (?, ?, ?)", (now(), label, changes)
        )

    def _write_blobs(self) -> None:
        for digest in set(self.blobs) - self._kept:
            blob = self.blobs[digest]
            self._connection.execute("INSERT OR IGNORE INTO tarn_data VALUES (?, ?, ?)", (digest, blob.kind, blob.data))

    def _write_layers(self, before: Study | None, after: Study) -> None:
        srs = self._srs(after)
        for layer in LAYERS:
            changed_from = None if before is None or self._srs(before) != srs else before
            new = {str(row[1]): row for row in rows_of(after, self.blobs, layer.name, srs, unlike=changed_from)}
            old = {} if before is None else {
                str(r[1]): r
                for r in rows_of(before, self.blobs, layer.name, srs, unlike=None if changed_from is None else after)
            }  # fmt: skip
            if new == old and before is not None:
                continue
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
            self._connection.execute(
                "UPDATE gpkg_geometry_columns SET srs_id = ? WHERE table_name = ?", (srs, layer.name)
            )
            if layer.name not in self.layers_changed_outside:
                gone = [row for key, row in old.items() if new.get(key) != row]
                known = self._layer_digests.get(layer.name, 0)
                digest = (known + layer_digest(changed) - layer_digest(gone)) % 2**256
                self._layer_digests[layer.name] = digest
                self._connection.execute("INSERT OR REPLACE INTO tarn_layer VALUES (?, ?)", (layer.name, str(digest)))

    def _srs(self, study: Study) -> int:
        """Number of the study's coordinate system, entered in the file; -1 without a terrain."""
        if study.terrain is None:
            return -1
        name = study.terrain.crs
        authority, _, code = name.partition(":")
        number = int(code) if authority == "EPSG" and code.isdigit() else LOCAL_SRS
        known = self._connection.execute("SELECT 1 FROM gpkg_spatial_ref_sys WHERE srs_id = ?", (number,)).fetchone()
        if known is None:
            from pyproj import CRS

            system = CRS.from_user_input(name)
            organization = "EPSG" if number != LOCAL_SRS else "NONE"
            self._connection.execute(
                "INSERT INTO gpkg_spatial_ref_sys VALUES (?, ?, ?, ?, ?, NULL)",
                (system.name, number, organization, number, system.to_wkt("WKT1_GDAL")),
            )
        return number

    def _layers_changed(self) -> tuple[str, ...]:
        kept = dict(self._connection.execute("SELECT name, digest FROM tarn_layer").fetchall())
        self._layer_digests = {layer.name: layer_digest(rows_in(self._connection, layer)) for layer in LAYERS}
        return tuple(name for name, digest in self._layer_digests.items() if kept.get(name) != str(digest))

    @contextlib.contextmanager
    def _transaction(self) -> Iterator[None]:
        with _translated(self.path):
            self._connection.execute("BEGIN IMMEDIATE")
            try:
                yield
                self._connection.execute("COMMIT")
            except BaseException:
                with contextlib.suppress(sqlite3.Error):
                    self._connection.execute("ROLLBACK")
                raise


@contextlib.contextmanager
def _translated(path: Path) -> Iterator[None]:
    """What SQLite says of the disk, told as `StorageError`."""
    try:
        yield
    except sqlite3.Error as error:
        said = str(error)
        if "full" in said:
            what, remedy = "the disk is full.", "Free some room and try again."
        elif "readonly" in said or "unable to open" in said or not os.access(path.parent, os.W_OK):
            what, remedy = "the folder or the file cannot be written.", "Choose another folder, or change its rights."
        elif "locked" in said:
            what, remedy = "another program is writing to the study.", "Close it there, or wait, and try again."
        else:
            what, remedy = f"the study could not be written ({said}).", "Check the disk, and keep a copy elsewhere."
        raise StorageError(f"{what} The study on the disk is as it was.", where=str(path), remedy=remedy) from None


_WGS84 = (
    'GEOGCS["WGS 84",DATUM["WGS_1984",SPHEROID["WGS 84",6378137,298.257223563]],PRIMEM["Greenwich",0],'
    'UNIT["degree",0.0174532925199433],AUTHORITY["EPSG","4326"]]'
)
