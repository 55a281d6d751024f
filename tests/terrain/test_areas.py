"""Areas on a terrain: where each drains, and its measures, on ground whose answers are known."""

import numpy as np
import pytest
from shapely.geometry import MultiPolygon, Polygon, box

from tarnwater.terrain.areas import area_numbers, areas_on_ground
from tarnwater.terrain.catchments import delineate
from tarnwater.terrain.drainage import drain
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.measures import measure
from tarnwater.terrain.outlets import Snapped

CELL, ROWS, COLUMNS, MIDDLE = 10.0, 40, 31, 15
DOWN, ACROSS = np.indices((ROWS, COLUMNS))


def valley():
    """It falls south along its middle column, 1 m a cell, with sides of 3 m a cell."""
    return drain(Grid(200.0 - DOWN + 3.0 * np.abs(ACROSS - MIDDLE), 0, ROWS * CELL, CELL, CELL, "EPSG:27700"))


def rows(first, last, west=0, east=COLUMNS):
    """The rows from one to another, both with their cells, between two columns."""
    return box(west * CELL, (ROWS - 1 - last) * CELL, east * CELL, (ROWS - first) * CELL)


def test_three_reaches_of_a_valley_drain_into_each_other():
    upper, middle, lower = areas_on_ground(valley(), [rows(0, 9), rows(10, 24), rows(25, 39)])
    assert [one.downstream for one in (upper, middle, lower)] == [1, 2, -1]
    assert upper.outlet == (MIDDLE * CELL + 5, (ROWS - 9) * CELL - 5)
    # from the outlet in row 9 to that in row 24, one row after the other
    assert upper.course.length == pytest.approx(15 * CELL)
    assert upper.course.slope == pytest.approx(0.1)
    assert [one.drains for one in (upper, middle, lower)] == [1, 1, 1]
    assert [one.covered for one in (upper, middle, lower)] == [1, 1, 1]
    assert lower.course is None


def test_the_longest_path_of_an_area_stays_in_it():
    (upper, _) = areas_on_ground(valley(), [rows(0, 9), rows(10, 39)])
    # 15 cells down the side, straight because the side is steeper than the valley, and 9 along the stream
    assert upper.longest_path.length == pytest.approx((15 + 9) * CELL)
    assert upper.longest_path.fall == pytest.approx(3 * 15 + 9)


def test_an_area_that_is_a_whole_catchment_has_its_measures():
    drainage = valley()
    cell = (ROWS - 1, MIDDLE)
    place = drainage.grid.centre(*cell)
    (whole,) = measure(delineate(drainage, [Snapped(place, place, *cell, 0.0, 0.0, 0.0)]))
    (found,) = areas_on_ground(drainage, [rows(0, 39)])
    assert found.mean_slope == pytest.approx(whole.mean_slope, rel=1e-12)
    assert found.longest_path.length == pytest.approx(whole.longest_path.length, rel=1e-12)


def test_ground_that_drains_elsewhere_is_counted():
    """On a plane that falls south each column leaves by itself: a strip of ten columns has one tenth at its outlet."""
    drainage = drain(Grid(200.0 - DOWN, 0, ROWS * CELL, CELL, CELL, "EPSG:27700"))
    (strip,) = areas_on_ground(drainage, [rows(5, 14, 10, 20)])
    assert strip.drains == pytest.approx(0.1)


def test_areas_partly_and_wholly_beside_the_terrain():
    partly, beside = areas_on_ground(valley(), [box(-310, 0, 310, 400), box(1000, 0, 1100, 100)])
    assert partly.covered == pytest.approx(0.5)
    assert (beside.outlet, beside.longest_path, beside.covered) == (None, None, 0.0)


def test_holes_and_parts_count_as_they_are():
    holed = Polygon(rows(0, 19).exterior.coords, [rows(5, 9, 3, 8).exterior.coords])
    parts = MultiPolygon([rows(22, 23, 0, 5), rows(26, 27, 0, 5)])
    numbers = area_numbers(valley().grid, [holed, parts])
    assert np.count_nonzero(numbers == 1) == 20 * COLUMNS - 25
    assert np.count_nonzero(numbers == 2) == 20


def test_where_areas_overlap_the_first_counts():
    numbers = area_numbers(valley().grid, [rows(0, 9), rows(5, 14)])
    assert (numbers[5:10] == 1).all()
    assert (numbers[10:15] == 2).all()


def test_water_that_passes_between_areas_over_open_ground_finds_the_next_one():
    upper, lower = areas_on_ground(valley(), [rows(0, 4), rows(30, 39)])
    assert upper.downstream == 1
    assert upper.course.length == pytest.approx(35 * CELL)
    assert lower.downstream == -1
