"""What every reach method answers."""

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
    """How a channel carries and delays its flow.

    Its surroundings are ``length`` (m), ``celerity`` (m/s) and ``step`` (s). What is routed, what is held before
    and what is held after balance, and a run cut in two and joined by the state equals the run in one piece.
    """

    kind: ClassVar[str] = "reach method"

    #: What is said where none of its calmer settings keeps the flow from falling below zero.
    none_calmer: ClassVar[str] = "Route the reach otherwise."

    def refreshed(self, length: float | None, celerity: float | None) -> Self:
        """The same with its derived values made anew from length (m) and celerity (m/s), if they are known."""
        return self

    @abstractmethod
    def route(self, inflow: Hydrograph, state: State = None, out: Floats | None = None) -> Routed:
        """Route inflow; ``out`` (case, step + 1), where given, takes the flow."""

    @abstractmethod
    def memory(self) -> float:
        """How long it may hold water back, about, s."""

    @abstractmethod
    def routed(self, inflow: Reckoning, asked: Asked) -> Derivation:
        """How the outflow follows from the inflow, its first input."""

    def doubts(self, steps: Sequence[float]) -> list[Doubtful]:
        """What it doubts of itself at the steps (s) of the study; nothing by default."""
        return []

    def calmer(self, step: float) -> Iterator[tuple[str, list[tuple[str, Self]]]]:
        """Other settings with which its flow may not fall below zero at a step (s), by what they do to the peak."""
        return iter(())
