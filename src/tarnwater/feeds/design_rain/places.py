"""Places in the coordinates of a study, as a service is asked for them in degrees."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from tarnwater.errors import BadInput


@dataclass(frozen=True)
class AskedPlace:
    """A point or polygon, and what brings cells into its coordinates.

    ``bounds`` are west, south, east and north in degrees.
    """

    shape: BaseGeometry
    to_place: Callable[[BaseGeometry], BaseGeometry]
    bounds: tuple[float, float, float, float]


def point_at(longitude: float, latitude: float) -> AskedPlace:
    """A point in degrees."""
    if not (-180 <= longitude <= 180 and -90 <= latitude <= 90):
        raise BadInput(
            f"{longitude:g}, {latitude:g} is no point on the earth.", remedy="Give longitude, latitude in degrees."
        )
    return AskedPlace(shapely.Point(longitude, latitude), lambda cell: cell, (longitude, latitude, longitude, latitude))


def polygon_in(shape: BaseGeometry, crs: str) -> AskedPlace:
    """A polygon in a coordinate system; cells are brought into it, so that areas are those of the study."""
    from pyproj import Transformer

    outward = Transformer.from_crs(crs, "OGC:CRS84", always_xy=True)
    inward = Transformer.from_crs("OGC:CRS84", crs, always_xy=True)

    def to_place(cell: BaseGeometry) -> BaseGeometry:
        return shapely.transform(cell, lambda places: np.column_stack(inward.transform(*places.T)))

    return AskedPlace(shape, to_place, outward.transform_bounds(*shape.bounds))
