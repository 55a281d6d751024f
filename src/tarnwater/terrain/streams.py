"""Streams: cells with at least a threshold area, their order and lines."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from tarnwater.terrain.drainage import OUT, Drainage
from tarnwater.terrain.lines import Lines


@dataclass(frozen=True, eq=False)
class StreamLine:
    """A stream between heads, confluences and ends: ``line`` (points, 2) in the units of the CRS."""

    line: np.ndarray
    order: int
    upstream_area: float


def stream_cells(drainage: Drainage, threshold: float) -> np.ndarray:
    """Padded indices of the stream cells from the heads down (the area grows downstream)."""
    cells = np.flatnonzero(drainage.flat_upstream * drainage.grid.cell_area >= threshold)
    return cells[np.argsort(drainage.flat_upstream[cells], kind="stable")]


def stream_order(drainage: Drainage, threshold: float) -> np.ndarray:
    """Strahler order (1957) of each cell, 0 off the streams, (rows, columns) int8."""
    return StreamField(drainage, threshold).order(threshold)


def stream_lines(drainage: Drainage, threshold: float) -> list[StreamLine]:
    """Streams as lines from each head or confluence down to the next confluence or end."""
    lines, areas = StreamField(drainage, threshold).traced(threshold)
    return [
        StreamLine(lines.points[begin:end], int(order), float(area))
        for (begin, end), order, area in zip(pairwise(lines.first), lines.weight, areas, strict=True)
    ]


class StreamField:
    """The streams of a terrain at any threshold not below ``least`` m2, prepared once.

    The time for a threshold then depends on its streams, not on the size of the terrain.
    """

    def __init__(self, drainage: Drainage, least: float) -> None:
        self.drainage = drainage
        self._cells = stream_cells(drainage, least)
        self._areas = drainage.flat_upstream[self._cells] * drainage.grid.cell_area
        size = drainage.flat_directions.size
        self._order, self._branches, self._into = (np.zeros(size, np.int8) for _ in range(3))

    def order(self, threshold: float) -> np.ndarray:
        """Strahler order (1957) of each cell, 0 off the streams, (rows, columns) int8."""
        cells = self._cells_from(threshold)
        self._number(cells)
        found = self.drainage.unpadded(self._order).copy()
        self._clear(cells)
        return found

    def lines(self, threshold: float) -> Lines:
        """Streams as lines weighted by their order, from each head or confluence down to the next confluence or end."""
        return self.traced(threshold)[0]

    def traced(self, threshold: float) -> tuple[Lines, np.ndarray]:
        """The lines, and the area in m2 that drains through the foot of each."""
        from tarnwater.terrain import _kernels as kernels

        cells = self._cells_from(threshold)
        if not len(cells):
            return Lines.of([]), np.empty(0)
        drainage = self.drainage
        directions, offsets = drainage.flat_directions, drainage.offsets
        self._number(cells)
        going_on = cells[directions[cells] < OUT]
        np.add.at(self._into, going_on + offsets[directions[going_on]], 1)
        starts = cells[self._into[cells] != 1]
        path = np.empty(2 * len(cells), np.int64)
        first = np.empty(len(starts) + 1, np.int64)
        kernels.trace_lines(starts, directions, offsets, self._into, path, first)
        path = path[: first[-1]]
        last = path[first[1:] - 1]
        above = path[np.maximum(first[1:] - 2, first[:-1])]
        foot = np.where(self._into[last] > 1, above, last)
        areas = drainage.flat_upstream[foot] * drainage.grid.cell_area
        orders = self._order[path[first[:-1]]].astype(float)
        points = np.column_stack(drainage.grid.centre(*drainage.cell_of(path)))
        self._clear(cells)
        return Lines(points, first, orders), areas

    def _cells_from(self, threshold: float) -> np.ndarray:
        return self._cells[np.searchsorted(self._areas, threshold) :]

    def _number(self, cells: np.ndarray) -> None:
        from tarnwater.terrain import _kernels as kernels

        drainage = self.drainage
        kernels.strahler_order(cells, drainage.flat_directions, drainage.offsets, self._order, self._branches)

    def _clear(self, cells: np.ndarray) -> None:
        for scratch in (self._order, self._branches, self._into):
            scratch[cells] = 0
