"""The storage of a pond: its parts added up."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.routing.ponds.forms import StorageForm


class Storage:
    """Parts of storage that add up; at least one. Levels in m."""

    def __init__(self, parts: Sequence[StorageForm]) -> None:
        self.parts = tuple(parts)

    @cached_property
    def floor(self) -> float:
        """The lowest floor."""
        return min(part.floor for part in self.parts)

    @cached_property
    def top(self) -> float:
        """The highest top: above it water overflows."""
        return max(part.top for part in self.parts)

    @cached_property
    def bends(self) -> tuple[float, ...]:
        """Levels at which the volume is not smooth."""
        return tuple(sorted({level for part in self.parts for level in part.bends}))

    def volume(self, levels: Floats) -> Floats:
        """Water held at levels, m3."""
        found: Floats = np.sum([part.volume(levels) for part in self.parts], axis=0)
        return found

    def area(self, levels: Floats) -> Floats:
        """Surface of the water at levels, m2."""
        found: Floats = np.sum([part.area(levels) for part in self.parts], axis=0)
        return found

    def across(self, levels: Floats) -> Floats:
        """Length of the water surface at levels, m, as it is drawn: of one part its own, of several a square's."""
        if len(self.parts) == 1:
            return self.parts[0].across(levels)
        return np.sqrt(self.area(levels))

    def across_the_other_way(self, levels: Floats) -> Floats:
        """Width of the water surface at levels, m, as it is drawn."""
        if len(self.parts) == 1:
            return self.parts[0].across_the_other_way(levels)
        return np.sqrt(self.area(levels))

    @cached_property
    def gap(self) -> tuple[float, float] | None:
        """Levels between which nothing is stored, so that no level belongs to a volume; None as it should be."""
        covered = self.floor
        for part in sorted(self.parts, key=lambda one: one.floor):
            if part.floor > covered + 1e-9:
                return covered, part.floor
            covered = max(covered, part.top)
        levels = np.array(self.bends)
        flat = np.flatnonzero(np.diff(self.volume(levels)) <= 0)
        return (float(levels[flat[0]]), float(levels[flat[0] + 1])) if len(flat) else None
