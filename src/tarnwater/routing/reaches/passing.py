"""A reach that passes its flow on unchanged."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Asked, Derivation
from tarnwater.reckoning import Reckoning
from tarnwater.routing.reaches.routed import Routed
from tarnwater.routing.reaches.routing import Routing


class Passing(Routing):
    """No delay and no storage: for reaches far shorter than a step."""

    method: Literal["none"] = "none"

    title: ClassVar[str] = "no routing"
    equation: ClassVar[str] = "O = I"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "balances on random networks"

    def route(self, inflow: Hydrograph, state: Floats | None = None, out: Floats | None = None) -> Routed:
        """Pass the inflow on."""
        nothing = np.zeros(len(inflow.flow))
        return Routed(inflow, nothing, nothing, nothing[:, None])

    def memory(self) -> float:
        """It has no delay."""
        return 0.0

    def routed(self, inflow: Reckoning, asked: Asked) -> Derivation:
        """The derivation of the outflow: the inflow unchanged."""
        return Derivation("Q = I", self.source, (inflow,), lambda into: into)
