"""Grids of classes: a whole number in each cell, made into polygons along the edges of the cells."""

from __future__ import annotations

import warnings
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tarnwater.errors import VectorError
from tarnwater.formats.opening import first_bytes
from tarnwater.formats.vector import Value, VectorLayer, layer_of, system_of

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

#: Field with the number of the class.
CLASS = "class"

#: Cells of a grid, and different numbers in it, at most: with more it is no map of classes.
MOST_CELLS, MOST_CLASSES = 100_000_000, 1000

_TIFF = (b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+")


def is_class_grid(path: Path) -> bool:
    """Whether a file begins as a grid: GeoTIFF or ASCII grid."""
    try:
        with path.open("rb") as raw:
            start = raw.read(64)
    except OSError:
        return False
    return start.startswith(_TIFF) or start.lstrip(b"\xef\xbb\xbf \t\r\n").lower().startswith(b"ncols")


def read_class_grid(path: Path, *, crs: str = "") -> VectorLayer:
    """Read a grid of classes as polygons, one or more of each class, in the coordinate system of the grid.

    Cells without data are left out. ``crs`` is the coordinate system where the file states none. Raises `VectorError`
    for a file that is damaged, or whose numbers are no classes.
    """
    where = str(path)
    first_bytes(path, VectorError)
    codes, place, stated = _read(path, where)
    known = np.unique(codes[np.isfinite(codes)])
    if not len(known):
        raise VectorError("the grid has no data.", where=where, remedy="Give another file.")
    if (known != np.round(known)).any() or abs(known).max() > np.iinfo(np.int32).max:
        found = float(known[known != np.round(known)][0]) if (known != np.round(known)).any() else float(known[-1])
        raise VectorError(
            f"the grid holds {found:g}, which is no number of a class.",
            where=where,
            remedy="Give a grid with a whole number in each cell.",
        )
    if len(known) > MOST_CLASSES:
        raise VectorError(
            f"the grid holds {len(known)} different numbers; it is no map of classes.",
            where=where,
            remedy="Give a grid with the number of a class in each cell.",
        )
    shapes, values = _polygons(codes, place)
    rows, columns = codes.shape
    notes = [f"a grid of {columns} × {rows} cells of {abs(place.a):g} × {abs(place.e):g}, made into polygons"]
    system = system_of(stated, crs or None, path)
    fields: dict[str, tuple[Value, ...]] = {CLASS: tuple(f"{int(v)}" for v in values)}
    return layer_of(path.stem, system, shapes, list(range(1, len(shapes) + 1)), fields, notes)


def _read(path: Path, where: str) -> tuple[np.ndarray, Any, str]:
    """Numbers (rows, columns) of the cells, NaN where there are none; their place; the system the file states."""
    import rasterio
    from rasterio.errors import NotGeoreferencedWarning, RasterioError

    driver = "GTiff" if first_bytes(path, VectorError).startswith(_TIFF) else "AAIGrid"
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", NotGeoreferencedWarning)
            with rasterio.open(path, driver=driver) as file:
                if file.count != 1:
                    raise VectorError(
                        f"the grid has {file.count} bands.", where=where, remedy="Give a grid with one band of classes."
                    )
                if file.width * file.height > MOST_CELLS:
                    raise VectorError(
                        f"the grid has {file.width * file.height:,} cells; up to {MOST_CELLS:,} can be read.",
                        where=where,
                        remedy="Cut out the part that is needed.",
                    )
                codes = file.read(1, masked=True).astype(float).filled(np.nan)
                return codes, file.transform, file.crs.to_wkt() if file.crs else ""
    except (RasterioError, MemoryError, ValueError) as error:
        raise VectorError("the grid is damaged or cut short.", where=where, remedy="Fetch the file again.") from error


def _polygons(codes: np.ndarray, place: Any) -> tuple[list[BaseGeometry], list[float]]:
    """Polygons of like neighbours, which meet along edges of cells, with the number of each."""
    from rasterio.features import shapes
    from shapely.geometry import shape

    inside = np.isfinite(codes)
    whole = np.where(inside, codes, 0).astype(np.int32)
    made = [(shape(outline), value) for outline, value in shapes(whole, mask=inside, transform=place)]
    return [one for one, _ in made], [value for _, value in made]
