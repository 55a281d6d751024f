"""Outlets: from the place that a person points at to the intended stream cell."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater import units
from tarnwater.errors import OutletError
from tarnwater.terrain.drainage import Drainage


@dataclass(frozen=True)
class Snapped:
    """An outlet on a stream: the place asked for is kept, ``place`` is the cell used.

    Areas in m2 drain through the asked and the taken cell; ``moved`` in m.
    """

    asked: tuple[float, float]
    place: tuple[float, float]
    row: int
    column: int
    moved: float
    area_before: float
    area_after: float


def snap(
    drainage: Drainage,
    x: float,
    y: float,
    *,
    threshold: float,
    radius: float,
    name: str = "outlet",
    accept: bool = False,
) -> Snapped:
    """Snap a place to the nearest stream cell.

    Parameters
    ----------
    x, y : the place asked for, in the units of the CRS.
    threshold : m2 that must drain through a cell to make it a stream.
    radius : m, search radius.
    accept : use the asked cell if no stream is near.

    The nearest stream cell is used, not the largest, so that an outlet on a side beck does not move to the main river;
    of equally near ones the first from the north-west. Raises `OutletError` off the ground and, unless accepted, on a
    hillside.
    """
    grid = drainage.grid
    row, column = grid.cell_at(x, y)
    before = float(drainage.upstream[row, column] * grid.cell_area)
    reach = int(radius / grid.dy) + 2, int(radius / grid.dx) + 2
    top, left = max(row - reach[0], 0), max(column - reach[1], 0)
    window = (slice(top, row + reach[0] + 1), slice(left, column + reach[1] + 1))
    near = np.argwhere(_streams_in(drainage, window, threshold)) + (top, left)
    # measured from the place asked for: from the centre of its cell another stream may be nearer
    across, along = grid.centre(near[:, 0], near[:, 1])
    distances = np.hypot(across - x, along - y) * grid.metres
    if not len(near) or distances.min() > radius:
        if not accept:
            raise _on_a_hillside(name, x, y, before, threshold, radius)
        taken, moved = (row, column), 0.0
    else:
        # equal distances must not differ by rounding
        nearest = int(np.argmin(np.round(distances, 6)))
        taken, moved = (int(near[nearest, 0]), int(near[nearest, 1])), float(distances[nearest])
        if taken == (row, column):
            moved = 0.0
    return Snapped(
        asked=(x, y),
        place=grid.centre(*taken),
        row=taken[0],
        column=taken[1],
        moved=moved,
        area_before=before,
        area_after=float(drainage.upstream[taken] * grid.cell_area),
    )


def _streams_in(drainage: Drainage, window: tuple[slice, slice], threshold: float) -> np.ndarray:
    return drainage.upstream[window] * drainage.grid.cell_area >= threshold


def _on_a_hillside(name: str, x: float, y: float, area: float, threshold: float, radius: float) -> OutletError:
    return OutletError(
        f"no stream of at least {units.show(threshold, 'area')} lies within {units.show(radius, 'length')}; "
        f"only {units.show(area, 'area')} drain through this hillside.",
        where=f"{name} at {units.show_place(x, y)}",
        remedy="Move it to a stream, lower the stream threshold, widen the snap radius, or accept the place as it is.",
    )
