"""Land that drains to a place and lies in no catchment."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from tarnwater.terrain.areas import area_numbers
from tarnwater.terrain.catchments import delineate
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.outlets import Snapped

if TYPE_CHECKING:
    from shapely.geometry import Polygon
    from shapely.geometry.base import BaseGeometry

#: Cells that a piece has at least: outlines that cut through cells leave single ones beside them.
LEAST_CELLS = 4


@dataclass(frozen=True, eq=False)
class OpenLand:
    """A piece of land that drains to a place and lies in no catchment: its shape, and its area in m2."""

    shape: Polygon
    area: float

    @property
    def place(self) -> tuple[float, float]:
        """A place inside it."""
        x, y = self.shape.representative_point().coords[0][:2]
        return float(x), float(y)


def open_land(drainage: Drainage, place: tuple[float, float], shapes: Sequence[BaseGeometry]) -> list[OpenLand]:
    """Pieces of the land that drains to a place and lies in none of some areas, the largest first.

    A piece is of cells that meet along their edges, at least `LEAST_CELLS` of them.
    """
    from affine import Affine
    from rasterio.features import shapes as polygons
    from shapely.geometry import shape

    grid = drainage.grid
    row, column = grid.cell_at(*place)
    area = float(drainage.upstream[row, column] * grid.cell_area)
    whole = delineate(drainage, [Snapped(place, place, row, column, 0.0, area, area)])
    bare = (whole.labels > 0) & (area_numbers(grid, shapes) == 0)
    where = Affine(grid.width, 0, grid.west, 0, -grid.height, grid.north)
    found = [shape(one) for one, _ in polygons(bare.astype(np.uint8), mask=bare, transform=where)]
    least = (LEAST_CELLS - 0.5) * grid.width * grid.height
    kept = sorted((one for one in found if one.area >= least), key=lambda one: -one.area)
    return [OpenLand(one, float(one.area) * grid.cell_area / (grid.width * grid.height)) for one in kept]
