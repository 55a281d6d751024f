"""Filling, directions and accumulation: on surfaces with known answers, by properties, on a real terrain."""

import heapq
from importlib import import_module

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tarnwater.errors import Cancelled, GridError
from tarnwater.progress import Progress
from tarnwater.terrain.drainage import COLUMN_STEP, OUT, PIT, ROW_STEP, VOID, drain
from tarnwater.terrain.grid import Grid


def neighbours(row, column, shape):
    for k in range(8):
        r, c = row + ROW_STEP[k], column + COLUMN_STEP[k]
        if 0 <= r < shape[0] and 0 <= c < shape[1]:
            yield k, r, c


def is_border(z, row, column):
    inside = list(neighbours(row, column, z.shape))
    return len(inside) < 8 or any(np.isnan(z[r, c]) for _, r, c in inside)


def priority_flood(z):
    """The published algorithm, cell by cell, as a reference."""
    filled = z.copy()
    done = np.isnan(z)
    queue = [(z[r, c], r, c) for r, c in np.argwhere(~done) if is_border(z, r, c)]
    for _, r, c in queue:
        done[r, c] = True
    heapq.heapify(queue)
    while queue:
        level, row, column = heapq.heappop(queue)
        for _, r, c in neighbours(row, column, z.shape):
            if not done[r, c]:
                done[r, c] = True
                filled[r, c] = max(z[r, c], level)
                heapq.heappush(queue, (filled[r, c], r, c))
    return filled


def check_properties(grid):
    d = drain(grid)
    z, filled, ways, upstream = grid.heights, d.filled, d.directions, d.upstream
    ground = ~np.isnan(z)
    assert np.array_equal(filled[ground], priority_flood(z)[ground])
    assert (ways[ground] != PIT).all()
    assert (ways[~ground] == VOID).all()
    for row, column in np.argwhere(ground):
        falls = {
            k: (filled[row, column] - filled[r, c]) / d.step_lengths[k]
            for k, r, c in neighbours(row, column, z.shape)
            if ground[r, c]
        }
        steepest = max(falls.values(), default=0.0)
        way = ways[row, column]
        if steepest > 0:
            assert falls[way] == pytest.approx(steepest, rel=1e-12)
        elif is_border(z, row, column):
            assert way == OUT
        else:
            assert falls[way] == 0
    assert upstream[ways == OUT].sum() == ground.sum()
    # accumulation grows along the flow, so no path returns to itself
    for row, column in np.argwhere(ground & (ways < OUT)):
        way = ways[row, column]
        assert upstream[row + ROW_STEP[way], column + COLUMN_STEP[way]] > upstream[row, column]


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(seed=st.integers(0, 10_000), step=st.sampled_from([0.0, 0.5, 3.0]))
def test_on_random_terrain_every_cell_drains_down_the_steepest_way(rough, seed, step):
    check_properties(rough(seed, step))


def test_filling_equals_morphological_reconstruction_of_another_library():
    from skimage.morphology import reconstruction

    z = np.random.default_rng(5).normal(size=(80, 60)).cumsum(0).cumsum(1)
    seed = np.full_like(z, z.max())
    seed[[0, -1]], seed[:, [0, -1]] = z[[0, -1]], z[:, [0, -1]]
    assert np.array_equal(drain(Grid(z, 0, 0, 1, 1, "EPSG:27700")).filled, reconstruction(seed, z, method="erosion"))


def test_a_plane_drains_straight_down(as_grid):
    z = np.tile(np.arange(20.0, 0, -1)[:, None], (1, 8))
    d = drain(as_grid(z))
    assert (d.directions[:-1] == 1).all()
    assert (d.directions[-1] == OUT).all()
    assert (d.upstream == np.arange(1, 21)[:, None]).all()


def test_a_cone_drains_away_from_its_top(as_grid):
    down, across = np.indices((21, 21)) - 10
    d = drain(as_grid(100 - np.hypot(down, across)))
    assert d.upstream[10, 10] == 1
    assert d.upstream[d.directions == OUT].sum() == 21 * 21
    away = np.hypot(down + ROW_STEP[d.directions % 8], across + COLUMN_STEP[d.directions % 8])
    assert (away > np.hypot(down, across))[1:-1, 1:-1].all()


def test_a_v_valley_gathers_in_its_middle(as_grid):
    down, across = np.indices((30, 11))
    d = drain(as_grid(3.0 * np.abs(across - 5) + 0.5 * (30 - down)))
    assert d.directions[-1, 5] == OUT
    assert d.upstream[-1, 5] > 200
    assert (np.diff(d.upstream[:, 5]) > 0).all()


def test_nested_bowls_fill_to_the_outer_rim(as_grid):
    down, across = np.indices((31, 31)) - 15
    radius = np.hypot(down, across)
    z = np.where(radius < 6, 5 - np.cos(radius), np.where(radius < 12, 8.0 + 0.1 * radius, 20 - radius))
    z = z + 30
    d = drain(as_grid(z))
    check_properties(as_grid(z))
    inside = radius < 10
    assert len(np.unique(d.filled[inside & (d.filled > z)])) == 1


def test_a_flat_with_one_exit_drains_to_it(as_grid):
    z = np.full((15, 15), 50.0)
    z[1:-1, 1:-1] = 10.0
    z[14, 7] = 9.0
    d = drain(as_grid(z))
    assert d.upstream[14, 7] >= 13 * 13
    check_properties(as_grid(z))


def test_flow_on_a_flat_turns_away_from_higher_ground(as_grid):
    z = np.full((9, 15), 50.0)
    z[1:-1, 1:-1] = 10.0
    z[4, 14] = 9.0
    d = drain(as_grid(z))
    # beside the long wall the water makes for the middle of the flat
    assert d.directions[1, 3] in (1, 4, 5)
    assert d.directions[7, 3] in (3, 6, 7)


def test_a_hole_of_no_data_takes_water_unless_it_is_a_wall(as_grid):
    z = 100.0 + np.hypot(*(np.indices((21, 21)) - 10))
    z[10, 10] = np.nan
    hole = np.isnan(z)
    open_hole, wall = drain(as_grid(z)), drain(as_grid(z), walls=hole)
    assert open_hole.upstream[open_hole.directions == OUT].sum() == 440
    assert (open_hole.directions[9:12, 9:12] == OUT).sum() > 0
    assert (wall.directions[9:12, 9:12] == OUT).sum() == 0
    assert (wall.filled[5:16, 5:16][~hole[5:16, 5:16]] >= 110).all()


def test_cells_longer_than_wide_have_their_own_slopes(as_grid):
    z = np.full((5, 5), 10.0)
    z[2, 3:], z[3:, 2] = (9.0, 8.5), (8.0, 7.5)
    assert drain(as_grid(z, width=10, height=10)).directions[2, 2] == 1
    assert drain(as_grid(z, width=10, height=30)).directions[2, 2] == 0


def test_a_border_cell_drains_inward_where_a_neighbour_is_lower(as_grid):
    z = np.full((5, 5), 10.0)
    z[2, :] = [9, 8, 7, 6, 5]
    d = drain(as_grid(z))
    assert d.directions[2, 0] == 0
    assert d.directions[2, 4] == OUT
    assert d.directions[1, 0] == 4


def test_equal_slopes_are_decided_in_the_documented_order(as_grid):
    z = np.full((5, 5), 5.0)
    z[2, 2] = 6.0
    assert drain(as_grid(z)).directions[2, 2] == 0
    z[2, 3] = 6.5
    assert drain(as_grid(z)).directions[2, 2] == 1


@pytest.fixture(scope="module")
def fault():
    """The elevation grid that a plotting library ships as sample data: about 90 m cells."""
    from matplotlib import cbook

    with cbook.get_sample_data("jacksboro_fault_dem.npz") as data:
        return Grid(data["elevation"].astype(np.float32), 0.0, 0.0, 71.0, 92.0, "EPSG:32616")


def test_a_real_terrain_drains_whole(fault):
    d = drain(fault)
    ground = d.directions != VOID
    assert (d.directions != PIT).all()
    assert d.upstream[d.directions == OUT].sum() == ground.sum()
    assert np.array_equal(d.filled, priority_flood(fault.heights))
    assert (d.filled >= fault.heights).all()


def test_answers_repeat(fault):
    first, second = drain(fault), drain(fault)
    assert np.array_equal(first.directions, second.directions)
    assert np.array_equal(first.upstream, second.upstream)


def test_compiled_and_plain_loops_agree(rough, monkeypatch):
    kernels = import_module("tarnwater.terrain._kernels")
    grid = rough(7, step=1.0)
    compiled = drain(grid)
    for name in dir(kernels):
        function = getattr(kernels, name)
        if hasattr(function, "py_func") and name != "spread_both":
            monkeypatch.setattr(kernels, name, function.py_func)
    plain = drain(grid)
    assert np.array_equal(compiled.directions, plain.directions)
    assert np.array_equal(compiled.upstream, plain.upstream)


def test_cancelling_stops_the_work(as_grid):
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        drain(as_grid(np.random.default_rng(1).random((40, 40))), progress=progress)


def test_progress_moves(as_grid):
    heard = []
    drain(as_grid(np.random.default_rng(1).random((40, 40))), progress=Progress(lambda s, x: heard.append(x)))
    assert heard == sorted(heard)
    assert len(set(heard)) > 3


@pytest.mark.parametrize(
    ("heights", "said"),
    [
        (np.full((5, 5), np.nan), "every cell is no-data"),
        (np.ones((1, 9)), "at least 3 rows"),
        (np.where(np.eye(5) > 0, np.inf, 1.0), "5 cells hold an infinite height, the first in row 1, column 1"),
    ],
    ids=["all no-data", "one row", "infinities"],
)
def test_a_grid_with_nothing_to_drain_is_refused(as_grid, heights, said):
    with pytest.raises(GridError, match=said):
        as_grid(heights)
