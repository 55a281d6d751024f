"""Baseflow: water from the ground.

A baseflow method is one module with one model, a `Baseflow`, which states its contract. To add one:
write ``<name>.py`` beside these and import it here.
"""

from typing import Annotated

from tarnwater.methods import OneOf
from tarnwater.runoff.baseflow.baseflow import Baseflow, FromGround, OverGround
from tarnwater.runoff.baseflow.constant import ConstantBaseflow
from tarnwater.runoff.baseflow.monthly import MonthlyBaseflow
from tarnwater.runoff.baseflow.no_baseflow import NoBaseflow
from tarnwater.runoff.baseflow.recession import RecessionBaseflow
from tarnwater.runoff.baseflow.reservoir import ReservoirBaseflow

BaseflowMethod = Annotated[Baseflow, OneOf(Baseflow)]

__all__ = [
    "Baseflow",
    "BaseflowMethod",
    "ConstantBaseflow",
    "FromGround",
    "MonthlyBaseflow",
    "NoBaseflow",
    "OverGround",
    "RecessionBaseflow",
    "ReservoirBaseflow",
]
