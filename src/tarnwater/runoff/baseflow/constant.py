"""Constant baseflow."""

from __future__ import annotations

from typing import ClassVar, Literal

from tarnwater.parameters import Model, parameter


class ConstantBaseflow(Model):
    """A constant flow from the ground, added to the direct runoff before routing."""

    method: Literal["constant"] = "constant"
    flow: float = parameter(
        "flow", "constant flow from the ground", symbol="Qb", least=0, most=1e6, usual=(0, 50), source="definition"
    )

    title: ClassVar[str] = "constant baseflow"
    equation: ClassVar[str] = "Qb = constant"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "balances on random networks"

    def rate(self) -> float:
        """Flow from the ground, m3/s."""
        return self.flow
