"""How long the water takes: time of concentration and lag.

A timing method is one module with a frozen model and the method ``derive(ground) -> Timing``, which
gives a lag or a time of concentration in s from what is known of the ground. Where one is needed of
the other, lag = 0.6 Tc (NRCS National Engineering Handbook, Part 630, Chapter 15).

To add one: write ``<name>.py`` beside these and add it to `TimingMethod`.
"""

from typing import Annotated

from pydantic import Field

from tarnwater.runoff.timing.by_hand import ByHand
from tarnwater.runoff.timing.ground import (
    Ground,
    Timing,
    concentration_of_lag,
    lag_of_concentration,
    slope_in_use,
)
from tarnwater.runoff.timing.kirpich import Kirpich, kirpich
from tarnwater.runoff.timing.nrcs_lag import NrcsLag, nrcs_lag

TimingMethod = Annotated[ByHand | NrcsLag | Kirpich, Field(discriminator="method")]

__all__ = [
    "ByHand",
    "Ground",
    "Kirpich",
    "NrcsLag",
    "Timing",
    "TimingMethod",
    "concentration_of_lag",
    "kirpich",
    "lag_of_concentration",
    "nrcs_lag",
    "slope_in_use",
]
