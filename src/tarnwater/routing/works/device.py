"""The contract of a device: what lets water out of a pond."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from typing import ClassVar, Self

from tarnwater.arrays import Floats
from tarnwater.methods import Doubtful, Method
from tarnwater.parameters import option
from tarnwater.routing.faces import Face
from tarnwater.routing.works.codes import Coded

#: A device lets water through, or it is shut off.
STATES = ("open", "closed")

#: Acceleration of gravity, m/s2.
GRAVITY = 9.81


class Device(Method):
    """One outlet of a pond.

    A device ``inside`` a riser, by its name, discharges into it; the others leave for the element ``leads_to``, by its
    key, or for the only one below the pond. One whose ``state`` is closed lets nothing through. Flow out of the pond
    only: a higher level behind the device gives none.
    """

    kind: ClassVar[str] = "device"

    name: str = option("name of the device", label="name")
    inside: str = option("name of the riser that it discharges into", label="inside the riser")
    leads_to: str = option("key of the element that it leads to", label="leads to")
    state: str = option("whether it lets water through", lambda: STATES, label="state", default="open")

    #: Whether what it lets through leaves to the ground instead of downstream.
    to_ground: ClassVar[bool] = False

    @property
    def closed(self) -> bool:
        """Whether it lets nothing through."""
        return self.state == "closed"

    def refreshed(self) -> Self:
        """A copy with its values derived again; itself by default."""
        return self

    @property
    @abstractmethod
    def invert(self) -> float:
        """The lowest level at which it can let water through, m."""

    @abstractmethod
    def flow(self, level: Floats, behind: Floats) -> Floats:
        """Flow (m3/s) at levels before and behind it (m), arrays of one shape."""

    def coded(self, behind: Floats | None, highest: float) -> Coded | None:
        """It as numbers for the compiled loop, up to a level (m); None if it has none, and its `flow` is asked instead.

        ``behind`` are the levels behind it (m), None where it may be any.
        """
        return None

    def steady(self, highest: float) -> Callable[[Floats, Floats], Floats]:
        """Its flow up to a level (m) as one function, whatever levels are asked together."""
        return self.flow

    @property
    def bends(self) -> tuple[float, ...]:
        """Levels at which its flow is not smooth, m."""
        return (self.invert,)

    @property
    def sign(self) -> str:
        """Its name, or its title."""
        return self.name or self.title

    @classmethod
    def drawn(cls, low: float, width: float, height: float) -> dict[str, float]:
        """Its sizes and levels where it is drawn by hand: from a level up, m; none where it has no shape, by default.

        A stroke without a size leaves the usual sizes.
        """
        return {}

    def face(self, top: float) -> Face | None:
        """How it looks from a pond with a top (m), to scale; None where it has neither size nor level, by default."""
        return None

    def doubts(self, floor: float, top: float) -> list[Doubtful]:
        """Its doubts about itself in a pond between two levels (m); nothing by default."""
        return []


class Outlet(Device):
    """A device that may also be the outlet of a riser: an opening or a pipe."""
