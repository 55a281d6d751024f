"""Elevation grids: GeoTIFF and ASCII grid, recognised by their first bytes; nothing else is opened."""

from __future__ import annotations

import warnings
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from tarnwater.errors import GridError
from tarnwater.formats.ascii_grid import looks_like_ascii_grid, read_ascii_grid
from tarnwater.formats.opening import first_bytes
from tarnwater.progress import Progress
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.relief import Relief, relief_of
from tarnwater.units import FOOT, US_SURVEY_FOOT

if TYPE_CHECKING:
    from affine import Affine
    from pyproj import CRS

#: West, south, east and north.
Bounds = tuple[float, float, float, float]

HeightUnit = Literal["m", "ft", "us-ft", "km", "dm", "cm", "mm"]
HEIGHT_UNITS: dict[HeightUnit, float] = {
    "m": 1.0, "ft": FOOT, "us-ft": US_SURVEY_FOOT, "km": 1000.0, "dm": 0.1, "cm": 0.01, "mm": 0.001,
}  # fmt: skip

_STATED: dict[str, HeightUnit] = {
    "m": "m", "metre": "m", "meter": "m", "metres": "m", "meters": "m", "ft": "ft", "foot": "ft", "feet": "ft",
    "international foot": "ft", "us survey foot": "us-ft", "us-ft": "us-ft", "ftus": "us-ft", "us ft": "us-ft",
    "km": "km", "kilometre": "km", "kilometer": "km", "kilometres": "km", "dm": "dm", "decimetre": "dm",
    "decimeter": "dm", "decimetres": "dm", "cm": "cm", "centimetre": "cm", "centimeter": "cm", "centimetres": "cm",
    "mm": "mm", "millimetre": "mm", "millimeter": "mm", "millimetres": "mm",
}  # fmt: skip

#: First bytes of a GeoTIFF: little or big endian, classic or large.
_TIFF = (b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+")

#: Rows and columns of the blocks in which a grid is kept.
BLOCK = 256

#: Cells that a grid may have.
MOST_CELLS = 150_000_000

#: Integers up to this many bytes are exact in single precision.
EXACT_BYTES = 2

#: Values that are often used as a fill for no data, and the limit above which a value is not a height.
FILLS = (-9999.0, -99999.0, -32768.0, -32767.0, 32767.0, 65535.0, 9999.0)
ABSURD = 1e5


@dataclass(frozen=True)
class UndeclaredFill:
    """A value that looks like a fill for no data but is not declared as one, with the number of cells."""

    value: float
    cells: int
    at_edge: bool


@dataclass(frozen=True, eq=False)
class ElevationImport:
    """A grid as read, with assumptions and changes in words, and doubtful fills."""

    grid: Grid
    notes: tuple[str, ...]
    fills: tuple[UndeclaredFill, ...] = ()


def read_elevation(
    path: Path,
    *,
    crs: str | None = None,
    height_unit: HeightUnit | None = None,
    reproject: str | None = None,
    cell_size: float | None = None,
    no_data: float | None = None,
    within: Bounds | None = None,
    progress: Progress | None = None,
) -> ElevationImport:
    """Read an elevation grid into metres, north up, in a projected coordinate system.

    Parameters
    ----------
    crs : the coordinate system where the file states none.
    height_unit : the unit of the heights where the file states none.
    reproject : the projected system (``EPSG:…``, or ``auto``) to which a grid in degrees is reprojected, bilinearly.
    cell_size : m, of the reprojected grid; by default the true size of its cells at mid-latitude.
    no_data : a value, as it stands in the file, that is no data though the file does not declare it.
    within : west, south, east and north, in the coordinates of the file, of the part to cut out; whole cells are read.

    Raises `GridError`, with the remedy, for a grid without a coordinate system, in degrees, in feet with heights in an
    unstated unit, with heights in an unknown unit, rotated, with several bands, with too many cells, beside the part
    asked for, damaged, or empty; and for a file that is neither a GeoTIFF nor an ASCII grid, whatever its name.
    """
    where = str(path)
    start = first_bytes(path, GridError)
    asked = _Asked(crs, height_unit, reproject, cell_size, no_data, within, progress or Progress())
    try:
        if start.startswith(_TIFF):
            return _read_tiff(path, asked)
        if looks_like_ascii_grid(start):
            return _read_ascii(path, asked)
    except GridError as error:
        error.where = error.where or where
        raise
    raise GridError(
        "the file is damaged, cut short, or not a grid: it begins neither as a GeoTIFF nor as an ASCII grid.",
        where=where,
        remedy="Give one of these two.",
    )


@dataclass(frozen=True)
class _Asked:
    """Options given for a grid."""

    crs: str | None = None
    height_unit: HeightUnit | None = None
    reproject: str | None = None
    cell_size: float | None = None
    no_data: float | None = None
    within: Bounds | None = None
    progress: Progress = field(default_factory=Progress)


def _read_tiff(source_of: Any, asked: _Asked) -> ElevationImport:
    """Read a GeoTIFF from a path or a file in memory; nothing but that format is tried."""
    import rasterio
    from rasterio.errors import RasterioError

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", rasterio.errors.NotGeoreferencedWarning)
            with rasterio.open(source_of, driver="GTiff") as source:
                return _read(source, asked)
    except RasterioError as error:
        raise GridError(
            f"the file is damaged, cut short, or not a grid ({_last_line(error)}).",
            remedy="Fetch it again, or open another.",
        ) from error


def _last_line(error: Exception) -> str:
    return (str(error.__cause__ or error).strip().splitlines() or ["unreadable"])[-1].rstrip(".")


def _read_ascii(path: Path, asked: _Asked) -> ElevationImport:
    from affine import Affine

    found = read_ascii_grid(path, MOST_CELLS, asked.progress)
    values = found.values
    if found.no_data is not None:
        values[values == found.no_data] = np.nan
    beside = path.with_suffix(".prj")
    stated = beside.read_text(encoding="utf-8", errors="replace")[:20_000] if beside.is_file() else None
    system = _system(stated, asked.crs)
    place = Affine(found.width, 0, found.west, 0, -found.height, found.north)
    part = _part(values.shape, place, asked.within)
    notes = [] if asked.within is None else [_said_of_part(part, values.shape)]
    return _made(values[part], _moved(place, part), system, stated_unit="", notes=notes, asked=asked)


def _read(source: Any, asked: _Asked) -> ElevationImport:
    if source.count != 1:
        raise GridError(
            f"the file has {source.count} bands; an elevation grid has one.", remedy="Give the elevation alone."
        )
    whole = source.transform
    if whole.b or whole.d:
        raise GridError("the grid is rotated; its rows must run east and west.", remedy="Warp it north up first.")
    part = _part((source.height, source.width), whole, asked.within)
    rows, columns = part[0].stop - part[0].start, part[1].stop - part[1].start
    if rows * columns > MOST_CELLS:
        raise GridError(
            f"the grid declares {rows} × {columns} cells; at most {MOST_CELLS} are read.",
            remedy="Cut out the part that is needed (--within).",
        )
    transform = _moved(whole, part)
    system = _system(None if source.crs is None else source.crs.to_wkt(), asked.crs)
    if system.is_geographic and asked.reproject is None:
        raise _in_degrees(system, source.bounds)
    notes = [] if asked.within is None else [_said_of_part(part, (source.height, source.width))]
    masked = source.read(1, masked=True, window=_window(part))
    scale, offset = source.scales[0], source.offsets[0]
    scaled = (scale, offset) != (1.0, 0.0)
    whole = np.issubdtype(masked.dtype, np.integer)
    exact = masked.dtype.itemsize <= EXACT_BYTES if whole else masked.dtype.itemsize <= 4
    heights = masked.astype(np.float32 if exact and not scaled else np.float64).filled(np.nan)
    if scaled:
        heights = heights * scale + offset
        notes.append(f"the values were multiplied by {scale:.10g} and {offset:.10g} added, as the file states")
    return _made(heights, transform, system, stated_unit=source.units[0] or "", notes=notes, asked=asked)


def bounds_in(text: str) -> Bounds:
    """The extent in a text like ``W, S, E, N``; `GridError` if it is none."""
    try:
        west, south, east, north = (float(part) for part in text.replace(";", ",").split(","))
    except ValueError as error:
        raise GridError(f"“{text.strip()}” is no extent.", remedy="Give it as west, south, east, north.") from error
    return west, south, east, north


def _part(shape: tuple[int, ...], place: Affine, within: Bounds | None) -> tuple[slice, slice]:
    """Rows and columns of the cells that an extent meets; all of them without one."""
    rows, columns = shape[0], shape[1]
    if within is None:
        return slice(0, rows), slice(0, columns)
    west, south, east, north = within
    if not (west < east and south < north):
        raise GridError("the part to cut out has no extent.", remedy="Give west, south, east and north.")
    down = sorted((y - place.f) / place.e for y in (south, north))
    across = sorted((x - place.c) / place.a for x in (west, east))
    # a bound on the edge of a cell, but for rounding, is that edge
    top, foot = int(np.floor(down[0] + 1e-6)), int(np.ceil(down[1] - 1e-6))
    left, right = int(np.floor(across[0] + 1e-6)), int(np.ceil(across[1] - 1e-6))
    top, left, foot, right = max(top, 0), max(left, 0), min(foot, rows), min(right, columns)
    if top >= foot or left >= right:
        ends = (place.c, place.f + rows * place.e, place.c + columns * place.a, place.f)
        raise GridError(
            "the part to cut out lies beside the grid.",
            remedy=f"The grid reaches from {ends[0]:.10g}, {ends[1]:.10g} to {ends[2]:.10g}, {ends[3]:.10g}.",
        )
    return slice(top, foot), slice(left, right)


def _moved(place: Affine, part: tuple[slice, slice]) -> Affine:
    """The transform of a part of a grid."""
    from affine import Affine

    return place * Affine.translation(part[1].start, part[0].start)


def _window(part: tuple[slice, slice]) -> Any:
    from rasterio.windows import Window

    rows, columns = part
    return Window(columns.start, rows.start, columns.stop - columns.start, rows.stop - rows.start)


def _said_of_part(part: tuple[slice, slice], shape: tuple[int, ...]) -> str:
    rows, columns = part[0].stop - part[0].start, part[1].stop - part[1].start
    return f"{rows} × {columns} cells of {shape[0]} × {shape[1]} were cut out"


def _made(
    heights: np.ndarray, transform: Affine, system: CRS, *, stated_unit: str, notes: list[str], asked: _Asked
) -> ElevationImport:
    """A grid from heights, converted to metres and north up, with notes."""
    if asked.no_data is not None:
        declared = heights == np.asarray(asked.no_data, heights.dtype)
        heights[declared] = np.nan
        notes.append(f"{int(declared.sum())} cells of {asked.no_data:g} were taken as no data, as asked")
    fills = _undeclared_fills(heights)
    notes += [
        f"{f.cells} cells{' beside the edge' if f.at_edge else ''} hold {f.value:g}, which is not declared as no data"
        for f in fills
    ]
    if system.is_geographic:
        heights, transform, system = _reprojected(heights, transform, system, asked, notes)
    west, north, width, height = transform.c, transform.f, transform.a, -transform.e
    if height < 0:
        heights, north, height = heights[::-1], north - height * heights.shape[0], -height
        notes.append("the rows ran from south to north and were flipped")
    if width < 0:
        heights, west, width = heights[:, ::-1], west + width * heights.shape[1], -width
        notes.append("the columns ran from east to west and were flipped")
    metres = _metres_per_unit(system)
    unit = _height_unit(stated_unit, system, asked.height_unit, metres, notes)
    if HEIGHT_UNITS[unit] != 1.0:
        heights = (heights.astype(np.float64) * HEIGHT_UNITS[unit]).astype(heights.dtype)
        notes.append(f"heights in {unit} were converted to metres, 1 {unit} = {HEIGHT_UNITS[unit]:.10g} m")
    grid = Grid(np.ascontiguousarray(heights), west, north, width, height, _name_of(system), metres)
    return ElevationImport(grid, tuple(notes), fills)


def _undeclared_fills(heights: np.ndarray) -> tuple[UndeclaredFill, ...]:
    """Values that look like fills: the usual ones at the end of the range, and impossible ones."""
    if np.isnan(heights).all():
        return ()
    found = []
    ends = {float(np.nanmin(heights)), float(np.nanmax(heights))}
    for value in sorted(ends):
        if np.isinf(value) or not (value in FILLS or abs(value) >= ABSURD):
            continue
        # one impossible value stands for all impossible ones on its side
        at = heights == value if abs(value) < ABSURD else (heights >= ABSURD if value > 0 else heights <= -ABSURD)
        edge = at[0].any() or at[-1].any() or at[:, 0].any() or at[:, -1].any()
        found.append(UndeclaredFill(value, int(at.sum()), bool(edge)))
    return tuple(found)


def _system(stated: str | None, given: str | None) -> CRS:
    """The coordinate system of the file, or else the one given."""
    from pyproj import CRS
    from pyproj.exceptions import CRSError

    if stated is None and given is None:
        raise GridError(
            "the grid states no coordinate system.",
            remedy="Give its coordinate system, for example --crs EPSG:27700.",
        )
    try:
        system = CRS.from_user_input(given if stated is None else stated)
    except CRSError as error:
        raise GridError(
            f"“{(given or stated or '')[:60]}” is not a known coordinate system.",
            remedy="Give it as EPSG:… or as well-known text.",
        ) from error
    if not (system.is_geographic or system.is_projected or system.is_engineering):
        raise GridError(f"{system.name} is no coordinate system for maps.", remedy="Give a projected one.")
    return system


def _zone(bounds: tuple[float, float, float, float]) -> str:
    """The UTM zone of the middle of an extent in degrees."""
    left, bottom, right, top = bounds
    x, y = (left + right) / 2, (bottom + top) / 2
    return f"EPSG:{(32600 if y >= 0 else 32700) + int((x + 180) // 6) % 60 + 1}"


def _in_degrees(system: CRS, bounds: tuple[float, float, float, float]) -> GridError:
    return GridError(
        f"the grid is in degrees ({system.name}); lengths and areas need a projected system.",
        remedy=f"Reproject it: --reproject auto takes {_zone(bounds)} (UTM), or name another.",
    )


def _reprojected(
    heights: np.ndarray, transform: Affine, system: CRS, asked: _Asked, notes: list[str]
) -> tuple[np.ndarray, Affine, CRS]:
    from pyproj import CRS, Geod
    from pyproj.exceptions import CRSError
    from rasterio.transform import array_bounds
    from rasterio.warp import Resampling, calculate_default_transform, reproject

    rows, columns = heights.shape
    left, bottom, right, top = array_bounds(rows, columns, transform)
    bounds = min(left, right), min(bottom, top), max(left, right), max(bottom, top)
    if asked.reproject is None:
        raise _in_degrees(system, bounds)
    zone = _zone(bounds)
    try:
        goal = CRS.from_user_input(zone if asked.reproject == "auto" else asked.reproject)
    except CRSError as error:
        what = f"“{asked.reproject}” is not a known coordinate system."
        raise GridError(what, remedy=f"Name one, for example {zone}.") from error
    if not goal.is_projected:
        raise GridError(f"{goal.name} is not a projected system.", remedy=f"Name one, for example {zone}.")
    middle = (bounds[0] + bounds[2]) / 2, (bounds[1] + bounds[3]) / 2
    geod = Geod(ellps="WGS84")
    across = geod.inv(middle[0], middle[1], middle[0] + abs(transform.a), middle[1])[2]
    along = geod.inv(middle[0], middle[1], middle[0], middle[1] + abs(transform.e))[2]
    metres = asked.cell_size or float(np.sqrt(across * along))
    resolution = metres / _metres_per_unit(goal)
    new, width, height = calculate_default_transform(
        system.to_wkt(), goal.to_wkt(), columns, rows, *bounds, resolution=resolution
    )
    if width * height > MOST_CELLS:
        what = f"cells of {metres:.4g} m would make {height} × {width} of them; at most {MOST_CELLS} are read."
        raise GridError(what, remedy="Give larger cells.")
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
    before = relief_of(heights, across, along)
    after = relief_of(out, resolution * _metres_per_unit(goal), resolution * _metres_per_unit(goal))
    notes.append(f"reprojected from {system.name} to {_name_of(goal)} (bilinear), cells of {metres:.4g} m")
    notes.append(
        f"by it heights became means of their neighbours: the mean slope is {_ratio(after, before):.3g} of what it "
        f"was, and cells lower than all around them went from {before.pits} to {after.pits}; depressions of a few "
        "cells may have come or gone"
    )
    return out, new, goal


def _ratio(after: Relief, before: Relief) -> float:
    """Mean slope after over before; their unit of heights is the same, whatever it is."""
    return after.mean_slope / before.mean_slope if before.mean_slope > 0 else 1.0


def _metres_per_unit(system: CRS) -> float:
    """Metres in one unit of a system's axes in plan."""
    axes = system.axis_info or (system.sub_crs_list[0].axis_info if system.sub_crs_list else [])
    if axes and axes[0].unit_conversion_factor:
        return float(axes[0].unit_conversion_factor)
    return 1.0


def _vertical_unit(system: CRS) -> HeightUnit | None:
    """The unit of heights of a compound system, if it is known."""
    vertical = next((part for part in system.sub_crs_list if part.is_vertical), None)
    if vertical is None or not vertical.axis_info:
        return None
    return _STATED.get(vertical.axis_info[0].unit_name.strip().lower())


def _height_unit(text: str, system: CRS, given: HeightUnit | None, metres: float, notes: list[str]) -> HeightUnit:
    stated = _STATED.get(text.strip().lower())
    if given is not None:
        if stated is not None and stated != given:
            notes.append(f"the file states heights in {stated}; {given} was taken as asked")
        return given
    if stated is not None:
        return stated
    if text.strip():
        raise GridError(
            f"the file states heights in “{text.strip()[:40]}”, a unit that is not understood.",
            remedy=f"Say which it is: --height-unit {', '.join(HEIGHT_UNITS)}.",
        )
    vertical = _vertical_unit(system)
    if vertical is not None:
        notes.append(f"heights were taken in {vertical}, as the coordinate system states")
        return vertical
    if metres != 1.0:
        raise GridError(
            f"the grid is in {system.axis_info[0].unit_name} in plan and does not say in what its heights are.",
            remedy="Say it: --height-unit m, ft or us-ft.",
        )
    notes.append("the file states no unit for its heights; metres were taken")
    return "m"


def _name_of(system: CRS) -> str:
    code = system.to_epsg()
    return f"EPSG:{code}" if code else system.to_wkt()


def grid_to_bytes(grid: Grid, progress: Progress | None = None) -> bytes:
    """A grid as the bytes of a compressed GeoTIFF, heights in metres; `Cancelled` where it is cancelled."""
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

    if not data.startswith(_TIFF):
        raise GridError("the kept grid is damaged: it is no GeoTIFF.", where=where)
    try:
        with MemoryFile(data) as memory, memory.open(driver="GTiff") as source:
            return _read(source, _Asked(height_unit="m")).grid
    except RasterioError as error:
        raise GridError(f"the kept grid is damaged ({_last_line(error)}).", where=where) from error


def scale_factor(grid: Grid) -> float:
    """Length on the map over length on the ground in the middle of a grid; 1 for a local site grid."""
    from pyproj import CRS, Proj, Transformer

    system = CRS.from_user_input(grid.crs)
    if system.is_engineering:
        return 1.0
    rows, columns = grid.shape
    x, y = grid.centre(rows / 2, columns / 2)
    longitude, latitude = Transformer.from_crs(system, system.geodetic_crs, always_xy=True).transform(x, y)
    return float(np.sqrt(Proj(system).get_factors(longitude, latitude).areal_scale))
