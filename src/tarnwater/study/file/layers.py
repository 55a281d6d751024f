"""Feature layers of the study file, readable in any GIS: catchments, reaches, points, and the links between them."""

from __future__ import annotations

import hashlib
import sqlite3
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from tarnwater.network.elements import Catchment, Reach
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs


@dataclass(frozen=True)
class Layer:
    """A feature table: its name, geometry type, and columns beside ``key`` and ``name`` with their SQL types.

    One that ``came_later`` is not in every file; the first edit adds it.
    """

    name: str
    geometry: str
    columns: tuple[tuple[str, str], ...]
    came_later: bool = False

    @property
    def create(self) -> str:
        """SQL that makes the table."""
        columns = "".join(f', "{name}" {kind}' for name, kind in self.columns)
        return (
            f'CREATE TABLE IF NOT EXISTS "{self.name}" (fid INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL, '
            f"geom {self.geometry}, key TEXT NOT NULL, name TEXT NOT NULL{columns})"
        )


LAYERS = (
    Layer("catchments", "MULTIPOLYGON", (("area_m2", "REAL"), ("curve_number", "REAL"), ("lag_s", "REAL"))),
    Layer("reaches", "LINESTRING", (("length_m", "REAL"), ("slope", "REAL"))),
    Layer("points", "POINT", (("kind", "TEXT"),)),
    Layer("flow_links", "LINESTRING", (("up", "TEXT"), ("down", "TEXT")), came_later=True),
    Layer("ground_features", "GEOMETRY", (("kind", "TEXT"), ("size_m", "REAL")), came_later=True),
)

Row = tuple[object, ...]


def rows_of(study: Study, blobs: Blobs, layer: str, srs: int, *, unlike: Study | None = None) -> Iterator[Row]:
    """Rows of a layer: geometry, key, name and the columns of the layer.

    With another study, only rows of what is not the same in it. An element whose geometry the file does not hold
    has no row, nor has a link with an end that is nowhere on the map.
    """
    if layer == "flow_links":
        yield from _links(study, srs, unlike)
        return
    if layer == "ground_features":
        yield from _features(study, blobs, srs, unlike)
        return
    for key, element in study.elements.items():
        if unlike is not None and unlike.elements.get(key) is element:
            continue
        match layer, element:
            case "catchments", Catchment(outline=outline) if (held := blobs.held(outline)) is not None:
                geometry = geometry_blob(held, srs)
                yield geometry, key, element.name, element.area.value, element.curve_number, element.lag.value
            case "reaches", Reach(path=path) if (held := blobs.held(path)) is not None:
                geometry = geometry_blob(held, srs)
                yield geometry, key, element.name, element.length.value, element.slope.value
            case "points", _ if element.place is not None:
                from shapely import Point, to_wkb

                yield geometry_blob(to_wkb(Point(element.place)), srs), key, element.name, element.tag()


def _features(study: Study, blobs: Blobs, srs: int, unlike: Study | None) -> Iterator[Row]:
    """Rows of the features of the ground, each with its line or place, and its height or depth."""
    for key, feature in study.ground_features.items():
        if unlike is not None and unlike.ground_features.get(key) is feature:
            continue
        held = blobs.held(feature.line)
        if held is not None:
            size = float(getattr(feature, feature.size)) if feature.size else None
            yield geometry_blob(held, srs), key, feature.name, feature.tag(), size


def _links(study: Study, srs: int, unlike: Study | None) -> Iterator[Row]:
    """Rows of the links, each a straight line from the element above to the one below."""
    for key, link in study.links.items():
        up, down = study.elements.get(link.up), study.elements.get(link.down)
        if unlike is not None and _same_link(unlike, study, key):
            continue
        if up is None or down is None or up.place is None or down.place is None:
            continue
        from shapely import LineString, to_wkb

        line = to_wkb(LineString([up.place, down.place]))
        yield geometry_blob(line, srs), key, f"{up.name} → {down.name}", link.up, link.down


def _same_link(one: Study, other: Study, key: str) -> bool:
    """Whether a link and both its elements are the same objects in two studies."""
    link = other.links[key]
    return one.links.get(key) is link and all(
        one.elements.get(end) is other.elements.get(end) for end in (link.up, link.down)
    )


def geometry_blob(wkb: bytes, srs: int) -> bytes:
    """A geometry as GeoPackage stores it: a header without envelope, then well-known binary."""
    return b"GP\x00\x01" + srs.to_bytes(4, "little", signed=True) + wkb


def row_digest(row: Row) -> int:
    """Digest of one row as a number."""
    return int.from_bytes(hashlib.sha256(repr(row).encode()).digest(), "big")


def layer_digest(rows: Iterable[Row]) -> int:
    """Digest of rows in any order: the sum of theirs, so that a changed row costs only itself."""
    return sum(map(row_digest, rows)) % 2**256


def rows_in(connection: sqlite3.Connection, layer: Layer) -> Iterator[Row]:
    """Rows of a layer in the file."""
    names = ", ".join(["geom", "key", "name", *(f'"{c}"' for c, _ in layer.columns)])
    yield from connection.execute(f'SELECT {names} FROM "{layer.name}"')
