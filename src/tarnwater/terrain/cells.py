"""The cells of a grid that a line crosses, and the outline of some."""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.terrain.grid import Grid

if TYPE_CHECKING:
    from shapely.geometry import MultiPolygon

#: Share of a cell's width that a line must run in a cell for water to follow it there.
THROUGH = 0.5


def cells_along(grid: Grid, line: Floats) -> tuple[np.ndarray, np.ndarray, Floats]:
    """Find the cells that a line crosses, from its start to its end.

    Parameters
    ----------
    grid : the grid.
    line : (points, 2), in the units of the CRS.

    Returns
    -------
    Rows and columns (cells,) of the ground cells, and their distance (cells,) in m along the line. Neighbours share
    an edge, so that no water passes diagonally between them. Cells outside the grid or without data are left out.
    """
    rows, columns, along, _ = _crossed(grid, line)
    return rows, columns, along


def course_along(grid: Grid, line: Floats) -> tuple[np.ndarray, np.ndarray, Floats]:
    """Find the cells by which water follows a line; as `cells_along`, but neighbours may share a corner only.

    A cell of which the line only cuts a corner between two neighbours is left out: to lower it would dig into the bank.
    """
    rows, columns, along, length = _crossed(grid, line)
    through = length >= THROUGH * min(grid.dx, grid.dy)
    kept = [0] if len(rows) else []
    for index in range(1, len(rows)):
        last, after = kept[-1], index + 1
        passes = after < len(rows) and max(abs(rows[after] - rows[last]), abs(columns[after] - columns[last])) == 1
        if through[index] or not passes:
            kept.append(index)
    return rows[kept], columns[kept], along[kept]


def _crossed(grid: Grid, line: Floats) -> tuple[np.ndarray, np.ndarray, Floats, Floats]:
    """The cells of a line, and how far (m) it runs in each."""
    across = (np.asarray(line, float)[:, 0] - grid.west) / grid.width
    down = (grid.north - np.asarray(line, float)[:, 1]) / grid.height
    rows, columns, along, lengths = [], [], [], []
    passed = 0.0
    points = np.column_stack([down, across])
    for start, end in pairwise(points):
        length = float(np.hypot((end[0] - start[0]) * grid.dy, (end[1] - start[1]) * grid.dx))
        first, last = _over_the_grid(start, end, grid.shape)
        if first < last:
            # only what lies over the grid: a line may come from far away
            begin, finish = start + first * (end - start), start + last * (end - start)
            shares = _crossings(begin, finish)
            middles = (shares[:-1] + shares[1:]) / 2
            cells = np.floor(begin + middles[:, None] * (finish - begin)).astype(np.int64)
            rows.append(cells[:, 0])
            columns.append(cells[:, 1])
            along.append(passed + (first + middles * (last - first)) * length)
            lengths.append(np.diff(shares) * (last - first) * length)
        passed += length
    if not rows:
        none = np.empty(0, np.int64)
        return none, none, np.empty(0), np.empty(0)
    found = (np.concatenate(rows), np.concatenate(columns), np.concatenate(along), np.concatenate(lengths))
    return _on_the_ground(grid, *_without_gaps(*found))


def _over_the_grid(start: Floats, end: Floats, shape: tuple[int, int]) -> tuple[float, float]:
    """Shares of a segment, in cells, between which it lies over a grid or a cell beside it; 0 and 0 if it does not."""
    first, last = 0.0, 1.0
    for begin, finish, size in zip(start, end, shape, strict=True):
        if begin == finish:
            if not -1 <= begin <= size + 1:
                return 0.0, 0.0
            continue
        at = sorted(((-1 - begin) / (finish - begin), (size + 1 - begin) / (finish - begin)))
        first, last = max(first, at[0]), min(last, at[1])
    return (float(first), float(last)) if first < last else (0.0, 0.0)


def _crossings(start: Floats, end: Floats) -> Floats:
    """Shares (0 to 1) of a segment, in cells, at which it passes from cell to cell, with both its ends."""
    shares = [np.array([0.0, 1.0])]
    for begin, finish in zip(start, end, strict=True):
        low, high = min(begin, finish), max(begin, finish)
        edges = np.arange(np.floor(low) + 1, np.ceil(high))
        if len(edges):
            shares.append((edges - begin) / (finish - begin))
    found: Floats = np.unique(np.concatenate(shares))
    return found


def _without_gaps(
    rows: np.ndarray, columns: np.ndarray, along: Floats, length: Floats
) -> tuple[np.ndarray, np.ndarray, Floats, Floats]:
    """Each cell once in a row, with a cell put in wherever the line passes exactly through a corner."""
    corner = np.flatnonzero((np.abs(np.diff(rows)) == 1) & (np.abs(np.diff(columns)) == 1)) + 1
    rows = np.insert(rows, corner, rows[corner])
    columns = np.insert(columns, corner, columns[corner - 1])
    along = np.insert(along, corner, (along[corner] + along[corner - 1]) / 2)
    length = np.insert(length, corner, 0.0)
    new = np.flatnonzero(np.r_[True, (np.diff(rows) != 0) | (np.diff(columns) != 0)])
    return rows[new], columns[new], along[new], np.add.reduceat(length, new)


def _on_the_ground(
    grid: Grid, rows: np.ndarray, columns: np.ndarray, along: Floats, length: Floats
) -> tuple[np.ndarray, np.ndarray, Floats, Floats]:
    high, wide = grid.shape
    inside = (rows >= 0) & (rows < high) & (columns >= 0) & (columns < wide)
    rows, columns, along, length = rows[inside], columns[inside], along[inside], length[inside]
    ground = np.isfinite(grid.heights[rows, columns])
    return rows[ground], columns[ground], along[ground], length[ground]


def outline_of(grid: Grid, cells: np.ndarray, row: int = 0, column: int = 0) -> MultiPolygon:
    """Outline (in the units of the CRS) along the edges of chosen cells (rows, columns) bool of a part of a grid.

    ``row`` and ``column`` are those of its first cell. Parts that only touch at a corner are separate parts.
    """
    import rasterio.features
    from affine import Affine
    from shapely.geometry import MultiPolygon, shape

    west, north = grid.west + column * grid.width, grid.north - row * grid.height
    place = Affine(grid.width, 0, west, 0, -grid.height, north)
    parts = rasterio.features.shapes(cells.astype(np.uint8), mask=cells, connectivity=4, transform=place)
    return MultiPolygon([shape(geometry) for geometry, _ in parts])
