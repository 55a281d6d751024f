"""Losses: the rain that the ground keeps.

A loss method is one module with one model, a `Loss`, which states its contract. To add one: write ``<name>.py`` beside
these with a ``method`` literal and parameters declared by `tarnwater.parameters.parameter`, and import it here. The
tests in ``tests/runoff/losses/test_every_loss.py`` then include it.
"""

from typing import Annotated

from tarnwater.methods import OneOf
from tarnwater.runoff.losses.curve_number import CurveNumber
from tarnwater.runoff.losses.excess import Excess
from tarnwater.runoff.losses.fit import FittedStorm, LossFit, StormsOfFit, fit_loss
from tarnwater.runoff.losses.green_ampt import GreenAmpt
from tarnwater.runoff.losses.horton import Horton
from tarnwater.runoff.losses.initial_constant import InitialConstant
from tarnwater.runoff.losses.loss import DAY, Loss
from tarnwater.runoff.losses.no_loss import NoLoss
from tarnwater.runoff.losses.proportional import InitialProportional, Proportional
from tarnwater.runoff.losses.recovery import Recovering
from tarnwater.runoff.losses.runoff_coefficient import RunoffCoefficient

LossMethod = Annotated[Loss, OneOf(Loss)]

__all__ = [
    "DAY", "CurveNumber", "Excess", "FittedStorm", "GreenAmpt", "Horton", "InitialConstant", "InitialProportional",
    "Loss", "LossFit", "LossMethod", "NoLoss", "Proportional", "Recovering", "RunoffCoefficient", "StormsOfFit",
    "fit_loss",
]  # fmt: skip
