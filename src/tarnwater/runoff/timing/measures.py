"""The inputs of timing methods, and their result."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TypeVar

from tarnwater.arrays import Floats
from tarnwater.parameters import Setting

V = TypeVar("V", float, Floats)

LAG_SHARE = 0.6

#: A derived slope below this is raised to it, since equations divide by the slope: 0.01 per cent.
LEAST_SLOPE = 0.0001


@dataclass(frozen=True)
class Measures:
    """Lengths in m, slopes in m/m, the area in m2, the average-condition curve number, one or by case; None if unknown.

    ``parts`` are lengths and slopes of the sheet, shallow and channel flow of a path that is divided; ``channel`` are
    the hydraulic radius (m) and the roughness of its channel when full.
    """

    flow_length: float | None
    path_slope: float | None
    mean_slope: float | None
    curve_number: float | Floats | None
    area: float | None = None
    centroid_length: float | None = None
    parts: Mapping[str, tuple[float | None, float | None]] = field(default_factory=dict)
    channel: tuple[float, float] | None = None


@dataclass(frozen=True)
class DerivedTime:
    """A derived time in s, one or by case: ``leads`` says whether it is the ``lag`` or the ``concentration``."""

    seconds: float | Floats
    leads: str


def slope_in_use(slope: Setting[float]) -> float | None:
    """The slope in use, m/m: a typed one as typed, a derived one not below the least."""
    if slope.typed is not None or slope.value is None:
        return slope.value
    return max(slope.value, LEAST_SLOPE)


def lag_of_concentration(concentration: V) -> V:
    """Lag = 0.6 Tc, any unit of time."""
    return LAG_SHARE * concentration


def concentration_of_lag(lag: V) -> V:
    """Tc = lag / 0.6, any unit of time."""
    return lag / LAG_SHARE
