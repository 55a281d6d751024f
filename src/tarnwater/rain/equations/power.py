"""i = A d^C, with coefficients for each return period."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.rain.equations.equation import Equation, straight
from tarnwater.rain.equations.shifted_power import SOURCE


class Power(Equation):
    """A power of the duration; the exponent is below zero, as it is published."""

    method: Literal["power"] = "power"

    title: ClassVar[str] = "A d^C"
    equation: ClassVar[str] = "i = A d^C"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "its depths by hand; a fit is the straight line of the logarithms"
    symbols: ClassVar[tuple[str, ...]] = ("A", "C")

    def formula(self, row: Sequence[float], duration: Floats, return_period: float) -> Floats:
        """Intensity by a row of coefficients."""
        a, c = row
        return np.asarray(a * duration**c)

    @classmethod
    def starts(cls, duration: Floats, period: Floats, logs: Floats) -> list[list[float]]:
        """The straight line in the logarithms, which is the fit."""
        intercept, slope = straight(duration, logs)
        return [[np.exp(intercept), slope]]
