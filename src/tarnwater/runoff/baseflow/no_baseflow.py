"""No baseflow."""

from __future__ import annotations

from typing import ClassVar, Literal

from tarnwater.parameters import Model


class NoBaseflow(Model):
    """Nothing comes from the ground."""

    method: Literal["none"] = "none"

    title: ClassVar[str] = "no baseflow"
    equation: ClassVar[str] = "Qb = 0"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "balances on random networks"

    def rate(self) -> float:
        """Flow from the ground, m3/s."""
        return 0.0
