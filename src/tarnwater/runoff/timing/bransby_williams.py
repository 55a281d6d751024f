"""Bransby-Williams equation for the time of concentration."""

from __future__ import annotations

from typing import ClassVar, Literal

from tarnwater.methods import Asked, Derivation
from tarnwater.runoff.timing.measures import DerivedTime, Measures
from tarnwater.runoff.timing.timing import Range, Timing


def bransby_williams(flow_length: float, area: float, path_slope: float) -> float:
    """Time of concentration in s from the length (m) and slope (m/m) of the flow path and the area (m2).

    Tc[min] = 14.6 L A^-0.1 S^-0.2, L in km, A in km2.
    """
    minutes: float = 14.6 * (flow_length / 1000) * (area / 1e6) ** -0.1 * path_slope**-0.2
    return 60.0 * minutes


class BransbyWilliams(Timing):
    """Time of concentration from the length and slope of the longest flow path and the area."""

    method: Literal["bransby-williams"] = "bransby-williams"

    leads: ClassVar[Literal["lag", "concentration", ""]] = "concentration"
    by_case: ClassVar[bool] = True
    title: ClassVar[str] = "Bransby-Williams equation"
    equation: ClassVar[str] = "Tc = 14.6 L A^−0.1 S^−0.2"
    source: ClassVar[str] = "Bransby Williams (1922), The Engineer 134"
    verified: ClassVar[str] = "the equation in miles and feet that it was converted from, to the rounding of 14.6"
    takes: ClassVar[tuple[str, ...]] = ("flow_length", "area", "path_slope")
    ranges: ClassVar[tuple[Range, ...]] = (Range("area", most=130e6, source="Wanielista, Kersten and Eaglin (1997)"),)

    def derive(self, measures: Measures) -> DerivedTime | None:
        """Tc in s, or None if an input is missing."""
        length, slope, area = measures.flow_length, measures.path_slope, measures.area
        if length is None or slope is None or area is None:
            return None
        return DerivedTime(bransby_williams(length, area, slope), self.leads)

    def time(self, asked: Asked) -> Derivation:
        """The derivation of Tc from the length and the slope of the flow path and the area."""
        inputs = asked.around("flow_length", "m"), asked.around("area", "km²"), asked.around("path_slope", "m/m")
        return Derivation("Tc = 14.6 (L/1000) A^−0.1 S^−0.2 min", self.source, inputs, bransby_williams)
