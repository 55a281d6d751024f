"""A reach that passes its flow on as it is."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.parameters import Model
from tarnwater.routing.reaches.routed import Routed


class Passing(Model):
    """No delay and no storage: for reaches far shorter than a step."""

    method: Literal["none"] = "none"

    title: ClassVar[str] = "no routing"
    equation: ClassVar[str] = "O = I"
    source: ClassVar[str] = "definition"

    def route(self, flow: np.ndarray, volume: np.ndarray, step: float, state: np.ndarray | None = None) -> Routed:
        """Hand on the inflow."""
        nothing = np.zeros(len(flow))
        return Routed(flow, volume, nothing, nothing, nothing[:, None])
