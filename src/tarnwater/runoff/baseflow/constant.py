"""Constant baseflow."""

from __future__ import annotations

from typing import ClassVar, Literal

from tarnwater.parameters import parameter
from tarnwater.runoff.baseflow.baseflow import Baseflow, FromGround, OverGround


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

    def respond(self, given: OverGround) -> FromGround:
        """A constant flow."""
        return given.constant(self.flow)
