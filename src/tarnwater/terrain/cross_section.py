"""A section across a course, cut from the terrain."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats, Integers
from tarnwater.errors import BadInput
from tarnwater.terrain.grid import Grid

#: Height by which a thinned section may differ from the ground, m.
TOLERANCE = 0.02

#: Share of the smaller side of a cell at which the ground is read.
READ_EVERY = 0.5


@dataclass(frozen=True, eq=False)
class CrossSection:
    """Ground across a course: ``stations`` and ``heights`` (n,) m from its left bank to the right, looking down.

    ``line`` (2, 2) are its ends in the units of the CRS. ``sinks`` m is what its lowest point lies beside the course.
    """

    stations: Floats
    heights: Floats
    line: Floats
    sinks: float


def cut_across(grid: Grid, course: Floats, share: float, width: float) -> CrossSection:
    """The section of a width (m) across a course (points, 2), at a share of its length from the head.

    It is upright to the course over its own width. The raw ground is read between the centres of cells, and points are
    left out within `TOLERANCE`. Raises `BadInput` where there is no ground, or where it is level or falls to one side.
    """
    metres = np.asarray(grid.metres, float)
    steps = np.hypot(*(np.diff(course, axis=0) * metres).T)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    at, reach = share * along[-1], 0.5 * width
    before, middle, after = (
        np.array([np.interp(np.clip(s, 0, along[-1]), along, course[:, axis]) for axis in (0, 1)])
        for s in (at - reach, at, at + reach)
    )
    down = (after - before) * metres
    length = float(np.hypot(*down))
    if length == 0:
        raise BadInput("the course has no length there.", remedy="Choose another place along it.")
    # looking down the course, left is a quarter turn against the clock
    left = np.array([-down[1], down[0]]) / length / metres
    count = max(int(np.ceil(width / (READ_EVERY * min(grid.dx, grid.dy)) - 1e-9)), 8)
    across = np.linspace(reach, -reach, count + 1)
    places = middle + across[:, None] * left
    heights = read_ground(grid, places)
    if np.isnan(heights).any():
        raise BadInput("there is no ground across the whole width.", remedy="Take a narrower section or another place.")
    if np.ptp(heights) == 0:
        raise BadInput("the ground is level across the whole width.", remedy="Take a wider section.")
    if int(np.argmin(heights)) in (0, len(heights) - 1):
        raise BadInput(
            "the ground falls to one side across the whole width, so that no water would stand in it.",
            remedy="Take a wider section or another place along the course.",
        )
    stations = reach - across
    kept = _thinned(stations, heights)
    lowest = float(stations[np.argmin(heights)])
    return CrossSection(stations[kept], heights[kept], places[[0, -1]], abs(lowest - reach))


def read_ground(grid: Grid, places: Floats) -> Floats:
    """Heights of the raw ground at places (n, 2), straight between the centres of cells; NaN where there is none."""
    from scipy.ndimage import map_coordinates

    rows = (grid.north - places[:, 1]) / grid.height - 0.5
    columns = (places[:, 0] - grid.west) / grid.width - 0.5
    top, left = max(int(rows.min()) - 1, 0), max(int(columns.min()) - 1, 0)
    part = grid.heights[top : int(rows.max()) + 3, left : int(columns.max()) + 3].astype(float)
    if not part.size:
        return np.full(len(places), np.nan)
    found: Floats = map_coordinates(part, [rows - top, columns - left], order=1, mode="constant", cval=np.nan)
    return found


def _thinned(stations: Floats, heights: Floats) -> Integers:
    """Positions of the points that keep the line within `TOLERANCE`."""
    import shapely

    # the tolerance is of the height, so that distances across are drawn out
    stretched = 1e6 * stations
    line = shapely.simplify(shapely.linestrings(np.column_stack([stretched, heights])), TOLERANCE)
    kept = shapely.get_coordinates(line)[:, 0]
    return np.flatnonzero(np.isin(stretched, kept))
