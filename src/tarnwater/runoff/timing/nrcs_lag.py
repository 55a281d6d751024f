"""NRCS lag equation (National Engineering Handbook, Part 630, Chapter 15)."""

from __future__ import annotations

from typing import ClassVar, Literal, TypeVar

from tarnwater.arrays import Floats
from tarnwater.methods import Asked, Derivation
from tarnwater.runoff.retention import retention
from tarnwater.runoff.timing.measures import DerivedTime, Measures
from tarnwater.runoff.timing.timing import Range, Timing

V = TypeVar("V", float, Floats)


def nrcs_lag(flow_length: float, curve_number: V, mean_slope: float) -> V:
    """Lag in s from flow length in m, average-condition curve number and mean slope in m/m.

    lag[h] = L^0.8 (S/25.4 + 1)^0.7 / (734.4 Y^0.5), S in mm, Y in per cent.
    """
    inches = retention(curve_number) / 25.4
    lag: V = 3600.0 * flow_length**0.8 * (inches + 1) ** 0.7 / (734.4 * (100 * mean_slope) ** 0.5)
    return lag


class NrcsLag(Timing):
    """Lag from flow length, mean slope and curve number."""

    method: Literal["nrcs-lag"] = "nrcs-lag"

    leads: ClassVar[Literal["lag", "concentration", ""]] = "lag"
    by_case: ClassVar[bool] = True
    title: ClassVar[str] = "NRCS lag equation"
    equation: ClassVar[str] = "lag = L^0.8 (S/25.4 + 1)^0.7 / (734.4 Y^0.5)"
    source: ClassVar[str] = "NRCS National Engineering Handbook, Part 630, Chapter 15"
    verified: ClassVar[str] = "the equation in feet and inches that it was converted from, to the rounding of 734.4"

    takes: ClassVar[tuple[str, ...]] = ("flow_length", "curve_number", "mean_slope")
    ranges: ClassVar[tuple[Range, ...]] = (
        Range("area", most=8.1e6, source="the handbook, 2000 acres"),
        Range("curve_number", 50.0, 95.0, "the handbook"),
        Range("mean_slope", 0.005, 0.64, "the basins of the equation, 0.5 to 64 %"),
    )

    def derive(self, measures: Measures) -> DerivedTime | None:
        """Lag in s, or None if an input is missing."""
        if measures.flow_length is None or measures.mean_slope is None or measures.curve_number is None:
            return None
        seconds: float | Floats = nrcs_lag(measures.flow_length, measures.curve_number, measures.mean_slope)  # type: ignore[type-var]
        return DerivedTime(seconds, self.leads)

    def time(self, asked: Asked) -> Derivation:
        """The derivation of the lag from flow length, curve number and mean slope."""
        inputs = asked.around("flow_length", "m"), asked.around("curve_number"), asked.around("mean_slope", "%")
        return Derivation("tL = L^0.8 (1000/CN − 9)^0.7 / (734.4 Y^0.5) h", self.source, inputs, nrcs_lag)
