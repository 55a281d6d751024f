"""A flood wave that travels without changing its form."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Asked, Derivation
from tarnwater.reckoning import Reckoning
from tarnwater.routing.reaches.delayed import Delayed
from tarnwater.routing.reaches.routed import Routed

SOURCE = "definition: a kinematic wave of constant celerity keeps its form"

#: Last ordinates of the inflow (case, whole steps + 2), and volumes of its last steps beyond the trapezoids
#: (case, whole steps + 1). The newest come first, so that states of different travel times can be put together.
Held = tuple[Floats, Floats]


class PureLag(Delayed):
    """Delay by the travel time without storage.

    The inflow is linear within each step. With a travel time that is not a whole number of steps, the highest point of
    the outflow falls between two ordinates.
    """

    method: Literal["pure-lag"] = "pure-lag"

    columns: ClassVar[Mapping[str, str]] = {"travel_time": "K"}
    title: ClassVar[str] = "pure lag"
    equation: ClassVar[str] = "O(t) = I(t − K), the inflow linear within a step"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "the inflow itself for whole steps; NumPy's interpolation and SciPy's integral of the shifted inflow for parts "
        "of a step; balance and cut runs for random inflow"
    )

    def delay(self, step: float) -> tuple[int, float]:
        """Whole steps (s) of the travel time, and the part of a step that is left.

        A part within rounding of a whole step is none, so that such a flood passes on to the last bit.
        """
        steps = self.travel_time.known / step
        whole = math.floor(steps + 1e-9)
        part = steps - whole
        return whole, part if part > 1e-9 else 0.0

    def route(self, inflow: Hydrograph, state: Held | None = None, out: Floats | None = None) -> Routed:
        """Delay the inflow; without a state the reach begins in steady flow with its first inflow.

        The volume of a step is that of the delayed inflow, exactly. A volume beyond the trapezoid lies evenly in its
        step.
        """
        step, steps = inflow.step, inflow.flow.shape[1] - 1
        whole, part = self.delay(step)
        entering, beyond = self._with_past(inflow, whole, state)
        start = self._stored(*_newest(entering, beyond, whole, 0), step)
        # a step of the outflow is the last part of one step of the inflow and the first part of the next
        corner, after = entering[:, : steps + 1], entering[:, 1 : steps + 2]
        flow = np.empty(inflow.flow.shape) if out is None else out
        np.add((1 - part) * after, part * corner, out=flow)
        uneven = None
        if part or beyond.any():
            uneven = part * beyond[:, :steps] + (1 - part) * beyond[:, 1 : steps + 1]
        if part and uneven is not None:
            uneven += 0.5 * step * (corner[:, 1:] - (1 - part) * flow[:, :-1] - part * flow[:, 1:])
        held = _newest(entering, beyond, whole, steps)
        return Routed(Hydrograph(flow, step, uneven), start, self._stored(*held, step), held)

    def memory(self) -> float:
        """Its travel time, s."""
        return self.travel_time.known

    def routed(self, inflow: Reckoning, asked: Asked) -> Derivation:
        """The derivation of the outflow: the inflow, a travel time later."""

        def routed(into: Hydrograph, travel: float) -> Hydrograph:
            return PureLag(travel_time=travel).route(into).hydrograph

        equation = "Q(t) = I(t − K), I linear between its ordinates"
        return Derivation(equation, SOURCE, (inflow, asked.own("travel_time", "h")), routed)

    def _with_past(self, inflow: Hydrograph, whole: int, state: Held | None) -> Held:
        """Ordinates and volumes beyond the trapezoids from ``whole`` + 1 steps before the start, oldest first."""
        cases, ordinates = inflow.flow.shape
        if state is None:
            past, before = np.repeat(inflow.flow[:, :1], whole + 1, axis=1), np.zeros((cases, whole + 1))
        else:
            past, before = state[0][:, whole + 1 : 0 : -1], state[1][:, whole::-1]
        uneven = np.zeros((cases, ordinates - 1)) if inflow.uneven is None else inflow.uneven
        return np.concatenate([past, inflow.flow], axis=1), np.concatenate([before, uneven], axis=1)

    def _stored(self, flows: Floats, volumes: Floats, step: float) -> Floats:
        """Water on its way, m3, (case,): what came in during the last travel time."""
        whole, part = self.delay(step)
        leaving = (1 - part) * flows[:, whole] + part * flows[:, whole + 1]
        trapezoids = flows[:, :whole] + flows[:, 1 : whole + 1]
        beyond = volumes[:, :whole].sum(axis=1) + part * volumes[:, whole]
        found: Floats = 0.5 * step * (trapezoids.sum(axis=1) + part * (leaving + flows[:, whole])) + beyond
        return found


def _newest(entering: Floats, beyond: Floats, whole: int, at: int) -> Held:
    """The state at the end of step ``at``."""
    flows = entering[:, at : at + whole + 2]
    return flows[:, ::-1].copy(), beyond[:, at : at + whole + 1][:, ::-1].copy()
