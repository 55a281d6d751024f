"""Overlay of 500 catchments, 20,000 cover and 5,000 soil polygons, over cutting the catchments by the cover alone."""

from __future__ import annotations

import numpy as np
import shapely

from bench.pairs import in_pairs
from tarnwater.cover.overlay import Patches, overlay

SEED, SIDE = 1, 50_000.0
CATCHMENTS, COVERS, SOILS = 500, 20_000, 5_000
CLASSES, GROUPS = 20, 4


def cells(count: int, seed: int) -> np.ndarray:
    """Voronoi cells (count,) of random points in a square, clipped to it."""
    rng = np.random.default_rng(seed)
    square = shapely.box(0, 0, SIDE, SIDE)
    points = shapely.multipoints(rng.uniform(0, SIDE, (count, 2)))
    found = shapely.get_parts(shapely.voronoi_polygons(points, extend_to=square))
    return shapely.intersection(found, square)


def run(pairs: int) -> list[str]:
    land, covers, soils = cells(CATCHMENTS, SEED), cells(COVERS, SEED + 1), cells(SOILS, SEED + 2)
    rng = np.random.default_rng(SEED)
    cover = Patches(covers, rng.integers(0, CLASSES, len(covers)))
    soil = Patches(soils, rng.integers(0, GROUPS, len(soils)))

    def base() -> None:
        first, second = shapely.STRtree(covers).query(land, predicate="intersects")
        shapely.area(shapely.intersection(land[first], covers[second]))

    timed = in_pairs(lambda: overlay(land, cover, soil), base, pairs)
    name = f"overlay, {CATCHMENTS} x {COVERS} x {SOILS} Voronoi polygons, seed {SEED}"
    return [timed.told(f"{name}, over STRtree bulk query and intersection of catchment-cover pairs", "at most 2.5")]
