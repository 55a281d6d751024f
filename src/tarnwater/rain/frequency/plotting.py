"""Plotting positions: the probability at which each value of a sample is drawn."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats


@dataclass(frozen=True)
class PlottingPosition:
    """F = (i - a) / (n + 1 - 2 a), i the rank from the least value."""

    name: str
    a: float
    source: str

    def probabilities(self, count: int) -> Floats:
        """Probabilities that the values of a sample in rising order are not exceeded, (count,).

        >>> WEIBULL.probabilities(3)
        array([0.25, 0.5 , 0.75])
        """
        return np.asarray((np.arange(1, count + 1) - self.a) / (count + 1 - 2 * self.a))


GRINGORTEN = PlottingPosition("Gringorten", 0.44, "Gringorten (1963), Journal of Geophysical Research 68")
CUNNANE = PlottingPosition("Cunnane", 0.4, "Cunnane (1978), Journal of Hydrology 37")
BLOM = PlottingPosition("Blom", 0.375, "Blom (1958), Statistical Estimates and Transformed Beta-Variables")
HAZEN = PlottingPosition("Hazen", 0.5, "Hazen (1914), Transactions ASCE 77")
WEIBULL = PlottingPosition("Weibull", 0.0, "Weibull (1939), Ingeniorsvetenskapsakademiens Handlingar 151")

POSITIONS = {position.name: position for position in (GRINGORTEN, CUNNANE, BLOM, HAZEN, WEIBULL)}
