"""Storage in buried chambers in stone."""

from __future__ import annotations

import math
from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.parameters import parameter
from tarnwater.routing.circle import chord, segment
from tarnwater.routing.faces import Grip
from tarnwater.routing.ponds.forms.form import StorageForm, pit_grips


class Chambers(StorageForm):
    """Pipes of one size laid level in a bed of stone, of which water fills the pipes and the voids of the stone."""

    method: Literal["chambers"] = "chambers"
    bottom: float = parameter("height", "level of the bed's underside", label="floor level", symbol="z0", default=0.0)
    depth: float = parameter(
        "length", "depth of the bed", label="depth of the bed", symbol="H", above=0, most=50, usual=(0.3, 5),
        default=1.5,
    )  # fmt: skip
    bed_area: float = parameter(
        "area", "plan area of the bed", label="plan area", symbol="A", above=0, most=1e7, usual=(1, 1e5), default=200.0
    )
    void_ratio: float = parameter(
        "share", "voids of the stone", label="void ratio", symbol="p", above=0, most=1, usual=(0.25, 0.45), default=0.4
    )
    diameter: float = parameter(
        "length", "inside diameter of the pipes", label="pipe diameter", symbol="D", above=0, most=20, usual=(0.2, 4),
        default=0.9,
    )  # fmt: skip
    pipe_length: float = parameter(
        "length", "length of all pipes together", label="length of pipes", symbol="L", above=0, most=1e6,
        usual=(1, 1e4), default=100.0,
    )  # fmt: skip
    bedding: float = parameter(
        "length", "stone below the pipes", label="bedding", symbol="b", least=0, most=20, usual=(0, 1), default=0.2
    )

    title: ClassVar[str] = "chambers in stone"
    equation: ClassVar[str] = "V = p A y + (1 − p) L a(y − b), a the wetted segment of the pipe"
    source: ClassVar[str] = "definition: the segment of a circle"
    verified: ClassVar[str] = "SciPy's integral of the width of the pipes; the full volumes of pipes and stone"

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.bedding + self.diameter > self.depth * (1 + 1e-9):
            raise EditRefused(
                "the pipes rise above the bed.", where=self.name, remedy="Lower the bedding, or deepen the bed."
            )
        if self.pipe_length * self.diameter > self.bed_area * (1 + 1e-9):
            raise EditRefused(
                "the pipes cover more than the bed.", where=self.name, remedy="Shorten the pipes, or widen the bed."
            )
        return self

    def across(self, levels: Floats) -> Floats:
        """The side of a square of its plan."""
        return math.sqrt(self.bed_area) * self.within(levels)

    def grips(self) -> tuple[Grip, ...]:
        """Floor, top and plan area."""
        side = math.sqrt(self.bed_area)
        wider = Grip(
            "plan area", "across", (side / 2, self.bottom), lambda way: {"bed_area": max(side + 2 * way, 0.0) ** 2}
        )
        return *pit_grips(self.bottom, self.depth, side / 2, side / 2), wider

    @property
    def floor(self) -> float:
        """The underside of the bed."""
        return self.bottom

    @property
    def top(self) -> float:
        """The upper side of the bed."""
        return self.bottom + self.depth

    @property
    def bends(self) -> tuple[float, ...]:
        """Bed and pipes."""
        pipe = self.bottom + self.bedding
        return self.floor, pipe, pipe + self.diameter, self.top

    def area(self, levels: Floats) -> Floats:
        """Voids of the stone, and the width of the pipes in place of stone."""
        y = np.clip(self.heights(levels) - self.bedding, 0.0, self.diameter)
        width = chord(y, self.diameter)
        return (self.void_ratio * self.bed_area + (1 - self.void_ratio) * self.pipe_length * width) * self.within(
            levels
        )

    def volume(self, levels: Floats) -> Floats:
        """Water in voids and pipes."""
        depth = self.heights(levels)
        pipes = self.pipe_length * segment(np.clip(depth - self.bedding, 0.0, self.diameter), self.diameter)
        found: Floats = self.void_ratio * self.bed_area * depth + (1 - self.void_ratio) * pipes
        return found
