"""Distributions of extremes: one module and one model each, a `Distribution`, which states its contract."""

from typing import Annotated

from tarnwater.methods import OneOf
from tarnwater.rain.frequency.distributions.distribution import Distribution, Likely
from tarnwater.rain.frequency.distributions.generalised_extreme_value import GeneralisedExtremeValue
from tarnwater.rain.frequency.distributions.generalised_pareto import GeneralisedPareto
from tarnwater.rain.frequency.distributions.gumbel import Gumbel
from tarnwater.rain.frequency.distributions.log_normal import LogNormal
from tarnwater.rain.frequency.distributions.pearson_three import LogPearsonThree, PearsonThree

#: A field that holds a distribution of any kind.
AnyDistribution = Annotated[Distribution, OneOf(Distribution)]

__all__ = [
    "AnyDistribution", "Distribution", "GeneralisedExtremeValue", "GeneralisedPareto", "Gumbel", "Likely", "LogNormal",
    "LogPearsonThree", "PearsonThree",
]  # fmt: skip
