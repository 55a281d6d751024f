"""The contract of an equation of rain intensity, duration and return period."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from itertools import pairwise
from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.errors import TableError
from tarnwater.methods import Method
from tarnwater.rain.depths import reduced_variate

IntensityUnit = Literal["mm/h", "in/h", "mm/min"]
DurationUnit = Literal["min", "h"]

#: Relative change at which a fit ends, near the rounding of double precision.
EXACT = 1e-14

#: Greatest number of sets of coefficients.
MOST_ROWS = 100


class Equation(Method):
    """Intensity i by duration d, and by return period T in those that hold all of them.

    ``coefficients`` has one row in the order of ``symbols``; an equation without T has a row for each of its
    ``return_periods`` (years), read between them on the Gumbel reduced variate of the intensities. i is in
    ``intensity_unit``, d in ``duration_unit``, T in years.
    """

    kind: ClassVar[str] = "depth equation"

    coefficients: tuple[tuple[float, ...], ...]
    return_periods: tuple[float, ...]
    intensity_unit: IntensityUnit = "mm/h"
    duration_unit: DurationUnit = "min"

    symbols: ClassVar[tuple[str, ...]]
    #: Whether one row holds all return periods.
    of_period: ClassVar[bool] = False

    @model_validator(mode="after")
    def _whole(self) -> Equation:
        if not self.return_periods or any(b <= a for a, b in pairwise(self.return_periods)):
            raise TableError("the return periods of an equation must rise.", remedy="Give at least one, and sort them.")
        if self.return_periods[0] <= 1:
            raise TableError("a return period must be above 1 year.", remedy="Correct it.")
        rows = 1 if self.of_period else len(self.return_periods)
        if len(self.coefficients) != rows or len(self.coefficients) > MOST_ROWS:
            raise TableError(
                f"the equation needs {rows} row{'s'[: rows > 1]} of coefficients; {len(self.coefficients)} were given.",
                remedy="Give the coefficients of each return period." if rows > 1 else "Give one row.",
            )
        if any(not self._fits(row) for row in self.coefficients):
            raise TableError(
                f"each row needs {self._needed}.", where=self.title, remedy="Give finite numbers for all of them."
            )
        return self

    @classmethod
    def _fits(cls, row: Sequence[float]) -> bool:
        """Whether a row has a number for each symbol."""
        return len(row) == len(cls.symbols) and all(np.isfinite(row))

    @property
    def _needed(self) -> str:
        return ", ".join(self.symbols)

    @abstractmethod
    def formula(self, row: Sequence[float], duration: Floats, return_period: float) -> Floats:
        """Intensity by a row of coefficients, in the units of the equation."""

    @classmethod
    @abstractmethod
    def starts(cls, duration: Floats, period: Floats, logs: Floats) -> list[list[float]]:
        """Rows from which a fit begins, for logarithms of intensities (n,) at durations and return periods (n,)."""

    def depth(self, duration: Floats, return_period: float) -> Floats:
        """Depth in mm of durations (s), of their shape, at a return period (years)."""
        told = duration / units.factor_of(self.duration_unit, "time")
        intensity = self._intensity(told, return_period) * units.factor_of(self.intensity_unit, "rain rate")
        return np.asarray(intensity * duration / 3600)

    def _intensity(self, duration: Floats, return_period: float) -> Floats:
        if self.of_period:
            return self.formula(self.coefficients[0], duration, return_period)
        if return_period in self.return_periods:
            return self.formula(self.coefficients[self.return_periods.index(return_period)], duration, return_period)
        left, right, share = self._between(return_period)
        a, b = (self.formula(self.coefficients[n], duration, self.return_periods[n]) for n in (left, right))
        return np.asarray(a + share * (b - a))

    def _between(self, return_period: float) -> tuple[int, int, float]:
        """Rows about a return period, and its share of the way on the reduced variate."""
        axis = np.asarray(reduced_variate(np.array(self.return_periods)))
        y = float(reduced_variate(return_period))
        right = int(np.clip(np.searchsorted(axis, y), 1, len(axis) - 1))
        return right - 1, right, (y - float(axis[right - 1])) / float(axis[right] - axis[right - 1])

    def rows_for(self, return_period: float) -> list[int]:
        """Numbers of the rows that give a return period."""
        if self.of_period:
            return [0]
        if return_period in self.return_periods:
            return [self.return_periods.index(return_period)]
        left, right, _ = self._between(return_period)
        return [left, right]

    def with_rows(self, rows: Sequence[Sequence[float]], numbers: Sequence[int]) -> Equation:
        """A copy with other coefficients in some rows."""
        held = list(self.coefficients)
        for number, row in zip(numbers, rows, strict=True):
            held[number] = tuple(row)
        return self.model_copy(update={"coefficients": tuple(held)})

    @classmethod
    def fitted(
        cls,
        durations: Floats,
        return_periods: Sequence[float],
        depths: Floats,
        *,
        intensity_unit: IntensityUnit = "mm/h",
        duration_unit: DurationUnit = "min",
    ) -> Equation:
        """The equation nearest to depths (duration, period) in mm, by least squares of the logarithms of intensity."""
        told = durations / units.factor_of(duration_unit, "time")
        rates = depths / (durations[:, None] / 3600) / units.factor_of(intensity_unit, "rain rate")
        periods = np.asarray(return_periods, float)
        if cls.of_period:
            grid_d, grid_t = (part.ravel() for part in np.meshgrid(told, periods, indexing="ij"))
            rows = [cls._fit_row(grid_d, grid_t, np.log(rates).ravel())]
        else:
            rows = [
                cls._fit_row(told, np.full(len(told), period), np.log(rates[:, n])) for n, period in enumerate(periods)
            ]
        return cls(
            coefficients=tuple(tuple(row) for row in rows),
            return_periods=tuple(return_periods),
            intensity_unit=intensity_unit,
            duration_unit=duration_unit,
        )

    @classmethod
    def _fit_row(cls, duration: Floats, period: Floats, logs: Floats) -> list[float]:
        if len(logs) < len(cls.symbols):
            raise TableError(
                f"{len(logs)} depths are too few to fit {len(cls.symbols)} coefficients.",
                where=cls.title,
                remedy="Give more durations, or choose a form with fewer coefficients.",
            )
        from scipy.optimize import least_squares

        blank = cls.model_construct(coefficients=(), return_periods=())

        def misfit(free: Floats) -> Floats:
            with np.errstate(all="ignore"):
                found = np.log(blank.formula(cls.of_free(free), duration, period))  # type: ignore[arg-type]
            return np.where(np.isfinite(found), found - logs, 1e3)

        best = None
        for start in cls.starts(duration, period, logs):
            tried = least_squares(misfit, cls.to_free(start), xtol=EXACT, ftol=EXACT, gtol=EXACT, max_nfev=4000)
            if best is None or tried.cost < best.cost:
                best = tried
        assert best is not None
        return [float(v) for v in cls.of_free(best.x)]

    @classmethod
    def to_free(cls, row: Sequence[float]) -> Floats:
        """A row as free numbers of a search; the logarithm of the first coefficient."""
        return np.array([np.log(row[0]), *row[1:]])

    @classmethod
    def of_free(cls, free: Floats) -> Floats:
        """A row of free numbers of a search."""
        return np.array([np.exp(free[0]), *free[1:]])


def straight(duration: Floats, logs: Floats) -> tuple[float, float]:
    """Intercept and slope of logarithms of intensity on those of duration."""
    slope, intercept = np.polyfit(np.log(duration), logs, 1)
    return float(intercept), float(slope)


def starts_with_period(form: type[Equation], duration: Floats, period: Floats, logs: Floats) -> list[list[float]]:
    """Rows for a form times T^m: those of the form without the return period, with several powers of it."""
    middle = float(np.log(period).mean())
    plain = form.starts(duration, period, logs - 0.2 * (np.log(period) - middle))
    return [[a / float(np.exp(m * middle)), m, *rest] for a, *rest in plain for m in (0.1, 0.3)]
