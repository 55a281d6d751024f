"""The cells of the ground that lie within a catchment."""

from __future__ import annotations

import numpy as np

from tarnwater.arrays import Integers
from tarnwater.network.graph import Network
from tarnwater.study.document.blobs import Blobs
from tarnwater.terrain.drainage import Drainage


def cells_within(network: Network, blobs: Blobs, drainage: Drainage, key: str) -> tuple[Integers, Integers]:
    """Rows and columns (cells,) of the ground within the outline of a catchment; none for other elements."""
    nothing = np.empty(0, int), np.empty(0, int)
    shape = blobs.shape(getattr(network.elements.get(key), "outline", None))
    if shape is None:
        return nothing
    grid = drainage.grid
    west, south, east, north = shape.bounds
    top, left = max(int((grid.north - north) // grid.height), 0), max(int((west - grid.west) // grid.width), 0)
    foot = min(int((grid.north - south) // grid.height) + 1, grid.shape[0])
    right = min(int((east - grid.west) // grid.width) + 1, grid.shape[1])
    part = grid.heights[top:foot, left:right]
    if not part.size:
        return nothing
    from affine import Affine
    from rasterio.features import geometry_mask

    x, y = grid.west + left * grid.width, grid.north - top * grid.height
    place = Affine(grid.width, 0, x, 0, -grid.height, y)
    inside = geometry_mask([shape], part.shape, place, invert=True) & np.isfinite(part)
    rows, columns = np.nonzero(inside)
    return rows + top, columns + left
