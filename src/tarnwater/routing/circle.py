"""The circle of pipes, openings and chambers, filled to a depth."""

from __future__ import annotations

import numpy as np

from tarnwater.arrays import Floats


def half_angle(depth: Floats, diameter: float) -> Floats:
    """Half the angle (rad) of the wetted arc at depths (m): 0 where it is empty, π where it is full."""
    found: Floats = np.arccos(np.clip(1 - 2 * np.asarray(depth) / diameter, -1.0, 1.0))
    return found


def segment(depth: Floats, diameter: float) -> Floats:
    """Wetted area at depths (m), m2."""
    half = half_angle(depth, diameter)
    found: Floats = diameter**2 / 4 * (half - np.sin(half) * np.cos(half))
    return found


def chord(depth: Floats, diameter: float) -> Floats:
    """Width of the water at depths (m), m."""
    y = np.clip(depth, 0.0, diameter)
    found: Floats = 2 * np.sqrt(y * (diameter - y))
    return found
