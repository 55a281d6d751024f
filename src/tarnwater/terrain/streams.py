"""Streams: where at least a threshold area drains, their order and lines."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from tarnwater.terrain.drainage import OUT, Drainage


@dataclass(frozen=True, eq=False)
class StreamLine:
    """A stream between two joins, a head or an end: ``line`` (points, 2) in the units of the CRS."""

    line: np.ndarray
    order: int
    upstream_area: float


def stream_cells(drainage: Drainage, threshold: float) -> np.ndarray:
    """Padded indices of the stream cells from the heads down (the area grows downstream)."""
    cells = np.flatnonzero(drainage.flat_upstream * drainage.grid.cell_area >= threshold)
    return cells[np.argsort(drainage.flat_upstream[cells], kind="stable")]


def stream_order(drainage: Drainage, threshold: float) -> np.ndarray:
    """Strahler order (1957) of each cell, 0 off the streams, (rows, columns) int8."""
    return drainage.unpadded(_flat_order(drainage, stream_cells(drainage, threshold)))


def _flat_order(drainage: Drainage, cells: np.ndarray) -> np.ndarray:
    from tarnwater.terrain import _kernels as kernels

    order = np.zeros(drainage.flat_directions.size, np.int8)
    kernels.strahler_order(cells, drainage.flat_directions, drainage.offsets, order, np.zeros_like(order))
    return order


def stream_lines(drainage: Drainage, threshold: float) -> list[StreamLine]:
    """Streams as lines from each head or join down to the next join or end; none above every area."""
    from tarnwater.terrain import _kernels as kernels

    cells = stream_cells(drainage, threshold)
    if not len(cells):
        return []
    directions, offsets = drainage.flat_directions, drainage.offsets
    order = _flat_order(drainage, cells)
    going_on = directions[cells] < OUT
    into = np.bincount(cells[going_on] + offsets[directions[cells[going_on]]], minlength=directions.size)
    starts = cells[into[cells] != 1]
    is_node = into > 1
    path = np.empty(2 * len(cells), np.int64)
    first = np.empty(len(starts) + 1, np.int64)
    kernels.trace_lines(starts, directions, offsets, is_node, path, first)
    lines = []
    for begin, end in pairwise(first):
        indices = path[begin:end]
        last_own = indices[-2] if len(indices) > 1 and is_node[indices[-1]] else indices[-1]
        area = float(drainage.flat_upstream[last_own] * drainage.grid.cell_area)
        points = np.column_stack(drainage.grid.centre(*drainage.cell_of(indices)))
        lines.append(StreamLine(points, int(order[indices[0]]), area))
    return lines
