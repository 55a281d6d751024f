"""Lag from the length of the flow path and that to the middle of the catchment."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

from tarnwater.methods import Asked, Derivation
from tarnwater.parameters import Setting, parameter
from tarnwater.runoff.timing.measures import DerivedTime, Measures
from tarnwater.runoff.timing.timing import Timing


def snyder_lag(flow_length: float, centroid_length: float, coefficient: float) -> float:
    """Lag in s from two lengths (m): tp[h] = 0.75 Ct (L Lc)^0.3, L and Lc in km."""
    return 3600.0 * 0.75 * coefficient * float((flow_length / 1000 * centroid_length / 1000) ** 0.3)


def regional_lag(
    flow_length: float, centroid_length: float, path_slope: float, coefficient: float, exponent: float
) -> float:
    """Lag in s from two lengths (m) and the slope of the path (m/m): tp[h] = C (L Lc / S^0.5)^m, L and Lc in km."""
    shape = flow_length / 1000 * centroid_length / 1000 / path_slope**0.5
    return 3600.0 * coefficient * float(shape**exponent)


class SnyderLag(Timing):
    """Lag from the length of the flow path and its length from the outlet to the place nearest to the middle."""

    method: Literal["snyder-lag"] = "snyder-lag"
    coefficient: Setting[float] = parameter(
        "factor", "coefficient of the lag, of the region", label="lag coefficient", symbol="Ct", above=0, most=20,
        usual=(0.5, 8), source="Snyder (1938); 1.8 to 2.2 in the Appalachian Highlands", default=Setting[float](),
    )  # fmt: skip

    leads: ClassVar[Literal["lag", "concentration", ""]] = "lag"
    by_case: ClassVar[bool] = True
    title: ClassVar[str] = "length-centroid lag"
    equation: ClassVar[str] = "tL = 0.75 Ct (L Lc)^0.3"
    source: ClassVar[str] = "Snyder (1938), Transactions AGU 19; Chow, Maidment and Mays (1988), Section 7.7"
    verified: ClassVar[str] = "the equation in miles that it was converted from, to the rounding of 0.75"
    takes: ClassVar[tuple[str, ...]] = ("flow_length", "centroid_length")
    needs: ClassVar[Mapping[str, str]] = {"coefficient": "Type that of the region."}

    def derive(self, measures: Measures) -> DerivedTime | None:
        """Lag in s, or None if an input is missing."""
        length, centroid, own = measures.flow_length, measures.centroid_length, self.coefficient.value
        if length is None or centroid is None or own is None:
            return None
        return DerivedTime(snyder_lag(length, centroid, own), self.leads)

    def time(self, asked: Asked) -> Derivation:
        """The derivation of the lag from the two lengths."""
        inputs = asked.around("flow_length", "km"), asked.around("centroid_length", "km"), asked.own("coefficient")
        return Derivation("tL = 0.75 Ct (L Lc)^0.3 h", self.source, inputs, snyder_lag)


class RegionalLag(Timing):
    """Lag of a region from two lengths and the slope of the flow path, with its own coefficient and exponent."""

    method: Literal["regional-lag"] = "regional-lag"
    coefficient: Setting[float] = parameter(
        "factor", "coefficient of the lag, for L and Lc in km and the slope in m/m", label="lag coefficient",
        symbol="C", above=0, most=1000, usual=(0.01, 20), source="its region", default=Setting[float](),
    )  # fmt: skip
    exponent: float = parameter(
        "factor", "exponent of the lag", label="lag exponent", symbol="m", above=0, most=2, usual=(0.2, 0.6),
        source="its region", default=0.33,
    )  # fmt: skip

    leads: ClassVar[Literal["lag", "concentration", ""]] = "lag"
    by_case: ClassVar[bool] = True
    title: ClassVar[str] = "length-centroid-slope lag"
    equation: ClassVar[str] = "tL = C (L Lc / S^0.5)^m"
    source: ClassVar[str] = "Linsley, Kohler and Paulhus (1949), Applied Hydrology; regional coefficients"
    verified: ClassVar[str] = "by hand; without the slope it is the Snyder form"
    takes: ClassVar[tuple[str, ...]] = ("flow_length", "centroid_length", "path_slope")
    needs: ClassVar[Mapping[str, str]] = {"coefficient": "Type that of the region."}

    def derive(self, measures: Measures) -> DerivedTime | None:
        """Lag in s, or None if an input is missing."""
        length, centroid, slope = measures.flow_length, measures.centroid_length, measures.path_slope
        own = self.coefficient.value
        if length is None or centroid is None or slope is None or own is None:
            return None
        return DerivedTime(regional_lag(length, centroid, slope, own, self.exponent), self.leads)

    def time(self, asked: Asked) -> Derivation:
        """The derivation of the lag from the two lengths and the slope."""
        inputs = (
            asked.around("flow_length", "km"), asked.around("centroid_length", "km"), asked.around("path_slope", "m/m"),
            asked.own("coefficient"), asked.own("exponent"),
        )  # fmt: skip
        return Derivation("tL = C (L Lc / S^0.5)^m h", self.source, inputs, regional_lag)
