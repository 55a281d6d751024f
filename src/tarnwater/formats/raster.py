"""Elevation grids: GeoTIFF, ASCII grid, and what else the raster library opens."""

from __future__ import annotations

import warnings
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np

from tarnwater.errors import GridError
from tarnwater.progress import Progress
from tarnwater.terrain.grid import Grid
from tarnwater.units import FOOT, US_SURVEY_FOOT

HeightUnit = Literal["m", "ft", "us-ft"]
HEIGHT_UNITS: dict[str, float] = {"m": 1.0, "ft": FOOT, "us-ft": US_SURVEY_FOOT}

_STATED = {
    "m": "m",
    "metre": "m",
    "meter": "m",
    "metres": "m",
    "ft": "ft",
    "foot": "ft",
    "feet": "ft",
    "us survey foot": "us-ft",
    "ftus": "us-ft",
    "us-ft": "us-ft",
}


#: Rows and columns of the blocks in which a grid is kept.
BLOCK = 256


@dataclass(frozen=True, eq=False)
class ElevationImport:
    """A grid as read, and what was assumed or changed on the way, in words."""

    grid: Grid
    notes: tuple[str, ...]


def read_elevation(
    path: Path,
    *,
    crs: str | None = None,
    height_unit: HeightUnit | None = None,
    reproject: str | None = None,
    cell_size: float | None = None,
) -> ElevationImport:
    """Read an elevation grid into metres, north up, in a projected coordinate system.

    Parameters
    ----------
    crs : the coordinate system where the file states none.
    height_unit : the unit of the heights where the file states none.
    reproject : the projected system (``EPSG:…``, or ``auto``) into which a grid in degrees is brought,
        bilinearly.
    cell_size : m, of the reprojected grid; by default the true size of its cells at mid-latitude.

    Raises `GridError`, with what to say, for a grid without coordinate system, in degrees, in feet
    with heights in an unstated unit, rotated, with several bands, damaged, or with nothing in it.
    """
    import rasterio
    from rasterio.errors import RasterioError

    where = str(path)
    if not path.is_file():
        raise GridError("there is no such file.", where=where, remedy="Check the name and the folder.")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", rasterio.errors.NotGeoreferencedWarning)
            with rasterio.open(path) as source:
                return _read(source, where, crs, height_unit, reproject, cell_size)
    except RasterioError as error:
        raise GridError(
            f"the file is damaged, cut short, or no grid ({_last_line(error)}).",
            where=where,
            remedy="Fetch it again, or open another.",
        ) from None
    except GridError as error:
        error.where = error.where or where
        raise


def _last_line(error: Exception) -> str:
    return (str(error.__cause__ or error).strip().splitlines() or ["unreadable"])[-1].rstrip(".")


def _read(
    source: Any, where: str, crs: str | None, height_unit: HeightUnit | None, reproject: str | None, size: float | None
) -> ElevationImport:
    if source.count != 1:
        raise GridError(
            f"the file has {source.count} bands; an elevation grid has one.", remedy="Give the elevation alone."
        )
    notes: list[str] = []
    system = _system(source, crs)
    heights = source.read(1, masked=True)
    heights = heights.astype(np.float64 if heights.dtype == np.float64 else np.float32).filled(np.nan)
    transform = source.transform
    if system.is_geographic:
        heights, transform, system = _reprojected(heights, transform, system, source, reproject, size, notes)
    if transform.b or transform.d:
        raise GridError("the grid is turned; its rows must run east and west.", remedy="Warp it north up first.")
    west, north, height = transform.c, transform.f, -transform.e
    if height < 0:
        heights, north, height = heights[::-1], north + transform.e * source.height, -height
        notes.append("the rows ran northward and were turned over")
    metres = _metres_per_unit(system)
    unit = _height_unit(source, height_unit, metres, notes)
    if HEIGHT_UNITS[unit] != 1.0:
        heights = (heights.astype(np.float64) * HEIGHT_UNITS[unit]).astype(heights.dtype)
        notes.append(f"heights in {unit} were turned into metres, 1 {unit} = {HEIGHT_UNITS[unit]:.10g} m")
    grid = Grid(np.ascontiguousarray(heights), west, north, transform.a, height, _name_of(system), metres)
    return ElevationImport(grid, tuple(notes))


def _system(source: Any, crs: str | None) -> Any:
    from pyproj import CRS
    from pyproj.exceptions import CRSError

    if source.crs is None and crs is None:
        raise GridError(
            "the grid states no coordinate system.",
            remedy="Give the one it is in, for example --crs EPSG:27700.",
        )
    try:
        return CRS.from_user_input(crs if source.crs is None else source.crs.to_wkt())
    except CRSError:
        raise GridError(
            f"“{crs}” is not a known coordinate system.", remedy="Give it as EPSG:… or as well-known text."
        ) from None


def _reprojected(
    heights: np.ndarray,
    transform: Any,
    system: Any,
    source: Any,
    target: str | None,
    size: float | None,
    notes: list[str],
) -> tuple[np.ndarray, Any, Any]:
    from pyproj import CRS, Geod
    from rasterio.warp import Resampling, calculate_default_transform, reproject

    left, bottom, right, top = source.bounds
    middle = (left + right) / 2, (bottom + top) / 2
    zone = f"EPSG:{(32600 if middle[1] >= 0 else 32700) + int((middle[0] + 180) // 6) % 60 + 1}"
    if target is None:
        raise GridError(
            f"the grid is in degrees ({system.name}); lengths and areas need a projected system.",
            remedy=f"Have it brought into one: --reproject auto takes {zone} (UTM), or name another.",
        )
    goal = CRS.from_user_input(zone if target == "auto" else target)
    if not goal.is_projected:
        raise GridError(f"{goal.name} is not a projected system.", remedy=f"Name one, for example {zone}.")
    geod = Geod(ellps="WGS84")
    across = geod.inv(middle[0], middle[1], middle[0] + abs(transform.a), middle[1])[2]
    along = geod.inv(middle[0], middle[1], middle[0], middle[1] + abs(transform.e))[2]
    metres = size or float(np.sqrt(across * along))
    resolution = metres / _metres_per_unit(goal)
    new, width, height = calculate_default_transform(
        source.crs or system.to_wkt(), goal.to_wkt(), source.width, source.height, *source.bounds, resolution=resolution
    )
    out = np.full((height, width), np.nan, heights.dtype)
    reproject(
        heights,
        out,
        src_transform=transform,
        src_crs=system.to_wkt(),
        dst_transform=new,
        dst_crs=goal.to_wkt(),
        src_nodata=np.nan,
        dst_nodata=np.nan,
        resampling=Resampling.bilinear,
    )
    notes.append(f"brought from {system.name} into {_name_of(goal)} bilinearly, cells of {metres:.4g} m")
    return out, new, goal


def _metres_per_unit(system: Any) -> float:
    return float(system.axis_info[0].unit_conversion_factor)


def _height_unit(source: Any, given: HeightUnit | None, metres: float, notes: list[str]) -> str:
    stated = _STATED.get((source.units[0] or "").strip().lower())
    if given is not None:
        if stated is not None and stated != given:
            notes.append(f"the file states heights in {stated}; {given} was taken as asked")
        return given
    if stated is not None:
        return stated
    if metres != 1.0:
        raise GridError(
            "the grid is in feet in plan and does not say in what its heights are.",
            remedy="Say it: --height-unit m, ft or us-ft.",
        )
    notes.append("the file states no unit for its heights; metres were taken")
    return "m"


def _name_of(system: Any) -> str:
    code = system.to_epsg()
    return f"EPSG:{code}" if code else system.to_wkt()


def grid_to_bytes(grid: Grid, progress: Progress | None = None) -> bytes:
    """A grid as the bytes of a compressed GeoTIFF, heights in metres; `Cancelled` where it is stopped."""
    from affine import Affine
    from rasterio.io import MemoryFile
    from rasterio.windows import Window

    place = Affine(grid.width, 0, grid.west, 0, -grid.height, grid.north)
    rows, columns = grid.shape
    with MemoryFile() as memory:
        with memory.open(
            driver="GTiff",
            height=rows,
            width=columns,
            count=1,
            dtype=grid.heights.dtype,
            crs=grid.crs,
            transform=place,
            nodata=np.nan,
            compress="deflate",
            predictor=3,
            tiled=True,
            blockxsize=BLOCK,
            blockysize=BLOCK,
        ) as target:
            for top in range(0, rows, BLOCK):
                (progress or Progress()).tell("keeping the grid", top / rows)
                strip = grid.heights[top : top + BLOCK]
                target.write(strip, 1, window=Window(0, top, columns, len(strip)))
            target.units = ("m",)
        return bytes(memory.read())


def grid_from_bytes(data: bytes, where: str = "") -> Grid:
    """The grid written by `grid_to_bytes`."""
    from rasterio.errors import RasterioError
    from rasterio.io import MemoryFile

    try:
        with MemoryFile(data) as memory, memory.open() as source:
            return _read(source, where, None, None, None, None).grid
    except RasterioError as error:
        raise GridError(f"the kept grid is damaged ({_last_line(error)}).", where=where) from None


def scale_factor(grid: Grid) -> float:
    """Length on the map over length on the ground in the middle of a grid."""
    from pyproj import CRS, Proj, Transformer

    system = CRS.from_user_input(grid.crs)
    rows, columns = grid.shape
    x, y = grid.centre(rows / 2, columns / 2)
    longitude, latitude = Transformer.from_crs(system, system.geodetic_crs, always_xy=True).transform(x, y)
    return float(np.sqrt(Proj(system).get_factors(longitude, latitude).areal_scale))
