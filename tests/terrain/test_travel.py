"""Travel times over the ground: planes and flats by hand, sums, limits, and the fit to a lag."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tarnwater.terrain.drainage import drain
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.travel import VelocityRule, paths_within

CELL = 10.0
UNIFORM = VelocityRule(reference=0.5, slope_power=0.0, area_power=0.0)


def paths(heights, columns=slice(None)):
    drainage = drain(Grid(np.asarray(heights, float), 0, len(heights) * CELL, CELL, CELL, "EPSG:27700"))
    rows, across = np.indices(drainage.grid.shape)
    return paths_within(drainage, rows[:, columns].ravel(), across[:, columns].ravel())


def channel(heights):
    """The paths of one column of ground between two walls that drain into it, cell by cell."""
    middle = np.array(heights, float)
    walls = np.full(len(middle), 1000.0)
    return paths(np.column_stack([walls, middle, walls]), slice(1, 2))


def test_on_a_channel_the_time_is_the_distance_over_the_velocity():
    found = channel(np.arange(50, 0, -1.0)).times(UNIFORM)
    assert np.sort(found.times) == pytest.approx(np.arange(50) * CELL / 0.5, rel=1e-12)
    assert (found.mean, found.longest) == (pytest.approx(24.5 * CELL / 0.5), pytest.approx(49 * CELL / 0.5))


def test_the_velocity_grows_with_slope_and_area_about_their_mean():
    """Slopes of 4, 2 and 1 %, b 0.5 and c 1; each cell of the channel has one wall more on either side above it."""
    heights = channel([10.8, 10.4, 10.2, 10.1])
    found = heights.times(VelocityRule(reference=1.0, slope_power=0.5, area_power=1.0, least=1e-3, most=99.0))
    slopes, areas = np.array([0.04, 0.02, 0.01, 0.0]), CELL**2 * np.array([1, 2, 3, 4])
    weight = np.sqrt(slopes) * areas
    velocity = weight / weight.mean()
    steps = CELL / velocity[:3]
    assert np.sort(found.times) == pytest.approx([0, steps[2], steps[1:].sum(), steps.sum()], rel=1e-9)


def test_on_a_filled_flat_the_slope_is_that_to_the_first_lower_cell():
    """A pit of four cells is filled to its sill at 10: from its far end 5 cells lead to the first lower one."""
    found = channel([12, 10, 8, 7, 9, 10, 9, 8])
    # from the outlet up: 8 leaves; 9, then the sill and the flat above it, each farther from the cell at 9
    assert found.slopes[1:] == pytest.approx([0.1, 0.1, 0.1 / 2, 0.1 / 3, 0.1 / 4, 0.1 / 5, 0.2], rel=1e-12)


def test_limits_are_kept_counted_and_their_share_of_the_time_told():
    # slopes of 0.01 and 1 take velocities of a tenth and ten times that between them
    heights = channel([110.0, 100.0, 99.9, 89.9, 89.8])
    rule = VelocityRule(reference=1.0, slope_power=1.0, area_power=0.0, least=0.1, most=1.5)
    found = heights.times(rule)
    slopes = np.array([1, 0.01, 1, 0.01, 0.0])
    free = slopes / slopes.mean()
    low, high = (free[:4] < 0.1).sum(), (free[:4] > 1.5).sum()
    assert (found.at_least, found.at_most) == (low, high) == (2, 2)
    assert found.limited == pytest.approx(1.0)
    assert np.sort(np.diff(np.sort(found.times))) == pytest.approx([CELL / 1.5] * 2 + [CELL / 0.1] * 2, rel=1e-9)


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000), st.floats(5.0, 5000.0))
def test_the_histogram_sums_to_the_area_whatever_its_bins(seed, width):
    found = paths(np.random.default_rng(seed).normal(100, 5, (12, 9))).times(VelocityRule())
    bins = found.histogram(width)
    # sums of 108 cells round in the last bits
    assert bins.sum() == pytest.approx(108 * CELL**2, rel=1e-12)
    assert (bins >= 0).all()
    middle = (np.arange(len(bins)) + 0.5) * width
    # a cell spread over its bins keeps its mean within half a bin, and half its own time at the outlet
    assert (bins @ middle) / bins.sum() == pytest.approx(found.mean, abs=width / 2 + found.steps.max() / 2)


def test_a_uniform_channel_has_as_much_area_in_each_bin():
    found = channel(np.arange(101, 0, -1.0)).times(UNIFORM)
    bins = found.histogram(200.0)
    assert bins[1:-1] == pytest.approx(np.full(len(bins) - 2, 10 * CELL**2), rel=1e-12)


@pytest.mark.parametrize("lag", [600.0, 3600.0])
def test_the_reference_velocity_is_fitted_to_a_lag(lag):
    heights = 100.0 - np.indices((30, 20))[0] + np.random.default_rng(3).normal(0, 0.3, (30, 20))
    found = paths(heights)
    assert found.fitted(VelocityRule(least=1e-6, most=1e6), lag).mean == pytest.approx(lag, rel=1e-9)


def test_a_lag_out_of_reach_of_the_limits_stops_at_them():
    found = channel(np.arange(20, 0, -1.0))
    assert found.fitted(VelocityRule(), 1.0).mean == pytest.approx(9.5 * CELL / 2.0)
    assert found.fitted(VelocityRule(), 1e9).mean == pytest.approx(9.5 * CELL / 0.02)
