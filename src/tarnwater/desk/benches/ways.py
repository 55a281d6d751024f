"""Arrow keys as ways along the water."""

from __future__ import annotations

from PyQt6.QtCore import Qt

from tarnwater.study.pictures.layout import Way


def way_of(key: int) -> Way | None:
    """Up against the water, down with it, left and right to what joins beside; None for any other key."""
    ways: dict[int, Way] = {
        Qt.Key.Key_Up: "up", Qt.Key.Key_Down: "down", Qt.Key.Key_Left: "left", Qt.Key.Key_Right: "right",
    }  # fmt: skip
    return ways.get(key)
