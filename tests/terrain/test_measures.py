"""Measures of catchments on ground for which they are known."""

import numpy as np
import pytest

from tarnwater.terrain.areas import areas_on_ground
from tarnwater.terrain.catchments import delineate
from tarnwater.terrain.drainage import drain
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.measures import Profile, centroid_length, measure, stream_lengths
from tarnwater.terrain.outlets import Snapped

CELL, ROWS, COLUMNS, MIDDLE = 10.0, 40, 31, 15
DOWN, ACROSS = np.indices((ROWS, COLUMNS))


def valley(dx=CELL, dy=CELL):
    """It falls south along its middle column, 1 m a cell, with sides of 3 m a cell."""
    return drain(Grid(200.0 - DOWN + 3.0 * np.abs(ACROSS - MIDDLE), 0, ROWS * dy, dx, dy, "EPSG:27700"))


def at(drainage, row, column):
    place = drainage.grid.centre(row, column)
    area = float(drainage.upstream[row, column] * drainage.grid.cell_area)
    return Snapped(place, place, row, column, 0.0, area, area)


def test_perimeter_and_relief_of_a_whole_valley():
    (found,) = measure(delineate(valley(), [at(valley(), ROWS - 1, MIDDLE)]))
    assert found.counts.perimeter == 2 * (ROWS + COLUMNS) * CELL
    assert found.counts.relief == pytest.approx(39 + 3 * 15)
    assert found.counts.drainage_density is None


def test_measures_with_oblong_cells_are_in_metres():
    drainage = valley(dx=20.0, dy=5.0)
    (found,) = measure(delineate(drainage, [at(drainage, ROWS - 1, MIDDLE)]))
    assert found.counts.perimeter == 2 * (ROWS * 5.0 + COLUMNS * 20.0)


def test_the_stream_of_a_valley_runs_from_the_threshold_to_the_outlet():
    """31 cells drain into each row of the stream: with a threshold of 310 cells it begins in row 9."""
    drainage = valley()
    (found,) = measure(delineate(drainage, [at(drainage, ROWS - 1, MIDDLE)]), 310 * CELL**2)
    length = (ROWS - 1 - 9) * CELL
    assert found.counts.drainage_density == pytest.approx(length / (ROWS * COLUMNS * CELL**2), rel=1e-12)


def test_streams_of_nested_catchments_add_up_but_for_the_steps_between_them():
    drainage = valley()
    both = delineate(drainage, [at(drainage, ROWS - 1, MIDDLE), at(drainage, 19, MIDDLE)])
    lower, upper = stream_lengths(drainage, both.labels, 2, 310 * CELL**2)
    assert (upper, lower) == ((19 - 9) * CELL, (ROWS - 1 - 20) * CELL)


def test_the_centroid_length_ends_beside_the_middle():
    """The middle of 40 rows lies between rows 19 and 20: the lower one counts, 19 steps above row 39."""
    drainage = valley()
    (found,) = measure(delineate(drainage, [at(drainage, ROWS - 1, MIDDLE)]))
    assert found.centroid_length == pytest.approx(19 * CELL)


def test_a_centroid_beside_a_bend_takes_the_nearest_place():
    line = np.array([[0.0, 100.0], [0.0, 50.0], [0.0, 0.0], [40.0, 0.0]])
    path = Profile(np.array([140.0, 90.0, 40.0, 0.0]), np.zeros(4), np.zeros(4), line)
    assert centroid_length(path, 3.0, 45.0) == 90.0
    assert centroid_length(path, 20.0, -20.0) == 0.0


def test_an_area_has_the_measures_of_the_catchment_it_is():
    drainage = valley()
    (meant,) = measure(delineate(drainage, [at(drainage, ROWS - 1, MIDDLE)]), 310 * CELL**2)
    from shapely.geometry import box

    (found,) = areas_on_ground(drainage, [box(0, 0, COLUMNS * CELL, ROWS * CELL)], threshold=310 * CELL**2)
    assert found.counts.relief == pytest.approx(meant.counts.relief)
    assert found.centroid_length == pytest.approx(meant.centroid_length)
    assert found.counts.drainage_density == pytest.approx(meant.counts.drainage_density, rel=1e-12)
