"""Rain depths by duration and return period: the contract of what storms are made from."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from dataclasses import dataclass
from functools import cached_property, partial
from typing import TYPE_CHECKING, Any, ClassVar, Literal

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.errors import OutOfRange
from tarnwater.parameters import Model
from tarnwater.rain.areal import ArealReduction
from tarnwater.rain.readings import Reading

if TYPE_CHECKING:
    from tarnwater.rain.depth_table import DepthTable

Series = Literal["annual maxima", "peaks over threshold", "unstated"]

#: Ratio of the mean intensity between two entries to that of the interval before, from which it is a doubt.
STEEPER = 1.10


def reduced_variate(return_period: float | Floats) -> float | Floats:
    """Gumbel reduced variate -ln(-ln(1 - 1/T)) of a return period in years, above 1."""
    return -np.log(-np.log1p(-1.0 / np.asarray(return_period)))


def annual_return_period(of_peaks: float) -> float:
    """Years between annual maxima from years between peaks over a threshold: 1/T_a = 1 - exp(-1/T_p)."""
    return 1 / -math.expm1(-1 / of_peaks)


def period_of_peaks(annual: float) -> float:
    """Years between peaks over a threshold from years between annual maxima: 1/T_p = -ln(1 - 1/T_a).

    >>> round(period_of_peaks(annual_return_period(2.0)), 12)
    2.0
    """
    return 1 / -math.log1p(-1 / annual)


class Depths(Model, ABC):
    """Rain depths by duration and return period. A subclass has a field ``kind`` with its tag.

    Return periods are in years between annual maxima; those of a ``series`` of peaks over a threshold are converted by
    1/T_annual = 1 - exp(-1/T_partial). Beyond its ends nothing is read unless ``extrapolate`` is set.
    """

    series: Series = "unstated"
    source: str = ""
    extrapolate: bool = False

    #: Kinds of depths by tag.
    known: ClassVar[dict[str, type[Depths]]] = {}

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs: Any) -> None:
        """Register a kind of depths."""
        super().__pydantic_init_subclass__(**kwargs)
        if "kind" in cls.model_fields:
            Depths.known[cls.tag()] = cls

    @classmethod
    def tag(cls) -> str:
        """The tag by which a file names it."""
        return str(cls.model_fields["kind"].default)

    @property
    @abstractmethod
    def typed_table(self) -> DepthTable | None:
        """The table that a person typed, if there is one."""

    @abstractmethod
    def with_typed(self, table: DepthTable) -> Depths:
        """The same kind of depths by another typed table."""

    @property
    @abstractmethod
    def own_durations(self) -> tuple[float, ...]:
        """Durations that are listed, s, rising."""

    @property
    @abstractmethod
    def own_periods(self) -> tuple[float, ...]:
        """Return periods that are listed, years, rising, of its own series."""

    @property
    @abstractmethod
    def listed(self) -> tuple[tuple[float, ...], ...]:
        """Depths of the listed durations and return periods, mm."""

    @abstractmethod
    def depth(self, duration: float | Floats, return_period: float) -> Floats:
        """Depth in mm of durations (s), any shape, at a return period (years between annual maxima).

        Below the shortest duration its depth is spread evenly. Raises `OutOfRange` beyond the ends unless extrapolation
        is allowed. A duration of 0 has no rain.
        """

    @abstractmethod
    def reading(self, duration: float, return_period: float) -> Reading:
        """How a depth is read."""

    @property
    def bands(self) -> tuple[tuple[tuple[float, ...], ...], tuple[tuple[float, ...], ...]] | None:
        """Lower and upper limits of the listed depths, mm; None where they are not known."""
        return None

    @property
    def years_of_record(self) -> int | None:
        """Years of the record that the depths were fitted to; None where that is not known."""
        return None

    @property
    def limits_name(self) -> str:
        """What the limits are, in words."""
        return ""

    @property
    def told(self) -> str:
        """Whether its depths are as typed, as published or as fitted, in words."""
        return ""

    @property
    def shortest(self) -> float:
        """Shortest duration that is read, s."""
        return self.own_durations[0]

    @property
    def longest(self) -> float:
        """Longest duration that is read without extrapolation, s."""
        return self.own_durations[-1]

    @cached_property
    def annual_periods(self) -> tuple[float, ...]:
        """Listed return periods, years between annual maxima."""
        if self.series != "peaks over threshold":
            return self.own_periods
        return tuple(annual_return_period(t) for t in self.own_periods)

    def holds_period(self, return_period: float) -> bool:
        """Whether a return period (years between annual maxima) can be read, with extrapolation if allowed."""
        inside = self.annual_periods[0] <= return_period <= self.annual_periods[-1]
        return inside or return_period in self.annual_periods or (self.extrapolate and len(self.annual_periods) > 1)

    def holds_duration(self, duration: float) -> bool:
        """Whether a duration (s) can be read, with extrapolation if allowed."""
        return duration <= self.longest * (1 + 1e-12) or self.extrapolate

    def refuse_outside(self, duration: float | Floats, return_period: float) -> None:
        """Raise `OutOfRange` for a duration (s) or a return period (years) that cannot be read."""
        most = float(np.max(duration, initial=0.0))
        if not self.holds_duration(most):
            raise OutOfRange(
                f"the depths end at {units.show_duration(self.longest)}; {units.show_duration(most)} was asked for.",
                where="depth table",
                remedy="Add the duration to the table, or allow extrapolation.",
            )
        if not self.holds_period(return_period):
            periods = self.annual_periods
            ends = f"1 in {periods[0]:.4g}" + (f" to 1 in {periods[-1]:.4g}" if len(periods) > 1 else "")
            raise OutOfRange(
                f"the depths are of {ends} years; 1 in {return_period:g} was asked for.",
                where="depth table",
                remedy="Add the return period to the table, or allow extrapolation.",
            )

    def falling(self, system: units.System = "SI") -> list[str]:
        """Entries with less depth than a shorter duration or a shorter return period, in words."""
        depths, durations, periods = np.array(self.listed), self.own_durations, self.own_periods
        told = partial(_told, kind="rain", system=system)
        faults = []
        for d, t in np.argwhere(np.diff(depths, axis=0) < 0):
            faults.append(
                f"{entry_words(durations[d + 1], periods[t])}: {told(depths[d + 1, t])} is less than "
                f"{told(depths[d, t])} in {units.show_duration(durations[d])}"
            )
        for d, t in np.argwhere(np.diff(depths, axis=1) < 0):
            faults.append(
                f"{entry_words(durations[d], periods[t + 1])}: {told(depths[d, t + 1])} is less than "
                f"{told(depths[d, t])} at 1 in {periods[t]:g}"
            )
        return faults

    def steepening(self, system: units.System = "SI") -> list[str]:
        """Intervals between entries with over a tenth more mean intensity than the interval before, in words."""
        told = partial(_told, kind="rain rate", system=system)
        faults = []
        durations = np.concatenate([[0.0], self.own_durations])
        for column, period in enumerate(self.own_periods):
            depths = np.array([0.0, *(row[column] for row in self.listed)])
            rates = np.diff(depths) / np.diff(durations) * 3600
            for at in np.flatnonzero(rates[1:] > STEEPER * rates[:-1]) + 1:
                begin, end = (units.show_duration(float(d)) for d in durations[at : at + 2])
                faults.append(
                    f"1 in {period:g}: {told(rates[at])} between {begin} and {end}, "
                    f"{told(rates[at - 1])} in the interval before"
                )
        return faults


def _told(value: float, kind: str, system: units.System) -> str:
    return units.Quantity(float(value), kind, digits=4).show(system)


def entry_words(duration: float, return_period: float) -> str:
    """An entry by its duration (s) and return period, in words."""
    return f"{units.show_duration(duration)}, 1 in {return_period:g}"


NO_REDUCTION = ArealReduction()


@dataclass(frozen=True)
class DepthCurve:
    """Depths by duration at one return period over an area (m2), each reduced by the factor of its duration.

    All are multiplied by ``factor``, for a change of the climate.
    """

    table: Depths
    return_period: float
    areal: ArealReduction = NO_REDUCTION
    area: float = 0.0
    factor: float = 1.0

    def depth(self, durations: float | Floats) -> Floats:
        """Depth in mm of durations (s), of their shape.

        Below the table's shortest duration its reduced depth is spread evenly.
        """
        durations = np.asarray(durations, float)
        shortest = self.table.shortest
        at = np.maximum(durations, shortest)
        reduced = self.factor * self.areal.factors(self.area, at) * self.table.depth(at, self.return_period)
        return reduced * np.minimum(durations / shortest, 1.0)
