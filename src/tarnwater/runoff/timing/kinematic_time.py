"""The kinematic equation for the time of concentration, which follows from the rain of each storm."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar, Literal, Self

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Asked, Derivation
from tarnwater.parameters import Setting, parameter
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.timing.measures import DerivedTime, Measures
from tarnwater.runoff.timing.timing import Timing

SOURCE = "Morgali and Linsley (1965), Journal of the Hydraulics Division 91 (HY3)"

#: Rain rate for which the time is shown outside of a storm, mm/h.
NOMINAL_RATE = 50.0

#: Longest time that is looked for, h.
LONGEST = 1000.0


def kinematic_concentration(roughness: float, flow_length: float, rate: float, path_slope: float) -> float:
    """Time of concentration in s from roughness n, length (m), rain rate (mm/h) and slope (m/m).

    Tc[min] = 6.98 (n L)^0.6 i^-0.4 S^-0.3.
    """
    minutes: float = 6.98 * (roughness * flow_length) ** 0.6 * rate**-0.4 * path_slope**-0.3
    return 60.0 * minutes


class KinematicTime(Timing):
    """Time of concentration of overland flow, from the greatest mean rain rate of each storm over that very time."""

    method: Literal["kinematic-time"] = "kinematic-time"
    roughness: Setting[float] = parameter(
        "factor", "Manning's roughness for overland flow", label="roughness", symbol="n", above=0, most=2,
        usual=(0.01, 0.8), source=SOURCE, default=Setting[float](),
    )  # fmt: skip
    rate: Setting[float] = parameter(
        "rain rate", "rain rate over the time of concentration", label="rain rate", symbol="i", above=0, most=5000,
        usual=(1, 500), source="each storm's own; 50 mm/h outside of a storm", default=Setting[float](),
    )  # fmt: skip

    leads: ClassVar[Literal["lag", "concentration", ""]] = "concentration"
    title: ClassVar[str] = "kinematic equation"
    equation: ClassVar[str] = "Tc = 6.98 (n L)^0.6 i^−0.4 S^−0.3, i the greatest mean rate of the storm over Tc"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "the equation by hand; the rate over the time found, by a search over all windows"
    takes: ClassVar[tuple[str, ...]] = ("flow_length", "path_slope")
    needs: ClassVar[Mapping[str, str]] = {"roughness": "Type it, as 0.15 for short grass."}

    @property
    def by_storm(self) -> bool:  # type: ignore[override]
        """Whether the rate is not typed."""
        return self.rate.typed is None

    def needed(self, measures: Measures) -> Sequence[str]:
        """The roughness."""
        return ("roughness",)

    def refreshed(self, measures: Measures) -> Self:
        """A copy with the nominal rate, unless a storm has given one."""
        return self if self.rate.derived else self.model_copy(update={"rate": self.rate.with_derived(NOMINAL_RATE)})

    def in_storm(self, depths: Floats, step: float, measures: Measures) -> Self:
        """A copy with the greatest mean rate of a storm over the time of concentration."""
        if self.roughness.value is None or measures.flow_length is None or not measures.path_slope:
            return self
        at_one = kinematic_concentration(self.roughness.value, measures.flow_length, 1.0, measures.path_slope) / 3600
        rate = rate_over_own_time(depths, step / 3600, at_one)
        return self if rate is None else self.model_copy(update={"rate": self.rate.with_derived(rate)})

    def derive(self, measures: Measures) -> DerivedTime | None:
        """Tc in s, or None if an input is missing."""
        length, slope, rate, roughness = (
            measures.flow_length,
            measures.path_slope,
            self.rate.value,
            self.roughness.value,
        )
        if length is None or not slope or rate is None or roughness is None:
            return None
        return DerivedTime(kinematic_concentration(roughness, length, rate, slope), self.leads)

    def time(self, asked: Asked) -> Derivation:
        """The derivation of Tc from roughness, length, rain rate and slope."""
        inputs = (
            asked.own("roughness"), asked.around("flow_length", "m"), asked.own("rate", "mm/h"),
            asked.around("path_slope", "m/m"),
        )  # fmt: skip
        return Derivation("Tc = 6.98 (n L)^0.6 i^−0.4 S^−0.3 min", self.source, inputs, kinematic_concentration)

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """The rate from the greatest rain in the time of concentration."""
        if name != "rate" or self.rate.derived is None:
            return None
        rate = self.rate.derived
        if rate == NOMINAL_RATE:
            nominal = Reckoning("nominal rain rate", rate, "rain rate", symbol="i0", origin="outside of a storm")
            return Derivation("i = i0", SOURCE, (nominal,), float)
        around = asked.around("flow_length", "m"), asked.around("path_slope", "m/m")
        hours = kinematic_concentration(self.roughness.known, around[0].value, rate, around[1].value) / 3600
        inputs = (
            Reckoning("greatest rain of the storm in Tc", rate * hours, "rain", symbol="P", origin="the storm"),
            Reckoning("time of concentration found with it", 3600 * hours, "time", symbol="Tc", unit="h",
                      origin="the root of Tc = 6.98 (n L)^0.6 (P(Tc)/Tc)^−0.4 S^−0.3"),
        )  # fmt: skip
        return Derivation("i = P / Tc", SOURCE, inputs, lambda depth, time: depth / (time / 3600))


def rate_over_own_time(depths: Floats, step: float, at_one: float) -> float | None:
    """Greatest mean rate (mm/h) of rain (step,) mm in steps (h) over the time that belongs to it; None without rain.

    ``at_one`` h is the time at 1 mm/h; at i it is at_one i^-0.4. With i = P(w)/w that is w^0.6 P(w)^0.4 = at_one, P the
    greatest depth in a window w. Its left side only rises with w, so that there is one root; a time that is longer than
    the storm has all its depth.
    """
    from scipy.optimize import brentq

    fallen = np.concatenate([[0.0], np.cumsum(depths)])
    if not fallen[-1]:
        return None
    edges = step * np.arange(len(fallen))

    def greatest(window: float) -> float:
        # the greatest window begins or ends where the rate changes
        begun = np.interp(edges + window, edges, fallen) - fallen
        ended = fallen - np.interp(edges - window, edges, fallen)
        return float(max(begun.max(), ended.max()))

    def over(window: float) -> float:
        return float(window**0.6 * greatest(window) ** 0.4 - at_one)

    if over(LONGEST) < 0:
        return None
    window = float(brentq(over, 1e-9, LONGEST, xtol=1e-12, rtol=1e-13))
    return greatest(window) / window
