"""Arrow keys as directions along the flow."""

from __future__ import annotations

from PyQt6.QtCore import Qt

from tarnwater.study.pictures.layout import Way


def way_of(key: int) -> Way | None:
    """Direction of an arrow key: up against the flow, down with it, left and right to what joins beside.

    None for other keys.
    """
    ways: dict[int, Way] = {
        Qt.Key.Key_Up: "up", Qt.Key.Key_Down: "down", Qt.Key.Key_Left: "left", Qt.Key.Key_Right: "right",
    }  # fmt: skip
    return ways.get(key)
