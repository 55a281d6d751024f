"""Areal reduction: rain over an area is less deep than at a point."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Literal

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.parameters import Model, parameter
from tarnwater.rain.readings import Reading, Term
from tarnwater.units import show_duration

SOURCE = "Leclerc and Schaake (1972), MIT Department of Civil Engineering Report 142"

#: Area (m2) from which point depths without areal reduction are doubted.
LARGE_AREA = 25e6


def areal_factor(area: float, duration: float | Floats) -> Floats:
    """Share of the point depth over an area (m2) in durations (s).

    1 - exp(-1.1 t^0.25) + exp(-1.1 t^0.25 - 0.00386 A), t in h and A in km2; 1 over no area.
    """
    spread = 1.1 * (np.asarray(duration, float) / 3600) ** 0.25
    return 1 - np.exp(-spread) + np.exp(-spread - 0.00386 * area / 1e6)


class ArealCurve(Model):
    """Typed shares of the point depth by area, and by duration where they depend on it.

    ``factors`` (area, duration) are read linearly in the logarithms of area and duration. From no area, where the share
    is 1, to the first area they are read linearly in the area. Beyond its ends the curve keeps its last share.
    """

    areas: tuple[float, ...] = parameter("area", "area", symbol="A", above=0)
    durations: tuple[float, ...] = parameter("time", "duration", symbol="t", above=0, default=())
    factors: tuple[tuple[float, ...], ...]
    source: str = ""

    @model_validator(mode="after")
    def _whole(self) -> ArealCurve:
        width = max(len(self.durations), 1)
        if not self.areas or len(self.factors) != len(self.areas) or {len(row) for row in self.factors} != {width}:
            raise ValueError("a curve needs a share for each area and duration")
        for row, what in ((self.areas, "areas"), (self.durations, "durations")):
            if any(b <= a for a, b in pairwise(row)):
                raise ValueError(f"the {what} must rise")
        shares = np.array(self.factors)
        if not ((shares > 0) & (shares <= 1)).all():
            raise ValueError("a share of the point depth lies above 0 and is at most 1")
        if (np.diff(shares, axis=0) > 0).any():
            raise ValueError("the share must not rise with the area")
        return self

    def holds(self, area: float, duration: float) -> bool:
        """Whether an area (m2) and a duration (s) lie within the curve."""
        within = not self.durations or self.durations[0] <= duration <= self.durations[-1]
        return area <= self.areas[-1] and within

    def at(self, area: float, durations: float | Floats) -> Floats:
        """Share of the point depth over an area (m2) in durations (s), of their shape."""
        low, high, along = self._between_areas(area)
        shares = np.ones((2, max(len(self.durations), 1)))
        for place, row in enumerate((low, high)):
            if row >= 0:
                shares[place] = self.factors[row]
        own = (1 - along) * shares[0] + along * shares[1]
        durations = np.asarray(durations, float)
        if len(self.durations) < 2:
            return np.full(durations.shape, own[0])
        return np.asarray(np.interp(np.log(durations), np.log(self.durations), own))

    def _between_areas(self, area: float) -> tuple[int, int, float]:
        """Rows about an area and the share of the way between them; row -1 is no area."""
        last = len(self.areas) - 1
        row = int(np.searchsorted(self.areas, area))
        if row > last:
            return last, last, 0.0
        if row == 0:
            return -1, 0, area / self.areas[0]
        low, high = self.areas[row - 1], self.areas[row]
        return row - 1, row, math.log(area / low) / math.log(high / low)

    def reading(self, area: float, duration: float) -> Reading:
        """How the share over an area (m2) in a duration (s) is read from the shares about it."""
        low, high, along = self._between_areas(area)
        source = self.source or "typed curve"
        terms = [
            Term(f"share between {self._named(low)} and {self._named(high)}", along, "factor", symbol="u"),
            self._share(low, duration, "f1"),
            self._share(high, duration, "f2"),
        ]
        if low == high:
            return Reading("f = f1", f"{source}; beyond its greatest area", (terms[1],), lambda share: share)
        return Reading("f = (1 − u) f1 + u f2", source, tuple(terms), _between)

    def _named(self, row: int) -> str:
        return "no area" if row < 0 else f"{self.areas[row] / 1e6:g} km²"

    def _share(self, row: int, duration: float, symbol: str) -> Term:
        """The share of an area of the curve in a duration, with what it is read from."""
        title = f"share over {self._named(row)}"
        if row < 0:
            return Term(title, 1.0, "factor", symbol=symbol)
        shares = self.factors[row]
        column = int(np.searchsorted(self.durations, duration))
        if len(self.durations) < 2 or duration in self.durations or column in (0, len(self.durations)):
            own = shares[min(column, len(shares) - 1)]
            return Term(title, own, "factor", symbol=symbol)
        shorter, longer = self.durations[column - 1], self.durations[column]
        along = math.log(duration / shorter) / math.log(longer / shorter)
        words = f"share of the way from {show_duration(shorter)} to {show_duration(longer)}, by logarithms"
        terms = (
            Term(words, along, "factor", symbol="v"),
            Term(f"{title} in {show_duration(shorter)}", shares[column - 1], "factor", symbol="g1"),
            Term(f"{title} in {show_duration(longer)}", shares[column], "factor", symbol="g2"),
        )
        reading = Reading(f"{symbol} = (1 − v) g1 + v g2", self.source or "typed curve", terms, _between)
        return Term(
            title, _between(along, shares[column - 1], shares[column]), "factor", symbol=symbol, reading=reading
        )


def _between(along: float, first: float, second: float) -> float:
    return (1 - along) * first + along * second


class ArealReduction(Model):
    """The areal reduction of storms made for a design point, for the area that drains there; not the default.

    The published equation holds the point depth up to ``least_area``; a typed ``curve`` says for itself where it does.
    """

    method: Literal["none", "leclerc-schaake", "typed curve"] = "none"
    least_area: float = parameter(
        "area", "area up to which the point depth holds", symbol="A0", least=0, source=SOURCE, default=1e6
    )
    curve: ArealCurve | None = None

    @model_validator(mode="after")
    def _with_its_curve(self) -> ArealReduction:
        if self.method == "typed curve" and self.curve is None:
            raise ValueError("the curve of the areal reduction is missing")
        return self

    @property
    def chosen(self) -> bool:
        """Whether any reduction is chosen."""
        return self.method != "none"

    @property
    def typed(self) -> ArealCurve | None:
        """The curve that is in use, if one is."""
        return self.curve if self.method == "typed curve" else None

    def reduces(self, area: float) -> bool:
        """Whether depths over an area (m2) are less than those at a point."""
        return self.chosen and area > (0.0 if self.typed is not None else self.least_area)

    def factors(self, area: float, durations: float | Floats) -> Floats:
        """Share of the point depth, 0 to 1, for an area (m2) and durations (s), of their shape."""
        if not self.reduces(area):
            return np.ones(np.shape(durations))
        return areal_factor(area, durations) if self.typed is None else self.typed.at(area, durations)

    def factor(self, area: float, duration: float) -> float:
        """Share of the point depth, 0 to 1, for an area (m2) and one duration (s)."""
        return float(self.factors(area, duration))

    def reading(self, area: float, duration: float) -> Reading:
        """How its factor for an area (m2) and a duration (s) is read from a typed curve, or follows from both."""
        if not self.reduces(area):
            return Reading("f = 1", "no areal reduction is chosen, or the area is too small for one")
        if self.typed is not None:
            return self.typed.reading(area, duration)
        return Reading("f = 1 − exp(−1.1 t^0.25) + exp(−1.1 t^0.25 − 0.00386 A)", SOURCE)
