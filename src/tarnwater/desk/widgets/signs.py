"""Signs of elements, the same on the map and in the tree."""

from __future__ import annotations

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPolygonF

#: A valley cut across: a catchment without a shape of its own.
VALLEY = ((-11.0, -9.0), (-5.0, -7.0), (0.0, 1.0), (5.0, -7.0), (11.0, -9.0), (11.0, 9.0), (-11.0, 9.0))


def valley(middle: QPointF) -> QPolygonF:
    """The sign of a catchment that has no outline, about its middle."""
    return QPolygonF([middle + QPointF(x, y) for x, y in VALLEY])
