"""Rain depths by an equation: as published, or as fitted to a table."""

from __future__ import annotations

from functools import cached_property
from itertools import pairwise
from typing import Annotated, Literal

import numpy as np
from pydantic import model_validator

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.errors import TableError
from tarnwater.methods import OneOf
from tarnwater.parameters import parameter
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.depths import Depths, period_of_peaks
from tarnwater.rain.equations import AnyEquation, DurationUnit, Equation, IntensityUnit
from tarnwater.rain.readings import Reading, Term

#: Durations at which depths of an equation are listed, s.
USUAL_DURATIONS = (300.0, 600.0, 900.0, 1800.0, 3600.0, 7200.0, 10800.0, 21600.0, 43200.0, 86400.0)


class DepthEquation(Depths):
    """Depths by an equation within a range of durations; ``points`` is the table that it is fitted to.

    With points a person chooses whether storms are made by the equation or read in the table: ``read``. The durations
    are those at which depths are listed.
    """

    kind: Literal["equation"] = "equation"
    equation: AnyEquation
    durations: tuple[float, ...] = parameter(
        "time", "duration", least=1, most=366 * 86400, usual=(60, 10 * 86400), default=USUAL_DURATIONS
    )
    points: DepthTable | None = None
    read: Literal["equation", "points"] = "equation"

    @model_validator(mode="after")
    def _whole(self) -> DepthEquation:
        if len(self.durations) < 2 or any(b <= a for a, b in pairwise(self.durations)):
            raise TableError("the durations of an equation must rise.", remedy="Give at least two, and sort them.")
        if self.read == "points" and self.points is None:
            raise TableError("the equation has no table to read.", remedy="Read the equation.")
        with np.errstate(all="ignore"):
            depths = np.array([self.equation.depth(np.array(self.durations), t) for t in self.equation.return_periods])
        if not (np.isfinite(depths).all() and (depths > 0).all() and (depths < 1e5).all()):
            raise TableError(
                "the equation gives depths that no rain has.",
                where=self.equation.title,
                remedy="Check its coefficients, and the units of duration and intensity.",
            )
        return self

    @property
    def _in_use(self) -> DepthTable | None:
        return self.points if self.read == "points" else None

    @property
    def typed_table(self) -> DepthTable | None:
        """The table that it is fitted to."""
        return self.points

    def with_typed(self, table: DepthTable) -> Depths:
        """The same form fitted to another table; the table itself where none was fitted."""
        if self.points is None:
            return table
        units_of = self.equation.intensity_unit, self.equation.duration_unit
        fitted = fitted_to(type(self.equation), table, intensity_unit=units_of[0], duration_unit=units_of[1])
        return fitted.model_copy(update={"read": self.read})

    @property
    def own_durations(self) -> tuple[float, ...]:
        """Durations at which depths are listed, s."""
        return self.durations if self._in_use is None else self._in_use.durations

    @property
    def own_periods(self) -> tuple[float, ...]:
        """Return periods of the equation, years."""
        return self.equation.return_periods if self._in_use is None else self._in_use.return_periods

    @cached_property
    def listed(self) -> tuple[tuple[float, ...], ...]:
        """Depths of the listed durations and return periods, mm."""
        if self._in_use is not None:
            return self._in_use.depths
        columns = [self._by_equation(np.array(self.durations), t) for t in self.annual_periods]
        return tuple(tuple(float(v) for v in row) for row in np.array(columns).T)

    @property
    def told(self) -> str:
        """As published, as fitted, or as typed."""
        if self.points is None:
            return "as published"
        return "as typed" if self.read == "points" else "as fitted"

    def depth(self, duration: float | Floats, return_period: float) -> Floats:
        """Depth in mm of durations (s), any shape, at a return period (years between annual maxima)."""
        if self._in_use is not None:
            return self._table.depth(duration, return_period)
        self.refuse_outside(duration, return_period)
        duration = np.asarray(duration, float)
        at = np.maximum(duration, self.shortest)
        return self._by_equation(at, return_period) * np.minimum(duration / self.shortest, 1.0)

    @cached_property
    def _table(self) -> DepthTable:
        assert self._in_use is not None
        return self._in_use.model_copy(update={"series": self.series, "extrapolate": self.extrapolate})

    def _by_equation(self, duration: Floats, annual: float) -> Floats:
        return self.equation.depth(duration, self._own_period(annual))

    def _own_period(self, annual: float) -> float:
        """The return period of the own series for one between annual maxima."""
        if annual in self.annual_periods:
            return self.own_periods[self.annual_periods.index(annual)]
        if self.series != "peaks over threshold":
            return annual
        return period_of_peaks(annual)

    def reading(self, duration: float, return_period: float) -> Reading:
        """The equation with its coefficients, or the entries of the table."""
        if self._in_use is not None:
            return self._table.reading(duration, return_period)
        equation, own = self.equation, self._own_period(return_period)
        rows = equation.rows_for(own)
        width = len(equation.symbols)
        terms = [
            Term(
                f"coefficient {symbol}" + ("" if equation.of_period else f" at 1 in {equation.return_periods[row]:g}"),
                equation.coefficients[row][n],
                "factor",
                symbol if len(rows) == 1 else f"{symbol}{place}",
            )
            for place, row in enumerate(rows, start=1)
            for n, symbol in enumerate(equation.symbols)
        ]
        at = max(duration, self.shortest)
        terms.append(Term("duration", at, "time", "d", equation.duration_unit))

        def read(*values: float) -> float:
            sets = [values[n : n + width] for n in range(0, width * len(rows), width)]
            depth = equation.with_rows(sets, rows).depth(np.array(values[-1]), own)
            return float(depth) * min(duration / self.shortest, 1.0)

        told = f"{equation.equation}, i in {equation.intensity_unit}, d in {equation.duration_unit}"
        told += f", T = {own:.6g} years" if equation.of_period else ""
        if len(rows) == 2:
            told += "; between the two intensities on −ln(−ln(1 − 1/T))"
        if duration < self.shortest:
            told += f"; of the shortest duration, {units.show_duration(self.shortest)}, spread evenly"
        return Reading(f"P0 = i d, {told}", f"{equation.source}; {self.told}", tuple(terms), read)

    @cached_property
    def residuals(self) -> tuple[tuple[float, ...], ...]:
        """Depth of the equation less that of its points, over that of the points, by duration and return period."""
        if self.points is None:
            return ()
        found = [self.equation.depth(np.array(self.points.durations), t) for t in self.points.return_periods]
        shares = np.array(found).T / np.array(self.points.depths) - 1
        return tuple(tuple(float(v) for v in row) for row in shares)

    @property
    def greatest_residual(self) -> tuple[float, float, float] | None:
        """Duration (s), return period and residual (share) where it is greatest; None without points."""
        if self.points is None:
            return None
        shares = np.array(self.residuals)
        row, column = np.unravel_index(np.argmax(np.abs(shares)), shares.shape)
        return self.points.durations[row], self.points.return_periods[column], float(shares[row, column])


def fitted_to(
    form: type[Equation],
    table: DepthTable,
    *,
    intensity_unit: IntensityUnit = "mm/h",
    duration_unit: DurationUnit = "min",
) -> DepthEquation:
    """Depths by a form of equation fitted to a table."""
    equation = form.fitted(
        np.array(table.durations), table.return_periods, np.array(table.depths), intensity_unit=intensity_unit,
        duration_unit=duration_unit,
    )  # fmt: skip
    return DepthEquation(
        equation=equation,
        durations=table.durations,
        points=table,
        series=table.series,
        source=table.source,
        extrapolate=table.extrapolate,
    )


#: A field that holds depths of any kind (all are known here); one without a tag is a table.
AnyDepths = Annotated[Depths, OneOf(Depths, called="kind of depths", tag="kind", usual="table")]
