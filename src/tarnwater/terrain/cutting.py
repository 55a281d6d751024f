"""Outlines of catchments cut, joined and led along another line; places snapped to vertices, edges and lines."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.terrain.boundaries import united

if TYPE_CHECKING:
    from shapely.geometry import MultiPolygon
    from shapely.geometry.base import BaseGeometry

#: Parts of less than this share of what is cut are rounding.
ROUNDING = 1e-9

#: How far the ends of a line may lie from an outline that they end on, as a share of its extent.
ON_OUTLINE = 1e-6

Caught = Literal["vertex", "edge", "stream"]


@dataclass(frozen=True)
class Catch:
    """What a place was snapped to: the place there, and whether it is a vertex, an edge or a stream."""

    place: tuple[float, float]
    what: Caught


class Snapping:
    """Snaps places to the vertices and edges of outlines, and to streams."""

    def __init__(self, outlines: Iterable[Floats], streams: Iterable[Floats]) -> None:
        import shapely

        def lines(parts: Iterable[Floats]) -> np.ndarray:
            return np.array([shapely.linestrings(one) for one in parts if len(one) > 1], object)

        self._lines: dict[Caught, np.ndarray] = {"edge": lines(outlines), "stream": lines(streams)}
        self._trees = {kind: shapely.STRtree(found) for kind, found in self._lines.items()}

    def snapped(self, x: float, y: float, reach: float, *, only: Sequence[Caught] = ()) -> Catch | None:
        """What lies within a distance of a place: a vertex first, then an edge, then a stream; None if nothing does.

        ``only`` names what counts.
        """
        import shapely

        here = shapely.Point(x, y)
        kinds: tuple[Caught, ...] = ("edge", "stream")
        for kind in kinds:
            near = self._trees[kind].query(here, predicate="dwithin", distance=reach)
            if not len(near):
                continue
            found = [self._lines[kind][number] for number in near.tolist()]
            if kind == "edge" and (not only or "vertex" in only):
                points = np.concatenate([shapely.get_coordinates(line) for line in found])
                far = np.hypot(*(points - (x, y)).T)
                best = int(np.argmin(far))
                if far[best] <= reach:
                    return Catch((float(points[best, 0]), float(points[best, 1])), "vertex")
            if not only or kind in only:
                line = min(found, key=lambda one: one.distance(here))
                on = line.interpolate(line.project(here))
                return Catch((float(on.x), float(on.y)), kind)
        return None


def ring_of(line: Sequence[tuple[float, float]]) -> MultiPolygon:
    """The area that a closed line encloses; `EditRefused` if it has none, or crosses itself, with the place."""
    import shapely
    from shapely.geometry import Polygon

    if len(line) < 3:
        raise EditRefused("an outline has at least three places.", remedy="Click at each of its corners.")
    area = Polygon(line)
    if not area.is_valid:
        raise EditRefused(
            f"the outline crosses itself ({shapely.is_valid_reason(area).lower()}).",
            remedy="Draw it without a crossing.",
        )
    if area.area <= 0:
        raise EditRefused("the outline has no area.", remedy="Click at each of its corners.")
    return parts_of(area)


def parts_of(shape: BaseGeometry) -> MultiPolygon:
    """The polygons of a shape; lines and points that cutting leaves behind are dropped."""
    import shapely
    from shapely.geometry import MultiPolygon

    return MultiPolygon([part for part in shapely.get_parts(shape) if part.geom_type == "Polygon"])


def split_by(area: BaseGeometry, line: Sequence[tuple[float, float]], name: str) -> list[MultiPolygon]:
    """The parts into which a line cuts an area, the largest first; `EditRefused` if it does not cross it."""
    from shapely.geometry import LineString
    from shapely.ops import polygonize, unary_union

    cut = LineString(_real(line, name))
    found = []
    for part in area.geoms if hasattr(area, "geoms") else [area]:
        edges = unary_union([part.boundary, cut])
        found += [
            parts_of(one)
            for one in polygonize(edges)
            if part.contains(one.representative_point()) and one.area > ROUNDING * area.area
        ]
    if len(found) < 2 or (hasattr(area, "geoms") and len(found) <= len(area.geoms)):
        raise EditRefused(
            f"the line does not cut {name} in two.",
            where=name,
            remedy="Draw it from one edge of the outline to another.",
        )
    return sorted(found, key=lambda one: -one.area)


def _real(line: Sequence[tuple[float, float]], name: str) -> Sequence[tuple[float, float]]:
    """The line, if it has two different places and no place that is no number."""
    if len(set(line)) < 2 or not np.isfinite(line).all():
        raise EditRefused(
            "a line has two different places at least.", where=name, remedy="Draw it through more places."
        )
    return line


def led_along(area: BaseGeometry, line: Sequence[tuple[float, float]], name: str) -> MultiPolygon:
    """An area whose outline is led along a line between the places at which the line begins and ends on it.

    Of the two areas that are possible the one that shares more with the former counts. Raises `EditRefused` for a line
    that begins or ends elsewhere, or that crosses itself.
    """
    import shapely
    from shapely.geometry import LineString, Point

    way = LineString(_real(line, name))
    if not way.is_simple:
        raise EditRefused("the line crosses itself.", where=name, remedy="Draw it without a crossing.")
    ends = Point(line[0]), Point(line[-1])
    parts = list(area.geoms if hasattr(area, "geoms") else [area])
    reach = ON_OUTLINE * max(np.ptp(shapely.get_coordinates(area), axis=0))
    held = next((one for one in parts if all(one.exterior.distance(end) <= reach for end in ends)), None)
    if held is None:
        raise EditRefused(
            f"the line does not begin and end on the outline of {name}.",
            where=name,
            remedy="Let both its ends snap to the outline.",
        )
    best = max(_ways(held, line), key=lambda one: one.intersection(held).area - one.difference(held).area * 1e-6)
    rest = [one for one in parts if one is not held]
    return parts_of(united(np.array([best, *rest], object)) if rest else best)


def _ways(area: Any, line: Sequence[tuple[float, float]]) -> list[Any]:
    """Both areas that an outline makes with a line in place of one of its parts."""
    from shapely.geometry import Point, Polygon
    from shapely.ops import substring

    ring = area.exterior
    begin, end = ring.project(Point(line[0])), ring.project(Point(line[-1]))
    found = []
    for first, last, course in ((begin, end, list(line)[::-1]), (end, begin, list(line))):
        if first <= last:
            kept = list(substring(ring, first, last).coords)
        else:
            kept = [*substring(ring, first, ring.length).coords, *substring(ring, 0, last).coords]
        made = Polygon([*kept, *course[1:-1]], [hole.coords for hole in area.interiors])
        if made.is_valid and made.area > 0:
            found.append(made)
    if not found:
        raise EditRefused(
            "the new outline would cross itself.", remedy="Let the line meet the outline only at its ends."
        )
    return found


def giving_way(before: BaseGeometry, after: BaseGeometry, others: Sequence[BaseGeometry]) -> dict[int, MultiPolygon]:
    """The neighbours, by position, that change when an area is reshaped.

    What it takes is taken from them; what it gives up goes to the one with the longest boundary beside it.
    """
    import shapely

    taken, given = after.difference(before), before.difference(after)
    found: dict[int, Any] = {}
    for number, other in enumerate(others):
        if other.intersection(taken).area > ROUNDING * before.area:
            found[number] = other.difference(after)
    for piece in shapely.get_parts(given):
        if piece.geom_type != "Polygon" or piece.area <= ROUNDING * before.area:
            continue
        edge = piece.boundary
        shared = [edge.intersection(other.boundary).length for other in others]
        owner = int(np.argmax(shared)) if shared else -1
        if owner >= 0 and shared[owner] > 0:
            found[owner] = united(np.array([found.get(owner, others[owner]), piece], object))
    return {number: parts_of(shape) for number, shape in found.items()}
