"""The unit hydrograph of the travel times over the ground."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.methods import Asked, Derivation, Doubtful, Missing
from tarnwater.parameters import Setting, parameter, refuse_uneven
from tarnwater.runoff.transforms.clark import left_by
from tarnwater.runoff.transforms.instantaneous import LEFT_OUT, InstantaneousTransform

SOURCE = "Maidment, Olivera, Calver, Eatherall and Fraczek (1996), Hydrological Processes 10"

#: Share of the travel time at a limit of velocity above which it is doubted, and change of a value that counts as one.
MUCH_LIMITED, CHANGED = 0.05, 1e-3

#: The rule by which times were measured: Vm, b, c, the limits (m/s), and the lag that Vm was fitted to (s) or 0.
MeasuredBy = tuple[float, float, float, float, float, float]


class TravelTimeUnitHydrograph(InstantaneousTransform):
    """Excess reaches the outlet by its travel time over the ground, and may pass a linear reservoir.

    The areas by travel time are measured on the terrain. The velocity in a cell is V = Vm (s^b A^c) / mean(s^b A^c),
    between two limits; Vm is typed, or fitted so that the mean travel time is the lag.
    """

    method: Literal["travel-time"] = "travel-time"
    reference: Setting[float] = parameter(
        "speed", "reference velocity of the water over the ground", label="reference velocity", symbol="Vm", above=0,
        most=50, usual=(0.02, 2), source="typed, or fitted to the lag when measured", default=Setting[float](),
    )  # fmt: skip
    slope_power: float = parameter(
        "factor", "exponent of the slope in the velocity", label="exponent of the slope", symbol="b", least=0, most=2,
        source=SOURCE, default=0.5,
    )  # fmt: skip
    area_power: float = parameter(
        "factor", "exponent of the area above in the velocity", label="exponent of the area", symbol="c", least=0,
        most=2, source=SOURCE, default=0.5,
    )  # fmt: skip
    slowest: float = parameter(
        "speed", "least velocity in a cell", label="least velocity", symbol="Vl", above=0, most=10, usual=(0.005, 0.1),
        source=SOURCE, default=0.02,
    )  # fmt: skip
    fastest: float = parameter(
        "speed", "greatest velocity in a cell", label="greatest velocity", symbol="Vg", above=0, most=50,
        usual=(0.5, 6), source=SOURCE, default=2.0,
    )  # fmt: skip
    storage: float = parameter(
        "time", "storage coefficient of a linear reservoir behind", label="storage coefficient", symbol="R", least=0,
        most=366 * 86400, usual=(0, 10 * 86400), source="typed; 0 for none", default=0.0,
    )  # fmt: skip
    arrival_times: tuple[float, ...] = parameter(
        "time", "travel time to the outlet", label="travel times", symbol="t", least=0, most=366 * 86400,
        source="measured on the terrain", default=(),
    )  # fmt: skip
    area_shares: tuple[float, ...] = parameter(
        "share", "share of the area within a travel time", label="shares of the area", symbol="a", least=0, most=1,
        source="measured on the terrain", default=(),
    )  # fmt: skip
    at_least: int = parameter("count", "cells at the least velocity", least=0, source=SOURCE, default=0)
    at_most: int = parameter("count", "cells at the greatest velocity", least=0, source=SOURCE, default=0)
    limited: float = parameter(
        "share", "share of the travel time at a limit of velocity", least=0, most=1, source=SOURCE, default=0.0
    )
    measured_by: MeasuredBy | None = None

    columns: ClassVar[Mapping[str, str]] = {"reference": "Vm", "storage": "R"}
    needs_lag: ClassVar[bool] = False
    from_ground: ClassVar[bool] = True
    curve: ClassVar[str] = "travel times over the ground"
    title: ClassVar[str] = "travel times over the ground"
    equation: ClassVar[str] = "S the areas by travel time, Σ Δl / V, V = Vm s^b A^c / mean; through a reservoir R"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "a plane and a channel by hand; the areas sum to the catchment; unit volume at every step; without storage the "
        "time-area curve itself"
    )

    @model_validator(mode="after")
    def _rising(self) -> Self:
        if self.arrival_times or self.area_shares:
            what = "the area by travel time"
            refuse_uneven(what, ("travel times", "shares of the area"), self.arrival_times, self.area_shares)
            refuse_uneven(what, ("shares of the area", "travel times"), _nudged(self.area_shares), self.arrival_times)
        return self

    def missing(self) -> list[Missing]:
        """The travel times, until they are measured."""
        return [] if self.arrival_times else [Missing("arrival_times", "Measure them on the terrain, or paste them.")]

    @property
    def delay(self) -> float | None:
        """Mean travel time, and the storage coefficient, s."""
        if not self.arrival_times:
            return None
        times, areas = np.array(self.arrival_times), np.array(self.area_shares) / self.area_shares[-1]
        return float((np.diff(areas) * 0.5 * (times[1:] + times[:-1])).sum()) + self.storage

    @property
    def _of_unit(self) -> Sequence[str]:
        """The storage coefficient; what made the travel times is behind them."""
        return ("storage",)

    def left(self, times: Floats, lag: float) -> Floats:
        """S of times (s): the areas by travel time, through the reservoir."""
        return left_by(times, np.array(self.arrival_times), np.array(self.area_shares), self.storage)

    def length(self, lag: float) -> float:
        """The longest travel time, and that in which the reservoir empties to a millionth, s."""
        return self.arrival_times[-1] - self.storage * float(np.log(LEFT_OUT))

    def rule(self, lag: float) -> MeasuredBy:
        """The rule by which its times are measured now, with the lag (s) that Vm is fitted to; 0 for a typed Vm."""
        typed = self.reference.typed_value
        shape = self.slope_power, self.area_power, self.slowest, self.fastest
        return (0.0 if typed is None else typed, *shape, lag if typed is None else 0.0)

    def doubts(self, area: float | None, lag: float, steps: Sequence[float]) -> list[Doubtful]:
        """Much travel time at a limit of velocity, and times that were measured by another rule."""
        found = []
        if self.limited > MUCH_LIMITED:
            text = (
                f"{{0}} of the travel time is spent at a limit of velocity: {self.at_least} cells at {{1}}, "
                f"{self.at_most} at {{2}}."
            )
            figures = (self.limited, "share"), (self.slowest, "speed"), (self.fastest, "speed")
            found.append(Doubtful("travel-at-limit", "doubt", text, figures=figures))
        if self.measured_by is not None:
            pairs = zip(self.rule(lag), self.measured_by, strict=True)
            if any(abs(a - b) > CHANGED * max(abs(a), abs(b)) for a, b in pairs):
                text = "its travel times were measured for another lag or other velocities. Measure them again."
                found.append(Doubtful("travel-times-stale", "doubt", text))
        return found

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """The reference velocity that was fitted to the lag."""
        if name != "reference" or self.reference.derived is None:
            return None
        fitted = self.reference.derived
        return Derivation("Vm: mean travel time = tL", SOURCE, (asked.around("lag"),), lambda _: fitted)


def _nudged(shares: Sequence[float]) -> list[float]:
    """Shares that may stay level, as rising numbers, so that only a fall is refused."""
    return [share + 1e-12 * number for number, share in enumerate(shares)]
