"""The cells of a line: a wall without gaps, a course without cells of the bank."""

import numpy as np
import pytest

from tarnwater.terrain.cells import cells_along, course_along
from tarnwater.terrain.grid import Grid

GRID = Grid(np.zeros((8, 8), np.float32), 0, 80, 10, 10, "EPSG:27700")


def cells(found):
    rows, columns, _ = found
    return list(zip(rows.tolist(), columns.tolist(), strict=True))


def test_a_diagonal_wall_shares_edges_and_a_diagonal_course_only_corners():
    line = np.array([[5.0, 75.0], [35.0, 45.0]])
    assert cells(cells_along(GRID, line)) == [(0, 0), (1, 0), (1, 1), (2, 1), (2, 2), (3, 2), (3, 3)]
    assert cells(course_along(GRID, line)) == [(0, 0), (1, 1), (2, 2), (3, 3)]


def test_a_course_keeps_the_cell_in_which_it_bends():
    line = np.array([[5.0, 75.0], [25.0, 75.0], [25.0, 55.0]])
    assert cells(course_along(GRID, line)) == [(0, 0), (0, 1), (0, 2), (1, 2), (2, 2)]


def test_a_course_in_both_directions_takes_the_same_cells_of_a_stepped_line():
    line = np.array([[5.0, 75.0], [15.0, 65.0], [35.0, 65.0], [45.0, 55.0], [45.0, 15.0]])
    there = cells(course_along(GRID, line))
    assert there == [(0, 0), (1, 1), (1, 2), (1, 3), (2, 4), (3, 4), (4, 4), (5, 4), (6, 4)]
    assert cells(course_along(GRID, line[::-1])) == there[::-1]


def test_the_distance_along_is_that_of_the_middle_of_each_cell():
    line = np.array([[0.0, 75.0], [40.0, 75.0]])
    assert course_along(GRID, line)[2] == pytest.approx([5, 15, 25, 35], abs=1e-12)


def test_a_line_outside_has_no_cells():
    line = np.array([[500.0, 500.0], [600.0, 500.0]])
    assert cells(cells_along(GRID, line)) == cells(course_along(GRID, line)) == []


def test_a_line_from_far_away_costs_no_more_and_has_the_same_cells():
    near = np.array([[-20.0, 35.0], [100.0, 35.0]])
    far = np.array([[-1e15, 35.0], [1e15, 35.0]])
    assert cells(cells_along(GRID, far)) == cells(cells_along(GRID, near)) == [(4, c) for c in range(8)]


def test_a_line_that_leaves_the_grid_and_comes_back_crosses_nothing_between():
    line = np.array([[55.0, 75.0], [55.0, 200.0], [-200.0, 200.0], [-200.0, 5.0], [15.0, 5.0]])
    assert cells(cells_along(GRID, line)) == [(0, 5), (7, 0), (7, 1)]


def test_distances_count_from_the_beginning_of_the_line_also_where_it_lies_outside():
    line = np.array([[-100.0, 75.0], [20.0, 75.0]])
    assert cells_along(GRID, line)[2] == pytest.approx([105.0, 115.0])
