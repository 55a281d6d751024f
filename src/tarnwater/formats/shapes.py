"""Shapes of any file that has some: vector layers and drawings, in the coordinate system of a map."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from tarnwater.arrays import Floats
from tarnwater.errors import VectorError
from tarnwater.formats.class_grid import is_class_grid, read_class_grid
from tarnwater.formats.drawing import drawing_layers, looks_like_drawing, read_drawing
from tarnwater.formats.vector import VectorLayer, in_system, layers_of, read_vector

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry


def is_drawing(path: Path) -> bool:
    """Whether a file begins as a drawing; one that cannot be read does not."""
    try:
        with path.open("rb") as raw:
            return looks_like_drawing(raw.read(64))
    except OSError:
        return False


def shape_layers(path: Path) -> tuple[str, ...]:
    """Names of the layers of a vector file or drawing; `VectorError` if it is none."""
    return drawing_layers(path) if is_drawing(path) else layers_of(path)


def read_shapes(
    path: Path,
    layer: str = "",
    *,
    into: str = "",
    crs: str = "",
    unit: float | None = None,
    swap_axes: bool = False,
    grids: bool = False,
) -> VectorLayer:
    """Read the shapes of a layer and bring them into a coordinate system.

    Parameters
    ----------
    layer : its name; empty for the only one, or for all layers of a drawing.
    into : the coordinate system of the map; empty to leave the shapes in their own.
    crs : the coordinate system where the file states none. A drawing states none, and is taken to lie in that of the
        map if there is one.
    unit : metres in one unit of a drawing; by default what its header says.
    swap_axes : take the first coordinate for the second.
    grids : whether a grid of classes is read too, as polygons.

    Raises `VectorError` as the readers do, and for a file without a system where one is needed.
    """
    if grids and is_class_grid(path):
        found = read_class_grid(path, crs=crs)
    elif is_drawing(path):
        system = crs or into
        found = read_drawing(path, (layer,) if layer else (), crs=system, unit=unit)
        found = _in_units_of(found, system)
    else:
        found = read_vector(path, layer or None, crs=crs or None)
    if not into:
        return found
    if not found.crs:
        raise VectorError(
            "the file states no coordinate system.",
            where=str(path),
            remedy=f"Say which it is, for example {into if len(into) < 20 else 'EPSG:27700'}.",
        )
    return in_system(found, into, swap_axes=swap_axes)


def _in_units_of(layer: VectorLayer, crs: str) -> VectorLayer:
    """A drawing, which was read in metres, in the units of its coordinate system."""
    import shapely

    metres = metres_per_unit(crs) if crs else 1.0
    if metres == 1.0:
        return layer
    shapes = tuple(shapely.transform(shape, lambda points: points / metres) for shape in layer.shapes)
    return VectorLayer(layer.name, layer.crs, shapes, layer.numbers, layer.fields, layer.notes, layer.rejected)


def metres_per_unit(crs: str) -> float:
    """Metres in one unit of a coordinate system in plan; 1 for degrees, in which no lengths are measured."""
    from pyproj import CRS

    axes = CRS.from_user_input(crs).axis_info
    if not axes or axes[0].unit_name == "degree":
        return 1.0
    return float(axes[0].unit_conversion_factor or 1.0)


def lines_of(shape: BaseGeometry) -> list[Floats]:
    """The rings of an area, or the lines or points of another shape, each (points, 2)."""
    import shapely

    lines: list[BaseGeometry] = []
    for part in getattr(shape, "geoms", [shape]):
        lines += [part.exterior, *part.interiors] if part.geom_type == "Polygon" else [part]
    return [shapely.get_coordinates(line) for line in lines]


def lie_swapped(layer: VectorLayer, west: float, south: float, east: float, north: float) -> bool:
    """Whether the shapes of a layer lie beside an extent, but would lie in it with their axes swapped."""
    import shapely

    if not len(layer):
        return False
    left, bottom, right, top = shapely.total_bounds(list(layer.shapes)).tolist()
    meets = left <= east and right >= west and bottom <= north and top >= south
    swapped = bottom <= east and top >= west and left <= north and right >= south
    return swapped and not meets
