"""Contours of a plane and of a cone; intervals that cannot be drawn."""

import numpy as np
import pytest

from tarnwater.errors import OutOfRange
from tarnwater.terrain.contours import contours, usual_interval
from tarnwater.terrain.grid import Grid


def grid_of(heights, cell=10.0):
    return Grid(np.asarray(heights, float), 1000.0, 5000.0, cell, cell, "EPSG:27700")


def test_contours_of_a_plane_lie_where_it_has_their_height():
    across = np.indices((31, 41))[1]
    grid = grid_of(100.2 + 0.05 * 10 * across)
    found = contours(grid, 5.0)
    for start, end, weight in zip(found.first[:-1], found.first[1:], found.weight, strict=True):
        x = found.points[start:end, 0]
        height = 100.2 + 0.05 * (x - 1005.0)
        assert np.ptp(height) < 1e-9
        assert height[0] / 5.0 == pytest.approx(round(height[0] / 5.0), abs=1e-9)
        assert weight == (2.0 if round(height[0] / 5.0) % 5 == 0 else 1.0)
    assert len(found) == 4


def test_a_contour_of_a_cone_is_a_circle():
    down, across = np.indices((101, 101)) - 50
    found = contours(grid_of(500.0 - 10.0 * np.hypot(down, across)), 100.0)
    radii = np.hypot(found.points[:, 0] - 1505.0, found.points[:, 1] - 4495.0)
    closest = np.round(radii / 100.0) * 100.0
    assert np.abs(radii - closest).max() < 0.3  # linear between cells of a curved surface: cell² / (8 r), r >= 100 m


def test_contours_stop_at_ground_without_data():
    heights = np.repeat(np.arange(30.0)[:, None], 30, axis=1)
    heights[:, 15:] = np.nan
    assert contours(grid_of(heights), 4.0).points[:, 0].max() <= 1000 + 14.5 * 10


@pytest.mark.parametrize(("interval", "said"), [(0.0, "greater than 0"), (-2.0, "greater"), (0.001, "at most 2000")])
def test_intervals_that_cannot_be_drawn_are_refused(interval, said):
    with pytest.raises(OutOfRange, match=said):
        contours(grid_of(np.arange(400.0).reshape(20, 20)), interval)


@pytest.mark.parametrize(("relief", "interval"), [(532.0, 50.0), (90.0, 5.0), (3.2, 0.2), (20.0, 1.0)])
def test_the_usual_interval_gives_some_twenty_contours(relief, interval):
    heights = np.zeros((5, 5))
    heights[0, 0] = relief
    assert usual_interval(grid_of(heights)) == pytest.approx(interval)
