"""Series and frames as the study keeps them: NetCDF by the CF conventions."""

from __future__ import annotations

import io
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np

from tarnwater.errors import StudyFileError
from tarnwater.rain.areas.frames import Frames
from tarnwater.rain.records.raw import RawSeries

_SINCE = "seconds since 1970-01-01 00:00:00"

#: The units of the values by what they are.
_UNITS = {"incremental": "mm", "cumulative": "mm", "tips": "mm", "rate": "mm h-1", "flow": "m3 s-1"}


#: Bytes of series that were packed, while the series live: a thread packs them before an edit takes them in.
_PACKED: WeakKeyDictionary[RawSeries, bytes] = WeakKeyDictionary()


def series_to_bytes(raw: RawSeries) -> bytes:
    """A series as it was read; its form, stamp and zone belong to the study."""
    known = _PACKED.get(raw)
    if known is None:
        known = _PACKED[raw] = _packed(raw)
    return known


def _packed(raw: RawSeries) -> bytes:
    import h5netcdf

    held = io.BytesIO()
    with h5netcdf.File(held, "w") as file:
        file.attrs["Conventions"] = "CF-1.11"
        file.dimensions = {"time": len(raw)}
        packed: dict[str, Any] = {"compression": "gzip", "shuffle": True} if len(raw) else {}
        time = file.create_variable("time", ("time",), np.int64, data=raw.stamps, **packed)
        time.attrs["units"] = _SINCE
        value = file.create_variable("value", ("time",), np.float64, data=raw.values, **packed)
        value.attrs["units"] = _UNITS[raw.form]
    return held.getvalue()


def series_from_bytes(data: bytes, **known: Any) -> RawSeries:
    """A series from bytes; ``known`` are its form, stamp and offset. `StudyFileError` for bytes that are none."""
    import h5netcdf

    try:
        with h5netcdf.File(io.BytesIO(data), "r") as file:
            stamps, values = np.asarray(file.variables["time"][...]), np.asarray(file.variables["value"][...])
            if stamps.shape != values.shape or stamps.ndim != 1 or stamps.dtype.kind != "i" or values.dtype.kind != "f":
                raise ValueError("its arrays do not fit")
            return RawSeries(stamps, values, **known)
    except Exception as error:
        raise StudyFileError(
            "a record in the study file is damaged.", remedy="Restore the file from a copy, or import the record again."
        ) from error


def frames_to_bytes(frames: Frames) -> bytes:
    """Frames of rain."""
    import h5netcdf

    held = io.BytesIO()
    count, rows, columns = frames.values.shape
    with h5netcdf.File(held, "w") as file:
        file.attrs["Conventions"] = "CF-1.11"
        file.dimensions = {"time": count, "y": rows, "x": columns, "row": rows + 1, "column": columns + 1}
        packed: dict[str, Any] = {"compression": "gzip", "shuffle": True}
        end = file.create_variable("end", ("time",), np.int64, data=frames.ends, **packed)
        end.attrs["units"] = _SINCE
        span = file.create_variable("span", ("time",), np.int64, data=frames.spans, **packed)
        span.attrs["units"] = "s"
        rain = file.create_variable(
            "rain", ("time", "y", "x"), np.float64, data=frames.values, chunks=(1, rows, columns), **packed
        )
        rain.attrs.update({"units": "mm", "crs_wkt": frames.crs, "offset": frames.offset})
        for name, corners in (("corner_x", frames.corners_x), ("corner_y", frames.corners_y)):
            file.create_variable(name, ("row", "column"), np.float64, data=corners, **packed)
    return held.getvalue()


def frames_from_bytes(data: bytes) -> Frames:
    """Frames from bytes; `StudyFileError` for bytes that are none."""
    import h5netcdf

    try:
        with h5netcdf.File(io.BytesIO(data), "r") as file:
            names = ("end", "span", "rain", "corner_x", "corner_y")
            part = {name: np.asarray(file.variables[name][...]) for name in names}
            attributes = file.variables["rain"].attrs
            crs, offset = str(attributes["crs_wkt"]), int(np.asarray(attributes["offset"]).ravel()[0])
        return Frames(part["end"], part["span"], part["rain"], part["corner_x"], part["corner_y"], crs, offset)
    except Exception as error:
        raise StudyFileError(
            "a grid of rain in the study file is damaged.", remedy="Restore the file from a copy, or import it again."
        ) from error
