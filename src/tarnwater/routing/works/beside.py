"""Outlets by a table, to the ground, and by a pump."""

from __future__ import annotations

from itertools import pairwise
from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.parameters import parameter, refuse_uneven
from tarnwater.routing.faces import Face, Grip, raised
from tarnwater.routing.works.codes import PUMPING, SOAKING, TABLE, Coded
from tarnwater.routing.works.device import Device
from tarnwater.units import Quantity


class TypedRating(Device):
    """Flow by a typed table of levels, linear between them; above the last level it stays."""

    method: Literal["typed-rating"] = "typed-rating"
    levels: tuple[float, ...] = parameter("height", "levels of the rating", label="levels", symbol="z")
    flows: tuple[float, ...] = parameter(
        "flow", "flows at the levels", label="flows", symbol="Q", least=0, most=1e6, usual=(0, 1e4)
    )

    title: ClassVar[str] = "typed rating"
    equation: ClassVar[str] = "Q linear between the entries, nothing where the water behind is as high"
    source: ClassVar[str] = "typed or measured"
    verified: ClassVar[str] = "its entries"

    @model_validator(mode="after")
    def _fits(self) -> Self:
        refuse_uneven("a rating", ("levels", "flows"), self.levels, self.flows, self.name)
        for (low, less), (high, more) in pairwise(zip(self.levels, self.flows, strict=True)):
            if more < less:
                raise EditRefused(
                    "the rating falls with stage: {} at {}, {} at {}.",
                    values=[
                        Quantity(value, kind)
                        for value, kind in ((less, "flow"), (low, "height"), (more, "flow"), (high, "height"))
                    ],
                    where=self.name,
                    remedy="Correct the table: a higher level lets no less through.",
                )
        return self

    @property
    def invert(self) -> float:
        """The last level without flow, or the first of the table."""
        dry = [level for level, flow in zip(self.levels, self.flows, strict=True) if flow == 0]
        return dry[-1] if dry else self.levels[0]

    @property
    def bends(self) -> tuple[float, ...]:
        """Each entry."""
        return self.levels

    def flow(self, level: Floats, behind: Floats) -> Floats:
        """The table, where the level is above that behind."""
        return np.interp(level, self.levels, self.flows, left=0.0) * (level > behind)

    def face(self, top: float) -> Face:
        """Its lowest level: a rating has no shape."""
        return Face(marks=((self.levels[0], "from"),))

    def coded(self, behind: Floats | None, highest: float) -> Coded:
        """Its table."""
        return Coded(TABLE, (0.0, float(len(self.levels))), np.concatenate([self.levels, self.flows]))


class Infiltration(Device):
    """Water that soaks into floor and sides, at a rate over the area of the water surface."""

    method: Literal["infiltration"] = "infiltration"
    bottom: float = parameter(
        "height", "level above which it soaks away", label="floor level", symbol="z0", default=0.0
    )
    rate: float = parameter(
        "rain rate", "rate of infiltration", label="infiltration rate", symbol="f", least=0, most=1e5,
        usual=(0.1, 1000),
        default=10.0,
    )  # fmt: skip
    wetted_area: float = parameter(
        "area", "area through which it soaks away", label="wetted area", symbol="A", above=0, most=1e9, usual=(1, 1e6),
        default=1000.0,
    )  # fmt: skip

    title: ClassVar[str] = "infiltration"
    equation: ClassVar[str] = "Q = f A above its floor, over the first centimetre in proportion"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "a prism that it drains, in closed form; its volume is booked as lost"
    to_ground: ClassVar[bool] = True

    #: Depth over which it begins, m: a film of water covers the floor by and by.
    FILM: ClassVar[float] = 0.01

    @property
    def invert(self) -> float:
        """Its floor."""
        return self.bottom

    @property
    def bends(self) -> tuple[float, ...]:
        """Its floor, and where it has begun."""
        return self.bottom, self.bottom + self.FILM

    def flow(self, level: Floats, behind: Floats) -> Floats:
        """The rate over the area; the water behind does not matter to the ground."""
        begun = np.clip((level - self.bottom) / self.FILM, 0.0, 1.0)
        return self._most * begun

    @property
    def _most(self) -> float:
        """The rate over the whole area, m3/s."""
        return self.rate / 3.6e6 * self.wetted_area

    def face(self, top: float) -> Face:
        """Its lowest level."""
        grip = Grip("level", "up", (0.0, self.bottom), raised(bottom=self.bottom))
        return Face(marks=((self.bottom, "from"),), moved=raised(bottom=self.bottom), grips=(grip,))

    def coded(self, behind: Floats | None, highest: float) -> Coded:
        """Its floor, flow and film."""
        return Coded(SOAKING, (self.bottom, self._most, self.FILM))


class Pump(Device):
    """A pump that starts at one level and stops at a lower one."""

    method: Literal["pump"] = "pump"
    starts: float = parameter("height", "level at which it starts", label="start level", symbol="z1", default=1.0)
    stops: float = parameter("height", "level at which it stops", label="stop level", symbol="z2", default=0.2)
    capacity: float = parameter(
        "flow", "flow while it runs", label="capacity", symbol="Qp", least=0, most=1e4, usual=(0.001, 100), default=0.05
    )

    title: ClassVar[str] = "pump"
    equation: ClassVar[str] = "Q = Qp from the level at which it starts until that at which it stops"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "the times between starts and stops of a prism, in closed form"

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.stops >= self.starts:
            raise EditRefused(
                "the pump would stop at or above the level at which it starts.",
                where=self.name,
                remedy="Type a stop level below the start level.",
            )
        return self

    @property
    def invert(self) -> float:
        """The level at which it stops."""
        return self.stops

    @property
    def bends(self) -> tuple[float, ...]:
        """Its two levels."""
        return self.stops, self.starts

    def flow(self, level: Floats, behind: Floats) -> Floats:
        """Its capacity, while it runs, down to the level at which it stops."""
        found: Floats = np.where(level >= self.stops, self.capacity, 0.0)
        return found

    def face(self, top: float) -> Face:
        """The levels at which it starts and stops."""
        grips = (
            Grip("start level", "up", (0.0, self.starts), raised(starts=self.starts)),
            Grip("stop level", "up", (0.0, self.stops), raised(stops=self.stops)),
        )
        moved = raised(starts=self.starts, stops=self.stops)
        return Face(marks=((self.starts, "starts"), (self.stops, "stops")), moved=moved, grips=grips)

    def coded(self, behind: Floats | None, highest: float) -> Coded:
        """Stop level and capacity."""
        return Coded(PUMPING, (self.stops, self.capacity))
