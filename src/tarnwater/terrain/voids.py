"""Voids: no-data inside the ground, which must become an outlet, a wall, or ground again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from tarnwater.terrain.grid import Grid

VoidTreatment = Literal["outlet", "wall", "interpolate"]

#: Voids of at least this area (m2) are outlets unless said otherwise; smaller ones are interpolated.
LARGE_VOID = 10_000.0

_EIGHT = np.ones((3, 3), bool)


@dataclass(frozen=True)
class Void:
    """A hole of no-data; ``number`` orders them from the north-west, ``place`` is one of its cells."""

    number: int
    area: float
    place: tuple[float, float]

    @property
    def proposed(self) -> VoidTreatment:
        """What becomes of it unless a person says otherwise."""
        return "outlet" if self.area >= LARGE_VOID else "interpolate"


def _label_voids(grid: Grid) -> tuple[np.ndarray, list[int]]:
    if not np.isnan(grid.heights).any():
        return np.zeros((1, 1), np.int32), []
    from scipy import ndimage

    parts, count = ndimage.label(np.isnan(grid.heights), structure=_EIGHT)
    edge = np.concatenate([parts[0], parts[-1], parts[:, 0], parts[:, -1]])
    inside = sorted(set(range(1, count + 1)) - set(np.unique(edge).tolist()))
    return parts, inside


def find_voids(grid: Grid) -> list[Void]:
    """List the holes of no-data that do not reach the outside; none in a whole grid."""
    parts, inside = _label_voids(grid)
    cells = np.bincount(parts.ravel())
    found = []
    for number, part in enumerate(inside, start=1):
        first = np.unravel_index(int(np.argmax(parts == part)), parts.shape)
        place = grid.centre(int(first[0]), int(first[1]))
        found.append(Void(number, float(cells[part] * grid.cell_area), place))
    return found


def treat_voids(grid: Grid, treatments: Mapping[int, VoidTreatment] | None = None) -> tuple[Grid, np.ndarray]:
    """Apply the treatment of each void, by number; the proposed one where none is given.

    Returns the grid, with interpolated voids made ground, and the cells (rows, columns) bool that
    are walls. Interpolation is linear over the ring of ground around the void.
    """
    treatments = treatments or {}
    parts, inside = _label_voids(grid)
    heights = grid.heights
    walls = np.zeros(grid.shape, bool)
    for void, part in zip(find_voids(grid), inside, strict=True):
        match treatments.get(void.number, void.proposed):
            case "wall":
                walls |= parts == part
            case "interpolate":
                if heights is grid.heights:
                    heights = heights.copy()
                _interpolate(heights, parts == part, grid)
    return replace(grid, heights=heights), walls


def _interpolate(heights: np.ndarray, void: np.ndarray, grid: Grid) -> None:
    from scipy import interpolate, ndimage

    ring = ndimage.binary_dilation(void, structure=_EIGHT) & ~np.isnan(heights)
    known = np.argwhere(ring) * (grid.dy, grid.dx)
    wanted = np.argwhere(void) * (grid.dy, grid.dx)
    values = interpolate.griddata(known, heights[ring].astype(float), wanted, method="linear")
    nearest = interpolate.griddata(known, heights[ring].astype(float), wanted, method="nearest")
    heights[void] = np.where(np.isnan(values), nearest, values)
