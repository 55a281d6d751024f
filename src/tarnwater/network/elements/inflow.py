"""The inflow: a hydrograph that is given."""

from __future__ import annotations

from itertools import pairwise
from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Derivation
from tarnwater.network.elements.element import Answer, AskedOfElement, Element, Shape, Situation
from tarnwater.parameters import parameter


class Inflow(Element):
    """A given hydrograph: typed points, linear between them, zero before the first and after the last."""

    kind: Literal["inflow"] = "inflow"

    shape: ClassVar[Shape] = "arrow"
    lets_in: ClassVar[bool] = True

    times: tuple[float, ...] = parameter(
        "time", "time since the start of the run", symbol="t", least=0, most=366 * 86400
    )
    flows: tuple[float, ...] = parameter("flow", "flow that enters", symbol="Q", least=0, most=1e7, usual=(0, 20000))

    @model_validator(mode="after")
    def _paired(self) -> Inflow:
        rising = all(b > a for a, b in pairwise(self.times))
        if len(self.times) != len(self.flows) or len(self.times) < 2 or not rising:
            raise EditRefused(
                f"an inflow needs at least two increasing times, and a flow for each; "
                f"{len(self.times)} times and {len(self.flows)} flows were given.",
                where=self.name,
                remedy="Give the hydrograph as increasing times with their flows.",
            )
        return self

    def memory(self, step: float) -> float:
        """The time of its last point, s."""
        return self.times[-1]

    def let_in(self, until: float) -> float:
        """Volume that it lets in until a time (s), m3."""
        return float(volume_until(np.array(self.times), np.array(self.flows), np.array([until]))[0])

    def respond(self, situation: Situation) -> Answer:
        """The typed hydrograph; its state is the time of the run so far (case,), s."""
        cases, ordinates = situation.out.shape
        step, state, out = situation.step, situation.state, situation.out
        times = (0.0 if state is None else float(state[0])) + np.arange(float(ordinates)) * step
        known_t, known_q = np.array(self.times), np.array(self.flows)
        flow = np.interp(times, known_t, known_q, left=0.0, right=0.0)
        out[...] = flow
        uneven = np.diff(volume_until(known_t, known_q, times)) - 0.5 * step * (flow[1:] + flow[:-1])
        hydrograph = Hydrograph(out, step, np.tile(uneven, (cases, 1)))
        return Answer((hydrograph,), np.full(cases, times[-1]), outside=hydrograph.total)

    def flow(self, asked: AskedOfElement) -> Derivation:
        """The derivation of its flow, read from its points."""

        def read() -> Hydrograph:
            out = np.empty((1, asked.steps + 1))
            return self.respond(Situation(asked.step, asked.steps, 1, None, (), (), None, out)).ways[0]

        return Derivation("Q linear between its points", "typed hydrograph", (), read)


def volume_until(times: Floats, flows: Floats, until: Floats) -> Floats:
    """Exact volume in m3 of a piecewise linear hydrograph up to each time (s); zero outside it."""
    until = np.clip(until, times[0], times[-1])
    whole = np.concatenate([[0.0], np.cumsum(np.diff(times) * 0.5 * (flows[1:] + flows[:-1]))])
    piece = np.clip(np.searchsorted(times, until, side="right") - 1, 0, len(times) - 2)
    here = np.interp(until, times, flows)
    return whole[piece] + (until - times[piece]) * 0.5 * (flows[piece] + here)
