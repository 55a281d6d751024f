"""The contract of a storage form."""

from __future__ import annotations

from abc import abstractmethod
from typing import ClassVar, Self

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Method
from tarnwater.parameters import option
from tarnwater.routing.faces import Grip


class StorageForm(Method):
    """One part of the storage of a pond.

    Below its ``floor`` it holds nothing, above its ``top`` no more than there. Levels in m.
    """

    kind: ClassVar[str] = "storage form"

    name: str = option("name of the part", label="name")

    @property
    @abstractmethod
    def floor(self) -> float:
        """Level below which it holds nothing, m."""

    @property
    @abstractmethod
    def top(self) -> float:
        """Level above which it holds no more, m."""

    @abstractmethod
    def volume(self, levels: Floats) -> Floats:
        """Water that it holds at levels (m), m3, of the same shape."""

    @abstractmethod
    def area(self, levels: Floats) -> Floats:
        """Surface of its water at levels (m), m2, of the same shape; zero outside its heights."""

    def with_plan(self, factor: float) -> Self | None:
        """A copy whose areas are a factor of its own at every level, or nearly so; None for a form without a plan."""
        return None

    def across(self, levels: Floats) -> Floats:
        """Length of its water surface at levels (m), m, as it is drawn: by default the side of a square of its area."""
        return np.sqrt(self.area(levels))

    def across_the_other_way(self, levels: Floats) -> Floats:
        """Width of its water surface at levels (m), m, at right angles to its length: by default the same."""
        return self.across(levels)

    def grips(self) -> tuple[Grip, ...]:
        """The points by which its floor, top and sides are changed by hand; none by default, as of a table."""
        return ()

    @property
    def bends(self) -> tuple[float, ...]:
        """Levels at which its volume is not smooth, m."""
        return self.floor, self.top

    def heights(self, levels: Floats) -> Floats:
        """Depth of its water at levels, m: at most its own."""
        return np.clip(levels, self.floor, self.top) - self.floor

    def within(self, levels: Floats) -> Floats:
        """1 at levels between floor and top, 0 elsewhere."""
        return ((levels >= self.floor) & (levels <= self.top)).astype(float)


def pit_grips(bottom: float, depth: float, half: float, wider: float) -> tuple[Grip, Grip]:
    """Grips of a floor, whose top stays where it is, and of a top, half as wide as given (m)."""

    def deeper(way: float) -> dict[str, float]:
        return {"bottom": bottom + way, "depth": max(depth - way, 0.0)}

    return (
        Grip("floor level", "up", (-0.5 * half, bottom), deeper),
        Grip("top level", "up", (-wider, bottom + depth), lambda way: {"depth": max(depth + way, 0.0)}),
    )
