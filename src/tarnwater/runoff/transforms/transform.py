"""The contract of a transform."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, ClassVar, Self

import numpy as np

from tarnwater import states
from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Asked, Derivation, Doubtful, Method
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.transforms.convolution import DirectRunoff, convolve, stored_in
from tarnwater.runoff.transforms.unit_hydrograph import UnitHydrograph, UnitHydrographs
from tarnwater.states import State


@dataclass(frozen=True, eq=False)
class ExcessOnArea:
    """The input of a transform: excess on an area, over the steps of a run.

    Parameters
    ----------
    excess : (case, up to ``steps``) mm in each step.
    area : m2.
    step, steps : s, and how many of them.
    state : the start state; None at rest.
    out : (case, steps + 1), takes the flow where it is given.
    """

    excess: Floats
    area: float
    step: float
    steps: int
    state: State = None
    out: Floats | None = None


class Transform(Method):
    """Transform of the excess on a catchment to flow at its outlet.

    Its surroundings are ``area`` (m2), ``lag`` (s) and ``step`` (s). A run cut in two and joined by the state
    equals the run in one piece.
    """

    kind: ClassVar[str] = "transform"

    #: Whether it follows from the lag of its catchment.
    needs_lag: ClassVar[bool] = True

    #: Whether it is a unit hydrograph of points, which may be averaged with another.
    of_points: ClassVar[bool] = False

    #: Whether it is made for even rain, so that the counted storms of a point have one of the time of concentration.
    even_rain: ClassVar[bool] = False

    #: Whether it follows from travel times that are measured on the terrain.
    from_ground: ClassVar[bool] = False

    #: Step that it proposes, s; None for a fifth of its delay.
    proposed_step: ClassVar[float | None] = None

    @property
    def delay(self) -> float | None:
        """Time (s) that tells how quick it is where it follows from no lag: a fifth of it is a fine step."""
        return None

    @property
    def own_area(self) -> float | None:
        """Area that it is made for, m2; None where it fits any."""
        return None

    def refreshed(self, lag: float | None) -> Self:
        """A copy with its values derived again from the lag (s), if that is known."""
        return self

    @abstractmethod
    def respond(self, given: ExcessOnArea, lag: float) -> DirectRunoff:
        """Direct runoff with one lag (s) for all cases."""

    def respond_each(self, given: ExcessOnArea, lags: Floats) -> DirectRunoff:
        """Direct runoff with a lag (case,) s for each case: cases of one lag are computed together."""
        cases, steps = len(given.excess), given.steps
        flow = np.empty((cases, steps + 1)) if given.out is None else given.out
        uneven = np.zeros((cases, steps))
        groups = [np.flatnonzero(lags == lag) for lag in np.unique(lags)]
        parts = []
        for rows in groups:
            own = replace(given, excess=given.excess[rows], state=states.cases_of(given.state, rows), out=None)
            parts.append(self.respond(own, float(lags[rows[0]])))
            flow[rows] = parts[-1].hydrograph.flow
            if parts[-1].hydrograph.uneven is not None:
                uneven[rows] = parts[-1].hydrograph.uneven
        made = None
        if any(part.made is not None for part in parts):
            made = np.zeros(cases)
            for rows, part in zip(groups, parts, strict=True):
                made[rows] = 0.0 if part.made is None else part.made
        any_uneven = any(part.hydrograph.uneven is not None for part in parts)
        end = states.joined([part.state for part in parts], [len(rows) for rows in groups])
        back = np.argsort(np.concatenate(groups), kind="stable")
        hydrograph = Hydrograph(flow, given.step, uneven if any_uneven else None)
        return DirectRunoff(hydrograph, states.cases_of(end, back), made)

    @abstractmethod
    def stored(self, state: State) -> Floats:
        """Water in transit in a state, m3, (case,)."""

    @abstractmethod
    def memory(self, area: float, lag: float, step: float) -> float:
        """Duration of its response to a step of rain, s."""

    @abstractmethod
    def runoff(self, excess: Reckoning, steps: int, asked: Asked) -> Derivation:
        """The derivation of the hydrograph of direct runoff from the excess, its first input."""

    def unit(self, area: float, lag: float, step: float) -> UnitHydrograph | None:
        """The unit hydrograph at a step; None for a transform that has none."""
        return None

    def unit_reckoning(self, asked: Asked) -> Reckoning | None:
        """The reckoning of the unit hydrograph at the step of the run; None for a transform that has none."""
        return None

    def doubts(self, area: float | None, lag: float, steps: Sequence[float]) -> list[Doubtful]:
        """Its doubts about itself at the steps (s) of the study; the area (m2) may not be known."""
        return []


#: Unit hydrographs cached for one catchment.
MOST_KEPT = 64


class LinearTransform(Transform):
    """A transform by a unit hydrograph."""

    @abstractmethod
    def _make(self, area: float, lag: float, step: float) -> UnitHydrograph:
        """Make the unit hydrograph of an area (m2) with a lag (s) at a step (s)."""

    @cached_property
    def kept_units(self) -> dict[tuple[float, float, float], UnitHydrograph]:
        """Unit hydrographs already made, by area, lag and step."""
        return {}

    def unit_hydrograph(self, area: float, lag: float, step: float) -> UnitHydrograph:
        """Unit hydrograph of an area (m2) with a lag (s) at a step (s)."""
        asked = area, lag, step
        known = self.kept_units.get(asked)
        if known is None:
            if len(self.kept_units) >= MOST_KEPT:
                self.kept_units.clear()
            known = self.kept_units[asked] = self._make(area, lag, step)
        return known

    def unit_hydrographs(self, area: float, lags: Floats, step: float) -> UnitHydrographs:
        """Unit hydrographs of an area (m2) with lags (case,) s; a method may compute them together."""
        return UnitHydrographs.of([self.unit_hydrograph(area, float(lag), step) for lag in lags])

    #: Equation of the unit hydrograph at the step of the run, before that of the method.
    unit_equation: ClassVar[str] = ""

    @property
    def _of_unit(self) -> Sequence[str]:
        """Parameters that its unit hydrograph follows from, beside its tables."""
        return [name for name, _ in self.quantities() if not isinstance(getattr(self, name), tuple)]

    def unit_reckoning(self, asked: Asked) -> Reckoning:
        """The reckoning of the unit hydrograph at the step of the run, from its parameters."""
        around = [asked.around("area", "km²"), *([asked.around("lag", "h")] if self.needs_lag else [])]
        step = asked.around("step")
        names = list(self._of_unit)
        own = tuple(asked.own(name) for name in names)
        count = len(around)

        def read(dt: float, *values: Any) -> UnitHydrograph:
            area, *rest = values[:count]
            return self.with_values(names, values[count:]).unit_hydrograph(area, rest[0] if rest else 0.0, dt)

        inputs = (step, *around, *own)
        return Reckoning(
            title=f"unit hydrograph of {asked.owner}",
            value=read(*(node.value for node in inputs)),
            kind="flow",
            symbol="U",
            equation=", ".join(part for part in (self.unit_equation, self.equation) if part),
            source=self.source,
            inputs=inputs,
            evaluate=read,
        )

    def unit(self, area: float, lag: float, step: float) -> UnitHydrograph:
        """The unit hydrograph at a step."""
        return self.unit_hydrograph(area, lag, step)

    def respond(self, given: ExcessOnArea, lag: float) -> DirectRunoff:
        """Direct runoff by convolution."""
        unit = self.unit_hydrograph(given.area, lag, given.step)
        return convolve(given.excess, unit, given.steps, given.state, given.out)

    def respond_each(self, given: ExcessOnArea, lags: Floats) -> DirectRunoff:
        """Direct runoff by convolution of each case with a unit hydrograph of its own."""
        units = self.unit_hydrographs(given.area, lags, given.step)
        return convolve(given.excess, units, given.steps, given.state, given.out)

    def stored(self, state: State) -> Floats:
        """Water in transit, m3, (case,)."""
        return stored_in(state)

    def memory(self, area: float, lag: float, step: float) -> float:
        """The length of the unit hydrograph, s."""
        return len(self.unit_hydrograph(area, lag, step).ordinates) * step

    def runoff(self, excess: Reckoning, steps: int, asked: Asked) -> Derivation:
        """The derivation of the direct runoff by convolution."""
        return Derivation(
            "Q_n = Σ Pe_m U_(n−m+1)",
            "Chow, Maidment and Mays (1988), Section 7.5",
            (excess, self.unit_reckoning(asked)),
            lambda depths, unit: convolve(depths[None, :], unit, steps).hydrograph,
        )
