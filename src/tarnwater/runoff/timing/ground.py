"""What timing methods know of a catchment, and what they answer."""

from __future__ import annotations

from dataclasses import dataclass

LAG_SHARE = 0.6

#: Slopes below this are taken as this where an equation divides by the slope.
LEAST_SLOPE = 0.001


@dataclass(frozen=True)
class Ground:
    """Lengths in m, slopes in m/m, the curve number in the average condition; None where unknown."""

    flow_length: float | None
    path_slope: float | None
    mean_slope: float | None
    curve_number: float | None


@dataclass(frozen=True)
class Timing:
    """A derived time in s: ``leads`` says whether it is the ``lag`` or the ``concentration``."""

    seconds: float
    leads: str
    floored: bool = False


def lag_of_concentration(concentration: float) -> float:
    """Lag = 0.6 Tc, any unit of time."""
    return LAG_SHARE * concentration


def concentration_of_lag(lag: float) -> float:
    """Tc = lag / 0.6, any unit of time."""
    return lag / LAG_SHARE
