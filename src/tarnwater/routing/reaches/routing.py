"""The contract of a reach method."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterator, Sequence
from typing import ClassVar, Self

from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Asked, Derivation, Doubtful, Method
from tarnwater.reckoning import Reckoning
from tarnwater.routing.reaches.routed import Routed
from tarnwater.states import State


class Routing(Method):
    """Routing of flow in a channel.

    Its surroundings are ``length`` (m), ``celerity`` (m/s), ``slope`` and ``step`` (s). Inflow, outflow and the storage
    before and after balance. A run cut in two and joined by the state equals the run in one piece.
    """

    kind: ClassVar[str] = "reach method"

    #: Text of the finding if none of its calmer settings avoids negative flow.
    none_calmer: ClassVar[str] = "Choose another reach method."

    #: Whether its equations keep a peak, so that what it loses comes from the scheme.
    keeps_peaks: ClassVar[bool] = False

    def refreshed(self, length: float | None, celerity: float | None, slope: float | None = None) -> Self:
        """A copy with its values derived again from length (m), celerity (m/s) and slope, if they are known."""
        return self

    @abstractmethod
    def route(self, inflow: Hydrograph, state: State = None, out: Floats | None = None) -> Routed:
        """Route inflow; ``out`` (case, step + 1), where given, takes the flow."""

    @abstractmethod
    def memory(self) -> float:
        """Longest delay, about, s."""

    @abstractmethod
    def routed(self, inflow: Reckoning, asked: Asked) -> Derivation:
        """The derivation of the outflow from the inflow, its first input."""

    def depth_of(self, flow: Floats) -> Floats | None:
        """Depth of the water at its head under a flow (m3/s), m, of its shape; None for a method without a section."""
        return None

    def doubts(self, steps: Sequence[float]) -> list[Doubtful]:
        """Its doubts about itself at the steps (s) of the study; nothing by default."""
        return []

    def calmer(self, step: float) -> Iterator[tuple[str, list[tuple[str, Self]]]]:
        """Other settings with which its flow may stay above zero at a step (s), grouped by their effect on the peak."""
        return iter(())
