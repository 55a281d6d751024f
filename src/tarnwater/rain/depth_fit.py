"""How the depths of a table were fitted to annual maxima, so that each depth can be worked out again."""

from __future__ import annotations

import math

import numpy as np
from pydantic import model_validator

from tarnwater.errors import TableError
from tarnwater.parameters import Model
from tarnwater.rain.frequency.distributions import AnyDistribution
from tarnwater.rain.frequency.fits import Way
from tarnwater.rain.readings import Reading, Term
from tarnwater.units import show_duration


class DepthFit(Model):
    """Depths as the mean of the annual maxima of a duration times its growth, by duration.

    ``means`` are in mm, ``sizes`` the numbers of maxima that they are of. ``growth`` holds the parameters of the maxima
    over their mean: one row for all durations, or one of each. ``shifts`` (duration, period), mm, made the depths rise.
    Peaks over ``thresholds`` (mm), of which ``rates`` come in a year, give the mean and growth of their excess.
    """

    gauge: str
    distribution: AnyDistribution
    way: Way
    means: tuple[float, ...]
    sizes: tuple[int, ...]
    growth: tuple[tuple[float, ...], ...]
    shifts: tuple[tuple[float, ...], ...] = ()
    thresholds: tuple[float, ...] = ()
    rates: tuple[float, ...] = ()

    @model_validator(mode="after")
    def _whole(self) -> DepthFit:
        alike = len(self.means) == len(self.sizes) and len(self.growth) in (1, len(self.means))
        peaks = {len(self.thresholds), len(self.rates)}
        if (
            not alike
            or peaks not in ({0}, {len(self.means)})
            or {len(row) for row in self.growth} != {len(self.distribution.symbols)}
        ):
            raise TableError("the fit of the depths is not whole.", remedy="Make the depths of the record again.")
        return self

    def reading(self, row: int, column: int, duration: float, return_period: float, depth: float) -> Reading | None:
        """How the depth (mm) of a row and column of the table follows; None if it is not that of the fit."""
        common = len(self.growth) == 1
        parameters = self.growth[0 if common else row]
        rate = (self.rates[row],) if self.rates else ()
        grown = self._grown(return_period, *rate, *parameters)
        shift = self.shifts[row][column] if self.shifts else 0.0
        threshold = self.thresholds[row] if self.thresholds else 0.0
        if abs(self.means[row] * grown + shift + threshold - depth) > 1e-9 * depth:
            return None
        of = "all durations" if common else show_duration(duration)
        growth = Reading(
            f"{self.distribution.equation}, F = {'1 + ln(1 − 1/T)/λ' if rate else '1 − 1/T'}",
            f"{self.distribution.source}; fitted by {self.way}",
            (
                Term("return period", return_period, "return period", symbol="T"),
                *(Term("peaks a year", value, "factor", symbol="λ") for value in rate),
                *(
                    Term(f"{symbol} of {self.distribution.title}, {of}", value, "factor", symbol=symbol)
                    for symbol, value in zip(self.distribution.symbols, parameters, strict=True)
                ),
            ),
            self._grown,
        )
        mean = f"{self.sizes[row]} annual maxima" if not rate else f"the excess of {self.sizes[row]} peaks"
        terms = [
            Term(f"mean of {mean} of {self.gauge}, {show_duration(duration)}", self.means[row], symbol="m"),
            Term(f"growth over the mean, 1 in {return_period:g}", grown, "factor", symbol="x", reading=growth),
        ]
        if rate:
            terms.append(Term("threshold of the peaks", threshold, symbol="u"))
        if shift:
            terms.append(Term("what makes the depths rise with duration", shift, symbol="s"))
        equation = " + ".join(["P0 = m x", *(t.symbol for t in terms[2:])])
        return Reading(equation, f"{self.sampled} of a record", tuple(terms), _grown_depth)

    @property
    def sampled(self) -> str:
        """What it was fitted to."""
        return "peaks over threshold" if self.rates else "annual maxima"

    def _grown(self, return_period: float, *numbers: float) -> float:
        """Growth from the rate, where there is one, and the parameters."""
        count = len(self.distribution.symbols)
        rare = 1 - 1 / return_period
        probability = 1 + math.log(rare) / numbers[0] if len(numbers) > count else rare
        return float(self.distribution.quantile(np.array(numbers[-count:]), np.asarray(probability)))


def _grown_depth(mean: float, growth: float, *more: float) -> float:
    return mean * growth + sum(more)
