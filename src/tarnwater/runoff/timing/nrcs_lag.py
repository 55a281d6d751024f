"""NRCS lag equation (National Engineering Handbook, Part 630, Chapter 15)."""

from __future__ import annotations

from typing import ClassVar, Literal

from tarnwater.parameters import Model
from tarnwater.runoff.losses.curve_number import retention
from tarnwater.runoff.timing.ground import Ground, Timing


def nrcs_lag(flow_length: float, curve_number: float, mean_slope: float) -> float:
    """Lag in s from flow length in m, average-condition curve number and mean slope in m/m.

    lag[h] = L^0.8 (S/25.4 + 1)^0.7 / (734.4 Y^0.5), S in mm, Y in per cent.
    """
    inches = float(retention(curve_number)) / 25.4
    return 3600.0 * flow_length**0.8 * (inches + 1) ** 0.7 / (734.4 * (100 * mean_slope) ** 0.5)


class NrcsLag(Model):
    """Lag from flow length, mean slope and curve number."""

    method: Literal["nrcs-lag"] = "nrcs-lag"

    title: ClassVar[str] = "NRCS lag equation"
    equation: ClassVar[str] = "lag = L^0.8 (S/25.4 + 1)^0.7 / (734.4 Y^0.5)"
    source: ClassVar[str] = "NRCS National Engineering Handbook, Part 630, Chapter 15"
    verified: ClassVar[str] = "the equation in feet and inches that it was converted from, to the rounding of 734.4"

    def derive(self, ground: Ground) -> Timing | None:
        """Lag in s, or None where an input is missing."""
        if ground.flow_length is None or ground.mean_slope is None or ground.curve_number is None:
            return None
        return Timing(nrcs_lag(ground.flow_length, ground.curve_number, ground.mean_slope), "lag")
