"""Zones of the storage of a pond, one on the other, each with the times in which it shall drain."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, ClassVar, Literal

import numpy as np

from tarnwater.methods import Method, OneOf
from tarnwater.parameters import Setting, option, parameter
from tarnwater.routing.ponds.rating import Rating

#: Share of the water of a zone that may be left when it counts as drained, where nothing lies below it.
LEFT = 0.01


class Zone(Method):
    """A zone of the storage of a pond, upon the one before it, from the floor up.

    It shall drain no sooner than ``drains_after`` and no later than ``drains_within``, s, where these are given.
    """

    kind: ClassVar[str] = "zone"

    name: str = option("name of the zone", label="name")
    drains_after: Setting[float] = parameter(
        "time", "least time in which it shall drain", label="drains no sooner than", symbol="t1", least=0, most=1e8,
        source="typed", default=Setting[float](),
    )  # fmt: skip
    drains_within: Setting[float] = parameter(
        "time", "greatest time in which it shall drain", label="drains within", symbol="t2", above=0, most=1e8,
        source="typed", default=Setting[float](),
    )  # fmt: skip

    source: ClassVar[str] = "definition; the drain time is that of the rating, slice by slice"
    verified: ClassVar[str] = "its volume read back from the storage; a linear reservoir's logarithm"

    @abstractmethod
    def top(self, rating: Rating, bottom: float) -> float:
        """Its top (m) above a level (m) at which it begins; at most that of the pond."""


class ZoneByVolume(Zone):
    """A zone of a volume; it may be none."""

    method: Literal["zone-by-volume"] = "zone-by-volume"
    volume: float = parameter(
        "volume", "water that it holds", label="volume", symbol="V", least=0, most=1e12, default=100.0
    )

    title: ClassVar[str] = "zone by volume"
    equation: ClassVar[str] = "S(z2) = S(z1) + V"

    def top(self, rating: Rating, bottom: float) -> float:
        """The level at which as much more is stored."""
        held = float(np.interp(bottom, rating.levels, rating.storages))
        return float(np.interp(held + self.volume, rating.storages, rating.levels))


class ZoneByDepth(Zone):
    """A zone of a depth; it may be none."""

    method: Literal["zone-by-depth"] = "zone-by-depth"
    depth: float = parameter("length", "its depth", label="depth", symbol="y", least=0, most=500, default=0.5)

    title: ClassVar[str] = "zone by depth"
    equation: ClassVar[str] = "z2 = z1 + y"

    def top(self, rating: Rating, bottom: float) -> float:
        """As much higher."""
        return min(bottom + self.depth, float(rating.levels[-1]))


AnyZone = Annotated[Zone, OneOf(Zone)]


@dataclass(frozen=True)
class DrainedZone:
    """A zone with its levels (m), the water that it holds (m3), and the time in which it drains (s)."""

    zone: Zone
    bottom: float
    top: float
    volume: float
    time: float

    @property
    def short(self) -> float:
        """By how much it drains too soon, s; zero or less where it does not."""
        least = self.zone.drains_after.value
        return -np.inf if least is None else least - self.time

    @property
    def late(self) -> float:
        """By how much it drains too late, s; zero or less where it does not."""
        most = self.zone.drains_within.value
        return -np.inf if most is None else self.time - most

    @property
    def keeps(self) -> bool:
        """Whether it drains within its bounds."""
        return self.short <= 0 and self.late <= 0


def drained_zones(rating: Rating, zones: Sequence[Zone]) -> list[DrainedZone]:
    """Zones from the floor up, each with the time from its top to its bottom without inflow.

    The lowest one, and one that begins where nothing can leave, would never be empty; it counts as drained when one
    per cent of its water is left.
    """
    found: list[DrainedZone] = []
    bottom = float(rating.levels[0])
    for zone in zones:
        top = zone.top(rating, bottom)
        low, high = (float(np.interp(z, rating.levels, rating.storages)) for z in (bottom, top))
        left = float(np.interp(low + LEFT * (high - low), rating.storages, rating.levels))
        end = bottom if found else left
        time = rating.drawdown(top, end)
        if np.isinf(time):
            time = rating.drawdown(top, left)
        found.append(DrainedZone(zone, bottom, top, high - low, time if high > low else 0.0))
        bottom = top
    return found
