"""Outlets, catchments, streams, paths, depressions and voids."""

import time

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
from tarnwater.terrain.measures import longest_paths, measure, profile_of_line, slopes
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
    assert found.counts.perimeter == 2 * (260 + 10)
    path = found.longest_path
    assert path.length == pytest.approx(250.0)
    assert path.fall == pytest.approx(50.0)
    assert path.slope_10_85 == pytest.approx(0.2)
    assert found.counts.relief == pytest.approx(50.0)
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
    voids = find_voids(as_grid(z))
    small, large = voids
    assert (small.area, small.proposed) == (100, "interpolate")
    assert (large.area, large.proposed) == (14_400, "outlet")
    treated, walls = treat_voids(voids)
    assert treated.heights[5, 5] == pytest.approx(35.0)
    assert not walls.any()
    walled, walls = treat_voids(voids, {1: "outlet", 2: "wall"})
    assert walls.sum() == 144
    assert np.isnan(walled.heights[5, 5])


def test_interpolated_ground_is_the_plane_around_it_whatever_the_shape_of_cells_and_hole(as_grid):
    down, across = np.indices((30, 30)).astype(float)
    plane = 100.0 - 0.7 * down + 0.3 * across
    z = plane.copy()
    z[4:9, 5:7] = z[7, 7:14] = z[20, 20] = z[22, 22] = np.nan
    treated, _ = treat_voids(find_voids(as_grid(z, 5.0, 12.0)))
    assert treated.heights == pytest.approx(plane, rel=1e-12)


def test_many_interpolated_cells_go_by_iteration_to_the_same_ground(as_grid, monkeypatch):
    z = np.random.default_rng(2).random((40, 40))
    z[5:15, 5:15] = np.nan
    voids = find_voids(as_grid(z, 5.0, 5.0))
    direct, _ = treat_voids(voids)
    monkeypatch.setattr("tarnwater.terrain.voids.DIRECT", 10)
    # the iteration stops at 1e-10 of its right side
    assert treat_voids(voids)[0].heights == pytest.approx(direct.heights, abs=1e-8)


def test_very_many_voids_are_found_and_filled_in_one_pass(as_grid):
    rng = np.random.default_rng(4)
    z = rng.random((900, 900)).cumsum(axis=0)
    rows, columns = 3 * rng.permutation(298)[:200] + 2, 3 * rng.permutation(298)[:50] + 2
    z[np.ix_(rows, columns)] = np.nan
    began = time.perf_counter()
    voids = find_voids(as_grid(z))
    treated, _ = treat_voids(voids)
    assert len(voids) == 10_000
    assert not np.isnan(treated.heights).any()
    # one pass takes 0.2 s here; a pass a void took minutes
    assert time.perf_counter() - began < 5.0
    assert [v.number for v in voids[:3]] == [1, 2, 3]


def test_looking_for_voids_can_be_stopped(as_grid):
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        find_voids(as_grid(np.ones((9, 9))), progress)


def test_one_missing_cell_does_not_swallow_a_hillside(as_grid):
    z = np.tile(np.arange(40.0, 0, -1)[:, None], (1, 9))
    z[30, 4] = np.nan
    treated, walls = treat_voids(find_voids(as_grid(z)))
    d = drain(treated, walls)
    assert d.upstream[39, 4] == 40
    assert d.upstream[d.directions == OUT].sum() == 360


def test_a_plane_has_its_slope_in_every_cell_beside_the_edge_and_beside_voids(as_grid):
    down, across = np.indices((12, 15)).astype(float)
    z = 50.0 - 0.3 * down * 12.0 + 0.4 * across * 5.0
    z[0, 0] = z[5, 5] = z[6, 9] = np.nan
    found = slopes(drain(as_grid(z, 5.0, 12.0), np.isnan(z)))
    assert found[~np.isnan(z)] == pytest.approx(0.5, rel=1e-12)


def test_snapping_measures_from_the_click_and_not_from_its_cell(as_grid):
    """Two streams two and three cells from the cell that was clicked; the click lies nearer to the farther one."""
    down, across = np.indices((40, 21)).astype(float)
    z = np.minimum(3.0 * np.abs(across - 6), 3.0 * np.abs(across - 11)) + 0.5 * (40 - down)
    d = drain(as_grid(z))
    x, y = d.grid.centre(35, 8)
    assert snap(d, x, y, threshold=3_000, radius=80).column == 6
    assert snap(d, x + 4.9, y, threshold=3_000, radius=80).column == 6
    x, y = d.grid.centre(35, 9)
    near = snap(d, x - 4.9, y, threshold=3_000, radius=80)
    assert (near.column, near.moved) == (11, pytest.approx(24.9))
    with pytest.raises(OutletError, match="no stream"):
        snap(d, x - 4.9, y, threshold=3_000, radius=24.8)


def test_the_path_between_two_outlets_on_one_cell_has_no_length(valley):
    twins = delineate(valley, [on_cell(valley, 30, 10), on_cell(valley, 30, 10), on_cell(valley, 39, 10)])
    assert twins.downstream == (2, 0, -1)
    assert len(twins.path_down(1)) == 1
    assert twins.local_area(1) == 0.0
    assert len(twins.path_down(0)) == 10


def test_a_path_into_a_pit_counts_its_heights_at_the_sill(as_grid):
    down, across = np.indices((41, 21)).astype(float)
    z = 3.0 * np.abs(across - 10) + 0.5 * (41 - down)
    z[30, 10] -= 8.0
    d = drain(as_grid(z))
    catchments = delineate(d, [on_cell(d, 30, 10)])
    path = measure(catchments)[0].longest_path
    assert path.slope > 0
    assert path.height[-1] == pytest.approx(path.raw[-1] + 7.5)
    assert path.on_raw_ground.fall == pytest.approx(path.fall + 7.5)


def test_the_profile_of_a_line_is_that_of_its_cells(valley):
    catchments = delineate(valley, [on_cell(valley, 38, 10)])
    path = longest_paths(catchments)[0]
    again = profile_of_line(valley, path.line)
    assert again.distance == pytest.approx(path.distance)
    assert np.array_equal(again.height, path.height)
    assert again.slope_10_85 == pytest.approx(path.slope_10_85, rel=1e-12)


def test_messages_give_coordinates_in_full(as_grid):
    grid = Grid(np.ones((9, 9)), 344_000.0, 5_550_090.0, 10.0, 10.0, "EPSG:32630")
    with pytest.raises(OutletError, match=r"^1344055.5, 5550125: .*from 344000, 5550000 to 344090, 5550090"):
        grid.cell_at(1_344_055.5, 5_550_125.0)
    with pytest.raises(OutletError, match="no number"):
        grid.cell_at(float("nan"), 5.0)


def test_a_valley_that_leaves_over_the_rim_is_not_cut_off(as_grid):
    # divides 8 cells to either side and at row 3, beyond which the ground falls outward
    down, across = np.indices((40, 31))
    z = 3.0 * (8 - np.abs(np.abs(across - 15) - 8)) + 0.5 * (40 - down)
    z[:3] -= 30.0 * (3 - down[:3])
    d = drain(as_grid(z))
    whole = delineate(d, [on_cell(d, 39, 15)])
    assert whole.local_area(0) > 0.3 * z.size * 100
    assert not whole.is_cut_off(0)
    # the same valley cut where its sides still rise
    narrow = drain(as_grid(z[3:, 9:22]))
    assert delineate(narrow, [on_cell(narrow, 36, 6)]).is_cut_off(0)


def test_a_valley_cut_at_its_head_is_cut_off(as_grid):
    down, across = np.indices((40, 31))
    z = 3.0 * (8 - np.abs(np.abs(across - 15) - 8)) + 0.5 * (40 - down)
    d = drain(as_grid(z))
    assert delineate(d, [on_cell(d, 39, 15)]).is_cut_off(0)


def test_an_outlet_where_water_enters_over_the_rim_is_cut_off(valley):
    assert delineate(valley, [on_cell(valley, 0, 10)]).is_cut_off(0)
