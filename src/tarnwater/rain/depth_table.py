"""Depth-duration-frequency: rain depths by duration and return period."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Literal

import numpy as np
from pydantic import model_validator

from tarnwater import units
from tarnwater.errors import OutOfRange, TableError
from tarnwater.parameters import Model, parameter


def reduced_variate(return_period: float | np.ndarray) -> float | np.ndarray:
    """Gumbel reduced variate -ln(-ln(1 - 1/T)) of a return period in years, above 1."""
    return -np.log(-np.log1p(-1.0 / np.asarray(return_period)))


class DepthTable(Model):
    """Rain depths in mm, ``depths[duration][return period]``.

    Read between the entries log-log in duration and straight on the Gumbel reduced variate in
    return period; exactly through the entries. Below the shortest duration its depth is spread
    evenly. Beyond the table nothing is read unless ``extrapolate`` says so.
    """

    durations: tuple[float, ...] = parameter("time", "duration", above=0, usual=(60, 10 * 86400))
    return_periods: tuple[float, ...] = parameter("return period", "return period", above=1, usual=(1.01, 10000))
    depths: tuple[tuple[float, ...], ...]
    series: Literal["annual maxima", "peaks over threshold", "unstated"] = "unstated"
    source: str = ""
    extrapolate: bool = False

    @model_validator(mode="after")
    def _whole(self) -> DepthTable:
        if len(self.durations) < 2:
            raise TableError(
                "a depth table with one duration cannot be read between durations.",
                remedy="Give the depths of at least two durations.",
            )
        if not self.return_periods:
            raise TableError("a depth table needs a return period.", remedy="Add a column.")
        for name, axis in (("durations", self.durations), ("return periods", self.return_periods)):
            if any(b <= a for a, b in pairwise(axis)):
                raise TableError(f"the {name} of a depth table must rise.", remedy="Sort them and remove doubles.")
        if len(self.depths) != len(self.durations) or {len(r) for r in self.depths} != {len(self.return_periods)}:
            raise TableError(
                f"the depths must be {len(self.durations)} rows of {len(self.return_periods)}.",
                remedy="Give one depth for each duration and return period.",
            )
        for duration, row in zip(self.durations, self.depths, strict=True):
            for period, depth in zip(self.return_periods, row, strict=True):
                if not (math.isfinite(depth) and depth > 0):
                    raise TableError(
                        f"the depth {depth:g} mm is not above zero.",
                        where=_entry(duration, period),
                        remedy="Give a depth above zero.",
                    )
        return self

    def falling(self) -> list[str]:
        """Entries less deep than the one of a shorter duration or a shorter return period, in words."""
        depths = np.array(self.depths)
        faults = []
        for d, t in np.argwhere(np.diff(depths, axis=0) < 0):
            faults.append(
                f"{_entry(self.durations[d + 1], self.return_periods[t])}: {depths[d + 1, t]:g} mm is less than "
                f"{depths[d, t]:g} mm in {units.show_duration(self.durations[d])}"
            )
        for d, t in np.argwhere(np.diff(depths, axis=1) < 0):
            faults.append(
                f"{_entry(self.durations[d], self.return_periods[t + 1])}: {depths[d, t + 1]:g} mm is less than "
                f"{depths[d, t]:g} mm at 1 in {self.return_periods[t]:g}"
            )
        return faults

    def depth(self, duration: float | np.ndarray, return_period: float) -> np.ndarray:
        """Depth in mm of durations (s), any shape, at a return period (years).

        Raises `OutOfRange` beyond the table unless it may be extrapolated. A duration of 0 has no rain.
        """
        at_period = self._at_return_period(return_period)
        duration = np.asarray(duration, float)
        longest, shortest = self.durations[-1], self.durations[0]
        if duration.size and float(duration.max()) > longest * (1 + 1e-12) and not self.extrapolate:
            raise OutOfRange(
                f"the table ends at {units.show_duration(longest)}; {units.show_duration(float(duration.max()))} "
                "was asked for.",
                where="depth table",
                remedy="Add the duration to the table, or allow extrapolation.",
            )
        logs = np.log(np.maximum(duration, shortest))
        axis, values = np.log(self.durations), np.log(at_period)
        read = np.interp(logs, axis, values)
        beyond = logs > axis[-1]
        slope = (values[-1] - values[-2]) / (axis[-1] - axis[-2])
        read = np.where(beyond, values[-1] + slope * (logs - axis[-1]), read)
        return np.where(duration < shortest, at_period[0] * duration / shortest, np.exp(read))

    def _at_return_period(self, return_period: float) -> np.ndarray:
        periods, depths = self.return_periods, np.array(self.depths)
        if return_period in periods:
            return depths[:, periods.index(return_period)]
        inside = periods[0] < return_period < periods[-1]
        if not inside and (not self.extrapolate or len(periods) < 2):
            ends = f"1 in {periods[0]:g}" + (f" to 1 in {periods[-1]:g}" if len(periods) > 1 else "")
            raise OutOfRange(
                f"the table holds {ends} years; 1 in {return_period:g} was asked for.",
                where="depth table",
                remedy="Add the return period to the table, or allow extrapolation.",
            )
        axis, y = np.asarray(reduced_variate(np.array(periods))), float(reduced_variate(return_period))
        right = int(np.clip(np.searchsorted(axis, y), 1, len(axis) - 1))
        share = (y - axis[right - 1]) / (axis[right] - axis[right - 1])
        return depths[:, right - 1] + share * (depths[:, right] - depths[:, right - 1])


def _entry(duration: float, return_period: float) -> str:
    return f"{units.show_duration(duration)}, 1 in {return_period:g}"
