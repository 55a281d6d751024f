"""Shares of gauges in the rain of catchments."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import BadInput

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

#: Shares below this are rounding of the overlay.
ROUNDING = 1e-12


def nearest(gauges: Floats, places: Floats) -> Floats:
    """Shares (catchment, gauge): all of the gauge (gauge, 2) nearest to a place (catchment, 2)."""
    found = np.zeros((len(places), len(gauges)))
    found[np.arange(len(places)), np.argmin(_distances(gauges, places), axis=1)] = 1.0
    return found


def inverse_distance(gauges: Floats, places: Floats, power: float = 2.0) -> Floats:
    """Shares (catchment, gauge) by 1 / distance^power between places (catchment, 2) and gauges (gauge, 2).

    A place at a gauge has that gauge alone. Shepard (1968), Proceedings of the ACM National Conference.
    """
    distances = _distances(gauges, places)
    at_gauge = distances == 0
    with np.errstate(divide="ignore"):
        weights = distances**-power
    weights = np.where(at_gauge.any(axis=1, keepdims=True), at_gauge.astype(float), weights)
    return np.asarray(weights / weights.sum(axis=1, keepdims=True))


def _distances(gauges: Floats, places: Floats) -> Floats:
    return np.asarray(np.hypot(*(places[:, None, :] - gauges[None, :, :]).transpose(2, 0, 1)))


def thiessen(gauges: Floats, catchments: Sequence[BaseGeometry]) -> Floats:
    """Shares (catchment, gauge) of the areas of catchments that lie nearest to each gauge (gauge, 2).

    Thiessen (1911), Monthly Weather Review 39. Raises `BadInput` for two gauges in one place.
    """
    import shapely

    if len(np.unique(gauges, axis=0)) < len(gauges):
        raise BadInput("two gauges stand in one place.", where="Thiessen polygons", remedy="Leave one of them out.")
    land = np.array(catchments, object)
    cells = thiessen_polygons(gauges, shapely.box(*shapely.total_bounds(land)))
    areas = shapely.area(shapely.intersection(land[:, None], cells[None, :]))
    shares = areas / areas.sum(axis=1, keepdims=True)
    shares[shares < ROUNDING] = 0.0
    return np.asarray(shares / shares.sum(axis=1, keepdims=True))


def thiessen_polygons(gauges: Floats, extent: BaseGeometry) -> np.ndarray:
    """The polygon nearest to each gauge (gauge,), in the order of the gauges, over an extent and all gauges."""
    import shapely

    points = shapely.points(gauges)
    if len(gauges) == 1:
        return np.array([shapely.envelope(shapely.union(extent, points[0].buffer(1.0)))], object)
    whole = shapely.union(extent, shapely.multipoints(points)).envelope.buffer(1.0)
    parts = shapely.get_parts(shapely.voronoi_polygons(shapely.multipoints(points), extend_to=whole))
    within, part = shapely.STRtree(parts).query(points, predicate="intersects")
    order = np.empty(len(gauges), int)
    order[within] = part
    return np.asarray(shapely.intersection(parts[order], whole.envelope))


def rain_by_shares(shares: Floats, depths: Floats) -> Floats:
    """Rain (catchment, step) in mm of gauges' depths (gauge, step) by shares (catchment, gauge).

    It is missing (NaN) where a gauge with a share is missing.
    """
    known = np.nan_to_num(depths)
    lacking = (shares > 0).astype(float) @ np.isnan(depths).astype(float) > 0
    return np.where(lacking, np.nan, shares @ known)
