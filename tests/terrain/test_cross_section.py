"""Sections across a course, cut from the terrain."""

import numpy as np
import pytest

from tarnwater.errors import BadInput
from tarnwater.terrain.cross_section import TOLERANCE, cut_across
from tarnwater.terrain.grid import Grid

CRS = "EPSG:32630"


def valley(metres=1.0, turn=0.0):
    """A trapezoid channel 6 m wide at its floor, with banks of 1 in 2, that falls 1 in 100 through a grid."""
    rows, columns = np.mgrid[0:120, 0:120]
    x, y = (columns + 0.5) * 2.0, (119.5 - rows) * 2.0
    angle = np.deg2rad(turn)
    # distance across and along a course that runs down (south where it is not turned)
    across = (x - 120) * np.cos(angle) + (y - 120) * np.sin(angle)
    along = -(x - 120) * np.sin(angle) + (y - 120) * np.cos(angle)
    heights = 50 + 0.01 * along + np.clip((np.abs(across) - 3) / 2, 0, 5)
    grid = Grid(heights.astype(np.float32), west=1000.0, north=2000.0 + 240 / metres, width=2 / metres,
                height=2 / metres, metres=metres, crs=CRS)  # fmt: skip
    ends = np.array([[np.sin(angle), -np.cos(angle)]])
    middle = np.array([1000 + 120 / metres, 2000 + 120 / metres])
    course = middle + np.linspace(-80, 80, 41)[:, None] * ends / metres
    return grid, course


@pytest.mark.parametrize("turn", [0.0, 30.0, 135.0])
def test_a_channel_of_known_shape_is_cut_at_right_angles(turn):
    grid, course = valley(turn=turn)
    found = cut_across(grid, course, 0.5, 24.0)
    expected = 50 + np.clip((np.abs(found.stations - 12) - 3) / 2, 0, 5)
    # the ground is read between cells of 2 m, so that its bends are cut by a tenth of a metre or two
    assert found.heights == pytest.approx(expected, abs=0.25)
    assert found.stations[0] == 0
    assert found.stations[-1] == 24
    assert np.hypot(*np.diff(found.line, axis=0)[0]) == pytest.approx(24.0)
    assert len(found.stations) < 24


def test_it_falls_with_the_course():
    grid, course = valley()
    head, foot = (cut_across(grid, course, share, 24.0).heights.min() for share in (0.25, 0.75))
    assert head - foot == pytest.approx(0.01 * 80, abs=0.02)


def test_left_is_left_looking_down():
    grid, course = valley()
    # a bank on the east, which is the left of a course that runs south
    heights = grid.heights.copy()
    heights[:, 63:] += 3.0
    raised = Grid(heights, west=grid.west, north=grid.north, width=grid.width, height=grid.height, crs=CRS)
    found = cut_across(raised, course, 0.5, 24.0)
    assert found.heights[0] > found.heights[-1] + 2


def test_the_units_of_the_map_may_be_feet():
    plain, feet = valley(), valley(metres=0.3048)
    first, second = cut_across(*plain, 0.5, 24.0), cut_across(*feet, 0.5, 24.0)
    at = np.linspace(0, 24, 49)
    own = np.interp(at, second.stations, second.heights)
    # thinned at other points, each within its tolerance
    assert own == pytest.approx(np.interp(at, first.stations, first.heights), abs=2 * TOLERANCE)


def test_thinned_points_stay_within_the_stated_height():
    grid, course = valley()
    rough = Grid((grid.heights + np.random.default_rng(1).normal(0, 0.3, grid.heights.shape)).astype(np.float32),
                 west=grid.west, north=grid.north, width=2.0, height=2.0, crs=CRS)  # fmt: skip
    found = cut_across(rough, course, 0.5, 60.0)
    every = np.linspace(0, 60, 61)
    read = np.interp(every, found.stations, found.heights)
    full = 30 - every
    columns = (120 + full) / 2 - 0.5
    row = rough.heights[59:61].astype(float).mean(axis=0)
    # the course passes between two rows and two columns
    assert read == pytest.approx(np.interp(columns, np.arange(120), row), abs=TOLERANCE + 1e-6)


@pytest.mark.parametrize(("share", "width", "words"), [
    (0.5, 400.0, "no ground across"), (0.5, 4.0, "level across"),
])  # fmt: skip
def test_where_there_is_no_section_it_says_why(share, width, words):
    grid, course = valley()
    with pytest.raises(BadInput, match=words):
        cut_across(grid, course, share, width)


def test_ground_that_falls_to_one_side_is_refused():
    grid, course = valley()
    columns = np.mgrid[0:120, 0:120][1]
    tilted = Grid((50 + 0.1 * columns).astype(np.float32), west=grid.west, north=grid.north, width=2.0, height=2.0,
                  crs=CRS)  # fmt: skip
    with pytest.raises(BadInput, match="falls to one side"):
        cut_across(tilted, course, 0.5, 24.0)


def test_a_course_of_no_length_is_refused():
    grid, _ = valley()
    with pytest.raises(BadInput, match="no length"):
        cut_across(grid, np.array([[1100.0, 2100.0], [1100.0, 2100.0]]), 0.5, 10.0)
