"""Many lines as one path: points in their places, each line begun for itself."""

import numpy as np
from PyQt6.QtGui import QPainterPath

from tarnwater.desk.widgets.joined import joined_path


def test_lines_are_joined_within_and_apart_from_each_other(qtbot):
    points = np.array([[0.0, 1.0], [2.5, -3.0], [4.0, 4.0], [10.0, 0.25], [11.0, 0.5]])
    path = joined_path(points, np.array([0, 0, 0, 1, 1]))
    made = [(e.x, e.y, e.type) for e in map(path.elementAt, range(path.elementCount()))]
    begins, goes_on = QPainterPath.ElementType.MoveToElement, QPainterPath.ElementType.LineToElement
    assert [(x, y) for x, y, _ in made] == [tuple(point) for point in points]
    assert [kind for *_, kind in made] == [begins, goes_on, goes_on, begins, goes_on]


def test_no_points_make_an_empty_path(qtbot):
    assert joined_path(np.empty((0, 2)), np.empty(0, int)).isEmpty()
