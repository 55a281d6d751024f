"""No baseflow."""

from __future__ import annotations

from typing import ClassVar, Literal

from tarnwater.runoff.baseflow.baseflow import Baseflow, FromGround, OverGround


class NoBaseflow(Baseflow):
    """No flow from the ground."""

    method: Literal["none"] = "none"

    title: ClassVar[str] = "no baseflow"
    equation: ClassVar[str] = "Qb = 0"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "balances on random networks"

    def respond(self, given: OverGround) -> FromGround:
        """No flow."""
        return given.constant(0.0)
