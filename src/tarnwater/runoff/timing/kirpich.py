"""Kirpich equation for the time of concentration (Kirpich 1940)."""

from __future__ import annotations

from typing import ClassVar, Literal

from tarnwater.methods import Asked, Derivation
from tarnwater.runoff.timing.measures import DerivedTime, Measures
from tarnwater.runoff.timing.timing import Range, Timing


def kirpich(flow_length: float, path_slope: float) -> float:
    """Time of concentration in s from the length (m) and slope (m/m) of the flow path.

    Tc[min] = 0.0195 L^0.77 S^-0.385.
    """
    minutes: float = 0.0195 * flow_length**0.77 * path_slope**-0.385
    return 60.0 * minutes


class Kirpich(Timing):
    """Time of concentration from the length and slope of the longest flow path."""

    method: Literal["kirpich"] = "kirpich"

    leads: ClassVar[Literal["lag", "concentration", ""]] = "concentration"
    by_case: ClassVar[bool] = True
    title: ClassVar[str] = "Kirpich equation"
    equation: ClassVar[str] = "Tc = 0.0195 L^0.77 S^−0.385"
    source: ClassVar[str] = "Kirpich (1940), Civil Engineering 10(6)"
    verified: ClassVar[str] = "the equation in feet that it was converted from, to the rounding of 0.0195"
    takes: ClassVar[tuple[str, ...]] = ("flow_length", "path_slope")
    ranges: ClassVar[tuple[Range, ...]] = (
        Range("area", 4047.0, 453_000.0, "the basins of Kirpich, 1 to 112 acres"),
        Range("path_slope", 0.03, 0.10, "the basins of Kirpich, 3 to 10 %"),
    )

    def derive(self, measures: Measures) -> DerivedTime | None:
        """Tc in s, or None if an input is missing."""
        if measures.flow_length is None or measures.path_slope is None:
            return None
        return DerivedTime(kirpich(measures.flow_length, measures.path_slope), self.leads)

    def time(self, asked: Asked) -> Derivation:
        """The derivation of Tc from the length and the slope of the flow path."""
        inputs = asked.around("flow_length", "m"), asked.around("path_slope", "m/m")
        return Derivation("Tc = 0.0195 L^0.77 S^−0.385 min", self.source, inputs, kirpich)
