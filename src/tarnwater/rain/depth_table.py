"""Depth-duration-frequency: rain depths by duration and return period."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Literal

import numpy as np
from pydantic import model_validator

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.errors import OutOfRange, TableError
from tarnwater.parameters import Model, parameter
from tarnwater.rain.areal import ArealReduction

Series = Literal["annual maxima", "peaks over threshold", "unstated"]

#: Greatest rain of any duration, mm.
MOST_DEPTH = 100_000.0

#: Ratio of the mean intensity between two entries to that of the interval before, from which it is a doubt.
STEEPER = 1.10


def reduced_variate(return_period: float | Floats) -> float | Floats:
    """Gumbel reduced variate -ln(-ln(1 - 1/T)) of a return period in years, above 1."""
    return -np.log(-np.log1p(-1.0 / np.asarray(return_period)))


class DepthTable(Model):
    """Rain depths in mm, ``depths[duration][return period]``.

    It is read log-log in duration and linearly on the Gumbel reduced variate in return period, exactly at the entries.
    Below the shortest duration its depth is spread evenly. Beyond the table nothing is read unless ``extrapolate`` is
    set.

    Return periods are in years between annual maxima; those of a table with a ``series`` of peaks over a threshold are
    converted by 1/T_annual = 1 - exp(-1/T_partial).
    """

    durations: tuple[float, ...] = parameter("time", "duration", least=1, most=366 * 86400, usual=(60, 10 * 86400))
    return_periods: tuple[float, ...] = parameter(
        "return period", "return period", above=1, most=1e9, usual=(1.01, 10000)
    )
    depths: tuple[tuple[float, ...], ...]
    series: Series = "unstated"
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
                raise TableError(f"the {name} of a depth table must rise.", remedy="Sort them and remove duplicates.")
        if len(self.depths) != len(self.durations) or {len(r) for r in self.depths} != {len(self.return_periods)}:
            raise TableError(
                f"the depths must be {len(self.durations)} rows of {len(self.return_periods)}.",
                remedy="Give one depth for each duration and return period.",
            )
        for duration, row in zip(self.durations, self.depths, strict=True):
            for period, depth in zip(self.return_periods, row, strict=True):
                if not (math.isfinite(depth) and 0 < depth <= MOST_DEPTH):
                    raise TableError(
                        f"the depth {depth:g} mm is not above zero and at most {MOST_DEPTH:g} mm.",
                        where=_entry(duration, period),
                        remedy="Give a depth of rain.",
                    )
        return self

    def falling(self) -> list[str]:
        """Entries with less depth than a shorter duration or a shorter return period, in words."""
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

    def steepening(self) -> list[str]:
        """Intervals between entries with over a tenth more mean intensity than the interval before, in words."""
        faults = []
        durations = np.concatenate([[0.0], self.durations])
        for column, period in enumerate(self.return_periods):
            depths = np.array([0.0, *(row[column] for row in self.depths)])
            rates = np.diff(depths) / np.diff(durations) * 3600
            for at in np.flatnonzero(rates[1:] > STEEPER * rates[:-1]) + 1:
                begin, end = (units.show_duration(float(d)) for d in durations[at : at + 2])
                faults.append(
                    f"1 in {period:g}: {rates[at]:.4g} mm/h between {begin} and {end}, "
                    f"{rates[at - 1]:.4g} mm/h in the interval before"
                )
        return faults

    @cached_property
    def annual_periods(self) -> tuple[float, ...]:
        """Return periods of the columns, years between annual maxima."""
        if self.series != "peaks over threshold":
            return self.return_periods
        return tuple(annual_return_period(t) for t in self.return_periods)

    def holds_period(self, return_period: float) -> bool:
        """Whether a return period (years between annual maxima) can be read, with extrapolation if allowed."""
        inside = self.annual_periods[0] <= return_period <= self.annual_periods[-1]
        return inside or return_period in self.annual_periods or (self.extrapolate and len(self.annual_periods) > 1)

    def holds_duration(self, duration: float) -> bool:
        """Whether a duration (s) can be read, with extrapolation if allowed."""
        return duration <= self.durations[-1] * (1 + 1e-12) or self.extrapolate

    def entries_for(self, duration: float, return_period: float) -> list[tuple[float, float, float]]:
        """Entries between which a depth is read: duration (s), return period as tabled (years), depth (mm).

        One entry if it is read exactly, two or four if it is interpolated or extrapolated.
        """
        rows = _around(np.log(self.durations), float(np.log(max(duration, self.durations[0]))))
        if return_period in self.annual_periods:
            columns = [self.annual_periods.index(return_period)]
        else:
            variates = np.asarray(reduced_variate(np.array(self.annual_periods)))
            columns = _around(variates, float(reduced_variate(return_period)))
        return [(self.durations[r], self.return_periods[c], self.depths[r][c]) for r in rows for c in columns]

    def depth(self, duration: float | Floats, return_period: float) -> Floats:
        """Depth in mm of durations (s), any shape, at a return period (years).

        Raises `OutOfRange` beyond the table unless extrapolation is allowed. A duration of 0 has no rain.
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
        # at an entry, use its own depth and not the power of its logarithm
        entry = np.minimum(np.searchsorted(self.durations, duration), len(axis) - 1)
        depths = np.where(np.asarray(self.durations)[entry] == duration, at_period[entry], np.exp(read))
        return np.where(duration < shortest, at_period[0] * duration / shortest, depths)

    def _at_return_period(self, return_period: float) -> Floats:
        periods, depths = self.annual_periods, np.array(self.depths)
        if return_period in periods:
            return depths[:, periods.index(return_period)]
        if not self.holds_period(return_period):
            ends = f"1 in {periods[0]:.4g}" + (f" to 1 in {periods[-1]:.4g}" if len(periods) > 1 else "")
            raise OutOfRange(
                f"the table holds {ends} years; 1 in {return_period:g} was asked for.",
                where="depth table",
                remedy="Add the return period to the table, or allow extrapolation.",
            )
        axis, y = np.asarray(reduced_variate(np.array(periods))), float(reduced_variate(return_period))
        right = int(np.clip(np.searchsorted(axis, y), 1, len(axis) - 1))
        share = (y - axis[right - 1]) / (axis[right] - axis[right - 1])
        found: Floats = depths[:, right - 1] + share * (depths[:, right] - depths[:, right - 1])
        return found


NO_REDUCTION = ArealReduction()


@dataclass(frozen=True)
class DepthCurve:
    """Depths by duration at one return period over an area (m2), each reduced by the factor of its duration."""

    table: DepthTable
    return_period: float
    areal: ArealReduction = NO_REDUCTION
    area: float = 0.0

    def depth(self, durations: float | Floats) -> Floats:
        """Depth in mm of durations (s), of their shape.

        Below the table's shortest duration its reduced depth is spread evenly.
        """
        durations = np.asarray(durations, float)
        shortest = self.table.durations[0]
        at = np.maximum(durations, shortest)
        reduced = self.areal.factors(self.area, at) * self.table.depth(at, self.return_period)
        return reduced * np.minimum(durations / shortest, 1.0)


def annual_return_period(of_peaks: float) -> float:
    """Years between annual maxima from years between peaks over a threshold: 1/T_a = 1 - exp(-1/T_p)."""
    return 1 / -math.expm1(-1 / of_peaks)


def _around(axis: Floats, at: float) -> list[int]:
    """Positions of the entries between which ``at`` lies on an increasing axis; one position if it is an entry."""
    right = int(np.clip(np.searchsorted(axis, at), 1, max(len(axis) - 1, 1)))
    exact = [int(i) for i in (right - 1, right) if i < len(axis) and abs(axis[i] - at) < 1e-12]
    return exact[:1] or [i for i in (right - 1, right) if i < len(axis)]


def _entry(duration: float, return_period: float) -> str:
    return f"{units.show_duration(duration)}, 1 in {return_period:g}"
