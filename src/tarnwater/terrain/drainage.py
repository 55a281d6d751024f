"""From raw heights to a surface that drains: filling, flow directions, accumulation.

Filling raises every depression to the lowest level from which its water can leave, as the priority flood of Barnes,
Lehman and Mulla (2014) does. Here the flood runs over the basins of the pits instead of the cells, from the lowest
pass up, which gives the same surface much faster. Flow goes to the steepest of eight neighbours (O'Callaghan and Mark
1984); flats drain toward lower and away from higher ground (Garbrecht and Martz 1997; Barnes, Lehman and Mulla 2014).
Equal slopes are decided in the order E, S, W, N, SE, SW, NW, NE.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from tarnwater.progress import Progress
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.parallel import one_at_a_time
from tarnwater.terrain.shaping import ShapedGround

#: Row and column steps of the directions 0 to 7: E, S, W, N, SE, SW, NW, NE.
ROW_STEP = np.array([0, 1, 0, -1, 1, 1, -1, -1])
COLUMN_STEP = np.array([1, 0, -1, 0, 1, -1, -1, 1])
OUT, PIT, VOID = 8, 9, 10

#: Kinds of cell: ground, a void that takes water, a void that does not.
GROUND, OPEN, WALL = 0, 1, 2


def _bits_beside() -> np.ndarray:
    """For each set of neighbours (a bit for each direction), those that touch one of them, (256,) uint8."""
    rows, columns = np.subtract.outer(ROW_STEP, ROW_STEP), np.subtract.outer(COLUMN_STEP, COLUMN_STEP)
    touch = np.maximum(np.abs(rows), np.abs(columns)) == 1
    member = (np.arange(256)[:, None] >> np.arange(8)) & 1
    found: np.ndarray = (((member @ touch) > 0) @ (1 << np.arange(8))).astype(np.uint8)
    return found


_BESIDE = _bits_beside()

#: Bands of rows that are accumulated side by side.
_BANDS = 2


@dataclass(frozen=True)
class Breaching:
    """Limits of the channels that are cut from depressions to lower ground: depth and length, m."""

    depth: float
    length: float


@dataclass(frozen=True)
class Channels:
    """Channels cut by breaching.

    How many, the volume cut out in m3, and the greatest depth in m below the raw ground, with its place.
    """

    count: int = 0
    volume: float = 0.0
    depth: float = 0.0
    place: tuple[float, float] | None = None


@dataclass(frozen=True, eq=False)
class Drainage:
    """A terrain that drains.

    The arrays are flat and padded by one cell, as the kernels need them; `filled`, `directions` and `upstream` are
    views of them in the shape of the grid. ``flat_ranks`` orders the cells of flats, down which their water goes; it
    is None where there are no flats. ``channels`` are those cut by breaching.
    """

    grid: Grid
    flat_filled: np.ndarray
    flat_directions: np.ndarray
    flat_upstream: np.ndarray
    flat_ranks: np.ndarray | None = None
    channels: Channels = field(default_factory=Channels)

    @property
    def row_length(self) -> int:
        """Cells in a padded row."""
        return self.grid.shape[1] + 2

    def unpadded(self, flat: np.ndarray) -> np.ndarray:
        """A view of a padded flat array in the shape of the grid."""
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
        """Index of the cell downstream, or -1 if the water leaves the grid."""
        way = int(self.flat_directions[index])
        return int(index + self.offsets[way]) if way < OUT else -1


#: The longest channel that is searched for, in cells.
FARTHEST = 500


def drain(
    grid: Grid,
    walls: np.ndarray | None = None,
    progress: Progress | None = None,
    *,
    ground: ShapedGround | None = None,
    breaching: Breaching | None = None,
) -> Drainage:
    """Shape, breach and fill a terrain, direct its flow and accumulate it.

    Parameters
    ----------
    grid : the raw terrain.
    walls : (rows, columns) bool, no-data cells that are walls; water can leave into all others.
    ground : the terrain with its features applied, if there are any.
    breaching : limits of the channels cut from depressions; those that need more are filled.
    progress : gets each stage; `Progress.cancel` stops the work with `Cancelled`.

    A border cell (beside the edge or an open void) drains inward if a neighbour is lower, and outward only if none is.
    """
    progress = progress or Progress()
    with one_at_a_time:
        return _drain(grid, walls, progress, ground, breaching)


def _drain(
    grid: Grid, walls: np.ndarray | None, progress: Progress, ground: ShapedGround | None, breaching: Breaching | None
) -> Drainage:
    from tarnwater.terrain import _kernels as kernels

    cancelled = progress.flag
    z, kind, width = _padded(grid, grid.heights if ground is None else ground.heights, walls)
    drainage = Drainage(grid, z, np.full(z.size, VOID, np.int8), np.zeros(z.size, np.int32))
    offset, direction = drainage.offsets, drainage.flat_directions
    reciprocal = 1.0 / drainage.step_lengths
    sinks = np.array([drainage.flat_index(*cell) for cell in ground.sinks] if ground else [], np.int64)

    def descend() -> None:
        kernels.steepest_descent(z, kind, offset, reciprocal, width, direction, cancelled)
        direction[sinks] = OUT

    progress.tell("finding the pits", 0.0)
    descend()
    if breaching is not None:
        channels = _breach(drainage, kind, ground, breaching, progress.within(0.0, 0.1))
        drainage = replace(drainage, channels=channels)
        descend()
    progress.tell("joining the basins", 0.1)
    basin = np.where(kind == OPEN, np.int32(0), np.int32(-1))
    queue = np.empty(kernels.count_of(direction, PIT) + 1, np.int32)
    pits = kernels.number_pits(z, direction, offset, width, basin, queue, cancelled)
    if pits:
        kernels.follow_down(direction, offset, width, basin, cancelled)
        # a basin map that was cancelled must not be used
        progress.tell("joining the basins", 0.25)
        level = _water_levels(z, basin, width, pits, drainage, progress)
        progress.tell("filling", 0.5)
        kernels.raise_to_level(z, kind, basin, level, width, cancelled)
        descend()
        kernels.prefer_lower_ground(z, grid.heights, offset, reciprocal, width, direction, cancelled)
    del basin, queue
    progress.tell("draining the flats", 0.6)
    flat_cells = kernels.count_of(direction, PIT)
    if flat_cells:
        level_with, seed = np.zeros(z.size, np.uint8), np.zeros(z.size, np.uint8)
        kernels.mark_flats(z, direction, offset, width, level_with, seed, cancelled)
        low, high = np.zeros(z.size, np.int32), np.zeros(z.size, np.int32)
        fronts = np.empty((2, flat_cells), np.int32)
        kernels.spread_both(seed, level_with, offset, width, fronts, low, high, cancelled)
        kernels.direct_flats(z, grid.heights, direction, offset, width, level_with, seed, low, high, cancelled)
        kernels.rank_flats(low, high, low, cancelled)
        drainage = replace(drainage, flat_ranks=low)
        del level_with, seed, low, high, fronts
    progress.tell("accumulating", 0.8)
    inflows = np.zeros(z.size, np.uint8)
    kernels.count_inflows(direction, offset, width, inflows, cancelled)
    kernels.accumulate(direction, offset, width, inflows, drainage.flat_upstream, _BANDS, cancelled)
    progress.tell("accumulating", 1.0)
    if ground is not None and ground.walls.any():
        # water starts on a wall but never crosses it: heights along a path are those of the ground it stands on
        dry = ground.walls & (drainage.filled <= ground.heights)
        drainage.filled[dry] = grid.heights[dry]
    return drainage


def _breach(
    drainage: Drainage, kind: np.ndarray, ground: ShapedGround | None, breaching: Breaching, progress: Progress
) -> Channels:
    """Cut channels from the pits, from the lowest up."""
    from tarnwater.terrain import _kernels as kernels

    grid, z, direction, width = drainage.grid, drainage.flat_filled, drainage.flat_directions, drainage.row_length
    progress.tell("breaching", 0.0)
    basin = np.where(kind == OPEN, np.int32(0), np.int32(-1))
    queue = np.empty(kernels.count_of(direction, PIT) + 1, np.int32)
    count = kernels.number_pits(z, direction, drainage.offsets, width, basin, queue, progress.flag)
    pits = kernels.first_of_pits(basin, direction, count)
    pits = pits[np.argsort(z[pits], kind="stable")]
    del basin, queue
    barred = np.zeros(z.size, np.uint8)
    if ground is not None:
        drainage.unpadded(barred)[...] = ground.walls
    reach = int(min(breaching.length / min(grid.dx, grid.dy), FARTHEST, max(grid.shape))) + 1
    cut = np.zeros(3)
    made = kernels.breach_pits(
        pits, z, grid.heights, kind, barred, direction, drainage.step_lengths, width, breaching.depth,
        breaching.length, reach, cut, progress.flag,
    )  # fmt: skip
    progress.tell("breaching", 1.0)
    if not made:
        return Channels()
    row, column = drainage.cell_of(int(cut[2]))
    return Channels(made, float(cut[0] * grid.cell_area), float(cut[1]), grid.centre(int(row), int(column)))


def _padded(grid: Grid, heights: np.ndarray, walls: np.ndarray | None) -> tuple[np.ndarray, np.ndarray, int]:
    rows, columns = grid.shape
    dtype = heights.dtype if heights.dtype == np.float32 else np.float64
    z = np.empty((rows + 2, columns + 2), dtype)
    z[1:-1, 1:-1] = heights
    z[[0, -1]] = np.nan
    z[:, [0, -1]] = np.nan
    kind = np.isnan(z).view(np.uint8)
    if walls is not None:
        kind[1:-1, 1:-1][walls & np.isnan(grid.heights)] = WALL
    return z.ravel(), kind.ravel(), columns + 2


def _water_levels(
    z: np.ndarray, basin: np.ndarray, width: int, pits: int, drainage: Drainage, progress: Progress
) -> np.ndarray:
    """Height of the water in each basin, -inf outside and in basins without a way out."""
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
