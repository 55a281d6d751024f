"""Risers: they take water over their crest and from the devices inside, and let it out by one outlet."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Mapping
from typing import Annotated, ClassVar, Literal, Self

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import OneOf
from tarnwater.parameters import Setting, parameter
from tarnwater.routing.faces import LEAST_STROKE, Face, Grip, raised, round_face, widened
from tarnwater.routing.works.codes import CREST, Coded
from tarnwater.routing.works.device import GRAVITY, Device, Outlet
from tarnwater.routing.works.weir import villemonte

SOURCE = "Chow, Maidment and Mays (1988); the lesser of weir and orifice flow at the crest"


#: Least height of a shaft as it is drawn, m.
LEAST_SHAFT = 0.3


class Riser(Device):
    """An upright pipe or box, open at its crest.

    Devices that are inside it discharge into it, and all leaves by its outlet. ``plate`` is the diameter of a round
    opening in a plate over the outlet.
    """

    crest: float = parameter("height", "level of the crest", label="crest level", symbol="zc", default=1.0)
    weir_coefficient: float = parameter(
        "weir coefficient", "coefficient of the crest as a weir", label="weir coefficient", symbol="C", above=0, most=5,
        usual=(1.2, 2.3), source=SOURCE, default=1.84,
    )  # fmt: skip
    orifice_coefficient: float = parameter(
        "factor", "coefficient of the open top as an orifice", label="orifice coefficient", symbol="Co", least=0.01,
        most=1, usual=(0.5, 0.85), source=SOURCE, default=0.6,
    )  # fmt: skip
    plate: Setting[float] = parameter(
        "length", "diameter of the opening in a plate over the outlet, if there is one", label="plate opening",
        symbol="dp", above=0, most=20, usual=(0.03, 2), source="typed", default=Setting[float](),
    )  # fmt: skip
    outlet: Annotated[Outlet | None, OneOf(Outlet, "outlet", optional=True)] = None

    equation: ClassVar[str] = "inflow(h, y) = outflow(y), y the level inside; crest: min(C L H^1.5, Co A √(2 g H))"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "in- and outflow balance at the level found; crest and outlet each alone"

    def refreshed(self) -> Self:
        """A copy with its outlet derived again."""
        if self.outlet is None or (outlet := self.outlet.refreshed()) is self.outlet:
            return self
        return self.model_copy(update={"outlet": outlet})

    @property
    @abstractmethod
    def sides(self) -> float:
        """Length of its crest, m."""

    @property
    @abstractmethod
    def opening(self) -> float:
        """Area of its open top, m2."""

    @property
    def invert(self) -> float:
        """Its crest."""
        return self.crest

    @property
    def turns(self) -> float:
        """Level at which its open top becomes an orifice, m."""
        orifice = self.orifice_coefficient * self.opening * np.sqrt(2 * GRAVITY)
        return self.crest + float(orifice) / (self.weir_coefficient * self.sides)

    @property
    def bends(self) -> tuple[float, ...]:
        """Its crest, and where the orifice governs."""
        return self.crest, self.turns

    def flow(self, level: Floats, behind: Floats) -> Floats:
        """Flow over its crest at levels outside and inside (``behind``): as a weir or an orifice, whichever is less."""
        head = np.maximum(level - self.crest, 0.0)
        inside = np.maximum(behind - self.crest, 0.0)
        weir = self.weir_coefficient * self.sides * head**1.5 * villemonte(head, inside, 1.5)
        drop = np.maximum(head - inside, 0.0)
        orifice = self.orifice_coefficient * self.opening * np.sqrt(2 * GRAVITY * drop)
        found: Floats = np.minimum(weir, orifice)
        return found

    @classmethod
    def drawn(cls, low: float, width: float, height: float) -> dict[str, float]:
        """Its crest at the upper end of the stroke, and its width where it has one."""
        name = "diameter" if "diameter" in cls.model_fields else "length"
        return {"crest": low + height} | ({name: width} if width >= LEAST_STROKE else {})

    @property
    def _wide(self) -> tuple[str, float]:
        """The field of the width that is seen, and that width."""
        name = next(iter(self._widths))
        return name, self._widths[name]

    @property
    @abstractmethod
    def _widths(self) -> Mapping[str, float]:
        """Its inside widths by field, m, first the one that is seen."""

    def face(self, top: float) -> Face:
        """Its shaft from the outlet pipe to the crest, open at its top, with the pipe in it."""
        name, wide = self._wide
        inner = None if self.outlet is None else self.outlet.face(top)
        low = min(self.crest - LEAST_SHAFT, self.crest if inner is None else inner.low)
        half, crest = wide / 2, self.crest
        grips = [
            Grip("crest level", "up", (0.0, crest), raised(crest=crest)),
            Grip(name, "across", (half, 0.5 * (low + crest)), widened(name, wide)),
        ]
        parts = []
        if inner is not None:
            parts.append(inner.within("outlet"))
        if self.outlet is not None and self.plate.value is not None:
            parts.append(round_face(self.outlet.invert, self.plate.value, lambda way: {}, "plate", "plate opening"))
        outline = ((-half, crest), (-half, low), (half, low), (half, crest))
        return Face(
            outline=outline, opens=True, hollow=True, moved=raised(crest=crest), grips=tuple(grips), parts=tuple(parts)
        )

    def coded(self, behind: Floats | None, highest: float) -> Coded:
        """Its crest as a weir and as an orifice."""
        numbers = self.crest, self.weir_coefficient, self.sides, self.orifice_coefficient, self.opening
        return Coded(CREST, numbers)


class RoundRiser(Riser):
    """A round riser."""

    method: Literal["round-riser"] = "round-riser"
    diameter: float = parameter(
        "length", "inside diameter of the riser", label="riser diameter", symbol="D", above=0, most=30, usual=(0.3, 5),
        default=1.2,
    )  # fmt: skip

    title: ClassVar[str] = "round riser"

    @property
    def _widths(self) -> Mapping[str, float]:
        return {"diameter": self.diameter}

    @property
    def sides(self) -> float:
        """Its circumference."""
        return float(np.pi * self.diameter)

    @property
    def opening(self) -> float:
        """Its circle."""
        return float(np.pi / 4 * self.diameter**2)


class BoxRiser(Riser):
    """A rectangular riser."""

    method: Literal["box-riser"] = "box-riser"
    length: float = parameter(
        "length", "inside length of the box", label="box length", symbol="L", above=0, most=50, usual=(0.3, 10),
        default=1.2,
    )  # fmt: skip
    width: float = parameter(
        "length", "inside width of the box", label="box width", symbol="B", above=0, most=50, usual=(0.3, 10),
        default=1.2,
    )  # fmt: skip

    title: ClassVar[str] = "box riser"

    @property
    def _widths(self) -> Mapping[str, float]:
        return {"length": self.length, "width": self.width}

    @property
    def sides(self) -> float:
        """The sum of its sides."""
        return 2 * (self.length + self.width)

    @property
    def opening(self) -> float:
        """Its rectangle."""
        return self.length * self.width
