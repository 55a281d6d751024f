"""Sizes in which openings and pipes are made, in millimetres or in inches."""

from __future__ import annotations

from tarnwater.units import System

INCH = 0.0254


def _inches(*sizes: float) -> tuple[float, ...]:
    return tuple(size * INCH for size in sizes)


#: Diameters of openings, m.
MADE_OPENINGS = (
    0.05, 0.075, 0.1, 0.125, 0.15, 0.175, 0.2, 0.225, 0.25, 0.3, 0.35, 0.4, 0.45, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0, 1.2,
    1.5, 1.8,
)  # fmt: skip

#: Heights and diameters of pipes and boxes, m.
MADE_PIPES = (0.15, 0.225, 0.3, 0.375, 0.45, 0.525, 0.6, 0.75, 0.9, 1.05, 1.2, 1.35, 1.5, 1.65, 1.8, 2.1, 2.4, 2.7, 3.0)

#: The same where sizes are in inches, m.
OPENINGS_IN_INCHES = _inches(2, 3, 4, 5, 6, 7, 8, 9, 10, 12, 14, 16, 18, 20, 24, 27, 30, 36, 42, 48, 60, 72)
PIPES_IN_INCHES = _inches(6, 8, 10, 12, 15, 18, 21, 24, 27, 30, 36, 42, 48, 54, 60, 66, 72, 84, 96, 108, 120)


def made_openings(system: System) -> tuple[float, ...]:
    """Diameters (m) of openings that are made, in round millimetres or inches."""
    return MADE_OPENINGS if system == "SI" else OPENINGS_IN_INCHES


def made_pipes(system: System) -> tuple[float, ...]:
    """Heights and diameters (m) of pipes and boxes that are made, in round millimetres or inches."""
    return MADE_PIPES if system == "SI" else PIPES_IN_INCHES
