"""No baseflow."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.runoff.baseflow.baseflow import Baseflow, FromGround
from tarnwater.states import State


class NoBaseflow(Baseflow):
    """No flow from the ground."""

    method: Literal["none"] = "none"

    title: ClassVar[str] = "no baseflow"
    equation: ClassVar[str] = "Qb = 0"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "balances on random networks"

    @property
    def steady(self) -> float:
        """No flow, m3/s."""
        return 0.0

    def respond(self, cases: int, step: float, steps: int, state: State = None) -> FromGround:
        """No flow."""
        return FromGround(0.0, np.zeros(cases))
