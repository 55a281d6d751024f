"""Depressions: filled cells with area, depth and volume."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import overload

import numpy as np

from tarnwater.progress import Progress
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.parallel import one_at_a_time

#: A depression over either is a doubt: a lake, a quarry, or an embankment that needs its culvert.
DOUBTFUL_AREA = 10_000.0
DOUBTFUL_DEPTH = 1.0


@dataclass(frozen=True)
class Depression:
    """A filled hollow; ``place`` is its deepest cell in the units of the CRS."""

    area: float
    depth: float
    volume: float
    level: float
    place: tuple[float, float]

    @property
    def doubtful(self) -> bool:
        """Larger than 1 ha or deeper than 1 m."""
        return self.area > DOUBTFUL_AREA or self.depth > DOUBTFUL_DEPTH


@dataclass(frozen=True, eq=False)
class Depressions(Sequence[Depression]):
    """Every depression of a terrain, the largest volume first; there may be very many.

    Arrays (depressions,): ``area`` in m2, ``depth`` and ``level`` in m, ``volume`` in m3, and the row and
    column of the deepest ``cell`` (depressions, 2).
    """

    grid: Grid
    area: np.ndarray
    depth: np.ndarray
    volume: np.ndarray
    level: np.ndarray
    cell: np.ndarray

    def __len__(self) -> int:
        return len(self.area)

    @overload
    def __getitem__(self, number: int) -> Depression: ...
    @overload
    def __getitem__(self, number: slice) -> list[Depression]: ...
    def __getitem__(self, number: int | slice) -> Depression | list[Depression]:
        if isinstance(number, slice):
            return [self[i] for i in range(*number.indices(len(self)))]
        row, column = self.cell[number]
        area, depth, volume, level = (float(v[number]) for v in (self.area, self.depth, self.volume, self.level))
        return Depression(area, depth, volume, level, self.grid.centre(row, column))

    @property
    def doubtful(self) -> list[Depression]:
        """The doubtful depressions."""
        doubted = (self.area > DOUBTFUL_AREA) | (self.depth > DOUBTFUL_DEPTH)
        return [self[i] for i in np.flatnonzero(doubted).tolist()]


def find_depressions(drainage: Drainage, progress: Progress | None = None) -> Depressions:
    """Find the filled cells; each set of touching cells is one depression.

    A surface that drains everywhere has none. `Progress.cancel` stops the work with `Cancelled`.
    """
    from tarnwater.terrain import _kernels as kernels

    progress = progress or Progress()
    progress.tell("listing the depressions", 0.0)
    grid, filled = drainage.grid, drainage.flat_filled
    covered = np.count_nonzero(drainage.filled > grid.heights)
    size, deepest = np.empty(covered, np.int32), np.empty(covered, np.int32)
    volume = np.empty(covered)
    seen, stack = np.zeros(filled.size, np.uint8), np.empty(covered + 1, np.int32)
    with one_at_a_time:
        count = kernels.measure_hollows(
            filled, grid.heights, drainage.row_length, drainage.offsets, seen, stack, size, volume, deepest,
            progress.flag,
        )  # fmt: skip
    progress.tell("listing the depressions", 1.0)
    order = np.argsort(-volume[:count], kind="stable")
    cell = np.column_stack(drainage.cell_of(deepest[order]))
    level = drainage.filled[cell[:, 0], cell[:, 1]].astype(float)
    depth = level - grid.heights[cell[:, 0], cell[:, 1]]
    return Depressions(grid, size[order] * grid.cell_area, depth, volume[order] * grid.cell_area, level, cell)
