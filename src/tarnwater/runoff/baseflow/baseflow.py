"""The contract of a baseflow method."""

from __future__ import annotations

from abc import abstractmethod
from dataclasses import dataclass
from datetime import datetime
from typing import ClassVar

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Method
from tarnwater.states import State


@dataclass(frozen=True, eq=False)
class OverGround:
    """What a baseflow method is given: what goes on over the ground of a catchment in some cases.

    Parameters
    ----------
    step, steps : s, and how many of them.
    direct : (case, step + 1) m3/s, direct runoff.
    entered : (case, up to ``steps``) m3 that infiltrate in each step; None for a method that is not fed.
    begins : date at the start; None for a storm without one.
    state : the start state; None at rest.
    """

    step: float
    steps: int
    direct: Floats
    entered: Floats | None = None
    begins: datetime | None = None
    state: State = None

    @property
    def cases(self) -> int:
        """Number of cases."""
        return len(self.direct)

    def constant(self, flow: float) -> FromGround:
        """A flow (m3/s) that is the same throughout."""
        return FromGround(np.full((self.cases, 1), flow), np.full(self.cases, flow * self.step * self.steps))

    def series(self, flow: Floats, state: State = None) -> FromGround:
        """A flow (case, step + 1) m3/s, linear in each step, that comes from outside of the catchment."""
        volume = self.step * (flow.sum(axis=1) - 0.5 * (flow[:, 0] + flow[:, -1]))
        return FromGround(flow, volume, state)


@dataclass(frozen=True, eq=False)
class FromGround:
    """Flow from the ground in some cases.

    ``flow`` m3/s is (case, step + 1) at the ends of the steps, or (case, 1) where it is constant. ``volume`` (case,) m3
    comes from outside of the catchment. Of a store that the rain feeds, ``fed`` (case,) m3 is what of the losses went
    into it, and ``start_stored`` and ``stored`` what it held. ``uneven`` (case, step) m3 is the volume beyond the
    trapezoid.
    """

    flow: Floats
    volume: Floats
    state: State = None
    fed: Floats | None = None
    start_stored: Floats | None = None
    stored: Floats | None = None
    uneven: Floats | None = None


class Baseflow(Method):
    """Flow from the ground, added to the direct runoff before routing."""

    kind: ClassVar[str] = "baseflow method"

    #: Whether water that infiltrates feeds it.
    fed: ClassVar[bool] = False
    #: Whether it takes over from the direct runoff, so that it depends on that.
    follows_runoff: ClassVar[bool] = False

    @property
    def by_date(self) -> bool:
        """Whether it depends on the date of the storm; no by default."""
        return False

    @abstractmethod
    def respond(self, given: OverGround) -> FromGround:
        """Flow from the ground. A run cut in two and joined by the state equals the run in one piece."""
