"""What every transform answers."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from typing import ClassVar, Self

import numpy as np

from tarnwater import states
from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Asked, Derivation, Doubtful, Method
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.transforms.convolution import DirectRunoff, convolve, stored_in
from tarnwater.runoff.transforms.unit_hydrograph import UnitHydrograph, UnitHydrographs
from tarnwater.states import State


class Transform(Method):
    """How the excess on a catchment becomes flow at its foot.

    Its surroundings are ``area`` (m2), ``lag`` (s) and ``step`` (s). A run cut in two and joined by the state
    equals the run in one piece.
    """

    kind: ClassVar[str] = "transform"

    def refreshed(self, lag: float | None) -> Self:
        """The same with its derived values made anew from the lag (s), if that is known."""
        return self

    @abstractmethod
    def respond(
        self,
        excess: Floats,
        area: float,
        lag: float,
        step: float,
        steps: int,
        state: State = None,
        out: Floats | None = None,
    ) -> DirectRunoff:
        """Direct runoff over ``steps`` steps of excess (case, up to ``steps``) in mm; ``out`` takes its flow."""

    def respond_each(
        self,
        excess: Floats,
        area: float,
        lags: Floats,
        step: float,
        steps: int,
        state: State = None,
        out: Floats | None = None,
    ) -> DirectRunoff:
        """The same with a lag (case,) s for each case: cases of one lag are computed together."""
        flow = np.empty((len(excess), steps + 1)) if out is None else out
        uneven = np.zeros((len(excess), steps))
        groups = [np.flatnonzero(lags == lag) for lag in np.unique(lags)]
        parts = []
        for rows in groups:
            own = states.cases_of(state, rows)
            parts.append(self.respond(excess[rows], area, float(lags[rows[0]]), step, steps, own))
            flow[rows] = parts[-1].hydrograph.flow
            if parts[-1].hydrograph.uneven is not None:
                uneven[rows] = parts[-1].hydrograph.uneven
        any_uneven = any(part.hydrograph.uneven is not None for part in parts)
        end = states.joined([part.state for part in parts], [len(rows) for rows in groups])
        back = np.argsort(np.concatenate(groups), kind="stable")
        return DirectRunoff(Hydrograph(flow, step, uneven if any_uneven else None), states.cases_of(end, back))

    @abstractmethod
    def stored(self, state: State) -> Floats:
        """Water on its way in a state, m3, (case,)."""

    @abstractmethod
    def memory(self, area: float, lag: float, step: float) -> float:
        """How long its response to a step of rain lasts, s."""

    @abstractmethod
    def runoff(self, excess: Reckoning, steps: int, asked: Asked) -> Derivation:
        """How the hydrograph of the direct runoff follows from the excess, its first input."""

    def unit(self, area: float, lag: float, step: float) -> UnitHydrograph | None:
        """The unit hydrograph at a step; None for a transform that has none."""
        return None

    def unit_reckoning(self, asked: Asked) -> Reckoning | None:
        """The reckoning of the unit hydrograph at the step of the run; None for a transform that has none."""
        return None

    def doubts(self, area: float | None, lag: float, steps: Sequence[float]) -> list[Doubtful]:
        """What it doubts of itself at the steps (s) of the study; the area (m2) may not be known."""
        return []


class LinearTransform(Transform):
    """A transform by a unit hydrograph."""

    @abstractmethod
    def unit_hydrograph(self, area: float, lag: float, step: float) -> UnitHydrograph:
        """Unit hydrograph of an area (m2) with a lag (s) at a step (s)."""

    def unit_hydrographs(self, area: float, lags: Floats, step: float) -> UnitHydrographs:
        """Unit hydrographs of an area (m2) with lags (case,) s; a method may make them together."""
        return UnitHydrographs.of([self.unit_hydrograph(area, float(lag), step) for lag in lags])

    @abstractmethod
    def unit_reckoning(self, asked: Asked) -> Reckoning:
        """The reckoning of the unit hydrograph at the step of the run."""

    def unit(self, area: float, lag: float, step: float) -> UnitHydrograph:
        """The unit hydrograph at a step."""
        return self.unit_hydrograph(area, lag, step)

    def respond(
        self,
        excess: Floats,
        area: float,
        lag: float,
        step: float,
        steps: int,
        state: State = None,
        out: Floats | None = None,
    ) -> DirectRunoff:
        """Direct runoff by convolution."""
        return convolve(excess, self.unit_hydrograph(area, lag, step), steps, state, out)

    def respond_each(
        self,
        excess: Floats,
        area: float,
        lags: Floats,
        step: float,
        steps: int,
        state: State = None,
        out: Floats | None = None,
    ) -> DirectRunoff:
        """Direct runoff by convolution of each case with a unit hydrograph of its own."""
        return convolve(excess, self.unit_hydrographs(area, lags, step), steps, state, out)

    def stored(self, state: State) -> Floats:
        """Water on its way, m3, (case,)."""
        return stored_in(state)

    def memory(self, area: float, lag: float, step: float) -> float:
        """The length of the unit hydrograph, s."""
        return len(self.unit_hydrograph(area, lag, step).ordinates) * step

    def runoff(self, excess: Reckoning, steps: int, asked: Asked) -> Derivation:
        """The convolution of excess and unit hydrograph."""
        return Derivation(
            "Q_n = Σ Pe_m U_(n−m+1)",
            "Chow, Maidment and Mays (1988), Section 7.5",
            (excess, self.unit_reckoning(asked)),
            lambda depths, unit: convolve(depths[None, :], unit, steps).hydrograph,
        )
