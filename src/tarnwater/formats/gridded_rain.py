"""Frames of rain on a grid: NetCDF by the CF conventions, and series of GeoTIFFs with dates in their names."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats, Integers
from tarnwater.errors import TableError, UnitError
from tarnwater.rain.areas.frames import Frames

#: Names of the units that CF files use for depths, rates and fluxes of rain.
_SPELLED = {
    "kg m-2": "mm", "kg/m2": "mm", "kg m**-2": "mm", "mm h-1": "mm/h", "mm hr-1": "mm/h", "mm/hr": "mm/h",
    "mm hour-1": "mm/h", "millimeter": "mm", "millimetre": "mm", "kg m-2 h-1": "mm/h", "inch": "in",
}  # fmt: skip

#: mm/h in one of these, which are not among the units of the program.
_FLUXES = {"kg m-2 s-1": 3600.0, "mm s-1": 3600.0, "mm/s": 3600.0, "m s-1": 3.6e6}

_SINCE = re.compile(r"\s*(seconds?|secs?|s|minutes?|mins?|min|hours?|hrs?|h|days?|d)\s+since\s+(.+?)\s*", re.IGNORECASE)
_SECONDS = {"s": 1, "m": 60, "h": 3600, "d": 86400}

#: Values of a grid that may be held at once.
MOST_VALUES = 500_000_000

_NAME_DATE = re.compile(r"(\d{4})-?(\d{2})-?(\d{2})[T_-]?(\d{2}):?(\d{2})(?::?(\d{2}))?")


@dataclass(frozen=True)
class ReadFrames:
    """Frames as they were read, the name of their variable, and what is worth knowing, in words."""

    frames: Frames
    name: str
    notes: tuple[str, ...]


def read_netcdf_frames(path: Path, variable: str = "") -> ReadFrames:
    """Read rain from a NetCDF file by the CF conventions; `TableError` where coordinates or units are lacking."""
    import h5netcdf

    try:
        file = h5netcdf.File(path, "r")
    except FileNotFoundError as error:
        raise TableError("there is no such file.", where=str(path), remedy="Check the name and the folder.") from error
    except Exception as error:
        raise TableError(
            "the file is no NetCDF of version 4.", where=path.name, remedy="Convert it, or fetch it again."
        ) from error
    with file:
        try:
            return _frames_of(file, path.name, variable)
        except (KeyError, ValueError, TypeError, OSError) as error:
            raise TableError(
                f"the file cannot be read as frames of rain ({error}).", where=path.name, remedy="Check its variables."
            ) from error


def _frames_of(file: Any, where: str, wanted: str) -> ReadFrames:
    name, found = _variable(file, where, wanted)
    axes = zip(found.dimensions, ("time", "y", "x"), strict=True)
    time, y, x = (_coordinate(file, dimension, axis, where) for dimension, axis in axes)
    if np.prod(found.shape) > MOST_VALUES:
        raise TableError(
            f"the grid has {int(np.prod(found.shape)):,} values; at most {MOST_VALUES:,} are read.",
            where=where,
            remedy="Cut out the catchments and the time that matter.",
        )
    ends, spans, notes = _times(file, time, where)
    values = _values(found)
    values = values * _factor(found, spans, where)[:, None, None]
    order = np.argsort(ends, kind="stable")
    crs = _crs(file, found, x, where)
    corners = np.meshgrid(_edges(file, x, where), _edges(file, y, where))
    frames = Frames(ends[order], spans[order], np.ascontiguousarray(values[order]), *corners, crs=crs)
    return ReadFrames(frames, name, tuple(notes))


def _variable(file: Any, where: str, wanted: str) -> tuple[str, Any]:
    if wanted:
        if wanted not in file.variables:
            raise TableError(f"there is no variable “{wanted}”.", where=where, remedy=f"There are: {_listed(file)}.")
        return wanted, file.variables[wanted]
    for name, variable in file.variables.items():
        if len(variable.dimensions) == 3 and variable.dtype.kind in "fiu" and "units" in variable.attrs:
            return name, variable
    raise TableError(
        "no variable has three dimensions (time, y, x) and units.", where=where, remedy=f"There are: {_listed(file)}."
    )


def _listed(file: Any) -> str:
    return ", ".join(list(file.variables)[:12])


def _text(value: Any) -> str:
    value = value[0] if isinstance(value, np.ndarray) and value.size == 1 else value
    return value.decode("utf-8", "replace") if isinstance(value, bytes) else str(value)


def _coordinate(file: Any, dimension: str, axis: str, where: str) -> Any:
    """The coordinate variable of a dimension, which must say what it is."""
    if dimension not in file.variables:
        raise TableError(
            f"the dimension “{dimension}” has no CF coordinate, so the {axis} of its cells is not known.",
            where=where,
            remedy="Add a coordinate variable of that name with its units.",
        )
    found = file.variables[dimension]
    if "units" not in found.attrs:
        raise TableError(
            f"the coordinate “{dimension}” has no units.", where=where, remedy="Add its units by the CF conventions."
        )
    return found


def _values(variable: Any) -> Floats:
    values = np.asarray(variable[...], float)
    raw = np.asarray(variable[...])
    for attribute in ("_FillValue", "missing_value"):
        if attribute in variable.attrs:
            values[raw == np.asarray(variable.attrs[attribute]).ravel()[0]] = np.nan
    scale = float(np.asarray(variable.attrs.get("scale_factor", 1.0)).ravel()[0])
    offset = float(np.asarray(variable.attrs.get("add_offset", 0.0)).ravel()[0])
    values = values * scale + offset
    # depths below nothing are codes of missing cells that the file does not declare
    values[values < -1e-9] = np.nan
    return np.where(values < 0, 0.0, values)


def _factor(variable: Any, spans: Integers, where: str) -> Floats:
    """mm in one unit of the variable, in each frame, (frame,)."""
    told = _text(variable.attrs["units"]).strip()
    unit = _SPELLED.get(told, units.spelled(told))
    if told in _FLUXES:
        return np.asarray(_FLUXES[told] * spans / 3600)
    try:
        return np.full(len(spans), units.factor_of(unit, "rain"))
    except UnitError:
        pass
    try:
        return np.asarray(units.factor_of(unit, "rain rate") * spans / 3600)
    except UnitError as error:
        raise TableError(f"“{told}” is no unit of rain.", where=where, remedy="Give mm, mm/h or kg m-2 s-1.") from error


def _times(file: Any, time: Any, where: str) -> tuple[Integers, Integers, list[str]]:
    """Ends and lengths of the frames, by the bounds of the time or by the distances of its stamps."""
    step, origin = _since(_text(time.attrs["units"]), where)
    stamps = origin + np.rint(np.asarray(time[...], float) * step).astype(np.int64)
    bounds = _text(time.attrs["bounds"]) if "bounds" in time.attrs else ""
    if bounds and bounds in file.variables:
        edges = origin + np.rint(np.asarray(file.variables[bounds][...], float) * step).astype(np.int64)
        return edges[:, 1], edges[:, 1] - edges[:, 0], []
    if len(stamps) < 2:
        raise TableError(
            "one frame without bounds of its time has no length.", where=where, remedy="Add bounds of the time."
        )
    lengths, counts = np.unique(np.diff(np.sort(stamps)), return_counts=True)
    span = int(lengths[np.argmax(counts)])
    note = f"the times have no bounds; each frame was read as the {units.show_duration(span)} up to its time."
    return stamps, np.full(len(stamps), span, np.int64), [note]


def _since(text: str, where: str) -> tuple[float, int]:
    found = _SINCE.fullmatch(text)
    if found is None:
        raise TableError(f"“{text}” is no CF unit of time.", where=where, remedy="Write it as hours since a date.")
    try:
        when = datetime.fromisoformat(found[2].replace(" UTC", "+00:00").replace("Z", "+00:00"))
    except ValueError as error:
        raise TableError(f"“{found[2]}” is no date.", where=where, remedy="Write it as 2019-11-09 00:00:00.") from error
    when = when if when.tzinfo is not None else when.replace(tzinfo=UTC)
    return _SECONDS[found[1][0].lower()], int(when.timestamp())


def _edges(file: Any, axis: Any, where: str) -> Floats:
    """Edges of the cells along an axis (n + 1,): its bounds, or half-way between its centres."""
    centres = np.asarray(axis[...], float)
    factor = 1000.0 if _text(axis.attrs["units"]).strip().lower() == "km" else 1.0
    bounds = _text(axis.attrs["bounds"]) if "bounds" in axis.attrs else ""
    if bounds and bounds in file.variables:
        edges = np.asarray(file.variables[bounds][...], float)
        return np.append(edges[:, 0], edges[-1, 1]) * factor
    if len(centres) < 2:
        raise TableError("a grid of one row or column needs bounds.", where=where, remedy="Add bounds of the axis.")
    middle = (centres[1:] + centres[:-1]) / 2
    return np.concatenate([[2 * centres[0] - middle[0]], middle, [2 * centres[-1] - middle[-1]]]) * factor


def _crs(file: Any, variable: Any, x: Any, where: str) -> str:
    """The coordinate system: by its grid mapping, or degrees."""
    mapping = _text(variable.attrs["grid_mapping"]) if "grid_mapping" in variable.attrs else ""
    if mapping in file.variables:
        attributes = {key: _plain(value) for key, value in file.variables[mapping].attrs.items()}
        for key in ("crs_wkt", "spatial_ref"):
            if attributes.get(key):
                return str(attributes[key])
        return _of_mapping(attributes, where)
    if "degree" in _text(x.attrs["units"]).lower():
        return "EPSG:4326"
    return ""


def _plain(value: Any) -> Any:
    if isinstance(value, np.ndarray):
        return value.tolist() if value.size > 1 else value.ravel()[0].item()
    return value.decode("utf-8", "replace") if isinstance(value, bytes) else value


def _of_mapping(attributes: Mapping[str, Any], where: str) -> str:
    from pyproj import CRS
    from pyproj.exceptions import CRSError

    try:
        return str(CRS.from_cf(dict(attributes)).to_wkt())
    except (CRSError, KeyError, ValueError) as error:
        raise TableError(
            "the grid mapping names no coordinate system.", where=where, remedy="Add its crs_wkt."
        ) from error


def read_frames(paths: Sequence[Path]) -> ReadFrames:
    """Read frames from one NetCDF file, or from GeoTIFFs; `TableError` for anything else."""
    if paths[0].suffix.lower() in (".tif", ".tiff"):
        return read_geotiff_frames(paths)
    if len(paths) > 1:
        raise TableError("frames are read from one NetCDF file.", where=paths[1].name, remedy="Join them first.")
    return read_netcdf_frames(paths[0])


def read_geotiff_frames(paths: Sequence[Path], unit: str = "mm", span: int = 0) -> ReadFrames:
    """Read frames from GeoTIFFs of one grid, each with the date of its end in its name, in universal time.

    ``span`` is the length of a frame, s; by default the commonest distance of the dates.
    """
    dated = sorted((_date_in(path), path) for path in paths)
    if len(dated) < 2 and not span:
        raise TableError("one frame has no length.", where=dated[0][1].name, remedy="Say how long it lasts.")
    ends = np.array([seconds for seconds, _ in dated], np.int64)
    if not span:
        lengths, counts = np.unique(np.diff(ends), return_counts=True)
        span = int(lengths[np.argmax(counts)])
    kind = "rain rate" if "/" in unit else "rain"
    factor = units.factor_of(unit, kind) * (span / 3600 if kind == "rain rate" else 1.0)
    first = _tiff(dated[0][1])
    values = np.empty((len(dated), *first.values.shape))
    for frame, (_, path) in enumerate(dated):
        own = _tiff(path)
        if own.values.shape != first.values.shape or own.place != first.place:
            raise TableError("the grid differs from that of the first file.", where=path.name, remedy="Give one grid.")
        values[frame] = own.values * factor
    rows, columns = first.values.shape
    column, row = np.meshgrid(np.arange(columns + 1), np.arange(rows + 1))
    a, b, c, d, e, f = first.place
    frames = Frames(
        ends, np.full(len(ends), span, np.int64), values, a * column + b * row + c, d * column + e * row + f, first.crs
    )
    return ReadFrames(frames, "rain", ())


@dataclass(frozen=True)
class _Tiff:
    """One band in its own unit, NaN where missing, with its affine place and its coordinate system."""

    values: Floats
    place: tuple[float, ...]
    crs: str


def _tiff(path: Path) -> _Tiff:
    import rasterio
    from rasterio.errors import RasterioError

    try:
        with rasterio.open(path, driver="GTiff") as source:
            band = source.read(1, masked=True)
            values = np.where(np.ma.getmaskarray(band), np.nan, np.asarray(band.data, float))
            crs = "" if source.crs is None else str(source.crs.to_wkt())
            return _Tiff(np.where(values < 0, np.nan, values), tuple(source.transform)[:6], crs)
    except RasterioError as error:
        raise TableError("the file is no GeoTIFF.", where=path.name, remedy="Give frames as GeoTIFF.") from error


def _date_in(path: Path) -> int:
    found = _NAME_DATE.search(path.stem)
    if found is None:
        what = "there is no date in the name of the file."
        raise TableError(what, where=path.name, remedy="Name it as 20191109_0600.tif.")
    year, month, day, hour, minute = (int(part) for part in found.groups()[:5])
    try:
        return int(datetime(year, month, day, hour, minute, int(found[6] or 0), tzinfo=UTC).timestamp())
    except ValueError as error:
        raise TableError("the date in the name of the file is none.", where=path.name, remedy="Correct it.") from error
