"""Storage between contours."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.parameters import parameter, refuse_uneven
from tarnwater.routing.ponds.forms.form import StorageForm

SOURCE = "NRCS National Engineering Handbook, Part 650, Chapter 11; the volume of a frustum of a cone"

Rule = Literal["conic", "average-end"]


class Contours(StorageForm):
    """Areas of the water surface at levels.

    Between two contours the ground is a cone (the square root of the area is linear in the level), or the area itself
    is linear.
    """

    method: Literal["contours"] = "contours"
    levels: tuple[float, ...] = parameter("height", "levels of the contours", label="levels", symbol="z")
    areas: tuple[float, ...] = parameter(
        "area", "areas within the contours", label="areas", symbol="A", least=0, most=1e11, usual=(1, 1e9)
    )
    rule: Rule = "conic"

    title: ClassVar[str] = "contours"
    equation: ClassVar[str] = "ΔV = Δz (A1 + A2 + √(A1 A2)) / 3 conic, Δz (A1 + A2) / 2 by average end areas"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "the closed volumes of cone, pyramid and wedge; SciPy's integral of the area"

    @model_validator(mode="after")
    def _fits(self) -> Self:
        refuse_uneven("a storage table", ("levels", "areas"), self.levels, self.areas, self.name)
        if max(self.areas) == 0:
            raise EditRefused("all areas are zero.", where=self.name, remedy="Give the area within each contour.")
        return self

    def with_plan(self, factor: float) -> Self:
        """A copy with a factor of each area."""
        return self.model_copy(update={"areas": tuple(area * factor for area in self.areas)})

    @property
    def floor(self) -> float:
        """The lowest contour."""
        return self.levels[0]

    @property
    def top(self) -> float:
        """The highest contour."""
        return self.levels[-1]

    @property
    def bends(self) -> tuple[float, ...]:
        """Each contour."""
        return self.levels

    def area(self, levels: Floats) -> Floats:
        """Area between the contours by the rule."""
        areas, known = np.asarray(self.areas), np.asarray(self.levels)
        if self.rule == "conic":
            found: Floats = np.interp(levels, known, np.sqrt(areas)) ** 2
        else:
            found = np.interp(levels, known, areas)
        return found * self.within(levels)

    def volume(self, levels: Floats) -> Floats:
        """Volume of the slices below, and of the part of the slice at each level."""
        known, areas = np.asarray(self.levels), np.asarray(self.areas)
        whole = np.concatenate([[0.0], np.cumsum(self._slice(np.diff(known), areas[:-1], areas[1:]))])
        at = np.clip(levels, self.floor, self.top)
        below = np.clip(np.searchsorted(known, at, side="right") - 1, 0, len(known) - 2)
        found: Floats = whole[below] + self._slice(at - known[below], areas[below], self.area(at))
        return found

    def _slice(self, height: Floats, low: Floats, high: Floats) -> Floats:
        if self.rule == "conic":
            found: Floats = height * (low + high + np.sqrt(low * high)) / 3
            return found
        return height * (low + high) / 2
