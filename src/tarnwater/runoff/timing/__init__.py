"""Timing: time of concentration and lag.

A timing method is one module with one model, a `Timing`, which gives a lag or a time of concentration from the
measures of the ground. One follows from the other by lag = 0.6 Tc (NRCS National Engineering Handbook, Part 630,
Chapter 15).

To add one: write ``<name>.py`` beside these and import it here.
"""

from typing import Annotated

from tarnwater.methods import OneOf
from tarnwater.runoff.timing.bransby_williams import BransbyWilliams
from tarnwater.runoff.timing.by_hand import ByHand
from tarnwater.runoff.timing.centroid_lag import RegionalLag, SnyderLag
from tarnwater.runoff.timing.kinematic_time import KinematicTime, kinematic_concentration
from tarnwater.runoff.timing.kirpich import Kirpich, kirpich
from tarnwater.runoff.timing.measures import (
    DerivedTime,
    Measures,
    concentration_of_lag,
    lag_of_concentration,
    slope_in_use,
)
from tarnwater.runoff.timing.nrcs_lag import NrcsLag, nrcs_lag
from tarnwater.runoff.timing.own_formula import OwnFormula
from tarnwater.runoff.timing.segmental import Segmental
from tarnwater.runoff.timing.timing import Timing

TimingMethod = Annotated[Timing, OneOf(Timing)]

__all__ = [
    "BransbyWilliams",
    "ByHand",
    "DerivedTime",
    "KinematicTime",
    "Kirpich",
    "Measures",
    "NrcsLag",
    "OwnFormula",
    "RegionalLag",
    "Segmental",
    "SnyderLag",
    "Timing",
    "TimingMethod",
    "concentration_of_lag",
    "kinematic_concentration",
    "kirpich",
    "lag_of_concentration",
    "nrcs_lag",
    "slope_in_use",
]
