"""Equations of rain intensity, duration and return period: one `Equation` each, which states their contract."""

from typing import Annotated

from tarnwater.methods import OneOf
from tarnwater.rain.equations.equation import DurationUnit, Equation, IntensityUnit
from tarnwater.rain.equations.log_polynomial import LogPolynomial
from tarnwater.rain.equations.power import Power
from tarnwater.rain.equations.power_and_constant import PowerAndConstant, PowerAndConstantOfPeriod
from tarnwater.rain.equations.shifted_power import ShiftedPower, ShiftedPowerOfPeriod

#: A field that holds an equation of any form.
AnyEquation = Annotated[Equation, OneOf(Equation)]

__all__ = [
    "AnyEquation", "DurationUnit", "Equation", "IntensityUnit", "LogPolynomial", "Power", "PowerAndConstant",
    "PowerAndConstantOfPeriod", "ShiftedPower", "ShiftedPowerOfPeriod",
]  # fmt: skip
