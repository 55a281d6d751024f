"""Voids: no-data inside the ground, which becomes an outlet, a wall, or interpolated ground."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal, overload

import numpy as np

from tarnwater.progress import Progress
from tarnwater.terrain.grid import Grid

VoidTreatment = Literal["outlet", "wall", "interpolate"]

#: Voids of at least this area (m2) are outlets by default; smaller ones are interpolated.
LARGE_VOID = 10_000.0

_EIGHT = np.ones((3, 3), bool)

#: Cells interpolated by a direct solution; more go by iteration.
DIRECT = 200_000


@dataclass(frozen=True)
class Void:
    """A void; ``number`` counts from the north-west, ``place`` is one of its cells."""

    number: int
    area: float
    place: tuple[float, float]

    @property
    def proposed(self) -> VoidTreatment:
        """Its default treatment."""
        return "outlet" if self.area >= LARGE_VOID else "interpolate"


@dataclass(frozen=True, eq=False)
class Voids(Sequence[Void]):
    """The voids that do not reach the outside.

    ``parts`` (rows, columns) int32 numbers the cells of each from 1, 0 elsewhere.
    """

    grid: Grid
    parts: np.ndarray
    found: tuple[Void, ...]

    def __len__(self) -> int:
        return len(self.found)

    @overload
    def __getitem__(self, number: int) -> Void: ...
    @overload
    def __getitem__(self, number: slice) -> tuple[Void, ...]: ...
    def __getitem__(self, number: int | slice) -> Void | tuple[Void, ...]:
        return self.found[number]


def find_voids(grid: Grid, progress: Progress | None = None) -> Voids:
    """Find the voids that do not reach the outside, in one pass."""
    progress = progress or Progress()
    progress.tell("searching for holes", 0.0)
    missing = np.isnan(grid.heights)
    if not missing.any():
        return Voids(grid, np.zeros((1, 1), np.int32), ())
    from scipy import ndimage

    labels, count = ndimage.label(missing, structure=_EIGHT)
    edge = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
    inside = np.ones(count + 1, bool)
    inside[np.unique(edge)] = False
    inside[0] = False
    numbers = np.zeros(count + 1, np.int32)
    numbers[inside] = np.arange(1, int(inside.sum()) + 1)
    parts = numbers[labels]
    at = np.flatnonzero(parts)
    own = parts.ravel()[at]
    cells = np.bincount(own, minlength=1)
    # labels count from the north-west, so the first cell with a label is the first cell of the void
    _, first = np.unique(own, return_index=True)
    rows, columns = np.divmod(at[first], grid.shape[1])
    progress.tell("searching for holes", 1.0)
    found = tuple(
        Void(number, float(cells[number] * grid.cell_area), grid.centre(int(row), int(column)))
        for number, (row, column) in enumerate(zip(rows, columns, strict=True), start=1)
    )
    return Voids(grid, parts, found)


def treat_voids(
    voids: Voids, treatments: Mapping[int, VoidTreatment] | None = None, progress: Progress | None = None
) -> tuple[Grid, np.ndarray]:
    """Apply the treatment of each void, by number; the default one if none is given.

    Returns the grid, with interpolated voids made ground, and the cells (rows, columns) bool that are walls.
    Interpolated ground is the smoothest surface over the void that meets the ground around it (Laplace's equation on
    the cells); on a plane it is the plane.
    """
    progress = progress or Progress()
    given, grid = treatments or {}, voids.grid
    walls = np.zeros(grid.shape, bool)
    if not voids:
        return grid, walls
    chosen: dict[str, np.ndarray] = {kind: np.zeros(len(voids) + 1, bool) for kind in ("wall", "interpolate", "outlet")}
    for void in voids:
        chosen[given.get(void.number, void.proposed)][void.number] = True
    walls = chosen["wall"][voids.parts]
    wanted = chosen["interpolate"][voids.parts]
    if not wanted.any():
        return grid, walls
    progress.tell("interpolating holes", 0.0)
    heights = grid.heights.copy()
    heights[wanted] = _harmonic(heights, wanted, grid.dx, grid.dy)
    progress.tell("interpolating holes", 1.0)
    return replace(grid, heights=heights), walls


def _harmonic(heights: np.ndarray, wanted: np.ndarray, dx: float, dy: float) -> np.ndarray:
    """Heights of some cells by Laplace's equation, all of them at once.

    Each is the mean of its four neighbours, those across and those along weighted by the square of
    their distance; a neighbour that has no height and is not solved for is left out.
    """
    from scipy import sparse
    from scipy.sparse import linalg

    rows, columns = np.nonzero(wanted)
    number = np.full(wanted.shape, -1, np.int64)
    count = len(rows)
    number[rows, columns] = np.arange(count)
    diagonal, known = np.zeros(count), np.zeros(count)
    entries: list[tuple[np.ndarray, np.ndarray, np.ndarray]] = []
    for down, across, weight in ((0, 1, dx**-2), (0, -1, dx**-2), (1, 0, dy**-2), (-1, 0, dy**-2)):
        r, c = rows + down, columns + across
        other = number[r, c]
        level = heights[r, c].astype(float)
        free, fixed = other >= 0, ~np.isnan(level)
        diagonal += weight * (free | fixed)
        known[fixed] += weight * level[fixed]
        entries.append((np.flatnonzero(free), other[free], np.full(int(free.sum()), -weight)))
    of, to, values = (np.concatenate([e[n] for e in entries]) for n in range(3))
    diagonal[diagonal == 0] = 1.0
    matrix = sparse.coo_matrix((values, (of, to)), shape=(count, count)) + sparse.diags(diagonal)
    if not len(of):
        return known / diagonal
    if count <= DIRECT:
        return np.asarray(linalg.spsolve(matrix.tocsc(), known))
    middle = float(np.nanmean(heights))
    solved, _ = linalg.cg(matrix.tocsr(), known, x0=np.full(count, middle), rtol=1e-10)
    return np.asarray(solved)
