"""Many lines as one path to draw."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QByteArray, QDataStream
from PyQt6.QtGui import QPainterPath

from tarnwater.arrays import Floats, Integers

#: A point of a path as Qt writes one: 0 begins a line, 1 goes on with it.
_POINT = np.dtype([("joined", ">i4"), ("x", ">f8"), ("y", ">f8")])


def joined_path(points: Floats, line: Integers) -> QPainterPath:
    """A path through points (point, 2), each joined to the one before it on the same ``line`` (point,).

    Qt reads it from bytes, as it documents for `QDataStream`: point by point from Python takes twenty times as long.
    """
    written = np.zeros(len(points), _POINT)
    written["x"], written["y"] = points[:, 0], points[:, 1]
    written["joined"][1:] = line[1:] == line[:-1]
    count, ends = np.array([len(points)], ">i4"), np.zeros(2, ">i4")
    path = QPainterPath()
    if len(points):
        QDataStream(QByteArray(count.tobytes() + written.tobytes() + ends.tobytes())) >> path  # type: ignore[operator]
    return path
