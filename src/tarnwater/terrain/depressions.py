"""Depressions: what filling covered, with area, depth and volume."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater.terrain.drainage import Drainage

#: A depression over either is a doubt: a lake, a quarry, or an embankment that needs its culvert.
DOUBTFUL_AREA = 10_000.0
DOUBTFUL_DEPTH = 1.0

_EIGHT = np.ones((3, 3), bool)


@dataclass(frozen=True)
class Depression:
    """A hollow that was filled; ``place`` is its deepest cell in the units of the CRS."""

    area: float
    depth: float
    volume: float
    level: float
    place: tuple[float, float]

    @property
    def doubtful(self) -> bool:
        """Larger than 1 ha or deeper than 1 m."""
        return self.area > DOUBTFUL_AREA or self.depth > DOUBTFUL_DEPTH


def find_depressions(drainage: Drainage, labels: np.ndarray | None = None) -> list[Depression]:
    """List the depressions, the largest volume first.

    ``labels`` (rows, columns), where given, keeps those whose deepest cell has a label above zero.
    Areas in m2, depths and levels in m, volumes in m3. A surface that drains everywhere gives an
    empty list.
    """
    from scipy import ndimage

    heights = drainage.grid.heights
    with np.errstate(invalid="ignore"):
        depth = np.nan_to_num(drainage.filled.astype(float) - heights, nan=0.0)
    parts, count = ndimage.label(depth > 0, structure=_EIGHT)
    if count == 0:
        return []
    numbers = np.arange(1, count + 1)
    cells = np.bincount(parts.ravel(), minlength=count + 1)[1:]
    volumes = np.bincount(parts.ravel(), weights=depth.ravel(), minlength=count + 1)[1:] * drainage.grid.cell_area
    deepest = ndimage.maximum_position(depth, parts, numbers)
    found = []
    for cell, size, volume in zip(deepest, cells, volumes, strict=True):
        if labels is not None and labels[cell] <= 0:
            continue
        found.append(
            Depression(
                area=float(size * drainage.grid.cell_area),
                depth=float(depth[cell]),
                volume=float(volume),
                level=float(drainage.filled[cell]),
                place=drainage.grid.centre(*cell),
            )
        )
    return sorted(found, key=lambda d: -d.volume)
