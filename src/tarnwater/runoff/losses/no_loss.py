"""No loss: all rain runs off, as from open water."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.runoff.losses.excess import Excess
from tarnwater.runoff.losses.loss import Loss


class NoLoss(Loss):
    """All rain runs off.

    >>> NoLoss().respond(np.array([[3.0, 0.0]]), 3600.0).excess
    array([[3., 0.]])
    """

    method: Literal["none"] = "none"

    keeps: ClassVar[bool] = False
    title: ClassVar[str] = "no loss"
    equation: ClassVar[str] = "Pe = P"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "the tests that every loss passes"

    def respond(self, rain: Floats, step: float, state: Floats | None = None, **values: Floats) -> Excess:
        """Excess of rain (case, step) in mm: all of it."""
        nothing = np.zeros(len(rain))
        return Excess(np.array(rain, float), nothing, nothing, nothing)
