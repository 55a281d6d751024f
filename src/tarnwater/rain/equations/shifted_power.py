"""i = a / (d + b)^c, with coefficients for each return period, or with T^m for all of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.rain.equations.equation import Equation, starts_with_period, straight

SOURCE = "Chow, Maidment and Mays (1988), Applied Hydrology, Section 14.2"


class ShiftedPower(Equation):
    """A power of the duration and a constant."""

    method: Literal["shifted-power"] = "shifted-power"

    title: ClassVar[str] = "a / (d + b)^c"
    equation: ClassVar[str] = "i = a / (d + b)^c"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "its depths by hand; a fit gives the coefficients of depths made by it back"
    symbols: ClassVar[tuple[str, ...]] = ("a", "b", "c")

    def formula(self, row: Sequence[float], duration: Floats, return_period: float) -> Floats:
        """Intensity by a row of coefficients."""
        a, b, c = row
        return np.asarray(a / (duration + b) ** c)

    @classmethod
    def starts(cls, duration: Floats, period: Floats, logs: Floats) -> list[list[float]]:
        """A straight line in the logarithms, with several constants."""
        least = float(duration.min())
        found = []
        for b in (0.0, 0.3 * least, least, 5 * least):
            intercept, slope = straight(duration + b, logs)
            found.append([np.exp(intercept), b, -slope])
        return found


class ShiftedPowerOfPeriod(Equation):
    """A power of the duration and a constant, times a power of the return period."""

    method: Literal["shifted-power-of-period"] = "shifted-power-of-period"

    title: ClassVar[str] = "a T^m / (d + b)^c"
    equation: ClassVar[str] = "i = a T^m / (d + b)^c"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "its depths by hand; a fit gives the coefficients of depths made by it back"
    symbols: ClassVar[tuple[str, ...]] = ("a", "m", "b", "c")
    of_period: ClassVar[bool] = True

    def formula(self, row: Sequence[float], duration: Floats, return_period: float) -> Floats:
        """Intensity by a row of coefficients."""
        a, m, b, c = row
        return np.asarray(a * return_period**m / (duration + b) ** c)

    @classmethod
    def starts(cls, duration: Floats, period: Floats, logs: Floats) -> list[list[float]]:
        """Those without the return period, with several powers of it."""
        return starts_with_period(ShiftedPower, duration, period, logs)
