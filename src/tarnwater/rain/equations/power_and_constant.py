"""i = a / (d^c + b), with coefficients for each return period, or with T^m for all of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.rain.equations.equation import Equation, starts_with_period, straight
from tarnwater.rain.equations.shifted_power import SOURCE


class PowerAndConstant(Equation):
    """A power of the duration, and a constant added to it."""

    method: Literal["power-and-constant"] = "power-and-constant"

    title: ClassVar[str] = "a / (d^c + b)"
    equation: ClassVar[str] = "i = a / (d^c + b)"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "its depths by hand; a fit gives the coefficients of depths made by it back"
    symbols: ClassVar[tuple[str, ...]] = ("a", "c", "b")

    def formula(self, row: Sequence[float], duration: Floats, return_period: float) -> Floats:
        """Intensity by a row of coefficients."""
        a, c, b = row
        return np.asarray(a / (duration**c + b))

    @classmethod
    def starts(cls, duration: Floats, period: Floats, logs: Floats) -> list[list[float]]:
        """A straight line in the logarithms, with several constants."""
        intercept, slope = straight(duration, logs)
        power = max(-slope, 0.1)
        scale = float(duration.min()) ** power
        return [[np.exp(intercept), power, share * scale] for share in (0.0, 0.3, 1.0, 4.0)]


class PowerAndConstantOfPeriod(Equation):
    """A power of the duration and a constant added to it, times a power of the return period."""

    method: Literal["power-and-constant-of-period"] = "power-and-constant-of-period"

    title: ClassVar[str] = "a T^m / (d^c + b)"
    equation: ClassVar[str] = "i = a T^m / (d^c + b)"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "its depths by hand; a fit gives the coefficients of depths made by it back"
    symbols: ClassVar[tuple[str, ...]] = ("a", "m", "c", "b")
    of_period: ClassVar[bool] = True

    def formula(self, row: Sequence[float], duration: Floats, return_period: float) -> Floats:
        """Intensity by a row of coefficients."""
        a, m, c, b = row
        return np.asarray(a * return_period**m / (duration**c + b))

    @classmethod
    def starts(cls, duration: Floats, period: Floats, logs: Floats) -> list[list[float]]:
        """Those without the return period, with several powers of it."""
        return starts_with_period(PowerAndConstant, duration, period, logs)
