"""Bounds of the lag for the size of a catchment, as a check of a typed one."""

from __future__ import annotations

from tarnwater.runoff.timing.nrcs_lag import nrcs_lag
from tarnwater.units import MILE

#: Curve number and mean slope of the land with the shortest and with the longest lag for an area.
QUICKEST_LAND, SLOWEST_LAND = (98.0, 0.30), (40.0, 0.005)


def lags_by_area(area: float) -> tuple[float, float]:
    """The shortest and the longest lag (s) that the NRCS equation gives for an area (m2).

    The flow length follows the area by Hack (1957), L = 1.4 A^0.6 in miles.
    """
    length = MILE * 1.4 * (area / MILE**2) ** 0.6
    return nrcs_lag(length, *QUICKEST_LAND), nrcs_lag(length, *SLOWEST_LAND)
