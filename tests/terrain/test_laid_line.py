"""The ground along a line: on a plane by hand, over a hump, and where there is none."""

import numpy as np
import pytest

from tarnwater.errors import BadInput
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.laid_line import laid

#: A plane that falls 3 in 100 to the east, and 4 in 100 to the south.
EAST, SOUTH = 0.03, 0.04


def plane(metres=1.0, hump=0.0):
    up, across = np.mgrid[99:-1:-1, 0:100] + 0.5
    heights = 80.0 - EAST * across + SOUTH * up
    heights[:, 48:52] += hump
    return Grid(heights, 1000.0, 2000.0, 1 / metres, 1 / metres, "EPSG:32630", metres)


def line(grid, *places):
    """Places in metres from the south-west corner, in the units of the CRS."""
    return np.array([(grid.west + x / grid.metres, grid.north - (100.0 - y) / grid.metres) for x, y in places])


@pytest.mark.parametrize("metres", [1.0, 0.3048])
def test_length_fall_and_slope_on_a_plane_are_those_by_hand(metres):
    grid = plane(metres)
    found = laid(grid, line(grid, (10, 80), (40, 40)))
    assert found.length == pytest.approx(50.0, rel=1e-12)
    assert found.fall == pytest.approx(EAST * 30 + SOUTH * 40, rel=1e-9)
    # the heights of a plane are read exactly between the centres of its cells
    assert found.above == pytest.approx(0.0, abs=1e-9)
    assert found.below == pytest.approx(0.0, abs=1e-9)


def test_a_bend_adds_its_length_and_not_its_fall():
    grid = plane()
    found = laid(grid, line(grid, (10, 50), (50, 50), (50, 20)))
    assert found.length == pytest.approx(70.0, rel=1e-12)
    assert found.fall == pytest.approx(EAST * 40 + SOUTH * 30, rel=1e-9)
    assert found.straight[0] == found.ground[0]
    assert found.straight[-1] == pytest.approx(found.ground[-1], abs=1e-9)


def test_drawn_upward_it_runs_down_all_the_same():
    grid = plane()
    places = line(grid, (10, 80), (40, 40))
    down, up = laid(grid, places), laid(grid, places[::-1])
    assert up.fall == pytest.approx(down.fall, abs=1e-12) == pytest.approx(2.5, rel=1e-9)
    assert up.ground == pytest.approx(down.ground, abs=1e-9)
    assert up.along[0] == 0.0
    assert (np.diff(up.along) > 0).all()


def test_a_hump_lies_above_the_straight_and_a_hollow_below():
    grid = plane(hump=1.5)
    found = laid(grid, line(grid, (10, 50), (90, 50)))
    assert found.above == pytest.approx(1.5, abs=1e-9)
    assert found.below == pytest.approx(0.0, abs=1e-9)
    grid = plane(hump=-0.7)
    found = laid(grid, line(grid, (10, 50), (90, 50)))
    assert found.below == pytest.approx(0.7, abs=1e-9)


def test_a_line_beside_the_terrain_or_without_length_is_refused():
    grid = plane()
    with pytest.raises(BadInput, match="no ground under the whole line"):
        laid(grid, line(grid, (50, 50), (150, 50)))
    with pytest.raises(BadInput, match="the line has no length"):
        laid(grid, line(grid, (50, 50), (50, 50)))
    grid.heights[50, 40:45] = np.nan
    with pytest.raises(BadInput, match="no ground"):
        laid(grid, line(grid, (10, 49.5), (90, 49.5)))
