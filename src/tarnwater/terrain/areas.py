"""Areas that were drawn by others, on a terrain: where each drains, and its measures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.progress import Progress
from tarnwater.terrain.catchments import Catchments
from tarnwater.terrain.counts import Counts
from tarnwater.terrain.drainage import OUT, VOID, Drainage
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.measures import (
    Profile,
    centroid_length,
    channel_length,
    longest_paths,
    profile_along,
    slopes,
    steps_of,
    stream_lengths,
)
from tarnwater.terrain.outlets import Snapped
from tarnwater.terrain.parallel import one_at_a_time

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry


@dataclass(frozen=True, eq=False)
class AreaOnGround:
    """One area on a terrain: where its water leaves it, and its measures.

    ``outlet`` is the centre of the cell with the most water that leaves the area; None if no ground lies under it.
    ``downstream`` is the position of the next area that this water enters, -1 if there is none, and ``course`` the
    way to its outlet. ``drains`` is the share (0 to 1) of its ground that drains to the outlet without leaving the
    area, and ``covered`` the share of the area that lies on the terrain. Slopes m/m. ``channel`` is the length of the
    longest path that is a stream, m, None without a threshold.
    """

    outlet: tuple[float, float] | None
    downstream: int
    course: Profile | None
    longest_path: Profile | None
    mean_slope: float
    centroid_length: float
    counts: Counts
    drains: float
    covered: float
    channel: float | None = None


def area_numbers(grid: Grid, shapes: Sequence[BaseGeometry]) -> np.ndarray:
    """Number of the area, from 1, whose shape holds the centre of each cell, (rows, columns) int32; 0 in none.

    Where shapes overlap the first one counts.
    """
    from affine import Affine
    from rasterio.features import rasterize

    place = Affine(grid.width, 0, grid.west, 0, -grid.height, grid.north)
    rows = [(shape, number) for number, shape in enumerate(shapes, start=1) if not shape.is_empty]
    if not rows:
        return np.zeros(grid.shape, np.int32)
    # later ones are drawn over earlier ones
    found: np.ndarray = rasterize(rows[::-1], out_shape=grid.shape, transform=place, dtype="int32")
    found[np.isnan(grid.heights)] = 0
    return found


def areas_on_ground(
    drainage: Drainage,
    shapes: Sequence[BaseGeometry],
    progress: Progress | None = None,
    *,
    threshold: float | None = None,
) -> list[AreaOnGround]:
    """Find where each of some areas (polygons in the units of the CRS) drains on a terrain, and measure it.

    ``threshold`` m2 is the area that makes a stream.
    """
    progress = progress or Progress()
    grid = drainage.grid
    progress.tell("laying the areas on the terrain", 0.0)
    numbers = area_numbers(grid, shapes)
    cells = np.bincount(numbers.ravel(), minlength=len(shapes) + 1)[1:]
    leaving = _leaving(drainage, numbers)
    outlets = _outlets(drainage, numbers, leaving, len(shapes))
    progress.tell("following the water", 0.3)
    catchments, known = _within(drainage, numbers, leaving, outlets)
    progress.tell("measuring the areas", 0.6)
    paths = longest_paths(catchments, progress.within(0.6, 0.9))
    slope = slopes(drainage)
    own = numbers > 0
    row_of = {index: row for row, index in enumerate(known)}
    totals = np.bincount(numbers[own], weights=np.nan_to_num(slope[own]), minlength=len(shapes) + 1)[1:]
    streams = None if threshold is None else stream_lengths(drainage, numbers, len(shapes), threshold)
    lowest, highest = _heights(grid, numbers, len(shapes))
    found = []
    for index, shape in enumerate(shapes):
        place, course, below = None, None, -1
        row = row_of.get(index, -1)
        if row >= 0:
            place = catchments.outlets[row].place
            below, way = _way_down(drainage, numbers, outlets, index)
            course = profile_along(drainage, way) if below >= 0 and len(way) > 1 else None
        drained = np.count_nonzero(catchments.own(row)[1]) if row >= 0 else 0
        true_area = shape.area * grid.metres**2
        path = paths[row] if row >= 0 else None
        to_middle = 0.0 if path is None else centroid_length(path, *shape.centroid.coords[0])
        found.append(
            AreaOnGround(
                outlet=place,
                downstream=below,
                course=course,
                longest_path=path,
                mean_slope=float(totals[index] / cells[index]) if cells[index] else 0.0,
                centroid_length=to_middle,
                counts=Counts(
                    cells=int(cells[index]),
                    cell_width=grid.dx,
                    cell_height=grid.dy,
                    edges=None,
                    steps=(0, 0, 0) if path is None else steps_of(path),
                    highest=float(highest[index]),
                    lowest=float(lowest[index]),
                    streams=None if streams is None else float(streams[index]),
                    above_middle=0.0 if path is None else path.length - to_middle,
                ),
                drains=drained / cells[index] if cells[index] else 0.0,
                channel=None if path is None else channel_length(drainage, path.line, threshold),
                covered=min(float(cells[index] * grid.cell_area / true_area), 1.0) if true_area > 0 else 0.0,
            )
        )
    return found


def _heights(grid: Grid, numbers: np.ndarray, count: int) -> tuple[Floats, Floats]:
    """Lowest and highest ground (areas,) m of each area; 0 where no ground lies under it."""
    own = numbers > 0
    of_area, heights = numbers[own], grid.heights[own].astype(float)
    high, low = np.full(count + 1, -np.inf), np.full(count + 1, np.inf)
    np.maximum.at(high, of_area, heights)
    np.minimum.at(low, of_area, heights)
    known = np.isfinite(low)
    return np.where(known, low, 0.0)[1:], np.where(known, high, 0.0)[1:]


def _leaving(drainage: Drainage, numbers: np.ndarray) -> np.ndarray:
    """Cells in an area whose water goes to a cell outside of it, (rows, columns) bool."""
    flat = np.zeros(drainage.flat_directions.size, np.int32)
    drainage.unpadded(flat)[...] = numbers
    directions = drainage.flat_directions
    inside = np.flatnonzero(flat)
    way = directions[inside]
    goes = way < OUT
    below = np.where(goes, inside + drainage.offsets[np.where(goes, way, 0)], inside)
    leaves = np.zeros(flat.size, bool)
    leaves[inside] = ~goes | (flat[below] != flat[inside])
    found: np.ndarray = drainage.unpadded(leaves)
    return found


def _outlets(drainage: Drainage, numbers: np.ndarray, leaving: np.ndarray, count: int) -> list[tuple[int, int] | None]:
    """For each area the cell with the most water among those by which water leaves it; of equal ones the first."""
    rows, columns = np.nonzero(leaving)
    of_area = numbers[rows, columns]
    order = np.lexsort((np.arange(len(rows)), -drainage.upstream[rows, columns], of_area))
    areas, first = np.unique(of_area[order], return_index=True)
    found: list[tuple[int, int] | None] = [None] * count
    for number, cell in zip(areas.tolist(), order[first].tolist(), strict=True):
        found[number - 1] = int(rows[cell]), int(columns[cell])
    return found


def _within(
    drainage: Drainage, numbers: np.ndarray, leaving: np.ndarray, outlets: Sequence[tuple[int, int] | None]
) -> tuple[Catchments, list[int]]:
    """The land that drains to each outlet without leaving its area, and the positions of the areas that have one."""
    from tarnwater.terrain import _kernels as kernels

    grid = drainage.grid
    labels = np.zeros(drainage.flat_directions.size, np.int32)
    inner = drainage.unpadded(labels)
    inner[...] = np.where(numbers > 0, -1, 0)
    inner[leaving] = 0
    known = [index for index, cell in enumerate(outlets) if cell is not None]
    snapped = []
    for label, index in enumerate(known, start=1):
        row, column = outlets[index] or (0, 0)
        inner[row, column] = label
        area = float(drainage.upstream[row, column] * grid.cell_area)
        place = grid.centre(row, column)
        snapped.append(Snapped(place, place, row, column, 0.0, area, area))
    with one_at_a_time:
        kernels.follow_down(
            drainage.flat_directions, drainage.offsets, drainage.row_length, labels, np.zeros(1, np.uint8)
        )
    labels[drainage.flat_directions == VOID] = 0
    return Catchments(drainage, tuple(snapped), inner, (-1,) * len(known)), known


def _way_down(
    drainage: Drainage, numbers: np.ndarray, outlets: Sequence[tuple[int, int] | None], own: int
) -> tuple[int, np.ndarray]:
    """Position of the next area down from the outlet of one, -1 if there is none, and the way to its outlet.

    The way (padded cells) ends where the water leaves that area, if it does so before it comes to the outlet.
    """
    here = int(drainage.flat_index(*(outlets[own] or (0, 0))))
    cells, below, goal = [here], -1, -1
    while here != goal and (here := drainage.below(here)) >= 0:
        row, column = drainage.cell_of(here)
        number = int(numbers[row, column]) - 1
        if below >= 0 and number != below:
            break
        cells.append(here)
        if below < 0 and number >= 0 and number != own:
            below = number
            goal = int(drainage.flat_index(*(outlets[below] or (-1, -1))))
    return below, np.array(cells)
