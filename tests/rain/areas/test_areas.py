"""Rain on catchments: shares of gauges and of cells, over any polygons."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from tarnwater.errors import BadInput
from tarnwater.rain.areas.frames import Frames, bias_factor, cell_shares, rain_of_frames
from tarnwater.rain.areas.gauges import inverse_distance, nearest, rain_by_shares, thiessen, thiessen_polygons

SQUARE = shapely.box(0, 0, 100, 100)


def random_land(seed, count=12):
    """Polygons of any form: parts of a square, one of them with a hole, one of several parts."""
    rng = np.random.default_rng(seed)
    cells = shapely.get_parts(
        shapely.voronoi_polygons(shapely.multipoints(rng.uniform(0, 100, (count, 2))), extend_to=SQUARE)
    )
    land = list(shapely.intersection(cells, SQUARE))
    land[0] = land[0].difference(land[0].centroid.buffer(2))
    land[1] = shapely.union(land[1].buffer(-1), shapely.box(40, 40, 45, 45))
    return [one for one in land if one.area > 0]


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(1, 9))
def test_shares_of_gauges_add_up_to_one_over_any_polygons(seed, gauges):
    rng = np.random.default_rng(seed)
    places = rng.uniform(-50, 150, (gauges, 2))
    land = random_land(seed)
    centres = np.array([[p.centroid.x, p.centroid.y] for p in land])
    for shares in (thiessen(places, land), inverse_distance(places, centres), nearest(places, centres)):
        assert shares.shape == (len(land), gauges)
        assert shares.min() >= 0
        assert shares.sum(axis=1) == pytest.approx(np.ones(len(land)), abs=1e-12)


def test_thiessen_shares_are_those_of_areas_nearest_to_each_gauge():
    gauges = np.array([[10.0, 20.0], [80.0, 70.0], [60.0, 10.0]])
    land = random_land(5)
    shares = thiessen(gauges, land)
    rng = np.random.default_rng(1)
    points = rng.uniform(0, 100, (60_000, 2))
    closest = np.argmin(np.hypot(*(points[:, None] - gauges[None]).transpose(2, 0, 1)), axis=1)
    for row, polygon in enumerate(land):
        inside = shapely.contains_xy(polygon, points[:, 0], points[:, 1])
        counted = np.bincount(closest[inside], minlength=3) / inside.sum()
        # some 4,000 points in a polygon give a share to 0.8 %
        assert shares[row] == pytest.approx(counted, abs=0.03)


def test_thiessen_polygons_are_in_the_order_of_the_gauges():
    gauges = np.array([[80.0, 70.0], [10.0, 20.0], [60.0, 10.0]])
    for place, polygon in zip(gauges, thiessen_polygons(gauges, SQUARE), strict=True):
        assert polygon.contains(shapely.Point(place))
    (alone,) = thiessen_polygons(gauges[:1], SQUARE)
    assert alone.contains(SQUARE)


def test_two_gauges_in_one_place_are_refused():
    with pytest.raises(BadInput, match="one place"):
        thiessen(np.array([[1.0, 1.0], [1.0, 1.0]]), [SQUARE])


def test_inverse_distance_by_hand():
    gauges = np.array([[0.0, 0.0], [3.0, 4.0]])
    shares = inverse_distance(gauges, np.array([[0.0, 10.0], [3.0, 4.0]]))
    # squares of the distances are 100 and 45
    assert shares[0] == pytest.approx([45 / 145, 100 / 145])
    assert shares[1].tolist() == [0, 1]


def test_rain_is_missing_where_a_gauge_with_a_share_is_missing():
    depths = np.array([[1.0, np.nan, 3.0], [5.0, 6.0, np.nan]])
    found = rain_by_shares(np.array([[0.25, 0.75], [1.0, 0.0]]), depths)
    assert found[0] == pytest.approx([4.0, np.nan, np.nan], nan_ok=True)
    assert found[1] == pytest.approx([1.0, np.nan, 3.0], nan_ok=True)


def frames(values, size=10.0, west=0.0, south=0.0):
    count, rows, columns = values.shape
    x, y = np.meshgrid(west + size * np.arange(columns + 1), south + size * np.arange(rows + 1))
    return Frames(300 * np.arange(1, count + 1), np.full(count, 300), values, x, y)


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_shares_of_cells_add_up_to_one_and_are_the_exact_areas(seed):
    land = random_land(seed)
    grid = frames(np.zeros((2, 10, 10)))
    found = cell_shares(grid.cells, land)
    assert np.asarray(found.shares.sum(axis=1)) == pytest.approx(np.ones(len(land)), abs=1e-12)
    assert found.covered == pytest.approx(np.ones(len(land)), abs=1e-9)
    for cell, share in found.of(0):
        assert share * land[0].area == pytest.approx(grid.cells[cell].intersection(land[0]).area, rel=1e-9)


def test_even_rain_and_a_plane_of_rain_give_their_means():
    x, y = np.meshgrid(np.arange(10) * 10 + 5.0, np.arange(10) * 10 + 5.0)
    values = np.stack([np.full((10, 10), 7.0), x + 2 * y])
    land = [shapely.box(20, 30, 60, 80), shapely.Polygon([(5, 5), (95, 20), (50, 90)])]
    found = rain_of_frames(cell_shares(frames(values).cells, land), values)
    assert found[:, 0] == pytest.approx([7, 7])
    # a rectangle of whole cells has the plane's value at its middle
    assert found[0, 1] == pytest.approx(40 + 2 * 55)


@pytest.mark.parametrize("count", [1, 3, 4, 7, 130])
def test_any_number_of_frames_equals_one_sparse_product(count):
    values = np.random.default_rng(2).gamma(0.3, 2, (count, 10, 10))
    shares = cell_shares(frames(values).cells, random_land(3))
    assert rain_of_frames(shares, values) == pytest.approx(shares.shares @ values.reshape(count, -1).T, rel=1e-12)
    assert rain_of_frames(shares, values, factor=1.3) == pytest.approx(1.3 * rain_of_frames(shares, values))


def test_a_missing_cell_is_missing_rain_only_where_it_has_a_share():
    values = np.ones((2, 10, 10))
    values[0, 0, 0] = np.nan
    shares = cell_shares(frames(values).cells, [shapely.box(0, 0, 30, 30), shapely.box(10, 10, 40, 40)])
    found = rain_of_frames(shares, values)
    assert np.isnan(found[0, 0])
    assert found[1] == pytest.approx([1, 1])
    assert found[0, 1] == pytest.approx(1)


def test_a_catchment_that_the_grid_does_not_cover_has_no_rain():
    values = np.ones((1, 10, 10))
    shares = cell_shares(frames(values).cells, [shapely.box(80, 80, 120, 120)])
    assert shares.covered[0] == pytest.approx(0.25)
    assert np.isnan(rain_of_frames(shares, values)).all()


def test_missing_frames_are_listed():
    grid = frames(np.zeros((4, 3, 3)))
    broken = Frames(np.array([300, 600, 1500, 1800]), grid.spans, grid.values, grid.corners_x, grid.corners_y)
    assert broken.missing == [(600, 1200, 2)]
    with pytest.raises(BadInput, match="overlap"):
        Frames(np.array([300, 500, 900, 1200]), grid.spans, grid.values, grid.corners_x, grid.corners_y)


def test_a_bias_factor_is_the_ratio_of_totals_that_both_have():
    assert bias_factor(np.array([2.0, np.nan, 4.0]), np.array([1.0, 9.0, 2.0])) == 2
    assert np.isnan(bias_factor(np.array([1.0]), np.array([0.0])))
