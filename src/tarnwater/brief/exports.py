"""The map for other programs: its layers as vector files and drawings, and grids of the terrain."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from tarnwater.brief.pictures import PICTURE_ENDS, write_map
from tarnwater.cover.classes import Hatch
from tarnwater.errors import BadInput, UnknownName
from tarnwater.formats.shapes import metres_per_unit
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.delineation import catchments_of
from tarnwater.study.file.writing import write_whole
from tarnwater.study.pictures.land import LandSign, Theme
from tarnwater.study.pictures.layers import ShapeLayer, shape_layers_of
from tarnwater.terrain.catchments import Catchments
from tarnwater.terrain.drainage import Drainage

#: Vector formats by the end of the file's name, with the driver.
VECTOR_ENDS = {".gpkg": "GPKG", ".geojson": "GeoJSON", ".json": "GeoJSON", ".shp": "ESRI Shapefile", ".dxf": ""}

#: Ends of the names of grids.
GRID_ENDS = (".tif", ".tiff")

#: Grids by name, with their unit and what they hold.
GRIDS = {
    "raw": ("m", "heights as they were read"),
    "conditioned": ("m", "heights with features, breached and filled"),
    "directions": (
        "",
        "flow directions 0 to 7: E, S, W, N, SE, SW, NW, NE; 8 out of the terrain, 9 an end of the flow",
    ),
    "upstream": ("m²", "area that drains through each cell"),
    "catchments": ("", "number of the catchment, in the order of the outlets, from 1; 0 in none"),
}

#: GeoJSON is written in this system, as its standard says.
GEOJSON_CRS = "OGC:CRS84"


def write_export(
    path: Path,
    study: Study,
    blobs: Blobs,
    drainage: Drainage | None,
    *,
    layers: Sequence[str] = (),
    grid: str = "",
    paper: str = "A4",
    landscape: bool = False,
    scale: float | None = None,
    land: Theme | None = None,
    hatched: bool = True,
    names: Mapping[str, str] | None = None,
) -> list[Path]:
    """Write the map by the end of the file's name: its layers, a grid, or a picture at print size; returns the files.

    ``names`` are those of covers in other programs. A picture shows ``land``, cover or soils, ``hatched`` or in colours
    alone. Raises `UnknownName` for another end, layer, grid or paper, and `BadInput` where the terrain is needed: for
    grids and pictures, and in a study with a terrain also for its streams.
    """
    end = path.suffix.lower()
    if end not in (*VECTOR_ENDS, *GRID_ENDS, *PICTURE_ENDS):
        known = [*VECTOR_ENDS, *GRID_ENDS, *PICTURE_ENDS]
        raise UnknownName(end or path.name, known, kind="end of a file's name")
    if drainage is None and (study.terrain is not None or end not in VECTOR_ENDS):
        what = "the study has no terrain." if study.terrain is None else "the terrain is still being opened."
        raise BadInput(what, where=path.name, remedy="Open one, or wait until it is open.")
    if end in VECTOR_ENDS:
        return write_shapes(path, chosen_layers(shape_layers_of(study, blobs, drainage, names), layers), study.map_crs)
    assert drainage is not None
    if end in GRID_ENDS:
        write_grid(path, drainage, grid or "conditioned", catchments_of(study, drainage))
    else:
        write_map(
            path, study, blobs, drainage, paper=paper, landscape=landscape, scale=scale, land=land, hatched=hatched
        )  # fmt: skip
    return [path]


def chosen_layers(layers: Mapping[str, ShapeLayer], names: Sequence[str]) -> list[ShapeLayer]:
    """The layers of some names, or all; `UnknownName` for one that is not there, `BadInput` if there is none at all."""
    for name in names:
        if name not in layers:
            raise UnknownName(name, layers, kind="layer of the map")
    chosen = [layer for name, layer in layers.items() if not names or name in names]
    if not chosen:
        raise BadInput("the map holds nothing to write.", remedy="Delineate on a terrain, or import shapes first.")
    return chosen


def write_shapes(path: Path, layers: Sequence[ShapeLayer], crs: str) -> list[Path]:
    """Write layers into a GeoPackage or a drawing, or one file each of GeoJSON or shapefiles; returns the files.

    Several layers of the last two have the name of the layer behind that of the file. Files are whole at any time.
    Raises `UnknownName` for another end of the name.
    """
    end = path.suffix.lower()
    if end not in VECTOR_ENDS:
        raise UnknownName(end or path.name, VECTOR_ENDS, kind="end of a vector file's name")
    if end == ".dxf":
        write_whole(path, _drawing(layers, crs))
        return [path]
    with tempfile.TemporaryDirectory() as folder:
        made = _written(Path(folder), path, layers, crs, VECTOR_ENDS[end])
        for one in made:
            write_whole(path.parent / one.name, one.read_bytes())
    return [path.parent / one.name for one in made]


def _written(folder: Path, path: Path, layers: Sequence[ShapeLayer], crs: str, driver: str) -> list[Path]:
    """The files of some layers in a folder of their own."""
    single = driver == "GPKG" or len(layers) == 1
    for layer in layers:
        name = path.name if single else f"{path.stem}-{layer.name}{path.suffix}"
        goal = GEOJSON_CRS if driver == "GeoJSON" and crs else crs
        _write_layer(folder / name, layer, driver, crs, goal)
    return sorted(folder.iterdir())


def _write_layer(path: Path, layer: ShapeLayer, driver: str, crs: str, goal: str) -> None:
    import shapely
    from pyogrio.raw import write

    shapes = np.array(layer.shapes, object)
    if goal != crs:
        from pyproj import Transformer

        move = Transformer.from_crs(crs, goal, always_xy=True)
        shapes = shapely.transform(shapes, lambda points: np.column_stack(move.transform(*points.T)))
    options: dict[str, Any] = {"RFC7946": "YES"} if driver == "GeoJSON" and crs else {}
    write(
        path,
        geometry=shapely.to_wkb(shapes),
        field_data=[layer.column(number) for number in range(len(layer.fields))],
        fields=list(layer.fields),
        layer=layer.name if driver == "GPKG" else None,
        geometry_type=layer.geometry,
        crs=goal or None,
        driver=driver,
        append=driver == "GPKG" and path.exists(),
        layer_options=options,
    )


def _drawing(layers: Sequence[ShapeLayer], crs: str) -> str:
    """A DXF drawing in the units of the coordinate system: outlines, lines and points, with names as texts."""
    import io

    from ezdxf.document import Drawing

    document = Drawing.new("R2010")
    metres = metres_per_unit(crs) if crs else 1.0
    document.header["$INSUNITS"] = {1.0: 6, 0.3048: 2}.get(metres, 21 if metres != 1.0 else 6)
    space = document.modelspace()
    for number, layer in enumerate(layers, start=1):
        document.layers.add(layer.name, color=number)
        named = layer.fields.index("name") if "name" in layer.fields else None
        for shape, row in zip(layer.shapes, layer.rows, strict=True):
            _draw(space, shape, layer.name)
            if layer.signs:
                continue
            if named is not None and layer.geometry in ("MultiPolygon", "Point"):
                _write_name(space, shape, str(row[named]), layer.name)
        if layer.signs:
            _hatch(space, layer)
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue()


#: Patterns of drawings for the hatches, with the angle by which each is turned.
PATTERNS: Mapping[Hatch, tuple[str, float]] = {
    "plain": ("", 0), "dots": ("DOTS", 0), "level": ("LINE", 0), "upright": ("LINE", 90), "slanting": ("ANSI31", 0),
    "counter-slanting": ("ANSI31", 90), "crossed": ("NET", 0), "net": ("ANSI37", 0),
}  # fmt: skip


def _hatch(space: Any, layer: ShapeLayer) -> None:
    """Hatch the shapes of cover or soil, and put a legend to the right of them."""
    import shapely

    west, south, east, north = shapely.total_bounds(layer.shapes).tolist()
    size = max(east - west, north - south)
    for shape, sign in zip(layer.shapes, layer.signs, strict=True):
        for part in shape.geoms:
            rings = [list(ring.coords)[:-1] for ring in (part.exterior, *part.interiors)]
            _add_hatch(space, layer.name, rings, sign, size / 4000)
    for row, sign in enumerate(dict.fromkeys(layer.signs)):
        left, top, high = east + 0.03 * size, north - 0.04 * size * row, 0.025 * size
        box = [(left, top), (left + 2 * high, top), (left + 2 * high, top - high), (left, top - high)]
        _add_hatch(space, layer.name, [box], sign, size / 4000)
        space.add_lwpolyline(box, close=True, dxfattribs={"layer": layer.name})
        place = {"layer": layer.name, "insert": (left + 2.6 * high, top - 0.8 * high)}
        space.add_text(sign.words, height=0.6 * high, dxfattribs=place)


def _add_hatch(space: Any, layer: str, rings: Sequence[Any], sign: LandSign, scale: float) -> None:
    pattern, angle = PATTERNS[sign.hatch]
    hatch = space.add_hatch(dxfattribs={"layer": layer})
    hatch.rgb = tuple(int(sign.colour[at : at + 2], 16) for at in (1, 3, 5))
    if pattern:
        hatch.set_pattern_fill(pattern, scale=max(scale, 0.01), angle=angle)
    for number, ring in enumerate(rings):
        hatch.paths.add_polyline_path(ring, is_closed=True, flags=1 if number == 0 else 16)


def _draw(space: Any, shape: Any, layer: str) -> None:
    attributes = {"layer": layer}
    for part in getattr(shape, "geoms", [shape]):
        if part.geom_type == "Polygon":
            for ring in (part.exterior, *part.interiors):
                space.add_lwpolyline(list(ring.coords)[:-1], close=True, dxfattribs=attributes)
        elif part.geom_type == "Point":
            space.add_point((part.x, part.y), dxfattribs=attributes)
        else:
            space.add_lwpolyline(list(part.coords), dxfattribs=attributes)


def _write_name(space: Any, shape: Any, text: str, layer: str) -> None:
    inside = shape.representative_point()
    size = max(0.02 * float(np.sqrt(max(shape.area, 0.0))), 1.0)
    space.add_text(text, height=size, dxfattribs={"layer": layer, "insert": (inside.x, inside.y)})


def write_grid(path: Path, drainage: Drainage, which: str, catchments: Catchments | None = None) -> None:
    """Write one of `GRIDS` of a terrain as a GeoTIFF; that of catchments needs them. The file is whole at any time."""
    if which not in GRIDS:
        raise UnknownName(which, GRIDS, kind="grid of the terrain")
    grid = drainage.grid
    no_data: float = np.nan
    if which == "raw":
        values = grid.heights
    elif which == "conditioned":
        values = np.where(np.isnan(grid.heights), np.nan, drainage.filled).astype(grid.heights.dtype)
    elif which == "directions":
        values, no_data = np.where(drainage.directions <= 9, drainage.directions, 255).astype(np.uint8), 255
    elif which == "upstream":
        values = np.where(np.isnan(grid.heights), np.nan, drainage.upstream * grid.cell_area)
    else:
        if catchments is None:
            raise BadInput("there are no catchments.", where=which, remedy="Place an outlet first.")
        values, no_data = catchments.labels.astype(np.int32), 0
    write_whole(path, _tiff(values, drainage, GRIDS[which], no_data))


def _tiff(values: np.ndarray, drainage: Drainage, told: tuple[str, str], no_data: float) -> bytes:
    from affine import Affine
    from rasterio.io import MemoryFile

    grid = drainage.grid
    place = Affine(grid.width, 0, grid.west, 0, -grid.height, grid.north)
    with MemoryFile() as memory:
        with memory.open(
            driver="GTiff",
            height=grid.shape[0],
            width=grid.shape[1],
            count=1,
            dtype=values.dtype,
            crs=grid.crs,
            transform=place,
            nodata=no_data,
            compress="deflate",
            tiled=True,
        ) as target:
            target.write(values, 1)
            target.units = (told[0],)
            target.set_band_description(1, told[1])
        return bytes(memory.read())
