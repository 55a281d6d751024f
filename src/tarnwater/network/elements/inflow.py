"""The inflow: a hydrograph that is given."""

from __future__ import annotations

from datetime import datetime
from itertools import pairwise
from typing import ClassVar, Literal

import numpy as np
from pydantic import AwareDatetime, model_validator

from tarnwater.arrays import Floats
from tarnwater.clock import moment, show_moment
from tarnwater.errors import ComputationFailed, EditRefused
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Derivation
from tarnwater.network.elements.element import Answer, AskedOfElement, Element, Shape, Situation
from tarnwater.parameters import Model, parameter


class FlowCut(Model):
    """The stretch of a record of flow (s since 1970) that an inflow was cut from, by the key of its gauge."""

    gauge: str
    begin: int
    end: int


class Inflow(Element):
    """A given hydrograph: typed points, linear between them, zero before the first and after the last.

    One with an ``origin`` has its times from that date: a run with a date takes it at its own time, one without a date
    from its start. One that was ``cut`` from a record of the study follows it.
    """

    kind: Literal["inflow"] = "inflow"

    shape: ClassVar[Shape] = "arrow"
    lets_in: ClassVar[bool] = True

    times: tuple[float, ...] = parameter(
        "time", "time since the start of the run", symbol="t", least=0, most=366 * 86400
    )
    flows: tuple[float, ...] = parameter("flow", "flow that enters", symbol="Q", least=0, most=1e7, usual=(0, 20000))
    origin: AwareDatetime | None = None
    cut: FlowCut | None = None

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

    def assigned(self, path: str) -> Inflow:
        """A copy that no longer follows a record where its hydrograph was typed."""
        return self.model_copy(update={"cut": None}) if path in ("times", "flows") else self

    @property
    def by_date(self) -> bool:
        """Whether its times count from a date."""
        return self.origin is not None

    def memory(self, step: float) -> float:
        """The time of its last point, s; one from a date may have begun long before."""
        return 0.0 if self.by_date else self.times[-1]

    def begun(self, begins: datetime | None) -> float:
        """Its own time (s) at the start of a run at a date; zero where one of the two has none.

        Raises `ComputationFailed` for a run that begins before its first flow: flow that is missing is never zero.
        """
        if self.origin is None or begins is None:
            return 0.0
        at = (begins - self.origin).total_seconds()
        if at < self.times[0]:
            first = show_moment(moment(self.origin, self.times[0]))
            raise ComputationFailed(
                f"its hydrograph begins on {first}, after the storm of {show_moment(begins)}.",
                where=self.name,
                remedy="Take a part of the record that begins before the storm: missing flow is never taken as none.",
            )
        return at

    def let_in(self, until: float, begins: datetime | None = None) -> float:
        """Volume that it lets in until a time (s) of a run that begins at a date, m3."""
        at = self.begun(begins)
        by = volume_until(np.array(self.times), np.array(self.flows), np.array([at, at + until]))
        return float(by[1] - by[0])

    def respond(self, situation: Situation) -> Answer:
        """The given hydrograph; its state is the time of the run so far (case,), s."""
        cases, ordinates = situation.out.shape
        step, state, out = situation.step, situation.state, situation.out
        # a run with a date knows its time by that; one without goes on from the time so far
        dated = self.by_date and situation.begins is not None
        begun = self.begun(situation.begins) if dated or state is None else float(state[0])
        times = begun + np.arange(float(ordinates)) * step
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
            situation = Situation(asked.step, asked.steps, 1, None, (), (), None, out, begins=asked.begins)
            return self.respond(situation).ways[0]

        return Derivation("Q linear between its points", "given hydrograph", (), read)


def volume_until(times: Floats, flows: Floats, until: Floats) -> Floats:
    """Exact volume in m3 of a piecewise linear hydrograph up to each time (s); zero outside it."""
    until = np.clip(until, times[0], times[-1])
    whole = np.concatenate([[0.0], np.cumsum(np.diff(times) * 0.5 * (flows[1:] + flows[:-1]))])
    piece = np.clip(np.searchsorted(times, until, side="right") - 1, 0, len(times) - 2)
    here = np.interp(until, times, flows)
    return whole[piece] + (until - times[piece]) * 0.5 * (flows[piece] + here)
