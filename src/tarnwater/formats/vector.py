"""Vector layers: GeoPackage, Shapefile and GeoJSON, recognised by their first bytes; nothing else is opened."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tarnwater.errors import VectorError
from tarnwater.formats.opening import first_bytes

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

Value = str | float | bool | None

_GEOPACKAGE = b"SQLite format 3\x00"
_SHAPEFILE = b"\x00\x00\x27\x0a"

#: Arcs are replaced by chords of this angle, degrees; the area of a circle is then short by 1.3 parts in 100,000.
ARC_STEP = 0.5

#: Coordinates of GeoJSON, unless an older file states others.
GEOJSON_CRS = "OGC:CRS84"

#: What is said of a polygon whose ring does not return to its beginning.
OPEN = "has an outline that is open: its end is not at its beginning"

#: Bytes that a GeoJSON file may have.
MOST_TEXT = 500_000_000


@dataclass(frozen=True)
class Rejected:
    """A row that is left out: its number in the layer from 1, why, and where it lies if that is known."""

    number: int
    what: str
    place: tuple[float, float] | None = None


@dataclass(frozen=True, eq=False)
class VectorLayer:
    """Shapes in the plane with straight edges, and the values of their fields, in the order of the file.

    ``numbers`` are the rows in the file, from 1. ``crs`` is empty if the file states none. ``notes`` say what was
    changed in reading: heights left out, arcs replaced by chords.
    """

    name: str
    crs: str
    shapes: tuple[BaseGeometry, ...]
    numbers: tuple[int, ...]
    fields: Mapping[str, tuple[Value, ...]]
    notes: tuple[str, ...] = ()
    rejected: tuple[Rejected, ...] = ()

    def __len__(self) -> int:
        return len(self.shapes)

    def value(self, field: str, index: int) -> Value:
        """Value of a field of one shape; None where it has none."""
        return self.fields[field][index] if field in self.fields else None


def layers_of(path: Path) -> tuple[str, ...]:
    """Names of the layers with shapes in a file, in its order.

    Raises `VectorError` for a file that is missing, damaged, or of another kind.
    """
    kind = _kind_of(path)
    if kind != "GeoPackage":
        return (path.stem,)
    from pyogrio import list_layers
    from pyogrio.errors import DataSourceError

    try:
        found = list_layers(path)
    except DataSourceError as error:
        raise _damaged(path, error) from error
    return tuple(str(name) for name, geometry in found if geometry is not None)


def read_vector(path: Path, layer: str | None = None, *, crs: str | None = None) -> VectorLayer:
    """Read one layer of a vector file; the only one, if none is named.

    ``crs`` is the coordinate system where the file states none. Raises `VectorError`, with the remedy, for a file that
    is missing, damaged or of another kind, a shapefile with a part missing, a layer that does not exist, and several
    layers of which none is named.
    """
    layers = layers_of(path)
    if layer is None and len(layers) != 1:
        names = ", ".join(layers[:12]) or "none with shapes"
        raise VectorError(f"the file has {len(layers)} layers: {names}.", where=str(path), remedy="Name one of them.")
    name = layers[0] if layer is None else layer
    if name not in layers:
        raise VectorError(
            f"there is no layer “{name}”.", where=str(path), remedy=f"Name one of {', '.join(layers[:12])}."
        )
    if _kind_of(path) == "GeoJSON":
        return _read_geojson(path, name, crs)
    return _read_by_gdal(path, name, crs)


def _kind_of(path: Path) -> str:
    """GeoPackage, Shapefile or GeoJSON, by the first bytes of the file."""
    where = str(path)
    start = first_bytes(path, VectorError)
    if start.startswith(_GEOPACKAGE):
        return "GeoPackage"
    if start.startswith(_SHAPEFILE):
        _ask_for_parts(path)
        return "Shapefile"
    if start.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"{"):
        return "GeoJSON"
    raise VectorError(
        "the file is damaged or not a vector file: it begins neither as a GeoPackage, a shapefile nor GeoJSON.",
        where=where,
        remedy="Give one of these; a drawing is given as DXF.",
    )


def _ask_for_parts(path: Path) -> None:
    """A shapefile is three files; each must be there. Its .prj may be missing: then the system is asked for."""
    beside = {p.suffix.lower() for p in path.parent.glob(f"{_literal(path.stem)}.*")}
    missing = [end for end in (".shx", ".dbf") if end not in beside]
    if missing:
        raise VectorError(
            f"a part of the shapefile is missing: {path.stem}{missing[0]}.",
            where=str(path),
            remedy="Fetch it with its parts .shp, .shx, .dbf and .prj in one folder.",
        )


def _literal(stem: str) -> str:
    from glob import escape

    return escape(stem)


def _damaged(path: Path, error: Exception) -> VectorError:
    last = (str(error).strip().splitlines() or ["unreadable"])[-1].rstrip(".")
    return VectorError(
        f"the file is damaged or cut short ({last}).", where=str(path), remedy="Fetch it again, or open another."
    )


def _read_by_gdal(path: Path, layer: str, crs: str | None) -> VectorLayer:
    from pyogrio import set_gdal_config_options
    from pyogrio.errors import DataLayerError, DataSourceError, FeatureError, FieldError
    from pyogrio.raw import read

    set_gdal_config_options({"OGR_ARC_STEPSIZE": str(ARC_STEP)})
    try:
        # a condition makes it count the rows: other programs may leave a stale count, by which rows would be lost
        meta, numbers, shapes, columns = read(path, layer=layer, where="1=1", return_fids=True)
    except (DataSourceError, DataLayerError, FeatureError, FieldError, RuntimeError, ValueError) as error:
        raise _damaged(path, error) from error
    fields = {
        str(name): tuple(_plain(value) for value in column)
        for name, column in zip(meta["fields"], columns, strict=True)
    }
    rows = [1 + index for index in range(len(shapes))] if numbers is None else [int(n) for n in numbers]
    if path.suffix.lower() == ".shp":
        rows = [1 + row for row in rows]
    stated = meta["crs"] or ""
    curved = _curved(path, layer)
    notes = [f"shapes with arcs, given chords of {ARC_STEP}°: {curved}"] if curved else []
    return _made(layer, system_of(stated, crs, path), shapes, rows, fields, notes)


def _curved(path: Path, layer: str) -> int:
    """How many shapes of a layer have arcs; a shapefile cannot have any."""
    if path.suffix.lower() == ".shp":
        return 0
    from pyogrio.errors import DataSourceError
    from pyogrio.raw import read

    kinds = "'%CURVE%' OR ST_GeometryType(g) LIKE '%CIRCULAR%' OR ST_GeometryType(g) LIKE '%SURFACE%'"
    quoted = layer.replace('"', '""')
    column = _geometry_column(path, layer)
    sql = f'SELECT g FROM (SELECT "{column}" AS g FROM "{quoted}") WHERE ST_GeometryType(g) LIKE {kinds}'
    try:
        found = read(path, sql=sql, read_geometry=True)[2]
    except (DataSourceError, RuntimeError, ValueError):
        return 0
    return 0 if found is None else len(found)


def _geometry_column(path: Path, layer: str) -> str:
    from pyogrio import read_info

    return str(read_info(path, layer=layer)["geometry_name"] or "geom").replace('"', '""')


def _plain(value: Any) -> Value:
    """A value of a field as text, number, truth or nothing."""
    if value is None:
        return None
    if isinstance(value, bool | np.bool_):
        return bool(value)
    if isinstance(value, int | float | np.integer | np.floating):
        number = float(value)
        return number if np.isfinite(number) else None
    if isinstance(value, np.datetime64):
        return None if np.isnat(value) else str(value)
    return str(value)


def system_of(stated: str, given: str | None, path: Path) -> str:
    """The coordinate system stated by a file, or else the one given; empty if there is neither."""
    from pyproj import CRS
    from pyproj.exceptions import CRSError

    text = stated or given or ""
    if not text:
        return ""
    try:
        system = CRS.from_user_input(text)
    except CRSError as error:
        raise VectorError(
            f"“{text[:60]}” is not a known coordinate system.",
            where=str(path),
            remedy="Give it as EPSG:… or as well-known text.",
        ) from error
    code = system.to_authority()
    return ":".join(code) if code else str(system.to_wkt())


def _made(
    name: str,
    crs: str,
    wkb: Sequence[bytes | None],
    rows: Sequence[int],
    fields: Mapping[str, tuple[Value, ...]],
    notes: list[str],
) -> VectorLayer:
    """A layer from well-known binary: shapes in the plane; what has no usable coordinates is rejected."""
    import shapely

    shapes = shapely.from_wkb(np.array(wkb, object), on_invalid="ignore") if len(wkb) else np.array([], object)
    bad = {i for i, (shape, raw) in enumerate(zip(shapes, wkb, strict=True)) if shape is None and raw is not None}
    rejected = []
    for index in sorted(bad):
        closed = shapely.from_wkb(wkb[index], on_invalid="fix")
        place = None if closed is None or closed.is_empty else tuple(shapely.get_coordinates(closed)[0].tolist())
        what = "has a geometry that cannot be read" if place is None else OPEN
        rejected.append(Rejected(rows[index], what, place))
    kept = [i for i in range(len(wkb)) if i not in bad]
    chosen = {field: tuple(column[i] for i in kept) for field, column in fields.items()}
    return layer_of(name, crs, [shapes[i] for i in kept], [rows[i] for i in kept], chosen, notes, rejected)


def layer_of(
    name: str,
    crs: str,
    shapes: Sequence[BaseGeometry | None],
    rows: Sequence[int],
    fields: Mapping[str, tuple[Value, ...]],
    notes: Sequence[str] = (),
    rejected: Sequence[Rejected] = (),
) -> VectorLayer:
    """A layer from shapes: heights are left out, and shapes without usable coordinates are rejected."""
    import shapely

    high = sum(1 for shape in shapes if shape is not None and shape.has_z)
    notes = [*notes, *([f"shapes whose heights were left out: {high}"] if high else [])]
    kept, left = [], list(rejected)
    for index, shape in enumerate(shapes):
        if shape is None or shape.is_empty:
            left.append(Rejected(rows[index], "has no shape"))
        elif not np.isfinite(shapely.get_coordinates(shape)).all():
            left.append(Rejected(rows[index], "has coordinates that are no numbers"))
        else:
            kept.append(index)
    flat = shapely.force_2d(np.array([shapes[i] for i in kept], object)) if kept else []
    return VectorLayer(
        name=name,
        crs=crs,
        shapes=tuple(flat),
        numbers=tuple(rows[i] for i in kept),
        fields={field: tuple(column[i] for i in kept) for field, column in fields.items()},
        notes=tuple(notes),
        rejected=tuple(left),
    )


def in_system(layer: VectorLayer, crs: str, *, swap_axes: bool = False) -> VectorLayer:
    """The layer in another coordinate system; ``swap_axes`` takes its first coordinate for the second.

    Raises `VectorError` if the layer states no system. A shape that has no place in the other system is rejected.
    """
    import shapely
    from pyproj import Transformer

    if not layer.crs:
        raise VectorError(
            "the file states no coordinate system.", where=layer.name, remedy="Give it, for example as EPSG:27700."
        )
    move = Transformer.from_crs(layer.crs, crs, always_xy=True)
    same = layer.crs == crs

    def moved(points: np.ndarray) -> np.ndarray:
        x, y = points[:, ::-1].T if swap_axes else points.T
        return np.column_stack((x, y) if same else move.transform(x, y))

    shapes = [shapely.transform(shape, moved) for shape in layer.shapes]
    beyond = {i for i, shape in enumerate(shapes) if not np.isfinite(shapely.get_coordinates(shape)).all()}
    kept = [i for i in range(len(shapes)) if i not in beyond]
    lost = tuple(Rejected(layer.numbers[i], "lies where the coordinate system has no places") for i in sorted(beyond))
    notes = () if same else (f"moved from {layer.crs} to {crs}",)
    return VectorLayer(
        name=layer.name,
        crs=crs,
        shapes=tuple(shapes[i] for i in kept),
        numbers=tuple(layer.numbers[i] for i in kept),
        fields={field: tuple(column[i] for i in kept) for field, column in layer.fields.items()},
        notes=(*layer.notes, *(("its axes were swapped",) if swap_axes else ()), *notes),
        rejected=(*layer.rejected, *lost),
    )


def _read_geojson(path: Path, name: str, crs: str | None) -> VectorLayer:
    """Read GeoJSON (RFC 7946) with ``json`` and Shapely."""
    if path.stat().st_size > MOST_TEXT:
        raise VectorError("the file is larger than 500 MB.", where=str(path), remedy="Give it as a GeoPackage.")
    try:
        content = json.loads(path.read_text(encoding="utf-8-sig"))
    except (ValueError, RecursionError) as error:
        raise _damaged(path, error) from error
    features = _features(content, path)
    names = list(dict.fromkeys(key for feature in features for key in (feature.get("properties") or {})))
    fields = {
        str(key): tuple(_from_json((feature.get("properties") or {}).get(key)) for feature in features) for key in names
    }
    shapes, rejected = [], []
    for number, feature in enumerate(features, 1):
        geometry = feature.get("geometry")
        shape = None if geometry is None else _shape_of(geometry)
        if shape is None and geometry is not None:
            start = _start_of_open_ring(geometry)
            what = "has a geometry that cannot be read" if start is None else OPEN
            rejected.append(Rejected(number, what, start))
        shapes.append(shape)
    kept = [i for i in range(len(features)) if i + 1 not in {r.number for r in rejected}]
    return layer_of(
        name,
        system_of(_stated_in(content), crs, path) or GEOJSON_CRS,
        [shapes[i] for i in kept],
        [i + 1 for i in kept],
        {key: tuple(column[i] for i in kept) for key, column in fields.items()},
        (),
        rejected,
    )


def _features(content: Any, path: Path) -> list[dict[str, Any]]:
    """Features of a GeoJSON text; a single feature or geometry counts as one."""
    kind = content.get("type") if isinstance(content, dict) else None
    if kind == "FeatureCollection" and isinstance(content.get("features"), list):
        found = list(content["features"])
    elif kind == "Feature":
        found = [content]
    elif kind is not None and ("coordinates" in content or "geometries" in content):
        found = [{"geometry": content, "properties": {}}]
    else:
        raise VectorError("this JSON is not GeoJSON.", where=str(path), remedy="Give a FeatureCollection.")
    if not all(isinstance(f, dict) and isinstance(f.get("properties") or {}, dict) for f in found):
        raise VectorError("a feature of this GeoJSON is no object.", where=str(path), remedy="Fetch it again.")
    return found


def _stated_in(content: dict[str, Any]) -> str:
    """The coordinate system in the ``crs`` member of older GeoJSON; the present standard has none."""
    member = content.get("crs")
    name = (member.get("properties") or {}).get("name") if isinstance(member, dict) else None
    return name if isinstance(name, str) else ""


def _from_json(value: Any) -> Value:
    return _plain(value) if value is None or isinstance(value, str | int | float) else json.dumps(value)


def _start_of_open_ring(geometry: Any) -> tuple[float, float] | None:
    """Where the first ring of a polygon begins that does not return to its beginning; None if there is none."""
    kind, coordinates = geometry.get("type"), geometry.get("coordinates")
    try:
        for part in {"Polygon": [coordinates], "MultiPolygon": coordinates}.get(kind, []):
            for ring in part:
                if ring[0] != ring[-1]:
                    return float(ring[0][0]), float(ring[0][1])
    except (TypeError, IndexError, ValueError, KeyError):
        return None
    return None


def _shape_of(geometry: Any) -> BaseGeometry | None:
    import shapely
    from shapely.errors import ShapelyError

    try:
        return shapely.from_geojson(json.dumps(geometry))
    except (ShapelyError, ValueError, TypeError):
        return None
