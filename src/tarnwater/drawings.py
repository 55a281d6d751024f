"""Drawings to scale as data: the desk paints them, and files are written of the same shapes.

Places are (across, up) in m, both to one scale. Colours are given by role, as in plots.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from tarnwater.plots import Role, Style

Place = tuple[float, float]

#: Where words lie by their place.
Side = Literal["right", "left", "middle"]


@dataclass(frozen=True)
class Outline:
    """Straight lines through places, ``closed`` and filled with an opacity or open."""

    places: tuple[Place, ...]
    role: Role = "ink"
    closed: bool = False
    filled: float = 0.0
    style: Style = "solid"
    width: float = 1.2


@dataclass(frozen=True)
class Circle:
    """A circle."""

    centre: Place
    radius: float
    role: Role = "ink"
    filled: float = 0.0
    style: Style = "solid"
    width: float = 1.2


@dataclass(frozen=True)
class Note:
    """Words beside a place: they begin, end or have their middle there, on the line through it or above it."""

    at: Place
    text: str
    role: Role = "ink"
    side: Side = "right"
    above: bool = False
    bold: bool = False


@dataclass(frozen=True)
class Measure:
    """A dimension between two places, with its figure."""

    start: Place
    end: Place
    text: str


Shape = Outline | Circle | Note | Measure


@dataclass(frozen=True)
class Drawing:
    """Shapes within bounds (left, low, right, high) in m, under a title; ``told`` says how it is to be read."""

    title: str
    told: str
    bounds: tuple[float, float, float, float]
    shapes: tuple[Shape, ...]

    @property
    def width(self) -> float:
        """Its width, m."""
        return self.bounds[2] - self.bounds[0]

    @property
    def height(self) -> float:
        """Its height, m."""
        return self.bounds[3] - self.bounds[1]
