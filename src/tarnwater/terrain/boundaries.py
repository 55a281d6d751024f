"""Gaps and overlaps between areas that should share their boundaries, and their repair."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

#: Faults of less than this share of the smallest area are rounding of coordinates.
ROUNDING = 1e-9

#: Raster of a union, as a share of the largest coordinate.
RASTER = 1e-12

#: Distance within which a polygon and a hole of the union are beside each other, as a share of the same.
TOUCHING = 1e-11


@dataclass(frozen=True, eq=False)
class Fault:
    """A gap that areas enclose, or an overlap of two: its shape, its area, and the positions of those areas."""

    kind: Literal["gap", "overlap"]
    shape: BaseGeometry
    area: float
    between: tuple[int, ...]

    @property
    def place(self) -> tuple[float, float]:
        """A place inside it."""
        x, y = self.shape.representative_point().coords[0][:2]
        return float(x), float(y)


def faults_between(shapes: Sequence[BaseGeometry]) -> list[Fault]:
    """Find gaps and overlaps of valid polygons, the largest first.

    A gap is land in no polygon that others enclose; a hole that lies within one polygon alone is none, for it was
    drawn. Three polygons over one place overlap pair by pair.
    """
    found = [*_overlaps(np.array(list(shapes), object)), *_gaps(np.array(list(shapes), object))]
    return sorted(found, key=lambda one: -one.area)


def _least(shapes: np.ndarray) -> float:
    import shapely

    areas = shapely.area(shapes)
    return ROUNDING * float(areas[areas > 0].min()) if (areas > 0).any() else 0.0


def _overlaps(shapes: np.ndarray) -> list[Fault]:
    import shapely

    if len(shapes) < 2:
        return []
    first, second = shapely.STRtree(shapes).query(shapes, predicate="intersects")
    pairs = first < second
    first, second = first[pairs], second[pairs]
    # without a raster, edges within rounding of each other may give a whole polygon as what two share
    both = shapely.intersection(shapes[first], shapes[second], grid_size=RASTER * _reach(shapes))
    areas = shapely.area(both)
    kept = np.flatnonzero(areas > _least(shapes))
    rows = zip(both[kept], areas[kept].tolist(), first[kept].tolist(), second[kept].tolist(), strict=True)
    return [Fault("overlap", shape, area, (one, other)) for shape, area, one, other in rows]


def _gaps(shapes: np.ndarray) -> list[Fault]:
    import shapely

    if not len(shapes):
        return []
    whole = united(shapes)
    rings = [ring for part in shapely.get_parts(whole) for ring in part.interiors]
    if not rings:
        return []
    # an island in a hole is no part of the gap; nor is what only rounding has left out of the union
    tree = shapely.STRtree(shapes)
    holes = []
    for hole in shapely.polygons(rings):
        for index in sorted(tree.query(hole, predicate="intersects").tolist()):
            hole = shapely.difference(hole, shapes[index])
        holes += [part for part in shapely.get_parts(hole) if part.geom_type == "Polygon"]
    # a polygon beside a hole may be apart from it by the rounding of the union
    gap, beside = tree.query(np.array(holes, object), predicate="dwithin", distance=TOUCHING * _reach(shapes))
    faults = []
    for number, hole in enumerate(holes):
        around = tuple(sorted(set(beside[gap == number].tolist())))
        if hole.area > _least(shapes) and len(around) > 1:
            faults.append(Fault("gap", hole, float(hole.area), around))
    return faults


def without_faults(shapes: Sequence[BaseGeometry], up_to: float) -> tuple[list[BaseGeometry], list[Fault]]:
    """The polygons with gaps and overlaps of at most an area closed, and the faults that were.

    The earlier of two polygons keeps an overlap. A gap goes to the polygon with which it has the longest boundary.
    No land is lost: the union grows by the closed gaps and by nothing else.
    """
    import shapely

    repaired = list(shapes)
    closed: list[Fault] = []
    for fault in faults_between(shapes):
        if fault.kind == "overlap" and fault.area <= up_to:
            earlier, later = fault.between
            repaired[later] = _areas_of(shapely.difference(repaired[later], repaired[earlier]))
            closed.append(fault)
    for fault in faults_between(repaired):
        if fault.kind == "gap" and fault.area <= up_to:
            edge = shapely.boundary(fault.shape)
            lengths = [shapely.length(shapely.intersection(edge, shapely.boundary(repaired[i]))) for i in fault.between]
            owner = fault.between[int(np.argmax(lengths))]
            repaired[owner] = _areas_of(shapely.union(repaired[owner], fault.shape))
            closed.append(fault)
    return repaired, closed


def united(shapes: Sequence[BaseGeometry] | np.ndarray) -> BaseGeometry:
    """The union of polygons, on a raster far finer than their coordinates.

    Without one, edges that lie within rounding of each other can make the library leave out whole polygons.
    """
    import shapely

    return shapely.union_all(shapes, grid_size=RASTER * _reach(shapes))


def _reach(shapes: Sequence[BaseGeometry] | np.ndarray) -> float:
    """The largest coordinate of shapes."""
    import shapely

    west, south, east, north = shapely.total_bounds(shapes).tolist()
    return float(max(abs(west), abs(south), abs(east), abs(north)))


def _areas_of(shape: Any) -> BaseGeometry:
    """The polygons of a shape; lines and points that cutting leaves behind are dropped."""
    import shapely

    parts = [part for part in shapely.get_parts(shape) if part.geom_type == "Polygon"]
    return parts[0] if len(parts) == 1 else shapely.MultiPolygon(parts)
