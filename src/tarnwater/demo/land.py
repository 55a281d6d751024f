"""Land cover, soils, the yard's layout and a picture of the demo valley, with the flaws that such data have."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from scipy import ndimage

from tarnwater.demo.valley import CRS, Valley
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.shade import hillshade

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

SEED = 1911

#: Cells of the terrain in one cell of the maps of cover and soil.
COARSE = 5

#: Codes of the land cover as the county's map has them; the last one is in no list of classes.
COVERS = {1: "HEA", 2: "RGR", 3: "PAS", 4: "PLA", 5: "VIL", 6: "WAT", 7: "X9"}

#: Soil groups; the county's survey knows land that would be of group C if it were drained.
SOILS = {1: "B", 2: "C", 3: "D", 4: "C/D"}

#: Colours of the covers in the picture, red, green and blue.
COLOURS = {
    0: (150, 150, 140), 1: (132, 110, 96), 2: (158, 150, 104), 3: (124, 156, 88), 4: (54, 88, 62), 5: (176, 152, 140),
    6: (70, 100, 130), 7: (140, 140, 140),
}  # fmt: skip

#: The timber yard: its corners from the bridge, m. It covers 8.4 ha, of which the verges round the paving are 15 %.
YARD = ((180.0, 120.0), (480.0, 120.0), (480.0, 400.0), (180.0, 400.0))


def write_land(folder: Path, valley: Valley) -> None:
    """Write cover (GeoPackage), soils (shapefile), the yard (DXF) and a picture (GeoTIFF)."""
    covers = cover_codes(valley)
    _write_cover(folder / "cover.gpkg", valley.grid, covers)
    _write_soils(folder / "soils.shp", valley.grid)
    (folder / "yard.dxf").write_text(yard_drawing(valley.places["bridge"]), encoding="utf-8")
    _write_picture(folder / "air.tif", valley.grid, covers)


def cover_codes(valley: Valley) -> np.ndarray:
    """Code of the cover of each coarse cell: by height, with plantations in patches, a village and the tarn."""
    heights = _coarse(valley.grid)
    rng = np.random.default_rng(SEED)
    patchy = ndimage.gaussian_filter(rng.normal(size=heights.shape), 4)
    patchy /= patchy.std()
    codes = np.where(heights + 30 * patchy > 360, 1, np.where(heights + 30 * patchy > 230, 2, 3))
    codes[(patchy > 1.1) & (heights < 420)] = 4
    codes[np.isnan(heights)] = 0
    _disc(codes, valley.grid, valley.places["bridge"], 420.0, 5)
    _disc(codes, valley.grid, valley.places["tarn"], 160.0, 6)
    _disc(codes, valley.grid, valley.places["quarry"], 110.0, 7)
    return codes


def _coarse(grid: Grid) -> np.ndarray:
    rows, columns = grid.shape[0] // COARSE, grid.shape[1] // COARSE
    blocks = grid.heights[: rows * COARSE, : columns * COARSE].reshape(rows, COARSE, columns, COARSE)
    found: np.ndarray = blocks.astype(float).mean(axis=(1, 3))
    return found


def _disc(codes: np.ndarray, grid: Grid, place: tuple[float, float], radius: float, code: int) -> None:
    """Set the cells within a radius, m, of a place."""
    down, across = np.indices(codes.shape)
    size = COARSE * grid.width
    x, y = grid.west + (across + 0.5) * size, grid.north - (down + 0.5) * size
    codes[np.hypot(x - place[0], y - place[1]) < radius] = code


def _polygons(grid: Grid, codes: np.ndarray, tolerance: float) -> Iterator[tuple[BaseGeometry, int]]:
    """Polygons of the codes, each simplified by itself: so there are gaps and overlaps, as between drawn ones."""
    from affine import Affine
    from rasterio.features import shapes
    from shapely.geometry import shape

    size = COARSE * grid.width
    place = Affine(size, 0, grid.west, 0, -size, grid.north)
    for geometry, code in shapes(codes.astype(np.int32), mask=codes > 0, transform=place):
        polygon = shape(geometry).simplify(tolerance)
        if polygon.area > 4 * size**2:
            yield polygon, int(code)


def _write(path: Path, shapes: list[BaseGeometry], driver: str, **fields: Any) -> None:
    from pyogrio.raw import write
    from shapely import to_wkb

    path.unlink(missing_ok=True)
    write(
        path,
        geometry=np.array([to_wkb(one) for one in shapes], object),
        field_data=[np.array(column) for column in fields.values()],
        fields=list(fields),
        geometry_type="Polygon",
        crs=CRS,
        driver=driver,
    )


def _write_cover(path: Path, grid: Grid, codes: np.ndarray) -> None:
    made = list(_polygons(grid, codes, 40.0))
    names = np.array([COVERS[code] for _, code in made], object)
    _write(path, [shape for shape, _ in made], "GPKG", landuse=names)


def _write_soils(path: Path, grid: Grid) -> None:
    """Soil groups by height and slope; steep ground is thin over rock, wet ground on the moor is of a dual group."""
    heights = _coarse(grid)
    rng = np.random.default_rng(SEED + 1)
    patchy = ndimage.gaussian_filter(rng.normal(size=heights.shape), 6)
    patchy /= patchy.std()
    down, across = np.gradient(np.nan_to_num(heights, nan=0.0), COARSE * grid.width)
    slope = np.hypot(down, across)
    codes = np.where(slope > 0.35, 3, np.where(heights + 25 * patchy > 300, 2, 1))
    codes[(patchy > 1.2) & (heights > 300)] = 4
    codes[np.isnan(heights)] = 0
    made = list(_polygons(grid, codes, 60.0))
    groups = np.array([SOILS[code] for _, code in made], object)
    sheets = np.array([f"S{number:03d}" for number in range(len(made))], object)
    _write(path, [shape for shape, _ in made], "ESRI Shapefile", SHEET=sheets, HSG=groups)


def yard_drawing(bridge: tuple[float, float]) -> str:
    """The layout of the yard as DXF: the plot, the paving and the sheds closed, a store that was left open."""
    import io

    from ezdxf.document import Drawing

    document = Drawing.new("R2010")
    document.header["$INSUNITS"] = 6
    space = document.modelspace()

    def ring(points: Any) -> list[tuple[float, float]]:
        return [(bridge[0] + x, bridge[1] + y) for x, y in points]

    space.add_lwpolyline(ring(YARD), close=True, dxfattribs={"layer": "PLOT"})
    west, south, east, north = 180.0, 120.0, 480.0, 400.0
    # the verges: a band inside the plot whose area is 15 % of it
    width = ((east - west) + (north - south) - np.sqrt(((east - west) + (north - south)) ** 2 - 4 * 0.15 * 84_000)) / 4
    inner = (
        (west + width, south + width), (east - width, south + width), (east - width, north - width),
        (west + width, north - width),
    )  # fmt: skip
    space.add_lwpolyline(ring(inner), close=True, dxfattribs={"layer": "PAVING"})
    shed = ((220.0, 160.0), (300.0, 160.0), (300.0, 200.0), (220.0, 200.0))
    space.add_lwpolyline(ring(shed), close=True, dxfattribs={"layer": "SHEDS"})
    store = ((340.0, 160.0), (420.0, 160.0), (420.0, 200.0), (340.0, 200.0), (340.0, 162.0))
    space.add_lwpolyline(ring(store), dxfattribs={"layer": "SHEDS"})
    space.add_circle(ring([(400.0, 320.0)])[0], 12.0, dxfattribs={"layer": "TANK"})
    for text, place in (
        ("Coldgarth yard", (185.0, 125.0)),
        ("Saw shed", (250.0, 180.0)),
        ("Water tank", (400.0, 320.0)),
    ):
        space.add_text(text, height=6.0, dxfattribs={"layer": "TEXT", "insert": ring([place])[0]})
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue()


def _write_picture(path: Path, grid: Grid, codes: np.ndarray) -> None:
    """A picture as from the air, 20 m a pixel: colours of the cover under the light of the relief."""
    import rasterio
    from affine import Affine

    light = hillshade(grid.heights, grid.dx, grid.dy)[::2, ::2].astype(float) / 255
    rows, columns = light.shape
    down, across = np.arange(rows) * 2 // COARSE, np.arange(columns) * 2 // COARSE
    cover = codes[np.minimum(down, codes.shape[0] - 1)[:, None], np.minimum(across, codes.shape[1] - 1)[None, :]]
    table = np.array([COLOURS[code] for code in sorted(COLOURS)], float)
    pixels = np.clip(table[cover] * (0.45 + 0.75 * light[..., None]), 0, 255).astype(np.uint8)
    size = 2 * grid.width
    with rasterio.open(
        path, "w", driver="GTiff", height=rows, width=columns, count=3, dtype="uint8", crs=CRS,
        transform=Affine(size, 0, grid.west, 0, -size, grid.north), compress="jpeg", photometric="ycbcr", tiled=True,
    ) as file:  # fmt: skip
        file.write(np.moveaxis(pixels, -1, 0))
