"""The contract of a loss method."""

from __future__ import annotations

from abc import abstractmethod
from typing import Any, ClassVar, Self

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Asked, Derivation, Doubtful, Method
from tarnwater.parameters import Setting
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.losses.excess import Excess
from tarnwater.states import State


class Loss(Method):
    """The rain that the ground of one surface keeps.

    In every step rain = loss + excess + stored, none of them negative, and a run cut in two and joined by the
    state equals the run in one piece.
    """

    kind: ClassVar[str] = "loss method"

    #: The parameter that is a curve number in the average condition; empty for a loss that has none.
    number_name: ClassVar[str] = ""

    #: Parameters that `respond` takes as arrays (case,); for other parameters, equal cases are computed in groups.
    by_case: ClassVar[frozenset[str]] = frozenset()

    @property
    def number(self) -> Setting[float] | None:
        """The curve number in the average condition, for timing equations; None for a loss without one."""
        return getattr(self, self.number_name) if self.number_name else None

    def refreshed(self, cover_number: float | None) -> Self:
        """A copy with its values derived again; ``cover_number`` is the curve number of its cover, if known."""
        return self

    @abstractmethod
    def respond(self, rain: Floats, state: State = None, **values: Floats) -> Excess:
        """Excess of rain (case, step) in mm; ``values`` may replace parameters by arrays (case,)."""

    def runoff_of(self, rain: float) -> float:
        """Runoff depth, mm, of a rain in one step, mm."""
        return float(self.respond(np.array([[rain]])).excess[0, 0])

    def excess(self, rain: Reckoning, asked: Asked) -> Derivation:
        """The derivation of the excess (step,) mm from the rain, its first input, and the parameters."""
        names = [name for name, _ in self.quantities()]

        def respond(depths: Floats, *values: Any) -> Floats:
            found: Floats = self.with_values(names, values).respond(np.ascontiguousarray(depths[None, :])).excess[0]
            return found

        return Derivation(self.equation, self.source, (rain, *(asked.own(name) for name in names)), respond)

    def doubts(self) -> list[Doubtful]:
        """Its doubts about itself; nothing by default."""
        return []
