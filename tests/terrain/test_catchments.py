"""Outlets, catchments, streams, paths, depressions and voids."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from tarnwater.errors import Cancelled, OutletError
from tarnwater.progress import Progress
from tarnwater.terrain.catchments import delineate
from tarnwater.terrain.depressions import find_depressions
from tarnwater.terrain.drainage import OUT, drain
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.measures import longest_paths, measure, slopes
from tarnwater.terrain.outlets import Snapped, snap
from tarnwater.terrain.streams import stream_lines, stream_order
from tarnwater.terrain.voids import find_voids, treat_voids


@pytest.fixture
def valley(as_grid):
    """A V-shaped valley 41 cells long whose water gathers in column 10."""
    down, across = np.indices((41, 21))
    return drain(as_grid(3.0 * np.abs(across - 10) + 0.5 * (41 - down)))


def on_cell(drainage, row, column):
    x, y = drainage.grid.centre(row, column)
    area = float(drainage.upstream[row, column] * drainage.grid.cell_area)
    return Snapped((x, y), (x, y), row, column, 0.0, area, area)


def test_an_outlet_snaps_to_the_nearest_stream_and_says_both_areas(valley):
    x, y = valley.grid.centre(30, 13)
    found = snap(valley, x, y, threshold=10_000, radius=50)
    assert (found.row, found.column) == (30, 10)
    assert found.moved == pytest.approx(30.0)
    assert found.asked == (x, y)
    assert found.area_before < 2_000 < found.area_after


def test_an_outlet_never_leaves_a_side_beck_for_the_main_river(as_grid):
    down, across = np.indices((40, 40))
    z = np.minimum(2.0 * np.abs(across - 10) + 4, 2.0 * np.abs(across - 20)) + 0.3 * (40 - down)
    d = drain(as_grid(z))
    x, y = d.grid.centre(30, 12)
    found = snap(d, x, y, threshold=9_000, radius=200)
    assert found.column == 10
    assert d.upstream[30, 20] > d.upstream[30, 10]


def test_a_hillside_is_refused_with_what_drains_there(valley):
    x, y = valley.grid.centre(3, 2)
    with pytest.raises(OutletError, match=r"no stream of at least 5\.000 ha lies within 20\.00 m.*hillside"):
        snap(valley, x, y, threshold=50_000, radius=20)


def test_a_hillside_can_be_accepted_as_it_is(valley):
    x, y = valley.grid.centre(3, 2)
    found = snap(valley, x, y, threshold=50_000, radius=20, accept=True)
    assert (found.row, found.column, found.moved) == (3, 2, 0.0)


@pytest.mark.parametrize(("x", "y"), [(-5.0, 10.0), (1e6, 10.0), (10.0, 1e6), (10.0, -1.0)])
def test_an_outlet_outside_the_grid_is_refused(valley, x, y):
    with pytest.raises(OutletError, match="outside the grid"):
        snap(valley, x, y, threshold=1e4, radius=50)


def test_an_outlet_on_no_data_is_refused(as_grid):
    z = np.random.default_rng(1).random((8, 8))
    z[4, 4] = np.nan
    d = drain(as_grid(z))
    with pytest.raises(OutletError, match="without data"):
        snap(d, *d.grid.centre(4, 4), threshold=100, radius=50)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 5000))
def test_catchments_are_disjoint_and_hold_what_accumulates_at_their_outlets(seed):
    rng = np.random.default_rng(seed)
    z = rng.normal(size=(24, 20)).cumsum(0).cumsum(1)
    d = drain(Grid(z, 0.0, 0.0, 10.0, 5.0, "EPSG:27700"))
    cells = rng.choice(z.size, 5, replace=False)
    outlets = [on_cell(d, int(c // 20), int(c % 20)) for c in cells]
    catchments = delineate(d, outlets)
    total = [catchments.local_area(i) for i in range(5)]
    for index in sorted(range(5), key=lambda i: outlets[i].area_after):
        below = catchments.downstream[index]
        if below >= 0:
            total[below] += total[index]
    assert total == [o.area_after for o in outlets]
    for index in range(5):
        outline = catchments.outline(index)
        assert outline.is_valid
        assert outline.area == pytest.approx(catchments.local_area(index), rel=1e-12)


def test_outlets_nest_and_know_the_next_one_down(valley):
    catchments = delineate(valley, [on_cell(valley, 40, 10), on_cell(valley, 20, 10)])
    assert catchments.downstream == (-1, 0)
    assert catchments.local_area(0) + catchments.local_area(1) == catchments.total_area(0)
    path = catchments.path_down(1)
    assert len(path) == 21


def test_of_two_outlets_on_one_cell_the_first_has_the_catchment(valley):
    catchments = delineate(valley, [on_cell(valley, 30, 10), on_cell(valley, 30, 10)])
    assert catchments.local_area(0) > 0
    assert catchments.local_area(1) == 0


def test_a_catchment_at_the_edge_is_cut_off_and_one_inside_is_not(as_grid):
    down, across = np.indices((41, 41)) - 20
    bowl = 0.1 * (down**2 + across**2) + 5.0
    bowl[np.hypot(down, across) > 14] = 60 - 2 * np.hypot(down, across)[np.hypot(down, across) > 14]
    bowl[20:, 20] = 5 - 0.1 * np.arange(21)
    d = drain(as_grid(bowl))
    inner = delineate(d, [on_cell(d, 33, 20)])
    assert not inner.is_cut_off(0)
    slope = drain(as_grid(np.tile(np.arange(20.0, 0, -1)[:, None], (1, 8))))
    assert delineate(slope, [on_cell(slope, 15, 4)]).is_cut_off(0)


def test_measures_of_a_plane_are_exact(as_grid):
    z = np.tile(0.2 * 10 * np.arange(30.0, 0, -1)[:, None], (1, 9))
    d = drain(as_grid(z))
    (found,) = measure(delineate(d, [on_cell(d, 25, 4)]))
    assert found.area == 26 * 100
    assert found.perimeter == 2 * (260 + 10)
    path = found.longest_path
    assert path.length == pytest.approx(250.0)
    assert path.fall == pytest.approx(50.0)
    assert path.slope_10_85 == pytest.approx(0.2)
    assert found.relief == pytest.approx(50.0)
    # Horn's weights are exact on a plane, away from the edge
    assert slopes(d)[5:20, 2:7] == pytest.approx(0.2)


def test_the_slope_of_a_tilted_plane_has_both_parts_on_oblong_cells(as_grid):
    down, across = np.indices((12, 12))
    d = drain(as_grid(0.3 * 20 * (12 - down) + 0.4 * 5 * across, width=5.0, height=20.0))
    assert slopes(d)[1:-1, 1:-1] == pytest.approx(0.5)


def test_a_longest_path_falls_along_the_flow_within_its_catchment(valley):
    catchments = delineate(valley, [on_cell(valley, 40, 10), on_cell(valley, 20, 10)])
    lower, upper = longest_paths(catchments)
    assert (np.diff(upper.height) <= 0).all()
    assert upper.length == pytest.approx(10 * (20 - 10) + 10 * 10 * np.sqrt(2), rel=0.35)
    assert lower.distance[-1] == 0


def test_stream_order_rises_where_two_of_one_order_meet(as_grid):
    down, across = np.indices((30, 31))
    z = np.minimum(np.abs(across - 8), np.abs(across - 22)) * 2.0 + 0.5 * (30 - down)
    z[20:] = np.abs(across[20:] - 15) * 1.0 + 0.2 * (30 - down[20:]) - 2
    d = drain(as_grid(z))
    order = stream_order(d, 8_000)
    assert order[10, 8] == order[10, 22] == 1
    assert order[29, 15] == 2


def test_stream_lines_end_where_they_join(rough):
    d = drain(rough(11))
    threshold = 6 * d.grid.cell_area
    lines = stream_lines(d, threshold)
    streams = np.count_nonzero(d.upstream >= 6)
    ends = sum(1 for line in lines if len(line.line) > 1)
    assert sum(len(line.line) for line in lines) - ends <= streams <= sum(len(line.line) for line in lines)
    assert stream_lines(d, 1e12) == []


def test_a_depression_is_reported_with_its_area_depth_and_volume(as_grid):
    z = np.full((11, 11), 20.0) - 0.01 * np.arange(11)
    z[4:7, 4:7] = 15.0
    z[5, 5] = 12.0
    d = drain(as_grid(z))
    (found,) = find_depressions(d)
    assert found.area == 900
    assert found.place == d.grid.centre(5, 5)
    assert found.depth == pytest.approx(found.level - 12)
    assert found.volume == pytest.approx(100 * (8 * (found.level - 15) + found.level - 12))
    assert found.doubtful


def test_a_surface_that_drains_has_no_depression(valley):
    assert len(find_depressions(valley)) == 0
    assert find_depressions(valley).doubtful == []


@pytest.mark.parametrize("seed", range(12))
def test_depressions_are_the_connected_parts_that_another_library_labels(rough, seed):
    d = drain(rough(seed, step=0.5 if seed % 2 else 0.0))
    with np.errstate(invalid="ignore"):
        depth = np.nan_to_num(d.filled - d.grid.heights, nan=0.0)
    parts, count = ndimage.label(depth > 0, structure=np.ones((3, 3)))
    found = find_depressions(d)
    assert len(found) == count
    cell = d.grid.cell_area
    wanted = sorted(
        (ndimage.sum_labels(depth, parts, n) * cell, (parts == n).sum() * cell, depth[parts == n].max())
        for n in range(1, count + 1)
    )
    shown = sorted((f.volume, f.area, f.depth) for f in found)
    # sums in another order
    assert np.allclose(shown, wanted, rtol=1e-12) if wanted else shown == []
    assert [f.volume for f in found] == sorted((f.volume for f in found), reverse=True)
    assert found.doubtful == [f for f in found if f.doubtful]


def test_listing_depressions_is_stopped(rough):
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        find_depressions(drain(rough(1)), progress)


def test_voids_are_found_and_become_what_they_are_said_to_be(as_grid):
    z = np.tile(np.arange(40.0, 0, -1)[:, None], (1, 40))
    z[0, :3] = np.nan
    z[5, 5] = np.nan
    z[20:32, 20:32] = np.nan
    grid = as_grid(z)
    small, large = find_voids(grid)
    assert (small.area, small.proposed) == (100, "interpolate")
    assert (large.area, large.proposed) == (14_400, "outlet")
    treated, walls = treat_voids(grid)
    assert treated.heights[5, 5] == pytest.approx(35.0)
    assert not walls.any()
    walled, walls = treat_voids(grid, {1: "outlet", 2: "wall"})
    assert walls.sum() == 144
    assert np.isnan(walled.heights[5, 5])


def test_one_missing_cell_does_not_swallow_a_hillside(as_grid):
    z = np.tile(np.arange(40.0, 0, -1)[:, None], (1, 9))
    z[30, 4] = np.nan
    treated, walls = treat_voids(as_grid(z))
    d = drain(treated, walls)
    assert d.upstream[39, 4] == 40
    assert d.upstream[d.directions == OUT].sum() == 360
