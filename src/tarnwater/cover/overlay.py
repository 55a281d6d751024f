"""Areas of cover on soil within catchments, exact to the polygons.

The polygons of one kind may overlap: then the earlier one counts. Land without cover or without soil is found by
difference, so that the areas of a catchment add up to its own.
"""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.progress import Progress

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

#: Code of land that no polygon covers.
NONE = -1

#: Areas below this share of their catchment are rounding.
ROUNDING = 1e-9

#: Catchments are overlaid in this many threads: the polygons are cut outside of the interpreter's lock.
THREADS = 2


@dataclass(frozen=True, eq=False)
class Patches:
    """Polygons (patches,), each with the code (patches,) of its class; the earlier ones lie above the later ones.

    Make them by `patches_of`, which repairs what is invalid and lets no two overlap.
    """

    shapes: np.ndarray
    codes: np.ndarray

    def __len__(self) -> int:
        return len(self.shapes)


@dataclass(frozen=True, eq=False)
class LandAreas:
    """Areas, one row (rows,) for each catchment, cover and soil that meet; `NONE` where no polygon lies.

    ``area`` is in the square of the units of the shapes. Rows are sorted by catchment, then cover, then soil.
    """

    catchment: np.ndarray
    cover: np.ndarray
    soil: np.ndarray
    area: Floats

    def of(self, catchment: int) -> list[tuple[int, int, float]]:
        """Cover, soil and area of each row of one catchment."""
        own = self.catchment == catchment
        rows = zip(self.cover[own].tolist(), self.soil[own].tolist(), self.area[own].tolist(), strict=True)
        return list(rows)


def patches_of(shapes: Sequence[BaseGeometry], codes: Sequence[int]) -> Patches:
    """Patches of some polygons, repaired where they are invalid, and cut where an earlier one lies above."""
    import shapely

    found = polygons_of(np.array(list(shapes), object))
    kept = ~shapely.is_empty(found)
    return Patches(_without_overlaps(found[kept]), np.asarray(codes, np.int64)[kept])


def polygons_of(shapes: np.ndarray) -> np.ndarray:
    """Shapes (shapes,) as valid polygons with the same area; lines and points that a repair leaves are dropped."""
    import shapely

    valid = shapely.is_valid(shapes)
    if valid.all() and np.isin(shapely.get_type_id(shapes), (3, 6)).all():
        return shapes
    found = shapes.copy()
    for index in np.flatnonzero(~valid | (shapely.get_type_id(shapes) == 7)):
        parts = shapely.get_parts(shapely.make_valid(shapes[index]))
        areas = parts[np.isin(shapely.get_type_id(parts), (3, 6))]
        found[index] = shapely.union_all(areas) if len(areas) else shapely.Polygon()
    return found


def _without_overlaps(shapes: np.ndarray) -> np.ndarray:
    """The polygons without what earlier ones lie over."""
    import shapely

    if len(shapes) < 2:
        return shapes
    tree = shapely.STRtree(shapes)
    above: dict[int, list[int]] = {}
    # polygons that only touch neither overlap nor hold each other
    for predicate in ("overlaps", "covers"):
        first, second = tree.query(shapes, predicate=predicate)
        for one, other in zip(first[first != second].tolist(), second[first != second].tolist(), strict=True):
            above.setdefault(max(one, other), []).append(min(one, other))
    found = shapes.copy()
    for lower, upper in above.items():
        # one by one: the union of edges that lie within rounding of each other can leave out whole polygons
        rest = shapes[lower]
        for one in sorted(set(upper)):
            rest = shapely.difference(rest, shapes[one])
        found[lower] = polygons_of(np.array([rest], object))[0]
    return found


def overlay(
    catchments: Sequence[BaseGeometry], cover: Patches, soil: Patches, progress: Progress | None = None
) -> LandAreas:
    """Areas of every cover on every soil within each of some valid polygons.

    Cancelled by ``progress``, which is told how far it is.
    """
    progress = progress or Progress()
    land = np.array(list(catchments), object)
    parts = [part for part in np.array_split(np.arange(len(land)), max(min(4 * THREADS, len(land)), 1)) if len(part)]
    rows: list[LandAreas] = []
    with ThreadPoolExecutor(THREADS) as pool:
        work = [pool.submit(_overlaid, part, land[part], cover, soil, progress) for part in parts]
        for number, one in enumerate(work):
            rows.append(one.result())
            progress.tell("cutting cover and soil", (number + 1) / len(work))
    if not rows:
        none = np.empty(0, np.int64)
        return LandAreas(none, none, none, np.empty(0))
    return LandAreas(
        np.concatenate([row.catchment for row in rows]),
        np.concatenate([row.cover for row in rows]),
        np.concatenate([row.soil for row in rows]),
        np.concatenate([row.area for row in rows]),
    )


@dataclass(frozen=True, eq=False)
class _Pieces:
    """Parts (pieces,) of some polygons that lie in patches: the position of the polygon, the code and the area."""

    holder: np.ndarray
    code: np.ndarray
    shapes: np.ndarray
    area: Floats


def _pieces(land: np.ndarray, patches: Patches) -> _Pieces:
    """Cut polygons by patches; what lies wholly in the other is taken whole, which is most of it."""
    import shapely

    tree = shapely.STRtree(patches.shapes)
    holder, patch = tree.query(land, predicate="intersects")
    order = np.lexsort((patch, holder))
    holder, patch = holder[order], patch[order]
    shapes = patches.shapes[patch]
    inside = _among(holder, patch, tree.query(land, predicate="covers"), len(patches))
    within = _among(holder, patch, tree.query(land, predicate="within"), len(patches)) & ~inside
    shapes[within] = land[holder[within]]
    cut = ~(inside | within)
    shapes[cut] = shapely.intersection(land[holder[cut]], shapes[cut])
    area = shapely.area(shapes)
    kept = area > 0
    return _Pieces(holder[kept], patches.codes[patch[kept]], shapes[kept], area[kept])


def _among(holder: np.ndarray, patch: np.ndarray, found: np.ndarray, count: int) -> np.ndarray:
    """Whether each pair is among others (2, pairs)."""
    return np.isin(holder * count + patch, found[0] * count + found[1])


def _overlaid(numbers: np.ndarray, land: np.ndarray, cover: Patches, soil: Patches, progress: Progress) -> LandAreas:
    """Rows of some catchments; ``numbers`` are their positions.

    With A the area of a catchment, A(c) that under a cover, A(s) that on a soil, A(c, s) that of both: a cover lies on
    no soil in A(c) - sum over s of A(c, s); a soil has no cover in A(s) - sum over c of A(c, s); the rest of A has
    neither. So the sums are those of the polygons, whatever the gaps look like.
    """
    import shapely

    own = shapely.area(land)
    covered = _pieces(land, cover)
    progress.raise_if_cancelled()
    both = _pieces(covered.shapes, soil)
    progress.raise_if_cancelled()
    of_both, code = covered.holder[both.holder], covered.code[both.holder]
    bare = own - np.bincount(covered.holder, covered.area, len(land))
    # only where some land has no cover does it matter on what soil that lies
    open_land = np.flatnonzero(bare > ROUNDING * own)
    on_soil = _pieces(land[open_land], soil)
    of_soil = open_land[on_soil.holder]
    counted = np.isin(of_both, open_land)
    none = partial(np.full, fill_value=NONE)
    rows = _Rows()
    rows.add(of_both, code, both.code, both.area)
    rows.add(covered.holder, covered.code, none(len(covered.code)), covered.area)
    rows.add(of_both, code, none(len(code)), -both.area)
    rows.add(of_soil, none(len(of_soil)), on_soil.code, on_soil.area)
    rows.add(of_both[counted], none(counted.sum()), both.code[counted], -both.area[counted])
    for holder, area in (
        (np.arange(len(land)), own),
        (covered.holder, -covered.area),
        (of_soil, -on_soil.area),
        (of_both[counted], both.area[counted]),
    ):
        rows.add(holder, none(len(holder)), none(len(holder)), area)
    return rows.summed(numbers, own)


class _Rows:
    """Areas to be added up by catchment, cover and soil."""

    def __init__(self) -> None:
        self._keys: list[np.ndarray] = []
        self._areas: list[Floats] = []

    def add(self, catchment: np.ndarray, cover: np.ndarray, soil: np.ndarray, area: Floats) -> None:
        """Add areas (rows,), negative ones where they are taken away."""
        self._keys.append(np.column_stack([catchment, cover, soil]))
        self._areas.append(area)

    def summed(self, numbers: np.ndarray, own: Floats) -> LandAreas:
        """The sums, without those that are rounding; ``numbers`` are those of the catchments, ``own`` their areas."""
        keys, row = np.unique(np.concatenate(self._keys), axis=0, return_inverse=True)
        area = np.bincount(row.ravel(), np.concatenate(self._areas), len(keys))
        kept = area > ROUNDING * own[keys[:, 0]]
        keys = keys[kept]
        return LandAreas(numbers[keys[:, 0]], keys[:, 1], keys[:, 2], area[kept])
