"""Measures of catchments and flow paths."""

from __future__ import annotations

from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.progress import Progress
from tarnwater.terrain.catchments import Catchments
from tarnwater.terrain.counts import Counts
from tarnwater.terrain.drainage import COLUMN_STEP, OUT, ROW_STEP, Drainage
from tarnwater.terrain.parallel import one_at_a_time


@dataclass(frozen=True, eq=False)
class Profile:
    """The long profile of a flow path from its head down.

    ``distance`` (points,) in m from the foot, falling; ``height`` (points,) in m on the conditioned
    ground, where a filled pit counts at its sill, and ``raw`` on the raw one; ``line`` (points, 2) in
    the units of the CRS.
    """

    distance: np.ndarray
    height: np.ndarray
    raw: np.ndarray
    line: np.ndarray

    @property
    def on_raw_ground(self) -> Profile:
        """The same path with the heights of the raw terrain."""
        return Profile(self.distance, self.raw, self.raw, self.line)

    @property
    def length(self) -> float:
        """Length between cell centres, m."""
        return float(self.distance[0])

    @property
    def fall(self) -> float:
        """Height lost from head to foot, m."""
        return float(self.height[0] - self.height[-1])

    @property
    def slope(self) -> float:
        """Fall over length, m/m; 0 for a path of one cell."""
        return self.fall / self.length if self.length > 0 else 0.0

    def height_at(self, share: float) -> float:
        """Height at a share (0 to 1) of the length up from the foot, m."""
        return float(np.interp(share * self.length, self.distance[::-1], self.height[::-1]))

    @property
    def slope_10_85(self) -> float:
        """Slope between 10 and 85 per cent of the length up from the foot, m/m."""
        if self.length == 0:
            return 0.0
        return (self.height_at(0.85) - self.height_at(0.10)) / (0.75 * self.length)


@dataclass(frozen=True, eq=False)
class Measures:
    """Measures of one local catchment: areas in m2, lengths in m, slopes in m/m, and the counts behind them."""

    area: float
    total_area: float
    mean_slope: float
    longest_path: Profile
    centroid_length: float
    counts: Counts


def profile_along(drainage: Drainage, cells: np.ndarray) -> Profile:
    """Long profile along padded cell indices, each a neighbour of the one before."""
    way = np.argmax(np.diff(cells)[:, None] == drainage.offsets, axis=1)
    lengths = drainage.step_lengths[way]
    distance = np.concatenate([np.cumsum(lengths[::-1])[::-1], [0.0]])
    rows, columns = drainage.cell_of(cells)
    height, raw = (z[rows, columns].astype(float) for z in (drainage.filled, drainage.grid.heights))
    return Profile(distance, height, raw, np.column_stack(drainage.grid.centre(rows, columns)))


def channel_length(drainage: Drainage, line: Floats, threshold: float | None) -> float | None:
    """Length, m, of a line (points, 2) of cell centres from the first cell of a stream down; 0 without a stream.

    A stream drains ``threshold`` m2 at least; None without one.
    """
    if threshold is None:
        return None
    profile = profile_of_line(drainage, line)
    rows, columns = _cells_of_line(drainage, line)
    stream = np.flatnonzero(drainage.upstream[rows, columns] * drainage.grid.cell_area >= threshold)
    return float(profile.distance[stream[0]]) if len(stream) else 0.0


def _cells_of_line(drainage: Drainage, line: Floats) -> tuple[np.ndarray, np.ndarray]:
    grid = drainage.grid
    columns = np.floor((line[:, 0] - grid.west) / grid.width).astype(int)
    rows = np.floor((grid.north - line[:, 1]) / grid.height).astype(int)
    return rows, columns


def thinned_profile(profile: Profile, within: float = 0.01) -> tuple[tuple[float, float], ...]:
    """Distances from the head and heights along a profile, m, with the points that keep heights within a difference."""
    from shapely.geometry import LineString

    far = profile.length - profile.distance
    if len(far) < 2:
        return ()
    kept = LineString(np.column_stack([far, profile.height])).simplify(within, preserve_topology=False)
    return tuple((float(x), float(z)) for x, z in kept.coords)


def profile_of_line(drainage: Drainage, line: np.ndarray) -> Profile:
    """Long profile along a line (points, 2) from cell centre to cell centre, in the units of the CRS."""
    grid = drainage.grid
    steps = np.hypot(*(np.diff(line, axis=0) * grid.metres).T)
    distance = np.concatenate([np.cumsum(steps[::-1])[::-1], [0.0]])
    rows, columns = _cells_of_line(drainage, line)
    height, raw = (z[rows, columns].astype(float) for z in (drainage.filled, grid.heights))
    return Profile(distance, height, raw, line)


#: Cached slopes of drained terrains, freed with them.
_SLOPES: WeakKeyDictionary[Drainage, np.ndarray] = WeakKeyDictionary()


def slopes(drainage: Drainage) -> np.ndarray:
    """Slope of the raw terrain in each cell by Horn (1981), m/m, (rows, columns); NaN off the ground."""
    if drainage not in _SLOPES:
        _SLOPES[drainage] = _find_slopes(drainage)
    return _SLOPES[drainage]


def _find_slopes(drainage: Drainage) -> np.ndarray:
    from tarnwater.terrain import _kernels as kernels

    grid = drainage.grid
    heights = np.pad(grid.heights, 1, constant_values=np.nan)
    slope = np.full(heights.size, np.nan)
    kind = np.isnan(heights).view(np.uint8)
    with one_at_a_time:
        kernels.horn_slope(heights.ravel(), kind.ravel(), drainage.row_length, grid.dx, grid.dy, slope)
    return drainage.unpadded(slope)


def longest_paths(catchments: Catchments, progress: Progress | None = None) -> list[Profile]:
    """Longest flow path within each local catchment, from its head to its outlet.

    Where several ways down are equally good, as on flats and on heights rounded to a step, the length is that of the
    shortest of them. So it does not depend on the order of the directions, nor on how the grid lies. Of heads that
    are equally far the highest is used.
    """
    from tarnwater.terrain import _kernels as kernels

    progress = progress or Progress()
    drainage = catchments.drainage
    label = np.zeros(drainage.flat_directions.size, np.int32)
    drainage.unpadded(label)[...] = catchments.labels
    ways = np.zeros(label.size, np.uint8)
    ranks = drainage.flat_ranks
    if ranks is None:
        ranks = np.zeros(label.size, np.int32)
    with one_at_a_time:
        kernels.mark_equal_ways(
            drainage.flat_filled, drainage.flat_directions, ranks, drainage.offsets, 1.0 / drainage.step_lengths,
            drainage.row_length, label, ways, progress.flag,
        )  # fmt: skip
    distance = np.full(label.size, np.nan)
    stack = np.empty(label.size, np.int32)
    kernels.shortest_down(ways, drainage.offsets, drainage.step_lengths, label, distance, stack, progress.flag)
    progress.raise_if_cancelled()
    return [_longest(catchments, index, ways, distance) for index in range(len(catchments.outlets))]


#: Distances that differ by no more are equal, m.
SAME_LENGTH = 1e-6


def _longest(catchments: Catchments, index: int, ways: np.ndarray, distance: Floats) -> Profile:
    """The longest of the shortest ways down within one catchment."""
    drainage = catchments.drainage
    box, own = catchments.own(index)
    if not own.any():
        return Profile(np.zeros(1), np.zeros(1), np.zeros(1), np.zeros((1, 2)))
    far = np.where(own, drainage.unpadded(distance)[box], -1.0)
    heads = np.argwhere(far >= far.max() - SAME_LENGTH)
    heights = drainage.filled[box][heads[:, 0], heads[:, 1]]
    row, column = heads[int(np.argmax(heights))]
    here = int(drainage.flat_index(int(row) + box[0].start, int(column) + box[1].start))
    cells = [here]
    while ways[here]:
        equal = [k for k in range(8) if ways[here] >> k & 1]
        left = [distance[here + drainage.offsets[k]] + drainage.step_lengths[k] for k in equal]
        here = int(here + drainage.offsets[equal[int(np.argmin(left))]])
        cells.append(here)
    return profile_along(drainage, np.array(cells))


def measure(catchments: Catchments, threshold: float | None = None) -> list[Measures]:
    """Measure every local catchment: its slope on the raw terrain, its path on the conditioned ground.

    ``threshold`` m2 is the area that makes a stream.
    """
    grid = catchments.drainage.grid
    streams = (
        None
        if threshold is None
        else stream_lengths(catchments.drainage, catchments.labels, len(catchments.outlets), threshold)
    )
    slope = slopes(catchments.drainage)
    measures = []
    for index, path in enumerate(longest_paths(catchments)):
        box, own = catchments.own(index)
        heights = grid.heights[box][own]
        middle = catchments.centre(index) if len(heights) else None
        to_middle = 0.0 if middle is None else centroid_length(path, *middle)
        measures.append(
            Measures(
                area=catchments.local_area(index),
                total_area=catchments.total_area(index),
                mean_slope=float(slope[box][own].mean()) if len(heights) else 0.0,
                longest_path=path,
                centroid_length=to_middle,
                counts=Counts(
                    cells=len(heights),
                    cell_width=grid.dx,
                    cell_height=grid.dy,
                    edges=_edges(own),
                    steps=steps_of(path),
                    highest=float(heights.max()) if len(heights) else 0.0,
                    lowest=float(heights.min()) if len(heights) else 0.0,
                    streams=None if streams is None else float(streams[index]),
                    above_middle=path.length - to_middle,
                ),
            )
        )
    return measures


def stream_lengths(drainage: Drainage, labels: np.ndarray, count: int, threshold: float) -> Floats:
    """Length of the streams (count,) m in each part of the land, from cell centre to cell centre within it.

    ``labels`` (rows, columns) has the number of the part, from 1, of each cell; ``threshold`` m2 makes a stream.
    """
    found = np.zeros(count + 1)
    # in cells, so that no second grid of areas is needed; the last bits of the division do not count
    least = np.ceil(threshold / drainage.grid.cell_area * (1 - 1e-12))
    rows, columns = np.nonzero((drainage.upstream >= least) & (labels > 0))
    own, ways = labels[rows, columns], drainage.directions[rows, columns].astype(int)
    on = ways < OUT
    own, ways = own[on], ways[on]
    # the step out of a part belongs to no part
    stays = labels[rows[on] + ROW_STEP[ways], columns[on] + COLUMN_STEP[ways]] == own
    np.add.at(found, own[stays], drainage.step_lengths[ways[stays]])
    return found[1:]


def steps_of(path: Profile) -> tuple[int, int, int]:
    """Steps of a flow path from cell to cell: over the width, over the height, and from corner to corner."""
    across, along = (np.diff(path.line, axis=0) != 0).T
    return int((across & ~along).sum()), int((along & ~across).sum()), int((across & along).sum())


def centroid_length(path: Profile, x: float, y: float) -> float:
    """Length, m, up a flow path from its foot to its point nearest to a place; of equally near ones the lowest."""
    away = np.hypot(*(path.line - (x, y)).T)
    nearest = np.flatnonzero(away <= away.min() + SAME_LENGTH)
    return float(path.distance[nearest].min())


def _edges(own: np.ndarray) -> tuple[int, int]:
    """Cell edges between inside and outside: those as long as a cell is wide, and as it is high."""
    padded = np.pad(own, 1)
    return int((padded[1:] != padded[:-1]).sum()), int((padded[:, 1:] != padded[:, :-1]).sum())
