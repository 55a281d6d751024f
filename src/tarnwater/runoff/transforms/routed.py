"""Transforms that route the excess by compiled code, step by step."""

from __future__ import annotations

from abc import abstractmethod
from typing import Any, ClassVar

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Asked, Derivation
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.transforms.convolution import DirectRunoff
from tarnwater.runoff.transforms.transform import ExcessOnArea, Transform
from tarnwater.states import State


class RoutedTransform(Transform):
    """A transform that holds water in stores or on cells; its state is what they hold, (case, store)."""

    needs_lag: ClassVar[bool] = False

    @abstractmethod
    def held_at_rest(self) -> int:
        """How many stores or cells there are."""

    @abstractmethod
    def route(self, excess: Floats, area: float, step: float, held: Floats, out: Floats, uneven: Floats) -> None:
        """Route excess (case, up to steps) mm from an area (m2); ``held``, ``out`` and ``uneven`` are written."""

    def respond(self, given: ExcessOnArea, lag: float) -> DirectRunoff:
        """Direct runoff, with the volumes counted in the sub-steps."""
        cases = len(given.excess)
        held = np.zeros((cases, self.held_at_rest())) if given.state is None else given.state.copy()
        out = np.empty((cases, given.steps + 1)) if given.out is None else given.out
        uneven = np.zeros((cases, given.steps))
        self.route(np.ascontiguousarray(given.excess), given.area, given.step, held, out, uneven)
        return DirectRunoff(Hydrograph(out, given.step, uneven), held)

    def respond_each(self, given: ExcessOnArea, lags: Floats) -> DirectRunoff:
        """The lag does not matter to it."""
        return self.respond(given, 0.0)

    @abstractmethod
    def stored(self, state: State) -> Floats:
        """Water that it holds, m3, (case,)."""

    def runoff(self, excess: Reckoning, steps: int, asked: Asked) -> Derivation:
        """The derivation of the direct runoff from excess, area and its own parameters."""
        names = [name for name, _ in self.quantities()]
        own = tuple(asked.own(name) for name in names)

        def routed(depths: Floats, area: float, step: float, *values: Any) -> Hydrograph:
            method = self.with_values(names, values)
            return method.respond(ExcessOnArea(np.atleast_2d(depths), area, step, steps), 0.0).hydrograph

        inputs = (excess, asked.around("area", "km²"), asked.around("step"), *own)
        return Derivation(self.equation, self.source, inputs, routed)
