"""Constant baseflow."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.parameters import parameter
from tarnwater.runoff.baseflow.baseflow import Baseflow, FromGround
from tarnwater.states import State


class ConstantBaseflow(Baseflow):
    """A constant flow from the ground, added to the direct runoff before routing."""

    method: Literal["constant"] = "constant"
    flow: float = parameter(
        "flow",
        "constant flow from the ground",
        label="baseflow",
        symbol="Qb",
        least=0,
        most=1e6,
        usual=(0, 50),
        source="definition",
    )

    title: ClassVar[str] = "constant baseflow"
    equation: ClassVar[str] = "Qb = constant"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "balances on random networks"

    @property
    def steady(self) -> float:
        """Flow from the ground, m3/s."""
        return self.flow

    def respond(self, cases: int, step: float, steps: int, state: State = None) -> FromGround:
        """A constant flow."""
        return FromGround(self.flow, np.full(cases, self.flow * step * steps))
