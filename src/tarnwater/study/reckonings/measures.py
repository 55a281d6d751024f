"""Reckonings of the measures of a catchment from what was counted on its terrain."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from tarnwater.reckoning import Reckoning
from tarnwater.terrain.counts import Counts


def from_counts(node: Reckoning, field: str, counts: Counts, path: Reckoning) -> Reckoning:
    """A measure worked out from its counts; the node as it is where the counts do not say how it follows.

    ``path`` is the length of the flow path from which the centroid length is taken.
    """
    follow = _MEASURES.get(field)
    found = None if follow is None else follow(node, counts, path)
    # a measure that was left from an older terrain does not follow from newer counts
    return found if found is not None and _same(found.recomputed(), node.value) else node


def path_length(node: Reckoning, counts: Counts) -> Reckoning:
    """The length of the longest flow path from its steps between cells."""
    across, along, corner = counts.steps
    width, height = _cell(node, counts)
    inputs = (
        _count(node, "steps over the width of a cell", across, "n1"), width,
        _count(node, "steps over the height of a cell", along, "n2"), height,
        _count(node, "steps from corner to corner", corner, "n3"),
    )  # fmt: skip
    return replace(node, equation="L = n1 dx + n2 dy + n3 √(dx^2 + dy^2)", inputs=inputs, evaluate=_path)


def _area(node: Reckoning, counts: Counts, _path: Reckoning) -> Reckoning | None:
    if counts.edges is None:
        return None
    inputs = _count(node, "cells that drain to the outlet", counts.cells, "n"), *_cell(node, counts)
    return replace(node, equation="A = n dx dy", inputs=inputs, evaluate=lambda n, dx, dy: n * (dx * dy))


def _perimeter(node: Reckoning, counts: Counts, _path: Reckoning) -> Reckoning | None:
    if counts.edges is None:
        return None
    width, height = _cell(node, counts)
    inputs = (
        _count(node, "edges as long as a cell is wide", counts.edges[0], "n1"), width,
        _count(node, "edges as long as a cell is high", counts.edges[1], "n2"), height,
    )  # fmt: skip
    return replace(node, equation="P = n1 dx + n2 dy", inputs=inputs, evaluate=lambda n1, dx, n2, dy: n1 * dx + n2 * dy)


def _relief(node: Reckoning, counts: Counts, _path: Reckoning) -> Reckoning:
    inputs = (
        Reckoning("highest ground", counts.highest, "height", symbol="zmax", unit="m", origin=node.origin),
        Reckoning("lowest ground", counts.lowest, "height", symbol="zmin", unit="m", origin=node.origin),
    )
    return replace(node, equation="H = zmax − zmin", inputs=inputs, evaluate=lambda high, low: high - low)


def _density(node: Reckoning, counts: Counts, _path: Reckoning) -> Reckoning | None:
    if counts.streams is None or not counts.cells:
        return None
    width, height = _cell(node, counts)
    inputs = (
        Reckoning("length of the streams in it", counts.streams, "length", symbol="Ls", unit="m", origin=node.origin),
        _count(node, "cells in it", counts.cells, "n"), width, height,
    )  # fmt: skip
    return replace(
        node, unit="m/m²", equation="Dd = Ls / (n dx dy)", inputs=inputs,
        evaluate=lambda length, n, dx, dy: length / (n * (dx * dy)),
    )  # fmt: skip


def _centroid(node: Reckoning, counts: Counts, path: Reckoning) -> Reckoning:
    above = Reckoning(
        "length of the flow path above its place nearest to the middle",
        counts.above_middle, "length", symbol="La", unit="m", origin=node.origin,
    )  # fmt: skip
    inputs = replace(path, unit="m", symbol="L"), above
    return replace(node, equation="Lc = L − La", inputs=inputs, evaluate=lambda whole, part: whole - part)


def _length(node: Reckoning, counts: Counts, _path: Reckoning) -> Reckoning:
    return path_length(node, counts)


_MEASURES: dict[str, Callable[[Reckoning, Counts, Reckoning], Reckoning | None]] = {
    "area": _area,
    "perimeter": _perimeter,
    "relief": _relief,
    "drainage_density": _density,
    "flow_length": _length,
    "centroid_length": _centroid,
}


def _count(node: Reckoning, title: str, value: int, symbol: str) -> Reckoning:
    return Reckoning(title, value, "count", symbol=symbol, origin=node.origin)


def _cell(node: Reckoning, counts: Counts) -> tuple[Reckoning, Reckoning]:
    return (
        Reckoning("width of a cell", counts.cell_width, "length", symbol="dx", unit="m", origin=node.origin),
        Reckoning("height of a cell", counts.cell_height, "length", symbol="dy", unit="m", origin=node.origin),
    )


def _path(across: float, dx: float, along: float, dy: float, corner: float) -> float:
    return float(across * dx + along * dy + corner * np.hypot(dx, dy))


def _same(one: float, other: float) -> bool:
    return bool(abs(one - other) <= 1e-9 * max(abs(one), abs(other), 1.0))
