"""Design storms and storm families."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from tarnwater import units
from tarnwater.parameters import Model, parameter
from tarnwater.rain.areal import ArealReduction
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.patterns import AlternatingBlock, Pattern


@dataclass(frozen=True, eq=False)
class Rain:
    """Rain of some cases: ``depths`` (case, step) mm, each in the ``step`` (s) that ends at its stamp."""

    depths: np.ndarray
    step: float

    def __post_init__(self) -> None:
        # whole numbers of mm must not make whole numbers of what is computed from them
        object.__setattr__(self, "depths", np.ascontiguousarray(self.depths, float))

    @cached_property
    def total(self) -> np.ndarray:
        """Depth of each case, mm, (case,)."""
        return self.depths.sum(axis=1)

    @cached_property
    def digest(self) -> bytes:
        """Digest of the depths and the step."""
        sha = hashlib.sha256(f"{self.step!r} {self.depths.shape}".encode())
        sha.update(self.depths.tobytes())
        return sha.digest()

    def of(self, cases: slice | np.ndarray) -> Rain:
        """Some of the cases."""
        return Rain(self.depths[cases], self.step)

    def at_step(self, step: float) -> Rain:
        """The same rain at a step that divides its own or is a multiple of it; depths are kept."""
        ratio = step / self.step
        if abs(ratio - 1) < 1e-9:
            return self
        cases, count = self.depths.shape
        if ratio > 1:
            size = whole(ratio)
            padded = np.pad(self.depths, ((0, 0), (0, -count % size)))
            return Rain(padded.reshape(cases, -1, size).sum(axis=2), step)
        size = whole(1 / ratio)
        return Rain(np.repeat(self.depths / size, size, axis=1), step)


def whole(ratio: float) -> int:
    """A ratio of steps as a whole number; ValueError where it is none."""
    size = round(ratio)
    if size < 1 or abs(ratio - size) > 1e-9 * ratio:
        raise ValueError(f"steps in the ratio {ratio:g} cannot be laid over each other")
    return size


@dataclass(frozen=True)
class Storm:
    """A design storm of a family: what names it, and what its rain is made for."""

    family: str
    return_period: float
    duration: float

    @property
    def title(self) -> str:
        """Return period and duration, as people say them."""
        return f"1 in {self.return_period:g} · {units.show_duration(self.duration)}"


class StormFamily(Model):
    """Design storms made together from one depth table: return periods x durations in one pattern."""

    name: str = "Design storms"
    table: str
    return_periods: tuple[float, ...] = parameter("return period", "return period", above=1, usual=(1.01, 10000))
    durations: tuple[float, ...] = parameter("time", "duration", above=0, usual=(300, 10 * 86400))
    pattern: Pattern = AlternatingBlock()
    areal: ArealReduction = ArealReduction()

    def increments(
        self, table: DepthTable, return_period: float, duration: float, *, area: float, step: float
    ) -> np.ndarray:
        """Rain (steps,) in mm of one storm, reduced for the area (m2) draining to its design point."""
        return _point_rain(self.pattern, table, duration, return_period, step) * self.areal.factor(area, duration)


@lru_cache(maxsize=4096)
def _point_rain(pattern: Pattern, table: DepthTable, duration: float, return_period: float, step: float) -> np.ndarray:
    """Rain at a point, kept: every edit of the land asks for the same storms again."""
    return pattern.increments(table, duration, return_period, step)
