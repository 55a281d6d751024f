"""ln i = a0 + a1 ln d + a2 (ln d)² + a3 (ln d)³, with coefficients for each return period."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.rain.equations.equation import Equation

#: Highest power of the logarithm of the duration.
DEGREE = 3


class LogPolynomial(Equation):
    """A cubic of the natural logarithms; coefficients of powers that are not used are zero."""

    method: Literal["log-polynomial"] = "log-polynomial"

    title: ClassVar[str] = "polynomial of the logarithms"
    equation: ClassVar[str] = "ln i = a0 + a1 ln d + a2 (ln d)² + a3 (ln d)³"
    source: ClassVar[str] = "Chen (1983), Journal of Hydraulic Engineering 109; polynomial in the logarithms"
    verified: ClassVar[str] = "its depths by hand; a fit is the least squares polynomial of NumPy"
    symbols: ClassVar[tuple[str, ...]] = ("a0", "a1", "a2", "a3")

    def formula(self, row: Sequence[float], duration: Floats, return_period: float) -> Floats:
        """Intensity by a row of coefficients."""
        logs = np.polynomial.polynomial.polyval(np.log(np.maximum(duration, 1e-12)), np.asarray(row))
        return np.asarray(np.exp(logs))

    @classmethod
    def starts(cls, duration: Floats, period: Floats, logs: Floats) -> list[list[float]]:
        """The least squares polynomial, which is the fit."""
        return [list(np.polynomial.polynomial.polyfit(np.log(duration), logs, DEGREE))]

    @classmethod
    def to_free(cls, row: Sequence[float]) -> Floats:
        """The coefficients themselves."""
        return np.array(row, float)

    @classmethod
    def of_free(cls, free: Floats) -> Floats:
        """The coefficients themselves."""
        return np.asarray(free)
