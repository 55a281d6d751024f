"""Breaching: against shortest paths of another library, within its limits, and what it leaves to filling."""

from importlib import import_module
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra

from tarnwater.errors import Cancelled
from tarnwater.progress import Progress
from tarnwater.terrain.depressions import find_depressions
from tarnwater.terrain.drainage import COLUMN_STEP, PIT, ROW_STEP, Breaching, drain
from tarnwater.terrain.grid import Grid

EVERYWHERE = Breaching(1e6, 1e6)


def with_one_pit(seed, deep):
    """A dome that drains over its rim and has no two heights alike, with one pit dug into its middle."""
    rng = np.random.default_rng(seed)
    down, across = np.indices((17, 19)) - np.array([8, 9])[:, None, None]
    raw = 6 * rng.random((17, 19)) - 0.5 * (down**2 + across**2) * rng.uniform(0, 0.2)
    raw[np.maximum(np.abs(down) / 8, np.abs(across) / 9) == 1] -= 1000
    z = drain(Grid(raw, 0, 0, 10, 10, "EPSG:27700"), breaching=EVERYWHERE).filled.copy()
    if len(np.unique(z)) < z.size:
        return None
    z[8, 9] -= deep
    return Grid(z, 0, 170, 10, 10, "EPSG:27700")


def cheapest_channel(grid, pit):
    """The cells of the cheapest channel from a pit to lower ground or over the edge, and its lengths, by SciPy."""
    z, (rows, columns) = grid.heights, grid.shape
    bottom = z[pit]
    edge = np.ones(z.shape, bool)
    edge[1:-1, 1:-1] = False
    ends = (z < bottom) | edge
    one, other, price = [], [], []
    # no way leads on from where a channel may end
    for r, c in np.argwhere(~ends).tolist():
        for k in range(8):
            i, j = r + ROW_STEP[k], c + COLUMN_STEP[k]
            if 0 <= i < rows and 0 <= j < columns:
                one.append(r * columns + c)
                other.append(i * columns + j)
                # SciPy takes no edge of zero for an edge
                price.append(max(z[i, j] - bottom, 0.0) * np.hypot(ROW_STEP[k], COLUMN_STEP[k]) * 10 + 1e-12)
    graph = coo_matrix((price, (one, other)), shape=(z.size, z.size))
    cost, before = dijkstra(graph.tocsr(), indices=pit[0] * columns + pit[1], return_predecessors=True)
    goals = np.flatnonzero(ends.ravel() & np.isfinite(cost))
    # of goals at the same cost the lowest
    here = int(goals[np.lexsort((z.ravel()[goals], np.round(cost[goals], 6)))[0]])
    cells = [here]
    while before[here] >= 0:
        here = int(before[here])
        cells.append(here)
    return [divmod(cell, columns) for cell in cells]


@settings(max_examples=40, deadline=None)
@given(seed=st.integers(0, 10_000), deep=st.sampled_from([0.5, 2.0, 20.0]))
def test_the_channel_is_the_cheapest_and_falls_evenly(seed, deep):
    grid = with_one_pit(seed, deep)
    assume(grid is not None and drain(grid).filled[8, 9] > grid.heights[8, 9])
    d = drain(grid, breaching=EVERYWHERE)
    cells = cheapest_channel(grid, (8, 9))
    foot, bottom = min(grid.heights[cells[0]], grid.heights[8, 9]), grid.heights[8, 9]
    steps = [np.hypot(b[0] - a[0], b[1] - a[1]) for a, b in pairwise(cells)]
    along = np.concatenate([[0.0], np.cumsum(steps)])
    expected = grid.heights.copy()
    for cell, far in zip(cells, along, strict=True):
        expected[cell] = min(expected[cell], foot + (bottom - foot) * far / along[-1])
    assert d.channels.count == 1
    assert np.allclose(d.filled, expected, rtol=0, atol=1e-9)
    assert d.channels.volume == pytest.approx((grid.heights - expected).sum() * 100.0)
    assert d.channels.depth == pytest.approx((grid.heights - expected).max())


@settings(max_examples=30, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(seed=st.integers(0, 10_000), step=st.sampled_from([0.0, 0.5, 3.0]))
def test_without_limits_nothing_is_left_to_fill_and_nothing_is_raised(rough, seed, step):
    grid = rough(seed, step)
    d = drain(grid, breaching=EVERYWHERE)
    ground = ~np.isnan(grid.heights)
    assert (d.filled <= grid.heights)[ground].all()
    assert not len(find_depressions(d))
    assert (d.directions[ground] != PIT).all()


@settings(max_examples=30, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(seed=st.integers(0, 10_000), depth=st.sampled_from([0.3, 1.0, 4.0]))
def test_no_cell_is_lowered_by_more_than_the_limit(rough, seed, depth):
    grid = rough(seed)
    d = drain(grid, breaching=Breaching(depth, 1e6))
    # subtracting the limit from a height and the result from it rounds in the last bits
    assert np.nanmax(grid.heights - d.filled) <= depth + 1e-9
    assert d.channels.depth <= depth + 1e-9


def test_channels_are_no_longer_than_the_limit(as_grid):
    z = np.full((3, 30), 50.0)
    z[1, 1:] = 12.0
    z[1, 1], z[1, 29] = 10.0, 9.0
    # the way out is 28 cells along the middle; the sides are 40 m high
    assert drain(as_grid(z), breaching=Breaching(5.0, 280.0)).channels.count == 1
    assert drain(as_grid(z), breaching=Breaching(5.0, 279.0)).channels.count == 0


def test_breaching_and_filling_of_both_kinds_agree_in_single_precision(rough):
    grid = rough(11)
    single = Grid(grid.heights.astype(np.float32), grid.west, grid.north, grid.width, grid.height, grid.crs)
    one, other = drain(grid, breaching=EVERYWHERE), drain(single, breaching=EVERYWHERE)
    assert np.allclose(one.filled, other.filled, atol=1e-5, equal_nan=True)


def test_compiled_and_plain_loops_cut_the_same(rough, monkeypatch):
    kernels = import_module("tarnwater.terrain._kernels")
    grid = rough(4)
    compiled = drain(grid, breaching=Breaching(2.0, 50.0))
    monkeypatch.setattr(kernels, "breach_pits", kernels.breach_pits.py_func)
    plain = drain(grid, breaching=Breaching(2.0, 50.0))
    assert np.array_equal(compiled.filled, plain.filled, equal_nan=True)


def test_breaching_is_stopped(as_grid):
    progress = Progress(lambda stage, share: progress.cancel() if stage == "breaching" else None)
    with pytest.raises(Cancelled):
        drain(as_grid(np.random.default_rng(1).random((60, 60))), progress=progress, breaching=EVERYWHERE)
