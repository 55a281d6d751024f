"""The contract of a loss method."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Mapping
from typing import Any, ClassVar, Self

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Asked, Derivation, Doubtful, Method
from tarnwater.parameters import Setting
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.losses.excess import Excess
from tarnwater.states import State

#: Duration of a rain of which only the depth is known, s.
DAY = 86400.0


class Loss(Method):
    """The rain that the ground of one surface keeps.

    In every step rain = loss + excess + stored, none of them negative, and a run cut in two and joined by the
    state equals the run in one piece.
    """

    kind: ClassVar[str] = "loss method"

    #: The parameter that is a curve number in the average condition; empty for a loss that has none.
    number_name: ClassVar[str] = ""

    #: Whether the ground keeps any rain.
    keeps: ClassVar[bool] = True

    #: Whether the ground takes in less, the more has rained.
    tires: ClassVar[bool] = False

    #: Settings that follow from the ground, with the names of its figures there.
    of_ground: ClassVar[Mapping[str, str]] = {}

    #: Settings that a fit to another loss varies, each with the range in which it looks; none for a loss without any.
    fits: ClassVar[Mapping[str, tuple[float, float]]] = {}

    #: Parameters that `respond` takes as arrays (case,); for other parameters, equal cases are computed in groups.
    by_case: ClassVar[frozenset[str]] = frozenset()

    @property
    def recovers(self) -> bool:
        """Whether it recovers in dry spells."""
        return False

    @property
    def number(self) -> Setting[float] | None:
        """The curve number in the average condition, for timing equations; None for a loss without one."""
        return getattr(self, self.number_name) if self.number_name else None

    #: The parameter that goes by the return period of the storm; empty for a loss that has none.
    period_name: ClassVar[str] = ""

    def at_return_period(self, years: float, factor: float) -> Self:
        """A copy for storms of a return period (years), with the ``factor`` on coefficients for it; itself here."""
        return self

    def refreshed(self, ground: Mapping[str, Any]) -> Self:
        """A copy with its values derived again from figures of the ground by name: of its cover and its texture."""
        update = {name: getattr(self, name).with_derived(ground.get(known)) for name, known in self.of_ground.items()}
        return self.model_copy(update=update) if update else self

    @abstractmethod
    def respond(self, rain: Floats, step: float, state: State = None, **values: Floats) -> Excess:
        """Excess of rain (case, step) in mm in steps (s); ``values`` may replace parameters by arrays (case,)."""

    def runoff_of(self, rain: float, duration: float = DAY) -> float:
        """Runoff depth, mm, of an even rain, mm, of a duration (s)."""
        return float(self.respond(np.array([[rain]]), duration).excess[0, 0])

    def excess(self, rain: Reckoning, step: float, asked: Asked) -> Derivation:
        """The derivation of the excess (step,) mm from the rain in steps (s), its first input, and the parameters."""
        names = [name for name, _ in self.quantities()]

        def respond(depths: Floats, *values: Any) -> Floats:
            rained = np.ascontiguousarray(depths[None, :])
            found: Floats = self.with_values(names, values).respond(rained, step).excess[0]
            return found

        return Derivation(self.equation, self.source, (rain, *(asked.own(name) for name in names)), respond)

    def doubts(self) -> list[Doubtful]:
        """Its doubts about itself; nothing by default."""
        return []


def by_case(value: float, own: Floats | None, cases: int) -> Floats:
    """A parameter for each case: its own values (case,), or the one value for all."""
    return np.full(cases, value, float) if own is None else np.array(np.broadcast_to(own, (cases,)), float)
