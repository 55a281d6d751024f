"""From raw heights to a surface that drains: filling, flow directions, accumulation.

Filling raises every depression to the lowest height from which its water finds a way out, as the
priority flood of Barnes, Lehman and Mulla (2014) does. Here the flood runs over the basins of the
pits instead of the cells, from the lowest pass up, which gives the same surface in a fraction of the
time. Flow goes to the steepest of eight neighbours (O'Callaghan and Mark 1984); flats drain toward
lower and away from higher ground (Garbrecht and Martz 1997; Barnes, Lehman and Mulla 2014).
Equal slopes are decided in the order E, S, W, N, SE, SW, NW, NE.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from tarnwater.progress import Progress
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.parallel import one_at_a_time

#: Row and column steps of the directions 0 to 7: E, S, W, N, SE, SW, NW, NE.
ROW_STEP = np.array([0, 1, 0, -1, 1, 1, -1, -1])
COLUMN_STEP = np.array([1, 0, -1, 0, 1, -1, -1, 1])
OUT, PIT, VOID = 8, 9, 10

#: Kinds of cell: ground, a void that takes water, a void that does not.
GROUND, OPEN, WALL = 0, 1, 2


def _bits_beside() -> np.ndarray:
    """For a set of neighbours, a bit a direction, the set of those that touch one of them, (256,) uint8."""
    rows, columns = np.subtract.outer(ROW_STEP, ROW_STEP), np.subtract.outer(COLUMN_STEP, COLUMN_STEP)
    touch = np.maximum(np.abs(rows), np.abs(columns)) == 1
    member = (np.arange(256)[:, None] >> np.arange(8)) & 1
    found: np.ndarray = (((member @ touch) > 0) @ (1 << np.arange(8))).astype(np.uint8)
    return found


_BESIDE = _bits_beside()

#: Bands of rows that are accumulated side by side.
_BANDS = 2


@dataclass(frozen=True, eq=False)
class Drainage:
    """A terrain that drains.

    The arrays are padded by one cell and flat, as the kernels want them; `filled`, `directions`
    and `upstream` are views of them in the grid's shape.
    """

    grid: Grid
    flat_filled: np.ndarray
    flat_directions: np.ndarray
    flat_upstream: np.ndarray

    @property
    def row_length(self) -> int:
        """Cells in a padded row."""
        return self.grid.shape[1] + 2

    def unpadded(self, flat: np.ndarray) -> np.ndarray:
        """Show a padded flat array in the shape of the grid (a view)."""
        return flat.reshape(-1, self.row_length)[1:-1, 1:-1]

    def flat_index(self, row: int | np.ndarray, column: int | np.ndarray) -> np.ndarray:
        """Index in the padded arrays of a cell of the grid."""
        return np.asarray((row + 1) * self.row_length + column + 1)

    def cell_of(self, index: int | np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Row and column in the grid of an index in the padded arrays."""
        row, column = np.divmod(np.asarray(index), self.row_length)
        return row - 1, column - 1

    @cached_property
    def filled(self) -> np.ndarray:
        """Heights of the filled surface, m, (rows, columns)."""
        return self.unpadded(self.flat_filled)

    @cached_property
    def directions(self) -> np.ndarray:
        """Flow directions 0 to 7, `OUT`, `PIT` or `VOID`, (rows, columns) int8."""
        return self.unpadded(self.flat_directions)

    @cached_property
    def upstream(self) -> np.ndarray:
        """Cells that drain through each cell, itself included, (rows, columns) int32."""
        return self.unpadded(self.flat_upstream)

    @cached_property
    def offsets(self) -> np.ndarray:
        """Steps of the eight directions in the padded arrays."""
        found: np.ndarray = ROW_STEP * self.row_length + COLUMN_STEP
        return found

    @cached_property
    def step_lengths(self) -> np.ndarray:
        """Lengths of the eight steps, m."""
        return np.hypot(COLUMN_STEP * self.grid.dx, ROW_STEP * self.grid.dy)

    def below(self, index: int) -> int:
        """Index of the cell downstream, or -1 where the water leaves."""
        way = int(self.flat_directions[index])
        return int(index + self.offsets[way]) if way < OUT else -1


def drain(grid: Grid, walls: np.ndarray | None = None, progress: Progress | None = None) -> Drainage:
    """Fill a terrain, direct its flow and accumulate it.

    Parameters
    ----------
    grid : the raw terrain.
    walls : (rows, columns) bool, no-data cells that take no water; all others do.
    progress : told of each stage; `Progress.cancel` stops the work with `Cancelled`.

    A border cell (beside the edge or a void that takes water) drains inward where a neighbour is
    lower and out only where none is.
    """
    progress = progress or Progress()
    with one_at_a_time:
        return _drain(grid, walls, progress)


def _drain(grid: Grid, walls: np.ndarray | None, progress: Progress) -> Drainage:
    from tarnwater.terrain import _kernels as kernels

    cancelled = progress.flag
    z, kind, width = _padded(grid, walls)
    drainage = Drainage(grid, z, np.full(z.size, VOID, np.int8), np.zeros(z.size, np.int32))
    offset, direction = drainage.offsets, drainage.flat_directions
    reciprocal = 1.0 / drainage.step_lengths

    progress.tell("finding the pits", 0.0)
    kernels.steepest_descent(z, kind, offset, reciprocal, width, direction, cancelled)
    progress.tell("joining the basins", 0.1)
    basin = np.where(kind == OPEN, np.int32(0), np.int32(-1))
    queue = np.empty(kernels.count_of(direction, PIT) + 1, np.int32)
    pits = kernels.number_pits(z, direction, offset, width, basin, queue, cancelled)
    if pits:
        kernels.follow_down(direction, offset, width, basin, cancelled)
        # a basin map cut short must not be worked on
        progress.tell("joining the basins", 0.25)
        level = _water_levels(z, basin, width, pits, drainage, progress)
        progress.tell("filling", 0.5)
        kernels.raise_to_level(z, kind, basin, level, width, cancelled)
        kernels.steepest_descent(z, kind, offset, reciprocal, width, direction, cancelled)
    del basin, queue
    progress.tell("draining the flats", 0.6)
    flat_cells = kernels.count_of(direction, PIT)
    if flat_cells:
        level_with, seed = np.zeros(z.size, np.uint8), np.zeros(z.size, np.uint8)
        kernels.mark_flats(z, direction, offset, width, level_with, seed, cancelled)
        low, high = np.zeros(z.size, np.int32), np.zeros(z.size, np.int32)
        fronts = np.empty((2, flat_cells), np.int32)
        kernels.spread_both(seed, level_with, offset, width, fronts, low, high, cancelled)
        kernels.direct_flats(direction, offset, width, level_with, seed, low, high, cancelled)
        del level_with, seed, low, high, fronts
    progress.tell("accumulating", 0.8)
    inflows = np.zeros(z.size, np.uint8)
    kernels.count_inflows(direction, offset, width, inflows, cancelled)
    kernels.accumulate(direction, offset, width, inflows, drainage.flat_upstream, _BANDS, cancelled)
    progress.tell("accumulating", 1.0)
    return drainage


def _padded(grid: Grid, walls: np.ndarray | None) -> tuple[np.ndarray, np.ndarray, int]:
    rows, columns = grid.shape
    dtype = grid.heights.dtype if grid.heights.dtype == np.float32 else np.float64
    z = np.empty((rows + 2, columns + 2), dtype)
    z[1:-1, 1:-1] = grid.heights
    z[[0, -1]] = np.nan
    z[:, [0, -1]] = np.nan
    kind = np.isnan(z).view(np.uint8)
    if walls is not None:
        kind[1:-1, 1:-1][walls & np.isnan(grid.heights)] = WALL
    return z.ravel(), kind.ravel(), columns + 2


def _water_levels(
    z: np.ndarray, basin: np.ndarray, width: int, pits: int, drainage: Drainage, progress: Progress
) -> np.ndarray:
    """Height of the water in each basin, -inf outside and where nothing leads out."""
    from tarnwater.terrain import _kernels as kernels

    cancelled = progress.flag
    offset = drainage.offsets
    passes, counts = np.zeros(z.size, np.uint8), np.zeros(z.size // width, np.int64)
    kernels.mark_passes(z, basin, width, offset, _BESIDE, passes, counts, cancelled)
    total = int(counts.sum())
    one, other, height = np.empty(total, np.int32), np.empty(total, np.int32), np.empty(total, z.dtype)
    kernels.list_passes(z, basin, width, offset, passes, np.cumsum(counts) - counts, one, other, height, cancelled)
    progress.tell("joining the basins", 0.4)
    level = np.full(pits + 1, -np.inf, z.dtype)
    spanning = kernels.spanning_passes(one, other, height, pits + 1, cancelled)
    progress.tell("joining the basins", 0.45)
    rising = spanning[np.argsort(height[spanning], kind="stable")]
    kernels.flood_basins(rising, one, other, height, level)
    return level
