"""Storage with upright sides."""

from __future__ import annotations

import math
from typing import ClassVar, Literal, Self

from tarnwater.arrays import Floats
from tarnwater.parameters import parameter
from tarnwater.routing.faces import Grip
from tarnwater.routing.ponds.forms.form import StorageForm, pit_grips


class Prism(StorageForm):
    """A tank of one plan area; its voids take a share of it, 1 where it is open."""

    method: Literal["prism"] = "prism"
    bottom: float = parameter("height", "level of the floor", label="floor level", symbol="z0", default=0.0)
    depth: float = parameter(
        "length", "depth from floor to top", label="depth", symbol="H", above=0, most=500, usual=(0.2, 20), default=2.0
    )
    plan_area: float = parameter(
        "area", "plan area", label="plan area", symbol="A", above=0, most=1e11, usual=(1, 1e7), default=1000.0
    )
    void_ratio: float = parameter(
        "share", "share of it that water can fill", label="void ratio", symbol="p", above=0, most=1, default=1.0
    )

    title: ClassVar[str] = "prism"
    equation: ClassVar[str] = "V = p A y, y the depth"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "its closed volume; a prism that drains through an orifice, in closed form"

    def with_plan(self, factor: float) -> Self:
        """A copy on a factor of its plan area."""
        return self.model_copy(update={"plan_area": self.plan_area * factor})

    def across(self, levels: Floats) -> Floats:
        """The side of a square of its plan."""
        return math.sqrt(self.plan_area) * self.within(levels)

    def grips(self) -> tuple[Grip, ...]:
        """Floor, top and plan area."""
        side = math.sqrt(self.plan_area)
        wider = Grip(
            "plan area", "across", (side / 2, self.bottom), lambda way: {"plan_area": max(side + 2 * way, 0.0) ** 2}
        )
        return *pit_grips(self.bottom, self.depth, side / 2, side / 2), wider

    @property
    def floor(self) -> float:
        """Its floor."""
        return self.bottom

    @property
    def top(self) -> float:
        """Its upper edge."""
        return self.bottom + self.depth

    def area(self, levels: Floats) -> Floats:
        """Plan area of its voids."""
        return self.void_ratio * self.plan_area * self.within(levels)

    def volume(self, levels: Floats) -> Floats:
        """Void area times depth."""
        return self.void_ratio * self.plan_area * self.heights(levels)
