"""Water behind a dam on the terrain: its area and volume by level, and the earth of the dam."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import BadInput
from tarnwater.terrain.cells import cells_along
from tarnwater.terrain.cross_section import read_ground
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.laid_line import followed
from tarnwater.units import Quantity

#: Water passes between cells that share a side or a corner, as streams do.
CORNERS = np.ones((3, 3), int)
AROUND = tuple((down, right) for down in (-1, 0, 1) for right in (-1, 0, 1) if down or right)

#: Levels at which the water is measured, and the share of the volume within which a table of them is thinned.
LEVELS, THINNED = 64, 1e-3


@dataclass(frozen=True, eq=False)
class Dam:
    """An earth dam along a line: crest level and width (m), and the runs of its two sides over their rise."""

    line: Floats
    crest: float
    crest_width: float = 3.0
    wet_side: float = 3.0
    dry_side: float = 2.0


@dataclass(frozen=True, eq=False)
class Impoundment:
    """Water behind a dam: ``levels`` (m), ``areas`` (m2) and ``volumes`` (m3), each (level,), from its lowest ground.

    ``wet`` (row, column) are the cells under water at the highest level; ``earth`` (m3) is that of the dam.
    """

    levels: Floats
    areas: Floats
    volumes: Floats
    wet: np.ndarray
    earth: float

    def table(self, share: float = THINNED) -> tuple[Floats, Floats]:
        """Levels and volumes, thinned so that no volume differs by more than a share of the greatest."""
        kept = thinned(self.levels, self.volumes, share * float(self.volumes[-1]))
        return self.levels[kept], self.volumes[kept]


def impound(grid: Grid, dam: Dam, level: float) -> Impoundment:
    """Water up to a level (m) behind a dam, on the raw ground.

    Cells count as a whole with the height at their centre; those are under water that hang together with the dam along
    their sides or over their corners, as a stream runs. Raises `BadInput` for a dam whose ends lie lower than the
    water, around which it flows, behind which none stands, or whose water reaches the edge of the terrain.
    """
    if level > dam.crest:
        raise BadInput(
            "the water at {} stands above the crest at {}.", values=_heights(level, dam.crest), where="dam",
            remedy="Raise the crest, or lower the water.",
        )  # fmt: skip
    along, ground = _ground_below(grid, dam)
    wall, sides = _wall(grid, dam.line)
    below = np.isfinite(grid.heights) & (grid.heights < level) & ~wall
    wet = _behind(grid, below, wall, sides, level)
    rows, columns = (slice(int(i.min()), int(i.max()) + 1) for i in np.nonzero(wet))
    part, heights = wet[rows, columns], np.asarray(grid.heights[rows, columns], float)
    touching = part & _beside(wall)[rows, columns]
    levels = np.linspace(float(heights[touching].min()), level, LEVELS + 1)
    areas, volumes = np.zeros(len(levels)), np.zeros(len(levels))
    for number, now in enumerate(levels[1:], start=1):
        under = _joined(part & (heights < now), touching)
        areas[number] = under.sum() * grid.cell_area
        volumes[number] = float((now - heights[under]).sum()) * grid.cell_area
    height = np.maximum(dam.crest - ground, 0.0)
    across = height * (dam.crest_width + 0.5 * (dam.wet_side + dam.dry_side) * height)
    return Impoundment(levels, areas, volumes, wet, float(np.trapezoid(across, along)))


def _heights(*values: float) -> list[Quantity]:
    return [Quantity(value, "height", 5) for value in values]


def _ground_below(grid: Grid, dam: Dam) -> tuple[Floats, Floats]:
    """Distances (m) along a dam and the ground (m) below it; its ends stand in ground as high as the crest."""
    places, along = followed(grid, dam.line, "dam")
    ground = read_ground(grid, places)
    if np.isnan(ground).any():
        raise BadInput("there is no ground under the whole dam.", where="dam", remedy="Draw it on the terrain.")
    low = min(ground[0], ground[-1])
    if low < dam.crest:
        raise BadInput(
            "an end of the dam stands on {}, below its crest at {}.", values=_heights(low, dam.crest), where="dam",
            remedy="Draw it on until the ground is as high, or lower the crest.",
        )  # fmt: skip
    return along, ground


def _wall(grid: Grid, line: Floats) -> tuple[np.ndarray, np.ndarray]:
    """Cells that a dam crosses, and for cells around them on which side of it they lie: 1 on its left, −1 right."""
    rows, columns, at = cells_along(grid, line)
    places, along = followed(grid, line, "dam")
    wall, sides = np.zeros(grid.shape, bool), np.zeros(grid.shape, np.int8)
    # cells that share their sides, so that no water passes over a corner
    wall[rows, columns] = True
    ahead = np.gradient(places, axis=0)
    here = np.abs(along[:, None] - at).argmin(axis=0)
    for row, column, (east, north), place in zip(rows, columns, ahead[here], places[here], strict=True):
        for down, right in AROUND:
            r, c = row + down, column + right
            if 0 <= r < grid.shape[0] and 0 <= c < grid.shape[1] and not wall[r, c]:
                x, y = grid.centre(r, c)
                turn = east * (y - place[1]) - north * (x - place[0])
                sides[r, c] = 1 if turn > 0 else -1
    return wall, sides


def _behind(grid: Grid, below: np.ndarray, wall: np.ndarray, sides: np.ndarray, level: float) -> np.ndarray:
    """The cells under water on the side of a dam from which the ground drains to it."""
    from scipy.ndimage import label

    pools, _ = label(below, CORNERS)
    of_side = {side: set(np.unique(pools[(sides == side) & below])) - {0} for side in (1, -1)}
    if of_side[1] & of_side[-1]:
        raise BadInput(
            "the water at {} goes round the end of the dam.", values=_heights(level), where="dam",
            remedy="Draw the dam on until the ground is as high, or lower the water.",
        )  # fmt: skip
    edge = np.concatenate([pools[0], pools[-1], pools[:, 0], pools[:, -1], pools[_beside(~np.isfinite(grid.heights))]])
    open_sides = {side for side, found in of_side.items() if found & set(np.unique(edge))}
    held = [side for side in of_side if side not in open_sides and of_side[side]]
    if not held:
        what = "reaches the edge of the terrain" if open_sides else "does not stand behind the dam"
        raise BadInput(
            f"the water at {{}} {what}.", values=_heights(level), where="dam",
            remedy="Draw the dam across a valley, lower the water, or bring in more terrain.",
        )  # fmt: skip
    # with water on both sides, that upstream has the higher ground by the dam
    lowest = {side: float(grid.heights[(sides == side) & below].min()) for side in held}
    chosen = max(held, key=lambda side: lowest[side])
    found: np.ndarray = np.isin(pools, list(of_side[chosen]))
    return found


def _beside(cells: np.ndarray) -> np.ndarray:
    """Cells that share a side or a corner with some."""
    from scipy.ndimage import binary_dilation

    found: np.ndarray = binary_dilation(cells, CORNERS) & ~cells
    return found


def _joined(under: np.ndarray, touching: np.ndarray) -> np.ndarray:
    """Cells under water that hang together with some of them, also over corners."""
    from scipy.ndimage import label

    pools, _ = label(under, CORNERS)
    found: np.ndarray = np.isin(pools, np.unique(pools[under & touching])) & under
    return found


def thinned(levels: Floats, values: Floats, error: float) -> np.ndarray:
    """Positions of the entries of a table that keep it within an error, linear between them; its ends always."""
    kept, waiting = {0, len(levels) - 1}, [(0, len(levels) - 1)]
    while waiting:
        low, high = waiting.pop()
        if high - low < 2:
            continue
        line = np.interp(levels[low : high + 1], levels[[low, high]], values[[low, high]])
        off = np.abs(values[low : high + 1] - line)
        worst = low + int(np.argmax(off))
        if off.max() > error:
            kept.add(worst)
            waiting += [(low, worst), (worst, high)]
    return np.array(sorted(kept))
